"""Commands on a thousand parts, and a swing of 61 angles against plain calls of the rotation that it uses."""

import json
import time
from collections.abc import Callable

import cv2
import numpy as np
from measure import fastest, table

from yuplet.arrangement import commands
from yuplet.arrangement.commands import (
    Command,
    Decide,
    GroupRows,
    IncludeParts,
    MakeAlternates,
    MoveRows,
    OrderRows,
    Place,
    RenameRows,
    SetDepths,
    SetJoints,
    SetRoles,
    ShowRows,
    SpreadDepths,
)
from yuplet.arrangement.records import to_json
from yuplet.arrangement.tree import Arrangement, PartGroup
from yuplet.derivation.content import Content
from yuplet.findings.order import look_over_order
from yuplet.geometry import Box, Point, Size
from yuplet.parts.part import Part, still
from yuplet.rig.round_ends import Circle
from yuplet.rig.swing import swing

GROUPS, EACH = 50, 20
SIDE = 1024
ANGLES = tuple(float(angle) for angle in np.linspace(-30, 30, 61))


def many() -> Arrangement:
    """A thousand parts in fifty groups."""
    return Arrangement(
        tuple(
            PartGroup(
                f"g{group}",
                f"group of {group}",
                tuple(Part(f"p{group}-{at}", f"part {at}", still(f"l{group}-{at}")) for at in range(EACH)),
            )
            for group in range(GROUPS)
        )
    )


def commands_table() -> str:
    tree = many()
    parts = [part.id for _, part in tree.parts()]
    plain = fastest(lambda: json.dumps(to_json(tree)))
    cases: dict[str, Command] = {
        "rename all": RenameRows({row: f"limb {at}" for at, row in enumerate(parts)}),
        "rename one": RenameRows({parts[500]: "other"}),
        "hide all": ShowRows(dict.fromkeys(parts, False)),
        "leave all out": IncludeParts(dict.fromkeys(parts, False)),
        "move one across groups": MoveRows((Place(parts[500], None, 3),)),
        "order a group by name": OrderRows("g7", "name"),
        "parents in a chain": SetJoints(dict(zip(parts[1:], parts, strict=False))),
        "depths of all": SetDepths(dict.fromkeys(parts, 40.0)),
        "spread all": SpreadDepths(tuple(parts), 10.0),
        "roles of all": SetRoles(dict.fromkeys(parts, "loose")),
        "group twenty": GroupRows(tuple(parts[:20])),
        "alternates of a group": MakeAlternates(("g9",)),
        "decide": Decide({"travel": 30.0}),
    }
    rows = []
    for name, command in cases.items():

        def whole(command: Command = command) -> None:
            command.inverse(tree)
            commands.apply(tree, command)

        taken = fastest(whole)
        rows.append([name, f"{taken * 1000:.1f} ms", f"{taken / plain:.2f}"])
    boxes = {row: Box(at, at, at + 50, at + 50) for at, row in enumerate(parts)}
    chain = commands.apply(tree, cases["parents in a chain"])
    taken = fastest(lambda: look_over_order(commands.apply(chain, cases["spread all"]), boxes, Size(2000, 2000)))
    rows.append(["all that is found without a pixel", f"{taken * 1000:.1f} ms", f"{taken / plain:.2f}"])
    return table(
        "Commands on 1,000 parts",
        ["command, with what undoes it", "time in the core", "against writing all rows as JSON"],
        rows,
        f"One thread. Writing the rows as JSON takes {plain * 1000:.1f} ms in the same run.",
    )


def swing_table() -> str:
    rows, columns = np.mgrid[:SIDE, :SIDE] + 0.5
    picture = np.zeros((SIDE, SIDE, 4), np.uint8)
    away = np.hypot(columns - SIDE / 2, np.clip(rows - 300, None, 0))
    picture[..., 3] = np.clip(np.rint(255 * (180.5 - away)), 0, 255)
    limb = Content(Box(0, 0, SIDE, SIDE), picture)
    body = Content(Box(0, -600, SIDE, SIDE - 600), np.full((SIDE, SIDE, 4), 255, np.uint8))
    joint = Circle(Point(SIDE / 2, 300), 180)
    alpha = np.ascontiguousarray(picture[..., 3])

    def plain() -> None:
        for angle in ANGLES:
            matrix = cv2.getRotationMatrix2D((SIDE / 2 - 0.5, 299.5), angle, 1.0)
            cv2.warpAffine(alpha, matrix, (SIDE, SIDE), flags=cv2.INTER_LINEAR)

    def ours() -> None:
        swing(limb, body, joint, ANGLES)

    taken: dict[str, Callable[[], None]] = {"warpAffine on the whole alpha": plain, "swing": ours}
    times = {name: fastest(work) for name, work in taken.items()}
    base = times["warpAffine on the whole alpha"]
    return table(
        "A swing of 61 angles, 1024²",
        ["what", "time", "against the plain calls"],
        [[name, f"{one * 1000:.0f} ms", f"{one / base:.2f}"] for name, one in times.items()],
        "The swing counts what opens and juts out on each side as well; it turns the surroundings of the joint only.",
    )


def main() -> str:
    began = time.perf_counter()
    tables = "\n".join([commands_table(), swing_table()])
    print(f"order: {time.perf_counter() - began:.0f} s")
    return tables


if __name__ == "__main__":
    print(main())
