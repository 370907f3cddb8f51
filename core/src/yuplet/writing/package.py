"""Carrying out a plan: images, reference picture, table of places and manifest."""

import hashlib
import json
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from pathlib import Path

import deflate

from yuplet.arrangement.tree import Arrangement, laid
from yuplet.errors import FolderNotOurs
from yuplet.geometry import Box
from yuplet.parts.part import Part, frames_box, laid_part, render, render_frame
from yuplet.pixels import DeepPicture, Picture
from yuplet.pixels.compositing import Laid, Leaf, compose
from yuplet.pixels.scratch import PixelSource, Scratch
from yuplet.plan.plan import CREDITS, MANIFEST, REFERENCE, TABLE, Plan, PlannedPart
from yuplet.writing import manifest as manifests
from yuplet.writing import png
from yuplet.writing.credits import credits_text
from yuplet.writing.manifest import WrittenFile
from yuplet.writing.stores import FileStore


def carry_out(
    plan: Plan,
    source: PixelSource,
    store: FileStore,
    progress: Callable[[int, int], None],
    workers: int = 2,
    effort: png.Effort = "normal",
    obsolete: Sequence[str] = (),
) -> dict[str, WrittenFile]:
    """Write every file of a plan; the manifest comes last.

    Parameters
    ----------
    plan : Plan
        What to write.
    source : PixelSource
        The pixels of the layers.
    store : FileStore
        Takes the files.
    progress : callable
        Told (images done, images in all) after each image; may raise to stop the work.
    workers : int
        Threads; each holds the pixels of one part.
    effort : 'quick', 'normal' or 'small'
        How hard to compress.
    obsolete : sequence of str
        Files of an earlier package that stay in the folder, to be named in the manifest.

    Returns
    -------
    dict
        What was written, by file name.
    """
    written: dict[str, WrittenFile] = {}
    boxes: dict[str, Box] = {}
    images = [planned for planned in plan.parts if planned.has_own_image]
    total = len(images) + 1

    def write_image(name: str, picture: Picture) -> None:
        data = png.encode(picture, effort, plan.ppi)
        store.write(name, data)
        written[name] = WrittenFile(len(data), _sha256(data), f"{deflate.crc32(picture):08x}")

    def write_part(planned: PlannedPart) -> None:
        part = planned.part
        if len(part.frames) == 1:
            rendered = render(part, plan.layer_boxes, source, plan.canvas)
            if rendered is None:
                raise ValueError(f"'{planned.file}' was planned but has no pixels")
            boxes[part.id], picture = rendered
            write_image(planned.file, picture)
            return
        box = frames_box(part, plan.layer_boxes, source, plan.canvas)
        if box is None:
            raise ValueError(f"'{planned.file}' was planned but has no pixels")
        boxes[part.id] = box
        for index, file in enumerate(planned.files):
            write_image(file, render_frame(part, index, box, plan.layer_boxes, source))

    progress(0, total)
    # All threads together, and first: it is the largest piece of work.
    reference = _reference(plan, source, workers)
    with ThreadPoolExecutor(workers) as pool:
        # The largest pieces first, so that no thread is left with a large one at the end.
        largest_first = sorted(images, key=lambda planned: -planned.box.size.pixels)
        futures = [
            pool.submit(write_image, REFERENCE, reference),
            *(pool.submit(write_part, planned) for planned in largest_first),
        ]
        try:
            for done, future in enumerate(as_completed(futures), 1):
                future.result()
                progress(done, total)
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    boxes.update({planned.part.id: planned.box for planned in plan.parts if not planned.has_own_image})
    text = credits_text(plan.title, plan.credit).encode()
    store.write(CREDITS, text)
    written[CREDITS] = WrittenFile(len(text), _sha256(text))
    table = manifests.places_table(plan, boxes)
    store.write(TABLE, table)
    written[TABLE] = WrittenFile(len(table), _sha256(table))
    text = json.dumps(manifests.manifest(plan, written, boxes, obsolete), indent=1, ensure_ascii=False).encode()
    store.write(MANIFEST, text)
    written[MANIFEST] = WrittenFile(len(text), _sha256(text))
    return written


def _reference(plan: Plan, source: PixelSource, workers: int) -> Picture:
    """The picture as it must look again. Parts of several layers are laid as they are written: rounded to 8 bits."""
    with Scratch() as scratch:

        def one(part: Part) -> Laid | None:
            if part.is_one_layer:
                return laid_part(part, plan.layer_boxes, plan.canvas)
            rendered = render(part, plan.layer_boxes, source, plan.canvas)
            if rendered is None:
                return None
            box, picture = rendered
            scratch.put(f"part {part.id}", picture)
            return Leaf(f"part {part.id}", box, part.opacity, part.blend)

        members = laid(Arrangement(plan.tree), one)
        return compose(members, plan.canvas, _Both(source, scratch), workers)


class _Both:
    """Layers as they were brought in, and parts that were drawn."""

    def __init__(self, layers: PixelSource, parts: PixelSource) -> None:
        self._layers, self._parts = layers, parts

    def rows(self, key: str, top: int, bottom: int) -> Picture:
        return (self._parts if key.startswith("part ") else self._layers).rows(key, top, bottom)

    def deep_rows(self, key: str, top: int, bottom: int) -> DeepPicture | None:
        """Nothing: the reference is made of what is written, which has 8 bits."""
        return None


def earlier_package(folder: Path) -> set[str]:
    """The files of the package that a folder holds; empty for an empty or absent folder.

    Raises `FolderNotOurs` when there is anything that no manifest of ours lists.
    """
    if not folder.exists():
        return set()
    if not folder.is_dir():
        raise FolderNotOurs(str(folder), folder.name)
    found = {path.relative_to(folder).as_posix() for path in folder.rglob("*") if not path.is_dir()}
    if not found:
        return set()
    try:
        value = json.loads((folder / MANIFEST).read_bytes())
        ours = manifests.files_of(value) if value["format"] == manifests.FORMAT else set()
    except (OSError, ValueError, KeyError, TypeError):
        ours = set()
    foreign = sorted(found - ours)
    if foreign:
        raise FolderNotOurs(str(folder), foreign[0])
    return found


def _sha256(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()
