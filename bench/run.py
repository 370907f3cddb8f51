"""Runs every measurement and writes docs/measurements.md. ./start must be running for the pile and for the plan."""

import bring_in
import hand_over
import kinds
import order
import packing
import pile
import plan_page
import take_apart
import vector
from measure import ROOT

HEAD = """# Measurements

Made by `make bench` (scripts in `bench/`, art from `bench/art.py` with a fixed seed). Ratios within one run on one machine
with two cores; nothing here is asserted by a test.
"""

if __name__ == "__main__":
    text = "\n".join(
        [
            HEAD,
            hand_over.main(),
            hand_over.after_a_change(),
            kinds.levels(),
            kinds.outputs(),
            packing.sheets(),
            packing.strips(),
            bring_in.main(),
            vector.main(),
            take_apart.main(),
            order.main(),
            pile.main(),
            plan_page.main(),
        ]
    )
    (ROOT / "docs" / "measurements.md").write_text(text)
    print(text)
