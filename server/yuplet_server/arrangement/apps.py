from typing import Any

from django.apps import AppConfig


class ArrangementConfig(AppConfig):
    name = "yuplet_server.arrangement"

    def ready(self) -> None:
        """Every picture that is brought in gets its first arrangement, in the same transaction."""
        from yuplet_server.illustrations.signals import brought_in

        def keep(sender: object, illustration_id: int, tree: Any, **_: object) -> None:
            # Not before: it loads the core with its compiled loops, which whoever only watches over work does not need.
            from yuplet_server.arrangement.actions import keep_first_arrangement

            keep_first_arrangement(illustration_id, tree)

        brought_in.connect(keep, weak=False, dispatch_uid="first arrangement")
