"""The proof turns red for every fault that is planted here, and names it."""

import json
import shutil
import zlib
from typing import Any

import numpy as np
from PIL import Image

from tests.packages import PackageTestCase, quiet, tree_node
from yuplet.errors import PackageError
from yuplet.rehearsal.changes import prove_changes
from yuplet.rehearsal.proof import Proof


class ProofTests(PackageTestCase):
    def test_a_package_as_it_was_written(self) -> None:
        proof = self.prove()
        self.assertTrue(proof.ok, proof)
        self.assertEqual((proof.expected, proof.found, proof.differing_pixels, proof.max_difference), (13, 13, 0, 0))

    def assert_red(self, *, faults: str | None = None, differ: bool | None = None, **lists: list[str]) -> None:
        """The proof is not ok; the lists given and no others are filled, and a fault holds the given words."""
        proof = self.prove()
        self.assertFalse(proof.ok)
        for name in ("missing", "extra", "unreadable", "wrong_case", "empty"):
            self.assertEqual(getattr(proof, name), lists.get(name, []), name)
        if faults is not None:
            self.assertIn(faults, "\n".join(proof.faults))
        if differ is not None:
            self.assertEqual(bool(proof.differing_pixels), differ, proof)

    def change_image(self, file: str, picture: np.ndarray, manifest: dict[str, Any] | None = None) -> None:
        """Write an image with the check sum that the manifest would have, had it been meant so."""
        Image.fromarray(picture, "RGBA").save(self.package / file)
        manifest = manifest or self.manifest()
        entry = next(part for part in manifest["parts"] if part["file"] == file)
        entry["pixels_crc32"] = f"{zlib.crc32(picture.tobytes()):08x}"
        self.rewrite(manifest)

    def test_joints_that_cannot_be(self) -> None:
        for change, words in (
            (lambda parts: parts[0].update(parent="nobody"), "carried by a part that is not in the package"),
            (
                lambda parts: (parts[0].update(parent=parts[1]["id"]), parts[1].update(parent=parts[0]["id"])),
                "carried by itself",
            ),
            (lambda parts: parts[0]["fractions"]["canvas"].update(width=0.9), "its fractions of the canvas"),
        ):
            with self.subTest(words):
                manifest = self.manifest()
                change(manifest["parts"])
                for part in manifest["parts"]:
                    if part["parent"] is not None and part["fractions"]["parent"] is None:
                        part["fractions"]["parent"] = part["fractions"]["canvas"]
                self.rewrite(manifest)
                self.assert_red(faults=words)

    def test_a_package_of_an_older_version_says_less_and_is_read_all_the_same(self) -> None:
        manifest = self.manifest()
        for part in manifest["parts"]:
            for name in ("parent", "depth", "fractions", "margins", "anchor", "beyond"):
                del part[name]
        del manifest["camera"]
        self.rewrite(manifest)
        self.assertTrue(self.prove().ok)

    # What is planted below are the mistakes that are easily made when parts are handed over by hand.

    def test_a_part_moved_by_one_pixel(self) -> None:
        manifest = self.manifest()
        part = self.part(manifest, "arm")
        for box in (part["box"], part["trim"]):
            box["x"] += 1
        for place in part["centre"].values():
            place[0] += 1
        self.rewrite(manifest)
        self.assert_red(differ=True)
        self.assertEqual((self.prove().worst or {})["part"], "post / signal / arm")

    def test_two_overlapping_parts_swapped_in_order(self) -> None:
        manifest = self.manifest()
        members = tree_node(manifest["tree"], "signal")["members"]
        arm, lamp = (next(i for i, node in enumerate(members) if node["part"] == name) for name in ("arm", "lamp"))
        members[arm], members[lamp] = members[lamp], members[arm]
        self.rewrite(manifest)
        self.assert_red(differ=True, faults="do not tell the same order")
        # Swapped in every place of the manifest alike, only the picture can tell.
        one, other = self.part(manifest, "arm"), self.part(manifest, "lamp")
        one["order"], other["order"] = other["order"], one["order"]
        self.rewrite(manifest)
        self.assert_red(differ=True)
        self.assertEqual(self.prove().faults, [])

    def test_y_turned_round(self) -> None:
        manifest = self.manifest()
        height = manifest["canvas"]["height"]
        for part in manifest["parts"]:
            for box in (part["box"], part["trim"]):
                box["y"] = height - box["y"] - box["height"]
            part["centre"]["y_down"][1], part["centre"]["y_up"][1] = (
                part["centre"]["y_up"][1],
                part["centre"]["y_down"][1],
            )
        self.rewrite(manifest)
        self.assert_red(differ=True)

    def test_the_centre_of_an_odd_size_rounded(self) -> None:
        manifest = self.manifest()
        part = self.part(manifest, "lamp")
        self.assertEqual(part["box"]["width"] % 2, 1)
        part["centre"]["y_down"][0] = round(part["centre"]["y_down"][0] + 0.01)
        self.rewrite(manifest)
        self.assert_red(differ=False, faults="its centre is not the middle of its box")

    def test_the_centre_counted_upwards_from_the_wrong_edge(self) -> None:
        manifest = self.manifest()
        part = self.part(manifest, "lamp")
        part["centre"]["y_up"][1] -= 1
        self.rewrite(manifest)
        self.assert_red(differ=False, faults="its centre counted upwards")

    def test_a_file_missing(self) -> None:
        (self.package / "parts/glow.png").unlink()
        self.assert_red(missing=["parts/glow.png"], differ=True)

    def test_a_file_in_the_wrong_letter_case(self) -> None:
        (self.package / "parts/glow.png").rename(self.package / "parts/Glow.png")
        self.assert_red(wrong_case=["parts/glow.png"], differ=False)

    def test_a_file_too_many(self) -> None:
        shutil.copy(self.package / "parts/glow.png", self.package / "parts/glow copy.png")
        self.assert_red(extra=["parts/glow copy.png"], differ=False)

    def test_a_hidden_part_missing(self) -> None:
        (self.package / "parts/post/signal/arm lowered.png").unlink()
        self.assert_red(missing=["parts/post/signal/arm lowered.png"], differ=False)

    def test_a_hidden_part_left_out_of_the_manifest_too(self) -> None:
        manifest = self.manifest()
        manifest["parts"] = [part for part in manifest["parts"] if part["name"] != "arm lowered"]
        self.rewrite(manifest)
        self.assert_red(extra=["parts/post/signal/arm lowered.png"], faults="The manifest counts")

    def test_premultiplied_alpha(self) -> None:
        file = "parts/mist.png"
        picture = self.pixels(file).astype(np.uint16)
        picture[..., :3] = (picture[..., :3] * picture[..., 3:] + 127) // 255
        self.change_image(file, picture.astype(np.uint8))
        self.assert_red(differ=True)

    def test_an_image_clipped(self) -> None:
        file = "parts/post/mast.png"
        manifest = self.manifest()
        picture = self.pixels(file)[:-1]
        part = self.part(manifest, "mast")
        for box in (part["box"], part["trim"]):
            box["height"] -= 1
        part["centre"]["y_down"][1] -= 0.5
        part["centre"]["y_up"][1] += 0.5
        self.change_image(file, np.ascontiguousarray(picture), manifest)
        self.assert_red(differ=True)

    def test_an_image_not_trimmed(self) -> None:
        file = "parts/post/mast.png"
        manifest = self.manifest()
        picture = np.pad(self.pixels(file), ((0, 0), (0, 1), (0, 0)))
        part = self.part(manifest, "mast")
        for box in (part["box"], part["trim"]):
            box["width"] += 1
        for place in part["centre"].values():
            place[0] += 0.5
        self.change_image(file, picture, manifest)
        self.assert_red(differ=False, faults="not trimmed to its content")

    def test_a_pivot_in_the_wrong_frame(self) -> None:
        manifest = self.manifest()
        pivot = self.part(manifest, "lamp")["pivot"]
        pivot["box"] = pivot["canvas"]
        self.rewrite(manifest)
        self.assert_red(differ=False, faults="its pivot relative to the box")

    def test_a_group_whose_opacity_was_dropped(self) -> None:
        manifest = self.manifest()
        tree_node(manifest["tree"], "signal")["opacity"] = 1
        self.rewrite(manifest)
        self.assert_red(differ=True)

    def test_a_group_whose_mode_or_isolation_was_dropped(self) -> None:
        for change in ({"blend": "normal"}, {"blend": "normal", "isolated": False, "opacity": 1}):
            manifest = self.manifest()
            tree_node(manifest["tree"], "marsh").update(change)
            self.rewrite(manifest)
            self.assert_red(differ=True)

    def test_an_image_that_is_no_image(self) -> None:
        (self.package / "parts/glow.png").write_bytes(b"not a picture")
        self.assert_red(unreadable=["parts/glow.png"], differ=True)

    def test_an_empty_image(self) -> None:
        file = "parts/glow.png"
        self.change_image(file, np.zeros_like(self.pixels(file)))
        self.assert_red(empty=[file], differ=True)

    def test_a_reference_picture_of_something_else(self) -> None:
        picture = self.pixels("reference.png")
        picture[10, 20, 0] ^= 1
        Image.fromarray(picture, "RGBA").save(self.package / "reference.png")
        self.assert_red(differ=True, faults="The reference picture has other pixels")
        worst = self.prove().worst or {}
        self.assertEqual((worst["x"], worst["y"]), (20, 10))
        self.assertEqual(self.prove().differing_pixels, 1)

    def test_an_image_swapped_for_another_of_the_same_size(self) -> None:
        picture = self.pixels("parts/post/signal/arm lowered.png")
        picture[0, 0, 0] ^= 1
        Image.fromarray(picture, "RGBA").save(self.package / "parts/post/signal/arm lowered.png")
        self.assert_red(differ=False, faults="has other pixels than the manifest says")

    def test_a_part_shown_in_one_place_and_hidden_in_another(self) -> None:
        manifest = self.manifest()
        self.part(manifest, "arm lowered")["shown"] = True
        self.rewrite(manifest)
        self.assert_red(differ=False, faults="shown in one place")

    def test_a_manifest_that_cannot_be_used(self) -> None:
        good = self.manifest()
        cases = {
            "another format": {**good, "format": "other"},
            "no canvas": {key: value for key, value in good.items() if key != "canvas"},
            "a box of fractions": {
                **good,
                "parts": [{**good["parts"][0], "box": {**good["parts"][0]["box"], "x": 0.5}}],
            },
            "a path that climbs": {**good, "parts": [{**good["parts"][0], "file": "../elsewhere.png"}]},
            "a list": [],
        }
        for what, manifest in cases.items():
            with self.subTest(what), self.assertRaises(PackageError):
                self.rewrite(manifest)  # type: ignore[arg-type]
                self.prove()
        (self.package / "manifest.json").unlink()
        with self.assertRaisesRegex(PackageError, "Give the folder that holds a package"):
            self.prove()


class AfterAChangeTests(ProofTests):
    """The same faults, each beside the package that it was planted in, of which only what has changed is looked at."""

    def setUp(self) -> None:
        super().setUp()
        shutil.copytree(self.package, self.folder / "before")

    def prove(self) -> Proof:
        return prove_changes(self.package, self.folder / "before", quiet)

    def test_a_package_that_did_not_come_back_is_looked_at_as_a_whole(self) -> None:
        self.assertEqual(self.prove().looked_at, "changes")
        for change in ({"proved": False}, {"made_by": "Yuplet 0.0.0"}):
            before = self.manifest() | change
            (self.folder / "before" / "manifest.json").write_text(json.dumps(before))
            self.assertEqual(self.prove().looked_at, "everything")
        shutil.rmtree(self.folder / "before")
        self.assertEqual(self.prove().looked_at, "everything")
