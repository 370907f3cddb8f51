"""Questions to illustrations: each checks who asks."""

import datetime
import threading
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from django.conf import settings
from django.core.files import File
from django.db.models import Q, QuerySet
from django.http import Http404

from yuplet.geometry import Box
from yuplet.illustration.derived import from_json as made_from_json
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.matching import LayerFingerprint, looks
from yuplet.illustration.records import from_record
from yuplet.pixels import DeepPicture, Picture
from yuplet.pixels.picture_cache import recalled
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading import png, svg
from yuplet.reading.choices import Choices, SheetCut
from yuplet.reading.sheet import check_sheet, propose_sheet
from yuplet.selecting.masks import Mask
from yuplet.writing.png import encode
from yuplet_server.accounts.models import User
from yuplet_server.base.errors import NotNow
from yuplet_server.files.store import open_blob
from yuplet_server.illustrations.models import DerivedLayer, Halves, Illustration, LayerImage, Revision
from yuplet_server.projects import queries
from yuplet_server.projects.models import Member, Project

PACKED_BY = 16
"""Letters of a digest by which an image of a pack is asked for: a hundred of them are no address that is too long."""


def illustration_for(user: User, illustration_id: int, role: Member.Role) -> Illustration:
    """An illustration, if somebody has at least a role in its project; else Http404 or PermissionDenied."""
    illustration = illustrations().filter(pk=illustration_id).first()
    if illustration is None:
        raise Http404
    queries.require(user, illustration.project_id, role)
    return illustration


def illustration_in_bin(user: User, illustration_id: int, role: Member.Role) -> Illustration:
    """The same of one in the bin."""
    found = Illustration.everything.filter(pk=illustration_id).exclude(removed_at=None).first()
    if not isinstance(found, Illustration):
        raise Http404
    queries.require(user, found.project_id, role)
    return found


def in_bin(user: User) -> list[dict[str, Any]]:
    """What somebody could take out of the bin, the last removed first."""
    days = datetime.timedelta(days=settings.BIN_DAYS)
    own = Project.everything.exclude(removed_at=None).filter(members__user=user, members__role=Member.Role.OWNER)
    roles = (Member.Role.EDITOR, Member.Role.OWNER)
    member = Member.objects.filter(user=user, role__in=roles, project__removed_at=None)
    pictures = Illustration.everything.exclude(removed_at=None).filter(project__in=member.values("project"))
    found: list[tuple[str, Any, str]] = [("project", one, "") for one in own.select_related("removed_by")]
    found += [("illustration", one, one.project.name) for one in pictures.select_related("removed_by", "project")]
    return [
        {
            "kind": kind,
            "id": one.pk,
            "name": one.name,
            "project_name": project,
            "removed_at": one.removed_at,
            "removed_by": one.removed_by and one.removed_by.username,
            "gone_at": one.removed_at + days,
        }
        for kind, one, project in sorted(found, key=lambda item: item[1].removed_at, reverse=True)
    ]


def ready_illustration_for(user: User, illustration_id: int, role: Member.Role) -> Illustration:
    """The same, once it was read; raises `NotNow` before that."""
    illustration = illustration_for(user, illustration_id, role)
    if illustration.revision.state != Revision.State.READY:
        raise NotNow("This illustration has not been read yet. Wait until it is brought in.")
    return illustration


def illustrations() -> QuerySet[Illustration]:
    """All illustrations with what most who ask need: without layer trees and reports, which can be long."""
    return Illustration.objects.select_related("current__job").defer("current__record", "current__report")


def revision_of(illustration: Illustration, number: int) -> Revision:
    """A revision by its number; raises Http404."""
    found = Revision.objects.filter(illustration=illustration, number=number).select_related("job").first()
    if found is None:
        raise Http404
    return found


def waiting(illustration: Illustration) -> Revision | None:
    """The revision that is being read or waits for a review beside the one that is worked with."""
    others = Revision.objects.filter(illustration=illustration).exclude(number=illustration.revision.number)
    return others.exclude(state=Revision.State.READY).select_related("job").first()


