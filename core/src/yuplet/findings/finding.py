"""Something to look at before handing over, with where it is and how much it matters."""

from dataclasses import KW_ONLY, dataclass, field
from typing import Literal, TypeAlias

from yuplet.geometry import Box
from yuplet.illustration.derived import Turn
from yuplet.selecting.masks import Chosen

Kind: TypeAlias = Literal[
    "crumbs", "pinholes", "leftover", "copy", "remainder", "overlay", "same-drawing", "covered", "joint", "debris",
    "required", "empty", "name", "pair", "series", "look", "pivot", "depth", "hidden", "cover",
]  # fmt: skip
Severity: TypeAlias = Literal["error", "warning", "note"]
_ERRORS = {"required"}
_NOTES = {"same-drawing", "series", "hidden", "pinholes"}


@dataclass(frozen=True, slots=True)
class Finding:
    """Something to look at.

    `rows` are the parts that it concerns, the one to be mended first; `frame` which moment (from 0) of an animated one. `box` is where
    on the canvas, `mask` which pixels of it. `layer` is the layer of the source whose art is missing. `turns` is how the
    drawing of the first row is turned to be that of each row. `proposal` is a better name, where there is one.
    """

    kind: Kind
    rows: tuple[str, ...]
    sentence: str
    _: KW_ONLY
    box: Box | None = None
    mask: Chosen | None = None
    frame: int | None = None
    layer: str | None = None
    turns: tuple[Turn, ...] = field(default=())
    proposal: str | None = None

    @property
    def severity(self) -> Severity:
        """An error means that what was asked for is not there; a warning that a receiver may have trouble."""
        return "error" if self.kind in _ERRORS else "note" if self.kind in _NOTES else "warning"

    @property
    def pixels(self) -> int:
        """How many pixels it is about."""
        return 0 if self.mask is None else int(self.mask.sum())
