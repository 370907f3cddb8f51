"""What requests have in common: a name that people read."""

from typing import Any

from rest_framework import serializers

from yuplet.paths import is_plain


class NameField(serializers.CharField):
    """A title: no control characters, and nothing that shows it otherwise than it is."""

    def to_internal_value(self, data: Any) -> str:
        text = str(super().to_internal_value(data))
        if not is_plain(text):
            raise serializers.ValidationError("The name has invisible characters. Type it anew.", code="invisible")
        return text
