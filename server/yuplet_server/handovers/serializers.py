from typing import Any

from rest_framework import serializers

from yuplet_server.handovers.models import HandOver
from yuplet_server.jobs.serializers import JobSerializer


class PlannedFileSerializer(serializers.Serializer[Any]):
    """One image that will be written."""

    file = serializers.CharField(help_text="Of an animated part, the first of its images.")
    images = serializers.IntegerField()
    places = serializers.IntegerField(default=1, help_text="How many parts it is the image of.")
    path = serializers.ListField(child=serializers.CharField())
    order = serializers.IntegerField()
    box = serializers.ListField(child=serializers.IntegerField())
    shown = serializers.BooleanField()
    change = serializers.ChoiceField(choices=["new", "changed", "same"])


class PlanSerializer(serializers.Serializer[Any]):
    """All that a hand-over will write; `gone` lists what the last package had and this one will not."""

    version = serializers.IntegerField()
    canvas = serializers.ListField(child=serializers.IntegerField())
    files = PlannedFileSerializer(many=True)
    beside = serializers.ListField(child=serializers.CharField())
    left_out = serializers.ListField(child=serializers.CharField())
    empty = serializers.ListField(child=serializers.CharField())
    gone = serializers.ListField(child=serializers.CharField())
    compared_with = serializers.IntegerField(allow_null=True)


class AskSerializer(serializers.Serializer[Any]):
    version = serializers.IntegerField(help_text="The version of the plan that was seen.")


class WorstSerializer(serializers.Serializer[Any]):
    x = serializers.IntegerField()
    y = serializers.IntegerField()
    part = serializers.CharField(allow_null=True)


class ProofSerializer(serializers.Serializer[Any]):
    """What the rehearsal found when it put the package together again."""

    ok = serializers.BooleanField()
    expected = serializers.IntegerField()
    found = serializers.IntegerField()
    pixels = serializers.IntegerField()
    missing = serializers.ListField(child=serializers.CharField())
    extra = serializers.ListField(child=serializers.CharField())
    unreadable = serializers.ListField(child=serializers.CharField())
    wrong_case = serializers.ListField(child=serializers.CharField())
    empty = serializers.ListField(child=serializers.CharField())
    obsolete = serializers.ListField(child=serializers.CharField())
    faults = serializers.ListField(child=serializers.CharField())
    differing_pixels = serializers.IntegerField(allow_null=True)
    max_difference = serializers.IntegerField(allow_null=True)
    worst = WorstSerializer(allow_null=True)


class WrittenFileSerializer(serializers.Serializer[Any]):
    file = serializers.CharField()
    bytes = serializers.IntegerField()


class HandOverReportSerializer(serializers.Serializer[Any]):
    parts = serializers.IntegerField()
    files = WrittenFileSerializer(many=True)
    bytes = serializers.IntegerField()
    seconds = serializers.FloatField()
    empty = serializers.ListField(child=serializers.CharField())
    left_out = serializers.ListField(child=serializers.CharField())
    proof = ProofSerializer()


class HandOverSerializer(serializers.ModelSerializer[HandOver]):
    """One run: its job while it lasts, its report afterwards."""

    job = JobSerializer(read_only=True, allow_null=True)
    report = HandOverReportSerializer(allow_null=True, read_only=True)
    created_by = serializers.CharField(source="created_by.username", default=None, allow_null=True, read_only=True)

    class Meta:
        model = HandOver
        fields = ["id", "number", "version", "job", "report", "package_bytes", "created_by", "created_at"]
        read_only_fields = fields
