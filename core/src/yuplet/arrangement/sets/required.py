"""What must be there: a list of names, and which of them are done."""

from dataclasses import dataclass

from yuplet.arrangement import names
from yuplet.arrangement.tree import Arrangement
from yuplet.parts.part import Part


@dataclass(frozen=True, slots=True)
class Wanted:
    """A name of the list, and the part that it is; None where it is missing. `reason` says why it does not count, if one is there."""

    name: str
    row: str | None
    reason: str | None = None


def required(arrangement: Arrangement, empty: frozenset[str] = frozenset()) -> list[Wanted]:
    """Every name that is required, in the order of the list, and whether it is done.

    A name may say groups before it, as 'eyes/open left'; letter case and kinds of spaces do not count. A part that is left out, or
    one of the `empty` ones, does not do.
    """
    by_name: dict[str, list[Part]] = {}
    for around, part in arrangement.parts():
        path = [*(group.name for group in around), part.name]
        for start in range(len(path)):
            by_name.setdefault(_key("/".join(path[start:])), []).append(part)
    result = []
    for name in arrangement.decisions.required:
        found = by_name.get(_key(name), [])
        done = next((part for part in found if part.included and part.id not in empty), None)
        if done is not None:
            result.append(Wanted(name, done.id))
        elif found:
            result.append(Wanted(name, None, "is left out" if not found[0].included else "is empty"))
        else:
            result.append(Wanted(name, None))
    return result


def _key(name: str) -> str:
    return "/".join(names.key(" ".join(step.split())) for step in name.split("/"))
