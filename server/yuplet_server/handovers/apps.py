from pathlib import Path
from typing import Any

from django.apps import AppConfig


class HandoversConfig(AppConfig):
    name = "yuplet_server.handovers"

    def ready(self) -> None:
        """Hand-overs are done by jobs, and those of an illustration that is removed end at once."""
        from yuplet_server.handovers.models import HandOver
        from yuplet_server.jobs.actions import Landing, Progress, cancel_all, register
        from yuplet_server.jobs.models import Job
        from yuplet_server.projects.actions import removed

        def end(sender: object, project_id: int, illustration_id: int | None, **_: Any) -> None:
            if illustration_id is not None:
                made = HandOver.objects.filter(illustration=illustration_id)
                cancel_all(Job.objects.filter(pk__in=made.values("job")))

        def carry_out(hand_over: int, folder: Path, progress: Progress) -> Landing:
            # Not before, as with pictures that are read.
            from yuplet_server.handovers import actions

            return actions.carry_out(hand_over, folder, progress)

        def gather(together_id: int, folder: Path, progress: Progress) -> Landing:
            from yuplet_server.handovers import together

            return together.gather(together_id, folder, progress)

        register(Job.Kind.HAND_OVER, carry_out)
        register(Job.Kind.GATHER, gather)
        removed.connect(end, weak=False, dispatch_uid="hand-overs of an illustration")
