"""Loops that are compiled when they are called first: by whom, once, from many threads, and not before."""

import subprocess
import sys
import threading
import unittest
from pathlib import Path
from unittest import mock

from yuplet.compiled import compiled, prepare

CORE = Path(__file__).resolve().parents[1] / "src"


@compiled("int64(int64)", cache=False)
def twice(value: int) -> int:
    """A loop that others call."""
    return 2 * value


@compiled(lambda: "int64(int64)", cache=False)
def four_times(value: int) -> int:
    return twice(twice(value))


class CompiledTests(unittest.TestCase):
    def test_loops_call_each_other(self) -> None:
        self.assertEqual(four_times(3), 12)
        self.assertEqual(twice.__doc__, "A loop that others call.")

    def test_many_threads_make_it_once(self) -> None:
        @compiled("int64(int64)", cache=False)
        def plus_one(value: int) -> int:
            return value + 1

        import numba

        found: list[int] = []
        with mock.patch.object(numba, "njit", wraps=numba.njit) as made:
            prepare(plus_one)
            threads = [threading.Thread(target=lambda: found.append(plus_one(1))) for _ in range(8)]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
        self.assertEqual((found, made.call_count), ([2] * 8, 1))

    def test_a_command_loads_what_it_needs(self) -> None:
        slow = ("numba", "pydantic", "jsonschema", "fontTools", "OpenEXR", "confusable_homoglyphs")
        said = f"import sys, yuplet.handover; print([name for name in {slow} if name in sys.modules])"
        run = subprocess.run(
            [sys.executable, "-c", said], env={"PYTHONPATH": str(CORE)}, capture_output=True, text=True, check=True
        )
        self.assertEqual(run.stdout.strip(), "[]")
