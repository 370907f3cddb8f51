"""A motion read back from a file that plays it: where each part lies at times, by what the file says and nothing else.

Sources: W3C Web Animations Level 1 (keyframes and timing of a page); CSS Animations Level 1 (`@keyframes` of a drawing); glTF 2.0, 3.11 (animations).
"""

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import tinycss2
from lxml import etree
from numpy.typing import NDArray

from yuplet.rehearsal.model import accessor, opened
from yuplet.rehearsal.motion.easing import Floats
from yuplet.rehearsal.motion.sampling import Maps
from yuplet.rehearsal.motion.timing import directed
from yuplet.rehearsal.page import HtmlElement, elements_of

_REST = np.array([1.0, 0, 0, 1, 0, 0])
_LONGEST_DEPTH = 200


@dataclass(frozen=True, slots=True)
class Replayed:
    """By the ids of parts their maps on the canvas (T, 6), and whether each is seen (T,)."""

    maps: Mapping[str, Maps]
    seen: Mapping[str, NDArray[np.bool_]]


@dataclass(frozen=True, slots=True)
class _Strand:
    """What a property is at shares of an iteration."""

    name: str
    shares: Floats
    values: Sequence[str]
    is_stepped: bool
    seconds: float
    iterations: float | None
    direction: str
    fill: str

    def progress(self, times: Floats) -> Floats:
        moments = directed(times, self.seconds, self.iterations, self.direction, self.fill)  # type: ignore[arg-type]
        return np.asarray(moments / self.seconds)

    def maps(self, times: Floats) -> Maps:
        numbers = np.array([_numbers(value) for value in self.values])
        progress = self.progress(times)
        return np.stack([np.interp(progress, self.shares, numbers[:, at]) for at in range(6)], axis=1)

    def texts(self, times: Floats) -> list[str]:
        last = np.searchsorted(self.shares, self.progress(times) + 1e-7, side="right") - 1
        return [self.values[max(0, at)] for at in last.tolist()]


def replay_page(path: Path, times: Floats) -> Replayed:
    """A page whose keyframes are in it as JSON. Raises ValueError or KeyError for one that says something else."""
    root = elements_of(path.read_text("utf-8"))
    own: dict[str, list[_Strand]] = {}
    for one in json.loads(_text_of(root, "motion")):
        (name,) = set(one["keyframes"][0]) - {"offset", "easing"}
        timing = one["timing"]
        own.setdefault(one["id"], []).append(
            _Strand(
                name=name,
                shares=np.array([frame["offset"] for frame in one["keyframes"]]),
                values=[frame[name] for frame in one["keyframes"]],
                is_stepped=one["keyframes"][0].get("easing") == "step-end",
                seconds=timing["duration"] / 1000,
                iterations=timing["iterations"],
                direction=timing.get("direction", "normal"),
                fill=timing["fill"],
            )
        )
    return _replayed(((one.said, one.members) for one in root.members), own, times)


def replay_drawing(path: Path, times: Floats) -> Replayed:
    """A drawing that moves by the style in it. Raises ValueError or KeyError for one that says something else."""
    parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=True)
    root = etree.parse(str(path), parser).getroot()
    style = "".join(one.text or "" for one in root.iter("{*}style"))
    return _replayed(_svg_elements(root), _strands_of_style(style), times)


def _svg_elements(element: Any) -> Iterator[tuple[Mapping[str, str], Any]]:
    for one in element:
        if isinstance(one.tag, str):
            yield dict(one.attrib), one


def _members(inside: Any) -> Iterator[tuple[Mapping[str, str], Any]]:
    """What is in an element of either kind."""
    if isinstance(inside, list):
        return ((one.said, one.members) for one in inside)
    return _svg_elements(inside)


def _replayed(elements: Any, own: Mapping[str, list[_Strand]], times: Floats) -> Replayed:
    maps: dict[str, Maps] = {}
    seen: dict[str, NDArray[np.bool_]] = {}

    def walk(inside: Any, around: NDArray[np.bool_], depth: int) -> None:
        if depth > _LONGEST_DEPTH:
            raise ValueError("its elements lie too deep within each other")
        for said, members in inside:
            here = around
            strands = own.get(said.get("id", ""), [])
            for strand in strands:
                if strand.name == "visibility":
                    here = here & np.array([value != "hidden" for value in strand.texts(times)])
            part = said.get("data-part")
            if part is not None:
                moved = [strand.maps(times) for strand in strands if strand.name == "transform"]
                maps[part] = moved[0] if moved else np.broadcast_to(_REST, (len(times), 6))
                seen[part] = here
            else:
                walk(_members(members), here, depth + 1)

    walk(elements, np.ones(len(times), bool), 0)
    return Replayed(maps, seen)


def _numbers(value: str) -> list[float]:
    if not (value.startswith("matrix(") and value.endswith(")")):
        raise ValueError(f"'{value[:40]}' is no matrix")
    found = [float(one) for one in value[7:-1].split(",")]
    if len(found) != 6:
        raise ValueError(f"'{value[:40]}' has not six numbers")
    return found


def _text_of(root: HtmlElement, id: str) -> str:
    for member in root.members:
        if member.said.get("id") == id:
            return member.text
        found = _text_of(member, id)
        if found:
            return found
    return ""


