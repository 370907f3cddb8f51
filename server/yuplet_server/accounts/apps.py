from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "yuplet_server.accounts"

    def ready(self) -> None:
        """It is written down where somebody signs in."""
        from yuplet_server.accounts import sessions  # noqa: F401
