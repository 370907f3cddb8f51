"""The SVG files that we write keep to the grammar of the W3C.

Source: the DTD of SVG 1.1 (second edition), as Debian's package w3c-sgml-lib has it, read by libxml2. What SVG 2 adds and we write is put in its
terms first: `data-` attributes and labels (SVG 2, sections 5.6 and 5.12) are taken away, `href` (section 16.1.5) is `xlink:href`.
"""

import re
import unittest
from pathlib import Path
from typing import Literal

from lxml import etree

import signal_post
from tests.packages import FolderTestCase, quiet
from yuplet.handover import hand_over_file
from yuplet.plan.recipe import Extras, Recipe

DTD = Path("/usr/share/xml/w3c-sgml-lib/schema/dtd/REC-SVG11-20110816/svg11.dtd")
DEMO = Path(signal_post.__file__).parent
FLAGS = Path(__file__).parent / "golden" / "world" / "flags"
XLINK = "http://www.w3.org/1999/xlink"


def faults(dtd: etree.DTD, text: str) -> list[str]:
    """What the grammar does not allow."""
    # In a DTD the names of namespaces are fixed, and they are declared at the root.
    text = re.sub(r' xmlns:xlink="[^"]*"', "", text)
    text = re.sub(r' (?:xlink:)?href="', ' xlink:href="', text)
    root = etree.fromstring(text.replace("<svg", f'<svg xmlns:xlink="{XLINK}"', 1).encode())
    for element in root.iter(etree.Element):
        for name in list(element.attrib):
            if str(name).startswith(("data-", "aria-")):
                del element.attrib[name]
    dtd.validate(root)
    return [f"line {entry.line}: {entry.message}" for entry in dtd.error_log.filter_from_errors()]


@unittest.skipUnless(DTD.exists(), "Debian's package w3c-sgml-lib is not there; ./test installs it")
class ValidDrawingTests(FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.dtd = etree.DTD(str(DTD))

    def assert_valid(self, source: Path, vector: Literal["box", "symbols"] = "box") -> None:
        target = self.folder / source.stem
        hand_over_file(source, target, quiet, recipe=Recipe(extras=Extras(scene=True, vector=vector)))
        drawings = sorted(target.rglob("*.svg"))
        self.assertGreater(len(drawings), 1)
        for drawing in drawings:
            self.assertEqual(faults(self.dtd, drawing.read_text()), [], drawing.relative_to(self.folder))

    def test_demo_pictures(self) -> None:
        for name in ("lever-frame.svg", "waybill-stamps.svg"):
            with self.subTest(name):
                self.assert_valid(DEMO / name)

    def test_flags_with_definitions_within_definitions(self) -> None:
        for name in ("kr.svg", "vu.svg", "br.svg"):
            with self.subTest(name):
                self.assert_valid(FLAGS / name, "symbols")
                self.assert_valid(FLAGS / name)

    def test_the_check_finds_what_is_wrong(self) -> None:
        for wrong in ('<rect width="9"/>', '<g id="a"/><g id="a"/>', '<use xlink:href="#b"><g/></use>', "<blob/>"):
            text = f'<svg xmlns="http://www.w3.org/2000/svg">{wrong}</svg>'
            self.assertNotEqual(faults(self.dtd, text), [], wrong)
