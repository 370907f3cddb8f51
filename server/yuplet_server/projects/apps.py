from typing import Any

from django.apps import AppConfig


class ProjectsConfig(AppConfig):
    name = "yuplet_server.projects"

    def ready(self) -> None:
        """No account goes, by whatever way, that is the only owner of a project."""
        from django.db.models.signals import pre_delete

        from yuplet_server.accounts.models import User
        from yuplet_server.projects.actions import refuse_to_leave_without_owner

        def refuse(sender: object, instance: User, **_: Any) -> None:
            refuse_to_leave_without_owner(instance)

        pre_delete.connect(refuse, sender=User, weak=False, dispatch_uid="an owner stays")
