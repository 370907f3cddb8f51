"""What an edit needs of its surroundings, wherever layers are kept: in a folder, in a database, in memory."""

from contextlib import AbstractContextManager
from typing import Protocol

from yuplet.derivation.content import Content, Derived
from yuplet.illustration.layers import Illustration
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import PixelSource
from yuplet.selecting.masks import Mask


class LayerStore(Protocol):
    """The layers of one illustration: read, and added to."""

    @property
    def illustration(self) -> Illustration:
        """The layer tree, with the derived layers that were added meanwhile."""

    def content(self, layer: str) -> Content | None:
        """What a layer holds, derived ones included; None when it is empty. Its pixels are not to be changed."""

    def mask(self, key: str) -> Mask:
        """A mask by which a layer was derived, or of what was added to it, by its key."""

    def add(self, of: str | None, made: Derived) -> str:
        """Add a derived layer: the layer that it is of (None: of none or several), and its content. Return its id."""

    def pixels(self, layers: set[str]) -> AbstractContextManager[PixelSource]:
        """The pixels of many layers, which may be larger than the memory together."""

    def original(self) -> Picture:
        """What was brought in, flat, as large as the canvas."""

    def handed_in(self, key: str) -> Picture:
        """A picture that came with a command, by the name that the command has for it. Raises `ReadError`."""

    def fresh_row(self) -> str:
        """An id for a row that no other row has or had."""
