from typing import Any

from django.utils import timezone
from rest_framework import serializers

from yuplet_server.base.fields import LinesField, NameField
from yuplet_server.receivers.models import Delivery, Remark


class RemarkSerializer(serializers.ModelSerializer[Remark]):
    """What a receiver said of a part, of which hand-over, and the answer."""

    to = serializers.CharField(source="delivery.to", read_only=True)
    number = serializers.IntegerField(source="hand_over.number", default=None, allow_null=True, read_only=True)
    answered_by = serializers.CharField(source="answered_by.username", default=None, allow_null=True, read_only=True)

    class Meta:
        model = Remark
        fields = ["id", "to", "number", "part", "path", "text", "at", "answer", "answered_by", "answered_at"]
        read_only_fields = fields


class DeliverySerializer(serializers.ModelSerializer[Delivery]):
    """A link for a receiver: to one hand-over (its number), or always to the newest by the recipe."""

    number = serializers.IntegerField(source="hand_over.number", default=None, allow_null=True, read_only=True)
    made_by = serializers.CharField(source="made_by.username", default=None, allow_null=True, read_only=True)
    is_open = serializers.SerializerMethodField()
    seen = serializers.IntegerField(read_only=True)
    taken = serializers.IntegerField(read_only=True)

    class Meta:
        model = Delivery
        fields = ["id", "to", "number", "recipe", "made_by", "made_at", "ends_at", "is_open", "seen", "taken"]
        read_only_fields = fields

    def get_is_open(self, delivery: Delivery) -> bool:
        return delivery.ends_at > timezone.now()


class DeliverSerializer(serializers.Serializer[Any]):
    to = NameField(max_length=100, help_text="For whom: a name that tells links apart.")
    days = serializers.IntegerField(min_value=1, max_value=365)
    hand_over = serializers.IntegerField(
        required=False, allow_null=True, default=None, help_text="Which one; without, always the newest by the recipe."
    )
    recipe = serializers.CharField(max_length=100, required=False, allow_blank=True, default="")


class MadeDeliverySerializer(serializers.Serializer[Any]):
    """Where a link leads on this server, told once."""

    path = serializers.CharField()
    days = serializers.IntegerField()


class AnswerSerializer(serializers.Serializer[Any]):
    text = LinesField(max_length=1000)


class ReceivedPartSerializer(serializers.Serializer[Any]):
    id = serializers.CharField()
    path = serializers.ListField(child=serializers.CharField())
    file = serializers.CharField()
    shown = serializers.BooleanField()
    x = serializers.IntegerField()
    y = serializers.IntegerField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()


class ReceivedChangesSerializer(serializers.Serializer[Any]):
    since = serializers.IntegerField()
    new = serializers.ListField(child=serializers.CharField())
    changed = serializers.ListField(child=serializers.CharField())
    gone = serializers.ListField(child=serializers.CharField())


class ReceivedSerializer(serializers.Serializer[Any]):
    """A package as its receiver sees it, the front-most part first."""

    title = serializers.CharField()
    to = serializers.CharField()
    number = serializers.IntegerField()
    recipe = serializers.CharField()
    is_newest = serializers.BooleanField()
    made_at = serializers.DateTimeField()
    ends_at = serializers.DateTimeField()
    bytes = serializers.IntegerField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    credit = serializers.DictField(child=serializers.CharField())
    parts = ReceivedPartSerializer(many=True)
    changes = ReceivedChangesSerializer(allow_null=True)
    remarks = RemarkSerializer(many=True)


class SayRemarkSerializer(serializers.Serializer[Any]):
    part = serializers.CharField(max_length=100)
    text = LinesField(max_length=1000)
