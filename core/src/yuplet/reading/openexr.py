"""OpenEXR: each part of a file a layer, or each layer that its channels are named by; linear light becomes sRGB.

Source: the Academy Software Foundation, OpenEXR file layout and technical introduction, https://openexr.com/; decoded by its own library. Limits as in `png`:
250 million pixels of the canvas; 2 000 layers; 1 024 channels a part; 120 million pixels of all layers together, for the library decodes them at once.
"""

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path, PurePath
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from yuplet import documents
from yuplet.errors import BrokenFile, TooLarge, shown
from yuplet.geometry import Box, Size
from yuplet.illustration.interchange import MAX_LAYERS
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode, ReadingReport
from yuplet.pixels import DeepPicture
from yuplet.pixels.blending import MODES
from yuplet.pixels.spill_file import SpillFile
from yuplet.pixels.srgb import to_encoded
from yuplet.pixels.trimming import content_box, cut
from yuplet.reading import png

MAX_CHANNELS = 1024
MAX_ALL = 120_000_000
_BAND = 128
_FORMAT = "yuplet-openexr"
_BT_709 = np.array([0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290])
_NEAR = 0.002
"""By how much primaries may be said otherwise and be meant: some write them with three digits."""
_GREY = ("Y", "L")


def read(
    path: Path, scratch: SpillFile, progress: Callable[[int, int], None], file_name: str
) -> tuple[Illustration, ReadingReport]:
    """Read a file; the trimmed pixels of each layer go to the scratch file under the layer's id, with 8 and with 16 bits a channel.

    A part of several layers, by the names of their channels (`layer.R`), is as many layers. Of a file of ours the order, groups, opacities and modes come from its
    attribute. Raises `BrokenFile` or `TooLarge`.
    """
    report = ReadingReport()
    name = PurePath(file_name).stem
    try:
        canvas, corner, count = _looked_at(path, file_name)
        layers: dict[str, Layer] = {}
        with OpenEXR.File(str(path), separate_channels=True) as file:
            if len(file.parts) < count:
                # The library passes over what it cannot decode.
                raise BrokenFile(
                    f"{count - len(file.parts)} of {count} parts of '{file_name}' are damaged. Save it again."
                )
            said = _told(file.parts[0].header.get("yuplet"))
            for part in file.parts:
                primaries = part.header.get("chromaticities")
                if primaries is not None and np.abs(np.array(primaries) - _BT_709).max() > _NEAR:
                    report.add("not understood", "Its primaries are not those of sRGB; its numbers are taken as if they were.", (str(part.header.get("name", name)),))  # fmt: skip
                window = _box(part.header["dataWindow"]).moved(-corner[0], -corner[1])
                for layer, channels in _layers_of(part, str(part.header.get("name") or name)).items():
                    if len(layers) >= MAX_LAYERS:
                        raise TooLarge(f"The file has more than {MAX_LAYERS} layers.")
                    found = _layer(f"e{len(layers) + 1}", layer, channels, window, canvas, scratch, report)
                    layers[layer] = found
                    progress(len(layers), len(layers))
    except (BrokenFile, TooLarge):
        raise
    except Exception as error:  # whatever the library says of a file of anybody's
        raise BrokenFile(f"'{file_name}' cannot be read as OpenEXR ({shown(str(error))}). Save it again.") from error
    report.add("converted", "Linear light was converted to sRGB; colour is not multiplied by alpha any more.")
    nodes = _arranged(said, layers) if said is not None else _grouped(layers)
    illustration = Illustration(name, canvas, nodes)
    report.counts = illustration.counts()
    return illustration, report


def _looked_at(path: Path, file_name: str) -> tuple[Size, tuple[int, int], int]:
    """The canvas, its corner and how many parts there are, by the headers alone: nothing is decoded that would be too large."""
    # Once the file is closed its headers are empty.
    with OpenEXR.File(str(path), header_only=True) as file:
        return _canvas_of([part.header for part in file.parts], file_name)


