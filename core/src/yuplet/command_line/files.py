"""The files that a command is given: names, patterns, and standard input."""

import glob
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from yuplet.errors import ReadError, RecipeNotUnderstood, TooLarge, shown
from yuplet.paths import problem

STANDARD_INPUT = "-"
_LARGEST = 4 << 30
"""Bytes of a picture from standard input: as many as are taken elsewhere at the most."""
_MAGIC = frozenset("*?[")


def named(given: Sequence[str]) -> list[Path]:
    """Files by their names and patterns, each once, those of a pattern in the order of their names. Raises `ReadError` for a pattern of none."""
    found: dict[Path, None] = {}
    for one in given:
        path = Path(one)
        if not is_pattern(one):
            found[path] = None
            continue
        # Not that of `Path`, which refuses patterns that shells take.
        matching = sorted(file for file in map(Path, glob.glob(one, recursive=True)) if file.is_file())  # noqa: PTH207
        if not matching:
            raise ReadError(f"No file is called like '{shown(one)}'. Check the pattern.")
        found.update(dict.fromkeys(matching))
    return list(found)


def is_pattern(one: str) -> bool:
    """Whether a name stands for several files, and not for one that is called so."""
    return bool(_MAGIC & set(one)) and not Path(one).exists()


@contextmanager
def opened(given: str, title: str = "picture") -> Iterator[Path]:
    """The one file that a name, or a pattern, stands for; for `-` what comes from standard input, under a title."""
    if given != STANDARD_INPUT:
        files = named([given])
        if len(files) > 1:
            raise ReadError(f"'{shown(given)}' stands for {len(files)} files. Name one.")
        yield files[0]
        return
    if (reason := problem(title)) is not None:
        raise ReadError(f"The title '{shown(title)}' {reason}. Give another one.")
    with TemporaryDirectory(prefix="yuplet-") as folder:
        path = Path(folder, title)
        with path.open("wb") as file:
            left = _LARGEST
            while block := sys.stdin.buffer.read(min(1 << 20, left + 1)):
                left -= len(block)
                if left < 0:
                    raise TooLarge(f"Standard input has more than {_LARGEST >> 30} GiB.")
                file.write(block)
        yield path


def recipe_of(given: str | None) -> Any:
    """A recipe by the name of one that comes along, by its file's name, or from a file; None: the usual one. Raises `RecipeNotUnderstood`."""
    from yuplet import documents
    from yuplet.plan.recipe import Recipe, from_json, shipped

    if given is None:
        return Recipe()
    path = Path(given)
    if not path.exists() or path.is_dir():
        come_along = shipped()
        for file, recipe in come_along.items():
            if given.casefold() in (recipe.name.casefold(), Path(file).stem):
                return recipe
        names = ", ".join(f"'{recipe.name}'" for recipe in come_along.values())
        raise RecipeNotUnderstood("", f"'{shown(given)}' is no file and no recipe that comes along; those are {names}")
    try:
        return from_json(documents.parsed(path.read_bytes()))
    except ValueError as error:
        raise RecipeNotUnderstood("", f"'{path}' {error}") from error
