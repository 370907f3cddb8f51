from pathlib import Path

from django.apps import AppConfig
from django.conf import settings


class IllustrationsConfig(AppConfig):
    name = "yuplet_server.illustrations"

    def ready(self) -> None:
        """What is kept of pictures has a budget; pictures are read by jobs."""
        from yuplet.pixels.picture_cache import set_budget
        from yuplet_server.jobs.actions import Landing, Progress, register
        from yuplet_server.jobs.models import Job

        def bring_in(revision: int, folder: Path, progress: Progress) -> Landing:
            # Not before: it loads the core with its compiled loops, which whoever only watches over work does not need.
            from yuplet_server.illustrations import actions

            return actions.bring_in(revision, folder, progress)

        set_budget(settings.PICTURE_CACHE)
        register(Job.Kind.BRING_IN, bring_in)
