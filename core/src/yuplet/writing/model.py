"""The parts in space as binary glTF: a textured quad each, carried by its parent, in front of what lies behind.

Source: glTF 2.0 Specification (Khronos Group), chapters 3 and 4 (GLB), and the extension KHR_materials_unlit. y points up and z to whoever looks;
the bottom left corner of the canvas is at 0, 0.
"""

import json
import struct
from collections.abc import Callable
from typing import Any

import numpy as np

from yuplet.geometry import Point
from yuplet.illustration.derived import Turn
from yuplet.pixels import Picture
from yuplet.plan.planned import Plan, PlannedPart
from yuplet.writing import png

_FLOAT, _SHORT = 5126, 5123
_VERTICES, _INDICES = 34962, 34963
_NEAREST, _LINEAR = 9728, 9729
_CLAMP = 33071


def model(plan: Plan, picture: Callable[[PlannedPart], Picture]) -> bytes:
    """A GLB file. Each part is a node at its pivot (else at its middle), with its parent's as the node above and a node for its quad below;
    what is hidden has a quad of size 0, which the specification names for that. Textures are straight-alpha PNG.
    """
    said = plan.recipe.extras.model
    assert said is not None
    made = _Made(said.pixels_per_unit, plan.recipe.smooth)
    parts = {planned.part.id: planned for planned in plan.parts}
    at, factor = plan.main, float(plan.main.factor)
    unit = said.pixels_per_unit

    def anchor(row: str) -> tuple[float, float, float]:
        """Where a part's node is, from the bottom left corner of the canvas."""
        part = parts[row].part
        pivot = at.images[row].box.centre if part.pivot is None else Point(part.pivot.x * factor, part.pivot.y * factor)
        depth = -part.depth * factor / unit if said.z == "depth" else 0.0
        return pivot.x / unit, (at.canvas.height - pivot.y) / unit, depth + parts[row].order * said.step

    textures: dict[str, int] = {}
    carried: dict[str, list[int]] = {}
    roots: list[int] = []
    numbers = {row: 1 + 2 * number for number, row in enumerate(parts)}
    nodes: list[dict[str, Any]] = [{"name": plan.title or "picture"}]
    for row, planned in parts.items():
        image, parent = at.images[row], plan.parents.get(row)
        key = image.frames[0].id
        if key not in textures:
            textures[key] = made.texture(picture(planned), planned.path[-1])
        here, above = anchor(row), anchor(parent) if parent is not None else (0.0, 0.0, 0.0)
        corner = Point(image.cut.left / unit - here[0], (at.canvas.height - image.cut.bottom) / unit - here[1])
        size = (image.cut.width / unit, image.cut.height / unit)
        mesh = made.quad(corner, size, image.turn or Turn(), textures[key], planned.part.opacity, planned.path[-1])
        own = {
            "name": planned.path[-1],
            "translation": [one - other for one, other in zip(here, above, strict=True)],
            "children": [numbers[row] + 1],
            "extras": {"id": row, "path": list(planned.path), "shown": planned.shown},
        }
        drawn: dict[str, Any] = {"name": f"{planned.path[-1]} picture", "mesh": mesh}
        if not planned.shown:
            drawn["scale"] = [0, 0, 0]
        nodes += [own, drawn]
        (roots if parent is None else carried.setdefault(parent, [])).append(numbers[row])
    for row, children in carried.items():
        nodes[numbers[row]]["children"] += children
    nodes[0]["children"] = roots
    return made.file(nodes, plan.credit.author)


