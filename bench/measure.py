"""What the measurements share: the files they work on, how time and memory are taken, and how a table is printed."""

import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
FOLDER = ROOT / "var" / "bench"


def brindle() -> Path:
    """The demo figure as an OpenRaster file."""
    path = FOLDER / "brindle.ora"
    if not path.exists():
        FOLDER.mkdir(parents=True, exist_ok=True)
        _run(ROOT / "demo" / "build.py", path)
    return path


def bench_art(layers: int = 60, side: int = 4096) -> Path:
    """The bench art (`art.py`), made once."""
    path = FOLDER / f"art-{layers}-{side}.ora"
    if not path.exists():
        FOLDER.mkdir(parents=True, exist_ok=True)
        _run(ROOT / "bench" / "art.py", path, f"--layers={layers}", f"--side={side}")
    return path


def fastest(work: Callable[[], object], times: int = 3) -> float:
    """The least of some times in seconds: what disturbs can only make it slower."""
    taken = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        taken.append(time.perf_counter() - began)
    return min(taken)


def peak_memory(code: str) -> int:
    """The largest resident size in bytes that a Python process reaches while it runs some code, above having imported it.

    Read from /proc, where it counts from the start of the program; the figure of getrusage is inherited from its parent.
    """
    program = (
        "import re\n"
        "from yuplet.handover import hand_over_file\n"
        "def peak(): return int(re.search(r'VmHWM:\\s+(\\d+)', open('/proc/self/status').read())[1])\n"
        "before = peak()\n"
        f"{code}\n"
        "print(peak() - before)"
    )
    run = subprocess.run([sys.executable, "-c", program], check=True, capture_output=True, text=True)
    return int(run.stdout.splitlines()[-1]) * 1024


def table(heading: str, columns: Sequence[str], rows: Sequence[Sequence[str]], note: str) -> str:
    """A table in Markdown under its heading."""
    lines = [f"## {heading}", "", f"| {' | '.join(columns)} |", f"|{'---|' * len(columns)}"]
    lines += [f"| {' | '.join(row)} |" for row in rows]
    return "\n".join([*lines, "", note, ""])


def _run(script: Path, *arguments: object) -> None:
    subprocess.run([sys.executable, str(script), *map(str, arguments)], check=True)
