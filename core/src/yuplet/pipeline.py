"""What a pipeline needs: open a picture, arrange its parts, plan, hand over, prove. All of it is offered as `yuplet.open` and so on.

>>> import tempfile, pathlib, signal_post, yuplet
>>> folder = pathlib.Path(tempfile.mkdtemp())
>>> signal_post.write(folder / "post.ora")
>>> with yuplet.open(folder / "post.ora") as work:
...     arm = next(row["id"] for row in work.rows() if row["name"] == "arm")
...     work.apply({"do": "rename-rows", "names": {arm: "blade"}})
...     work.plan()[:2]
...     report = work.hand_over(folder / "package")
"Rename 'arm'"
['manifest.json', 'CREDITS.txt']
>>> report.proof.ok, yuplet.prove(folder / "package").differing_pixels
(True, 0)
"""

import hashlib
import json
import tempfile
from collections.abc import Callable, Mapping
from contextlib import ExitStack
from dataclasses import asdict
from pathlib import Path
from types import TracebackType
from typing import Any, get_args

from PIL import Image

from yuplet import documents
from yuplet.arrangement.commands import to_json as command_to_json
from yuplet.arrangement.first import first_arrangement
from yuplet.arrangement.records import to_json
from yuplet.arrangement.tree import Arrangement, Renamed
from yuplet.editing.commands import CODEC
from yuplet.editing.edit import edited
from yuplet.editing.looking_over import SMALLEST, found_in
from yuplet.errors import ArrangementNotUnderstood
from yuplet.findings.finding import Severity
from yuplet.findings.order import look_over_order
from yuplet.handover import HandOverReport, arrangement_for, hand_over, layers_beside, picture_beside, with_shapes
from yuplet.illustration.layers import Illustration, ReadingReport
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.measuring import measured
from yuplet.plan.plan import plan_hand_over
from yuplet.plan.planned import Plan
from yuplet.plan.recipe import Recipe, from_json, shipped
from yuplet.playable.written import Written, kind_of, write_motion
from yuplet.reading.files import drawing_of, read_illustration
from yuplet.rehearsal.film import Film
from yuplet.rehearsal.motion.camera import planes_that_run_out
from yuplet.rehearsal.motion.document import CAMERA, GROUND, motion_from_json
from yuplet.rehearsal.package import open_package
from yuplet.rehearsal.proof import Proof
from yuplet.rehearsal.proof import prove as _prove
from yuplet.rehearsal.reading import Reading
from yuplet.rehearsal.refresh import parts_of, refreshed
from yuplet.rehearsal.trying import opened_scene
from yuplet.writing.pictures import Sources


