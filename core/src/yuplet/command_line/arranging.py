"""Commands that arrange parts, and take flat pictures apart."""

import argparse
import json
import sys
from pathlib import Path

from yuplet.command_line.files import opened
from yuplet.command_line.output import tell
from yuplet.errors import YupletError


def arrange(options: argparse.Namespace) -> int:
    """`arrange`: commands applied to the parts of a file."""
    from yuplet import pipeline
    from yuplet.arrangement.records import differences
    from yuplet.errors import ArrangementError, SelectionError

    given = [] if options.commands is None else pipeline.read_document(options.commands)
    if not isinstance(given, list):
        raise ArrangementError(f"'{options.commands}' holds no list of commands.")
    with (
        opened(options.file, options.title) as file,
        pipeline.open(file, options.arrangement, options.commands) as work,
    ):
        before, steps = work.arrangement, []
        for number, value in enumerate(given, 1):
            try:
                steps.append(work.apply(value if isinstance(value, dict) else {}))
            except (ArrangementError, SelectionError) as error:
                raise ArrangementError(
                    f"Command {number} of {len(given)} cannot be applied. {error} Nothing was written."
                ) from error
        work.save(options.out)
    tell(
        options,
        {
            "steps": steps,
            **differences(before, work.arrangement),
            "renamed": [{"path": list(item.path), "name": item.name, "reason": item.reason} for item in work.renamed],
        },
    )
    return 0


def pick(options: argparse.Namespace) -> int:
    """`pick`: what clicks take."""
    from contextlib import ExitStack

    from yuplet.errors import ArrangementError
    from yuplet.picking import LONGEST, Picking, clicked

    with ExitStack() as stack:
        is_given = options.clicks == "-"
        lines = sys.stdin if is_given else stack.enter_context(Path(options.clicks).open(encoding="utf-8"))
        picking = Picking(options.file, options.layer)
        # A line without an end is not read to its end.
        for number, line in enumerate(iter(lambda: lines.readline(LONGEST + 1), ""), 1):
            if not line.strip():
                continue
            try:
                said = clicked(picking, line)
            except YupletError as error:
                raise ArrangementError(f"Line {number} of the clicks: {error}") from error
            print(json.dumps(said), flush=True)
    return 0


def propose(options: argparse.Namespace) -> int:
    """`propose`: the nested pieces of a flat picture."""
    from yuplet.picking import Picking

    said = Picking(options.file, options.layer).write(options.out)
    tell(options, {"patches": said["patches"], "images": said["images"]})
    return 0
