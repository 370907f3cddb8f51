"""The layer tree. Members stand back to front; nothing here holds pixels (those are in a `PixelSource`, under the layer's id)."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal, TypeAlias

from yuplet.geometry import Box, Size, box_around
from yuplet.pixels.compositing import Branch, Laid, Leaf

LayerKind: TypeAlias = Literal["raster", "vector"]


@dataclass(frozen=True, slots=True)
class Layer:
    """One layer of the source: its own name and state, and the box of its content within the canvas (None when empty)."""

    id: str
    name: str
    box: Box | None
    visible: bool = True
    opacity: float = 1.0
    blend: str = "normal"
    locked: bool = False
    kind: LayerKind = "raster"


@dataclass(frozen=True, slots=True)
class LayerGroup:
    """A layer group of the source. Its state applies to the members laid together; they keep their own."""

    id: str
    name: str
    members: tuple["LayerNode", ...]
    visible: bool = True
    opacity: float = 1.0
    blend: str = "normal"
    isolated: bool = False

    @property
    def box(self) -> Box | None:
        """The box around the content of all members, shown or not."""
        return box_around([node.box for node in self.members if node.box is not None])


LayerNode: TypeAlias = Layer | LayerGroup


@dataclass(frozen=True, slots=True)
class Illustration:
    """A picture as it was brought in.

    `name` is the file's stem, `canvas` its size in pixels, `ppi` its pixels per inch where the file says so,
    `bit_depth` the largest of its images, `colour_space` what the file says of its colours ('sRGB' when it says nothing).
    """

    name: str
    canvas: Size
    layers: tuple[LayerNode, ...]
    ppi: float | None = None
    colour_space: str = "sRGB"
    bit_depth: int = 8

    def walk(self) -> Iterator[tuple[tuple[str, ...], LayerNode]]:
        """Every layer and group back to front, a group directly before its members, each with its path of names."""

        def below(nodes: tuple[LayerNode, ...], path: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], LayerNode]]:
            for node in nodes:
                own = (*path, node.name)
                yield own, node
                if isinstance(node, LayerGroup):
                    yield from below(node.members, own)

        return below(self.layers, ())

    def leaves(self) -> Iterator[Layer]:
        """Every layer that is not a group, back to front."""
        return (node for _, node in self.walk() if isinstance(node, Layer))

    def with_boxes(self, boxes: Mapping[str, Box]) -> "Illustration":
        """The same with the box of each layer by its id; a layer without one is empty."""

        def each(node: LayerNode) -> LayerNode:
            if isinstance(node, LayerGroup):
                return replace(node, members=tuple(each(member) for member in node.members))
            return replace(node, box=boxes.get(node.id))

        return replace(self, layers=tuple(each(node) for node in self.layers))

    def counts(self) -> dict[str, int]:
        """How many layers, groups, hidden ones and empty layers there are."""
        nodes = [node for _, node in self.walk()]
        layers = [node for node in nodes if isinstance(node, Layer)]
        return {
            "layers": len(layers),
            "groups": len(nodes) - len(layers),
            "hidden": sum(not node.visible for node in nodes),
            "empty": sum(layer.box is None for layer in layers),
        }


@dataclass(frozen=True, slots=True)
class Note:
    """One thing that was adapted or not understood while reading, and the layer it concerns."""

    kind: str
    sentence: str
    path: tuple[str, ...] = ()


@dataclass(slots=True)
class ReadingReport:
    """What was read of a file: counts by kind, and everything that was converted, repaired or not understood."""

    counts: dict[str, int] = field(default_factory=dict)
    notes: list[Note] = field(default_factory=list)

    def add(self, kind: str, sentence: str, path: tuple[str, ...] = ()) -> None:
        """Note something; `kind` is 'converted', 'repaired', 'not understood' or 'information'."""
        note = Note(kind, sentence, path)
        if note not in self.notes:
            self.notes.append(note)


def laid(nodes: tuple[LayerNode, ...]) -> tuple[Laid, ...]:
    """What of the layers is seen, in the form that `compose` takes."""
    result: list[Laid] = []
    for node in nodes:
        if not node.visible:
            continue
        if isinstance(node, LayerGroup):
            result.append(Branch(laid(node.members), node.opacity, node.blend, node.isolated))
        elif node.box is not None:
            result.append(Leaf(node.id, node.box, node.opacity, node.blend))
    return tuple(result)
