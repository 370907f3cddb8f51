"""What requests have in common: names and lines that people read."""

from typing import Any

from rest_framework import serializers

from yuplet.paths import is_plain


class NameField(serializers.CharField):
    """A title: no control characters, and nothing that shows it otherwise than it is."""

    def to_internal_value(self, data: Any) -> str:
        text = str(super().to_internal_value(data))
        if not is_plain(text):
            raise serializers.ValidationError("The name has invisible characters. Type it again.", code="invisible")
        return text


class LinesField(serializers.CharField):
    """Lines of text that people write: as a title, each of them."""

    def to_internal_value(self, data: Any) -> str:
        text = str(super().to_internal_value(data)).replace("\r\n", "\n")
        if not all(is_plain(line) for line in text.split("\n")):
            raise serializers.ValidationError("The text has invisible characters. Type it again.", code="invisible")
        return text
