"""Where shapes of an SVG can lie, told from their numbers; and many of them drawn in one go, with the pixels that each has alone."""

import random
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from yuplet.geometry import Box, Size
from yuplet.pixels import Picture
from yuplet.reading import svg, svg_drawing
from yuplet.reading.choices import Choices
from yuplet.reading.svg_boxes import farthest

DEMO = Path(__file__).resolve().parents[3] / "demo"
HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="300" height="200">'
Drawn = dict[str, tuple[Box, Picture] | None]


def opened(inner: str, head: str = HEAD, longest: int | None = None) -> svg.Drawing:
    return svg.open_drawing(f"{head}{inner}</svg>".encode(), "shapes.svg", Choices(longest=longest))


def alone(drawing: svg.Drawing) -> Drawn:
    return {
        name: svg_drawing.draw(drawing.document, shape, drawing.canvas, drawing.scale)
        for name, shape in drawing.shapes.items()
    }


def together(drawing: svg.Drawing) -> Drawn:
    return dict(svg_drawing.draw_all(drawing.document, drawing.shapes, drawing.canvas, drawing.scale))


def boxes(drawing: svg.Drawing) -> list[Box | None]:
    return [farthest(drawing.document, shape.element, shape.around, drawing.scale) for shape in drawing.shapes.values()]


def chance_shape(chance: random.Random, number: int) -> str:
    """A shape of any kind, turned, skewed and stroked in any way, some in groups and some used again."""
    n = lambda low, high: round(chance.uniform(low, high), 2)  # noqa: E731
    points = " ".join(f"{n(0, 300)},{n(0, 200)}" for _ in range(5))
    shape = chance.choice(
        [
            f'<rect x="{n(-20, 250)}" y="{n(-20, 150)}" width="{n(1, 90)}" height="{n(1, 90)}" rx="4"',
            f'<circle cx="{n(0, 300)}" cy="{n(0, 200)}" r="{n(1, 60)}"',
            f'<ellipse cx="{n(0, 300)}" cy="{n(0, 200)}" rx="{n(1, 60)}" ry="{n(1, 20)}"',
            f'<line x1="{n(0, 300)}" y1="{n(0, 200)}" x2="{n(0, 300)}" y2="{n(0, 200)}" stroke="red"',
            f'<polygon points="{points}"',
            f'<polyline points="{points}" fill="none" stroke="blue"',
            f'<path d="M{n(0, 300)} {n(0, 200)}c9 {n(-99, 99)} 20-5 {n(-80, 80)} 7.5s-3 1 5 5a{n(5, 40)} 12 {n(0, 90)} 1 0 9 9q5 {n(-70, 70)} 8 8z"',
        ]
    )
    turned = chance.choice(
        [
            "",
            f"rotate({n(-90, 90)} 150 100)",
            f"translate({n(-40, 40)})skewX({n(-30, 30)})",
            f"matrix(1 .2 {n(-1, 1)} .8 3 4), scale({n(0.4, 1.6)})",
        ]
    )
    stroke = chance.choice(
        [
            "",
            f' stroke="#123" stroke-width="{n(0.2, 14)}"',
            ' stroke="teal" stroke-linecap="square" stroke-miterlimit="9"',
        ]
    )
    if "stroke" in shape:
        stroke = ""
    whole = f'{shape} id="s{number}" transform="{turned}"{stroke}/>'
    return chance.choice(
        [
            whole,
            f'<g transform="scale(.7)" stroke-width="3px">{whole}</g>',
            f'<g>{whole}<use xlink:href="#s{number}" x="{n(-60, 60)}" y="9"/></g>',
        ]
    )


