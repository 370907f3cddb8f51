"""The front server lets files through where the application takes them, and nowhere else."""

import importlib
import re
import sys
from typing import Any
from unittest import mock

from django.conf import settings
from django.test import SimpleTestCase
from django.urls import URLPattern, URLResolver, get_resolver
from rest_framework.parsers import MultiPartParser


def addresses(patterns: list[Any], before: str = "") -> list[tuple[str, Any]]:
    """Each address with numbers filled in, and its view."""
    found = []
    for one in patterns:
        path = before + re.sub(r"<int:\w+>", "7", str(one.pattern))
        if isinstance(one, URLResolver):
            found += addresses(one.url_patterns, path)
        elif isinstance(one, URLPattern):
            found.append((path, getattr(one.callback, "view_class", None)))
    return found


class FrontTests(SimpleTestCase):
    def test_every_address_that_takes_files_is_one_of_the_front_servers(self) -> None:
        with mock.patch.object(sys, "path", [str(settings.ROOT / "ops"), *sys.path]):
            front = importlib.import_module("front")
        takes = {
            "/" + path
            for path, view in addresses(get_resolver().url_patterns)
            if MultiPartParser in getattr(view, "parser_classes", ()) and hasattr(view, "post")
        }
        self.assertGreater(len(takes), 5)
        # Whole projects may be larger, and have a location of their own.
        takes.remove("/api/projects/move-in")
        for path in takes:
            self.assertRegex(path, front.UPLOADS)
        for path in ("/api/illustrations/7/steps", "/api/rehearsals/7", "/api/illustrations/7/rehearsals"):
            self.assertNotRegex(path, front.UPLOADS)
