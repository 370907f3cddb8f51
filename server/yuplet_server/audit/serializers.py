from typing import Any

from rest_framework import serializers

from yuplet_server.audit.models import Entry


class EntrySerializer(serializers.ModelSerializer[Entry]):
    """One deed: when, what, by whom, from which address, and of what; `project` is a number, which may be gone."""

    class Meta:
        model = Entry
        fields = ["id", "at", "kind", "account", "address", "about", "project", "request"]
        read_only_fields = fields


class AskSerializer(serializers.Serializer[Any]):
    """Which of them: only those with a smaller id than `before`, of one `kind`, or with a text in account, address or what it is about."""

    before = serializers.IntegerField(required=False, min_value=1)
    kind = serializers.ChoiceField(choices=Entry.Kind.choices, required=False)
    text = serializers.CharField(required=False, max_length=100, allow_blank=True)
