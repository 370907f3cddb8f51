"""The plan, and the package that keeps to it."""

import json
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import mock

from django.db import transaction
from django.test import override_settings

from tests.cases import ServerTestCase, brought_in, handed_over, quiet
from yuplet.errors import AnotherPackage, FolderBusy
from yuplet.writing.stores import alone_in
from yuplet_server.handovers import actions, queries
from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.models import Illustration, LayerImage
from yuplet_server.jobs.models import Job

RECIPE = {
    "format": "yuplet-recipe",
    "version": 1,
    "name": "For the marsh",
    "purpose": "A test.",
    "images": {"margin": 2},
}


class PlanTests(ServerTestCase):
    def test_the_plan_is_what_the_package_holds(self) -> None:
        plan = self.plan()
        self.assertEqual(plan["empty"], ["spare"])
        self.assertEqual({file["change"] for file in plan["files"]}, {"new"})
        made = handed_over(self.illustration, self.users["ben"], plan["version"])
        answer = self.cleo.get(f"/api/hand-overs/{made.pk}/package")
        self.assertIn("signal post hand-over 1.zip", answer.headers["Content-Disposition"])
        self.assertTrue(answer.streaming)
        files = self.package(made)
        self.assertEqual(list(files), [file["file"] for file in plan["files"]])
        manifest = json.loads(files["manifest.json"])
        places = {part["file"]: [*part["box"].values()] for part in manifest["parts"]}
        self.assertEqual(places, {part["file"]: part["box"] for part in plan["parts"]})

    def test_name_and_credit_are_those_of_the_plan_that_was_seen(self) -> None:
        address = self.address("").rstrip("/")
        credit = {"author": "Mira Quist", "title": "", "source": "", "licence": "MIT", "attribution": None, "note": ""}
        said = self.ada.patch(address, {"name": "signal", "credit": credit}, content_type="application/json")
        self.assertEqual(said.status_code, 200, said.content)
        plan = self.plan()
        self.ada.patch(
            address, {"name": "otherwise", "credit": {**credit, "author": "Somebody"}}, content_type="application/json"
        )
        made = handed_over(self.illustration, self.users["ben"], plan["version"])
        manifest = json.loads(self.package(made)["manifest.json"])
        self.assertEqual((manifest["illustration"]["title"], manifest["credit"]["author"]), ("signal", "Mira Quist"))

    def test_a_picture_of_a_plan_whose_layers_are_gone_is_refused_with_a_sentence(self) -> None:
        image = self.planned_images()[0]["file"]
        found = queries.plan_for(self.illustration)
        LayerImage.objects.filter(revision=self.illustration.revision).delete()
        with mock.patch.object(queries, "plan_for", return_value=found):
            answer = self.post(self.cleo, "plan/image", 409, {"file": image})
        self.assertIn("have changed since this was planned", answer["detail"])

    def test_equal_frames_are_planned_once_also_when_remembered(self) -> None:
        self.step(self.ada, 1, do="read-as-frames", rows=[self.row_id("signal")])
        one = queries.asked(self.illustration, {**RECIPE, "images": {"moving": "grid"}})
        first = next(part for _, part in one.arrangement.parts() if len(part.frames) > 1)
        part = replace(first, frames=(first.frames[0], first.frames[1], first.frames[0]))
        one = replace(one, arrangement=replace(one.arrangement, rows=(part,)))
        for _ in range(2):
            sheet = queries.planned(one).scales[0].sheets[0]
            self.assertEqual(len({member.frame.id for member in sheet.members}), 2, sheet)

    def test_what_is_new_changed_the_same_or_gone(self) -> None:
        handed_over(self.illustration, self.users["ben"], 1)
        glow, reeds = self.row_id("glow"), self.row_id("reeds")
        self.step(self.ada, 1, do="rename-rows", names={glow: "halo"})
        self.step(self.ada, 2, do="include-parts", included={reeds: False})
        plan = self.plan()
        changes = {file["file"]: file["change"] for file in plan["files"] if file["kind"] == "image"}
        self.assertEqual(changes.pop("parts/halo.png"), "new")
        self.assertEqual(set(changes.values()), {"same"})
        self.assertEqual((plan["gone"], plan["compared_with"]), (["parts/glow.png", "parts/marsh/reeds.png"], 1))

    def test_a_plan_is_remembered_until_something_changes(self) -> None:
        def seen(recipe: Any = RECIPE) -> Any:
            return queries.plan_for(Illustration.objects.get(pk=self.illustration.pk), recipe)[1]

        first = seen()
        self.assertIs(seen(), first)
        self.step(self.ada, 1, do="rename-rows", names={self.row_id("glow"): "halo"})
        renamed = seen()
        self.assertIn("parts/halo.png", renamed.files)
        Illustration.objects.filter(pk=self.illustration.pk).update(name="another name")
        self.assertEqual(seen().title, "another name")
        Illustration.objects.filter(pk=self.illustration.pk).update(credit={"author": "Ada"})
        self.assertEqual(seen().credit.author, "Ada")
        margins = [seen({**RECIPE, "images": {"margin": margin}}) for margin in range(6)]
        self.assertEqual([plan.main.images[self.row_id("sky")].box.left for plan in margins], [0, -1, -2, -3, -4, -5])
        self.assertIsNot(seen(), renamed)

    def test_a_plan_is_compared_with_the_last_package_by_the_same_recipe(self) -> None:
        handed_over(self.illustration, self.users["ben"], 1, RECIPE)
        other = self.plan(recipe={**RECIPE, "name": "Another"})
        self.assertEqual((other["gone"], other["compared_with"]), ([], None))
        self.assertEqual({file["change"] for file in other["files"] if file["kind"] == "image"}, {"new"})
        made = handed_over(self.illustration, self.users["ben"], 1, {**RECIPE, "name": "Another"})
        self.assertEqual(made.report["gone"], [])
        self.assertEqual(self.plan(recipe=RECIPE)["compared_with"], 1)

    def test_what_was_planned_is_written_while_a_colleague_works(self) -> None:
        seen = self.plan()
        halo = {self.row_id("glow"): "halo"}
        self.step(self.ada, 1, do="rename-rows", names=halo)
        self.post(self.ada, "undo")
        self.step(self.ada, 3, do="rename-rows", names=halo)
        made = handed_over(self.illustration, self.users["ben"], seen["version"])
        names = [file["file"] for file in made.files]
        self.assertIn("parts/glow.png", names)
        self.assertEqual(sorted(names), sorted(file["file"] for file in seen["files"]))
        self.assertTrue(made.report["proof"]["ok"])
        now = handed_over(self.illustration, self.users["ben"], self.arrangement()["version"])
        self.assertIn("parts/halo.png", [file["file"] for file in now.files])

    def test_a_plan_that_was_seen_too_long_ago_is_not_carried_out(self) -> None:
        self.step(self.ada, 1, do="rename-rows", names={self.row_id("glow"): "halo"})
        answer = self.post(self.ben, "hand-overs", status=409, body={"version": 1})
        self.assertEqual(answer["code"], "changed-meanwhile")
        self.assertEqual(HandOver.objects.count(), 0)

    def test_nothing_to_hand_over_is_said_in_the_plan(self) -> None:
        parts = {row["id"]: False for row in self.arrangement()["rows"] if row["kind"] == "part"}
        self.step(self.ada, 1, do="include-parts", included=parts)
        answer = self.cleo.post(self.address("plan"), {}, content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "nothing-to-hand-over"))

    def test_the_list_tells_the_report_and_who_asked(self) -> None:
        handed_over(self.illustration, self.users["ben"], 1)
        (listed,) = self.cleo.get(self.address("hand-overs")).json()
        self.assertEqual((listed["number"], listed["created_by"]), (1, "ben"))
        self.assertEqual((listed["report"]["proof"]["ok"], listed["report"]["proof"]["differing_pixels"]), (True, 0))
        self.assertEqual(listed["report"]["bytes"], sum(file["bytes"] for file in listed["report"]["files"]))

    def test_what_changes_after_asking_does_not_change_the_package(self) -> None:
        asked = self.post(self.ben, "hand-overs", status=201, body={"version": 1})
        self.step(self.ada, 1, do="rename-rows", names={self.row_id("glow"): "halo"})
        with tempfile.TemporaryDirectory() as folder:
            actions.carry_out(asked["id"], Path(folder), quiet)()
        report = HandOver.objects.get(pk=asked["id"]).report
        self.assertIn("parts/glow.png", [file["file"] for file in report["files"]])

    def test_a_package_that_is_not_made_yet_is_not_found(self) -> None:
        asked = self.post(self.ben, "hand-overs", status=201, body={"version": 1})
        self.assertEqual(asked["job"]["state"], Job.State.WAITING)
        self.assertEqual(self.cleo.get(f"/api/hand-overs/{asked['id']}/package").status_code, 404)

    def test_every_picture_of_the_plan_is_the_file_of_the_package(self) -> None:
        rich = {
            **RECIPE,
            "scales": [{"factor": 1}, {"factor": 2}],
            "images_for": [{"of": ["post/signal"], "images": {"stored": "sheets"}}],
            "beside": {"overview": ["png"], "combinations": [{"name": "bare", "hidden": ["lamp"]}], "page": True},
        }
        made = self.package(handed_over(self.illustration, self.users["ben"], 1, rich))
        pictures = [file for file in made if file.endswith(".png")]
        self.assertLess({"reference.png", "reference-2x.png", "overview.png", "sheets/1.png"}, set(pictures))
        for file in pictures:
            answer = self.picture(rich, file)
            self.assertEqual(answer.headers["Content-Type"], "image/png")
            self.assertEqual(answer.content, made[file], file)

    def test_a_tiff_is_shown_as_png_and_no_picture_is_told(self) -> None:
        tiff = {**RECIPE, "images": {"format": "tiff"}}
        answer = self.picture(tiff, "parts/post/signal/lamp.tif")
        self.assertEqual((answer.headers["Content-Type"], answer.content[:4]), ("image/png", b"\x89PNG"))
        for file in ("manifest.json", "parts/nobody.png", "../reference.png"):
            answer = self.picture(RECIPE, file)
            self.assertEqual((answer.status_code, answer.json()["code"]), (422, "no-such-picture"), file)

    def picture(self, recipe: dict[str, Any], file: str) -> Any:
        wanted = {"recipe": recipe, "file": file}
        return self.cleo.post(self.address("plan/image"), wanted, content_type="application/json")

    def test_a_try_that_did_not_come_to_its_end_is_not_the_recipe_from_then_on(self) -> None:
        first = self.plan()["recipe"]["name"]
        asked = self.post(
            self.ben, "hand-overs", status=201, body={"version": 1, "recipe": {**RECIPE, "name": "a try"}}
        )
        for state in (Job.State.RUNNING, Job.State.FAILED, Job.State.CANCELLED):
            Job.objects.filter(pk=HandOver.objects.get(pk=asked["id"]).job_id).update(state=state)
            self.assertEqual(self.plan()["recipe"]["name"], first)

    def test_errors_stop_it_and_warnings_do_not(self) -> None:
        beside = {**RECIPE, "beside": {"model": {}}}
        self.assertEqual({note["severity"] for note in self.plan(recipe=beside)["notes"]}, {"warning"})
        self.post(self.ben, "hand-overs", status=201, body={"version": 1, "recipe": beside})
        jpeg = {**RECIPE, "images": {"format": "jpeg"}}
        self.assertEqual({note["kind"] for note in self.plan(recipe=jpeg)["notes"]}, {"transparent"})
        self.post(self.ben, "hand-overs", status=422, body={"version": 1, "recipe": jpeg})
        lossy = self.plan(recipe={**RECIPE, "images": {"format": "webp", "lossless": False}})
        self.assertEqual(lossy["notes"], [])
        self.assertGreater(lossy["allowed"]["mean"], 0)
        self.assertEqual(self.plan(recipe=RECIPE)["allowed"], {"largest": 0, "mean": 0})
        flat = {**RECIPE, "names": {"pieces": [{"text": "part"}], "folders": "flat"}}
        self.assertEqual({note["kind"] for note in self.plan(recipe=flat)["notes"]}, {"clash"})
        answer = self.post(self.ben, "hand-overs", status=422, body={"version": 1, "recipe": flat})
        self.assertEqual(answer["code"], "names-clash")
        self.step(self.ada, 1, do="decide", decisions={"required": ["hat"]})
        (note,) = self.plan(recipe=RECIPE)["notes"]
        self.assertEqual((note["severity"], note["sentence"]), ("error", "Required part 'hat' is missing."))
        answer = self.post(self.ben, "hand-overs", status=422, body={"version": 2, "recipe": RECIPE})
        self.assertEqual(answer["code"], "stopped-by-findings")
        self.assertEqual(HandOver.objects.count(), 1)

    def test_only_some_rows(self) -> None:
        plan = self.plan(only=[self.row_id("signal"), self.row_id("sky")])
        self.assertEqual([part["path"][-1] for part in plan["parts"]], ["sky", "arm", "arm lowered", "lamp"])
        answer = self.cleo.post(self.address("plan"), {"only": ["nobody"]}, content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "no-such-row"))

    def test_only_what_changed_is_kept_anew(self) -> None:
        first = handed_over(self.illustration, self.users["ben"], 1, RECIPE)
        self.step(self.ada, 1, do="rename-rows", names={self.row_id("glow"): "halo"})
        second = handed_over(self.illustration, self.users["ben"], 2, RECIPE)
        fresh = {file["file"] for file in second.report["files"] if not file["kept"]}
        self.assertEqual(fresh, {"manifest.json", "places.csv", "parts/halo.png"})
        self.assertEqual(second.report["gone"], ["parts/glow.png"])
        before = {file["file"]: file for file in first.files}
        for file in second.files:
            self.assertEqual(before.get(file["file"]) == file, file["file"] not in fresh)
        self.assertIn("parts/glow.png", self.package(first))
        self.assertEqual([one.report["proof"]["looked_at"] for one in (first, second)], ["everything", "changes"])
        asked = {"version": 2, "recipe": RECIPE, "prove_everything": True}
        third = self.ben.post(self.address("hand-overs"), asked, content_type="application/json").json()
        with tempfile.TemporaryDirectory() as folder:
            actions.carry_out(third["id"], Path(folder), quiet)()
        proof = self.cleo.get(self.address("hand-overs")).json()[0]["report"]["proof"]
        self.assertEqual((proof["looked_at"], proof["comparisons"][0]["compared"]), ("everything", 97 * 73))


