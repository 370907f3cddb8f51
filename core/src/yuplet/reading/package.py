"""Packages of ours, handed over earlier: parts, groups, order, joints, alternates, roles and frames come back as they were.

The format is docs/formats/manifest.md. Limits: those of `archives` and `png`, 64 MiB of JSON, 2 000 parts and groups.
"""

import io
import itertools
import uuid
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image

from yuplet import documents
from yuplet.derivation.turning import turn_picture
from yuplet.errors import BrokenFile, TooLarge
from yuplet.geometry import Box, Point, Size
from yuplet.illustration.credit import Credit
from yuplet.illustration.derived import Turn
from yuplet.illustration.interchange import MAX_LAYERS
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode, ReadingReport
from yuplet.paths import PackagePath
from yuplet.pixels import AnyPicture, Picture, rounded
from yuplet.pixels.blending import MODES
from yuplet.pixels.spill_file import SpillFile
from yuplet.pixels.trimming import content_box, cut
from yuplet.reading import archives, png

MAX_JSON = 64 << 20
MAX_IMAGE = 1 << 30
"""Bytes of one image of a package."""
_FORMAT = "yuplet-package"
_FORMATS = ("PNG", "WEBP", "AVIF", "JPEG", "TIFF", "GIF")


def is_package(path: Path) -> bool:
    """Whether a ZIP says that it is a package of ours."""
    return _said(path).get("format") == _FORMAT


def package_of(path: Path) -> uuid.UUID | None:
    """Which illustration a file is a package of; None for any other file, or a package that does not say."""
    value = _said(path)
    try:
        return uuid.UUID(value["illustration"]["id"]) if value["format"] == _FORMAT else None
    except (KeyError, ValueError, TypeError, AttributeError):
        return None


def read(
    path: Path, scratch: SpillFile, progress: Callable[[int, int], None], file_name: str
) -> tuple[Illustration, ReadingReport]:
    """Read a package in a ZIP; the pixels of each part go to the scratch file.

    Every part is a layer, every animated part a group of frames; hidden ones stay hidden. Raises `BrokenFile`,
    `UnsafeFile` or `TooLarge`.
    """
    report = ReadingReport()
    with archives.opened(path, file_name) as archive:
        value = _said(path)
        try:
            documents.require(value, "package")
            parts = {part["id"]: part for part in value["parts"]}
            if len(parts) > MAX_LAYERS:
                raise TooLarge(f"'{file_name}' has {len(parts)} parts; Yuplet takes up to {MAX_LAYERS}.")
            reader = _Reader(archive, scratch, parts, lambda done: progress(done, len(parts)))
            nodes = reader.nodes(value["tree"], 0)
            canvas = Size(_whole(value["canvas"]["width"], 1), _whole(value["canvas"]["height"], 1))
            ppi = value["canvas"]["ppi"]
            credit = Credit(**value["credit"])
            title = str(value["illustration"]["title"])
            obsolete = len(value["obsolete"])
            arranged = reader.arranged(value.get("camera"))
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise BrokenFile(
                f"The manifest of '{file_name}' lacks something, or says it wrongly ({error}). Hand over again."
            ) from error
    if obsolete:
        report.add("information", f"{obsolete} files of an earlier state are in the package and were left out.")
    illustration = Illustration(
        title, canvas, nodes, ppi=None if ppi is None else float(ppi), credit=credit, arranged=arranged
    )
    report.counts = illustration.counts()
    return illustration, report


def reference_picture(path: Path) -> Picture | None:
    """The reference picture of a package, or None where it cannot be read."""
    with archives.opened(path, path.name) as archive:
        name = _said(path).get("reference", {}).get("file", "")
        if name not in archive.namelist():
            return None
        data = archives.read(archive, name, MAX_IMAGE)
    png.facts(data, name)
    return png.decode(data, name)


