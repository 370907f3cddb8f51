"""Layers that are derived without a database: kept in memory, and in a folder beside an arrangement's document."""

import hashlib
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yuplet.derivation.content import Content, Derived
from yuplet.errors import ArrangementNotUnderstood, NothingThere, YupletError, shown
from yuplet.illustration import derived as derived_layers
from yuplet.illustration.derived import Cut, DerivedLayer, Extension
from yuplet.illustration.layers import Illustration, composite_tree
from yuplet.paths import PackagePath, within
from yuplet.pixels import Picture
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import PixelSource, SpillFile
from yuplet.reading import png as png_reading
from yuplet.selecting.masks import Mask, hard_mask
from yuplet.writing import png


class MemoryLayers:
    """A `LayerStore` in memory, over the pixels of what was read.

    `version` counts as the server does: 1 at first, one more for every step.
    """

    def __init__(
        self,
        illustration: Illustration,
        pixels: PixelSource,
        handed_in: Callable[[str], Picture] | None = None,
        version: int = 1,
    ) -> None:
        self.illustration = illustration
        self.version = version
        self._source = pixels
        self._handed_in = handed_in
        self._contents: dict[str, Content] = {}
        self._masks: dict[str, Mask] = {}

    def content(self, layer: str) -> Content | None:
        if layer in self._contents:
            return self._contents[layer]
        box = self.illustration.boxes.get(layer)
        return None if box is None else Content(box, self._source.rows(layer, 0, box.height))

    def mask(self, key: str) -> Mask:
        return self._masks[key]

    def add(self, of: str | None, made: Derived) -> str:
        layer = derived_layer(self.illustration, of, made, self._persist)
        self._take(layer, made.picture, made.added)
        return layer.id

    @contextmanager
    def pixels(self, layers: set[str]) -> Iterator[PixelSource]:
        yield self

    def rows(self, key: str, top: int, bottom: int) -> Picture:
        """As a `PixelSource`: rows `top` to `bottom` (the first outside) of a layer."""
        if key in self._contents:
            return self._contents[key].picture[top:bottom]
        return self._source.rows(key, top, bottom)

    def deep_rows(self, key: str, top: int, bottom: int) -> NDArray[np.uint16] | None:
        return None if key in self._contents else self._source.deep_rows(key, top, bottom)

    def original(self) -> Picture:
        return compose(composite_tree(self.illustration.layers), self.illustration.canvas, self._source)

    def handed_in(self, key: str) -> Picture:
        if self._handed_in is None:
            raise NothingThere(f"There is no picture called '{shown(key)}' beside the command. Send it along.")
        return self._handed_in(key)

    def fresh_row(self) -> str:
        return f"d{self.version + 1}"

    def put_into(self, scratch: SpillFile) -> None:
        """Put the pixels of the derived layers beside those of the others."""
        for layer, content in self._contents.items():
            scratch.put(layer, content.picture)

    def save(self, folder: Path) -> dict[str, Any]:
        """Keep the derived layers in a folder, named by their SHA-256; return what an arrangement's document says of them."""
        told = []
        files: dict[str, bytes] = {}
        for layer in self.illustration.made:
            data = {key: png.encode(as_picture(self._masks[key]), "quick") for key in layer.masks}
            entry = derived_layers.to_json(layer)
            content = self._contents.get(layer.id)
            if content is not None:
                pixels = png.encode(content.picture, "quick")
                entry["pixels"] = hashlib.sha256(pixels).hexdigest()
                files[entry["pixels"]] = pixels
            files.update(data)
            told.append(entry)
        if files:
            folder.mkdir(exist_ok=True)
        for digest, one in files.items():
            within(folder, PackagePath(f"{digest}.png")).write_bytes(one)
        return {"layers": told, "steps": self.version - 1}

    def load(self, value: Mapping[str, Any], folder: Path) -> None:
        """The inverse of `save`, after the document was held against its schema. Raises `ArrangementNotUnderstood`."""
        for entry in value["layers"]:
            try:
                layer = derived_layers.from_json({name: one for name, one in entry.items() if name != "pixels"})
            except (KeyError, TypeError, ValueError) as error:
                raise ArrangementNotUnderstood(
                    f"A derived layer lacks something, or says it wrongly: {error}."
                ) from error
            for key in layer.masks:
                self._masks[key] = np.ascontiguousarray(_read(folder, key)[..., 0])
            if layer.id in {one.id for one in self.illustration.made}:
                raise ArrangementNotUnderstood(f"The derived layer '{shown(layer.id)}' is there twice.")
            if "pixels" not in entry:
                self.illustration = replace(self.illustration, made=(*self.illustration.made, layer))
                continue
            picture = _read(folder, entry["pixels"])
            added = None if layer.added is None else self._masks[layer.added] > 0
            if layer.box is None or picture.shape[:2] != (layer.box.height, layer.box.width):
                raise ArrangementNotUnderstood(
                    f"The picture of the derived layer '{shown(layer.id)}' has another size."
                )
            self._take(layer, picture, added)
        self.version = 1 + int(value["steps"])

    def _take(self, layer: DerivedLayer, picture: Picture, added: NDArray[np.bool_] | None) -> None:
        assert layer.box is not None
        self.illustration = replace(self.illustration, made=(*self.illustration.made, layer))
        self._contents[layer.id] = Content(layer.box, picture, added)

    def _persist(self, mask: NDArray[Any]) -> str:
        grey = as_grey(mask)
        key = hashlib.sha256(png.encode(as_picture(grey), "quick")).hexdigest()
        self._masks[key] = grey
        return key


def derived_layer(
    illustration: Illustration, of: str | None, made: Derived, keep: Callable[[NDArray[Any]], str], last: int = 0
) -> DerivedLayer:
    """The record of a layer that is to be added; `keep` keeps a mask and says its key, `last` is the highest number ever used."""
    number = max((int(one.id[1:]) for one in illustration.made), default=0)
    recipe = made.derivation
    if isinstance(recipe, Cut | Extension) and made.mask is not None:
        recipe = replace(recipe, mask=keep(made.mask) if made.mask.any() else "")
    added = keep(made.added) if made.added is not None and made.added.any() else None
    return DerivedLayer(f"m{max(number, last) + 1}", of, recipe, made.box, added)


def as_grey(mask: NDArray[Any]) -> Mask:
    """A mask as levels, whichever kind it is."""
    return hard_mask(mask) if mask.dtype == bool else mask


def as_picture(grey: Mask) -> Picture:
    """A mask as the grey picture that it is kept as."""
    return np.dstack([grey, grey, grey, np.full_like(grey, 255)])


def _read(folder: Path, digest: str) -> Picture:
    path = within(folder, PackagePath(f"{digest}.png"))
    try:
        data = path.read_bytes()
    except OSError as error:
        raise ArrangementNotUnderstood(
            f"'{path}' cannot be read: {error.strerror}. Keep the folder '{folder.name}' beside the arrangement."
        ) from error
    if hashlib.sha256(data).hexdigest() != digest:
        raise ArrangementNotUnderstood(f"'{path}' is not what it was. Write the arrangement again.")
    try:
        return png_reading.decode(data, f"'{path}'")
    except YupletError as error:
        raise ArrangementNotUnderstood(str(error)) from error
