"""Every address of the API with values made from its own description: nothing that is sent ends in a fault of ours.

Values are made by schemathesis (https://schemathesis.readthedocs.io) from docs/api.json; numbers in paths are those of things that are there.
"""

import json
import random
from pathlib import Path
from typing import Any

import schemathesis
from django.conf import settings as project
from django.db import transaction
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.core import NotSet

from tests.cases import ServerTestCase, handed_over, kept
from yuplet_server.handovers.actions import save_recipe
from yuplet_server.shelf.models import Kept
from yuplet_server.transfer.models import Archive

EACH = 5
"""Requests of each address and method."""
RECIPE = {"format": "yuplet-recipe", "version": 1, "name": "For the fuzz"}


class ApiFuzzTests(ServerTestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        user = cls.users["ada"]
        made = handed_over(cls.illustration, user, 1)
        blob = cls.illustration.revision.preview
        cls.there: dict[str, Any] = {
            "project": cls.project.pk,
            "illustration": cls.illustration.pk,
            "revision": 1,
            "layer": "l1",
            "digest": blob,
            "user": cls.users["cleo"].pk,
            "job": kept(cls.project).revision.job_id,
            "hand_over": made.pk,
            "recipe": save_recipe(cls.project, user, RECIPE).pk,
            "archive": Archive.objects.create(project=cls.project, direction=Archive.Direction.OUT, sha256=blob).pk,
            "kept": Kept.objects.create(user=user, kind="list", name="x", value={"required": ["a"]}).pk,
        }

    def send(self, operation: Any, case: Any) -> None:
        path = str(operation.path)
        for name in case.path_parameters if not isinstance(case.path_parameters, NotSet) else ():
            path = path.replace(f"{{{name}}}", str(self.there.get(name, 1)))
        query = {} if isinstance(case.query, NotSet) else case.query
        body = "" if isinstance(case.body, NotSet) else case.body
        if isinstance(body, dict) and "row" in body and random.Random(str(body)).random() < 0.7:
            body = {**body, "row": self.row, "version": 1} if "version" in body else {**body, "row": self.row}
        if str(case.media_type or "").startswith("multipart"):
            sent = {"data": {key: _plain(value) for key, value in body.items()} if isinstance(body, dict) else {}}
        else:
            text = body if isinstance(body, str | bytes) else json.dumps(body, default=str)
            sent = {"data": text, "content_type": "application/json"}
        address = path + ("?" + "&".join(f"{key}={_plain(value)}" for key, value in query.items()) if query else "")
        self.ada.raise_request_exception = False
        answer = getattr(self.ada, operation.method.lower())(address, **({} if operation.method == "get" else sent))
        if answer.streaming:
            b"".join(answer.streaming_content)
        self.assertNotEqual(answer.status_code, 500, f"{operation.method} {address} {str(sent)[:300]}")

    def fuzz(self, operation: Any) -> None:
        @settings(
            max_examples=EACH,
            derandomize=True,
            deadline=None,
            database=None,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        @given(operation.as_strategy())
        def each(case: Any) -> None:
            with transaction.atomic():
                try:
                    self.send(operation, case)
                finally:
                    transaction.set_rollback(True)

        each()

    def test_no_address_ends_in_a_fault(self) -> None:
        description = json.loads((Path(project.ROOT) / "docs" / "api.json").read_text())
        self.row = self.row_id("lamp")
        operations = [found.ok() for found in schemathesis.openapi.from_dict(description).get_all_operations()]
        for operation in operations:
            # Those count wrong tries, and are tested by themselves.
            if not operation.path.startswith(("/api/session", "/api/password", "/api/two-step")):
                with self.subTest(f"{operation.method} {operation.path}"):
                    self.fuzz(operation)
        self.assertGreater(len(operations), 70)


def _plain(value: Any) -> Any:
    if isinstance(value, bytes):
        return value
    return (
        str(value)
        .replace("\0", "")
        .encode(errors="replace")
        .decode()
        .replace("&", "")
        .replace("#", "")
        .replace("?", "")
    )
