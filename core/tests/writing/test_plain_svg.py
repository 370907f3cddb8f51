"""SVG made small looks as it did, and says everything once. Paths are read by fontTools, drawings are drawn by resvg."""

import io
import unittest

import numpy as np
import resvg
from fontTools.pens.recordingPen import RecordingPen
from fontTools.svgLib.path import parse_path
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from PIL import Image
from resvg import usvg

from yuplet.writing.plain_svg import as_group, make_plain, rounded_path, share_definitions

SVG = "{http://www.w3.org/2000/svg}"
# No two places are so near to each other that they fall together when they are rounded: the reader passes over a closing line of no length.
NUMBER = st.integers(-24_000, 24_000).map(lambda number: round(number * 0.0371, 4))
TAKES = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "T": 2}


@st.composite
def paths(draw: st.DrawFn) -> str:
    """Path data of many commands, absolute and relative, without arcs, which the other reader draws as curves of its own."""
    said = [f"M{draw(NUMBER)} {draw(NUMBER)}"]
    for letter in draw(st.lists(st.sampled_from("mlhvcsqtzMLHVCSQTZ"), max_size=30)):
        numbers = [str(draw(NUMBER)) for _ in range(TAKES.get(letter.upper(), 0))]
        said.append(letter + ",".join(numbers))
    return " ".join(said)


def corners(path: str) -> np.ndarray:
    pen = RecordingPen()
    parse_path(path, pen)
    return np.array([point for _, points in pen.value for point in points if point is not None], float).reshape(-1, 2)


def drawn(root: etree._Element) -> np.ndarray:
    tree = usvg.Tree.from_str(etree.tostring(root, encoding="unicode"), usvg.Options.default())
    data = bytes(resvg.render(tree, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)))
    return np.array(Image.open(io.BytesIO(data)).convert("RGBA")).astype(int)


class PathTests(unittest.TestCase):
    @given(paths())
    def test_no_corner_moves_by_more_than_half_a_step_however_long_a_relative_path_is(self, path: str) -> None:
        ours = rounded_path(path, 2)
        before, after = corners(path), corners(ours)
        self.assertEqual(before.shape, after.shape, ours)
        # Where a curve goes on smoothly, its first handle is mirrored: twice as far off at the most.
        self.assertLessEqual(np.abs(before - after).max(initial=0), 0.0051 * (3 if set("sStT") & set(path) else 1))

    def test_arcs_keep_their_flags_and_ends(self) -> None:
        self.assertEqual(
            rounded_path("M1 1a5.123,5.123 30 1010.004,0A2 2 0 01 3 4", 2), "M1 1a5.12 5.12 30 1 0 10 0A2 2 0 0 1 3 4"
        )

    def test_what_is_no_path_any_more_ends_it(self) -> None:
        self.assertEqual(rounded_path("M1 2L3 x4 L9 9", 2), "M1 2")
        self.assertEqual(rounded_path("7 M1 2", 2), "")