class Work:
    """A picture that is worked on; a context manager, since its pixels are in a scratch file. Made by `yuplet.open`."""

    def __init__(self, file: Path, arrangement: Path | None, pictures: Path | None) -> None:
        self._file = file
        self._stack = ExitStack()
        try:
            self._scratch = self._stack.enter_context(SpillFile())
            illustration, self.report = read_illustration(file, self._scratch)
            self._sha256 = hashlib.sha256(file.read_bytes()).hexdigest()
            handed_in = picture_beside(pictures or file)
            self.renamed: list[Renamed] = []
            if arrangement is None:
                self._layers = layers_beside(file, None, illustration, self._scratch, handed_in)
                self.arrangement, self.renamed = first_arrangement(illustration)
            else:
                document = read_document(arrangement)
                self._layers = layers_beside(arrangement, document, illustration, self._scratch, handed_in)
                self.arrangement = arrangement_for(self._layers.illustration, document)
        except BaseException:
            self._stack.close()
            raise

    report: ReadingReport
    """What was converted, repaired or not understood while reading."""
    arrangement: Arrangement
    """The parts as they are arranged now."""

    def __enter__(self) -> "Work":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the scratch file."""
        self._stack.close()

    @property
    def illustration(self) -> Illustration:
        """The layer tree, with the layers that were derived meanwhile."""
        return self._layers.illustration

    def rows(self) -> list[dict[str, Any]]:
        """Parts and groups, back to front, a group directly before its members, as plain values (docs/formats/arrangement.md)."""
        rows: list[dict[str, Any]] = to_json(self.arrangement)["rows"]
        return rows

    def apply(self, command: Mapping[str, Any]) -> str:
        """Carry out a command (docs/formats/commands.md); return its title. Raises `ArrangementError` or `SelectionError`."""
        before = self.arrangement
        self.arrangement, step = edited(before, CODEC.from_json(dict(command)), self._layers)
        self._layers.version += 1
        return step.title(before)

    def save(self, document: Path | str) -> None:
        """Write the arrangement, and the layers that were derived into a folder beside it (`A.layers` beside `A.json`)."""
        path = Path(document)
        value = to_json(self.arrangement)
        if self.illustration.made:
            value["derived"] = self._layers.save(path.with_suffix(".layers"))
        path.write_text(json.dumps(value, ensure_ascii=False, indent=1) + "\n", "utf-8")

    def plan(self, recipe: Recipe | Mapping[str, Any] | None = None) -> list[str]:
        """The files that a hand-over would write, in order; not a pixel is touched. Raises `PlanError`."""
        made = self._planned(recipe)
        made.require_no_errors()
        return list(made.files)

    def planned(self, recipe: Recipe | Mapping[str, Any] | None = None) -> dict[str, Any]:
        """The same as plain values, with what is to be known before: nothing is raised for what stops it.

        Returns
        -------
        dict
            `files`: each with its `name`, `kind`, `scale`, `width` and `height` (null where it is no picture) and the ids of the `parts` that it
            shows; `notes`: each with `kind`, `severity` (error, warning) and `sentence`, findings that are errors among them; `stopped`: whether
            one of them stops a hand-over.
        """
        made = self._planned(recipe)
        files = [
            {
                "name": one.name,
                "kind": one.kind,
                "scale": one.scale,
                "width": one.size and one.size.width,
                "height": one.size and one.size.height,
                "parts": list(one.parts),
            }
            for one in made.listed
        ]
        notes = [{"kind": one.kind, "severity": one.severity, "sentence": one.sentence} for one in made.notes]
        boxes = self.arrangement.boxes(self.illustration)
        notes += [
            {"kind": one.kind, "severity": one.severity, "sentence": one.sentence}
            for one in look_over_order(self.arrangement, boxes, self.illustration.canvas)
            if one.severity == "error"
        ]
        return {"files": files, "notes": notes, "stopped": any(one["severity"] == "error" for one in notes)}

    def findings(self, smallest: int = SMALLEST, tolerance: int = 0) -> list[dict[str, Any]]:
        """What is to be looked at before a hand-over, of the order and of the pixels, the gravest first, as plain values.

        Parameters
        ----------
        smallest : int
            Pixels from which on a piece or a hole is meant.
        tolerance : int
            Levels of 255 by which two drawings may differ and be the same.
        """
        boxes = self.arrangement.boxes(self.illustration)
        found = look_over_order(self.arrangement, boxes, self.illustration.canvas)
        found += found_in(self.arrangement, self._layers, smallest, tolerance)
        gravest = get_args(Severity)
        return [
            {
                "kind": one.kind,
                "severity": one.severity,
                "sentence": one.sentence,
                "rows": list(one.rows),
                "box": None if one.box is None else one.box.as_xywh(),
            }
            for one in sorted(found, key=lambda one: gravest.index(one.severity))
        ]

    def hand_over(
        self,
        folder: Path | str,
        recipe: Recipe | Mapping[str, Any] | None = None,
        remove_obsolete: bool = False,
        progress: Callable[[str, int, int], None] = lambda *_: None,
        overwrite: bool = True,
        prove_everything: bool = False,
    ) -> HandOverReport:
        """Write a package and prove it; until it is proved the folder stays as it was. Where it holds an earlier package that was proved, only what has
        changed is looked at, unless `prove_everything` is true.

        Raises `PlanError` or `WriteError`, which is `EditedSince` where somebody has changed a file of the earlier package and `overwrite` is false.
        """
        wanted = _recipe(recipe)
        self._layers.put_into(self._scratch)
        return hand_over(
            self.illustration,
            self.arrangement,
            Sources(self._scratch, drawing_of(self._file)),
            Path(folder),
            self._sha256,
            progress,
            remove_obsolete=remove_obsolete,
            recipe=wanted,
            digests=self._digests(wanted),
            overwrite=overwrite,
            prove_everything=prove_everything,
        )

    def _planned(self, recipe: Recipe | Mapping[str, Any] | None) -> Plan:
        wanted = _recipe(recipe)
        self._layers.put_into(self._scratch)
        found = measured(self.illustration, self.arrangement, wanted, self._scratch)
        return plan_hand_over(
            self.illustration, self.arrangement, self._sha256, "", wanted, found, self._digests(wanted)
        )

    def _digests(self, recipe: Recipe) -> Mapping[str, str]:
        wanted = {layer for _, part in self.arrangement.parts() if part.included for layer in part.layers}
        pixels = {layer: self._scratch.digest(layer) for layer in wanted & set(self.illustration.boxes)}
        return with_shapes(pixels, self.illustration, recipe, drawing_of(self._file))


def open(  # noqa: A001 - it is `yuplet.open`
    file: Path | str, arrangement: Path | str | None = None, pictures: Path | str | None = None
) -> Work:
    """Open a picture of any kind that is read, as it is at first or as a document that `save` wrote says.

    Parameters
    ----------
    file : path
        OpenRaster, SVG, OpenEXR, a flat or animated picture, a ZIP of loose images, or a package.
    arrangement : path, optional
        A document that `save` or `./yuplet arrange` wrote.
    pictures : path, optional
        A file in whose folder the pictures are that commands name; else those beside `file`.

    Raises
    ------
    ReadError, ArrangementNotUnderstood
    """
    return Work(
        Path(file),
        None if arrangement is None else Path(arrangement),
        None if pictures is None else Path(pictures),
    )


def recipes() -> dict[str, Recipe]:
    """The recipes that come along, by name.

    >>> sorted(recipes())[:2]
    ['Cut-out rig, trimmed', 'Interface pieces']
    """
    return {recipe.name: recipe for recipe in shipped().values()}


def recipe(document: Mapping[str, Any]) -> Recipe:
    """A recipe from its document (docs/formats/recipe.md). Raises `RecipeNotUnderstood`."""
    return from_json(dict(document))


def prove(folder: Path | str) -> Proof:
    """Put a package together again and compare it with its reference picture, by code that shares nothing with what wrote it."""
    return _prove(Path(folder), lambda *_: None)


def move(
    folder: Path | str,
    motion: Mapping[str, Any] | None = None,
    *,
    at: float = 0.0,
    picture: Path | str | None = None,
    film: Path | str | None = None,
    width: int | None = None,
    reading: Reading | None = None,
    elsewhere: Path | None = None,
) -> dict[str, Any]:
    """Open a package as a receiver does and move its parts (docs/formats/motion.md).

    Parameters
    ----------
    folder : path
        Holds the package; only read.
    motion : mapping, optional
        The motion; without, nothing moves.
    at : float
        Seconds: when `picture` is drawn.
    picture : path, optional
        A PNG is written there.
    film : path, optional
        A film is written there: animated PNG (.png), WebP (.webp), GIF (.gif), WebM (.webm), or numbered PNG in a ZIP (.zip). Or what plays the
        motion itself: a page (.html), a drawing (.svg), a model (.glb), or the motion as JSON (.json).
    width : int, optional
        Of a picture and a film, in pixels; without, as wide as the canvas.
    reading : Reading, optional
        How the package is read.
    elsewhere : path, optional
        A folder in which what is missing is looked for.

    Returns
    -------
    dict
        `pictures`: how many the film has; `notes`: what its format cannot carry; `replay`: what came of reading a motion back (null for films); `lost`: what the motion moves and the package does not have; `runs_out`: planes that end
        within the picture while the camera moves.

    Raises
    ------
    PackageError, MotionError
        The package cannot be put together; the motion or the film cannot be.
    """
    said = motion_from_json({} if motion is None else motion)
    with tempfile.TemporaryDirectory() as scratch:
        scene, rig = opened_scene(Path(folder), reading or Reading(), Path(scratch), elsewhere=elsewhere)
        whole = Film(scene, rig, said, width)
        if picture is not None:
            drawn = Film(scene, rig, said, width, only=at).picture(0)
            Image.fromarray(drawn, "RGBA").save(Path(picture), "PNG")
        written = Written(pictures=whole.count)
        if film is not None:
            path = Path(film)
            written = write_motion(
                scene, rig, said, kind_of(path), path, width=width, title=Path(folder).resolve().name
            )
    here = {*rig.by_id, *rig.sets, CAMERA, GROUND}
    return {
        **written.as_json(),
        "lost": sorted({track.target for track in said.tracks} - here),
        "runs_out": [asdict(one) for one in planes_that_run_out(said, rig)],
    }


def refresh(before: Path | str, after: Path | str) -> dict[str, Any]:
    """What of the second package is otherwise than in the first: names of parts that are `changed`, `new`, `gone`, have an `other_pivot`, `other_box` or
    `other_parent`, and how many are the `same`. Raises `PackageError` where one of them has no manifest.
    """
    return refreshed(*(parts_of(open_package(Path(folder))) for folder in (before, after))).as_json()


def command(value: Mapping[str, Any]) -> dict[str, Any]:
    """A command as it is understood, with all that has a default. Raises `ArrangementError` where it is none.

    >>> command({"do": "spread-depths", "rows": ["l1"], "step": 50.0})["nearest"]
    0.0
    """
    return json.loads(json.dumps(command_to_json(CODEC.from_json(dict(value)))))  # type: ignore[no-any-return]


def read_document(path: Path) -> Any:
    """A JSON document, within limits. Raises `ArrangementNotUnderstood`."""
    try:
        return documents.parsed(path.read_bytes())
    except ValueError as error:
        raise ArrangementNotUnderstood(
            f"'{path}' {error}. Nothing was written. Give a document that 'arrange' wrote."
        ) from error


def _recipe(given: Recipe | Mapping[str, Any] | None) -> Recipe:
    if given is None:
        return Recipe()
    return given if isinstance(given, Recipe) else recipe(given)
