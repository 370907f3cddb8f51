"""What was kept by earlier versions can still be listed, downloaded and gone on from."""

import io
import zipfile
from typing import Any

from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import Client, TransactionTestCase

from tests.cases import brought_in, make_project, zip_of
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.files.store import blobs
from yuplet_server.handovers.models import HandOver

BEFORE_RECIPES = [("handovers", "0002_revision")]
REPORT = {
    "parts": 1, "files": [{"file": "manifest.json", "bytes": 2}, {"file": "parts/sky.png", "bytes": 3}], "bytes": 5, "seconds": 0.5,
    "empty": [], "left_out": [],
    "proof": {
        "ok": True, "expected": 2, "found": 2, "pixels": 7081, "missing": [], "extra": [], "unreadable": [], "wrong_case": [],
        "empty": [], "obsolete": [], "faults": [], "differing_pixels": 0, "max_difference": 0, "worst": None,
    },
}  # fmt: skip
PLAN = {"version": 1, "canvas": [97, 73], "files": [{"file": "parts/sky.png", "key": "ab" * 32, "change": "new"}]}


class OlderDataTests(TransactionTestCase):
    def migrate(self, to: list[tuple[str, str]]) -> Any:
        executor = MigrationExecutor(connection)
        executor.migrate(to)
        return executor.loader.project_state(to).apps

    def migrate_forward(self) -> None:
        """To the tables of today, which other tests need."""
        known = MigrationExecutor(connection).loader.disk_migrations
        self.migrate([("handovers", max(name for app, name in known if app == "handovers"))])

    def test_a_hand_over_from_before_there_were_recipes(self) -> None:
        project, users = make_project()
        illustration = brought_in(project)
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            archive.writestr("manifest.json", "{}")
            archive.writestr("parts/sky.png", "sky")
        package = blobs().keep(io.BytesIO(packed.getvalue()))
        try:
            older = self.migrate(BEFORE_RECIPES).get_model("handovers", "HandOver")
            older.objects.create(
                illustration_id=illustration.pk, revision_id=illustration.current_id, number=1, version=1, arrangement=[],
                plan=PLAN, report=REPORT, package=package, package_bytes=len(packed.getvalue()), created_by_id=users["ben"].pk,
            )  # fmt: skip
        finally:
            self.migrate_forward()
        made = HandOver.objects.get()
        with zipfile.ZipFile(io.BytesIO(zip_of(made))) as archive:
            self.assertEqual({name: archive.read(name) for name in archive.namelist()},
                             {"manifest.json": b"{}", "parts/sky.png": b"sky"})  # fmt: skip
        client = Client()
        client.force_login(users["ben"])
        (listed,) = client.get(f"/api/illustrations/{illustration.pk}/hand-overs").json()
        self.assertEqual((listed["recipe"], listed["report"]["warnings"]), ("Trimmed parts", []))
        (compared,) = listed["report"]["proof"]["comparisons"]
        self.assertEqual((compared["way"], compared["ok"], compared["pixels"]), ("places", True, 7081))
        # The next one is planned beside it.
        recipe = {"format": "yuplet-recipe", "version": 1, "name": "Trimmed parts"}
        address = f"/api/illustrations/{illustration.pk}/plan"
        plan = client.post(address, {"recipe": recipe}, content_type="application/json").json()
        self.assertEqual(plan["compared_with"], 1)
        self.assertEqual({file["file"]: file["change"] for file in plan["files"]}["parts/sky.png"], "changed")
        self.assertEqual(Arrangement.objects.count(), 1)

    def test_a_recipe_whose_folder_was_taken_before_and_is_not_usable(self) -> None:
        project, users = make_project()
        document = {
            "format": "yuplet-recipe",
            "version": 1,
            "name": "Elsewhere",
            "names": {"folder": "../../elsewhere", "space": "_"},
        }
        try:
            older = self.migrate([("handovers", "0007_planned")]).get_model("handovers", "Recipe")
            older.objects.create(
                project_id=project.pk, name="Elsewhere", document=document, created_by_id=users["ada"].pk
            )
        finally:
            self.migrate_forward()
        client = Client()
        client.force_login(users["ada"])
        listed = client.get(f"/api/projects/{project.pk}/recipes").json()
        names = next(one["document"]["names"] for one in listed if one["document"]["name"] == "Elsewhere")
        self.assertEqual((names["folder"], names["space"]), ("parts", "_"))
