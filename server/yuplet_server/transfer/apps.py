from pathlib import Path

from django.apps import AppConfig


class TransferConfig(AppConfig):
    name = "yuplet_server.transfer"
    label = "moving"  # as its tables are called

    def ready(self) -> None:
        """Projects are packed and unpacked by jobs."""
        from yuplet_server.jobs.actions import Landing, Progress, register
        from yuplet_server.jobs.models import Job

        def pack(archive: int, folder: Path, progress: Progress) -> Landing:
            # Not before, as with pictures that are read.
            from yuplet_server.transfer import actions

            return actions.pack(archive, folder, progress)

        def unpack(archive: int, folder: Path, progress: Progress) -> Landing:
            from yuplet_server.transfer import actions

            return actions.unpack(archive, folder, progress)

        register(Job.Kind.PACK, pack)
        register(Job.Kind.UNPACK, unpack)