def _canvas_of(headers: Sequence[Mapping[str, Any]], file_name: str) -> tuple[Size, tuple[int, int], int]:
    if not headers:
        raise BrokenFile(f"'{file_name}' has no part. Save it again.")
    display = _box(headers[0]["displayWindow"])
    if display.size.pixels > png.MAX_PIXELS or max(display.size) > png.MAX_SIDE:
        raise TooLarge(
            f"'{file_name}' is {display.width} x {display.height} px; Yuplet takes up to 250 million pixels."
        )
    total = 0
    for header in headers:
        if header.get("type") in (OpenEXR.deepscanline, OpenEXR.deeptile):
            raise BrokenFile(f"'{file_name}' has deep samples, which are not read. Save it flattened.")
        window = _box(header["dataWindow"])
        count = len(header["channels"])
        if count > MAX_CHANNELS:
            raise TooLarge(f"A part of '{file_name}' has {count} channels; Yuplet takes up to {MAX_CHANNELS}.")
        total += window.size.pixels * max(1, count // 3)
        if window.is_empty or window.size.pixels > png.MAX_PIXELS or total > MAX_ALL:
            raise TooLarge(f"The parts of '{file_name}' have {total:,} pixels; Yuplet takes up to {MAX_ALL:,}.")
    return display.size, (display.left, display.top), len(headers)


def _box(window: Any) -> Box:
    (left, top), (right, bottom) = ((int(value) for value in corner) for corner in window)
    return Box(left, top, right + 1, bottom + 1)


def _layers_of(part: Any, name: str) -> dict[str, dict[str, NDArray[Any]]]:
    """The channels of each layer by their last letter; those without a layer are of the part itself."""
    found: dict[str, dict[str, NDArray[Any]]] = {}
    for channel, held in part.channels.items():
        layer, _, last = str(channel).rpartition(".")
        own = f"{name}.{layer}" if layer and layer != name else name
        if held.pixels is not None and held.pixels.ndim == 2:
            found.setdefault(own, {})[last.upper()] = held.pixels
    seen = {
        layer: channels
        for layer, channels in found.items()
        if {"R", "G", "B"} & set(channels) or set(_GREY) & set(channels)
    }
    if not seen and found:
        raise BrokenFile(f"'{shown(name)}' has no channels of colour (R, G, B or Y). Save it with colours.")
    return seen


def _layer(
    key: str,
    name: str,
    channels: Mapping[str, NDArray[Any]],
    window: Box,
    canvas: Size,
    scratch: SpillFile,
    report: ReadingReport,
) -> Layer:
    deep = _straight(channels, name, report)
    if deep.shape[:2] != (window.height, window.width):
        raise BrokenFile(f"'{shown(name)}' is not as large as its data window says. Save it again.")
    inside = window.meet(Box.at(0, 0, canvas))
    if inside != window:
        report.add("converted", "It reached beyond the display window and was cut there.", (name,))
    if not inside.is_empty:
        deep = cut(deep, inside.moved(-window.left, -window.top))
        picture = ((deep.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)
        content = content_box(picture)
        if content is not None:
            scratch.put(key, cut(picture, content))
            scratch.put_deep(key, np.ascontiguousarray(cut(deep, content)))
            return Layer(key, name.rpartition(".")[2] or name, content.moved(inside.left, inside.top))
    return Layer(key, name.rpartition(".")[2] or name, None)


def _straight(channels: Mapping[str, NDArray[Any]], name: str, report: ReadingReport) -> DeepPicture:
    """Linear light, colour multiplied by alpha, as straight sRGB of 16 bits, (H, W, 4)."""
    first = next(iter(channels.values()))
    found = np.empty((*first.shape, 4), np.uint16)
    said: set[str] = set()
    for top in range(0, len(first), _BAND):
        band = {channel: values[top : top + _BAND] for channel, values in channels.items()}
        found[top : top + _BAND] = _band(band, said)
    for sentence in sorted(said):
        report.add("converted", sentence, (name,))
    return found


def _band(channels: Mapping[str, NDArray[Any]], said: set[str]) -> DeepPicture:
    first = next(iter(channels.values()))
    grey = next((channels[one] for one in _GREY if one in channels), np.zeros_like(first))
    values = np.stack([channels.get(one, grey) for one in "RGB"], axis=2).astype(np.float64)
    alpha = channels["A"].astype(np.float64)[..., None] if "A" in channels else np.ones((*first.shape, 1))
    if first.dtype.kind == "u":
        values, alpha = values / 65535, alpha / 65535 if "A" in channels else alpha
    numbers = np.isfinite(values).all(axis=2, keepdims=True) & np.isfinite(alpha)
    if not numbers.all():
        said.add("Pixels that are no numbers are empty.")
        values, alpha = np.where(numbers, values, 0.0), np.where(numbers, alpha, 0.0)
    alpha = np.clip(alpha, 0, 1)
    straight = np.divide(values, alpha, out=np.zeros_like(values), where=alpha > 0)
    if straight.max(initial=0) > 1 + _NEAR or straight.min(initial=0) < -_NEAR:
        said.add("Light brighter than white, or less than none, was cut off.")
    whole = np.concatenate([to_encoded(np.clip(straight, 0, 1)), alpha], axis=2)
    return np.floor(whole * 65535 + 0.5).astype(np.uint16)


def _told(text: Any) -> dict[str, Any] | None:
    """What the attribute of a file of ours says; None for one of others, or where it is not understood: names and places are there all the same."""
    if not isinstance(text, str):
        return None
    try:
        value = documents.parsed(text.encode())
    except ValueError:
        return None
    is_ours = isinstance(value, dict) and value.get("format") == _FORMAT
    return value if is_ours and isinstance(value.get("tree"), list) and isinstance(value.get("parts"), list) else None


def _arranged(said: dict[str, Any], layers: Mapping[str, Layer]) -> tuple[LayerNode, ...]:
    """The tree that a file of ours tells, of the layers that are there; what is not told lies in front."""
    parts = {str(one.get("id")): one for one in said["parts"] if isinstance(one, dict)}
    left = dict(layers)
    counts = {"groups": 0}

    def nodes(entries: Any) -> tuple[LayerNode, ...]:
        found: list[LayerNode] = []
        for entry in entries if isinstance(entries, list) else ():
            if not isinstance(entry, dict):
                continue
            if "group" in entry:
                counts["groups"] += 1
                members = nodes(entry.get("members"))
                if members:
                    found.append(
                        LayerGroup(
                            f"eg{counts['groups']}", str(entry["group"])[:200], members, visible=entry.get("shown") is not False,
                            opacity=_share(entry.get("opacity")), blend=_mode(entry.get("blend")), isolated=entry.get("isolated") is True,
                        )
                    )  # fmt: skip
                continue
            one = parts.get(str(entry.get("part")), {})
            layer = left.pop(str(one.get("exr_part")), None)
            if layer is not None:
                name = str(one["path"][-1])[:200] if isinstance(one.get("path"), list) and one["path"] else layer.name
                found.append(
                    Layer(
                        layer.id, name, layer.box, visible=entry.get("shown") is not False,
                        opacity=_share(one.get("opacity")), blend=_mode(one.get("blend")),
                    )
                )  # fmt: skip
        return tuple(found)

    return (*nodes(said["tree"]), *left.values())


def _grouped(layers: Mapping[str, Layer]) -> tuple[LayerNode, ...]:
    """Layers in groups by the dots in their names, as OpenEXR has it, in the order of the file."""
    made: dict[tuple[str, ...], list[LayerNode]] = {(): []}
    order: list[tuple[str, ...]] = []
    for name, layer in layers.items():
        *groups, _ = name.split(".")
        for depth in range(len(groups)):
            path = tuple(groups[: depth + 1])
            if path not in made:
                made[path] = []
                order.append(path)
        made[tuple(groups)].append(layer)
    for number, path in reversed(list(enumerate(order, 1))):
        made[path[:-1]].insert(0, LayerGroup(f"eg{number}", path[-1], tuple(made[path]))) if made[path] else None
    return tuple(made[()])


def _share(value: Any) -> float:
    return min(1.0, max(0.0, float(value))) if isinstance(value, int | float) and not isinstance(value, bool) else 1.0


def _mode(value: Any) -> str:
    return value if isinstance(value, str) and value in MODES else "normal"
