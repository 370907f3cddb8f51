"""Commands as plain JSON values, as the interface, the log and the command line have them (docs/formats/commands.md)."""

from collections.abc import Mapping, Sequence
from dataclasses import fields, is_dataclass
from functools import reduce
from operator import or_
from typing import Annotated, Any

from pydantic import Field, TypeAdapter, ValidationError

from yuplet.arrangement.commands.base import Command
from yuplet.arrangement.commands.parts import Setting
from yuplet.arrangement.commands.replacing import ReplaceRows
from yuplet.documents import first_fault
from yuplet.errors import ArrangementError, shown


class Codec:
    """One table of commands: what reads them, writes them and describes them."""

    def __init__(self, commands: Sequence[type[Command]]) -> None:
        self.commands: dict[str, type[Command]] = {_kind(command): command for command in commands}
        self._adapter: TypeAdapter[Command] = TypeAdapter(
            Annotated[reduce(or_, commands), Field(discriminator="do")]  # type: ignore[arg-type]
        )

    def from_json(self, value: Any) -> Command:
        """A command from plain JSON values; raises `ArrangementError` for anything that is not one."""
        kind = value.get("do") if isinstance(value, Mapping) else None
        if not isinstance(kind, str) or kind not in self.commands:
            raise ArrangementError(
                f"There is no step called '{shown(str(kind))}'. Known are: {', '.join(self.commands)}."
            )
        try:
            command = self._adapter.validate_python(value)
        except ValidationError as error:
            raise _incomplete(kind, first_fault(error, value)) from error
        if isinstance(command, Setting) and not command.touched:
            raise _incomplete(kind, f"it names no row under {' or '.join(command.values)}")
        return command

    def from_log(self, value: Mapping[str, Any]) -> Command:
        """The same, for what the log holds: also rows in the place of others, which nobody can ask for."""
        return ReplaceRows.from_json(value) if value.get("do") == _kind(ReplaceRows) else self.from_json(value)

    def schema(self, reference: str = "#/$defs/{model}") -> dict[str, Any]:
        """What keeps to the form of a command, as JSON Schema 2020-12: `oneOf`, told apart by `do`."""
        schema = self._adapter.json_schema(ref_template=reference)
        for one in schema["$defs"].values():
            for word in {"do", "tool"} & set(one["properties"]):
                # In Python it is there by itself, in JSON it must be said.
                one["properties"][word].pop("default", None)
                one["required"] = [word, *one.get("required", [])]
        return schema


def to_json(command: Command) -> dict[str, Any]:
    """A command as plain JSON values, its kind under 'do'."""
    if isinstance(command, ReplaceRows):
        return command.as_json()
    return {"do": command.do, **_plain(command)}


def _plain(value: Any) -> Any:
    """The same as plain JSON values. Many of a thousand rows are plain already, and are not looked at one by one as `asdict` does."""
    if is_dataclass(value) and not isinstance(value, type):
        return {field.name: _plain(getattr(value, field.name)) for field in fields(value)}
    if isinstance(value, Mapping):
        return {key: one if type(one) in _SCALARS else _plain(one) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [one if type(one) in _SCALARS else _plain(one) for one in value]
    return value


_SCALARS = frozenset({str, int, float, bool, type(None)})


def _incomplete(kind: str, what: str) -> ArrangementError:
    return ArrangementError(f"The step '{kind}' is not complete: {what}. Reload the page and try again.")


def _kind(command: type[Command]) -> str:
    (found,) = (field.default for field in fields(command) if field.name == "do")  # type: ignore[arg-type]
    return str(found)
