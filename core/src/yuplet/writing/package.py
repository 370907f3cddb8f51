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
from yuplet.parts.part import render
from yuplet.pixels import Picture
from yuplet.pixels.compositing import compose
from yuplet.pixels.scratch import PixelSource
from yuplet.plan.plan import MANIFEST, REFERENCE, TABLE, Plan, PlannedPart
from yuplet.writing import manifest as manifests
from yuplet.writing import png
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
    total = len(plan.parts) + 1

    def write_image(name: str, picture: Picture) -> None:
        data = png.encode(picture, effort, plan.ppi)
        store.write(name, data)
        written[name] = WrittenFile(len(data), _sha256(data), f"{deflate.crc32(picture):08x}")

    def write_part(planned: PlannedPart) -> None:
        rendered = render(planned.part, plan.layer_boxes, source)
        if rendered is None:
            raise ValueError(f"'{planned.file}' was planned but has no pixels")
        boxes[planned.part.id], picture = rendered
        write_image(planned.file, picture)

    progress(0, total)
    # All threads together, and first: it is the largest piece of work.
    reference = compose(laid(Arrangement(plan.tree), plan.layer_boxes), plan.canvas, source, workers)
    with ThreadPoolExecutor(workers) as pool:
        # The largest pieces first, so that no thread is left with a large one at the end.
        largest_first = sorted(plan.parts, key=lambda planned: -planned.box.size.pixels)
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
    table = manifests.places_table(plan, boxes)
    store.write(TABLE, table)
    written[TABLE] = WrittenFile(len(table), _sha256(table))
    text = json.dumps(manifests.manifest(plan, written, boxes, obsolete), indent=1, ensure_ascii=False).encode()
    store.write(MANIFEST, text)
    written[MANIFEST] = WrittenFile(len(text), _sha256(text))
    return written


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
