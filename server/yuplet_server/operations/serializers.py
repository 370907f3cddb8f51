from typing import Any

from rest_framework import serializers

from yuplet_server.jobs.serializers import JobSerializer


class QueuedSerializer(serializers.Serializer[Any]):
    """Long work that runs or waits: of which project and illustration (null: of the whole project), who asked for it and when."""

    job = JobSerializer()
    project = serializers.CharField()
    illustration = serializers.CharField(allow_null=True)
    asked_by = serializers.CharField(allow_null=True)
    created_at = serializers.DateTimeField()
    can_cancel = serializers.BooleanField()
