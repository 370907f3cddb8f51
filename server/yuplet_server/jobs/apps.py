from typing import Any

from django.apps import AppConfig


class JobsConfig(AppConfig):
    name = "yuplet_server.jobs"

    def ready(self) -> None:
        """Work on a project that is removed ends at once."""
        from yuplet_server.jobs.actions import cancel_all
        from yuplet_server.jobs.models import Job
        from yuplet_server.projects.actions import removed

        def end(sender: object, project_id: int, illustration_id: int | None, **_: Any) -> None:
            if illustration_id is None:
                cancel_all(Job.objects.filter(project=project_id))

        removed.connect(end, weak=False, dispatch_uid="jobs of a project")