class HistoryTests(ServerTestCase):
    def test_only_the_newest_packages_of_a_recipe_are_kept(self) -> None:
        other = handed_over(self.illustration, self.users["ben"], 1, {**RECIPE, "name": "another"})
        with override_settings(KEEP_PACKAGES=2):
            made = [handed_over(self.illustration, self.users["ben"], 1, RECIPE) for _ in range(3)]
        for one in (*made, other):
            one.refresh_from_db()
        self.assertEqual([bool(one.files) for one in (*made, other)], [False, True, True, True])
        self.assertEqual(self.cleo.get(f"/api/hand-overs/{made[0].pk}/package").status_code, 404)
        self.assertTrue(made[0].report["proof"]["ok"])
        again = handed_over(self.illustration, self.users["ben"], 1, RECIPE)
        self.assertEqual([file["kept"] for file in again.report["files"]], [True] * 13)


class FolderTests(ServerTestCase):
    """Packages in folders of the server's machine, below a root that is opened."""

    def setUp(self) -> None:
        super().setUp()
        self.root = Path(self.enterContext(tempfile.TemporaryDirectory())).resolve()
        self.enterContext(override_settings(ROOTS=[("ben", self.root), ("project 999999", Path("/"))]))
        self.target = self.root / "game" / "post"

    def hand_over(self, version: int, **said: Any) -> HandOver:
        asked = actions.ask(self.illustration, self.users["ben"], version, RECIPE, None, str(self.target), **said)
        with tempfile.TemporaryDirectory() as folder, transaction.atomic():
            actions.carry_out(asked.pk, Path(folder), quiet)()
        Job.objects.filter(pk=asked.job_id).update(state=Job.State.DONE)
        asked.refresh_from_db()
        return asked

    def there(self) -> dict[str, int]:
        files = (path for path in self.target.rglob("*") if path.is_file())
        return {path.relative_to(self.target).as_posix(): path.stat().st_mtime_ns for path in files}

    def test_only_what_changed_is_written_there_and_nothing_is_removed_without_a_yes(self) -> None:
        made = self.hand_over(1)
        before = self.there()
        self.assertEqual(set(before), {file["file"] for file in made.files})
        self.step(self.ada, 1, do="rename-rows", names={self.row_id("glow"): "halo"})
        plan = self.post(self.ben, "plan", body={"recipe": RECIPE, "folder": str(self.target)})
        self.assertEqual(plan["gone"], ["parts/glow.png"])
        marks = {file["file"]: file["change"] for file in plan["files"] if file["kind"] == "image"}
        self.assertEqual({file for file, mark in marks.items() if mark != "same"}, {"parts/halo.png"})
        self.hand_over(2)
        after = self.there()
        fresh = {file for file in after if after[file] != before.get(file)}
        self.assertEqual(fresh, {"parts/halo.png", "manifest.json", "places.csv"})
        self.assertIn("parts/glow.png", after)
        third = self.hand_over(2, remove_obsolete=True)
        self.assertNotIn("parts/glow.png", self.there())
        self.assertEqual(set(self.package(third)), set(self.there()))

    def test_two_hand_overs_into_one_folder_do_not_meet(self) -> None:
        self.hand_over(1)
        before = self.there()
        self.step(self.ada, 1, do="rename-rows", names={self.row_id("glow"): "halo"})
        with alone_in(self.target), self.assertRaises(FolderBusy):
            self.hand_over(2)
        self.assertEqual(self.there(), before)
        self.hand_over(2)
        self.assertIn("parts/halo.png", self.there())

    def test_a_package_of_another_illustration_is_left_alone(self) -> None:
        self.hand_over(1)
        other = brought_in(self.project, "another post.ora")
        with self.assertRaises(AnotherPackage):
            actions.ask(other, self.users["ben"], 1, RECIPE, None, str(self.target))

    def test_a_folder_elsewhere_or_with_something_else_in_it_is_refused(self) -> None:
        outside = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (self.root / "way out").symlink_to(outside)
        for folder in (
            str(outside),
            f"{self.root}/../x",
            f"{self.root}/way out/x",
            "game",
            str(self.root),
            f"{self.root}/{'n' * 300}",
            f"{self.root}/a\x07b",
        ):
            answer = self.post(self.ben, "plan", 422, {"folder": folder})
            self.assertEqual(answer["code"], "folder-not-allowed", folder)
        self.target.mkdir(parents=True)
        (self.target / "thesis.txt").write_text("not ours")
        answer = self.post(self.ben, "hand-overs", 422, {"version": 1, "folder": str(self.target)})
        self.assertEqual(answer["code"], "folder-not-ours")
        self.assertEqual((self.target / "thesis.txt").read_text(), "not ours")

    def test_whoever_may_only_look_may_not_look_into_folders(self) -> None:
        self.assertEqual(self.post(self.cleo, "plan", 403, {"folder": str(self.target)})["code"], "refused")
        with override_settings(ROOTS=[]):
            answer = self.post(self.ben, "plan", 422, {"folder": str(self.target)})
            self.assertIn("YUPLET_ROOTS", answer["detail"])
            self.assertEqual(self.ben.get("/api/roots").json(), {"roots": []})


