"""SVG: every shape a layer, where it lies and as it looks; nothing that runs or loads.

Sources: W3C, Scalable Vector Graphics (SVG) 2; CSS Values and Units (absolute lengths). A second opinion on the pictures is
Chromium's (tests/test_second_opinion.py).
"""

import gzip
from importlib import resources
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from tests.packages import FolderTestCase, quiet
from yuplet.errors import BrokenFile, ChoiceError, TooLarge, UnsafeFile, YupletError
from yuplet.geometry import Box, Size
from yuplet.handover import hand_over_file
from yuplet.illustration.credit import Credit
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, ReadingReport, composite_tree
from yuplet.illustration.records import from_record, to_record
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading import svg
from yuplet.reading.choices import Choices
from yuplet.reading.files import compare_with_merged, read_illustration

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" xmlns:o="urn:other"'
SCENE = f"""<?xml version="1.0"?>
{HEAD} width="200" height="150" viewBox="0 0 400 300">
<style>.red {{ fill: #c33 }} g > .blue {{ fill: #36c; opacity: .5 }} .away {{ display: none }}</style>
<defs>
  <linearGradient id="g1"><stop offset="0" stop-color="#fff"/><stop offset="1" stop-color="#080"/></linearGradient>
  <linearGradient id="g2" xlink:href="#g1"/>
  <clipPath id="c"><circle cx="200" cy="150" r="90"/></clipPath>
  <filter id="f"><feGaussianBlur stdDeviation="8"/></filter>
  <pattern id="p" width="20" height="20" patternUnits="userSpaceOnUse"><circle cx="10" cy="10" r="6" fill="#532"/></pattern>
</defs>
<rect class="red" id="ground" width="400" height="300"/>
<g id="head" clip-path="url(#c)" transform="translate(10 5)">
  <title>Head</title>
  <rect class="blue" x="100" y="60" width="200" height="200"/>
  <circle cx="200" cy="150" r="40" fill="url(#g2)" style="mix-blend-mode:multiply"/>
</g>
<g id="glow" filter="url(#f)"><rect x="20" y="20" width="80" height="40" fill="#ff0"/><rect x="60" y="30" width="80" height="40" fill="#0f0"/></g>
<g opacity="0.5" id="veil"><rect x="250" y="20" width="100" height="100"/><rect x="300" y="60" width="80" height="100" fill="#0ff"/></g>
<use xlink:href="#ground" transform="scale(.2) translate(1500 1100)" id="copy"/>
<g class="away" id="hidden"><rect x="6" y="250" width="40" height="40" fill="#fff"/></g>
<path d="M0 296 L400 295" stroke="#000" stroke-width=".4" id="hair"/>
<svg x="330" y="230" width="60" height="60" viewBox="0 0 10 10" id="inner"><rect width="10" height="10" fill="url(#p)"/></svg>
</svg>"""


