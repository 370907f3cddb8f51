"""Bringing in: the original is kept first, then read by a worker."""

import io
import shutil
import tempfile
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, replace
from pathlib import Path, PurePath
from typing import IO, Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from yuplet.arrangement.first import first_arrangement
from yuplet.arrangement.tree import Renamed
from yuplet.derivation.rebuilding import rebuilt
from yuplet.errors import BrokenFile, TooLarge
from yuplet.illustration.credit import Credit
from yuplet.illustration.derived import Cut, Extension, Pasted
from yuplet.illustration.derived import to_json as made_to_json
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.layers import ReadingReport, composite_tree
from yuplet.illustration.records import to_record
from yuplet.paths import plain
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.choices import AS_THE_FILE_SAYS, Choices
from yuplet.reading.files import MergedComparison, compare_with_merged, read_illustration
from yuplet.reading.package import package_of
from yuplet.writing import png
from yuplet_server.accounts.models import User
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.base.errors import NotNow
from yuplet_server.files.store import blobs
from yuplet_server.illustrations.layers import (
    Added,
    StoredLayers,
    halves_of,
    keep_halves,
    keep_mask,
    keep_picture,
    small,
)
from yuplet_server.illustrations.models import DerivedLayer, Halves, Illustration, LayerImage, Revision
from yuplet_server.illustrations.queries import mask_of, read_of
from yuplet_server.illustrations.signals import brought_in
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs import apart
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import add_bytes, removed, require_space
from yuplet_server.projects.models import Project

MAX_UPLOAD = 2 << 30
PREVIEW = 720


def keep_upload(
    project: Project,
    user: User | None,
    file_name: str,
    size: int,
    content: IO[bytes],
    choices: Choices = AS_THE_FILE_SAYS,
) -> Illustration:
    """Keep an original byte for byte and ask for it to be read. Raises `ReadError` when it is empty or too large.

    A package of ours of an illustration that is in the project already becomes a revision of it.
    """
    file_name = _checked(file_name, size)
    require_space(project, size)
    digest = blobs().keep(content)
    with blobs().local(digest) as path:
        uid = apart.ask("a package", package_of, path)
    with transaction.atomic():
        illustration = Illustration.objects.filter(project=project, uid=uid).first() if uid is not None else None
        if illustration is not None:
            _start_reading(illustration, user, file_name, digest, size, choices)
            return illustration
        illustration = Illustration.objects.create(
            project=project, name=PurePath(file_name).stem[:200] or "illustration", created_by=user
        )
        # One in the bin keeps what tells it from others; this is another one then.
        if uid is not None and not Illustration.everything.filter(project=project, uid=uid).exists():
            illustration.uid = uid
        illustration.current = _start_reading(illustration, user, file_name, digest, size, choices)
        illustration.save(update_fields=["current", "uid"])
    return illustration


def packed(files: Iterable[tuple[str, IO[bytes]]], together: str) -> tuple[str, int, IO[bytes]]:
    """Several files in one archive, each byte for byte: its name, size and content.

    `files` are paths and contents, which are closed one after the other. Raises `BrokenFile` where two have one name.
    """
    taken: set[str] = set()
    # Not named: it is gone when it is closed.
    archive = tempfile.TemporaryFile()  # noqa: SIM115
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_STORED) as out:
        for path, content in files:
            name = "/".join(
                plain(part) for part in PurePath(path.replace("\\", "/")).parts if part not in ("/", "..", ".")
            )
            if name in taken:
                raise BrokenFile(
                    f"Two of the files are called '{name}'. Rename one of them, or bring them in one by one."
                )
            taken.add(name)
            # One date for all, so that the same files make the same archive.
            with content, out.open(zipfile.ZipInfo(name), "w", force_zip64=True) as entry:
                shutil.copyfileobj(content, entry)
    size = archive.tell()
    archive.seek(0)
    return f"{plain(together) or 'loose images'}.zip", size, archive


def keep_revision(
    illustration: Illustration, user: User, file_name: str, size: int, content: IO[bytes], choices: Choices
) -> Revision:
    """Keep a new state of the art and ask for it to be read; it waits for a review. Raises `ReadError` or `NotNow`."""
    file_name = _checked(file_name, size)
    require_space(illustration.project, size)
    digest = blobs().keep(content)
    with transaction.atomic():
        return _start_reading(illustration, user, file_name, digest, size, choices)