def _strands_of_style(text: str) -> dict[str, list[_Strand]]:
    keyframes: dict[str, tuple[str, list[float], list[str]]] = {}
    own: dict[str, list[_Strand]] = {}
    for rule in tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True):
        if rule.type == "at-rule" and rule.lower_at_keyword == "keyframes":
            keyframes[tinycss2.serialize(rule.prelude).strip()] = _keyframes(rule.content)
        elif rule.type == "qualified-rule":
            id = tinycss2.serialize(rule.prelude).strip().removeprefix("#")
            for one in tinycss2.parse_declaration_list(rule.content, skip_comments=True, skip_whitespace=True):
                if one.type == "declaration" and one.lower_name == "animation":
                    for said in tinycss2.serialize(one.value).split(","):
                        own.setdefault(id, []).append(_animation(said.split(), keyframes))
    return own


def _animation(words: list[str], keyframes: Mapping[str, tuple[str, list[float], list[str]]]) -> _Strand:
    seconds, easing, _, count, direction, fill, name = words
    property, shares, values = keyframes[name]
    return _Strand(
        name=property,
        shares=np.array(shares),
        values=values,
        is_stepped=easing == "step-end",
        seconds=float(seconds.removesuffix("s")),
        iterations=None if count == "infinite" else float(count),
        direction=direction,
        fill=fill,
    )


def _keyframes(content: Any) -> tuple[str, list[float], list[str]]:
    name, shares, values = "", [], []
    for rule in tinycss2.parse_rule_list(content, skip_comments=True, skip_whitespace=True):
        shares.append(float(tinycss2.serialize(rule.prelude).strip().removesuffix("%")) / 100)
        (one,) = tinycss2.parse_declaration_list(rule.content, skip_comments=True, skip_whitespace=True)
        name = one.lower_name
        values.append(tinycss2.serialize(one.value).strip())
    return name, shares, values


def replay_model(path: Path, times: Floats, height: int) -> Replayed:
    """A binary glTF: nodes whose `extras` name parts. Raises OSError, ValueError or KeyError for one that says something else.

    A part's map takes the quad as it is at rest, by where it lies in its node, to where it lies then; `height` is that of the canvas in pixels.
    """
    value, data = opened(path.read_bytes())
    unit = float(value["extras"]["pixels_per_unit"])
    animated: dict[tuple[int, str], tuple[Floats, Floats, bool]] = {}
    for animation in value.get("animations", ()):
        for channel in animation["channels"]:
            sampler = animation["samplers"][channel["sampler"]]
            keys = accessor(value, data, sampler["input"])[:, 0]
            numbers = accessor(value, data, sampler["output"])
            target = channel["target"]
            animated[target["node"], target["path"]] = (keys, numbers, sampler.get("interpolation") == "STEP")
    maps: dict[str, Maps] = {}
    seen: dict[str, NDArray[np.bool_]] = {}

    whole = np.broadcast_to(np.eye(4), (len(times), 4, 4))
    roots = value["scenes"][value["scene"]]["nodes"]
    waiting: list[tuple[int, Floats, tuple[str, Sequence[float]] | None]] = [(number, whole, None) for number in roots]
    known: set[int] = set()
    while waiting:
        number, around, part = waiting.pop()
        if number in known:
            raise ValueError("a node is in two places")
        known.add(number)
        node = value["nodes"][number]
        matrix = around @ _local(node, number, animated, times)
        said = node.get("extras", {})
        if "id" in said:
            part = (str(said["id"]), said["about"])
        if "mesh" in node and part is not None:
            id, about = part
            seen[id] = np.abs(np.linalg.det(matrix[:, :2, :2])) > 1e-12
            maps[id] = _canvas_maps(matrix, about, unit, height)
        waiting += [(child, matrix, part) for child in node.get("children", ())]
    return Replayed(maps, seen)


def _local(
    node: Mapping[str, Any], number: int, animated: Mapping[tuple[int, str], tuple[Floats, Floats, bool]], times: Floats
) -> Floats:
    """The matrix of a node at each time, (T, 4, 4)."""

    def values(path: str, rest: Sequence[float]) -> Floats:
        own = np.array(node.get(path, rest), np.float64)
        if (number, path) not in animated:
            return np.broadcast_to(own, (len(times), len(own)))
        keys, numbers, is_stepped = animated[number, path]
        if is_stepped:
            # Times are kept as floats of 32 bits.
            at = np.clip(np.searchsorted(keys, times + 1e-5, side="right") - 1, 0, len(keys) - 1)
            return np.asarray(numbers[at])
        return np.stack([np.interp(times, keys, numbers[:, side]) for side in range(numbers.shape[1])], axis=1)

    x, y, z, w = values("rotation", (0, 0, 0, 1)).T
    length = np.sqrt(x * x + y * y + z * z + w * w)
    x, y, z, w = x / length, y / length, z / length, w / length
    scale = values("scale", (1, 1, 1))
    found = np.zeros((len(times), 4, 4))
    found[:, 0, :3] = np.stack([1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)], axis=1) * scale
    found[:, 1, :3] = np.stack([2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)], axis=1) * scale
    found[:, 2, :3] = np.stack([2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)], axis=1) * scale
    found[:, :3, 3] = values("translation", (0, 0, 0))
    found[:, 3, 3] = 1
    return found


def _canvas_maps(matrix: Floats, about: Sequence[float], unit: float, height: int) -> Maps:
    """From the canvas at rest, where the node is at `about`, to the canvas then."""
    a, c = matrix[:, 0, 0], -matrix[:, 0, 1]
    b, d = -matrix[:, 1, 0], matrix[:, 1, 1]
    x, y = matrix[:, 0, 3] * unit, height - matrix[:, 1, 3] * unit
    e = x - a * about[0] - c * about[1]
    f = y - b * about[0] - d * about[1]
    return np.stack([a, b, c, d, e, f], axis=1)