class SvgTestCase(FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.scratch = SpillFile()
        self.addCleanup(self.scratch.__exit__)

    def file(self, text: str, name: str = "art.svg") -> Path:
        path = self.folder / name
        path.write_text(text, "utf-8")
        return path

    def read(
        self, text: str, longest: int | None = None, names: str | None = None, ppi: float | None = None
    ) -> tuple[Illustration, ReadingReport]:
        return read_illustration(self.file(text), self.scratch, choices=Choices(longest, ppi, names))

    def node(self, found: Illustration, *path: str) -> Layer | LayerGroup:
        return next(node for own, node in found.walk() if own == path)


class TreeTests(SvgTestCase):
    def test_groups_and_shapes_are_the_tree_back_to_front(self) -> None:
        found, report = self.read(SCENE)
        self.assertEqual(
            ["/".join(path) for path, _ in found.walk()],
            ["ground", "Head", "Head/shape 1", "Head/shape 2", "glow", "veil", "veil/shape 3", "veil/shape 4", "copy",
             "hidden", "hidden/shape 5", "hair", "inner", "inner/shape 6"],
        )  # fmt: skip
        self.assertEqual(report.counts, {"layers": 10, "groups": 4, "hidden": 1, "empty": 0, "vector": 10})
        self.assertEqual({node.kind for node in found.leaves()}, {"vector"})
        self.assertEqual(from_record(to_record(found)), found)

    def test_boxes_are_the_pixels_of_each_alone(self) -> None:
        found, _ = self.read(SCENE, longest=400)
        self.assertEqual(found.canvas, Size(400, 300))
        boxes = {
            ("ground",): Box(0, 0, 400, 300), ("veil", "shape 3"): Box(250, 20, 350, 120), ("veil",): Box(250, 20, 380, 160),
            ("copy",): Box(300, 220, 380, 280), ("hidden",): Box(6, 250, 46, 290),
            # The square is cut by the circle about (210, 155) with radius 90, which the group's clip path draws.
            ("Head", "shape 1"): Box(120, 65, 300, 245), ("Head", "shape 2"): Box(170, 115, 250, 195),
        }  # fmt: skip
        for path, box in boxes.items():
            self.assertEqual(self.node(found, *path).box, box, path)

    def test_opacity_and_modes_stay_with_layers_and_groups(self) -> None:
        found, _ = self.read(SCENE)
        veil, head = self.node(found, "veil"), self.node(found, "Head")
        assert isinstance(veil, LayerGroup) and isinstance(head, LayerGroup)
        self.assertEqual((veil.opacity, veil.isolated, head.isolated), (0.5, True, True))
        blue, ball = head.members
        self.assertEqual((blue.opacity, ball.blend), (0.5, "multiply"))
        pixels = self.scratch.whole(head.members[0].id)
        self.assertEqual(pixels[..., 3].max(), 255, "opacity is not in the pixels")
        self.assertFalse(self.node(found, "hidden").visible)

    def test_what_a_filter_holds_together_is_one_part(self) -> None:
        found, report = self.read(SCENE)
        self.assertIsInstance(self.node(found, "glow"), Layer)
        self.assertIn(("glow",), [note.path for note in report.notes if "filter" in note.sentence])

    def test_names(self) -> None:
        text = f"""{HEAD} viewBox="0 0 90 90">
            <rect id="r1" width="9" height="9" o:label="left ear"/><rect id="r2" width="9" height="9" o:label="right ear"/>
            <rect id="r3" width="9" height="9" aria-label="nose"/><rect id="r4" width="9" height="9"><title> the
            mouth </title></rect><rect width="9" height="9"/><g><rect id="r6" width="9" height="9"/></g></svg>"""
        found, report = self.read(text)
        self.assertEqual(
            [node.name for _, node in found.walk()],
            ["left ear", "right ear", "nose", "the mouth", "shape 1", "group 1", "r6"],
        )
        flagged = [note.path for note in report.notes if note.kind == "provisional name"]
        self.assertEqual(flagged, [("shape 1",), ("group 1",)])

    def test_labels_of_a_few_are_names_and_codes_of_curves_never_are(self) -> None:
        """As drawing programs write files: an id and the kinds of its nodes for every path, a label where somebody gave one."""
        shapes = "".join(
            f'<path id="path{number}" o:kinds="{"csz"[number % 3] * (number % 7 + 2)}cc" o:made="/home/art/{number}.png" d="M0 0H9V9z"/>'
            for number in range(40)
        )
        named = "".join(
            f'<g id="layer{number}" {label}><path id="p{number}" d="M0 0H9V9z"/></g>'
            for number, label in enumerate(
                ['o:label="arm left"', 'o:label="arm right"', 'o:label="coat"', 'data-name="hat"', 'o:label="coat"', ""]
            )
        )
        found, _ = self.read(f'{HEAD} viewBox="0 0 90 90">{shapes}{named}</svg>')
        names = [node.name for _, node in found.walk()]
        self.assertEqual(names[:2], ["path0", "path1"])
        self.assertEqual(
            [name for name in names[40:] if not name.startswith("p")],
            ["arm left", "arm right", "coat", "hat", "coat", "layer5"],
        )
        alone, _ = self.read(f'{HEAD} viewBox="0 0 90 90"><path id="path1" o:label="lamp" d="M0 0H9V9z"/></svg>')
        self.assertEqual([node.name for _, node in alone.walk()], ["lamp"])

    def test_another_source_of_names_can_be_chosen(self) -> None:
        text = f"""{HEAD} viewBox="0 0 90 90">
            <rect id="r1" width="9" height="9" o:label="left ear" data-part="ear"/>
            <rect id="r2" width="9" height="9" o:label="right ear"><title>tip</title></rect></svg>"""
        for chosen, wanted in {
            None: ["left ear", "tip"], "id": ["r1", "r2"], "o:label": ["left ear", "right ear"], "data-part": ["ear", "tip"],
        }.items():  # fmt: skip
            with self.subTest(chosen):
                found, report = self.read(text, names=chosen)
                self.assertEqual([node.name for _, node in found.walk()], wanted)
        self.assertEqual(
            report.name_sources,
            {"id": ["r1", "r2"], "o:label": ["left ear", "right ear"], "data-part": ["ear"], "title": ["tip"]},
        )
        with self.assertRaisesRegex(ChoiceError, "no names in 'name'. It has names in: id, o:label"):
            self.read(text, names="name")

    def test_millimetres_at_the_pixels_to_the_inch_that_were_asked_for(self) -> None:
        for ppi, side in ((None, 96), (300, 300), (72, 72)):
            found, _ = self.read(
                f'{HEAD} width="25.4mm" height="1in" viewBox="0 0 9 9"><rect width="9" height="9"/></svg>', ppi=ppi
            )
            self.assertEqual((found.canvas, found.ppi), (Size(side, side), float(ppi or 96)))

    def test_credit_from_metadata(self) -> None:
        """The vocabularies as Creative Commons' own RDF examples use them."""
        text = f"""{HEAD} viewBox="0 0 9 9"><metadata xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"
            xmlns:cc="http://creativecommons.org/ns#" xmlns:dc="http://purl.org/dc/elements/1.1/"><rdf:RDF><cc:Work rdf:about="">
            <dc:title>Reeds</dc:title><dc:creator><cc:Agent><dc:title>Ines Marsh</dc:title></cc:Agent></dc:creator>
            <dc:source>https://marsh-line.example/reeds</dc:source>
            <cc:license rdf:resource="http://creativecommons.org/licenses/by-sa/4.0/"/></cc:Work>
            <cc:License rdf:about="http://creativecommons.org/licenses/by-sa/4.0/"/></rdf:RDF></metadata>
            <rect width="9" height="9"/></svg>"""
        found, _ = self.read(text)
        self.assertEqual(
            found.credit, Credit("Ines Marsh", "Reeds", "https://marsh-line.example/reeds", "CC-BY-SA-4.0", True)
        )
        self.assertEqual(from_record(to_record(found)), found)

    def test_text_is_drawn_with_the_shipped_font_as_another_renderer_draws_it(self) -> None:
        """Widths and heights against FreeType (through Pillow), which shares nothing with resvg's own text layout."""
        fonts = Path(resources.files("yuplet.fonts").joinpath("LICENSE").__fspath__()).parent
        for style, attributes in {
            "regular": "", "bold": 'font-weight="bold"', "italic": 'font-style="italic"', "bold-italic": 'style="font: italic bold 60px sans-serif"',
        }.items():  # fmt: skip
            with self.subTest(style):
                found, report = self.read(
                    f'{HEAD} viewBox="0 0 600 120"><text id="t" x="20" y="90" font-size="60" {attributes}>Hxgnal 18</text></svg>'
                )
                box = self.node(found, "t").box
                assert box is not None
                font = ImageFont.truetype(str(fonts / f"yuplet-sans-{style}.ttf"), 60)
                drawn = Image.new("L", (600, 120))
                ImageDraw.Draw(drawn).text((20, 90), "Hxgnal 18", 255, font, anchor="ls")
                for ours, theirs in zip(box, drawn.getbbox() or (), strict=True):
                    self.assertLessEqual(abs(ours - theirs), 2, (style, box))
                self.assertEqual([note for note in report.notes if note.kind == "not understood"], [])

    def test_fonts_and_letters_that_are_not_there_are_told(self) -> None:
        text = f"""{HEAD} viewBox="0 0 400 200"><g id="labels" font-family="Georgia, serif">
            <text id="one" y="60" font-size="48">Signal <tspan font-family="sans-serif">box</tspan></text>
            <text id="two" y="130" style="font: italic 40px 'Courier New', monospace">\u6f22\u5b57</text></g>
            <style>.c {{ font-family: Futura }}</style><g id="deep" filter="url(#f)"><text class="c" y="9">x</text></g></svg>"""
        found, report = self.read(text)
        self.assertEqual([layer.words for layer in found.leaves()], ["Signal box", "\u6f22\u5b57", "x"])
        said = [
            ("/".join(note.path), note.sentence.split(";")[0]) for note in report.notes if note.kind == "not understood"
        ]
        self.assertIn(("labels/one", "Its font 'Georgia' is not looked for"), said)
        self.assertIn(("labels/two", "Its font 'Courier New' is not looked for"), said)
        self.assertIn(("deep", "Its font 'Futura' is not looked for"), said)
        self.assertTrue(any("No shipped font has '\u5b57\u6f22'" in sentence for _, sentence in said), said)

    def test_attributes_that_are_all_alike_are_no_names(self) -> None:
        shapes = "".join(f'<rect id="r{n}" width="9" height="9" o:type="shape"/>' for n in range(6))
        found, _ = self.read(f'{HEAD} viewBox="0 0 9 9">{shapes}</svg>')
        self.assertEqual([node.name for _, node in found.walk()], [f"r{n}" for n in range(6)])

    def test_a_document_with_everything_on_one_layer_lists_every_object(self) -> None:
        shapes = "".join(f'<rect x="{n % 20 * 5}" y="{n // 20 * 5}" width="4" height="4"/>' for n in range(400))
        found, _ = self.read(f'{HEAD} viewBox="0 0 100 100"><g id="all">{shapes}</g></svg>', longest=500)
        self.assertEqual(len(list(found.leaves())), 400)
        self.assertEqual(list(found.leaves())[21].box, Box(25, 25, 45, 45))


class SizeTests(SvgTestCase):
    def test_units(self) -> None:
        """One inch is 96 px of CSS, 2.54 cm, 25.4 mm, 101.6 Q, 72 pt or 6 pc."""
        for length in ("96", "96px", "1in", "2.54cm", "25.4mm", "101.6Q", "72pt", "6pc"):
            found, _ = self.read(f'{HEAD} width="{length}" height="{length}"><rect width="9" height="9"/></svg>')
            self.assertEqual(found.canvas, Size(96, 96), length)
            self.assertEqual(self.node(found, "shape 1").box, Box(0, 0, 9, 9), length)

    def test_the_view_box_gives_the_size_where_nothing_else_does(self) -> None:
        for said in ("", 'width="100%" height="100%"', 'width="auto"'):
            found, _ = self.read(
                f'{HEAD} {said} viewBox="10 20 40.5 30"><rect x="10" y="20" width="5" height="5"/></svg>'
            )
            self.assertEqual(found.canvas, Size(41, 30), said)
            self.assertEqual(self.node(found, "shape 1").box, Box(0, 0, 5, 5), said)

    def test_the_longer_side(self) -> None:
        found, _ = self.read(
            f'{HEAD} viewBox="0 0 40 30"><rect x="20" y="15" width="20" height="15"/></svg>', longest=1000
        )
        self.assertEqual((found.canvas, self.node(found, "shape 1").box), (Size(1000, 750), Box(500, 375, 1000, 750)))

    def test_a_view_of_another_shape_than_the_page_is_centred(self) -> None:
        found, _ = self.read(
            f'{HEAD} width="200" height="100" viewBox="0 0 50 50"><rect width="50" height="50"/></svg>'
        )
        self.assertEqual(self.node(found, "shape 1").box, Box(50, 0, 150, 100))

    def test_no_size_at_all(self) -> None:
        for said in (
            "",
            'width="0" height="5"',
            'width="-4" height="5"',
            'viewBox="0 0 0 5"',
            'width="1e9" height="1"',
        ):
            with self.subTest(said), self.assertRaisesRegex(BrokenFile, "Save it again with a size"):
                self.read(f"{HEAD} {said}></svg>")
        with self.assertRaisesRegex(TooLarge, "250 million"):
            self.read(f'{HEAD} width="90000" height="90000"></svg>')


class PictureTests(SvgTestCase):
    def test_the_parts_laid_together_are_the_document_drawn_in_one_go(self) -> None:
        for longest in (None, 400, 1333):
            found, _ = self.read(SCENE, longest)
            result = compare_with_merged(self.folder / "art.svg", found, self.scratch)
            assert result is not None
            # Drawing in one go rounds to 8 bits after every shape, and smooths edges in steps of a sixteenth.
            self.assertLessEqual(result.largest, 18, longest)
            ours = compose(composite_tree(found.layers), found.canvas, self.scratch).astype(int)
            whole = svg.whole_picture(self.folder / "art.svg", found.canvas)
            self.assertLess((np.abs(ours - whole).max(axis=2) > 2).mean(), 0.002, longest)

    def test_a_packed_document(self) -> None:
        path = self.folder / "art.svgz"
        path.write_bytes(gzip.compress(SCENE.encode()))
        found, _ = read_illustration(path, self.scratch)
        self.assertEqual((found.name, found.canvas), ("art", Size(200, 150)))
        result = compare_with_merged(path, found, self.scratch)
        assert result is not None
        self.assertLessEqual(result.largest, 18)
        path.write_bytes(gzip.compress(SCENE.encode())[:300])
        with self.assertRaises(BrokenFile):
            read_illustration(path, self.scratch)
        path.write_bytes(gzip.compress(b"<svg>" + bytes(70 << 20)))
        with self.assertRaisesRegex(TooLarge, "64 MiB of XML"):
            read_illustration(path, self.scratch)

    def test_a_long_remark_in_front(self) -> None:
        found, _ = self.read(f'<!-- {"made by hand " * 200} -->{HEAD} viewBox="0 0 9 9"><circle id="a" r="3"/></svg>')
        self.assertEqual([layer.name for layer in found.leaves()], ["a"])

    def test_shapes_that_an_entity_stands_for(self) -> None:
        text = f"""<!DOCTYPE svg [<!ENTITY eye "<circle r='2'/>">]>{HEAD} viewBox="0 0 9 9">
            <g id="left" transform="translate(2 4)">&eye;</g><g id="right" transform="translate(7 4)">&eye;</g></svg>"""
        found, _ = self.read(text)
        self.assertEqual([layer.box for layer in found.leaves()], [Box(0, 2, 4, 6), Box(5, 2, 9, 6)])

    def test_versions_for_other_languages_are_hidden(self) -> None:
        found, _ = self.read(
            f"""{HEAD} viewBox="0 0 9 9"><switch><rect id="de" width="9" height="9" systemLanguage="de"/>
            <rect id="en" width="9" height="9" systemLanguage="fr, en-GB"/><rect id="else" width="9" height="9"/></switch>
            <rect id="special" width="2" height="2" requiredExtensions="http://other.example"/></svg>"""
        )
        shown = {layer.name: (layer.visible, layer.box) for layer in found.leaves()}
        whole = Box(0, 0, 9, 9)
        self.assertEqual(
            shown,
            {"de": (False, whole), "en": (True, whole), "else": (False, whole), "special": (False, Box(0, 0, 2, 2))},
        )

    def test_what_a_definition_inherits_and_which_of_an_id_counts(self) -> None:
        found, _ = self.read(
            f"""{HEAD} viewBox="0 0 9 9" opacity=".5"><g fill="#00f" transform="translate(99)"><defs>
            <pattern id="p" width="9" height="9" patternUnits="userSpaceOnUse"><rect width="9" height="9"/></pattern>
            <pattern id="p" width="9" height="9" patternUnits="userSpaceOnUse"/></defs></g>
            <rect id="a" width="9" height="9" fill="url(#p)"/></svg>"""
        )
        ours = compose(composite_tree(found.layers), found.canvas, self.scratch)
        self.assertEqual(ours[4, 4].tolist(), [0, 0, 255, 128])

    def test_a_mask_that_shows_all_does_not_join_what_is_in_it(self) -> None:
        head = f"""{HEAD} viewBox="0 0 40 30"><mask id="m"><rect width="{{width}}" height="30" fill="#fff"/></mask>
            <g id="all" mask="url(#m)"><rect id="a" width="20" height="20"/><circle id="b" cx="25" cy="15" r="9"/></g></svg>"""
        found, report = self.read(head.format(width=40))
        self.assertEqual([layer.name for layer in found.leaves()], ["a", "b"])
        found, report = self.read(head.format(width=30))
        self.assertEqual([layer.name for layer in found.leaves()], ["all"], "a mask that hides something is kept")
        self.assertIn("a mask makes one picture", " ".join(note.sentence for note in report.notes))

    def test_a_layer_is_drawn_anew_at_another_scale_piece_by_piece(self) -> None:
        found, _ = self.read(SCENE, 400)
        drawing = svg.open_drawing(SCENE.encode(), "art.svg", Choices(400))
        large, _ = self.read(SCENE, 1200)
        for layer, wanted in zip(found.leaves(), large.leaves(), strict=True):
            if wanted.box is None or layer.box is None:
                continue
            expected = np.zeros((900, 1200, 4), np.uint8)
            expected[wanted.box.top : wanted.box.bottom, wanted.box.left : wanted.box.right] = self.scratch.rows(
                wanted.id, 0, wanted.box.height
            )
            assert layer.source is not None
            for area in (Box(0, 0, 200, 300), Box(200, 0, 400, 150), Box(200, 150, 400, 300)):
                drawn = drawing.draw_area(layer.source, area, 3).astype(int)
                there = expected[area.top * 3 : area.bottom * 3, area.left * 3 : area.right * 3]
                # Where an edge crosses the border of an area it is smoothed from another start.
                self.assertLess((np.abs(drawn - there).max(axis=2) > 16).mean(), 0.001, (layer.name, area))
        with self.assertRaisesRegex(ChoiceError, "no layer 'v999'"):
            drawing.draw_area("v999", Box(0, 0, 1, 1), 1)
        with self.assertRaisesRegex(TooLarge, "64000000 pixels"):
            drawing.draw_area("v1", Box(0, 0, 400, 300), 32)

    def test_a_hair_and_a_soft_edge_are_not_cut_off(self) -> None:
        text = f"""{HEAD} viewBox="0 0 2000 2000"><defs><filter id="f" x="-1" y="-1" width="3" height="3"><feGaussianBlur
            stdDeviation="30"/></filter></defs><path id="hair" d="M3 5 L1990 1993" stroke="#000" stroke-width=".02" opacity=".9"/>
            <circle id="soft" cx="1000" cy="1000" r="90" filter="url(#f)"/></svg>"""
        found, _ = self.read(text)
        drawn = svg.whole_picture(self.file(text), found.canvas)
        for name in ("hair", "soft"):
            other = [node.id for node in found.leaves() if node.name == name]
            self.assertEqual(len(other), 1)
        ours = compose(composite_tree(found.layers), found.canvas, self.scratch)
        self.assertLessEqual(int((np.abs(ours[..., 3].astype(int) - drawn[..., 3]) > 2).sum()), 20)

    def test_a_hand_over_of_vector_art_is_proved(self) -> None:
        report, _, _ = hand_over_file(self.file(SCENE), self.folder / "out", quiet)
        self.assertTrue(report.proof.ok, report.proof)
        self.assertEqual(report.parts, 10)

    def test_embedded_pictures_are_drawn(self) -> None:
        dot = "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="
        text = f'{HEAD} viewBox="0 0 9 9"><image id="dot" href="data:image/png;base64,{dot}" x="2" y="2" width="4" height="4"/></svg>'
        found, report = self.read(text)
        self.assertEqual((self.node(found, "dot").box, report.notes), (Box(2, 2, 6, 6), []))


class HostileTests(SvgTestCase):
    def refused(self, text: str, kind: type[YupletError], words: str) -> None:
        with self.assertRaisesRegex(kind, words):
            self.read(text)

    def test_entities(self) -> None:
        bomb = "".join(f'<!ENTITY a{i} "{f"&a{i - 1};" * 10 if i else "ha"}">' for i in range(12))
        self.refused(f'<!DOCTYPE svg [{bomb}]>{HEAD} viewBox="0 0 9 9"><g id="&a11;"/></svg>', UnsafeFile, "entities")
        secret = '<!DOCTYPE svg [<!ENTITY f SYSTEM "file:///etc/hostname">]>'
        self.refused(f'{secret}{HEAD} viewBox="0 0 9 9"><text>&f;</text></svg>', UnsafeFile, "another file")
        outer = '<!DOCTYPE svg [<!ENTITY % p SYSTEM "http://127.0.0.1:9/x.dtd"> %p;]>'
        self.refused(f'{outer}{HEAD} viewBox="0 0 9 9"></svg>', UnsafeFile, "another file")

    def test_old_files_that_name_their_namespaces_by_entities_are_read(self) -> None:
        text = """<?xml version="1.0"?><!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "http://www.w3.org/Graphics/SVG/1.1/DTD/svg11.dtd" [
            <!ENTITY ns_svg "http://www.w3.org/2000/svg">]><svg xmlns="&ns_svg;" viewBox="0 0 9 9"><rect width="3" height="3"/></svg>"""
        found, _ = self.read(text)
        self.assertEqual(self.node(found, "shape 1").box, Box(0, 0, 3, 3))

    def test_nothing_is_loaded_or_run(self) -> None:
        (self.folder / "secret.png").write_bytes(b"\x89PNG\r\n\x1a\n")
        text = f"""{HEAD} viewBox="0 0 9 9" onload="alert(1)"><script>alert(1)</script>
            <style>@import url(http://127.0.0.1:9/a.css); rect {{ fill: url(http://127.0.0.1:9/b) }}</style>
            <image id="a" href="http://127.0.0.1:9/x.png" width="9" height="9"/>
            <image id="b" href="{self.folder}/secret.png" width="9" height="9"/><image id="c" href="secret.png" width="9" height="9"/>
            <image id="s" href="data:image/svg+xml,%3Csvg%3E%3Cimage href='/etc/hostname'/%3E%3C/svg%3E" width="9" height="9"/>
            <use id="d" href="other.svg#x"/><foreignObject width="9" height="9"><p xmlns="http://www.w3.org/1999/xhtml">x</p></foreignObject>
            <rect id="e" width="3" height="3" fill="url(http://127.0.0.1:9/c)"/></svg>"""
        found, report = self.read(text)
        self.assertEqual({node.name for node in found.leaves() if node.box is not None}, {"e"})
        said = " ".join(note.sentence for note in report.notes)
        for word in (
            "<script>",
            "@import",
            "A style rule refers outside",
            "x.png",
            "secret.png",
            "data:image/svg+xml",
            "other.svg#x",
            "<foreignObject>",
            "fill=",
        ):
            self.assertIn(word, said)

    def test_limits(self) -> None:
        deep = "<g>" * 80 + '<rect width="1" height="1"/>' + "</g>" * 80
        self.refused(f'{HEAD} viewBox="0 0 9 9">{deep}</svg>', TooLarge, "nested more than 64 deep")
        many = '<rect width="1" height="1"/>' * 2001
        self.refused(f'{HEAD} viewBox="0 0 9 9">{many}</svg>', TooLarge, "more than 2000 layers")
        stops = "<stop/>" * 50_001
        self.refused(f'{HEAD} viewBox="0 0 9 9"><defs>{stops}</defs></svg>', TooLarge, "more than 50000 elements")
        uses = "".join(
            f'<g id="u{n}">{f"<use href=&quot;#u{n - 1}&quot;/>".replace("&quot;", chr(34)) * 10}</g>'
            for n in range(1, 9)
        )
        self.refused(
            f'{HEAD} viewBox="0 0 9 9"><defs><g id="u0"><rect/></g>{uses}</defs><use href="#u8"/></svg>',
            TooLarge,
            "since its uses, patterns or masks hold each other",
        )

    def test_patterns_that_hold_each_other_many_times(self) -> None:
        patterns = "".join(
            f'<pattern id="p{n}" width="1" height="1">'
            + f'<rect width="1" height="1" fill="url(#p{n - 1})"/>' * 10
            + "</pattern>"
            for n in range(1, 9)
        )
        text = (
            f'{HEAD} viewBox="0 0 9 9"><defs>{patterns}</defs><rect width="9" height="9" style="fill: url(#p8)"/></svg>'
        )
        self.refused(text, TooLarge, "patterns or masks hold each other")

    def test_a_use_that_holds_itself(self) -> None:
        text = f'{HEAD} viewBox="0 0 9 9"><g id="a"><use href="#b"/></g><g id="b"><use href="#a"/></g></svg>'
        self.refused(text, BrokenFile, "holds itself")

    def test_damaged_documents(self) -> None:
        for length in range(60, len(SCENE) - 8, 311):
            with self.subTest(length), self.assertRaises(BrokenFile):
                self.read(SCENE[:length])
        self.refused('<?xml version="1.0"?><html><body/></html>', BrokenFile, "instead of <svg>")