@transaction.atomic
def read_again(illustration: Illustration, user: User, choices: Choices) -> Revision:
    """Ask for the current original to be read in another way; that is a revision like any other. Raises `NotNow`."""
    now = illustration.revision
    return _start_reading(illustration, user, now.file_name, now.sha256, now.bytes, choices)


@transaction.atomic
def discard(revision: Revision) -> None:
    """Remove a revision that is not worked with. Raises `NotNow` for the current one."""
    illustration = Illustration.objects.select_for_update().get(pk=revision.illustration_id)
    if illustration.current_id == revision.pk:
        raise NotNow("This revision is the one that is worked with. Go back to another one first.")
    if revision.job is not None and revision.job.state in (Job.State.WAITING, Job.State.RUNNING):
        jobs.cancel(revision.job)
    revision.delete()


def bring_in(revision_id: int, folder: Path, progress: jobs.Progress) -> jobs.Landing:
    """Read a kept original; answers how the result lands in the database. Raises `ReadError`."""
    kept = Revision.objects.get(pk=revision_id)
    with SpillFile(str(folder)) as scratch, blobs().local(kept.sha256) as path:
        read, report = read_illustration(
            path,
            scratch,
            lambda k, n: progress("read", k, n),
            file_name=kept.file_name,
            choices=Choices.from_json(kept.choices),
        )
        images = _keep_images(read, scratch, progress)
        whole = compose(composite_tree(read.layers), read.canvas, scratch)
        picture = blobs().keep(io.BytesIO(png.encode(whole, "quick")))
        preview = blobs().keep(io.BytesIO(png.encode(small(whole, PREVIEW))))
        merged = compare_with_merged(path, read, scratch)
    arrangement, renamed = first_arrangement(read)

    def land() -> None:
        illustration = Illustration.objects.select_for_update().get(pk=kept.illustration_id)
        is_first = illustration.current_id == revision_id
        Revision.objects.filter(pk=revision_id).update(
            state=Revision.State.READY if is_first else Revision.State.REVIEW,
            width=read.canvas.width,
            height=read.canvas.height,
            preview=preview,
            picture=picture,
            record=_kept_record(read),
            report=_report(read, report, renamed, merged),
        )
        LayerImage.objects.bulk_create(
            LayerImage(revision_id=revision_id, layer=layer, pixels=pixels, thumbnail=thumbnail)
            for layer, pixels, thumbnail, _ in images
        )
        _keep_halves({pixels: halves for _, pixels, _, halves in images})
        if is_first:
            if illustration.name == PurePath(kept.file_name).stem[:200] and read.name:
                illustration.name = plain(read.name)[:200] or illustration.name  # a package says what it is called
            illustration.credit = read.credit.as_json()
            illustration.save(update_fields=["name", "credit"])
            brought_in.send(Illustration, illustration_id=illustration.pk, tree=arrangement)

    return land


def keep_added(revision: Revision, added: Sequence[Added]) -> None:
    """Keep derived layers, in the order in which they were made."""
    DerivedLayer.objects.bulk_create(
        DerivedLayer(revision=revision, layer=one.layer.id, record=made_to_json(one.layer)) for one in added
    )
    LayerImage.objects.bulk_create(
        LayerImage(revision=revision, layer=one.layer.id, pixels=one.pixels, thumbnail=one.thumbnail)
        for one in added
        if one.pixels is not None and one.thumbnail is not None
    )


