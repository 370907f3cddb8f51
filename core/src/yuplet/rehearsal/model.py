"""A figure in space as its camera sees it, or without one as a viewer does that looks straight at it: binary glTF 2.0 read by its specification, and nothing
else.
"""

import io
import json
import struct
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from yuplet.rehearsal.images import kept, require_few
from yuplet.rehearsal.package import PartUse
from yuplet.rehearsal.picture import Placed, Scene


def scene_of_model(
    path: Path, scratch: Path, allowed: tuple[float, float], size: tuple[int, int], scale: float
) -> Scene:
    """The quads of a file, the farthest first; y counts up from the bottom edge of a canvas of that size. Raises OSError, ValueError or
    KeyError for a file that cannot be read.
    """
    value, data = opened(path.read_bytes())
    unit = float(value["extras"]["pixels_per_unit"])
    quads: list[tuple[float, int, dict[str, Any], NDArray[np.float64]]] = []
    cameras: list[tuple[dict[str, Any], NDArray[np.float64]]] = []

    def walk(number: int, around: NDArray[np.float64]) -> None:
        node = value["nodes"][number]
        own = np.eye(4)
        own[:3, :3] = np.diag(node.get("scale", [1, 1, 1]))
        own[:3, 3] = node.get("translation", [0, 0, 0])
        matrix = around @ own
        if "camera" in node:
            cameras.append((value["cameras"][node["camera"]], matrix))
        if "mesh" in node and np.linalg.det(matrix[:3, :3]) != 0:
            require_few(len(quads))
            quads.append((float(matrix[2, 3]), len(quads), value["meshes"][node["mesh"]], matrix))
        for child in node.get("children", ()):
            walk(child, matrix)

    for number in value["scenes"][value["scene"]]["nodes"]:
        walk(number, np.eye(4))

    def seen_at(points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Where points are seen, in pixels from the bottom left."""
        if not cameras:
            return points[:, :2] * unit
        return _projected(points, *cameras[0]) * size

    placed: dict[str, Placed] = {}
    for _, number, mesh, matrix in sorted(quads, key=lambda quad: quad[:2]):
        (primitive,) = mesh["primitives"]
        corners = accessor(value, data, primitive["attributes"]["POSITION"])
        seen = accessor(value, data, primitive["attributes"]["TEXCOORD_0"])
        here = seen_at((np.c_[corners, np.ones(len(corners))] @ matrix.T)[:, :3])
        left, right = here[:, 0].min(), here[:, 0].max()
        low, high = here[:, 1].min(), here[:, 1].max()
        material = value["materials"][primitive["material"]]["pbrMetallicRoughness"]
        texture = value["textures"][material["baseColorTexture"]["index"]]
        picture = _image(value, data, texture["source"])
        laid = Image.fromarray(_laid(np.array(picture), here, seen), "RGBA")
        place = (round(left), round(size[1] - high), round(right), round(size[1] - low))
        if laid.size != (place[2] - place[0], place[3] - place[1]):
            raise ValueError(
                f"'{mesh.get('name')}' is {place[2] - place[0]} x {place[3] - place[1]} px, its texture {laid.size}"
            )
        image = kept(laid, scratch / f"quad {number}.raw")
        opacity = float(material.get("baseColorFactor", [1, 1, 1, 1])[3])
        placed[str(number)] = Placed(
            label=mesh.get("name", ""),
            image=image,
            left=place[0],
            top=place[1],
            opacity=opacity,
            blend="normal",
            area=place,
        )
    tree = tuple(PartUse(number, True) for number in placed)
    return Scene(
        way="model",
        scale=scale,
        width=size[0],
        height=size[1],
        tree=tree,
        placed=placed,
        ground=None,
        largest=allowed[0],
        mean=allowed[1],
    )


def _projected(points: NDArray[np.float64], camera: dict[str, Any], matrix: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where a camera sees points, from 0 at the left and at the bottom of what it shows to 1 (glTF 2.0, 3.10.3). Raises ValueError for what is not before it."""
    own = (np.c_[points, np.ones(len(points))] @ np.linalg.inv(matrix).T)[:, :3]
    if camera["type"] == "orthographic":
        said = camera["orthographic"]
        flat: NDArray[np.float64] = (own[:, :2] / [said["xmag"], said["ymag"]] + 1) / 2
        return flat
    said = camera["perspective"]
    if (own[:, 2] >= 0).any():
        raise ValueError("a part is not before the camera")
    up = -own[:, 2] * np.tan(said["yfov"] / 2)
    found: NDArray[np.float64] = (own[:, :2] / np.c_[up * said["aspectRatio"], up] + 1) / 2
    return found


def opened(raw: bytes) -> tuple[dict[str, Any], bytes]:
    """The description and the data of a file. Raises ValueError or struct.error for anything else."""
    magic, version, total = struct.unpack("<4sII", raw[:12])
    if magic != b"glTF" or version != 2 or total != len(raw):
        raise ValueError("it is no binary glTF 2.0 of the length that it says")
    length, kind = struct.unpack("<I4s", raw[12:20])
    text, rest = raw[20 : 20 + length], raw[20 + length :]
    if kind != b"JSON" or rest[4:8] != b"BIN\0":
        raise ValueError("its description or its data is missing")
    return dict(json.loads(text)), rest[8 : 8 + struct.unpack("<I", rest[:4])[0]]


def _view(value: dict[str, Any], data: bytes, number: int) -> bytes:
    view = value["bufferViews"][number]
    start = view.get("byteOffset", 0)
    return data[start : start + view["byteLength"]]


def accessor(value: dict[str, Any], data: bytes, number: int) -> NDArray[np.float64]:
    """Numbers of a file, (N, 1 to 4). Raises ValueError or KeyError for what is no table of floats."""
    said = value["accessors"][number]
    width = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[said["type"]]
    if said["componentType"] != 5126:
        raise ValueError("numbers are not told as floats")
    return np.frombuffer(_view(value, data, said["bufferView"]), np.float32).reshape(-1, width).astype(np.float64)


def _image(value: dict[str, Any], data: bytes, number: int) -> Image.Image:
    with Image.open(io.BytesIO(_view(value, data, value["images"][number]["bufferView"]))) as opened:
        return opened.convert("RGBA")


def _laid(texture: NDArray[np.uint8], corners: NDArray[np.float64], seen: NDArray[np.float64]) -> NDArray[np.uint8]:
    """The texture as it lies on an upright quad: turned and mirrored so that its corners are where the quad's are."""
    x, y = corners[:, 0] > corners[:, 0].mean(), corners[:, 1] < corners[:, 1].mean()
    u, v = seen[:, 0] > 0.5, seen[:, 1] > 0.5
    if (u == y).all() or (u != y).all():
        texture = texture.transpose(1, 0, 2)
        u, v = v, u
    if (u != x).all():
        texture = texture[:, ::-1]
    elif not (u == x).all():
        raise ValueError("a texture does not lie straight on its quad")
    if (v != y).all():
        texture = texture[::-1]
    elif not (v == y).all():
        raise ValueError("a texture does not lie straight on its quad")
    return np.ascontiguousarray(texture)
