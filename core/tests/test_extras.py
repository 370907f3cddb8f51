"""What is written beside the images: each put together again from itself alone, and a planted fault in each is found."""

import csv
import io
import json
import math
import re
import struct
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from pyora import Project

import signal_post
from tests.packages import FolderTestCase, PackageTestCase, quiet
from tests.test_recipes import recipe
from yuplet import pipeline
from yuplet.arrangement.commands import MakeAlternates, SetDepths, SetJoints, ShowRows, apply
from yuplet.arrangement.tree import Arrangement, arrangement_of
from yuplet.derivation.turning import turn_picture
from yuplet.geometry import Box, Point, Size
from yuplet.handover import HandOverReport, hand_over, hand_over_file
from yuplet.illustration.derived import DerivedLayer, Turn, Turned
from yuplet.illustration.layers import Illustration, Layer
from yuplet.parts.part import Part, still
from yuplet.pixels.spill_file import SpillFile
from yuplet.rehearsal.drawing import scene_of_drawing
from yuplet.rehearsal.proof import prove
from yuplet.writing.pictures import Sources

ALL = {"layers": True, "model": {"pixels_per_unit": 50}, "page": True}


class ExtrasTests(PackageTestCase):
    """The signal post, whose groups and parts have modes and opacities, and plainer forms of it."""

    def setUp(self) -> None:
        super().setUp()
        self.start = apply(
            arrangement_of(self.illustration)[0],
            SetJoints({"lamp": "mast", "arm": "mast"}, {"mast": Point(47, 70), "arm": Point(45, 20)}),
        )

    def by(self, arrangement: Arrangement | None = None, **said: Any) -> HandOverReport:
        return self.hand_over(arrangement or self.start, recipe=recipe(**said), remove_obsolete=True)

    def plain(self) -> Arrangement:
        """Without anything that mixes otherwise than by being laid over."""
        return self.start.changed(
            lambda row: replace(row, blend="normal", opacity=row.opacity if isinstance(row, Part) else 1.0)
        )

    def ways(self, report: HandOverReport) -> dict[str, int]:
        return {one.way: one.differing_pixels for one in report.proof.comparisons}

    def test_everything_comes_back_from_each_file_alone(self) -> None:
        report = self.by(self.plain(), beside=ALL)
        self.assertEqual(self.ways(report), {"places": 0, "layers": 0, "model": 0, "page": 0})
        self.assertTrue(report.proof.ok, report.proof)

    def test_modes_and_opacities_of_groups_are_in_the_layered_file_and_on_the_page(self) -> None:
        report = self.by(beside={"layers": True, "page": True})
        self.assertEqual(self.ways(report), {"places": 0, "layers": 0, "page": 0})
        self.assertTrue(report.proof.ok)

    def mixed(self, name: str, mode: str) -> Arrangement:
        return self.start.changed(lambda row: replace(row, blend=mode) if row.name == name else row)

    def test_modes_that_css_does_not_have_are_told_and_not_proved_right(self) -> None:
        """A browser lays what has such a mode as if it had none; so does the proof."""
        for mode in ("source-atop", "destination-in", "destination-out", "destination-atop"):
            with self.subTest(mode):
                report = self.by(self.mixed("mast", mode), beside={"page": True, "scene": True, "layers": True})
                (said,) = [one for one in report.warnings if "CSS" in one]
                self.assertIn(
                    f"The page and the SVG of the picture cannot show 'post / mast' as drawn: CSS has no mode '{mode}'",
                    said,
                )
                found = {one.way: one.ok for one in report.proof.comparisons}
                # Over the opaque sky this one is the same as none.
                right = mode == "source-atop"
                self.assertEqual(found, {"places": True, "layers": True, "page": right, "scene": right})
                for file in ("style.css", "scene.svg"):
                    self.assertNotIn(mode, (self.package / file).read_text())

    def test_a_mode_of_somebody_else_in_a_page_counts_for_nothing(self) -> None:
        """As in a browser: the declaration is dropped."""
        self.by(self.mixed("arm lowered", "multiply"), beside={"page": True})
        self.assertTrue(self.prove().ok)
        style = self.package / "style.css"
        style.write_text(style.read_text().replace("mix-blend-mode: multiply", "mix-blend-mode: source-atop"))
        self.assertEqual([one.way for one in self.prove().comparisons if not one.ok], ["page"])

    def test_what_is_added_up_is_right_in_every_output(self) -> None:
        """Within groups as well, beside what the drawing library knows by itself."""
        for name in ("glow", "mast", "marsh"):
            with self.subTest(name):
                report = self.by(self.mixed(name, "lighter"), beside={"page": True, "scene": True, "layers": True})
                self.assertTrue(report.proof.ok, report.proof)
                self.assertEqual([one for one in report.warnings if "CSS" in one], [])
                scene = self.package / "scene.svg"
                self.assertIn("mix-blend-mode:plus-lighter", scene.read_text())
                scene.write_text(scene.read_text().replace("plus-lighter", "plus-darker"))
                self.assertEqual([one.way for one in self.prove().comparisons if not one.ok], ["scene"])

    def test_what_is_added_up_within_a_group_keeps_what_the_group_defines(self) -> None:
        path = self.folder / "added.svg"
        path.write_text(
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 20"><g><defs><linearGradient id="a">'
            '<stop stop-color="#f00"/></linearGradient></defs><rect width="20" height="20" fill="url(#a)"/>'
            '<rect width="20" height="20" fill="#0f0" style="mix-blend-mode: plus-lighter"/></g></svg>'
        )
        scene = scene_of_drawing(path, self.folder, (0, 0), (20, 20), 1.0)
        found = [(one.image.rows(0, 1)[0, 0].tolist(), one.blend) for one in scene.placed.values()]
        self.assertEqual(found, [([255, 0, 0, 255], "normal"), ([0, 255, 0, 255], "lighter")])

    def test_a_scene_at_another_scale_may_differ_as_scaled_parts_do(self) -> None:
        """No false alarm: each part is made larger by itself."""
        for mode in ("normal", "lighter"):
            report = self.by(self.mixed("mast", mode), beside={"scene": True}, scales=[{"factor": 2}])
            self.assertTrue(report.proof.ok, report.proof)

    def test_what_the_model_has_no_place_for_is_told_before(self) -> None:
        report = self.by(beside={"model": {}})
        said = " ".join(report.warnings)
        self.assertIn("no blend modes: 'glow', 'marsh', 'marsh / shade' and 1 more", said)
        model = report.proof.comparisons[-1]
        self.assertEqual((model.way, model.ok, model.differing_pixels > 0), ("model", True, True))

    def test_also_where_images_are_padded_on_sheets_or_lossy(self) -> None:
        for said in (
            {"images": {"margin": 3, "sides": "even"}},
            {"images": {"stored": "sheets"}},
            {"images": {"format": "tiff", "extent": "canvas"}},
            {"scales": [{"factor": 2}], "smooth": False},
        ):
            with self.subTest(said=said):
                report = self.by(self.plain(), beside=ALL, **said)
                self.assertTrue(report.proof.ok, report.proof)
                self.assertEqual(set(self.ways(report).values()), {0})

    def test_planted_faults(self) -> None:
        self.by(self.plain(), beside=ALL)
        for file, fault, way in (
            ("layers.ora", self.move_a_layer, "layers"),
            ("model.glb", self.move_a_quad, "model"),
            ("style.css", self.move_an_element, "page"),
        ):
            path = self.package / file
            good = path.read_bytes()
            fault(path)
            found = self.prove()
            with self.subTest(file):
                self.assertEqual([one.way for one in found.comparisons if not one.ok], [way])
            path.write_bytes(b"nothing")
            with self.subTest(f"{file} damaged"):
                self.assertTrue(
                    any(f"'{'index.html' if way == 'page' else file}' cannot be" in one for one in self.prove().faults)
                )
            path.write_bytes(good)
        self.assertTrue(self.prove().ok)

    def move_a_layer(self, path: Path) -> None:
        with zipfile.ZipFile(path) as archive:
            entries = {entry.filename: archive.read(entry) for entry in archive.infolist()}
        stack = entries["stack.xml"].decode()
        entries["stack.xml"] = re.sub(
            r'(name="mast"[^>]* x=")(\d+)', lambda m: f"{m[1]}{int(m[2]) + 1}", stack
        ).encode()
        with zipfile.ZipFile(path, "w") as archive:
            for name, data in entries.items():
                archive.writestr(name, data)

    def move_a_quad(self, path: Path) -> None:
        value, rest = opened(path)
        node = next(node for node in value["nodes"] if node["name"] == "mast")
        node["translation"][0] += 1 / 50
        text = json.dumps(value).encode()
        text += b" " * (-len(text) % 4)
        head = struct.pack("<4sII", b"glTF", 2, 20 + len(text) + len(rest))
        path.write_bytes(head + struct.pack("<I4s", len(text), b"JSON") + text + rest)

    def move_an_element(self, path: Path) -> None:
        first = re.search(
            r"left: ([\d.]+)%", path.read_text().replace("left: 0%", "left:0%").replace("left: 50%", "left:50%")
        )
        assert first is not None
        moved = f"left: {float(first[1]) + 100 / 97:.12g}%"
        path.write_text(path.read_text().replace(first[0], moved, 1))

    def test_pyora_reads_the_layered_file(self) -> None:
        self.by(beside={"layers": True})
        project = Project.load(str(self.package / "layers.ora"))
        self.assertEqual(project.dimensions, (97, 73))
        names = [layer.name for layer in project.children_recursive]
        self.assertEqual(names[:3], ["mist", "glow", "lamp"])
        lamp = next(layer for layer in project.children_recursive if layer.name == "lamp")
        box = self.part(self.manifest(), "lamp")["box"]
        self.assertEqual(lamp.offsets, (box["x"], box["y"]))
        merged = np.array(Image.open(self.package / "reference.png").convert("RGBA"))
        with zipfile.ZipFile(self.package / "layers.ora") as archive, archive.open("mergedimage.png") as file:
            np.testing.assert_array_equal(np.array(Image.open(file).convert("RGBA")), merged)

    def test_the_model_is_a_tree_of_parents_at_their_pivots(self) -> None:
        said = {"pixels_per_unit": 50, "step": 0.01, "camera": "orthographic"}
        report = self.by(apply(self.plain(), SetDepths({"sky": 900.0})), beside={"model": said})
        self.assertEqual(self.ways(report)["model"], 0)
        value, _ = opened(self.package / "model.glb")
        nodes = {node["name"]: node for node in value["nodes"]}
        mast, arm = nodes["mast"], nodes["arm"]
        np.testing.assert_allclose(mast["translation"][:2], [47 / 50, 3 / 50])
        np.testing.assert_allclose(arm["translation"][:2], [-2 / 50, 50 / 50])
        self.assertIn("arm", [value["nodes"][child]["name"] for child in mast["children"]])
        self.assertAlmostEqual(nodes["sky"]["translation"][2], -900 / 50 + 0.01)
        self.assertEqual(nodes["arm lowered picture"]["scale"], [0, 0, 0])
        self.assertEqual({material["alphaMode"] for material in value["materials"]}, {"BLEND"})

    def test_from_the_camera_parts_at_depths_look_as_drawn(self) -> None:
        """As much larger as the manifest's `depth.scale` says, before a camera at its distance; the proof looks through the camera of the file."""
        deep = apply(self.plain(), SetDepths({"sky": 900.0, "mist": -200.0}))
        report = self.by(deep, beside={"model": {"pixels_per_unit": 50}})
        self.assertEqual((self.ways(report)["model"], report.proof.ok), (0, True))
        value, data = opened(self.package / "model.glb")
        manifest = self.manifest()
        nodes = {node["name"]: node for node in value["nodes"]}
        distance = manifest["camera"]["distance"] / 50
        np.testing.assert_allclose(nodes["camera"]["translation"], [97 / 100, 73 / 100, distance])
        seen = value["cameras"][nodes["camera"]["camera"]]["perspective"]
        self.assertAlmostEqual(math.tan(seen["yfov"] / 2) * distance, 73 / 100)
        for name in ("sky", "mast", "mist"):
            mesh = value["meshes"][nodes[f"{name} picture"]["mesh"]]
            bounds = value["accessors"][mesh["primitives"][0]["attributes"]["POSITION"]]
            part = self.part(manifest, name)
            wide = (bounds["max"][0] - bounds["min"][0]) * 50 / part["box"]["width"]
            self.assertAlmostEqual(wide, part["depth"]["scale"], delta=0.001, msg=name)
        self.assertFalse(nodes["sky"]["extras"]["has_pivot"])
        self.assertTrue(nodes["mast"]["extras"]["has_pivot"])
        with self.subTest("a camera that stands elsewhere is found"):
            path = self.package / "model.glb"
            text = json.dumps({**value, "nodes": [
                {**node, "translation": [97 / 100 + 0.5, 73 / 100, distance]} if "camera" in node else node for node in value["nodes"]
            ]}).encode()  # fmt: skip
            text += b" " * (-len(text) % 4)
            head = struct.pack("<4sII", b"glTF", 2, 20 + len(text) + len(data))
            path.write_bytes(head + struct.pack("<I4s", len(text), b"JSON") + text + data)
            self.assertFalse(self.prove().ok)

    def test_names_in_the_model_are_there_once(self) -> None:
        twice = self.plain().changed(lambda row: replace(row, name="mast") if row.name == "mist" else row)
        self.by(twice, beside={"model": {}})
        value, _ = opened(self.package / "model.glb")
        names = [node["name"] for node in value["nodes"]]
        self.assertEqual(len(set(names)), len(names), names)

    def test_places_are_told_as_they_are_wanted(self) -> None:
        ways = [
            {"format": "json", "origin": "centre", "up": True},
            {"format": "csv", "origin": "top-left", "up": False, "unit": "fractions"},
        ]
        self.by(beside={"places": ways})
        box = self.part(self.manifest(), "arm")["box"]
        value = json.loads((self.package / "places-centre-up.json").read_text())
        arm = next(part for part in value["parts"] if part["name"] == "post/signal/arm")
        self.assertEqual((arm["x"], arm["y"]), (box["x"] + box["width"] / 2, 73 - box["y"] - box["height"] / 2))
        self.assertEqual(arm["pivot"], [45, 53])
        with (self.package / "places-top-left-down-fractions.csv").open(newline="") as file:
            line = next(one for one in csv.DictReader(file) if one["name"] == "post/signal/arm")
        self.assertAlmostEqual(float(line["x"]), box["x"] / 97)
        self.assertAlmostEqual(float(line["height"]), box["height"] / 73)
        self.assertEqual(line["shown"], "yes")

    def test_the_picture_is_put_together_from_each_table_alone(self) -> None:
        ways = [
            {"format": form, "origin": origin, "up": up, "unit": unit, "zero": zero}
            for form in ("csv", "json")
            for origin in ("top-left", "centre")
            for up in (False, True)
            for unit in ("pixels", "fractions")
            for zero in ("corner", "centre")
        ]
        flat = self.plain().changed(lambda row: replace(row, opacity=1.0, blend="normal"))
        for some in (ways[:16], ways[16:]):
            self.by(flat, beside={"places": some})
            for way in some:
                with self.subTest(**way):
                    np.testing.assert_array_equal(self.laid(way), self.pixels("reference.png"))

    def laid(self, way: dict[str, Any]) -> np.ndarray[Any, Any]:
        """What somebody draws who has docs/formats/places.md, one table and the images."""
        name = f"places-{way['origin']}-{'up' if way['up'] else 'down'}"
        name += ("-from-centre" if way["zero"] == "centre" else "") + (
            "-fractions" if way["unit"] == "fractions" else ""
        )
        if way["format"] == "json":
            rows = json.loads((self.package / f"{name}.json").read_text())["parts"]
        else:
            rows = list(csv.DictReader(io.StringIO((self.package / f"{name}.csv").read_text("utf-8"), newline="")))
        colour, covered = np.zeros((73, 97, 3)), np.zeros((73, 97, 1))  # colour times alpha, and alpha
        across, down = (97, 73) if way["unit"] == "fractions" else (1, 1)
        for row in rows:
            x, y, width, height = (
                float(row[key]) * by for key, by in zip(("x", "y", "width", "height"), (across, down) * 2, strict=True)
            )
            if way["zero"] == "centre":
                x, y = x + 97 / 2, y + 73 / 2
            y = 73 - y if way["up"] else y
            if way["origin"] == "centre":
                x, y = x - width / 2, y - height / 2
            self.assertAlmostEqual(x, round(x), 6)
            image = self.pixels(row["file"]) / 255
            self.assertEqual(image.shape[:2], (round(height), round(width)))
            if row["shown"] in (True, "yes"):
                under = np.s_[round(y) : round(y + height), round(x) : round(x + width)]
                alpha = image[..., 3:]
                colour[under] = image[..., :3] * alpha + colour[under] * (1 - alpha)
                covered[under] = alpha + covered[under] * (1 - alpha)
        straight = np.divide(colour, covered, out=np.zeros_like(colour), where=covered > 0)
        return np.floor(np.concatenate([straight, covered], 2) * 255 + 0.5 + 1e-6).astype(np.uint8)

    def test_a_table_names_parents_and_pivots(self) -> None:
        self.by(beside={"places": [{"format": "csv", "origin": "centre", "up": True, "zero": "centre"}]})
        text = (self.package / "places-centre-up-from-centre.csv").read_text("utf-8")
        rows = {row["id"]: row for row in csv.DictReader(io.StringIO(text, newline=""))}
        manifest = self.manifest()
        self.assertEqual(list(rows), [part["id"] for part in manifest["parts"]])
        for part in manifest["parts"]:
            with self.subTest(part["name"]):
                row = rows[part["id"]]
                self.assertEqual(row["parent"] or None, part["parent"])
                pivot = None if part["pivot"] is None else part["pivot"]["canvas"]
                told = (row["pivot_x"], row["pivot_y"])
                self.assertEqual(told, ("", "") if pivot is None else (f"{pivot[0] - 48.5:g}", f"{36.5 - pivot[1]:g}"))

    def test_the_overview_has_a_picture_and_pages(self) -> None:
        self.by(beside={"overview": ["png", "pdf"]})
        with Image.open(self.package / "overview.png") as sheet:
            self.assertGreater(sheet.width, 900)
            self.assertGreater(len(sheet.getcolors(1 << 20) or ()), 50)
        self.assertTrue((self.package / "overview.pdf").read_bytes().startswith(b"%PDF"))

    def test_combinations_are_the_figure_in_each_form(self) -> None:
        arrangement = apply(self.start, MakeAlternates(("signal",)))
        forms: list[dict[str, Any]] = [
            {"name": "at rest"},
            {"name": "lowered, no mast", "alternates": {"signal": "arm lowered"}, "hidden": ["mast"]},
            {"name": "typo", "hidden": ["lantern"]},
        ]
        report = self.by(arrangement, beside={"combinations": forms})
        self.assertIn("The combination 'typo' names what is not there: lantern.", " ".join(report.warnings))
        np.testing.assert_array_equal(self.pixels("combinations/at rest.png"), self.pixels("reference.png"))
        formed = apply(arrangement, ShowRows({"mast": False, "lowered": True}))
        wanted = self.folder / "wanted"
        hand_over(self.illustration, formed, Sources(self.scratch), wanted, "", quiet)
        reference = np.array(Image.open(wanted / "reference.png").convert("RGBA"))
        np.testing.assert_array_equal(self.pixels("combinations/lowered, no mast.png"), reference)

    def test_only_what_changed_is_written_again(self) -> None:
        beside = {**ALL, "overview": ["png"], "places": [{}], "combinations": [{"name": "at rest"}]}
        self.by(beside=beside)
        again = self.by(beside=beside)
        self.assertEqual(set(again.kept), set(again.files))
        changed = self.by(apply(self.start, ShowRows({"mist": False})), beside=beside)
        fresh = set(changed.files) - set(changed.kept)
        self.assertTrue({"layers.ora", "model.glb", "index.html", "combinations/at rest.png"} <= fresh, fresh)
        self.assertFalse(any(file.startswith("parts/") for file in fresh))


