"""The layers of a revision as edits need them: read from the store, and added to without a lock."""

import io
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path, PurePath
from typing import Any

import numpy as np
from django.core.files import File
from numpy.typing import NDArray
from PIL import Image

from yuplet.derivation.content import Content, Derived
from yuplet.editing.layers import as_grey, as_picture, derived_layer
from yuplet.errors import NothingThere, TooLarge
from yuplet.geometry import Size
from yuplet.illustration.derived import DerivedLayer as DerivedRecord
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.layers import composite_tree
from yuplet.pixels import DeepPicture, Picture, kernels
from yuplet.pixels.compositing import compose
from yuplet.pixels.halving import halves, halvings
from yuplet.pixels.spill_file import PixelSource, SpillFile
from yuplet.reading.files import read_illustration
from yuplet.selecting.masks import Mask
from yuplet.writing import png
from yuplet_server.files.store import blobs
from yuplet_server.illustrations.models import DerivedLayer, Revision
from yuplet_server.illustrations.queries import StoredPixels, decoded, digests_of, mask_of, packed, read_of

THUMBNAIL = 72


@dataclass(frozen=True, slots=True)
class Added:
    """A derived layer whose pixels are kept already: its record, and the digests of its pixels and of a small picture.

    It has none where it is empty.
    """

    layer: DerivedRecord
    pixels: str | None
    thumbnail: str | None


@dataclass(frozen=True, slots=True)
class HandedIn:
    """A picture that came with a command: the file in which it waits, and what it is called."""

    path: Path
    file_name: str


class StoredLayers:
    """The core's `LayerStore` over the database and the blob store.

    What is added is kept as files at once, which nothing refers to until the rows of `added` are made (`actions.keep_added`): whoever
    gives up leaves files that are swept. `version` is that of the arrangement that is looked at; `read` and `digests` stand for what the
    revision will hold once it was taken.
    """

    def __init__(
        self,
        revision: Revision,
        version: int = 0,
        handed_in: Mapping[str, HandedIn | str] | None = None,
        read: Read | None = None,
        digests: Mapping[str, str] | None = None,
    ) -> None:
        self.illustration = read_of(revision) if read is None else read
        self.digests = digests_of(revision) if digests is None else dict(digests)
        self.added: list[Added] = []
        self.revision = revision
        self._version = version
        self._handed_in = handed_in or {}

    def content(self, layer: str) -> Content | None:
        box, digest = self.illustration.boxes.get(layer), self.digests.get(layer)
        if box is None or digest is None:
            return None
        added = next((made.added for made in self.illustration.made if made.id == layer), None)
        return Content(box, decoded(digest), None if added is None else mask_of(added) > 0)

    def mask(self, key: str) -> Mask:
        return mask_of(key)

    def add(self, of: str | None, made: Derived) -> str:
        last = 0 if self.added else _last_derived(self.revision)
        layer = derived_layer(self.illustration, of, made, keep_mask, last)
        self.put(Added(layer, *keep_picture(made.picture)))
        return layer.id

    def put(self, added: Added) -> None:
        """Add a derived layer that has its id already."""
        self.added.append(added)
        self.illustration = replace(self.illustration, made=(*self.illustration.made, added.layer))
        if added.pixels is not None:
            self.digests[added.layer.id] = added.pixels

    @contextmanager
    def pixels(self, layers: set[str]) -> Iterator[PixelSource]:
        with SpillFile() as scratch:
            stored = StoredPixels(self.digests, scratch)
            stored.load(layers)
            yield stored

    def original(self) -> Picture:
        return decoded(self.revision.picture)

    def handed_in(self, key: str) -> Picture:
        found = self._handed_in.get(key)
        if found is None:
            raise NothingThere("The picture did not come with the step. Send it along.")
        return decoded(found) if isinstance(found, str) else as_it_looks(found)

    def fresh_row(self) -> str:
        return f"d{self._version + 1}"


HANDED_IN = "picture"
"""What a command calls the picture that comes with it."""
MAX_PICTURE = 64 << 20
"""Bytes of a picture that becomes a part: it is read while somebody waits."""


@contextmanager
def handed_in(file: File[bytes]) -> Iterator[HandedIn]:
    """A file that was sent with a command, where it can be read. Raises `TooLarge`."""
    name = PurePath(file.name or "picture").name
    if file.size > MAX_PICTURE:
        raise TooLarge(
            f"'{name}' has {file.size >> 20} MiB; a picture that becomes a part has up to {MAX_PICTURE >> 20}."
        )
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "picture")
        path.write_bytes(file.read())
        yield HandedIn(path, name)


def as_it_looks(file: HandedIn) -> Picture:
    """The pixels of a file as it looks. Raises `ReadError`."""
    with SpillFile() as scratch:
        read, _ = read_illustration(file.path, scratch, file_name=file.file_name)
        picture = compose(composite_tree(read.layers), read.canvas, scratch)
    kernels.clear_hidden_colour(picture)
    return picture


def keep_mask(mask: NDArray[Any]) -> str:
    """Keep a mask as a grey picture; return its digest."""
    return blobs().keep(io.BytesIO(png.encode(as_picture(as_grey(mask)), "quick")))


def keep_picture(picture: Picture, deep: DeepPicture | None = None) -> tuple[str, str]:
    """Keep a layer's pixels and a small picture of them; return their digests."""
    data = png.encode(picture, "quick") if deep is None else png.encode_deep(deep)
    return blobs().keep(io.BytesIO(data)), blobs().keep(io.BytesIO(png.encode(small(picture, THUMBNAIL))))


def keep_halves(picture: Picture) -> str:
    """Keep the halves of a layer's pixels in one file; return its digest, or '' for a picture that is too small to be halved."""
    images = (png.encode(half, "quick") for half in halves(picture))
    return blobs().keep_pieces(packed(images)) if halvings(Size(picture.shape[1], picture.shape[0])) else ""


def halves_of(digest: str) -> str:
    """The same of an image that is kept."""
    return keep_halves(decoded(digest))


def small(picture: Picture, longest: int) -> Picture:
    """A picture reduced to so many pixels on its longer side."""
    image = Image.fromarray(picture, "RGBA")
    image.thumbnail((longest, longest), Image.Resampling.LANCZOS)
    return np.array(image)


def _last_derived(revision: Revision) -> int:
    """The highest number of a derived layer in any revision of the illustration."""
    layers = DerivedLayer.objects.filter(revision__illustration=revision.illustration_id).values_list(
        "layer", flat=True
    )
    return max((int(layer[1:]) for layer in layers), default=0)
