"""Runs every measurement, each in a process of its own, and writes docs/measurements.md. ./start must be running for the pile and for the plan."""

import subprocess
import sys

from measure import ROOT

HEAD = """# Measurements

Made by `make bench` (scripts in `bench/`, art from `bench/art.py` with a fixed seed). Ratios within one run on one machine
with two cores; nothing here is asserted by a test.
"""
SCRIPTS = (
    "hand_over",
    "very_large",
    "kinds",
    "packing",
    "line_up",
    "film",
    "opening",
    "bring_in",
    "vector",
    "take_apart",
    "order",
    "steps",
    "apart",
    "pile",
    "playing",
    "plan_page",
)

if __name__ == "__main__":
    texts = [HEAD]
    for script in SCRIPTS:
        run = subprocess.run(
            [sys.executable, str(ROOT / "bench" / f"{script}.py")], check=True, stdout=subprocess.PIPE, text=True
        )
        texts.append(run.stdout.strip("\n") + "\n")
        print(run.stdout, flush=True)
    (ROOT / "docs" / "measurements.md").write_text("\n".join(texts))
