from typing import Any

from rest_framework import serializers

from yuplet_server.illustrations.models import Illustration
from yuplet_server.jobs.serializers import JobSerializer


class NoteSerializer(serializers.Serializer[Any]):
    kind = serializers.CharField()
    path = serializers.ListField(child=serializers.CharField())
    sentence = serializers.CharField()


class MergedSerializer(serializers.Serializer[Any]):
    """The composite against the file's own merged picture."""

    pixels = serializers.IntegerField()
    differing = serializers.IntegerField()
    largest = serializers.IntegerField()
    sentence = serializers.CharField()


class ReportSerializer(serializers.Serializer[Any]):
    """What was read of a file, and what was not understood."""

    counts = serializers.DictField(child=serializers.IntegerField())
    notes = NoteSerializer(many=True)
    ppi = serializers.FloatField(allow_null=True)
    bit_depth = serializers.IntegerField()
    colour_space = serializers.CharField()
    merged = MergedSerializer(allow_null=True)


class IllustrationSerializer(serializers.ModelSerializer[Illustration]):
    """An illustration in a list."""

    job = JobSerializer(read_only=True, allow_null=True)

    class Meta:
        model = Illustration
        fields = [
            "id", "project", "name", "file_name", "sha256", "bytes", "state", "job", "width", "height", "preview",
            "created_at",
        ]  # fmt: skip
        read_only_fields = fields


class WholeIllustrationSerializer(IllustrationSerializer):
    """An illustration with its report and what whoever asks may do with it."""

    report = ReportSerializer(allow_null=True)
    role = serializers.CharField()
    project_name = serializers.CharField(source="project.name")

    class Meta(IllustrationSerializer.Meta):
        fields = [*IllustrationSerializer.Meta.fields, "report", "role", "project_name"]


class UploadSerializer(serializers.Serializer[Any]):
    file = serializers.FileField(max_length=255, allow_empty_file=True)
    longest = serializers.IntegerField(
        required=False,
        min_value=1,
        max_value=30_000,
        help_text="The longer side in pixels at which vector art is drawn.",
    )
