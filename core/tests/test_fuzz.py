"""Documents and files that are changed by chance, at every door of the core: each gets a sentence or goes through (`tests.fuzzing`).

`make fuzz` goes on with it for long. What it found is in `golden/hostile`, with the sentence that each file gets now.
"""

import json
import random
import tempfile
import unittest
from pathlib import Path

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import mutations
from tests.fuzzing import Doors, faults

HOSTILE = Path(__file__).parent / "golden" / "hostile"
BOUNDED = settings(
    max_examples=150, derandomize=True, deadline=None, database=None, suppress_health_check=list(HealthCheck)
)
CHANCE = st.randoms(use_true_random=False)


class FuzzTests(unittest.TestCase):
    doors: Doors

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.doors = Doors(Path(holder.name))
        cls.addClassCleanup(cls.doors.close)
        cls.documents, cls.files = cls.doors.documents(), cls.doors.files()

    def test_what_is_good_goes_through(self) -> None:
        for kind, (value, door) in self.documents.items():
            with self.subTest(kind):
                door(value)
        for name, data in self.files.items():
            with self.subTest(name):
                self.doors.read(name, data)

    @BOUNDED
    @given(CHANCE, st.sampled_from(sorted(Doors.KINDS)))
    def test_changed_documents(self, chance: random.Random, kind: str) -> None:
        value, door = self.documents[kind]
        said, changed = mutations.document(value, chance)
        self.assertIsNone(faults(lambda: door(changed)), f"{kind}: {said}")

    @BOUNDED
    @given(CHANCE, st.sampled_from(sorted(Doors.NAMES)))
    def test_changed_files(self, chance: random.Random, name: str) -> None:
        changed = mutations.file(self.files[name], chance)
        self.assertIsNone(faults(lambda: self.doors.read(name, changed)), name)


class FoundTests(unittest.TestCase):
    """Every file that was once too much, or ended in a fault, and what is said of it now."""

    def test_each_gets_its_sentence(self) -> None:
        from yuplet.errors import YupletError
        from yuplet.pixels.spill_file import SpillFile
        from yuplet.reading.files import read_illustration

        sentences: dict[str, str] = json.loads((HOSTILE / "sentences.json").read_text("utf-8"))
        files = {path.name for path in HOSTILE.iterdir()} - {"sentences.json"}
        self.assertEqual(set(sentences), files)
        for name, sentence in sentences.items():
            with self.subTest(name), SpillFile() as scratch, self.assertRaises(YupletError) as caught:
                read_illustration(HOSTILE / name, scratch)
            self.assertEqual(str(caught.exception), sentence)