class BoxTests(unittest.TestCase):
    def test_nothing_is_seen_outside(self) -> None:
        chance = random.Random(5)
        for longest in (None, 437):
            for head in (HEAD, HEAD.replace("width", 'viewBox="-10 5 400 200" width')):
                drawing = opened("".join(chance_shape(chance, number) for number in range(60)), head, longest)
                known = 0
                for box, drawn in zip(boxes(drawing), alone(drawing).values(), strict=True):
                    self.assertIsNotNone(box)
                    if box is not None and drawn is not None:
                        known += 1
                        self.assertEqual(box.meet(drawn[0]), drawn[0])
                        # And it is of use: about as large.
                        self.assertLess(box.size.pixels, 60 * drawn[0].size.pixels + 20_000)
                self.assertGreater(known, 50)

    def test_what_cannot_be_told_is_not_guessed(self) -> None:
        for inner in (
            "<text x='9' y='99'>lamp</text>",
            "<rect width='50%' height='9'/>",
            "<rect width='5em' height='9'/>",
            "<path d='M0 0h9v9z' style='transform: translate(9mm)'/>",
            "<circle r='9' style='cx: 99px'/>",
            "<path d='M0 0h9v9z' marker-end='url(#m)'/><marker id='m' markerWidth='99'><path d='M0 0h99'/></marker>",
            "<path d='M0 0h9v9z' filter='url(#f)'/><filter id='f'><feGaussianBlur stdDeviation='9'/></filter>",
            "<path d='M0 0 nonsense'/>",
            "<path d='M0 0h9v9z' transform='rotate(9deg)'/>",
            f"<path d='M0 0h9v9z' transform='rotate({'1' * 5000}x)'/>",
            "<path d='M0 0h9v9z' stroke='red' vector-effect='non-scaling-stroke'/>",
            "<use href='#s'/><symbol id='s'><rect width='9' height='9'/></symbol>",
        ):
            self.assertIn(None, boxes(opened(inner)), inner)


class TogetherTests(unittest.TestCase):
    def assert_same(self, one: Drawn, other: Drawn) -> None:
        self.assertEqual(one.keys(), other.keys())
        for name, drawn in one.items():
            found = other[name]
            self.assertEqual(drawn is None, found is None, name)
            if drawn is not None and found is not None:
                self.assertEqual(drawn[0], found[0], name)
                np.testing.assert_array_equal(drawn[1], found[1], name)

    def test_shapes_have_the_pixels_that_they_have_alone(self) -> None:
        for file in sorted(DEMO.glob("*.svg")):
            drawing = svg.open_drawing(file.read_bytes(), file.name)
            with self.subTest(file.name):
                self.assert_same(together(drawing), alone(drawing))
        chance = random.Random(8)
        gradient = (
            '<linearGradient id="g"><stop stop-color="#fa0"/><stop offset="1" stop-color="#05a"/></linearGradient>'
        )
        shapes = "".join(
            f'<rect x="{chance.randrange(290)}" y="{chance.randrange(190)}" width="7.5" height="6" fill="url(#g)"/>'
            for _ in range(300)
        )
        drawing = opened(gradient + shapes)
        with mock.patch.object(svg_drawing, "draw", side_effect=AssertionError("drawn by itself")):
            found = together(drawing)
        self.assert_same(found, alone(drawing))

    def test_few_drawings_are_enough(self) -> None:
        drawing = opened(
            "".join(
                f'<rect x="{x}" y="{y}" width="4" height="4"/>' for x in range(0, 300, 12) for y in range(0, 200, 12)
            )
        )
        with mock.patch.object(svg_drawing, "_viewed_together", wraps=svg_drawing._viewed_together) as drawn:
            self.assertEqual(len(together(drawing)), 425)
        self.assertLess(drawn.call_count, 6)

    def test_a_box_that_is_too_small_is_noticed(self) -> None:
        drawing = opened('<rect x="10" y="10" width="50" height="50"/><rect x="100" y="10" width="50" height="50"/>')
        right = alone(drawing)
        small = mock.patch.object(svg_drawing, "farthest", side_effect=[Box(20, 20, 40, 40), Box(98, 8, 152, 62)])
        for is_quicker in (True, False):
            with small, mock.patch.object(svg_drawing, "_is_quicker", return_value=is_quicker):
                self.assert_same(together(drawing), right)

    def test_a_shape_does_not_change_with_what_else_is_drawn(self) -> None:
        """At a scale of its own it would, if it were drawn with others."""
        shapes = [f'<circle cx="{20 + 29 * n}" cy="{20 + 17 * n % 160}" r="9.3"/>' for n in range(10)]
        for longest in (None, 431):
            few, many = opened("".join(shapes[:3]), longest=longest), opened("".join(shapes), longest=longest)
            some = together(many)
            self.assert_same(together(few), {name: some[name] for name in few.shapes})

    def test_what_lies_outside_of_the_canvas_is_nothing(self) -> None:
        drawing = opened('<rect x="900" y="10" width="5" height="5"/>')
        self.assertEqual(drawing.canvas, Size(300, 200))
        self.assertEqual(list(together(drawing).values()), [None])