def sheet(illustration: Illustration, cut: SheetCut | None) -> dict[str, Any]:
    """A cut of the current original (None: a proposed one) and what speaks against it.

    Raises `NotNow` where the original is no flat picture, and `ChoiceError` where it is too small for the cut.
    """
    now = illustration.revision
    same = Revision.objects.filter(illustration=illustration, sha256=now.sha256, choices__sheet__isnull=True)
    whole = same.exclude(picture="").order_by("number").first()
    if whole is None or whole.report["counts"]["layers"] != 1 or whole.report["counts"].get("vector"):
        raise NotNow("Only a flat picture of one layer is cut as a sheet. Bring the sheet in as a picture of its own.")
    with open_blob(whole.picture) as file:
        picture = png.decode(file.read(), "The sheet")
    cut = cut or propose_sheet(picture)
    findings = check_sheet(picture, cut, "the sheet")
    return {
        "sheet": asdict(cut),
        "picture": whole.picture,
        "width": whole.width,
        "height": whole.height,
        "findings": [asdict(finding) for finding in findings],
    }


def looks_of(revision: Revision) -> list[LayerFingerprint]:
    """The layers of a revision as they are compared with another one's."""
    images = {image.layer: image for image in revision.images.all()}
    small = {}
    for layer, image in images.items():
        with open_blob(image.thumbnail) as file:
            small[layer] = png.decode(file.read(), f"The small picture of layer '{layer}'")
    return looks(read_of(revision), {layer: image.pixels for layer, image in images.items()}, small)


def read_of(revision: Revision) -> Read:
    """What was read of a revision, with the layers that were derived of it."""
    derived = DerivedLayer.objects.filter(revision=revision).order_by("pk").values_list("record", flat=True)
    return replace(_as_read(revision), made=tuple(map(made_from_json, derived)))


def _as_read(revision: Revision) -> Read:
    """The layer tree of a revision, kept for a while: it changes when the revision is taken and never after."""
    return recalled((*_told_from_others(revision), "layers"), lambda: from_record(revision.record))


def flagged_layers(revision: Revision, kinds: Collection[str]) -> frozenset[str]:
    """The layers that a note of one of some kinds is about."""

    def find() -> tuple[str, ...]:
        notes = revision.report["notes"]
        return tuple(note["layer"] for note in notes if note["kind"] in kinds and note.get("layer"))

    return frozenset(recalled((*_told_from_others(revision), "notes", *kinds), find))


def _told_from_others(revision: Revision) -> tuple[object, ...]:
    return "revision", revision.pk, revision.created_at, revision.state


def masks_in(records: Iterable[Mapping[str, Any]]) -> set[str]:
    """The digests of the masks by which layers were derived, as their records name them."""
    return {key for record in records for key in made_from_json(record).masks}


def decoded(digest: str) -> Picture:
    """The pixels of an image, kept for a while: an artist selects in one picture many times. Not to be changed."""

    def decode() -> Picture:
        with open_blob(digest) as file:
            return png.decode(file.read(), "The image of a layer")

    return recalled(("image", digest), decode)


def mask_of(key: str) -> Mask:
    """A mask by which a layer was derived, or of what was added to it. Not to be changed."""

    def decode() -> Mask:
        with open_blob(key) as file:
            return np.ascontiguousarray(png.decode(file.read(), "A mask")[..., 0])

    return recalled(("mask", key), decode)


def holds_image(illustration: Illustration, digest: str) -> bool:
    """Whether an image with this digest belongs to any revision of an illustration."""
    whole = Revision.objects.filter(Q(preview=digest) | Q(picture=digest), illustration=illustration)
    layers = LayerImage.objects.filter(Q(pixels=digest) | Q(thumbnail=digest), revision__illustration=illustration)
    return whole.exists() or layers.exists()


@dataclass(frozen=True, slots=True)
class Asked:
    """An image of a pack: its digest, and how often it is halved; 0 is the image itself."""

    digest: str
    halved: int


def images_by_beginnings(illustration: Illustration, asked: Sequence[tuple[str, int]]) -> list[Asked]:
    """The images of what is worked with now, by how their digests begin, in that order. Raises Http404 where one is not there, or several begin so."""
    kept = LayerImage.objects.filter(revision=illustration.current_id).values_list("pixels", "thumbnail")
    found: dict[str, set[str]] = {}
    for digest in {digest for both in kept for digest in both}:
        found.setdefault(digest[:PACKED_BY], set()).add(digest)
    wanted = [(found.get(beginning, set()), halved) for beginning, halved in asked]
    if any(len(one) != 1 for one, _ in wanted):
        raise Http404
    return [Asked(next(iter(one)), halved) for one, halved in wanted]


def packed(images: Iterable[bytes]) -> Iterator[bytes]:
    """Images one after the other, each after its length as four bytes, the highest first."""
    for data in images:
        yield len(data).to_bytes(4, "big") + data


