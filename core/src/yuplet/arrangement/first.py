"""The arrangement that an illustration starts with."""

from yuplet.arrangement.tree import Arrangement, Renamed, arrangement_of
from yuplet.illustration.layers import Illustration


def first_arrangement(illustration: Illustration) -> tuple[Arrangement, list[Renamed]]:
    """A part for each layer (`arrangement_of`), and what the file says of them beyond the art.

    Raises `ArrangementError` when that cannot be, like parts that carry each other in a circle.
    """
    arrangement, renamed = arrangement_of(illustration)
    if illustration.arranged:
        # Few files say more than the art, and loading all commands takes a quarter of a second.
        from yuplet.arrangement.commands import CODEC, apply
    for value in illustration.arranged:
        arrangement = apply(arrangement, CODEC.from_json(value))
    return arrangement, renamed
