"""JSON documents from outside: read within limits, and held against the schemas that are published for them.

Sources: RFC 8259 (JSON; NaN, infinities and lone surrogates are no part of it); JSON Schema, draft 2020-12. Schemas are in `yuplet/schemas`.
`jsonschema-rs` says whether a document keeps to its schema, `jsonschema` what is wrong where it does not.
Limits: 64 MiB, 200 levels of nesting.
"""

import json
import re
from collections.abc import Mapping
from functools import cache
from importlib import resources
from typing import TYPE_CHECKING, Any, Literal, NoReturn, TypeAlias

import jsonschema_rs

from yuplet.errors import shown

if TYPE_CHECKING:
    # They take longer to load than most documents to read, and are needed where one is wrong.
    import jsonschema
    from pydantic import ValidationError

Form: TypeAlias = Literal["arrangement", "package", "project", "recipe", "index"]

MAX_BYTES = 64 << 20
MAX_NESTING = 200
_LONGEST_MESSAGE = 200
_CAME_LATER = {
    "camera", "scale", "scales", "smooth", "tolerance", "beside", "sheets", "parent", "depth", "fractions", "margins", "anchor", "beyond",
    "extent", "exact", "trim", "alternates", "looks",
}  # fmt: skip
"""What packages of older versions do not say, and are read without."""
_OPENING = re.compile(rb'"(?:[^"\\]|\\.)*+(?:"|\Z)|[\[{]|[\]}]', re.DOTALL)


def parsed(data: bytes | str, most: int = MAX_BYTES) -> Any:
    """Read a document of at most so many bytes. Raises `ValueError` with words that follow "It".

    >>> parsed(b'{"a": NaN}')
    Traceback (most recent call last):
    ...
    ValueError: has the number NaN, which JSON does not have
    """
    raw = data.encode(errors="surrogatepass") if isinstance(data, str) else data
    if len(raw) > most:
        raise ValueError(f"is larger than {most >> 20} MiB")
    _check_nesting(raw)
    try:
        value = json.loads(raw.decode("utf-8-sig"), parse_constant=_refuse_constant)
    except UnicodeDecodeError as error:
        raise ValueError("is not encoded as UTF-8") from error
    except json.JSONDecodeError as error:
        raise ValueError(f"is not JSON: {error.msg} in line {error.lineno}, column {error.colno}") from error
    _check_texts(raw, value)
    return value


def fault(value: Any, form: Form) -> tuple[str, str] | None:
    """Where a document does not keep to its schema ("parts.3.box"), and how; None where it does."""
    if _fast(form).is_valid(value):
        return None
    from jsonschema.exceptions import best_match

    wrong = best_match(_slow(form).iter_errors(value))
    if wrong is None:  # they agree on all that was ever tried; the stricter one is believed
        return "", "it does not keep to its schema"
    where = ".".join(str(step) if isinstance(step, str) else str(step + 1) for step in wrong.absolute_path)
    return shown(where), shown(wrong.message, _LONGEST_MESSAGE)


def require(value: Any, form: Form) -> None:
    """Raise `ValueError` where a document does not keep to its schema."""
    found = fault(value, form)
    if found is not None:
        raise ValueError(f"{f'at {found[0]!r}: ' if found[0] else ''}{found[1]}")


@cache
def schema(form: Form) -> dict[str, Any]:
    """The JSON Schema of a kind of document."""
    return dict(json.loads((resources.files("yuplet") / "schemas" / f"{form}.schema.json").read_text("utf-8")))


@cache
def _fast(form: Form) -> Any:
    return jsonschema_rs.Draft202012Validator(_as_read(schema(form)))


@cache
def _slow(form: Form) -> "jsonschema.Draft202012Validator":
    import jsonschema

    return jsonschema.Draft202012Validator(_as_read(schema(form)))


def _as_read(part: Any) -> Any:
    """A schema without what older versions do not say."""
    if isinstance(part, list):
        return [_as_read(one) for one in part]
    if not isinstance(part, dict):
        return part
    found = {name: _as_read(one) for name, one in part.items()}
    if isinstance(part.get("required"), list):
        found["required"] = [name for name in part["required"] if name not in _CAME_LATER]
    return found


def _check_nesting(data: bytes) -> None:
    """Before it is read, since readers of nested documents call themselves."""
    if data.count(b"[") + data.count(b"{") <= MAX_NESTING:
        return
    depth = 0
    for found in _OPENING.finditer(data):
        sign = found[0]
        if sign in (b"[", b"{"):
            depth += 1
            if depth > MAX_NESTING:
                raise ValueError(f"is nested more than {MAX_NESTING} deep")
        elif sign in (b"]", b"}"):
            depth -= 1


def _check_texts(data: bytes, value: Any) -> None:
    """Lone surrogates can be written in JSON and be stored nowhere."""
    if b"\\ud" not in data.lower():
        return
    waiting = [value]
    while waiting:
        one = waiting.pop()
        if isinstance(one, str):
            if any("\ud800" <= letter <= "\udfff" for letter in one):
                raise ValueError("has half of a letter (a lone surrogate)")
        elif isinstance(one, dict):
            waiting += [*one, *one.values()]
        elif isinstance(one, list):
            waiting += one


def _refuse_constant(name: str) -> NoReturn:
    raise ValueError(f"has the number {name}, which JSON does not have")


_IN_WORDS = {
    "missing": "is missing",
    "extra_forbidden": "is not known here",
    "too_short": "needs at least {min_length}",
    "too_long": "has more than {max_length}",
    "string_too_long": "has more than {max_length} letters",
    "greater_than_equal": "is less than {ge:g}",
    "less_than_equal": "is more than {le:g}",
    "finite_number": "is not a number",
    "float_type": "is not a number",
    "int_type": "is not a whole number",
    "string_type": "is not a text",
    "bool_type": "is neither true nor false",
    "tuple_type": "is not a list",
    "mapping_type": "is not an object",
    "dict_type": "is not an object",
    "literal_error": "is none of {expected}",
    "unexpected_keyword_argument": "is not known here",
    "union_tag_invalid": "is of the kind '{tag}', which is none of {expected_tags}",
    "union_tag_not_found": "does not say of which kind it is",
}
"""What is wrong, by pydantic's names for it, in words that follow where it is."""


def first_fault(error: "ValidationError", value: Any) -> str:
    """The first thing that is wrong with a value, and where."""
    first = error.errors(include_url=False)[0]
    at: list[str] = []
    for index, step in enumerate(first["loc"]):
        is_there = step in value if isinstance(value, Mapping) else isinstance(step, int)
        # A union also names the one of its kinds that is meant; whoever reads this knows it.
        if is_there or index == len(first["loc"]) - 1 and first["type"] == "missing":
            at.append(shown(str(step)))
            value = value[step] if isinstance(value, Mapping) and is_there else value
            value = (
                value[step]
                if isinstance(value, list | tuple) and isinstance(step, int) and step < len(value)
                else value
            )
    words = _IN_WORDS.get(first["type"])
    if words is not None:
        return f"{'.'.join(at) or 'it'} {words.format(**first.get('ctx', {}))}"
    what = first["msg"].removeprefix("Value error, ")
    what = what[:1].lower() + what[1:]
    return f"{'.'.join(at)}: {what}" if at else what
