from pathlib import Path
from typing import Any

from django.apps import AppConfig


class RehearsalsConfig(AppConfig):
    name = "yuplet_server.rehearsals"

    def ready(self) -> None:
        """Packages are opened and films written by jobs, and those of an illustration that is removed end at once."""
        from yuplet_server.jobs.actions import Landing, Progress, cancel_all, register
        from yuplet_server.jobs.models import Job
        from yuplet_server.projects.actions import removed
        from yuplet_server.rehearsals.models import Film, Rehearsal

        def end(sender: object, project_id: int, illustration_id: int | None, **_: Any) -> None:
            if illustration_id is not None:
                opened = Rehearsal.objects.filter(illustration=illustration_id)
                cancel_all(Job.objects.filter(pk__in=opened.values("job")))
                cancel_all(Job.objects.filter(pk__in=Film.objects.filter(rehearsal__in=opened).values("job")))

        def carry_out(rehearsal: int, folder: Path, progress: Progress) -> Landing:
            # Not before, as with pictures that are read.
            from yuplet_server.rehearsals import actions

            return actions.carry_out(rehearsal, folder, progress)

        def film(number: int, folder: Path, progress: Progress) -> Landing:
            from yuplet_server.rehearsals import filming

            return filming.carry_out(number, folder, progress)

        register(Job.Kind.TRY_OUT, carry_out)
        register(Job.Kind.FILM, film)
        removed.connect(end, weak=False, dispatch_uid="rehearsals of an illustration")