def without_halves(digests: Iterable[str]) -> list[str]:
    """Those images of which no halves are kept."""
    wanted = dict.fromkeys(digests)
    for known in Halves.objects.filter(of__in=wanted).values_list("of", flat=True):
        del wanted[known]
    return list(wanted)


def at_halves(asked: Sequence[Asked]) -> Iterator[bytes]:
    """The files of images as often halved as is asked for, or as often as they are: their halves must be kept (`without_halves`)."""
    kept = dict(Halves.objects.filter(of__in={one.digest for one in asked if one.halved}).values_list("of", "file"))
    for one in asked:
        file_of_halves = kept[one.digest] if one.halved else ""
        with open_blob(file_of_halves or one.digest) as file:
            yield _at_half(file, one.halved) if file_of_halves else file.read()


def _at_half(file: File[bytes], halved: int) -> bytes:
    """One of the images of a pack, counted from 1; the last one where there are fewer."""
    data = b""
    for _ in range(halved):
        length = file.read(4)
        if not length:
            break
        data = file.read(int.from_bytes(length, "big"))
    return data


def drawn_anew(revision: Revision, layer: str, area: Box, factor: int) -> bytes:
    """An area of a vector layer as PNG, `factor` times as large, with the top left corner of the layer's own box as origin.

    Raises `NotNow` when it is no layer of vector art, and `TooLarge`.
    """
    found = next((one for one in from_record(revision.record).leaves() if one.id == layer), None)
    if found is None or found.box is None or found.source is None:
        raise NotNow("This layer is no vector art, so it has no other scale than its own.")
    drawing = _opened(revision.sha256, revision.file_name, Choices.from_json(revision.choices))
    picture = drawing.draw_area(found.source, area.moved(found.box.left, found.box.top).meet(found.box), factor)
    return encode(picture, "quick")


@lru_cache(maxsize=4)
def _opened(sha256: str, file_name: str, choices: Choices) -> svg.Drawing:
    """A drawing that is asked for its layers one after the other is opened once."""
    with open_blob(sha256) as file:
        return svg.open_drawing(file.read(), file_name, choices)


def _decode(layer: str, pixels: str, scratch: SpillFile) -> None:
    with open_blob(pixels) as file:
        data, what = file.read(), f"The image of layer '{layer}'"
    scratch.put(layer, png.decode(data, what))
    if (deep := png.decode_deep(data, what)) is not None:
        scratch.put_deep(layer, deep)


class StoredPixels:
    """Layers by the digests of their pixels, as a `PixelSource`: each is decoded when it is first asked for, by any thread, and kept in
    a scratch file."""

    def __init__(self, digests: Mapping[str, str], scratch: SpillFile) -> None:
        self.digests = digests
        self._scratch = scratch
        self._lock = threading.Lock()
        self._busy: dict[str, threading.Lock] = {}
        self._there: set[str] = set()

    def load(self, layers: Iterable[str]) -> None:
        """Decode layers now, two at a time; those that are empty are passed over."""
        with ThreadPoolExecutor(2) as pool:
            list(pool.map(self._load, [layer for layer in layers if layer in self.digests]))

    def rows(self, key: str, top: int, bottom: int) -> Picture:
        """Rows `top` to `bottom` (the first outside) of a layer."""
        self._load(key)
        return self._scratch.rows(key, top, bottom)

    def deep_rows(self, key: str, top: int, bottom: int) -> DeepPicture | None:
        """The same with 16 bits a channel, where they are known."""
        self._load(key)
        return self._scratch.deep_rows(key, top, bottom)

    def _load(self, key: str) -> None:
        with self._lock:
            if key in self._there:
                return
            if key not in self.digests:
                raise NotNow("The layers have changed since this was planned. Reload the page.")
            busy = self._busy.setdefault(key, threading.Lock())
        with busy:
            if key in self._there:
                return
            _decode(key, self.digests[key], self._scratch)
            self._there.add(key)


def digests_of(revision: Revision) -> dict[str, str]:
    """The digest of the pixels of each layer that is not empty, derived ones included."""
    return dict(revision.images.values_list("layer", "pixels"))


def drawing_of(revision: Revision) -> svg.Drawing | None:
    """The drawing that vector layers of a revision can be drawn anew from; None where there are none."""
    if not any(layer.kind == "vector" for layer in from_record(revision.record).leaves()):
        return None
    return _opened(revision.sha256, revision.file_name, Choices.from_json(revision.choices))
