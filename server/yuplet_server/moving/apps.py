from pathlib import Path

from django.apps import AppConfig


class MovingConfig(AppConfig):
    name = "yuplet_server.moving"

    def ready(self) -> None:
        """Projects are packed and unpacked by jobs."""
        from yuplet_server.jobs.actions import Landing, Progress, register
        from yuplet_server.jobs.models import Job

        def pack(archive: int, folder: Path, progress: Progress) -> Landing:
            # Not before, as with pictures that are read.
            from yuplet_server.moving import actions

            return actions.pack(archive, folder, progress)

        def unpack(archive: int, folder: Path, progress: Progress) -> Landing:
            from yuplet_server.moving import actions

            return actions.unpack(archive, folder, progress)

        register(Job.Kind.PACK, pack)
        register(Job.Kind.UNPACK, unpack)
