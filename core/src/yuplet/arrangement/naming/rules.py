"""Many names in one go: what each row would be called, and what speaks against it."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Any, Literal, TypeAlias, get_args

import regex

from yuplet.arrangement import names
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.errors import NamesNotUnderstood

Matching: TypeAlias = Literal["text", "word", "pattern"]
Letters: TypeAlias = Literal["lower", "upper", "first", "each"]
Side: TypeAlias = Literal["before", "after"]
From: TypeAlias = Literal["back", "front", "chosen"]

PATIENCE = 0.2
"""Seconds that a pattern may take for one name: some would never end."""


@dataclass(frozen=True, slots=True)
class Replace:
    """Text found and replaced: anywhere, as a whole word, or by a regular expression, whose groups are \\1, \\2 in `by`."""

    find: str
    by: str = ""
    matching: Matching = "text"
    as_written: bool = True


@dataclass(frozen=True, slots=True)
class LetterCase:
    """Small letters, capitals, a capital for the first letter, or for the first of each word."""

    letters: Letters = "lower"


@dataclass(frozen=True, slots=True)
class Add:
    """Text before or after each name."""

    text: str
    side: Side = "before"


@dataclass(frozen=True, slots=True)
class TakeAway:
    """Text before or after names that have it there."""

    text: str
    side: Side = "before"


@dataclass(frozen=True, slots=True)
class WithoutNumbers:
    """No numbers at the end or at the beginning of names, nor what joins them to the rest."""


@dataclass(frozen=True, slots=True)
class Number:
    """A number before or after each name, counted from the back, from the front, or as the rows were chosen.

    `width` is how many digits a number has at least. `anew` counts anew in each group. With `instead` numbers that are there go first.
    """

    start: int = 1
    width: int = 1
    separator: str = " "
    side: Side = "after"
    counted: From = "back"
    anew: bool = False
    instead: bool = False


@dataclass(frozen=True, slots=True)
class Listed:
    """Names of a list, one a row, in an order; rows beyond its end keep theirs."""

    listed: tuple[str, ...]
    counted: From = "front"


@dataclass(frozen=True, slots=True)
class FromLayers:
    """The name of the layer that each part is of; of several that of the front-most."""


Change: TypeAlias = Replace | LetterCase | Add | TakeAway | WithoutNumbers | Number | Listed | FromLayers
KINDS: dict[str, type[Change]] = {
    "replace": Replace,
    "letter-case": LetterCase,
    "add": Add,
    "take-away": TakeAway,
    "without-numbers": WithoutNumbers,
    "number": Number,
    "listed": Listed,
    "from-layers": FromLayers,
}


@dataclass(frozen=True, slots=True)
class Renaming:
    """What a row is called and would be; `problem` says why it cannot be, and `proposal` is a name that can. `note` says which letters of a
    new name look like others.
    """

    row: str
    old: str
    new: str
    problem: str | None = None
    proposal: str | None = None
    note: str | None = None


def renamings(
    arrangement: Arrangement, row_ids: Sequence[str], changes: Sequence[Change], layer_names: Mapping[str, str]
) -> list[Renaming]:
    """What rows would be called after changes, one after the other.

    Parameters
    ----------
    arrangement : Arrangement
    row_ids : sequence of str
        In the order in which they were chosen.
    changes : sequence
    layer_names : mapping
        The name of each layer by its id.

    Returns
    -------
    list of Renaming
        One for each row, back to front. Of names that clash with each other the first is right; one that clashes with a sibling that
        keeps its own is not.

    Raises
    ------
    NamesNotUnderstood
        For a regular expression that is none, or that takes too long.
    NoSuchRow
    """
    for row_id in row_ids:
        arrangement.find(row_id)
    walked = [(around, row) for around, row in arrangement.walk() if row.id in set(row_ids)]
    new = {row.id: row.name for _, row in walked}
    for change in changes:
        order = {
            "back": [row.id for _, row in walked],
            "front": [row.id for _, row in reversed(walked)],
            "chosen": list(dict.fromkeys(row_ids)),
        }
        new = _changed(new, walked, order, change, layer_names)
    found: list[Renaming] = []
    final = dict(new)
    done: set[str] = set()
    # Of names that are to be the same, one that stays as it is comes first, then the one farthest back.
    for around, row in sorted(walked, key=lambda one: new[one[1].id] != one[1].name):
        siblings = [one for one in (around[-1].members if around else arrangement.rows) if one.id != row.id]
        siblings = [one for one in siblings if _alike(one, row)]
        settled = [final.get(one.id, one.name) for one in siblings if one.id in done or one.id not in new]
        name = new[row.id]
        problem = names.problem(name)
        if problem is None and names.key(name) in {names.key(other) for other in settled}:
            problem = f"is that of another {'group' if isinstance(row, PartGroup) else 'part'} in the same group"
        proposal = None
        if problem is not None:
            later = [new[one.id] for one in siblings if one.id in new and one.id not in done]
            proposal = final[row.id] = names.proposal(name, [*settled, *later], "part")
        done.add(row.id)
        note = names.said_of_letters(name) if name != row.name else None
        found.append(Renaming(row.id, row.name, name, problem, proposal, note))
    places = {row.id: at for at, (_, row) in enumerate(walked)}
    return sorted(found, key=lambda one: places[one.row])


def _alike(one: Row, other: Row) -> bool:
    return isinstance(one, PartGroup) == isinstance(other, PartGroup)


def _changed(
    new: dict[str, str],
    walked: Sequence[tuple[tuple[PartGroup, ...], Row]],
    order: Mapping[str, list[str]],
    change: Change,
    layer_names: Mapping[str, str],
) -> dict[str, str]:
    match change:
        case Number():
            return _numbered(new, walked, order, change)
        case Listed(listed, counted):
            given = dict(zip(order[counted], listed, strict=False))
            return {row: given.get(row, name).strip() for row, name in new.items()}
        case FromLayers():
            layers = {
                row.id: layer_names[row.pieces[-1].layer]
                for _, row in walked
                if not isinstance(row, PartGroup) and row.pieces and row.pieces[-1].layer in layer_names
            }
            return {**new, **layers}
    return {row: _single(name, change) for row, name in new.items()}


def _single(name: str, change: Change) -> str:
    match change:
        case Replace():
            return _replaced(name, change)
        case LetterCase("lower"):
            return name.lower()
        case LetterCase("upper"):
            return name.upper()
        case LetterCase("first"):
            return name[:1].upper() + name[1:].lower()
        case LetterCase():
            return re.sub(r"[^\W\d_]+", lambda word: word[0][:1].upper() + word[0][1:].lower(), name)
        case Add(text, "before"):
            return text + name
        case Add(text):
            return name + text
        case TakeAway(text, "before"):
            return name.removeprefix(text)
        case TakeAway(text):
            return name.removesuffix(text)
        case WithoutNumbers():
            # A name of nothing but a number keeps it.
            return re.sub(r"[\s._-]*\d+$", "", re.sub(r"^\d+[\s._-]+", "", name)) or name
    return name


def _replaced(name: str, change: Replace) -> str:
    if not change.find:
        return name
    flags = regex.V1 if change.as_written else regex.V1 | regex.IGNORECASE
    try:
        if change.matching == "pattern":
            return str(regex.sub(change.find, change.by, name, flags=flags, timeout=PATIENCE))
        plain = regex.escape(change.find, special_only=True)
        if change.matching == "word":
            plain = rf"(?<![^\W_]){plain}(?![^\W_])"
        return str(regex.sub(plain, lambda _: change.by, name, flags=flags, timeout=PATIENCE))
    except TimeoutError:
        raise NamesNotUnderstood(f"The pattern '{change.find}' takes too long. Use a simpler one.") from None
    except (regex.error, IndexError) as error:
        raise NamesNotUnderstood(f"The pattern '{change.find}' is not understood: {error}.") from None


def _numbered(
    new: dict[str, str],
    walked: Sequence[tuple[tuple[PartGroup, ...], Row]],
    order: Mapping[str, list[str]],
    change: Number,
) -> dict[str, str]:
    group_of = {row.id: around[-1].id if around else None for around, row in walked}
    counts: dict[str | None, int] = {}
    result = {row: _single(name, WithoutNumbers()) for row, name in new.items()} if change.instead else dict(new)
    for row in order[change.counted]:
        group = group_of[row] if change.anew else None
        number = f"{counts.setdefault(group, change.start):0{change.width}}"
        counts[group] += 1
        before, after = (number, result[row]) if change.side == "before" else (result[row], number)
        result[row] = f"{before}{change.separator}{after}"
    return result


def from_json(value: Mapping[str, Any]) -> Change:
    """A change of names from plain JSON values, its kind under 'do'; raises NamesNotUnderstood.

    >>> from_json({"do": "add", "text": "arm ", "side": "before"})
    Add(text='arm ', side='before')
    """
    rest = dict(value)
    kind = KINDS.get(str(rest.pop("do", "")))
    if kind is None:
        raise NamesNotUnderstood(f"There is no change called '{value.get('do')}'. Known are: {', '.join(KINDS)}.")
    allowed = {
        "matching": get_args(Matching),
        "letters": get_args(Letters),
        "side": get_args(Side),
        "counted": get_args(From),
    }
    for name, one in rest.items():
        if name in allowed and one not in allowed[name]:
            raise NamesNotUnderstood(f"'{one}' is no value of '{name}'. Known are: {', '.join(allowed[name])}.")
        if name in ("start", "width") and (type(one) is not int or not 0 <= one <= 1_000_000):
            raise NamesNotUnderstood(f"'{name}' is a whole number from 0 on.")
        if name in ("find", "by", "text", "separator") and (not isinstance(one, str) or len(one) > 200):
            raise NamesNotUnderstood(f"'{name}' is a text of up to 200 letters.")
    unknown = set(rest) - {field.name for field in fields(kind)}
    if unknown:
        raise NamesNotUnderstood(f"'{kind.__name__}' has no '{unknown.pop()}'.")
    if "width" in rest and rest["width"] > 9:
        raise NamesNotUnderstood("A number has up to 9 digits.")
    if kind is Listed:
        rest["listed"] = tuple(str(name) for name in rest.get("listed", ()))
    try:
        made: Change = kind(**rest)
    except TypeError as error:
        raise NamesNotUnderstood(f"The change '{value.get('do')}' is not complete: {error}.") from error
    return made
