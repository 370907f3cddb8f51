from typing import Any

from rest_framework import serializers

from yuplet_server.jobs import actions
from yuplet_server.jobs.models import Job


class JobSerializer(serializers.ModelSerializer[Job]):
    """How far long work is: `done` of `total` in a `stage` ('read', 'write', 'prove', 'keep'); `held_up` says why what waits is not begun."""

    held_up = serializers.SerializerMethodField()

    class Meta:
        model = Job
        fields = ["id", "kind", "state", "stage", "done", "total", "attempts", "error_code", "error", "held_up"]
        read_only_fields = fields

    def get_held_up(self, job: Job) -> str:
        if job.state != Job.State.WAITING:
            return ""
        # Once for all that are told in one answer.
        told: dict[str, Any] = self.context  # type: ignore[assignment]
        lane = Job.Lane(job.lane)
        if lane not in told:
            told[lane] = actions.held_up(lane)
        return str(told[lane])
