"""An illustration as plain JSON values, to be kept by a database, and back."""

from typing import Any

from yuplet.geometry import Box, Point, Size
from yuplet.illustration import derived
from yuplet.illustration.credit import Credit
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode


def to_record(illustration: Illustration) -> dict[str, Any]:
    """All of an illustration; pixels are not part of it.

    >>> one = Illustration("a", Size(2, 2), (Layer("l1", "ear", Box(0, 0, 1, 1)),))
    >>> from_record(to_record(one)) == one
    True
    """
    return {
        "name": illustration.name,
        "canvas": list(illustration.canvas),
        "ppi": illustration.ppi,
        "colour_space": illustration.colour_space,
        "bit_depth": illustration.bit_depth,
        "credit": illustration.credit.as_json(),
        "layers": [_node(node) for node in illustration.layers],
        "made": [derived.to_json(one) for one in illustration.made],
    }


def from_record(record: dict[str, Any]) -> Illustration:
    """The inverse of `to_record`."""
    return Illustration(
        record["name"],
        Size(*record["canvas"]),
        tuple(_read(value) for value in record["layers"]),
        ppi=record["ppi"],
        colour_space=record["colour_space"],
        bit_depth=record["bit_depth"],
        credit=Credit(**record.get("credit", {})),
        made=tuple(derived.from_json(value) for value in record.get("made", ())),
    )


def _node(node: LayerNode) -> dict[str, Any]:
    state = {
        "id": node.id,
        "name": node.name,
        "visible": node.visible,
        "opacity": node.opacity,
        "blend": node.blend,
        "box": node.box.as_xywh() if node.box is not None else None,
    }
    if isinstance(node, LayerGroup):
        members = [_node(member) for member in node.members]
        return {
            **state,
            "isolated": node.isolated,
            "are_frames": node.are_frames,
            "loops": node.loops,
            "pivot": _pair(node.pivot),
            "members": members,
        }
    return {
        **state,
        "locked": node.locked,
        "kind": node.kind,
        "milliseconds": node.milliseconds,
        "included": node.included,
        "pivot": _pair(node.pivot),
        "source": node.source,
        "words": node.words,
    }


def _pair(point: Point | None) -> list[float] | None:
    return None if point is None else [point.x, point.y]


def _point(pair: list[float] | None) -> Point | None:
    return None if pair is None else Point(*pair)


def _read(value: dict[str, Any]) -> LayerNode:
    if "members" in value:
        return LayerGroup(
            value["id"],
            value["name"],
            tuple(_read(member) for member in value["members"]),
            visible=value["visible"],
            opacity=value["opacity"],
            blend=value["blend"],
            isolated=value["isolated"],
            are_frames=value.get("are_frames", False),
            loops=value.get("loops", 0),
            pivot=_point(value.get("pivot")),
        )
    box = Box.from_xywh(value["box"]) if value["box"] is not None else None
    # Older records lack what came later.
    return Layer(
        value["id"], value["name"], box, visible=value["visible"], opacity=value["opacity"], blend=value["blend"], locked=value["locked"],
        kind=value.get("kind", "raster"), milliseconds=value.get("milliseconds"), included=value.get("included", True),
        pivot=_point(value.get("pivot")), source=value.get("source"), words=value.get("words", ""),
    )  # fmt: skip