class TurnedTests(FolderTestCase):
    def test_the_same_drawing_in_every_turn_is_right_everywhere(self) -> None:
        picture = np.random.default_rng(5).integers(0, 256, (5, 9, 4), dtype=np.uint8)
        picture[..., 3] |= 128
        with SpillFile() as scratch:
            scratch.put("a", picture)
            parts, made = [Part("a", "a", still("a"))], []
            for number, turn in enumerate(
                Turn(mirrored, quarters) for mirrored in (False, True) for quarters in range(4)
            ):
                turned = turn_picture(picture, turn)
                box = Box.at(12 * number + 10, 14, Size(turned.shape[1], turned.shape[0]))
                scratch.put(f"t{number}", turned)
                made.append(DerivedLayer(f"t{number}", "a", Turned(turn, (0.0, 0.0)), box))
                parts.append(Part(f"t{number}", f"t{number}", still(f"t{number}")))
            art = Illustration("turns", Size(120, 40), (Layer("a", "a", Box.at(0, 0, Size(9, 5))),), made=tuple(made))
            target = self.folder / "out"
            report = hand_over(
                art, Arrangement(tuple(parts)), Sources(scratch), target, "", quiet, recipe=recipe(beside=ALL)
            )
        self.assertTrue(report.proof.ok, report.proof)
        self.assertEqual([one.differing_pixels for one in report.proof.comparisons], [0, 0, 0, 0])
        value, _ = opened(target / "model.glb")
        self.assertEqual(len(value["images"]), 1)


