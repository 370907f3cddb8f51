"""The whole way through, from a file to a proven package. Read this first."""

import hashlib
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

from yuplet.arrangement.first import first_arrangement
from yuplet.arrangement.records import from_json, require_arrangement
from yuplet.arrangement.tree import Arrangement, Renamed
from yuplet.compiled import prepare
from yuplet.editing.layers import MemoryLayers
from yuplet.errors import (
    ArrangementNotUnderstood,
    ChangedWhileRead,
    EditedSince,
    FolderNotOurs,
    PlanError,
    StoppedByFindings,
    shown,
    some,
)
from yuplet.findings.order import look_over_order
from yuplet.illustration.layers import Illustration, ReadingReport, composite_tree
from yuplet.paths import PackagePath, within
from yuplet.pixels import Picture, kernels
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import PixelSource, SpillFile, VectorSource
from yuplet.plan.measuring import measured
from yuplet.plan.plan import plan_hand_over
from yuplet.plan.planned import MANIFEST
from yuplet.plan.recipe import Recipe, Scale
from yuplet.reading.files import drawing_of, read_illustration
from yuplet.rehearsal.changes import prove_changes
from yuplet.rehearsal.proof import Proof, prove
from yuplet.writing.package import carry_out, earlier_package, edited_since, require_same_illustration, say_unproved
from yuplet.writing.pictures import Sources
from yuplet.writing.stores import StagedFolder, alone_in


@dataclass(frozen=True, slots=True, kw_only=True)
class HandOverReport:
    """What a hand-over wrote, and what the rehearsal found when it put the package together again. `left_alone` are files in the folder that are
    not of the package; `overwritten` are those of the earlier one that somebody had changed.
    """

    parts: int
    files: list[str]
    bytes: int
    seconds: float
    empty: list[str]
    left_out: list[str]
    obsolete: list[str]
    proof: Proof
    file_bytes: dict[str, int]
    kept: list[str]
    warnings: list[str]
    left_alone: list[str]
    overwritten: list[str]


_LOOPS = (
    kernels.lay_normal,
    kernels.to_8_bits,
    kernels.clear_hidden_colour,
    kernels.colour_kinds,
    kernels.index_colours,
    kernels.filter_rows,
)
"""What every hand-over calls."""
Progress = Callable[[str, int, int], None]
"""Told (stage, done, in all); stages are 'read', 'write' and 'prove'. May raise to stop the work."""


def hand_over_file(
    file: Path,
    folder: Path,
    progress: Progress,
    workers: int = 2,
    remove_obsolete: bool = False,
    given: Any = None,
    recipe: Recipe | None = None,
    given_at: Path | None = None,
    overwrite: bool = True,
    prove_everything: bool = False,
) -> tuple[HandOverReport, list[Renamed], ReadingReport]:
    """Hand over every layer of a file as a part, hidden ones too; with an arrangement that is `given` as a document, as that says.

    Layers that were derived are read from the folder beside `given_at`, where the document came from.

    Errors are those of `read_illustration`, `arrangement_for`, `plan_hand_over` and `hand_over`.
    """
    earlier_package(folder)
    prepare(*_LOOPS)
    before = _stamp(file)
    with SpillFile() as scratch:
        illustration, reading = read_illustration(file, scratch, lambda k, n: progress("read", k, n), workers)
        renamed: list[Renamed] = []
        if given is None:
            arrangement, renamed = first_arrangement(illustration)
        else:
            if given_at is not None:
                layers = layers_beside(given_at, given, illustration, scratch)
                layers.put_into(scratch)
                illustration = layers.illustration
            arrangement = arrangement_for(illustration, given)
        digest = hashlib.sha256(file.read_bytes()).hexdigest()
        wanted = {layer for _, part in arrangement.parts() if part.included for layer in part.layers}
        drawing = drawing_of(file)
        if _stamp(file) != before:
            raise ChangedWhileRead(str(file))
        pixels = {layer: scratch.digest(layer) for layer in wanted & set(illustration.boxes)}
        digests = with_shapes(pixels, illustration, recipe or Recipe(), drawing)
        report = hand_over(
            illustration,
            arrangement,
            Sources(scratch, drawing),
            folder,
            digest,
            progress,
            workers,
            remove_obsolete,
            recipe=recipe,
            digests=digests,
            overwrite=overwrite,
            prove_everything=prove_everything,
        )
    return report, renamed, reading


def _stamp(file: Path) -> tuple[int, ...]:
    """What changes when a file is saved; of one that is not there nothing, for its reader says so."""
    if not file.exists():
        return ()
    found = file.stat()
    return found.st_ino, found.st_size, found.st_mtime_ns


def arrangement_for(illustration: Illustration, value: Any) -> Arrangement:
    """An arrangement that was kept as a document, for an illustration that has its layers. Raises `ArrangementNotUnderstood`."""
    arrangement = from_json(value)
    known = {layer.id for layer in illustration.leaves()} | {made.id for made in illustration.made}
    for _, part in arrangement.parts():
        if unknown := part.layers - known:
            raise ArrangementNotUnderstood(
                f"'{shown(part.name)}' is of the layer '{shown(min(unknown))}', which the file does not have. Give an arrangement of this file."
            )
    return arrangement


def layers_beside(
    document_at: Path,
    value: Any,
    illustration: Illustration,
    pixels: PixelSource,
    handed_in: Callable[[str], Picture] | None = None,
) -> MemoryLayers:
    """The layers of an illustration with those that a document's folder (`A.layers` beside `A.json`) has derived of them.

    Raises `ArrangementNotUnderstood`.
    """
    layers = MemoryLayers(illustration, pixels, handed_in)
    if isinstance(value, dict) and "derived" in value:
        require_arrangement(value)
        layers.load(value["derived"], document_at.with_suffix(".layers"))
    return layers


