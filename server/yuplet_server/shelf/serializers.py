from typing import Any, get_args

from rest_framework import serializers

from yuplet.arrangement.templates import How
from yuplet_server.arrangement.serializers import RepeatSerializer
from yuplet_server.base.fields import NameField
from yuplet_server.shelf.models import Kept


class KeptSerializer(serializers.ModelSerializer[Kept]):
    """One thing on one's own shelf; `has_picture` is true of parts."""

    has_picture = serializers.SerializerMethodField()

    class Meta:
        model = Kept
        fields = ("id", "kind", "name", "has_picture", "created_at")

    def get_has_picture(self, kept: Kept) -> bool:
        return kept.picture != ""


class KeepSerializer(serializers.Serializer[Any]):
    """What is kept of an illustration: a part (`row`), the places of its figure, or its list of what must be there."""

    kind = serializers.ChoiceField(choices=[one for one in Kept.Kind.choices if one[0] != Kept.Kind.MOTION])
    name = NameField(max_length=255, allow_blank=True)
    row = serializers.CharField(required=False, default="", allow_blank=True)


class UseSerializer(RepeatSerializer):
    """Use something kept; a part lies in front of a `row`, in its middle."""

    row = serializers.CharField(required=False, allow_null=True, default=None)


class FitPairSerializer(serializers.Serializer[Any]):
    place = serializers.CharField()
    row = serializers.CharField()
    name = serializers.CharField()
    found_by = serializers.ChoiceField(choices=get_args(How))


class FitSerializer(serializers.Serializer[Any]):
    """Which parts are at which places of a template, and what is left on both sides."""

    pairs = FitPairSerializer(many=True)
    places_left = serializers.ListField(child=serializers.CharField())
    parts_left = serializers.ListField(child=serializers.CharField())
