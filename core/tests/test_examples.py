"""The examples in docstrings, run; and that what is offered is what is said."""

import contextlib
import doctest
import importlib
import io
import pkgutil
import re
import unittest
from pathlib import Path

import signal_post
import yuplet
from tests.packages import FolderTestCase


def load_tests(loader: unittest.TestLoader, tests: unittest.TestSuite, pattern: str | None) -> unittest.TestSuite:
    """Examples of all modules are tests."""
    for module in pkgutil.walk_packages(yuplet.__path__, "yuplet."):
        if module.name != "yuplet.__main__":
            tests.addTests(doctest.DocTestSuite(importlib.import_module(module.name)))
    return tests


class GuideTests(FolderTestCase):
    def test_the_examples_of_the_guide_run(self) -> None:
        """Those of docs/guide/library.md, one after the other, beside the signal post."""
        signal_post.write(self.folder / "signal post.ora")
        guide = Path(__file__).resolve().parents[2] / "docs" / "guide" / "library.md"
        blocks = re.findall(r"```python\n(.*?)```", guide.read_text("utf-8"), re.DOTALL)
        self.assertEqual(len(blocks), 4)
        out, names = io.StringIO(), {}
        with contextlib.chdir(self.folder), contextlib.redirect_stdout(out):
            for block in blocks:
                exec(compile(block, str(guide), "exec"), names)  # noqa: S102
        printed = out.getvalue().splitlines()
        self.assertIn("manifest.json", printed[0])
        self.assertEqual(printed[1], "['sheets/1.png']")
        self.assertIn("'other_pivot': ['post / signal / lamp']", printed[2])
        self.assertIn("cannot be opened", printed[3])
        self.assertTrue((self.folder / "lamp.webp").exists())
        self.assertEqual(names["report"].parts, 9)


class SurfaceTests(unittest.TestCase):
    def test_everything_that_is_offered_is_there_and_described(self) -> None:
        for name in yuplet.__all__:
            self.assertTrue(getattr(yuplet, name).__doc__, name)
        with self.assertRaises(AttributeError):
            yuplet.nothing  # noqa: B018
