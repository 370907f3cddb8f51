"""Bringing in: the original is kept first, then read by a worker."""

import io
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict
from pathlib import Path, PurePath
from typing import IO

import numpy as np
from django.db import transaction
from django.dispatch import Signal
from PIL import Image

from yuplet.arrangement.tree import Renamed, arrangement_of
from yuplet.errors import BrokenFile, TooLarge
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.layers import ReadingReport, laid
from yuplet.illustration.records import to_record
from yuplet.pixels import Picture
from yuplet.pixels.compositing import compose
from yuplet.pixels.scratch import Scratch
from yuplet.reading.files import MergedComparison, compare_with_merged, read_illustration
from yuplet.writing import png
from yuplet_server.accounts.models import User
from yuplet_server.illustrations.models import Illustration, LayerImage
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs.models import Job
from yuplet_server.projects.models import Project
from yuplet_server.projects.storage import blobs

MAX_UPLOAD = 2 << 30
THUMBNAIL = 72
PREVIEW = 720

brought_in = Signal()
"""Sent in the transaction that lands a picture, with `illustration_id` and its first arrangement as `tree`."""


def keep_upload(
    project: Project, user: User | None, file_name: str, size: int, content: IO[bytes], longest: int | None = None
) -> Illustration:
    """Keep an original byte for byte and ask for it to be read. Raises `ReadError` when it is empty or too large."""
    if size == 0:
        raise BrokenFile(f"'{file_name}' is empty. Save it again and bring it in once more.")
    if size > MAX_UPLOAD:
        raise TooLarge(f"'{file_name}' has {size / 2**30:.1f} GiB; Yuplet takes up to {MAX_UPLOAD >> 30} GiB.")
    digest = blobs().keep(content)
    file_name = PurePath(file_name.replace("\\", "/")).name[-255:]
    with transaction.atomic():
        illustration = Illustration.objects.create(
            project=project,
            name=PurePath(file_name).stem[:200] or "illustration",
            file_name=file_name,
            sha256=digest,
            bytes=size,
            longest=longest,
            created_by=user,
        )
        illustration.job = jobs.start(Job.Kind.BRING_IN, project.pk, illustration.pk, user)
        illustration.save(update_fields=["job"])
    return illustration


def bring_in(illustration_id: int, folder: Path, progress: jobs.Progress) -> jobs.Landing:
    """Read a kept original; answers how the result lands in the database. Raises `ReadError`."""
    kept = Illustration.objects.get(pk=illustration_id)
    with Scratch(str(folder)) as scratch, blobs().local(kept.sha256) as path:
        read, report = read_illustration(
            path, scratch, lambda k, n: progress("read", k, n), file_name=kept.file_name, longest=kept.longest
        )
        images = _keep_images(read, scratch, progress)
        preview = blobs().keep(
            io.BytesIO(png.encode(_small(compose(laid(read.layers), read.canvas, scratch), PREVIEW)))
        )
        merged = compare_with_merged(path, read, scratch)
    arrangement, renamed = arrangement_of(read)

    def land() -> None:
        Illustration.objects.filter(pk=illustration_id).update(
            state=Illustration.State.READY,
            width=read.canvas.width,
            height=read.canvas.height,
            preview=preview,
            record=to_record(read),
            report=_report(read, report, renamed, merged),
        )
        LayerImage.objects.bulk_create(
            LayerImage(illustration_id=illustration_id, layer=layer, pixels=pixels, thumbnail=thumbnail)
            for layer, pixels, thumbnail in images
        )
        brought_in.send(Illustration, illustration_id=illustration_id, tree=arrangement)

    return land


def rename(illustration: Illustration, name: str) -> None:
    """Give an illustration another name; the original keeps its file name."""
    illustration.name = name
    illustration.save(update_fields=["name"])


def _keep_images(read: Read, scratch: Scratch, progress: jobs.Progress) -> list[tuple[str, str, str]]:
    layers = [layer.id for layer in read.leaves() if layer.box is not None]

    def keep(layer: str) -> tuple[str, str, str]:
        picture = scratch.whole(layer)
        pixels = blobs().keep(io.BytesIO(png.encode(picture, "quick")))
        return layer, pixels, blobs().keep(io.BytesIO(png.encode(_small(picture, THUMBNAIL))))

    kept = []
    with ThreadPoolExecutor(2) as pool:
        for done, image in enumerate(pool.map(keep, layers), 1):
            progress("keep", done, len(layers))
            kept.append(image)
    return kept


def _small(picture: Picture, longest: int) -> Picture:
    image = Image.fromarray(picture, "RGBA")
    image.thumbnail((longest, longest), Image.Resampling.LANCZOS)
    return np.array(image)


def _report(
    read: Read, report: ReadingReport, renamed: list[Renamed], merged: MergedComparison | None
) -> dict[str, object]:
    notes = [asdict(note) for note in report.notes]
    notes += [
        {"kind": "renamed", "path": item.path, "sentence": f"Its name {item.reason}; the part is called '{item.name}'."}
        for item in renamed
    ]
    return {
        "counts": report.counts,
        "notes": notes,
        "ppi": read.ppi,
        "bit_depth": read.bit_depth,
        "colour_space": read.colour_space,
        "merged": None if merged is None else {**asdict(merged), "sentence": merged.sentence},
    }
