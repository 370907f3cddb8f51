"""Flat pictures whose parts are known: figures of open part sets, and painted ones of our own.

Part sets (bench/figures, npm; "remix of" each set by its author):

| set | by | licence |
|---|---|---|
| adventurer | Lisa Wischofsky | CC BY 4.0 |
| big-ears | The Visual Team | CC BY 4.0 |
| big-smile | Ashley Seo | CC BY 4.0 |
| croodles | vijay verma | CC BY 4.0 |
| dylan | Natalia Spivak | CC BY 4.0 |
| lorelei | Lisa Wischofsky | CC0 1.0 |
| micah | Micah Lanier | CC BY 4.0 |
| miniavs | Webpixels | CC BY 4.0 |
| notionists | Zoish | CC0 1.0 |
| open-peeps | Pablo Stanley | CC0 1.0 |
| personas | Draftbit | CC BY 4.0 |
| toon-head | Johan Melin | CC BY 4.0 |

'outlined' and a set: the same figures in other colours, with a dark outline round each part. 'puppets' and 'painted by chance' are ours, drawn by chance, and
only fit; 'painted' are two of ours that only judge.

A part is what a set calls one, whatever it holds: lines, two eyes, hair on both sides of a face. What is drawn outside of any is
the part 'figure'. Nothing is left out but parts of which less than 0.3 % of the picture is seen.
"""

import json
import subprocess
from collections.abc import Iterator
from dataclasses import dataclass
from io import BytesIO

import cv2
import numpy as np
import resvg
from lxml import etree
from measure import FOLDER, ROOT
from numpy.typing import NDArray
from PIL import Image
from resvg import usvg

from yuplet.selecting.regions import nearest_label

FITTING = ("adventurer", "big-smile", "croodles", "micah", "notionists", "personas", "miniavs", "toon-head")
"""Styles that rules are found and models are fitted on; the others only judge."""
JUDGING = ("big-ears", "dylan", "lorelei", "open-peeps")
FOLDS = (
    ("adventurer", "outlined adventurer", "puppets", "personas", "outlined personas"),
    ("big-smile", "outlined big-smile", "notionists", "miniavs", "outlined miniavs"),
    ("micah", "outlined micah", "croodles", "painted by chance", "toon-head", "outlined toon-head"),
)
"""All that is fitted on: what is learned from pieces is learned from those of trees that were fitted on the other two folds."""
ALL_FITTING = tuple(sorted({style for fold in FOLDS for style in fold}))
ALL_JUDGING = (*JUDGING, "outlined big-ears", "outlined dylan", "outlined lorelei", "painted")
EACH = 40
"""Figures of a style."""
SIDES = (512, 1024, 2048)
GROUNDS = ("plain", "two colours", "busy")
SEEN = 0.003
"""Share of the picture of which a part is seen at least."""
_NAMESPACE = "{http://www.w3.org/2000/svg}"
DRAWN = {
    f"{_NAMESPACE}{name}"
    for name in ("path", "circle", "ellipse", "rect", "line", "polyline", "polygon", "use", "text")
}
_ASIDE = {f"{_NAMESPACE}{name}" for name in ("mask", "clipPath", "defs", "metadata", "filter")}


@dataclass(frozen=True, slots=True)
class Flat:
    """A flat picture, (H, W, 4) uint8, and the visible pixels of its parts as labels; 0 is the ground."""

    name: str
    style: str
    picture: NDArray[np.uint8]
    owner: NDArray[np.int32]
    names: tuple[str, ...]

    def parts(self) -> dict[str, NDArray[np.bool_]]:
        """What is seen of each part that counts."""
        masks = {name: self.owner == number for number, name in enumerate(self.names, 1)}
        return {name: mask for name, mask in masks.items() if mask.mean() >= SEEN}


