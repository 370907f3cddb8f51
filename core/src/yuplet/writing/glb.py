"""A binary glTF file, put together: textured quads, materials without light, nodes and their animation.

Source: glTF 2.0 Specification (Khronos Group), chapters 3 and 4 (GLB), and the extension KHR_materials_unlit.
"""

import json
import math
import struct
from typing import Any, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from yuplet.geometry import Point
from yuplet.illustration.derived import Turn

Floats: TypeAlias = NDArray[np.float64]

_FLOAT, _SHORT = 5126, 5123
_VERTICES, _INDICES = 34962, 34963
_NEAREST, _LINEAR = 9728, 9729
_CLAMP = 33071


class Glb:
    """The buffers and lists of a file, as they grow. `unit` is how many pixels a unit of space has; textures that are not `smooth` keep their pixels apart."""

    def __init__(self, unit: float, smooth: bool) -> None:
        self._unit = unit
        self._data = bytearray()
        self._views: list[dict[str, Any]] = []
        self._accessors: list[dict[str, Any]] = []
        self._images: list[dict[str, Any]] = []
        self._meshes: list[dict[str, Any]] = []
        self._cameras: list[dict[str, Any]] = []
        self._materials: list[dict[str, Any]] = []
        self._smooth = smooth
        self._indices = self._accessor(np.array([0, 1, 2, 0, 2, 3], np.uint16), "SCALAR", _SHORT, _INDICES)
        self._known: dict[tuple[int, float], int] = {}
        self._times: dict[bytes, int] = {}
        self._channels: list[dict[str, Any]] = []
        self._samplers: list[dict[str, Any]] = []

    def texture(self, data: bytes, name: str) -> int:
        """An image of its own, a PNG; answers its number."""
        view = self._view(data, None)
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

    def camera(
        self,
        width: float,
        height: float,
        distance: float,
        between: tuple[float, float],
        kind: Literal["perspective", "orthographic"],
    ) -> int:
        """A camera that sees just so much at a distance, in units, and nothing that is not `between` two distances; answers its number."""
        near, far = between
        if kind == "perspective":
            lens = {"yfov": 2 * math.atan(height / 2 / distance), "aspectRatio": width / height}
        else:
            lens = {"xmag": width / 2, "ymag": height / 2}
        self._cameras.append({"name": "camera", "type": kind, kind: {**lens, "znear": near, "zfar": far}})
        return len(self._cameras) - 1

    def animate(
        self,
        node: int,
        path: Literal["translation", "rotation", "scale"],
        times: Floats,
        values: Floats,
        is_stepped: bool = False,
    ) -> None:
        """Let a property of a node have these values (T, 3; of a rotation quaternions, T, 4) at times in seconds, which grow; straight between them, or stepped."""
        key = times.tobytes()
        if key not in self._times:
            self._times[key] = self._accessor(times.astype(np.float32), "SCALAR", _FLOAT, None, True)
        kind = "VEC4" if path == "rotation" else "VEC3"
        sampler = {
            "input": self._times[key],
            "output": self._accessor(values.astype(np.float32), kind, _FLOAT, None),
            "interpolation": "STEP" if is_stepped else "LINEAR",
        }
        self._channels.append({"sampler": len(self._samplers), "target": {"node": node, "path": path}})
        self._samplers.append(sampler)

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
        if self._cameras:
            value["cameras"] = self._cameras
        if self._channels:
            value["animations"] = [{"name": "motion", "channels": self._channels, "samplers": self._samplers}]
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
        self, values: NDArray[Any], kind: str, component: int, target: int | None, with_bounds: bool = False
    ) -> int:
        said: dict[str, Any] = {
            "bufferView": self._view(values.tobytes(), target),
            "componentType": component,
            "count": len(values),
            "type": kind,
        }
        if with_bounds:
            said |= {"min": values.min(axis=0).reshape(-1).tolist(), "max": values.max(axis=0).reshape(-1).tolist()}
        self._accessors.append(said)
        return len(self._accessors) - 1


def _before(turn: Turn, u: float, v: float) -> tuple[float, float]:
    """Where in the drawing a place of the picture comes from, that is the drawing mirrored, if at all, and then turned by quarters."""
    for _ in range(turn.quarters):
        u, v = v, 1 - u
    return (1 - u if turn.mirrored else u), v
