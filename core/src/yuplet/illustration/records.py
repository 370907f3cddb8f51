"""An illustration as plain JSON values, to be kept by a database, and back."""

from typing import Any

from yuplet.geometry import Box, Size
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
        "layers": [_node(node) for node in illustration.layers],
    }


def from_record(record: dict[str, Any]) -> Illustration:
    """The inverse of `to_record`."""
    return Illustration(
        record["name"],
        Size(*record["canvas"]),
        tuple(_read(value) for value in record["layers"]),
        record["ppi"],
        record["colour_space"],
        record["bit_depth"],
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
        return {**state, "isolated": node.isolated, "members": [_node(member) for member in node.members]}
    return {**state, "locked": node.locked, "kind": node.kind}


def _read(value: dict[str, Any]) -> LayerNode:
    if "members" in value:
        return LayerGroup(
            value["id"],
            value["name"],
            tuple(_read(member) for member in value["members"]),
            value["visible"],
            value["opacity"],
            value["blend"],
            value["isolated"],
        )
    box = Box.from_xywh(value["box"]) if value["box"] is not None else None
    # Records of before there was vector art have no kind.
    return Layer(
        value["id"], value["name"], box, value["visible"], value["opacity"], value["blend"], value["locked"],
        value.get("kind", "raster"),
    )  # fmt: skip
