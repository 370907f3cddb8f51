"""Doors of the core, each with something good to go through it, for changes by chance: anything but a sentence is a fault of ours.

`python -m tests.fuzzing SECONDS [SEED]` goes on for so long and writes what it finds into `var/fuzz`; the tests do a bounded part of it.
"""

import copy
import io
import json
import random
import signal
import sys
import tempfile
import time
import traceback
import warnings
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from types import FrameType
from typing import Any, NoReturn

import numpy as np
from PIL import Image

import mutations
import signal_post
from yuplet.arrangement.first import first_arrangement
from yuplet.arrangement.records import from_json as arrangement_from_json
from yuplet.arrangement.records import to_json as arrangement_to_json
from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import YupletError
from yuplet.handover import arrangement_for, hand_over
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.plan import plan_hand_over
from yuplet.plan.recipe import from_json as recipe_from_json
from yuplet.plan.recipe import shipped
from yuplet.plan.recipe import to_json as recipe_to_json
from yuplet.reading.choices import Choices
from yuplet.reading.files import read_illustration
from yuplet.rehearsal.proof import prove
from yuplet.writing.pictures import Sources

# Decoders warn of what is damaged; whether it is told is looked at here.
warnings.simplefilter("ignore")

LONGEST = 20.0
"""Seconds that anything may take."""

Door = Callable[[Any], None]


class TookTooLong(Exception):
    """It did not answer in time."""


class Doors:
    """Everything that is needed to go through each door many times."""

    KINDS = (
        "arrangement", "recipe", "manifest that is proved", "manifest of a folder that is updated", "manifest that is brought in", "choices",
    )  # fmt: skip
    NAMES = (
        "post.ora", "package.zip", "shapes.svg", "a.png", "a.webp", "a.tif", "a.avif", "a.gif", "a.jpg", "moving.png", "moving.gif",
        "moving.webp", "loose.zip",
    )  # fmt: skip

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.scratch = SpillFile()
        self.post = signal_post.signal_post(self.scratch)
        self.start = arrangement_of(self.post)[0]
        self.package = folder / "package"
        hand_over(self.post, self.start, Sources(self.scratch), self.package, "ab" * 32, _quiet, recipe=_rich())
        self.manifest = json.loads((self.package / "manifest.json").read_text())

    def close(self) -> None:
        """Give back what was opened."""
        self.scratch.__exit__()

    def documents(self) -> dict[str, tuple[Any, Door]]:
        """Each kind of document, and what reads it."""
        return {
            "arrangement": (arrangement_to_json(self.start), self._arrangement),
            "recipe": (recipe_to_json(_rich()), self._recipe),
            "manifest that is proved": (self.manifest, self._prove),
            "manifest of a folder that is updated": (self.manifest, self._update),
            "manifest that is brought in": (self.manifest, self._bring_in),
            "choices": ({"sheet": {"columns": 2, "rows": 1, "cell": [4, 4]}, "ppi": 96, "names": "id"}, self._choices),
        }

    def files(self) -> dict[str, bytes]:
        """A small good file of each format."""
        ora = io.BytesIO()
        path = self.folder / "post.ora"
        signal_post.write(path)
        ora.write(path.read_bytes())
        picture = Image.fromarray(np.random.default_rng(1).integers(0, 256, (24, 24, 4)).astype(np.uint8), "RGBA")
        found = {"post.ora": ora.getvalue(), "package.zip": _zipped(self.package), "shapes.svg": _SVG}
        for name, form, options in (
            ("a.png", "PNG", {}),
            ("a.webp", "WEBP", {"lossless": True}),
            ("a.tif", "TIFF", {}),
            ("a.avif", "AVIF", {}),
            ("a.gif", "GIF", {}),
            ("a.jpg", "JPEG", {}),
        ):
            out = io.BytesIO()
            (picture.convert("RGB") if form == "JPEG" else picture).save(out, form, **options)
            found[name] = out.getvalue()
        for name, form in (("moving.png", "PNG"), ("moving.gif", "GIF"), ("moving.webp", "WEBP")):
            out = io.BytesIO()
            picture.save(out, form, save_all=True, append_images=[picture.rotate(90), picture.rotate(180)], duration=50)
            found[name] = out.getvalue()
        loose = io.BytesIO()
        with zipfile.ZipFile(loose, "w") as archive:
            for number in range(3):
                archive.writestr(f"walk {number}.png", found["a.png"])
        return {**found, "loose.zip": loose.getvalue()}

    def read(self, name: str, data: bytes) -> None:
        """Bring a file in."""
        path = self.folder / f"fuzzed {name}"
        path.write_bytes(data)
        with SpillFile() as scratch:
            illustration, _ = read_illustration(path, scratch)
            first_arrangement(illustration)

    def _arrangement(self, value: Any) -> None:
        arrangement = arrangement_for(self.post, value)
        arrangement_from_json(arrangement_to_json(arrangement))
        plan_hand_over(self.post, arrangement)

    def _recipe(self, value: Any) -> None:
        plan_hand_over(self.post, self.start, recipe=recipe_from_json(value))

    def _with(self, value: Any) -> None:
        (self.package / "manifest.json").write_text(json.dumps(value))

    def _prove(self, value: Any) -> None:
        self._with(value)
        prove(self.package, _quiet)

    def _update(self, value: Any) -> None:
        self._with(value)
        hand_over(self.post, self.start, Sources(self.scratch), self.package, "ab" * 32, _quiet, recipe=_rich())

    def _bring_in(self, value: Any) -> None:
        self._with(value)
        self.read("package.zip", _zipped(self.package))

    def _choices(self, value: Any) -> None:
        Choices.from_json(value)


