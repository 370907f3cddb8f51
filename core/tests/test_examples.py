"""The examples in docstrings, run; and that what is offered is what is said."""

import doctest
import importlib
import pkgutil
import unittest

import yuplet


def load_tests(loader: unittest.TestLoader, tests: unittest.TestSuite, pattern: str | None) -> unittest.TestSuite:
    """Examples of all modules are tests."""
    for module in pkgutil.walk_packages(yuplet.__path__, "yuplet."):
        if module.name != "yuplet.__main__":
            tests.addTests(doctest.DocTestSuite(importlib.import_module(module.name)))
    return tests


class SurfaceTests(unittest.TestCase):
    def test_everything_that_is_offered_is_there_and_described(self) -> None:
        for name in yuplet.__all__:
            self.assertTrue(getattr(yuplet, name).__doc__, name)
        with self.assertRaises(AttributeError):
            yuplet.nothing  # noqa: B018
