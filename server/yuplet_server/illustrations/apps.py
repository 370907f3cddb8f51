from django.apps import AppConfig
from django.conf import settings


class IllustrationsConfig(AppConfig):
    name = "yuplet_server.illustrations"

    def ready(self) -> None:
        from yuplet.pixels.remembered import set_budget

        set_budget(settings.PICTURE_CACHE)
