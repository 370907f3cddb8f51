"""The documents lead where they say: files, pictures and headings that they name are there."""

import re
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).resolve().parents[2]


def headings(path: Path) -> set[str]:
    """The names by which headings are linked to, as web viewers of Markdown make them (common practice, no published source)."""
    found = re.findall(r"^#+ (.*)$", path.read_text(), re.MULTILINE)
    return {re.sub(r"[^\w\- ]", "", one.lower()).strip().replace(" ", "-") for one in found}


class LinkTests(TestCase):
    def test_every_link_of_the_documents_has_an_end(self) -> None:
        documents = [*ROOT.glob("*.md"), *ROOT.glob("docs/**/*.md")]
        self.assertGreater(len(documents), 30)
        for path in documents:
            for link in re.findall(r"\]\(([^)\s]+)\)", path.read_text()):
                if "://" in link or link.startswith("mailto:"):
                    continue
                name, _, heading = link.partition("#")
                end = path.parent / name if name else path
                with self.subTest(document=path.relative_to(ROOT), link=link):
                    self.assertTrue(end.exists())
                    self.assertTrue(not heading or heading in headings(end))

    def test_no_picture_of_a_view_is_without_a_document(self) -> None:
        told = "".join(path.read_text() for path in [*ROOT.glob("*.md"), *ROOT.glob("docs/**/*.md")])
        for picture in (ROOT / "docs" / "screenshots").glob("*.png"):
            self.assertIn(f"screenshots/{picture.name}", told)


class HeadingTests(TestCase):
    def test_headings_name_their_thing_and_pages_begin_with_a_sentence(self) -> None:
        asks = re.compile(r"^#+ (?:What|How|Is|Who|When|Where|Which|Why|Whether)\b.*", re.MULTILINE)
        for path in [*ROOT.glob("*.md"), *ROOT.glob("docs/**/*.md")]:
            with self.subTest(path.relative_to(ROOT)):
                self.assertEqual(asks.findall(path.read_text()), [])
        for path in [*ROOT.glob("docs/guide/*.md"), *ROOT.glob("docs/formats/*.md")]:
            with self.subTest(path.relative_to(ROOT)):
                title, blank, first, *_ = path.read_text().splitlines()
                self.assertRegex(title, "^# ")
                self.assertEqual(blank, "")
                self.assertRegex(first, r"^[A-Z*`./]", "what the page is for")