class RecipeTests(ServerTestCase):
    def recipes(self) -> str:
        return f"/api/projects/{self.project.pk}/recipes"

    def save(self, document: Any) -> Any:
        return self.ben.post(self.recipes(), {"document": document}, content_type="application/json")

    def test_saved_changed_and_removed(self) -> None:
        made = self.save(RECIPE)
        self.assertEqual(made.status_code, 201)
        listed = self.cleo.get(self.recipes()).json()
        self.assertEqual([one["document"]["name"] for one in listed if one["id"]], ["For the marsh"])
        self.assertGreaterEqual(len([one for one in listed if one["file"]]), 5)
        address = f"/api/recipes/{made.json()['id']}"
        changed = {**RECIPE, "images": {"margin": 5}}
        put = self.ben.put(address, {"document": changed}, content_type="application/json")
        self.assertEqual(put.json()["document"]["images"]["margin"], 5)
        self.assertEqual(self.ben.delete(address).status_code, 204)
        self.assertEqual(len(self.cleo.get(self.recipes()).json()), len(listed) - 1)

    def test_what_is_wrong_is_told_with_its_place(self) -> None:
        answer = self.save({**RECIPE, "images": {"margin": -2}})
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "recipe-not-understood"))
        self.assertIn("'images.margin'", answer.json()["detail"])
        self.save(RECIPE)
        self.assertIn("has a recipe called 'For the marsh' already", self.save(RECIPE).json()["detail"])

    def test_the_last_one_is_meant_where_none_is_named(self) -> None:
        self.assertEqual(self.plan()["recipe"]["name"], "Cut-out rig, trimmed")
        handed_over(self.illustration, self.users["ben"], 1, RECIPE)
        self.assertEqual(self.plan()["recipe"]["name"], "For the marsh")
        self.assertEqual({file["change"] for file in self.plan()["files"] if file["kind"] == "image"}, {"same"})
