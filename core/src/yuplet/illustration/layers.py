"""The layer tree. Members stand back to front; nothing here holds pixels (those are in a `PixelSource`, under the layer's id)."""

from collections.abc import Iterator, Mapping
from dataclasses import KW_ONLY, dataclass, field, replace
from typing import Any, Literal, TypeAlias

from yuplet.geometry import Box, Point, Size, box_around
from yuplet.illustration.credit import Credit
from yuplet.illustration.derived import DerivedLayer
from yuplet.pixels.compositing import CompositeNode, GroupNode, PictureNode

LayerKind: TypeAlias = Literal["raster", "vector"]


@dataclass(frozen=True, slots=True)
class Layer:
    """One layer of the source: its own name and state, and the box of its content within the canvas (None when empty).

    `milliseconds` is how long it is seen where it is a moment of an animation. `included` and `pivot` (in canvas pixels)
    are what the file says of handing it over: a package of ours does. `source` is what the reader of the file calls the
    layer: one of kind "vector" can be drawn anew by it. `words` is what is written in it, where the file says so.
    """

    id: str
    name: str
    box: Box | None
    _: KW_ONLY
    visible: bool = True
    opacity: float = 1.0
    blend: str = "normal"
    locked: bool = False
    kind: LayerKind = "raster"
    milliseconds: int | None = None
    included: bool = True
    pivot: Point | None = None
    source: str | None = None
    words: str = ""


@dataclass(frozen=True, slots=True)
class LayerGroup:
    """A layer group of the source. Its state applies to the members laid together; they keep their own.

    `are_frames` is whether the file says that the members are moments, the first at the back; `loops` how often it
    wants them played, 0 for without end, and `pivot` (in canvas pixels) what they turn about together.
    """

    id: str
    name: str
    members: tuple["LayerNode", ...]
    _: KW_ONLY
    visible: bool = True
    opacity: float = 1.0
    blend: str = "normal"
    isolated: bool = False
    are_frames: bool = False
    loops: int = 0
    pivot: Point | None = None

    @property
    def box(self) -> Box | None:
        """The box around the content of all members, shown or not."""
        return box_around([node.box for node in self.members if node.box is not None])


LayerNode: TypeAlias = Layer | LayerGroup


@dataclass(frozen=True, slots=True)
class Illustration:
    """A picture as it was brought in.

    `name` is the file's stem, `canvas` its size in pixels, `ppi` its pixels per inch where the file says so,
    `bit_depth` the largest of its images, `colour_space` what the file says of its colours ('sRGB' when it says nothing),
    `credit` who made it, `made` the layers that artists made of its layers, each after the one that it is made of. `arranged` is what
    the file says of the parts beyond the art, as commands (docs/formats/arrangement.md); it is for the first arrangement, and not kept.
    """

    name: str
    canvas: Size
    layers: tuple[LayerNode, ...]
    _: KW_ONLY
    ppi: float | None = None
    colour_space: str = "sRGB"
    bit_depth: int = 8
    credit: Credit = Credit()
    made: tuple[DerivedLayer, ...] = ()
    arranged: tuple[Mapping[str, Any], ...] = ()

    @property
    def boxes(self) -> dict[str, Box]:
        """The box of the content of each layer, made ones included; empty layers are absent."""
        layers: list[Layer | DerivedLayer] = [*self.leaves(), *self.made]
        return {layer.id: layer.box for layer in layers if layer.box is not None}

    def roots_of(self, layer: str) -> set[str]:
        """The layers of the source that a layer was made of, over as many steps as there were; itself if it is one.

        None of them where it was made of nothing, like a backdrop.
        """
        by_id = {made.id: made for made in self.made}
        found, waiting = set[str](), [layer]
        while waiting:
            one = waiting.pop()
            if one in by_id:
                waiting += by_id[one].sources
            else:
                found.add(one)
        return found

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

    @property
    def shown(self) -> set[str]:
        """The ids of all layers and groups that are shown, as are all groups around them; of moments, all of them."""

        def below(nodes: tuple[LayerNode, ...], are_frames: bool) -> Iterator[str]:
            for node in nodes:
                if node.visible or are_frames:
                    yield node.id
                    if isinstance(node, LayerGroup):
                        yield from below(node.members, node.are_frames)

        return set(below(self.layers, False))

    def with_boxes(self, boxes: Mapping[str, Box]) -> "Illustration":
        """The same with the box of each layer by its id; a layer without one is empty."""

        def each(node: LayerNode) -> LayerNode:
            if isinstance(node, LayerGroup):
                return replace(node, members=tuple(each(member) for member in node.members))
            return replace(node, box=boxes.get(node.id))

        return replace(self, layers=tuple(each(node) for node in self.layers))

    def counts(self) -> dict[str, int]:
        """How many there are of each kind of layer, of groups, and of hidden and empty ones; vector layers, animations and their frames where there are any."""
        nodes = [node for _, node in self.walk()]
        layers = [node for node in nodes if isinstance(node, Layer)]
        moving = [node for node in nodes if isinstance(node, LayerGroup) and node.are_frames]
        frames = {member.id for node in moving for member in node.members}
        counts = {
            "layers": len(layers) - len(frames),
            "groups": len(nodes) - len(layers) - len(moving),
            "hidden": sum(not node.visible for node in nodes if node.id not in frames),
            "empty": sum(layer.box is None for layer in layers),
        }
        rarer = {
            "vector": sum(layer.kind == "vector" for layer in layers),
            "animations": len(moving),
            "frames": len(frames),
        }
        return {**counts, **{kind: number for kind, number in rarer.items() if number}}


@dataclass(frozen=True, slots=True)
class Note:
    """One thing that was adapted or not understood while reading, and the layer it concerns."""

    kind: str
    sentence: str
    path: tuple[str, ...] = ()


@dataclass(slots=True)
class ReadingReport:
    """What was read of a file: counts by kind, and everything that was converted, repaired or not understood.

    `name_sources` is where the file has names, with some of them, where there is a choice.
    """

    counts: dict[str, int] = field(default_factory=dict)
    name_sources: dict[str, list[str]] = field(default_factory=dict)
    notes: list[Note] = field(default_factory=list)
    _added: set[Note] = field(default_factory=set, repr=False, compare=False)

    def add(self, kind: str, sentence: str, path: tuple[str, ...] = ()) -> None:
        """Note something; `kind` is 'converted', 'repaired', 'not understood', 'information' or 'sheet'."""
        note = Note(kind, sentence, path)
        if note not in self._added:
            self._added.add(note)
            self.notes.append(note)


def composite_tree(nodes: tuple[LayerNode, ...]) -> tuple[CompositeNode, ...]:
    """What of the layers is seen, in the form that `compose` takes."""
    result: list[CompositeNode] = []
    for node in nodes:
        if not node.visible:
            continue
        if isinstance(node, LayerGroup):
            result.append(GroupNode(composite_tree(node.members), node.opacity, node.blend, node.isolated))
        elif node.box is not None:
            result.append(PictureNode(node.id, node.box, node.opacity, node.blend))
    return tuple(result)