def derive_again(layers: StoredLayers, before: Revision, wanted: Iterable[str]) -> list[Added]:
    """The layers that were derived in one revision, derived anew from the layers of another one: those wanted that it lacks."""
    was = read_of(before)
    earlier = {made.id: made for made in was.made}
    there = {made.id for made in layers.illustration.made}
    needed: set[str] = set()
    waiting = [layer for layer in wanted if layer in earlier]
    while waiting:
        layer = waiting.pop()
        if layer not in there | needed and layer in earlier:
            needed.add(layer)
            waiting += earlier[layer].sources
    canvas = layers.illustration.canvas
    factor = canvas.width / was.canvas.width if layers.revision.sha256 == before.sha256 else 1.0
    images = {image.layer: image for image in LayerImage.objects.filter(revision=before, layer__in=needed)}
    for made in (one for one in earlier.values() if one.id in needed):
        if isinstance(made.derivation, Pasted):
            image = images[made.id]
            layers.put(Added(made, image.pixels, image.thumbnail))
            continue
        sources = {layer: found for layer in made.sources if (found := layers.content(layer)) is not None}
        mask = mask_of(made.derivation.mask) if isinstance(made.derivation, Cut | Extension) else None
        by = _shift(was, before, layers, made.of) if made.of is not None else (0, 0)
        content = rebuilt(made, sources, mask, canvas, by, factor)
        if content is None:
            layers.put(Added(replace(made, box=None, added=None), None, None))
            continue
        added = content.added
        kept = replace(made, box=content.box, added=keep_mask(added) if added is not None and added.any() else None)
        layers.put(Added(kept, *keep_picture(content.picture)))
    return layers.added


def _shift(was: Read, before: Revision, layers: StoredLayers, layer: str) -> tuple[int, int]:
    """How far a layer lies from where it did, if its pixels are the same."""
    old = LayerImage.objects.filter(revision=before, layer=layer).first()
    if old is None or layers.digests.get(layer) != old.pixels:
        return 0, 0
    box, now = was.boxes[layer], layers.illustration.boxes[layer]
    return now.left - box.left, now.top - box.top


def use(illustration: Illustration, number: int) -> None:
    """Work with another revision from now on."""
    illustration.current = Revision.objects.get(illustration=illustration, number=number)
    illustration.save(update_fields=["current"])


def renumber(revision: Revision, read: Read, ids: Mapping[str, str]) -> None:
    """Let the layers of a revision have the ids that they have in the others."""
    revision.record = _kept_record(read)
    revision.state = Revision.State.READY
    for note in revision.report["notes"]:
        note["layer"] = ids.get(note.get("layer"))
    revision.save(update_fields=["record", "report", "state"])
    images = [(ids[image.layer], image.pixels, image.thumbnail) for image in revision.images.all()]
    revision.images.all().delete()
    LayerImage.objects.bulk_create(
        LayerImage(revision=revision, layer=layer, pixels=pixels, thumbnail=thumbnail)
        for layer, pixels, thumbnail in images
    )


@transaction.atomic
def remove(illustration: Illustration, user: User) -> None:
    """Put an illustration into the bin; work on it ends."""
    illustration.removed_at, illustration.removed_by = timezone.now(), user
    illustration.save(update_fields=["removed_at", "removed_by"])
    jobs.cancel_all(Job.objects.filter(pk__in=illustration.revisions.values("job")))
    record(Entry.Kind.REMOVE, f"illustration '{illustration.name}'", illustration.project_id)
    removed.send(Illustration, project_id=illustration.project_id, illustration_id=illustration.pk)


def restore(illustration: Illustration) -> None:
    """Take an illustration out of the bin."""
    Illustration.everything.filter(pk=illustration.pk).update(removed_at=None, removed_by=None)
    record(Entry.Kind.RESTORE, f"illustration '{illustration.name}'", illustration.project_id)


@transaction.atomic
def try_again(illustration: Illustration, user: User) -> None:
    """Read the first original once more, after it could not be read or was cancelled. Raises `NotNow`."""
    Illustration.objects.select_for_update().get(pk=illustration.pk)
    revision = illustration.revision
    is_over = revision.job is None or revision.job.state in (Job.State.FAILED, Job.State.CANCELLED)
    if revision.state != Revision.State.READING or not is_over:
        raise NotNow("This illustration is read already, or is being read. Reload the page.")
    revision.job = jobs.start(Job.Kind.BRING_IN, illustration.project_id, revision.pk, user, lane=_lane(revision))
    revision.save(update_fields=["job"])


def _lane(revision: Revision) -> Job.Lane:
    return Job.Lane.SHORT if revision.bytes <= _SMALL else Job.Lane.LONG


_SMALL = 2 << 20
"""An original of so many bytes is mostly read within seconds."""


