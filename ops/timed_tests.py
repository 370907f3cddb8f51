"""Runs tests and notes how long each takes: Python's own `--durations` came with 3.12. `python timed_tests.py NAMES` runs those of the core."""

import os
import sys
import time
import unittest
from pathlib import Path

TIMES = "YUPLET_TEST_TIMES"
"""The variable that names the file to which each test adds a line: its seconds and its id."""


class Timed:
    """What a result does besides: a process of its own may run the test, so all write to one file, a line at a time."""

    _began = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        self._began = time.monotonic()
        super().startTest(test)  # type: ignore[misc]

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)  # type: ignore[misc]
        path = os.environ.get(TIMES)
        if path:
            with Path(path).open("a") as file:
                file.write(f"{time.monotonic() - self._began:.2f} {test.id()}\n")


class Result(Timed, unittest.TextTestResult):
    pass


def slowest(path: str, most: int = 10) -> list[str]:
    """The lines of the slowest tests that a file of times has."""
    with Path(path).open() as file:
        found = sorted(((float(line.split(" ", 1)[0]), line.split(" ", 1)[1].strip()) for line in file), reverse=True)
    return [f"{seconds:6.1f} s  {name}" for seconds, name in found[:most]]


if __name__ == "__main__":
    # As for `python -m unittest`.
    sys.path[0] = str(Path.cwd())
    unittest.main(module=None, argv=["unittest", *sys.argv[1:]], testRunner=unittest.TextTestRunner(resultclass=Result))