class VectorTests(FolderTestCase):
    """Demo pictures in vectors, and the paper signalman."""

    FILES = (("lever-frame.svg", "canvas"), ("waybill-stamps.svg", "box"))

    def by(self, name: str, data: bytes, **said: Any) -> tuple[Path, HandOverReport]:
        source = self.folder / name
        source.write_bytes(data)
        target = self.folder / f"{name} out"
        report, _, _ = hand_over_file(source, target, quiet, recipe=recipe(**said))
        return target, report

    def test_each_part_is_its_own_shapes_and_the_picture_comes_back_from_them(self) -> None:
        for name, origin in self.FILES:
            data = (Path(signal_post.__file__).parent / name).read_bytes()
            with self.subTest(name, origin=origin):
                target, report = self.by(name, data, beside={"vector": origin, "scene": True})
                self.assertTrue(report.proof.ok, report.proof)
                ways = {one.way: one for one in report.proof.comparisons}
                self.assertLessEqual(ways["vector"].largest, 4)
                self.assertLessEqual(ways["scene"].mean, 0.05)
                files = [
                    self.folder / target / file
                    for file in report.files
                    if file.startswith("parts/") and file.endswith(".svg")
                ]
                self.assertEqual(len(files), report.parts)
                together = sum(file.stat().st_size for file in files)
                # About as large as the source, but for what makes a file of its own.
                self.assertLess(together, 1.5 * len(data) + 250 * len(files))
                # Letters become outlines.
                words = 0 if name == "lever-frame.svg" else 26_000
                self.assertLess((target / "scene.svg").stat().st_size, 1.2 * len(data) + words)

    def test_symbols_of_one_file_are_the_parts(self) -> None:
        for name in ("lever-frame.svg", "reed-marsh.svg"):
            data = (Path(signal_post.__file__).parent / name).read_bytes()
            with self.subTest(name):
                target, report = self.by(name, data, beside={"vector": "symbols"})
                self.assertTrue(report.proof.ok, report.proof)
                ways = {one.way: one for one in report.proof.comparisons}
                self.assertLessEqual(ways["vector"].largest, 4)
                path = target / "symbols.svg"
                text = path.read_text()
                self.assertLess(len(text), 1.9 * len(data))
                self.assertEqual(text.count("<symbol"), report.parts)
                ids = re.findall(r'\bid="([^"]+)"', text)
                self.assertEqual(len(ids), len(set(ids)))
                self.assertLessEqual(set(re.findall(r'(?:url\(|href=")#([^")]+)', text)), set(ids))
                path.write_text(text.replace('viewBox="', 'viewBox="9', 3).replace('viewBox="9', 'viewBox="', 1))
                self.assertEqual([one.way for one in prove(target, quiet).comparisons if not one.ok], ["vector"])

    def test_shapes_and_pixels_of_one_picture_are_proved_together(self) -> None:
        source, target = Path(signal_post.__file__).parent / "lever-frame.svg", self.folder / "both"
        for way in ("box", "symbols"):
            with pipeline.open(source) as work:
                row = next(row["id"] for row in work.rows() if row["name"] == "case")
                work.apply({"do": "dye", "row": row, "colour": [40, 90, 120], "shaded": True})
                report = work.hand_over(target, recipe(beside={"vector": way}))
            ways = {one.way: one for one in report.proof.comparisons}
            self.assertEqual(set(ways), {"places", "vector"})
            self.assertTrue(report.proof.ok, report.proof)
        self.assertEqual((target / "symbols.svg").read_text().count("<symbol"), report.parts - 1)

    def test_none_holds_a_shape_of_another_and_all_that_it_refers_to_is_there(self) -> None:
        svg = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="60" height="40">
          <defs><linearGradient id="one"><stop stop-color="#b43"/><stop offset="1" stop-color="#269"/></linearGradient>
          <linearGradient id="two" xlink:href="#one" x2="0" y2="1"/><clipPath id="cut"><circle cx="40" cy="20" r="12"/></clipPath></defs>
          <rect id="left" x="4" y="6" width="20" height="24" fill="url(#two)"/>
          <g id="right" clip-path="url(#cut)"><path id="inner" d="M28 2 L58 8 L44 38 Z" fill="#2a6"/></g>
          <text id="words" x="5" y="38" font-size="8">Marsh</text></svg>"""
        target, report = self.by("three.svg", svg, beside={"vector": "canvas", "scene": True})
        self.assertTrue(report.proof.ok, report.proof)
        texts = {path.stem: path.read_text() for path in (target / "parts").rglob("*.svg")}
        self.assertEqual(set(texts), {"left", "inner", "words"})
        self.assertEqual(texts["left"].count("<linearGradient"), 2)
        self.assertNotIn("clipPath", texts["left"])
        self.assertIn("clipPath", texts["inner"])
        self.assertNotIn("Gradient", texts["inner"])
        # No font is needed.
        self.assertNotIn("<text", texts["words"])
        for text in (*texts.values(), (target / "scene.svg").read_text()):
            ids = re.findall(r'\bid="([^"]+)"', text)
            self.assertEqual(len(ids), len(set(ids)))
            referred = re.findall(r'(?:url\(|href=")#([^")]+)', text)
            self.assertLessEqual(set(referred), set(ids))

    def test_a_part_that_lost_its_drawing_is_found(self) -> None:
        svg = b"""<svg xmlns="http://www.w3.org/2000/svg" width="60" height="40">
          <rect id="wall" width="60" height="40" fill="#345"/><circle id="moon" cx="20" cy="15" r="9" fill="#fe9"/></svg>"""
        target, report = self.by("moon.svg", svg, beside={"vector": "canvas", "scene": True})
        self.assertTrue(report.proof.ok, report.proof)
        for file, way in (("parts/moon.svg", "vector"), ("scene.svg", "scene")):
            path = target / file
            good = path.read_text()
            path.write_text(good.replace('cx="20"', 'cx="26"', 1))
            found = prove(target, quiet)
            self.assertEqual([one.way for one in found.comparisons if not one.ok], [way])
            path.write_text(good)


def opened(path: Path) -> tuple[dict[str, Any], bytes]:
    """The description of a GLB file, and the rest of it."""
    raw = path.read_bytes()
    (length,) = struct.unpack("<I", raw[12:16])
    return json.loads(raw[20 : 20 + length]), raw[20 + length :]


class OddCanvasTests(FolderTestCase):
    """Drawings of a canvas that falls on no grid of a scale but its own."""

    DRAWN = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="101" height="73"><rect id="back" width="101" height="73" fill="#345"/>'
        '<circle id="sun" cx="51.5" cy="33" r="20.3" fill="gold"/><path id="leaf" d="M3 5 L97 61 L20 71Z" fill="#8a4"/></svg>'
    )

    def test_drawings_lie_where_images_do_at_any_scale(self) -> None:
        file, package = self.folder / "odd.svg", self.folder / "package"
        file.write_text(self.DRAWN)
        for factor in (0.5, 0.3, 1.5, 2):
            for vector in ("box", "canvas", "symbols"):
                said = recipe(scales=[{"factor": factor}], beside={"scene": True, "vector": vector})
                report, _, _ = hand_over_file(file, package, quiet, remove_obsolete=True, recipe=said)
                self.assertTrue(report.proof.ok, (factor, vector, report.proof.comparisons))
                self.assertEqual({one.way for one in report.proof.comparisons}, {"places", "vector", "scene"})
        # What lies two pixels elsewhere is found.
        for name, way in (("scene.svg", "scene"), ("symbols.svg", "vector")):
            path = package / name
            kept = path.read_text()
            path.write_text(kept.replace('cx="51.5"', 'cx="53.5"'))
            self.assertNotEqual(path.read_text(), kept)
            found = {one.way: one.ok for one in prove(package, quiet).comparisons}
            self.assertFalse(found[way])
            path.write_text(kept)