def rename(illustration: Illustration, name: str) -> None:
    """Give an illustration another name; the original keeps its file name."""
    illustration.name = name
    illustration.save(update_fields=["name"])


def say_credit(illustration: Illustration, credit: Credit) -> None:
    """Say who made the picture."""
    illustration.credit = credit.in_spdx_terms().as_json()
    illustration.save(update_fields=["credit"])


def _kept_record(read: Read) -> dict[str, Any]:
    """What a revision keeps: derived layers are rows of their own."""
    record = to_record(read)
    del record["made"]
    return record


def _checked(file_name: str, size: int) -> str:
    """The plain name of a file that may be kept."""
    if size == 0:
        raise BrokenFile(f"'{file_name}' is empty. Save it again and bring it in once more.")
    if size > MAX_UPLOAD:
        raise TooLarge(f"'{file_name}' has {size / 2**30:.1f} GiB; Yuplet takes up to {MAX_UPLOAD >> 30} GiB.")
    return plain(PurePath(file_name.replace("\\", "/")).name)[-255:] or "illustration"


def require_no_other(illustration: Illustration) -> None:
    """Raise `NotNow` where another revision is being read or waits for a review."""
    if Revision.objects.filter(illustration=illustration).exclude(state=Revision.State.READY).exists():
        raise NotNow("Another revision of this illustration is waiting. Take it or discard it first.")


def _start_reading(
    illustration: Illustration, user: User | None, file_name: str, digest: str, size: int, choices: Choices
) -> Revision:
    Illustration.objects.select_for_update().get(pk=illustration.pk)
    require_no_other(illustration)
    others = Revision.objects.filter(illustration=illustration)
    revision = Revision.objects.create(
        illustration=illustration,
        number=(others.aggregate(last=Max("number"))["last"] or 0) + 1,
        file_name=file_name,
        sha256=digest,
        bytes=size,
        choices=choices.as_json(),
        created_by=user,
    )
    add_bytes(illustration.project_id, size)
    revision.job = jobs.start(Job.Kind.BRING_IN, illustration.project_id, revision.pk, user, lane=_lane(revision))
    revision.save(update_fields=["job"])
    return revision


def halve(illustration: Illustration, digests: Iterable[str]) -> None:
    """Keep the halves of images that have none: of derived layers, and of what was brought in before there were any."""
    for digest in digests:
        _keep_halves({digest: apart.ask(illustration.pk, halves_of, digest)})


def _keep_halves(files: Mapping[str, str]) -> None:
    # Two who ask at once make the same.
    Halves.objects.bulk_create((Halves(of=of, file=file) for of, file in files.items()), ignore_conflicts=True)


def _keep_images(read: Read, scratch: SpillFile, progress: jobs.Progress) -> list[tuple[str, str, str, str]]:
    layers = [layer.id for layer in read.leaves() if layer.box is not None]

    def keep(layer: str) -> tuple[str, str, str, str]:
        picture = scratch.whole(layer)
        return layer, *keep_picture(picture, scratch.deep_rows(layer, 0, picture.shape[0])), keep_halves(picture)

    kept = []
    with ThreadPoolExecutor(2) as pool:
        for done, image in enumerate(pool.map(keep, layers), 1):
            progress("keep", done, len(layers))
            kept.append(image)
    return kept


def _report(
    read: Read, report: ReadingReport, renamed: list[Renamed], merged: MergedComparison | None
) -> dict[str, object]:
    layers = {path: node.id for path, node in reversed(list(read.walk()))}
    notes: list[dict[str, object]] = [{**asdict(note), "layer": layers.get(note.path)} for note in report.notes]
    for item in renamed:
        sentence = f"Its name {item.reason}; the part is called '{item.name}'."
        notes.append({"kind": "renamed", "path": item.path, "sentence": sentence, "layer": layers.get(item.path)})
    return {
        "counts": report.counts,
        "notes": notes,
        "ppi": read.ppi,
        "bit_depth": read.bit_depth,
        "colour_space": read.colour_space,
        "name_sources": report.name_sources,
        "merged": None if merged is None else {**asdict(merged), "sentence": merged.sentence},
    }
