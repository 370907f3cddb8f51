"""What a command says: JSON on standard output, and how far it is on a terminal."""

import argparse
import json
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

Progress = Callable[[str, int, int], None]


def tell(options: argparse.Namespace, value: Any) -> None:
    """Print a value as JSON, unless nothing is to be said."""
    if not getattr(options, "quiet", False):
        print(json.dumps(value, ensure_ascii=False, indent=1))


@contextmanager
def progress_bar(options: argparse.Namespace) -> Iterator[Progress]:
    """What is told how far the work is: shown on a terminal, and nowhere else."""
    if options.quiet or not sys.stderr.isatty():
        yield lambda stage, done, total: None
        return
    from tqdm import tqdm

    bar = tqdm(file=sys.stderr, leave=False, bar_format="{desc:<8} {bar} {n_fmt} of {total_fmt}")

    def show(stage: str, done: int, total: int) -> None:
        if stage != bar.desc.strip():
            bar.reset(total)
            bar.set_description_str(stage, refresh=False)
        bar.total = total
        bar.update(done - bar.n)

    try:
        yield show
    finally:
        bar.close()