def figures(styles: tuple[str, ...], each: int = EACH, side: int | None = None, first: int = 0) -> Iterator[Flat]:
    """Figures of styles; sizes, grounds and JPEG change from figure to figure, so that each style meets all of them.

    `side` sets one size for all.
    """
    for line in sources_of(styles).splitlines():
        one = json.loads(line)
        number = one["number"]
        if first <= number < first + each:
            # 18 conditions: sizes change fastest, then grounds, then JPEG.
            size = side or SIDES[number % 3]
            yield _laid(one["svg"], one["style"], number, size, GROUNDS[number // 3 % 3], number // 9 % 2 == 1)


def sources_of(styles: tuple[str, ...]) -> str:
    folder = ROOT / "bench" / "figures"
    path = FOLDER / f"figures-{'-'.join(styles)}.jsonl"
    if not path.exists():
        FOLDER.mkdir(parents=True, exist_ok=True)
        if not (folder / "node_modules").exists():
            subprocess.run(["npm", "ci", "--no-audit", "--no-fund"], cwd=folder, check=True, stdout=subprocess.DEVNULL)
        made = subprocess.run(
            ["node", "figures.mjs", str(EACH), *styles], cwd=folder, check=True, capture_output=True, text=True
        )
        path.write_text(made.stdout)
    return path.read_text()


def _laid(svg: str, style: str, number: int, side: int, ground: str, jpeg: bool) -> Flat:
    over = drawn_svg(svg, side)
    owner, names = owners_of(svg, side)
    alpha = over[..., 3:] / 255
    picture = np.full_like(over, 255)
    picture[..., :3] = np.round(over[..., :3] * alpha + ground_of(ground, side, number) * (1 - alpha))
    if jpeg:
        picture[..., :3] = _as_jpeg(picture[..., :3])
    name = f"{style} {number}, {side}, {ground}{', JPEG' if jpeg else ''}"
    return Flat(name, style, picture, owner, names)


def outlined(style: str, each: int = EACH, first: int = 0) -> Iterator[Flat]:
    """Figures of a style in other colours and with a dark outline round each part, which belongs to the part in front.

    Half of them at 512, half at 1,024 px; every third through JPEG.
    """
    for line in sources_of((style,)).splitlines():
        one = json.loads(line)
        number = one["number"]
        if first <= number < first + each:
            side = SIDES[number % 2]
            yield _outlined(one["svg"], style, number, side, GROUNDS[number // 2 % 3], number % 3 == 2)


def _outlined(svg: str, style: str, number: int, side: int, ground: str, jpeg: bool) -> Flat:
    fine = 2 * side
    over = drawn_svg(svg, fine)
    owner, names = owners_of(svg, fine)
    chance = np.random.default_rng(5000 + number)
    alpha = np.where(owner > 0, np.maximum(over[..., 3], 255 * (owner > 0)), 0)[..., None] / 255
    colours = over[..., :3].copy()
    hsv = cv2.cvtColor(colours, cv2.COLOR_RGB2HSV).astype(np.int32)
    turns = np.r_[0, chance.integers(0, 180, len(names))]
    tints = np.r_[0, chance.integers(30, 140, len(names))]
    shades = np.r_[1, chance.uniform(0.75, 1, len(names))]
    grey = (hsv[..., 1] < 25) & (hsv[..., 2] > 90)
    hsv[..., 0] = (hsv[..., 0] + turns[owner]) % 180
    hsv[..., 1] = np.where(grey, tints[owner], hsv[..., 1])
    hsv[..., 2] = hsv[..., 2] * shades[owner]
    colours = cv2.cvtColor(hsv.astype(np.uint8), cv2.COLOR_HSV2RGB).astype(np.float64)
    thick = float(chance.uniform(0.004, 0.011)) * fine
    ink = chance.integers(10, 60, 3).astype(np.float64)
    line = np.zeros(owner.shape, bool)
    for part in range(1, len(names) + 1):
        mask = owner == part
        if mask.any():
            # Within what is seen of a part, beside all that is behind it.
            line |= mask & (cv2.distanceTransform((~(owner < part)).astype(np.uint8), cv2.DIST_L2, 5) <= thick)
    colours[line] = ink
    behind = ground_of(ground, fine, number)
    whole = np.full((side, side, 4), 255, np.uint8)
    mixed = colours * alpha + behind * (1 - alpha)
    whole[..., :3] = np.round(cv2.resize(mixed, (side, side), interpolation=cv2.INTER_AREA))
    if jpeg:
        whole[..., :3] = _as_jpeg(whole[..., :3])
    name = f"outlined {style} {number}, {side}, {ground}{', JPEG' if jpeg else ''}"
    return Flat(name, f"outlined {style}", whole, np.ascontiguousarray(owner[::2, ::2]), names)


def _as_jpeg(rgb: NDArray[np.uint8]) -> NDArray[np.uint8]:
    out = BytesIO()
    Image.fromarray(rgb).save(out, "JPEG", quality=85)
    return np.array(Image.open(out))


def drawn_svg(svg: str, side: int) -> NDArray[np.uint8]:
    root = etree.fromstring(svg.encode())
    root.set("width", str(side))
    root.set("height", str(side))
    tree = usvg.Tree.from_str(etree.tostring(root).decode(), usvg.Options.default())
    data = bytes(resvg.render(tree, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)))
    return np.array(Image.open(BytesIO(data)).convert("RGBA"))


def owners_of(svg: str, side: int) -> tuple[NDArray[np.int32], tuple[str, ...]]:
    """The topmost part of each pixel: the figure drawn once more, each part in a colour of its own and without smooth edges."""
    root = etree.fromstring(svg.encode())
    names: list[str] = []

    whole = root.get("viewBox", "").split()[2:]

    def paint(element: etree._Element, part: str) -> None:
        if element.tag in _ASIDE:
            return
        if element.tag == f"{_NAMESPACE}rect" and [element.get("width"), element.get("height")] == whole:
            # A set that brings a ground of its own.
            element.set("fill", "#000000")
            return
        part = element.get("data-part", part)
        if float(element.get("opacity", "1")) < 0.1:
            element.set("display", "none")
        element.attrib.pop("opacity", None)
        for kind in ("fill", "stroke"):
            element.attrib.pop(f"{kind}-opacity", None)
            if (
                element.get(kind, "none") != "none"
                or kind == "fill"
                and element.tag in DRAWN
                and not _has_fill(element)
            ):
                if part not in names:
                    names.append(part)
                element.set(kind, f"#{_code(names.index(part) + 1):06x}")
        if element.tag in DRAWN:
            element.set("shape-rendering", "crispEdges")
        for below in element:
            if isinstance(below.tag, str):
                paint(below, part)

    root.attrib.pop("shape-rendering", None)
    paint(root, "figure")
    drawn = drawn_svg(etree.tostring(root).decode(), side)
    there = drawn[..., 3] >= 128
    code = (drawn[..., 0].astype(np.int32) << 16) | (drawn[..., 1].astype(np.int32) << 8) | drawn[..., 2]
    owner = np.zeros((side, side), np.int32)
    for number in range(1, len(names) + 1):
        owner[there & (code == _code(number))] = number
    # Pixels of two colours, at the rims of masks, go to the nearest that is of one.
    unclear = there & (owner == 0) & (code > 0)
    if unclear.any() and (owner > 0).any():
        owner[unclear] = nearest_label(owner)[unclear]
    return owner, tuple(names)


def _has_fill(element: etree._Element) -> bool:
    """Whether an element or one around it says how it is filled; 'none' counts."""
    at: etree._Element | None = element
    while at is not None:
        if at.get("fill") is not None:
            return True
        at = at.getparent()
    return False


def _code(number: int) -> int:
    return (number * 0x3D4C15 + 0x101010) & 0xFFFFFF


def ground_of(kind: str, side: int, seed: int) -> NDArray[np.float64]:
    """What a figure stands on, (side, side, 3): one colour, two with a wave between them, or many shapes."""
    colours = np.array(
        [[226, 214, 190], [188, 208, 214], [236, 226, 226], [214, 222, 188], [120, 140, 150], [244, 236, 214]],
        np.float64,
    )
    chance = np.random.default_rng(1000 + seed)
    one, other = colours[chance.permutation(len(colours))[:2]]
    if kind == "plain":
        return np.broadcast_to(one, (side, side, 3)).copy()
    y, x = np.mgrid[:side, :side] / side
    if kind == "two colours":
        below = y > 0.6 + 0.05 * np.sin(x * 9 + seed)
        return np.where(below[..., None], other, one)
    result = np.broadcast_to(one, (side, side, 3)).copy()
    for _ in range(60):
        colour = colours[chance.integers(len(colours))] + chance.integers(-24, 25, 3)
        at = chance.integers(0, side, 2).tolist()
        radius = (chance.uniform(0.02, 0.16, 2) * side).astype(int).tolist()
        cv2.ellipse(result, at, radius, float(chance.uniform(0, 180)), 0, 360, colour.tolist(), -1, cv2.LINE_AA)
    return np.clip(result, 0, 255)


def painted(side: int = 1024) -> Iterator[Flat]:
    """Two figures of ours painted with a soft brush: shaded, with grain, without outlines; and their known parts."""
    for number, (name, shapes) in enumerate(_PAINTED.items()):
        yield _brushed(f"painted: {name}", "painted", shapes, side, number)


def painted_by_chance(each: int = EACH) -> Iterator[Flat]:
    """Figures painted in the same way of shapes by chance, for fitting: limbs on a body, limbs on these, small things on all."""
    for number in range(each):
        chance = np.random.default_rng(7000 + number)
        blobs: list[_Blob] = [
            (0.5, 0.55, chance.uniform(0.14, 0.24), chance.uniform(0.12, 0.22), chance.uniform(-30, 30))
        ]
        shapes: list[_Shape] = [("body", _paint(chance), (blobs[0],))]
        for index in range(int(chance.integers(5, 11))):
            across, down, wide, high, _ = blobs[int(chance.integers(len(blobs)))]
            way = chance.uniform(0, 2 * np.pi)
            small = chance.uniform(0.35, 0.9) if index < 6 else chance.uniform(0.15, 0.3)
            x = across + np.cos(way) * wide * chance.uniform(0.3, 1.1)
            y = down + np.sin(way) * high * chance.uniform(0.3, 1.1)
            long = max(wide, high) * small
            own: _Blob = (x, y, max(long, 0.02), max(long * chance.uniform(0.3, 0.9), 0.015), float(np.degrees(way)))
            twin: _Blob = (1 - x, y, own[2], own[3], -own[4])
            is_pair = chance.random() < 0.25 and abs(x - 0.5) > 0.08
            near = shapes[int(chance.integers(len(shapes)))][1]
            light = chance.uniform(0.8, 1.25)
            colour = tuple(min(int(one * light), 250) for one in near) if chance.random() < 0.35 else _paint(chance)
            shapes.append((f"part {index}", colour, (own, twin) if is_pair else (own,)))  # type: ignore[arg-type]
            blobs.append(own)
        yield _brushed(
            f"painted by chance {number}", "painted by chance", tuple(shapes), SIDES[number % 2], 100 + number
        )


def _paint(chance: np.random.Generator) -> tuple[int, int, int]:
    red, green, blue = _colour(chance)
    return int(red), int(green), int(blue)


def _brushed(name: str, style: str, shapes: "tuple[_Shape, ...]", side: int, number: int) -> Flat:
    chance = np.random.default_rng(number)
    y, x = np.mgrid[:side, :side].astype(np.float64) / side
    picture = np.stack([170 + 40 * y, 180 + 20 * y, 190 - 30 * y], axis=2)
    picture += cv2.GaussianBlur(chance.normal(0, 60, picture.shape), (0, 0), side / 60)
    owner = np.zeros((side, side), np.int32)
    for index, (_, colour, blobs) in enumerate(shapes, 1):
        inside = np.full((side, side), -1.0)
        for across, down, wide, high, turn in blobs:
            cos, sin = np.cos(np.radians(turn)), np.sin(np.radians(turn))
            u = ((x - across) * cos + (y - down) * sin) / wide
            v = (-(x - across) * sin + (y - down) * cos) / high
            wobble = 0.05 * np.sin(7 * np.arctan2(v, u) + index)
            inside = np.maximum(inside, 1 + wobble - np.hypot(u, v))
        cover = np.clip(inside * side / 16 + 0.5, 0, 1)
        light = 1 - 0.3 * np.clip(cv2.GaussianBlur(inside, (0, 0), 4) * -1 + 0.6, 0, 1) - 0.2 * (x - 0.3)
        dabs = cv2.GaussianBlur(chance.normal(0, 1, (side, side)), (0, 0), side / 150, sigmaY=side / 500)
        own = np.array(colour)[None, None] * light[..., None] + 90 * dabs[..., None]
        picture = picture * (1 - cover[..., None]) + own * cover[..., None]
        owner[cover >= 0.5] = index
    picture += chance.normal(0, 2.5, (side, side, 1))
    whole = np.dstack([np.clip(np.round(picture), 0, 255), np.full((side, side), 255)]).astype(np.uint8)
    return Flat(name, style, whole, owner, tuple(one[0] for one in shapes))


_Blob = tuple[float, float, float, float, float]
_Shape = tuple[str, tuple[int, int, int], tuple[_Blob, ...]]
_PAINTED: dict[str, tuple[_Shape, ...]] = {
    "heron": (
        ("legs", (150, 110, 60), ((0.44, 0.83, 0.016, 0.14, 4), (0.54, 0.83, 0.016, 0.14, -4))),
        ("tail", (70, 84, 104), ((0.72, 0.66, 0.14, 0.05, 24),)),
        ("body", (150, 164, 178), ((0.5, 0.58, 0.21, 0.14, 12),)),
        ("wing", (96, 112, 134), ((0.56, 0.58, 0.16, 0.08, 18),)),
        ("neck", (196, 200, 200), ((0.34, 0.42, 0.045, 0.17, -14),)),
        ("beak", (210, 150, 60), ((0.19, 0.27, 0.1, 0.02, -8),)),
        ("head", (206, 208, 204), ((0.31, 0.25, 0.075, 0.06, -10),)),
        ("crest", (40, 46, 58), ((0.39, 0.22, 0.08, 0.018, 18),)),
        ("eye", (226, 190, 70), ((0.29, 0.24, 0.036, 0.036, 0),)),
    ),
    "keeper": (
        ("boots", (64, 48, 40), ((0.42, 0.92, 0.075, 0.04, 0), (0.6, 0.92, 0.075, 0.04, 0))),
        ("trousers", (92, 98, 92), ((0.43, 0.8, 0.06, 0.12, 3), (0.58, 0.8, 0.06, 0.12, -3))),
        ("coat", (126, 62, 48), ((0.5, 0.58, 0.17, 0.19, 0),)),
        ("far arm", (112, 54, 44), ((0.69, 0.55, 0.045, 0.15, -30),)),
        ("scarf", (216, 176, 84), ((0.5, 0.415, 0.12, 0.036, 4), (0.57, 0.49, 0.032, 0.09, -12))),
        ("face", (222, 178, 146), ((0.5, 0.29, 0.105, 0.115, 0),)),
        ("beard", (146, 128, 112), ((0.5, 0.355, 0.1, 0.06, 0),)),
        ("hat", (58, 66, 82), ((0.5, 0.19, 0.135, 0.05, -4), (0.49, 0.14, 0.09, 0.07, -4))),
        ("near arm", (140, 70, 54), ((0.33, 0.56, 0.05, 0.16, 22),)),
        ("lamp", (244, 214, 120), ((0.26, 0.73, 0.055, 0.07, 0),)),
    ),
}


def puppets(each: int = EACH) -> Iterator[Flat]:
    """Figures of ours with outlines, by chance: limbs of the coat's colour over the coat, bands, buttons, folds; and their parts.

    Half of them at 512, half at 1,024 px; every third through JPEG.
    """
    for number in range(each):
        side = SIDES[number % 2]
        yield _puppet(number, side, GROUNDS[number // 2 % 3], number % 3 == 2)


def _puppet(number: int, side: int, ground: str, jpeg: bool) -> Flat:
    chance = np.random.default_rng(9000 + number)
    fine = 2 * side
    picture = ground_of(ground, fine, number).astype(np.float32)
    owner = np.zeros((fine, fine), np.int32)
    names: list[str] = []
    thick = chance.uniform(0.003, 0.009) * fine
    ink = chance.integers(10, 60, 3).astype(np.float32)
    cloth, other, skin, extra = (_colour(chance) for _ in range(4))

    def draw(name: str, colour: NDArray[np.float32], *shapes: NDArray[np.bool_], fold: int = 0) -> None:
        inside = np.logical_or.reduce(shapes)
        depth = cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 5)
        picture[inside] = colour
        if chance.random() < 0.4:
            # A shadow on one side.
            shift = int(0.02 * fine)
            picture[inside & ~np.roll(inside, (-shift, -shift), (0, 1))] = colour * 0.8
        for _ in range(fold):
            rows, columns = np.nonzero(depth > 0.3 * depth.max())
            at = int(chance.integers(len(rows)))
            line = np.zeros((fine, fine), np.uint8)
            ends = (columns[at], rows[at]), (chance.normal(0, 0.03, 2) * fine + (columns[at], rows[at]))
            start, end = (tuple(int(value) for value in one) for one in ends)
            cv2.line(line, start, end, 1, max(int(thick), 1))
            picture[(line > 0) & inside] = ink
        picture[inside & (depth <= thick)] = ink
        if name not in names:
            names.append(name)
        owner[inside] = names.index(name) + 1

    def oval(x: float, y: float, wide: float, high: float, turn: float = 0.0) -> NDArray[np.bool_]:
        drawn = np.zeros((fine, fine), np.uint8)
        wide, high = wide * chance.uniform(0.85, 1.15), high * chance.uniform(0.85, 1.15)
        middle, axes = (int(x * fine), int(y * fine)), (int(wide * fine), int(high * fine))
        cv2.ellipse(drawn, middle, axes, turn, 0, 360, 1, -1)
        return drawn > 0

    def limb(*points: tuple[float, float], wide: float) -> NDArray[np.bool_]:
        drawn = np.zeros((fine, fine), np.uint8)
        places = np.round(np.array(points) * fine + chance.normal(0, 0.012, (len(points), 2)) * fine).astype(np.int32)
        cv2.polylines(drawn, [places], False, 1, int(wide * fine))
        return drawn > 0

    def bulge(x: float, top: float, bottom: float, above: float, below: float) -> NDArray[np.bool_]:
        corners = np.array([[x - above, top], [x + above, top], [x + below, bottom], [x - below, bottom]]) * fine
        drawn = np.zeros((fine, fine), np.uint8)
        cv2.fillPoly(drawn, [corners.astype(np.int32)], 1)
        wide = int(0.02 * fine)
        return cv2.dilate(drawn, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (wide, wide))) > 0

    x = chance.uniform(0.45, 0.55)
    lean = chance.uniform(-0.03, 0.03)
    same = chance.random() < 0.6
    sleeve = cloth if same else other
    draw("far arm", sleeve, limb((x + 0.13, 0.45), (x + 0.2, 0.55), (x + 0.22, 0.66), wide=0.07))
    draw("far hand", skin, oval(x + 0.225, 0.68, 0.035, 0.035))
    for name, way in (("far leg", 0.07), ("near leg", -0.07)):
        draw(name, other, limb((x + way, 0.7), (x + way * 1.2, 0.8), (x + way * 1.1, 0.9), wide=0.08), fold=1)
        draw(name.replace("leg", "shoe"), extra, oval(x + way * 1.1 - 0.02, 0.93, 0.06, 0.03))
    draw("coat", cloth, bulge(x, 0.42, 0.74, 0.1, 0.15), fold=int(chance.integers(0, 4)))
    if chance.random() < 0.7:
        belt = bulge(x, 0.42, 0.74, 0.1, 0.15)
        belt[: int(0.62 * fine)] = False
        belt[int(0.655 * fine) :] = False
        draw("belt", extra, belt)
        draw("buckle", _colour(chance), oval(x, 0.637, 0.03, 0.022))
    if chance.random() < 0.6:
        draw("buttons", _colour(chance), *[oval(x, y, 0.012, 0.012) for y in (0.47, 0.52, 0.57)])
    draw("ears", skin, oval(x - 0.12 + lean, 0.28, 0.035, 0.045), oval(x + 0.12 + lean, 0.28, 0.035, 0.045))
    draw("face", skin, oval(x + lean, 0.28, 0.12, 0.13), fold=int(chance.integers(0, 2)))
    white = np.array([250, 248, 240], np.float32)
    eyes = [oval(x + way + lean, 0.26, 0.02, 0.024) for way in (-0.045, 0.045)]
    draw("eyes", white, *eyes)
    for way in (-0.045, 0.045):
        pupil = oval(x + way + lean, 0.262, 0.009, 0.011)
        picture[pupil] = ink
    if chance.random() < 0.6:
        brown = _colour(chance) * 0.5
        draw(
            "moustache",
            brown,
            oval(x - 0.035 + lean, 0.335, 0.045, 0.016, 14),
            oval(x + 0.035 + lean, 0.335, 0.045, 0.016, -14),
        )
    else:
        draw("mouth", np.array([150, 50, 50], np.float32), oval(x + lean, 0.345, 0.045, 0.018))
    if chance.random() < 0.8:
        cap = oval(x + lean, 0.19, 0.13, 0.09)
        cap[int(0.21 * fine) :] = False
        draw(
            "cap",
            other if chance.random() < 0.5 else cloth,
            cap,
            limb((x - 0.14 + lean, 0.21), (x + 0.16 + lean, 0.21), wide=0.03),
        )
        if chance.random() < 0.5:
            band = oval(x + lean, 0.2, 0.12, 0.08)
            band[: int(0.175 * fine)] = False
            band[int(0.198 * fine) :] = False
            picture[band] = extra
    else:
        hair = oval(x + lean, 0.2, 0.13, 0.09)
        draw("hair", _colour(chance) * 0.6, hair & ~oval(x + lean, 0.27, 0.1, 0.08), fold=int(chance.integers(0, 4)))
    draw("near arm", sleeve, limb((x - 0.12, 0.46), (x - 0.2, 0.56), (x - 0.19, 0.68), wide=0.075), fold=1)
    cuff = limb((x - 0.195, 0.66), (x - 0.19, 0.69), wide=0.09)
    draw("near cuff", cloth if same and chance.random() < 0.5 else extra, cuff)
    draw("near hand", skin, oval(x - 0.19, 0.73, 0.036, 0.036))
    if chance.random() < 0.7:
        draw("staff", _colour(chance), limb((x - 0.3, 0.4), (x - 0.27, 0.9), wide=0.02))
        draw("flag", _colour(chance), bulge(x - 0.37, 0.36, 0.48, 0.05, 0.05), fold=1)
    whole = np.full((side, side, 4), 255, np.uint8)
    whole[..., :3] = np.round(cv2.resize(picture, (side, side), interpolation=cv2.INTER_AREA))
    if jpeg:
        whole[..., :3] = _as_jpeg(whole[..., :3])
    name = f"puppet {number}, {side}, {ground}{', JPEG' if jpeg else ''}"
    return Flat(name, "puppets", whole, np.ascontiguousarray(owner[::2, ::2]), tuple(names))


def _colour(chance: np.random.Generator) -> NDArray[np.float32]:
    pixel = np.array([[[chance.integers(0, 180), chance.integers(40, 190), chance.integers(110, 250)]]], np.uint8)
    result: NDArray[np.float32] = cv2.cvtColor(pixel, cv2.COLOR_HSV2RGB)[0, 0].astype(np.float32)
    return result


def flats(style: str, each: int = EACH) -> Iterator[Flat]:
    """Figures of a style, of 'outlined' and a style, 'puppets', 'painted by chance' or 'painted'."""
    kind, _, name = style.partition(" ")
    if kind == "outlined":
        return outlined(name, each)
    ours = {"puppets": puppets, "painted by chance": painted_by_chance}
    if style in ours:
        return ours[style](each)
    return painted() if style == "painted" else figures((style,), each)


def deepest(mask: NDArray[np.bool_]) -> tuple[float, int, int]:
    """How deep the deepest pixel of a mask lies in it, and where (x, y); the picture's rim is outside."""
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if not rows.size:
        return 0.0, 0, 0
    part = mask[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    depth = cv2.distanceTransform(np.pad(part, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    at = int(depth.argmax())
    return float(depth.flat[at]), int(columns[0]) + at % part.shape[1], int(rows[0]) + at // part.shape[1]
