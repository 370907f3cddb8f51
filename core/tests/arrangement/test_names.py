"""Names that every common file system takes.

Source of the reserved names: Microsoft, "Naming Files, Paths, and Namespaces" (list written down from that page).
"""

import json
import tempfile
import unicodedata
import unittest
from pathlib import Path

import confusable_homoglyphs
from confusable_homoglyphs import categories
from hypothesis import given, settings
from hypothesis import strategies as st

from yuplet.arrangement import names

DEVICES = [
    "CON",
    "PRN",
    "AUX",
    "NUL",
    "CONIN$",
    "CONOUT$",
    *(f"{kind}{n}" for kind in ("COM", "LPT") for n in range(1, 10)),
]
DEVICES += ["COM¹", "COM²", "COM³", "LPT¹", "LPT²", "LPT³"]


class ProblemTests(unittest.TestCase):
    def test_usable(self) -> None:
        for name in ("arm", "upper arm", "Ärmel", "手", "eye.left", "a-b_c", "100 %", "naïve", "x" * 120, "🦡"):
            self.assertIsNone(names.problem(name), name)

    def test_not_usable(self) -> None:
        for name in (
            "",
            " ",
            "arm ",
            " arm",
            "arm.",
            ".arm",
            "a/b",
            "a\\b",
            "a:b",
            'a"b',
            "a<b",
            "a>b",
            "a|b",
            "a?b",
            "a*b",
        ):
            self.assertIsNotNone(names.problem(name), name)
        for name in ("a\nb", "a\tb", "a\0b", "a\u200bb", "a\u202eb", "a\u2028b", "a\ud800b", "x" * 121, "ä" * 61):
            self.assertIsNotNone(names.problem(name), repr(name))

    def test_device_names_in_any_case_and_with_endings(self) -> None:
        for device in DEVICES:
            for name in (device, device.lower(), f"{device}.txt", f"{device.title()}.a.b"):
                self.assertIsNotNone(names.problem(name), name)
        for name in ("CONSOLE", "COM", "LPT10x", "null", "auxiliary"):
            self.assertIsNone(names.problem(name), name)


class ProposalTests(unittest.TestCase):
    @settings(max_examples=400, deadline=None)
    @given(st.text(max_size=140), st.lists(st.text(max_size=8), max_size=4))
    def test_is_always_usable_and_free(self, name: str, taken: list[str]) -> None:
        proposed = names.proposal(name, taken)
        self.assertIsNone(names.problem(proposed), proposed)
        self.assertNotIn(names.key(proposed), {names.key(other) for other in taken})

    @settings(max_examples=100, deadline=None)
    @given(st.text(max_size=60))
    def test_is_taken_by_the_file_system_of_this_machine(self, name: str) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"{names.proposal(name)}.png"
            path.touch()
            self.assertEqual([found.name for found in Path(folder).iterdir()], [path.name])

    def test_is_near_to_what_was_wished(self) -> None:
        cases = {
            ("arm:left", ()): "arm-left", ("  arm ", ()): "arm", ("a\nb", ()): "a b", ("", ()): "part", ("///", ()): "part",
            ("arm", ("Arm",)): "arm 2", ("arm", ("arm", "arm 2")): "arm 3", ("con", ()): "con_",
        }  # fmt: skip
        for (name, taken), wanted in cases.items():
            self.assertEqual(names.proposal(name, taken), wanted)

    def test_letter_case_and_normal_form_do_not_tell_names_apart(self) -> None:
        composed, apart = unicodedata.normalize("NFC", "é"), unicodedata.normalize("NFD", "é")
        self.assertEqual(names.key(composed), names.key(apart))
        self.assertEqual(names.key("Straße"), names.key("STRASSE"))
        self.assertNotEqual(names.key("arm"), names.key("arm 2"))


class LookAlikeTests(unittest.TestCase):
    def test_letters_that_look_alike_are_found_among_those_of_another_alphabet(self) -> None:
        # From Unicode's own list (UTS 39, confusables.txt 15.1; these lines from memory): Cyrillic and Greek letters that look Latin.
        for letter, like in {
            "\u0430": "a",
            "\u0435": "e",
            "\u043e": "o",
            "\u0440": "p",
            "\u0441": "c",
            "\u0391": "A",
            "\u039f": "O",
        }.items():
            with self.subTest(letter):
                word = f"h{letter}nd" if like.islower() else f"{letter}RM"
                self.assertEqual(names.look_alikes(word), {letter: like})
        for word in ("\u0440\u0443\u043a\u0430 1", "arm \u0394", "\u5de6\u624b arm", "\xe4pfel", "arm_2"):
            with self.subTest(word):
                self.assertEqual(names.look_alikes(word), {})

    def test_every_letter_that_the_package_lists_for_a_latin_one_is_found(self) -> None:
        data = json.loads((Path(confusable_homoglyphs.__file__).parent / "confusables.json").read_text("utf-8"))
        found = missed = 0
        for letter, others in data.items():
            alike = {
                other["c"] for other in others if len(other["c"]) == 1 and other["c"].isascii() and other["c"].isalpha()
            }
            if (
                len(letter) != 1
                or not letter.isalpha()
                or categories.alias(letter) not in ("CYRILLIC", "GREEK")
                or not alike
            ):
                continue
            alike = {other for other in alike if other.isupper() == letter.isupper()}
            if not alike:
                continue
            if names.look_alikes(f"hand{letter}").get(letter) in alike:
                found += 1
            else:
                missed += 1
        self.assertEqual(missed, 0)
        self.assertGreater(found, 40)

    def test_names_that_programs_give(self) -> None:
        for name in ("Layer 1", "layer1", "Group", "Path 12", "Untitled-2", "shape #3", "new"):
            self.assertTrue(names.is_default(name), name)
        for name in ("hand", "layered hair", "text of law", "path of reeds", "mouth 3"):
            self.assertFalse(names.is_default(name), name)
