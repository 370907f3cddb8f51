"""Yuplet separates an illustration into named parts and hands them over, exact to the pixel.

What is offered is in `__all__`: `open` a picture and work on it, `Picking` of parts by clicks, `recipes`, `prove` a package, `move` its parts, `refresh`
one by another, and what may be raised. Everything else is
for Yuplet itself and may change (docs/guide/library.md).
"""

from typing import TYPE_CHECKING, Any

from yuplet.version import __version__

if TYPE_CHECKING:
    from yuplet.errors import YupletError as YupletError
    from yuplet.picking import Picking as Picking
    from yuplet.pipeline import Work as Work
    from yuplet.pipeline import command as command
    from yuplet.pipeline import move as move
    from yuplet.pipeline import open as open  # noqa: A004 - it is `yuplet.open`
    from yuplet.pipeline import prove as prove
    from yuplet.pipeline import recipe as recipe
    from yuplet.pipeline import recipes as recipes
    from yuplet.pipeline import refresh as refresh


__all__ = [
    "Picking",
    "Work",
    "YupletError",
    "__version__",
    "command",
    "move",
    "open",
    "prove",
    "recipe",
    "recipes",
    "refresh",
]


def __getattr__(name: str) -> Any:
    # Loaded when it is asked for: the command line and the server need only some of it.
    if name == "YupletError":
        from yuplet.errors import YupletError

        return YupletError
    if name == "Picking":
        from yuplet.picking import Picking

        return Picking
    if name in __all__:
        from yuplet import pipeline

        return getattr(pipeline, name)
    raise AttributeError(f"module 'yuplet' has no attribute '{name}'")
