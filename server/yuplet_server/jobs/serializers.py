from rest_framework import serializers

from yuplet_server.jobs.models import Job


class JobSerializer(serializers.ModelSerializer[Job]):
    """How far long work is: `done` of `total` in a `stage` ('read', 'write', 'prove', 'keep')."""

    class Meta:
        model = Job
        fields = ["id", "kind", "state", "stage", "done", "total", "attempts", "error_code", "error"]
        read_only_fields = fields
