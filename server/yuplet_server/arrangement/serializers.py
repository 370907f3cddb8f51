from typing import Any

from rest_framework import serializers

from yuplet.arrangement.commands import COMMANDS
from yuplet_server.arrangement.models import Row


class RowSerializer(serializers.Serializer[Any]):
    """A part or a group as the ledger shows it; `image` and `thumbnail` are digests, `box` is x, y, width, height."""

    id = serializers.CharField()
    kind = serializers.ChoiceField(choices=Row.Kind.choices)
    group = serializers.CharField(allow_null=True)
    name = serializers.CharField()
    shown = serializers.BooleanField()
    included = serializers.BooleanField()
    opacity = serializers.FloatField()
    blend = serializers.CharField()
    isolated = serializers.BooleanField()
    locked = serializers.BooleanField()
    box = serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    image = serializers.CharField(allow_null=True)
    thumbnail = serializers.CharField(allow_null=True)


class ArrangementSerializer(serializers.Serializer[Any]):
    """All rows back to front, a group directly before its members; `undo` and `redo` name the step, or are null."""

    version = serializers.IntegerField()
    alone = serializers.CharField(allow_null=True)
    undo = serializers.CharField(allow_null=True)
    redo = serializers.CharField(allow_null=True)
    rows = RowSerializer(many=True)


class PlaceSerializer(serializers.Serializer[Any]):
    row = serializers.CharField()
    group = serializers.CharField(allow_null=True)
    index = serializers.IntegerField(help_text="How many siblings lie behind it.")


class CommandSerializer(serializers.Serializer[Any]):
    """What an artist does; `do` says which of the other fields is used."""

    do = serializers.ChoiceField(choices=[*COMMANDS])
    names = serializers.DictField(child=serializers.CharField(allow_blank=True), required=False)
    shown = serializers.DictField(child=serializers.BooleanField(), required=False)
    included = serializers.DictField(child=serializers.BooleanField(), required=False)
    locked = serializers.DictField(child=serializers.BooleanField(), required=False)
    row = serializers.CharField(allow_null=True, required=False)
    places = PlaceSerializer(many=True, required=False)


class StepSerializer(serializers.Serializer[Any]):
    version = serializers.IntegerField(help_text="The version that was looked at when the command was made.")
    command = CommandSerializer()
