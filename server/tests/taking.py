"""A flat toy that is taken apart, and what tests ask of it."""

import io
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client
from PIL import Image, ImageDraw

from tests.cases import ServerTestCase, brought_in, quiet
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.illustration.layers import Illustration as Read
from yuplet.parts.part import part_node
from yuplet.pixels.compositing import compose
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.arrangement.queries import tree_of
from yuplet_server.files.store import open_blob
from yuplet_server.illustrations import actions
from yuplet_server.illustrations.layers import StoredLayers
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.illustrations.queries import read_of
from yuplet_server.jobs.models import Job

RED, BLUE, CREAM = (190, 50, 40), (40, 70, 170), (240, 228, 200)


def toy(shift: int = 0, coat: tuple[int, int, int] = RED) -> bytes:
    """A flat picture: a coat with a button on a plain ground."""
    image = Image.new("RGB", (90, 70), CREAM)
    draw = ImageDraw.Draw(image)
    draw.rectangle((20 + shift, 15, 59 + shift, 59), coat)
    draw.ellipse((34 + shift, 30, 46 + shift, 42), BLUE)
    out = io.BytesIO()
    image.save(out, "PNG")
    return out.getvalue()


def beads() -> bytes:
    """Three pieces on a transparent ground, and a crumb beside the first."""
    image = Image.new("RGBA", (90, 40))
    draw = ImageDraw.Draw(image)
    for left in (5, 35, 65):
        draw.ellipse((left, 8, left + 20, 30), (*BLUE, 255))
    image.putpixel((28, 19), (*BLUE, 255))
    out = io.BytesIO()
    image.save(out, "PNG")
    return out.getvalue()


def lamp() -> bytes:
    """Nine moments of a lamp; in the fifth are a crumb of two pixels and a hole of one."""
    frames = []
    for number in range(9):
        image = Image.new("RGBA", (60, 40))
        draw = ImageDraw.Draw(image)
        draw.rectangle((8, 10, 27, 21), (*RED, 255))
        draw.rectangle((12, 12, 13 + number, 14), (*BLUE, 255))
        if number == 4:
            draw.line((50, 5, 51, 5), (*RED, 255))
            image.putpixel((20, 18), (0, 0, 0, 0))
        frames.append(image)
    out = io.BytesIO()
    frames[0].save(out, "PNG", save_all=True, append_images=frames[1:], duration=100, disposal=1)
    return out.getvalue()


def colour_at(x: int, y: int, how: str = "instead", **rest: Any) -> dict[str, Any]:
    return {"tool": "same-colour", "at": [x, y], "distance": 6, "how": how, **rest}


class TakingCase(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.illustration = brought_in(self.project, "toy.png", toy())

    def take(
        self, *parts: dict[str, Any], row: str = "toy", client: Client | None = None, status: int = 200, **rest: Any
    ) -> Any:
        return self.now(client or self.ben, status, do="take-out", row=self.row_id(row), parts=list(parts), **rest)

    def take_pieces(self, row: str, status: int = 200, **rest: Any) -> Any:
        return self.now(self.ben, status, do="take-pieces", row=self.row_id(row), **rest)

    def composite(self) -> np.ndarray:
        """The parts that are shown, laid over each other from what is kept."""
        self.illustration = Illustration.objects.select_related("current").get(pk=self.illustration.pk)
        read, layers = self.read(), StoredLayers(self.illustration.revision)
        parts = [part for _, part in tree_of(Arrangement.objects.get(pk=self.illustration.pk)).parts()]
        with layers.pixels({layer for part in parts for layer in part.layers}) as pixels:
            laid = (part_node(part, read.boxes, read.canvas) for part in parts if part.shown)
            return compose([one for one in laid if one is not None], read.canvas, pixels)

    def read(self) -> Read:
        """What was read of the art, with all layers that were derived of it."""
        return read_of(Illustration.objects.select_related("current").get(pk=self.illustration.pk).revision)

    def original(self) -> np.ndarray:
        with open_blob(self.illustration.revision.sha256) as file:
            return np.array(Image.open(file).convert("RGBA"))

    def names(self) -> list[str]:
        return [row["name"] for row in self.arrangement()["rows"]]

    def tree(self) -> Tree:
        """The arrangement as the core has it."""
        return tree_of(Arrangement.objects.get(pk=self.illustration.pk))

    def revise(self, data: bytes) -> None:
        """Bring in another revision of the toy, and take it as it is proposed."""
        number = self.ben.post(self.address("revisions"), {"file": SimpleUploadedFile("toy.png", data)}).json()[
            "number"
        ]
        revision = Revision.objects.get(illustration=self.illustration, number=number)
        with tempfile.TemporaryDirectory() as folder, transaction.atomic():
            actions.bring_in(revision.pk, Path(folder), quiet)()
        Job.objects.filter(pk=revision.job_id).update(state=Job.State.DONE)
        self.post(self.ben, f"revisions/{number}/take", body={})