def picture_beside(commands_at: Path) -> Callable[[str], Picture]:
    """What reads a picture that a command names, from the folder in which the commands are."""

    def read(name: str) -> Picture:
        path = within(commands_at.resolve().parent, PackagePath(name))
        with SpillFile() as scratch:
            found, _ = read_illustration(path, scratch)
            picture = compose(composite_tree(found.layers), found.canvas, scratch)
        kernels.clear_hidden_colour(picture)
        return picture

    return read


def _require_few_bytes(found: int, recipe: Recipe) -> None:
    most = recipe.limits.bytes
    if most is not None and found > most:
        raise PlanError(
            f"The package has {found:,} bytes; the target program allows up to {most:,}. Nothing was kept. Use a smaller scale, a lossy format, or stronger PNG compression."
        )


def with_shapes(
    digests: Mapping[str, str], illustration: Illustration, recipe: Recipe, drawing: VectorSource | None
) -> Mapping[str, str]:
    """The digests of layers, with their shapes where a recipe has these drawn anew: what looks equal at scale 1 may differ at others."""
    is_drawn = any(scale != Scale() for scale in recipe.scales) or recipe.extras.scene or recipe.extras.vector != "none"
    if drawing is None or not is_drawn:
        return digests
    shapes = {
        layer.id: drawing.digest(layer.source)
        for layer in illustration.leaves()
        if layer.kind == "vector" and layer.source is not None and layer.id in digests
    }
    return {layer: f"{known} {shapes[layer]}" if layer in shapes else known for layer, known in digests.items()}


def require_no_findings(illustration: Illustration, arrangement: Arrangement) -> None:
    """Raise `StoppedByFindings` where a finding is an error; warnings stop nothing."""
    boxes = arrangement.boxes(illustration)
    found = look_over_order(arrangement, boxes, illustration.canvas)
    errors = [one.sentence for one in found if one.severity == "error"]
    if errors:
        raise StoppedByFindings(errors)


def hand_over(
    illustration: Illustration,
    arrangement: Arrangement,
    sources: Sources,
    folder: Path,
    source_sha256: str,
    progress: Progress,
    workers: int = 2,
    remove_obsolete: bool = False,
    illustration_id: str = "",
    recipe: Recipe | None = None,
    digests: Mapping[str, str] | None = None,
    overwrite: bool = True,
    prove_everything: bool = False,
) -> HandOverReport:
    """Plan, write and prove a package.

    The folder is empty, absent, or holds an earlier package, which is brought up to date: until every file is written and proven
    it stays as it was, and what has not changed stays for good. Files of the earlier package that are no longer wanted are listed, and
    stay unless `remove_obsolete` is true. `digests` tells the pixels of
    layers apart; without it everything counts as changed. What is not of the package is left alone. Files of it that somebody has changed
    since are overwritten and listed, unless `overwrite` is false. Where the earlier package was proved, only what has changed is looked at,
    unless `prove_everything` is true.

    Raises
    ------
    PlanError, WriteError
        Nothing was changed in the folder.
    """
    started = time.monotonic()
    recipe = recipe or Recipe()
    sources = replace(sources, digests=digests or {})
    with alone_in(folder):
        earlier = earlier_package(folder)
        require_same_illustration(earlier, illustration_id, folder)
        found = measured(illustration, arrangement, recipe, sources.pixels)
        plan = plan_hand_over(illustration, arrangement, source_sha256, illustration_id, recipe, found, digests)
        plan.require_no_errors()
        require_no_findings(illustration, arrangement)
        obsolete = sorted(earlier.files - set(plan.files))
        in_the_way = sorted(set(plan.files) & set(earlier.foreign))
        if in_the_way:
            raise FolderNotOurs(str(folder), in_the_way[0])
        gone = set(obsolete if remove_obsolete else ())
        edited = [name for name in edited_since(folder, earlier, workers) if name in gone or name in plan.files]
        if edited and not overwrite:
            raise EditedSince(str(folder), edited)
        known = {name: file for name, file in earlier.known.items() if name not in edited}
        earlier = replace(earlier, known=known)
        with StagedFolder(folder, earlier.files) as staged:
            kept = [] if remove_obsolete else obsolete
            written = carry_out(plan, sources, staged, lambda k, n: progress("write", k, n), workers, kept, earlier)
            _require_few_bytes(sum(written[name].bytes for name in plan.files), recipe)
            told = partial(progress, "prove")
            if edited or prove_everything:
                proof = prove(staged.folder, told, workers)
            else:
                proof = prove_changes(staged.folder, folder, told, workers)
            if not proof.ok:
                say_unproved(staged, written)
            staged.publish(MANIFEST, obsolete if remove_obsolete else ())
    warnings = [note.sentence for note in plan.notes]
    if edited:
        warnings.append(f"Somebody had changed {some(edited)} since the last hand-over; that was overwritten.")
    return HandOverReport(
        parts=len(plan.parts),
        files=plan.files,
        bytes=sum(written[name].bytes for name in plan.files),
        seconds=round(time.monotonic() - started, 3),
        empty=list(plan.empty),
        left_out=list(plan.left_out),
        obsolete=obsolete,
        proof=proof,
        file_bytes={name: written[name].bytes for name in plan.files},
        kept=[name for name in plan.files if written[name].is_kept],
        warnings=warnings,
        left_alone=list(earlier.foreign),
        overwritten=edited,
    )