class PlainTests(unittest.TestCase):
    def same(self, text: str, limit: int = 0) -> etree._Element:
        root = etree.fromstring(text)
        before = drawn(root)
        self.assertGreater(before[..., 3].max(), 0)
        make_plain(root)
        share_definitions(root)
        self.assertLessEqual(np.abs(drawn(root) - before).max(), limit)
        return root

    def test_equal_definitions_are_there_once_and_what_they_refer_to(self) -> None:
        def part(number: int, x: int, colour: str = "#269") -> str:
            return f"""<g id="p{number}"><title>part {number}</title><defs>
              <linearGradient id="p{number}-one"><stop stop-color="#b43"/><stop offset="1" stop-color="{colour}"/></linearGradient>
              <linearGradient id="p{number}-two" href="#p{number}-one" x2="0" y2="1"/></defs>
              <rect x="{x}" y="2" width="8" height="20" fill="url(#p{number}-two)"/></g>"""

        root = self.same(
            f'<svg xmlns="http://www.w3.org/2000/svg" width="60" height="30">{part(1, 2)}{part(2, 20)}{part(3, 40, "#000")}</svg>'
        )
        self.assertEqual(len(list(root.iter(f"{SVG}linearGradient"))), 4)
        self.assertEqual([one.tag for one in root if one.tag == f"{SVG}defs"], [f"{SVG}defs"])

    def test_references_without_end_and_those_that_double_take_no_time(self) -> None:
        chain = "".join(f'<linearGradient id="g{n}" href="#g{n + 1}"/>' for n in range(1200))
        double = "".join(
            f'<pattern id="q{n}"><rect fill="url(#q{n + 1})"/><rect fill="url(#q{n + 1})"/></pattern>'
            for n in range(60)
        )
        root = etree.fromstring(
            f'<svg xmlns="http://www.w3.org/2000/svg"><g><defs>{chain}<pattern id="q60"/>{double}</defs>'
            '<rect fill="url(#g0)"/><rect fill="url(#q0)"/></g></svg>'
        )
        share_definitions(root)
        self.assertEqual(len(list(root.iter(f"{SVG}pattern"))), 61)

    def test_a_definition_keeps_what_it_inherits(self) -> None:
        def part(number: int, x: int, colour: str) -> str:
            return f"""<g id="p{number}"><title>part</title><g fill="{colour}" transform="translate({x} 0)"><defs>
              <pattern id="p{number}-a" width="4" height="4" patternUnits="userSpaceOnUse"><rect width="2" height="4"/></pattern></defs>
              <rect width="16" height="16" fill="url(#p{number}-a)"/><circle cx="8" cy="20" r="3"/></g></g>"""

        root = self.same(
            f'<svg xmlns="http://www.w3.org/2000/svg" width="60" height="30">{part(1, 2, "#b43")}{part(2, 22, "#269")}{part(3, 40, "#269")}</svg>'
        )
        self.assertEqual(len(list(root.iter(f"{SVG}pattern"))), 2)

    def test_what_says_nothing_goes_and_what_is_read_by_people_stays(self) -> None:
        root = self.same(
            """<svg xmlns="http://www.w3.org/2000/svg" xmlns:x="urn:x" width="30" height="30" x:made="by hand"><!-- why -->
            <g id="p1" class="" data-n="1"><title> two words </title><g><g fill="#246" stroke=""><path class="a" x:label="l" d="M 2.00 2.00 L 20 2.004 L 20 20 z"/>
            </g></g></g><defs></defs><x:more/></svg>"""
        )
        text = etree.tostring(root, encoding="unicode")
        for gone in ("class", "x:", "data-n", "defs", "why", "2.004", 'stroke=""', "\n"):
            self.assertNotIn(gone, text.replace('xmlns:x="urn:x"', ""), gone)
        self.assertIn("<title> two words </title>", text)
        self.assertIn('<path d="M2 2L20 2 20 20z" fill="#246"/>', text)

    def test_numbers_keep_what_is_seen_of_them_where_they_are_enlarged(self) -> None:
        root = self.same(
            """<svg xmlns="http://www.w3.org/2000/svg" width="300" height="300"><g transform="scale(1000)">
            <path d="M0.01234 0.01 L0.2 0.0123456 L0.1 0.2 z"/></g></svg>""",
            16,  # one of the sixteen lines of a pixel that the library looks at
        )
        self.assertIn("M.01234 .01L.2 .01235", etree.tostring(root, encoding="unicode"))

    def test_a_drawing_in_a_view_becomes_a_group_where_that_means_the_same(self) -> None:
        shape = '<path d="M10 10 L 50 14 L 30 44 z"/>'
        for inner, is_group in (
            (f'<svg width="80" height="60" viewBox="0 0 80 60" fill="#b43">{shape}</svg>', True),
            (f'<svg width="80" height="60" viewBox="5 5 160 120">{shape}</svg>', True),
            (f'<svg width="80" height="60" viewBox="0 0 80 40">{shape}</svg>', False),
            ('<svg width="80" height="60" viewBox="0 0 80 60"><rect width="50%" height="20"/></svg>', False),
        ):
            with self.subTest(inner):
                whole = f'<svg xmlns="http://www.w3.org/2000/svg" width="80" height="60">{inner}</svg>'
                before = drawn(etree.fromstring(whole))
                root = etree.fromstring(whole)
                root[0:1] = [as_group(root[0])]
                self.assertEqual(root[0].tag == f"{SVG}g", is_group)
                self.assertLessEqual(np.abs(drawn(root) - before).max(), 1)
