"""What commands about pixels have in common: they are prepared first, which makes layers, and come to rows in the place of others."""

from abc import abstractmethod
from typing import ClassVar

from yuplet.arrangement.commands import Command, apply, require_open
from yuplet.arrangement.commands.base import Touched
from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.layer_store import LayerStore


class Edit(Command):
    """A command that needs pixels. What it comes to is known when it was `prepared`; until then it cannot be applied."""

    __slots__ = ()
    needs_layers: ClassVar[bool] = True

    @abstractmethod
    def prepared(self, before: Arrangement, layers: LayerStore) -> Command: ...

    def title(self, before: Arrangement) -> str:
        raise self._not_prepared()

    def applied(self, before: Arrangement) -> Arrangement:
        raise self._not_prepared()

    def inverse(self, before: Arrangement) -> Command:
        raise self._not_prepared()

    def _not_prepared(self) -> TypeError:
        return TypeError(f"'{self.do}' makes layers: prepare it first, with the layers of the illustration.")


class OfPart(Edit):
    """Those that change the pixels of one part."""

    __slots__ = ()
    row: str

    @property
    def touched(self) -> Touched:
        return frozenset({(self.row, "frames"), (self.row, "offset")})


def edited(arrangement: Arrangement, command: Command, layers: LayerStore) -> tuple[Arrangement, Command]:
    """The arrangement after any command, and the command that it came to, which says its title and what undoes it.

    The layers that it needs are added to `layers`. Raises `ArrangementError` and `SelectionError`: what the artist can mend.
    """
    require_open(arrangement, command)
    step = command.prepared(arrangement, layers)
    return apply(arrangement, step), step
