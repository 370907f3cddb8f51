"""Work in a process of its own against the same work in this one: what starting, asking and giving back add."""

import os
import sys

from measure import ROOT, brindle, fastest, table

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "yuplet_server.project.settings")
sys.path[:0] = [str(ROOT / "server")]

import django  # noqa: E402

django.setup()

from yuplet.pixels.spill_file import SpillFile  # noqa: E402
from yuplet.reading.files import read_illustration  # noqa: E402
from yuplet_server.jobs.apart import Apart, Limits  # noqa: E402

LIMITS = Limits(60, 60, 2**31)


def read(path: str) -> int:
    """Bring a file in; answers how many layers it has."""
    from pathlib import Path

    with SpillFile() as scratch:
        return len(list(read_illustration(Path(path), scratch)[0].leaves()))


def nothing() -> None:
    """As little as can be."""


def fresh(function: object, *arguments: object) -> None:
    with Apart(LIMITS) as process:
        process.call(function, *arguments)  # type: ignore[arg-type]


def started() -> None:
    import subprocess

    subprocess.run(
        [sys.executable, "-c", "import django; django.setup(); import yuplet_server.project.urls"], check=True
    )


def main() -> str:
    files = {"Brindle, 50 layers": brindle(), "Reed marsh, SVG": ROOT / "demo" / "reed-marsh.svg"}
    fresh(nothing)  # the warm process is there now
    rows = []
    for name, path in files.items():
        here = fastest(lambda path=path: read(str(path)), 5)  # type: ignore[misc]
        there = fastest(lambda path=path: fresh(read, str(path)), 5)  # type: ignore[misc]
        rows.append([f"{name}: bringing in, in a fresh process over here", f"{there / here:.2f}"])
    start, fork = fastest(started), fastest(lambda: fresh(nothing), 10)
    with Apart(LIMITS) as process:
        again = fastest(lambda: process.call(nothing), 50)
    rows.append(["starting Python with the project and the core, over a fresh process", f"{start / fork:.0f}"])
    rows.append(["a fresh process, over a question to one that is there", f"{fork / again:.0f}"])
    rows.append(["a fresh process", f"{1000 * fork:.0f} ms"])
    note = "Forked from a warm process (docs/decisions/apart.md). Figures in ms are of this machine and mean something beside each other."
    return table("Work in processes of its own", ["what", "figure"], rows, note)


if __name__ == "__main__":
    print(main())
