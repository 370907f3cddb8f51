"""Bringing in: what is kept, what is told, what is refused."""

import hashlib
import io
import tempfile
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from PIL import Image

from tests.cases import ServerTestCase, brought_in, handed_over, kept, ora, quiet
from yuplet.errors import YupletError
from yuplet.pixels.spill_file import SpillFile
from yuplet_server.files.store import open_blob
from yuplet_server.illustrations import actions, layers
from yuplet_server.illustrations.models import Halves, Illustration, LayerImage, Revision
from yuplet_server.illustrations.queries import StoredPixels, digests_of
from yuplet_server.projects.actions import start_project


def content(answer: Any) -> bytes:
    return b"".join(answer.streaming_content)


def prop() -> bytes:
    out = io.BytesIO()
    Image.new("RGBA", (5, 4), "teal").save(out, "PNG")
    return out.getvalue()


def noise(width: int, height: int) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.random.default_rng(5).integers(1, 256, (height, width, 4), np.uint8)).save(out, "PNG")
    return out.getvalue()


def half(size: tuple[int, int], times: int) -> tuple[int, int]:
    return -(-size[0] // 2**times), -(-size[1] // 2**times)


def unpacked(pack: bytes) -> list[bytes]:
    found = []
    while pack:
        length = int.from_bytes(pack[:4], "big")
        found.append(pack[4 : 4 + length])
        pack = pack[4 + length :]
    return found


class BringInTests(ServerTestCase):
    def upload(self, client: Client, name: str, data: bytes) -> Any:
        file = SimpleUploadedFile(name, data)
        return client.post(f"/api/projects/{self.project.pk}/illustrations", {"file": file})

    def test_the_original_is_kept_byte_for_byte(self) -> None:
        data = ora()
        answer = self.upload(self.ben, "Ärmel ☂.ora", data)
        self.assertEqual(answer.status_code, 201, answer.content)
        made = answer.json()
        self.assertEqual((made["name"], made["state"], made["job"]["state"]), ("Ärmel ☂", "reading", "waiting"))
        self.assertEqual(made["sha256"], hashlib.sha256(data).hexdigest())
        original = self.cleo.get(f"/api/illustrations/{made['id']}/original")
        self.assertEqual(content(original), data)
        self.assertIn("attachment", original.headers["Content-Disposition"])
        self.assertIn("%C3%84rmel", original.headers["Content-Disposition"])

    def test_an_empty_file_is_refused_at_once(self) -> None:
        answer = self.upload(self.ben, "nothing.png", b"")
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "broken-file"))

    def test_several_images_are_one_illustration(self) -> None:
        def image(colour: str, size: tuple[int, int]) -> SimpleUploadedFile:
            out = io.BytesIO()
            Image.new("RGBA", size, colour).save(out, "PNG")
            return SimpleUploadedFile(f"{colour}.png", out.getvalue())

        asked = {
            "file": [image("red", (9, 4)), image("green", (5, 8))],
            "path": ["kit/body/red.png", "kit/green.png"],
            "together": "kit",
        }
        answer = self.ben.post(f"/api/projects/{self.project.pk}/illustrations", asked)
        self.assertEqual((answer.status_code, answer.json()["name"]), (201, "kit"), answer.content)
        illustration = Illustration.objects.get(pk=answer.json()["id"])
        with tempfile.TemporaryDirectory() as folder:
            actions.bring_in(illustration.revision.pk, Path(folder), quiet)()
        self.illustration = illustration
        self.assertEqual([row["name"] for row in self.arrangement()["rows"]], ["body", "red", "green"])
        twice = {"file": [image("red", (9, 4)), image("red", (5, 8))]}
        answer = self.ben.post(f"/api/projects/{self.project.pk}/illustrations", twice)
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "broken-file"))
        self.assertIn("Two of the files are called 'red.png'", answer.json()["detail"])

    def test_a_sheet_is_proposed_looked_at_and_cut(self) -> None:
        sheet = np.zeros((8, 60, 4), np.uint8)
        for n in range(6):
            sheet[1:7, 10 * n + 1 : 10 * n + 9] = (200, 30 * n, 9, 255)
        out = io.BytesIO()
        Image.fromarray(sheet, "RGBA").save(out, "PNG")
        self.illustration = brought_in(self.project, "lamp.png", out.getvalue())
        proposed = self.post(self.cleo, "sheet", body={})
        self.assertEqual((proposed["sheet"]["columns"], proposed["sheet"]["cell"]), (6, [10, 8]))
        self.assertEqual(proposed["findings"], [])
        wrong = {"sheet": {"columns": 4, "rows": 1, "cell": [15, 8]}}
        self.assertIn("cut through", {one["kind"] for one in self.post(self.cleo, "sheet", body=wrong)["findings"]})
        answer = self.post(self.cleo, "sheet", 422, {"sheet": {"columns": 9, "rows": 1, "cell": [10, 8]}})
        self.assertIn("need a sheet of 90 x 8 px", answer["detail"])
        self.post(self.ben, "read-again", 201, {"sheet": proposed["sheet"]})
        revision = Revision.objects.get(illustration=self.illustration, number=2)
        with tempfile.TemporaryDirectory() as folder:
            actions.bring_in(revision.pk, Path(folder), quiet)()
        view = self.post(self.ben, "revisions/2/take", body={"remove": [self.row_id("lamp")]})
        self.assertEqual([(row["name"], len(row["frames"])) for row in view["rows"]], [("lamp", 6)])
        self.assertEqual(self.post(self.cleo, "sheet", body={})["picture"], proposed["picture"], "it can be cut anew")

    def test_16_bits_a_channel_are_kept_for_computing(self) -> None:
        picture = np.random.default_rng(3).integers(900, 65536, (7, 5, 4), dtype=np.uint16)
        illustration = brought_in(self.project, "deep.png", imagecodecs.png_encode(picture))
        with SpillFile() as scratch:
            pixels = StoredPixels(digests_of(illustration.revision), scratch)
            np.testing.assert_array_equal(pixels.deep_rows("l1", 0, 7), picture)
        made = handed_over(illustration, self.users["ada"], 1)
        self.assertTrue(made.report["proof"]["ok"])

    def test_only_a_flat_picture_is_cut(self) -> None:
        self.assertIn("Only a flat picture", self.post(self.cleo, "sheet", 409, {})["detail"])

    def test_vector_art_at_the_size_that_was_asked_for(self) -> None:
        drawing = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 4 3"><rect id="a" width="2" height="3"/></svg>'
        for longest, wanted in ((None, (4, 3)), (400, (400, 300))):
            asked = {"file": SimpleUploadedFile("kit.svg", drawing), **({"longest": longest} if longest else {})}
            made = self.ben.post(f"/api/projects/{self.project.pk}/illustrations", asked).json()
            with tempfile.TemporaryDirectory() as folder:
                actions.bring_in(Illustration.objects.get(pk=made["id"]).revision.pk, Path(folder), quiet)()
            found = self.ben.get(f"/api/illustrations/{made['id']}").json()
            self.assertEqual((found["width"], found["height"]), wanted)
        for longest in ("0", "-3", "many", "1000000"):
            asked = {"file": SimpleUploadedFile("kit.svg", drawing), "longest": longest}
            answer = self.ben.post(f"/api/projects/{self.project.pk}/illustrations", asked)
            self.assertEqual((answer.status_code, list(answer.json())), (400, ["longest"]))

    def test_vector_art_is_drawn_anew_at_another_scale(self) -> None:
        drawing = b"""<svg xmlns="http://www.w3.org/2000/svg" width="30" height="20">
            <circle id="disc" cx="15" cy="10" r="6"/><rect id="under" x="13" width="4" height="20" fill="#fff"/></svg>"""
        self.illustration = brought_in(self.project, "kit.svg", drawing)
        (disc,) = [row for row in self.arrangement()["rows"] if row["name"] == "disc"]
        (piece,) = disc["frames"][0]["pieces"]
        self.assertEqual((piece["vector"], piece["box"]), (True, [9, 4, 12, 12]))
        asked = f"revisions/1/layers/{piece['layer']}/drawn?left=3&top=0&width=6&height=12&factor=8"
        answer = self.cleo.get(self.address(asked))
        picture = np.array(Image.open(io.BytesIO(answer.content)).convert("RGBA"))
        self.assertEqual(picture.shape, (96, 48, 4))
        # The middle half of a disc of radius 48: every pixel is within one of the circle.
        y, x = np.mgrid[:96, :48] + 0.5
        away = np.hypot(x - 24, y - 48)
        self.assertTrue((picture[..., 3][away < 47] == 255).all() and (picture[..., 3][away > 49] == 0).all())
        for wrong, status in (("factor=99", 400), ("left=40", 422), ("width=0", 400)):
            self.assertEqual(self.cleo.get(self.address(f"{asked}&{wrong}")).status_code, status, wrong)
        self.assertEqual(self.cleo.get(self.address(asked.replace(piece["layer"], "v99"))).status_code, 409)

    def test_a_name_that_is_a_path_is_only_a_name(self) -> None:
        made = self.upload(self.ben, "../../etc/passwd.png", b"x").json()
        self.assertEqual(made["file_name"], "passwd.png")

    def test_the_report_says_what_was_read(self) -> None:
        found = self.cleo.get(f"/api/illustrations/{self.illustration.pk}").json()
        self.assertEqual(found["report"]["counts"], {"layers": 10, "groups": 3, "hidden": 1, "empty": 1})
        self.assertEqual((found["width"], found["height"], found["role"]), (97, 73, "viewer"))
        self.assertEqual(found["report"]["merged"]["differing"], 0)

    def test_images_are_trimmed_png_that_may_be_kept_for_ever(self) -> None:
        for row in self.arrangement()["rows"]:
            if row["box"] is None:
                continue
            ((piece,),) = (frame["pieces"] for frame in row["frames"])
            answer = self.cleo.get(self.address(f"images/{piece['image']}"))
            self.assertEqual(answer.headers["Content-Type"], "image/png")
            self.assertIn("immutable", answer.headers["Cache-Control"])
            self.assertIn("sandbox", answer.headers["Content-Security-Policy"])
            image = Image.open(io.BytesIO(content(answer))).convert("RGBA")
            self.assertEqual([*image.size], row["box"][2:])
            self.assertEqual(image.getchannel("A").getbbox(), (0, 0, *image.size))

    def test_many_images_come_in_one_answer(self) -> None:
        pixels = list(LayerImage.objects.filter(revision=self.illustration.revision).values_list("pixels", flat=True))
        answer = self.cleo.get(self.address(f"pack?of={'.'.join(one[:16] for one in pixels)}"))
        self.assertEqual(answer.headers["Cache-Control"], "private, max-age=31536000, immutable")
        self.assertEqual([hashlib.sha256(image).hexdigest() for image in unpacked(content(answer))], pixels)
        # Those of others, and what is no digest, are not there.
        other = brought_in(start_project(self.users["dora"], "Elsewhere"), "other.png", prop())
        foreign = LayerImage.objects.get(revision=other.revision).pixels
        for of, status in ((foreign[:16], 404), (f"{pixels[0][:16]}.{'0' * 16}", 404), ("..", 400), (pixels[0], 400)):
            self.assertEqual(self.cleo.get(self.address(f"pack?of={of}")).status_code, status, of)
        too_many = ".".join([pixels[0][:16]] * 129)
        self.assertEqual(self.cleo.get(self.address(f"pack?of={too_many}")).status_code, 400)

    def test_images_of_a_pack_come_halved(self) -> None:
        revision = brought_in(self.project, "large.png", noise(170, 99)).revision
        ((digest, illustration),) = LayerImage.objects.filter(revision=revision).values_list(
            "pixels", "revision__illustration"
        )
        whole = Image.open(open_blob(digest)).convert("RGBA")

        def asked(of: str) -> list[Image.Image]:
            answer = self.cleo.get(f"/api/illustrations/{illustration}/pack?of={of}")
            return [Image.open(io.BytesIO(image)).convert("RGBA") for image in unpacked(content(answer))]

        found = asked(".".join(digest[:16] + end for end in ("", "-0", "-1", "-2", "-9")))
        self.assertEqual(
            [one.size for one in found], [whole.size, whole.size, *[half(whole.size, k) for k in (1, 2, 2)]]
        )
        self.assertEqual(found[0].tobytes(), whole.tobytes())
        wanted = whole.convert("RGBa").crop((0, 0, *(2 * side for side in found[2].size))).reduce(2).convert("RGBA")
        self.assertEqual(found[2].tobytes(), wanted.tobytes())
        # What was brought in before there were any halves gets them when they are asked for, and so do derived layers.
        file = Halves.objects.get(of=digest).file
        Halves.objects.all().delete()
        self.assertEqual([one.tobytes() for one in asked(f"{digest[:16]}-1")], [found[2].tobytes()])
        self.assertEqual(Halves.objects.get(of=digest).file, file)

    def test_an_image_that_is_small_has_no_halves(self) -> None:
        self.illustration = brought_in(self.project, "small.png", prop())
        image = LayerImage.objects.get(revision=self.illustration.revision)
        answer = self.cleo.get(self.address(f"pack?of={image.pixels[:16]}-3"))
        (only,) = unpacked(content(answer))
        self.assertEqual(hashlib.sha256(only).hexdigest(), image.pixels)
        for of in (f"{image.pixels[:16]}-", f"{image.pixels[:16]}-100", f"{image.pixels[:16]}--1"):
            self.assertEqual(self.cleo.get(self.address(f"pack?of={of}")).status_code, 400, of)

    def test_nothing_is_kept_of_a_file_that_cannot_be_read(self) -> None:
        for name, data in (("a.ora", ora()[:300]), ("b.png", b"\x89PNG\r\n\x1a\nrest"), ("c.ora", b"hello")):
            illustration = kept(self.project, name, data)
            with tempfile.TemporaryDirectory() as folder, self.assertRaises(YupletError):
                actions.bring_in(illustration.revision.pk, Path(folder), quiet)
            illustration.refresh_from_db()
            self.assertEqual(illustration.revision.state, Revision.State.READING)
            self.assertFalse(LayerImage.objects.filter(revision=illustration.revision).exists())

    def test_what_is_asked_before_it_is_read_says_so(self) -> None:
        illustration = kept(self.project)
        for rest in ("arrangement", "order", "hand-overs"):
            answer = self.ada.get(f"/api/illustrations/{illustration.pk}/{rest}")
            self.assertEqual((answer.status_code, answer.json()["code"]), (409, "not-now"))

    def test_the_number_of_queries_does_not_grow_with_what_is_listed(self) -> None:
        addresses = ["/api/projects", f"/api/projects/{self.project.pk}/illustrations", self.address("arrangement")]

        def count() -> list[int]:
            counts = []
            for address in addresses:
                with CaptureQueriesContext(
                    connection,
                ) as captured:
                    self.assertEqual(self.ada.get(address).status_code, 200)
                counts.append(len(captured))
            return counts

        before = count()
        for number in range(3):
            brought_in(self.project, f"another {number}.ora")
        self.assertEqual(count(), before)
        self.assertLess(max(before), 12)

    def test_the_small_pictures_are_small(self) -> None:
        for image in LayerImage.objects.filter(revision=self.illustration.revision):
            with open_blob(image.thumbnail) as file:
                picture = np.array(Image.open(file))
            self.assertLessEqual(max(picture.shape[:2]), layers.THUMBNAIL)

    def test_renaming_and_removing(self) -> None:
        address = f"/api/illustrations/{self.illustration.pk}"
        self.ben.patch(address, {"name": "Post at night"}, content_type="application/json")
        self.assertEqual(self.cleo.get(address).json()["name"], "Post at night")
        self.assertEqual(self.ben.delete(address).status_code, 204)
        self.assertEqual(self.ben.get(address).status_code, 404)