class _Made:
    """The buffers and lists of a file, as they grow."""

    def __init__(self, unit: float, smooth: bool) -> None:
        self._unit = unit
        self._data = bytearray()
        self._views: list[dict[str, Any]] = []
        self._accessors: list[dict[str, Any]] = []
        self._images: list[dict[str, Any]] = []
        self._meshes: list[dict[str, Any]] = []
        self._materials: list[dict[str, Any]] = []
        self._smooth = smooth
        self._indices = self._accessor(np.array([0, 1, 2, 0, 2, 3], np.uint16), "SCALAR", _SHORT, _INDICES)
        self._known: dict[tuple[int, float], int] = {}

    def texture(self, picture: Picture, name: str) -> int:
        """An image of its own; answers its number."""
        view = self._view(png.encode(picture), None)
        self._images.append({"name": name, "mimeType": "image/png", "bufferView": view})
        return len(self._images) - 1

    def quad(
        self, corner: Point, size: tuple[float, float], turn: Turn, texture: int, opacity: float, name: str
    ) -> int:
        """A mesh of two triangles, its bottom left corner at `corner`; a turned drawing is turned by where its texture lies."""
        left, bottom, right, top = corner.x, corner.y, corner.x + size[0], corner.y + size[1]
        # Bottom left, bottom right, top right, top left; v counts down in the image.
        corners = np.array([[left, bottom, 0], [right, bottom, 0], [right, top, 0], [left, top, 0]], np.float32)
        seen = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)
        places = np.array([_before(turn, u, v) for u, v in seen.tolist()], np.float32)
        material = self._material(texture, opacity)
        attributes = {
            "POSITION": self._accessor(corners, "VEC3", _FLOAT, _VERTICES, True),
            "TEXCOORD_0": self._accessor(places, "VEC2", _FLOAT, _VERTICES),
        }
        self._meshes.append(
            {"name": name, "primitives": [{"attributes": attributes, "indices": self._indices, "material": material}]}
        )
        return len(self._meshes) - 1

    def file(self, nodes: list[dict[str, Any]], author: str) -> bytes:
        """The whole file: a header, the description, the data."""
        wraps = {"wrapS": _CLAMP, "wrapT": _CLAMP}
        filters = {
            "magFilter": _LINEAR if self._smooth else _NEAREST,
            "minFilter": _LINEAR if self._smooth else _NEAREST,
        }
        value: dict[str, Any] = {
            "asset": {"version": "2.0", "generator": "Yuplet", **({"copyright": author} if author else {})},
            "extensionsUsed": ["KHR_materials_unlit"],
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "nodes": nodes,
            "meshes": self._meshes,
            "materials": self._materials,
            "textures": [{"source": number, "sampler": 0} for number in range(len(self._images))],
            "images": self._images,
            "samplers": [{**filters, **wraps}],
            "accessors": self._accessors,
            "bufferViews": self._views,
            "buffers": [{"byteLength": len(self._data)}],
            "extras": {"pixels_per_unit": self._unit},
        }
        text = json.dumps(value, ensure_ascii=False, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        data = bytes(self._data) + b"\0" * (-len(self._data) % 4)
        total = 12 + 8 + len(text) + 8 + len(data)
        head = struct.pack("<4sII", b"glTF", 2, total)
        return b"".join(
            [head, struct.pack("<I4s", len(text), b"JSON"), text, struct.pack("<I4s", len(data), b"BIN\0"), data]
        )

    def _material(self, texture: int, opacity: float) -> int:
        if (texture, opacity) not in self._known:
            self._known[texture, opacity] = len(self._materials)
            self._materials.append(
                {
                    "pbrMetallicRoughness": {
                        "baseColorTexture": {"index": texture},
                        "baseColorFactor": [1, 1, 1, opacity],
                        "metallicFactor": 0,
                        "roughnessFactor": 1,
                    },
                    "alphaMode": "BLEND",
                    "doubleSided": True,
                    "extensions": {"KHR_materials_unlit": {}},
                }
            )
        return self._known[texture, opacity]

    def _view(self, data: bytes, target: int | None) -> int:
        self._data += b"\0" * (-len(self._data) % 4)
        view = {"buffer": 0, "byteOffset": len(self._data), "byteLength": len(data)}
        self._views.append(view if target is None else {**view, "target": target})
        self._data += data
        return len(self._views) - 1

    def _accessor(
        self, values: "np.ndarray[Any, Any]", kind: str, component: int, target: int, with_bounds: bool = False
    ) -> int:
        said: dict[str, Any] = {
            "bufferView": self._view(values.tobytes(), target),
            "componentType": component,
            "count": len(values),
            "type": kind,
        }
        if with_bounds:
            said |= {"min": values.min(axis=0).tolist(), "max": values.max(axis=0).tolist()}
        self._accessors.append(said)
        return len(self._accessors) - 1


def _before(turn: Turn, u: float, v: float) -> tuple[float, float]:
    """Where in the drawing a place of the picture comes from, that is the drawing mirrored, if at all, and then turned by quarters."""
    for _ in range(turn.quarters):
        u, v = v, 1 - u
    return (1 - u if turn.mirrored else u), v
