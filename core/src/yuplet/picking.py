"""Parts of a flat picture by clicks, and what a picture is divided into, without the interface: with its very code and settings.

>>> import tempfile, pathlib, tin_inspector, yuplet
>>> file = pathlib.Path(tempfile.mkdtemp()) / "inspector.png"
>>> tin_inspector.write(file)
>>> coat = yuplet.Picking(file).pick([(560, 900)])
>>> coat.dtype, bool(coat[900, 560])
(dtype('bool'), True)
"""

import json
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import TypeAdapter, ValidationError

from yuplet import documents
from yuplet.documents import first_fault
from yuplet.errors import FolderNotOurs, NoSuchPicture, SelectionError, shown
from yuplet.geometry import Box
from yuplet.illustration.layers import Layer, composite_tree
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration
from yuplet.selecting.choosing import Click
from yuplet.selecting.gestures import Clicked
from yuplet.selecting.masks import Chosen
from yuplet.selecting.nested import nested
from yuplet.selecting.pick import picked

LEVELS = (5, 10, 20, 40, 80, 160)
"""How many pieces label images have at the most."""
LONGEST = 1 << 20
"""Characters of a list of clicks."""
_CLICKED = TypeAdapter(Clicked)


class Picking:
    """A picture as it is seen, or one layer of it, that parts are picked from.

    Raises `ReadError`, or `NoSuchPicture` for a layer that is not there.
    """

    def __init__(self, file: Path | str, layer: str | None = None) -> None:
        """Read a picture and divide it, once for all clicks."""
        with SpillFile() as scratch:
            found, _ = read_illustration(Path(file), scratch)
            self.canvas = found.canvas
            if layer is None:
                self._box = Box(0, 0, found.canvas.width, found.canvas.height)
                self._picture = compose(composite_tree(found.layers), found.canvas, scratch)
            else:
                one = next((node for _, node in found.walk() if isinstance(node, Layer) and node.name == layer), None)
                if one is None or one.box is None:
                    raise NoSuchPicture(
                        f"'{file}' has no layer '{shown(layer)}' with art in it. 'inspect' lists its layers."
                    )
                self._box = one.box
                self._picture = scratch.whole(one.id).copy()
        self._nested = nested(self._picture)

    def pick(self, clicks: Sequence[Any], steps: int = 0) -> Chosen:
        """What clicks take, (H, W) bool of the canvas.

        Parameters
        ----------
        clicks : sequence
            Pixels of the canvas, each as {"x": 3, "y": 4, "add": true} or (x, y); with "add" false a click takes away.
        steps : int
            So many pieces more (or fewer, when negative) around the last click than are taken without.

        Raises
        ------
        SelectionError
            For clicks that are none; `NothingThere` where a click that adds lies on nothing.
        """
        values = [{"x": one[0], "y": one[1]} if isinstance(one, tuple) and len(one) == 2 else one for one in clicks]
        try:
            said = _CLICKED.validate_python({"clicks": values, "steps": steps})
        except ValidationError as error:
            raise SelectionError(
                f"The clicks are not understood: {first_fault(error, values)}. Give a list of pixels such as"
                ' {"x": 3, "y": 4, "add": true}.'
            ) from error
        box = self._box
        there = [Click(one.x - box.left, one.y - box.top, one.add) for one in said.clicks]
        whole: Chosen = np.zeros((self.canvas.height, self.canvas.width), bool)
        inside = picked(self._picture, self._nested, there, steps)
        common = box.meet(Box(0, 0, self.canvas.width, self.canvas.height))
        own = common.moved(-box.left, -box.top)
        whole[common.top : common.bottom, common.left : common.right] = inside[
            own.top : own.bottom, own.left : own.right
        ]
        return whole

    def write(self, folder: Path) -> dict[str, Any]:
        """Write the nested pieces into a folder: `patches.png` and `pieces-N.png` with at most N pieces (16-bit grey, the size of what is
        divided, 0 where nothing is), and `pieces.json`; answers what is in that.
        """
        folder.mkdir(parents=True, exist_ok=True)
        foreign = next((one.name for one in folder.iterdir()), None)
        if foreign is not None and not (folder / "pieces.json").is_file():
            raise FolderNotOurs(str(folder), foreign)
        made, (height, width) = self._nested, self._picture.shape[:2]
        rows, columns = made.grid(height, width)
        images: dict[str, NDArray[np.int32]] = {"patches.png": np.arange(made.count + 1, dtype=np.int32)}
        images |= {f"pieces-{level}.png": made.at(level) for level in LEVELS if level < made.count}
        there = self._picture[..., 3] > 0
        for name, table in images.items():
            labels = np.where(there, table[made.labels][np.ix_(rows, columns)], 0).astype(np.uint16)
            (folder / name).write_bytes(cv2.imencode(".png", labels)[1].tobytes())
        pieces = [
            {"piece": one + 1, "in": int(parent) + 1 if parent != one else None, "whole": round(float(whole), 4)}
            for one, (parent, whole) in enumerate(zip(made.parents.tolist(), made.whole.tolist(), strict=True))
        ]
        box = list(self._box.as_xywh())
        said = {"box": box, "patches": made.count, "images": list(images), "pieces": pieces}
        (folder / "pieces.json").write_text(json.dumps(said, indent=1) + "\n")
        return said


def clicked(picking: Picking, line: str) -> dict[str, Any]:
    """What clicks take, from a JSON list to plain values: box on the canvas, pixels, seconds, and the runs of the mask.

    Raises `SelectionError` for text that is no such list.
    """
    try:
        clicks = documents.parsed(line, LONGEST)
    except ValueError as error:
        raise SelectionError(f"It {error}. Give a JSON list of clicks.") from error
    if not isinstance(clicks, list):
        raise SelectionError("There is no list. Give a JSON list of clicks.")
    began = time.perf_counter()
    mask = picking.pick(clicks)
    seconds = time.perf_counter() - began
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    box = None
    if rows.size:
        box = [int(columns[0]), int(rows[0]), int(np.ptp(columns)) + 1, int(np.ptp(rows)) + 1]
    return {"box": box, "pixels": int(mask.sum()), "seconds": round(seconds, 4), "rle": run_lengths(mask)}


def run_lengths(mask: NDArray[np.bool_]) -> list[int]:
    """The lengths of runs of a mask row by row, beginning with what is outside.

    >>> run_lengths(np.array([[False, True], [True, False]]))
    [1, 2, 1]
    >>> run_lengths(np.array([[True, True]]))
    [0, 2]
    """
    flat = mask.ravel()
    changes = np.flatnonzero(flat[1:] != flat[:-1]) + 1
    lengths = np.diff(np.r_[0, changes, flat.size]).tolist()
    return [0, *lengths] if flat[0] else lengths