class _Reader:
    """Walks the tree of a manifest and decodes the images that it names."""

    def __init__(
        self, archive: zipfile.ZipFile, scratch: SpillFile, parts: dict[str, Any], progress: Callable[[int], None]
    ) -> None:
        self._archive, self._scratch, self._parts, self._progress = archive, scratch, parts, progress
        self._ids: Iterator[int] = itertools.count(1)
        self._done = 0
        self._layers: dict[str, str] = {}
        self._alternates: list[str] = []
        self._decoded: tuple[tuple[str, int], AnyPicture] = (("", 0), np.zeros((0, 0, 4), np.uint8))

    def arranged(self, camera: Any) -> tuple[dict[str, Any], ...]:
        """What the manifest says of the parts beyond the art, as commands; packages of older versions say less."""
        parts = {layer: self._parts[part] for part, layer in self._layers.items()}
        parents = {
            layer: self._layers[part["parent"]] for layer, part in parts.items() if part.get("parent") in self._layers
        }
        depths = {layer: part["depth"]["z"] for layer, part in parts.items() if part.get("depth", {}).get("z")}
        roles = {layer: part["role"] for layer, part in parts.items() if part["role"] != "picture"}
        margins = {
            layer: [part["margins"][side] for side in ("left", "top", "right", "bottom")]
            for layer, part in parts.items()
            if part.get("margins")
        }
        anchors = {layer: part["anchor"] for layer, part in parts.items() if part.get("anchor")}
        found: list[dict[str, Any]] = []
        for kind, name, values in (
            ("set-joints", "parents", parents),
            ("set-depths", "depths", depths),
            ("set-roles", "roles", roles),
            ("set-fits", "margins", margins),
            ("set-fits", "anchors", anchors),
        ):
            if values:
                found.append({"do": kind, name: values})
        found += [{"do": "make-alternates", "rows": [group]} for group in self._alternates]
        if camera is not None:
            found.append({"do": "decide", "decisions": {name: camera[name] for name in ("distance", "travel")}})
        return tuple(found)

    def nodes(self, entries: list[dict[str, Any]], level: int) -> tuple[LayerNode, ...]:
        """The layers and groups of a tree, back to front."""
        if level > 64:
            raise TooLarge("Groups are nested more than 64 deep.")
        found: list[LayerNode] = []
        for entry in entries:
            number = next(self._ids)
            if number > 2 * MAX_LAYERS:
                raise TooLarge(f"The tree has more than {2 * MAX_LAYERS} entries.")
            if "part" in entry:
                found.append(self._part(self._parts[entry["part"]], bool(entry["shown"]), f"p{number}"))
                self._done += 1
                self._progress(self._done)
            else:
                members = self.nodes(entry["members"], level + 1)
                found.append(
                    LayerGroup(
                        f"p{number}",
                        str(entry["group"]),
                        members,
                        visible=bool(entry["shown"]),
                        opacity=_share(entry["opacity"]),
                        blend=_mode(entry["blend"]),
                        isolated=bool(entry["isolated"]),
                    )
                )
                if entry.get("alternates") and len(members) > 1:
                    self._alternates.append(f"p{number}")
        return tuple(found)

    def _part(self, part: dict[str, Any], shown: bool, layer_id: str) -> LayerNode:
        self._layers[part["id"]] = layer_id
        name, opacity, blend = str(part["name"]), _share(part["opacity"]), _mode(part["blend"])
        place = (_whole(part["box"]["x"], -png.MAX_SIDE), _whole(part["box"]["y"], -png.MAX_SIDE))
        pivot = part["pivot"] and Point(*(float(value) for value in part["pivot"]["canvas"]))
        turn = Turn(bool(part["turn"]["mirrored"]), _whole(part["turn"]["quarters"], 0) % 4)
        if part["frames"] is None:
            box = self._image(part, layer_id, place, turn)
            return Layer(layer_id, name, box, visible=shown, opacity=opacity, blend=blend, pivot=pivot)
        images = part["frames"]["images"]
        digits = len(str(len(images)))
        frames = []
        for number, image in enumerate(images, 1):
            frame_id = f"{layer_id}.{number}"
            box = self._image(image, frame_id, place, turn)
            milliseconds = image["milliseconds"]
            frames.append(
                Layer(
                    frame_id,
                    f"frame {number:0{digits}}",
                    box,
                    visible=number == 1,
                    milliseconds=None if milliseconds is None else _whole(milliseconds, 0),
                )
            )
        loops = _whole(part["frames"]["loops"], 0)
        return LayerGroup(
            layer_id,
            name,
            tuple(frames),
            visible=shown,
            opacity=opacity,
            blend=blend,
            isolated=False,
            are_frames=True,
            loops=loops,
            pivot=pivot,
        )

    def _image(self, said: dict[str, Any], key: str, place: tuple[int, int], turn: Turn) -> Box | None:
        found = self._picture(said)
        deep = turn_picture(np.asarray(found, np.uint16), turn) if found.dtype == np.uint16 else None
        picture = turn_picture(np.asarray(found, np.uint8), turn) if deep is None else rounded(deep)
        content = content_box(picture)
        if content is None:
            return None
        self._scratch.put(key, cut(picture, content))
        if deep is not None:
            self._scratch.put_deep(key, cut(deep, content))
        return content.moved(*place)

    def _picture(self, said: dict[str, Any]) -> AnyPicture:
        """A picture by what the manifest says of it: a whole file, a moment of an animated one, or a place on a sheet."""
        file, within = said["file"], said.get("within")
        moment = _whole(said.get("moment", 0), 0)
        if self._decoded[0] != (file, moment):
            self._decoded = ((file, moment), self._whole(file, moment))
        if within is None:
            return self._decoded[1]
        picture: Any = self._decoded[1]
        left, top = _whole(within["x"], 0), _whole(within["y"], 0)
        size = Size(_whole(within["width"], 1), _whole(within["height"], 1))
        lying = Size(size.height, size.width) if within["turned"] else size
        try:
            found = cut(picture, Box.at(left, top, lying))
        except ValueError:
            raise BrokenFile(f"A picture lies outside of the sheet '{file}'. Hand over again.") from None
        return np.ascontiguousarray(np.rot90(found) if within["turned"] else found)

    def _whole(self, file: str, moment: int) -> AnyPicture:
        try:
            data = archives.read(self._archive, PackagePath(file), MAX_IMAGE)
        except KeyError:
            raise BrokenFile(f"The package lacks '{file}'. Hand over again, or put the file back.") from None
        if data.startswith(png.SIGNATURE) and moment == 0:
            is_deep = png.facts(data, f"'{file}'").bit_depth == 16
            deep = png.decode_deep(data, f"'{file}'") if is_deep else None
            return png.decode(data, f"'{file}'") if deep is None else deep
        try:
            with Image.open(io.BytesIO(data), formats=_FORMATS) as image:
                if image.width * image.height > png.MAX_PIXELS or max(image.size) > png.MAX_SIDE:
                    raise TooLarge(f"'{file}' is {image.width} x {image.height} px, more than Yuplet takes.")
                found = (
                    cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
                    if image.format == "TIFF"
                    else None
                )
                if found is not None and found.dtype == np.uint16 and found.ndim == 3 and found.shape[2] == 4:
                    return np.asarray(cv2.cvtColor(found, cv2.COLOR_BGRA2RGBA), np.uint16)
                image.seek(moment)
                return np.array(image.convert("RGBA"))
        except (OSError, ValueError, SyntaxError, EOFError) as error:
            raise BrokenFile(f"'{file}' cannot be decoded ({error}). Hand over again.") from error


def _said(path: Path) -> dict[str, Any]:
    """The manifest as it is; empty where there is none that could be read."""
    try:
        with zipfile.ZipFile(path) as archive:
            if archive.getinfo("manifest.json").file_size > MAX_JSON:
                return {}
            value = documents.parsed(archives.read(archive, "manifest.json", MAX_JSON))
    except archives.DAMAGED:
        return {}
    return value if isinstance(value, dict) else {}


def _whole(value: object, least: int) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or not least <= value <= png.MAX_SIDE * 1000:
        raise ValueError(f"{value!r} is not a whole number from {least} on")
    return value


def _share(value: object) -> float:
    if not isinstance(value, int | float) or not 0 <= value <= 1:
        raise ValueError(f"the opacity {value!r} is not from 0 to 1")
    return float(value)


def _mode(value: object) -> str:
    if value not in MODES:
        raise ValueError(f"the mode {value!r} is not known")
    return str(value)