def faults(door: Callable[[], None]) -> str | None:
    """What is wrong when something goes through a door; None for success and for an error with a sentence."""

    def late(number: int, frame: FrameType | None) -> NoReturn:
        raise TookTooLong(f"more than {LONGEST} s")

    before = signal.signal(signal.SIGALRM, late)
    signal.setitimer(signal.ITIMER_REAL, LONGEST)
    try:
        door()
    except YupletError as error:
        said = str(error)
        return None if said.strip().endswith(".") and "Traceback" not in said else f"no sentence: {said!r}"
    except Exception:
        return traceback.format_exc(limit=-3)
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
    return None


def changed_documents(doors: Doors, count: int, seed: int) -> Iterator[tuple[str, str, Callable[[], None], Any]]:
    """So many changes of each document: which it is, what was changed, and how it goes through its door."""
    for kind, (value, door) in doors.documents().items():
        for said, changed in mutations.documents(value, count, seed):
            yield kind, said, lambda door=door, changed=changed: door(copy.deepcopy(changed)), changed  # type: ignore[misc]


def changed_files(doors: Doors, count: int, seed: int) -> Iterator[tuple[str, bytes, Callable[[], None]]]:
    """So many changes of each file, and how it goes through its door."""
    for name, data in doors.files().items():
        for changed in mutations.files(data, count, seed):
            yield name, changed, lambda name=name, changed=changed: doors.read(name, changed)  # type: ignore[misc]


def _rich() -> Any:
    by = next(recipe for file, recipe in shipped().items() if file == "cut-out-rig.json")
    said = recipe_to_json(by)
    said["beside"] = {"places": [{"format": "csv"}], "combinations": [{"name": "whole"}], "page": True}
    said["scales"] = [{"factor": 1}, {"factor": 0.5}]
    return recipe_from_json(said)


def _quiet(*_: object) -> None:
    pass


def _zipped(folder: Path) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for path in sorted(folder.rglob("*")):
            if path.is_file():
                archive.write(path, path.relative_to(folder).as_posix())
    return out.getvalue()


_SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 40 30" width="40" height="30">
<style>.a{fill:#123} g > rect, .b ~ path {stroke:red}</style><defs><linearGradient id="l"><stop offset="0" stop-color="#fff"/></linearGradient>
<mask id="m"><rect width="9" height="9" fill="white"/></mask><filter id="f"><feGaussianBlur stdDeviation="1"/></filter></defs>
<g id="post" opacity="0.5"><rect class="a" width="9" height="9" fill="url(#l)"/><path d="M1 2L3 4z" mask="url(#m)"/></g>
<use xlink:href="#post" x="3"/><text y="9" font-size="4">marsh</text><circle r="3" filter="url(#f)" style="mix-blend-mode:multiply"/></svg>"""


def main() -> int:
    """Go on for some seconds with ever other changes; answers how many faults were found."""
    seconds, seed = float(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else random.randrange(10**6)
    kept = Path("var/fuzz")
    deadline, count, found = time.monotonic() + seconds, 0, 0
    with tempfile.TemporaryDirectory() as name:
        doors = Doors(Path(name))
        while time.monotonic() < deadline:
            seed += 1
            for kind, said, door, value in changed_documents(doors, 5, seed):
                count += 1
                if (fault := faults(door)) is not None:
                    found += 1
                    _keep(kept, f"{seed} {kind} {count}.json", json.dumps(value).encode(), f"{kind}: {said}\n{fault}")
            for file, data, door in changed_files(doors, 5, seed):
                count += 1
                if (fault := faults(door)) is not None:
                    found += 1
                    _keep(kept, f"{seed} {count} {file}", data, f"{file}\n{fault}")
        doors.close()
    print(f"{count} changes, {found} faults, the last seed {seed}")
    return 1 if found else 0


def _keep(folder: Path, name: str, data: bytes, said: str) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    (folder / name).write_bytes(data)
    print(f"{folder / name}: {said}", flush=True)


if __name__ == "__main__":
    sys.exit(main())
