from typing import Any

from rest_framework import serializers

from yuplet_server.jobs.serializers import JobSerializer
from yuplet_server.transfer.models import Archive


class ArchiveSerializer(serializers.ModelSerializer[Archive]):
    """A project as one file, on its way out or in."""

    job = JobSerializer(read_only=True, allow_null=True)

    class Meta:
        model = Archive
        fields = ["id", "project", "direction", "bytes", "job", "created_at"]
        read_only_fields = fields


class MoveSerializer(serializers.Serializer[Any]):
    project = serializers.IntegerField(min_value=1, help_text="Where it goes.")


class ArchiveUploadSerializer(serializers.Serializer[Any]):
    file = serializers.FileField(max_length=255, allow_empty_file=True)
