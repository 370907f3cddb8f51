"""Layers that artists made of other layers: what was done, as numbers and masks, so that it can be done again."""

from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Any, Literal, NamedTuple, TypeAlias

from yuplet.geometry import Box

Colour: TypeAlias = tuple[int, int, int]
"""Red, green and blue, 0 to 255 each."""
Behind: TypeAlias = Literal["flat", "painted"] | Colour | None
"""How a place is filled from which something was taken: its surroundings continued, one colour, or not at all."""
Fill: TypeAlias = Literal["onward", "flat", "painted"] | Colour
"""How a layer goes on: its colours and lines ('onward'), its colours, colours and their slopes, or one colour."""


class Turn(NamedTuple):
    """A picture mirrored left to right, if at all, and then turned clockwise by so many quarters (0 to 3)."""

    mirrored: bool = False
    quarters: int = 0

    def then(self, other: "Turn") -> "Turn":
        """Both one after the other.

        >>> Turn(False, 1).then(Turn(True, 0))
        Turn(mirrored=True, quarters=3)
        """
        own = -self.quarters if other.mirrored else self.quarters
        return Turn(self.mirrored != other.mirrored, (other.quarters + own) % 4)

    @property
    def back(self) -> "Turn":
        """What undoes it.

        >>> one = Turn(True, 3)
        >>> one.then(one.back)
        Turn(mirrored=False, quarters=0)
        """
        return Turn(True, self.quarters) if self.mirrored else Turn(False, -self.quarters % 4)


@dataclass(frozen=True, slots=True)
class Cut:
    """What a mask takes of a layer ('taken') or leaves of it ('left').

    `mask` is the key of the mask's pixels, `mask_box` where they lie on the canvas, `behind` how the place left is filled.
    """

    keeps: Literal["taken", "left"]
    mask: str
    mask_box: Box
    behind: Behind = None


@dataclass(frozen=True, slots=True)
class Extension:
    """A layer with pixels added to it: those of the mask, from the layer `mirror_source` where that is opaque, else by the fill."""

    mask: str
    mask_box: Box
    fill: Fill = "onward"
    mirror_source: str | None = None


@dataclass(frozen=True, slots=True)
class Refilled(Extension):
    """A layer in which the pixels of the mask, which nobody drew and which others hide, are filled anew from what is drawn in it."""


@dataclass(frozen=True, slots=True)
class Turned:
    """A layer mirrored or turned about a point of the canvas, so that pixels meet pixels (`derivation.turning`)."""

    turn: Turn
    about: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Dyed:
    """A layer in another colour, its alpha as it is; with `shaded` lighter and darker places stay so."""

    colour: Colour
    shaded: bool


@dataclass(frozen=True, slots=True)
class Merged:
    """Several layers laid over each other, back to front: each with its opacity and blend mode."""

    pieces: tuple[tuple[str, float, str], ...]


@dataclass(frozen=True, slots=True)
class Backdrop:
    """The whole canvas in one colour, or from one at the top to another one at the bottom."""

    colours: tuple[Colour, ...]


@dataclass(frozen=True, slots=True)
class Widened:
    """A layer that goes on to the left and the right by so many pixels: mirrored on, repeated, or all of it enlarged (`derivation.overscan`)."""

    how: Literal["mirror", "repeat", "enlarge"]
    left: int
    right: int


@dataclass(frozen=True, slots=True)
class Pasted:
    """A picture that was put in by itself: there is nothing that it could be made of again, and it stays as it is."""


Derivation: TypeAlias = Cut | Extension | Refilled | Turned | Dyed | Merged | Backdrop | Widened | Pasted

_KINDS: dict[str, type[Derivation]] = {
    "cut": Cut,
    "extension": Extension,
    "refilled": Refilled,
    "turned": Turned,
    "dyed": Dyed,
    "merged": Merged,
    "backdrop": Backdrop,
    "widened": Widened,
    "pasted": Pasted,
}


@dataclass(frozen=True, slots=True)
class DerivedLayer:
    """A layer that was made of another one, `of` (None: of none), which may be a made one too.

    `box` is that of the content, `added` the key of a mask of that box: pixels that nobody drew, since they were filled in.
    """

    id: str
    of: str | None
    derivation: Derivation
    box: Box | None
    added: str | None = None

    @property
    def sources(self) -> tuple[str, ...]:
        """The layers that it is made of."""
        if isinstance(self.derivation, Merged):
            return tuple(dict.fromkeys(layer for layer, _, _ in self.derivation.pieces))
        mirror_source = self.derivation.mirror_source if isinstance(self.derivation, Extension) else None
        return tuple(layer for layer in (self.of, mirror_source) if layer is not None)

    @property
    def masks(self) -> tuple[str, ...]:
        """The keys of all masks that belong to it."""
        own = self.derivation.mask if isinstance(self.derivation, Cut | Extension) else None
        return tuple(key for key in (own, self.added) if key is not None)


def to_json(made: DerivedLayer) -> dict[str, Any]:
    """A made layer as plain JSON values."""
    kinds = {kind: name for name, kind in _KINDS.items()}
    values = {field.name: getattr(made.derivation, field.name) for field in fields(made.derivation)}
    if "mask_box" in values:
        values["mask_box"] = values["mask_box"].as_xywh()
    box = made.box.as_xywh() if made.box is not None else None
    derivation = {"kind": kinds[type(made.derivation)], **values}
    return {"id": made.id, "of": made.of, "recipe": derivation, "box": box, "added": made.added}


def from_json(value: Mapping[str, Any]) -> DerivedLayer:
    """The inverse of `to_json`.

    >>> one = DerivedLayer("m1", "l1", Cut("left", "key", Box(0, 0, 2, 2), (9, 9, 9)), Box(0, 0, 1, 1))
    >>> from_json(to_json(one)) == one
    True
    """
    if "what" in value:
        value = _of_the_older_form(value)
    rest = dict(value["recipe"])
    if "twin" in rest:  # what it was called once
        rest["mirror_source"] = rest.pop("twin")
    kind = _KINDS[rest.pop("kind")]
    for name in ("behind", "fill", "colour", "about"):
        if isinstance(rest.get(name), list):
            rest[name] = tuple(rest[name])
    if "mask_box" in rest:
        rest["mask_box"] = Box.from_xywh(rest["mask_box"])
    if "turn" in rest:
        rest["turn"] = Turn(*rest["turn"])
    for name in ("pieces", "colours"):
        if name in rest:
            rest[name] = tuple(tuple(one) for one in rest[name])
    box = Box.from_xywh(value["box"]) if value["box"] is not None else None
    return DerivedLayer(value["id"], value["of"], kind(**rest), box, value["added"])


def _of_the_older_form(value: Mapping[str, Any]) -> dict[str, Any]:
    """What was kept when layers were made by masks only."""
    mask = {"mask": value["mask"], "mask_box": value["mask_box"]}
    if value["what"] == "grown":
        derivation = {"kind": "extension", "fill": "onward", **mask}
    else:
        derivation = {"kind": "cut", "keeps": value["what"], "behind": value["behind"], **mask}
    return {"id": value["id"], "of": value["of"], "recipe": derivation, "box": value["box"], "added": value["added"]}
