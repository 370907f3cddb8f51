"""Inner loops that numba compiles: when they are called first, or all of them, when Yuplet is installed (`python -m yuplet.compiled`).

numba compiles, or takes from its cache on the disk, as soon as a function with a signature is decorated; of dozens of loops most commands need a few.
"""

import functools
import importlib
import pkgutil
import threading
from collections.abc import Callable
from typing import Any, TypeVar, cast

Function = TypeVar("Function", bound=Callable[..., Any])

READ_ONLY = "Array({}, {}, '{}', readonly=True)"
"""An array that a loop only reads, by its type, the number of its dimensions, and its layout ('C', or 'A' for any)."""
OPTIONS: dict[str, Any] = {"cache": True, "nogil": True, "error_model": "numpy"}
_all: list["_Compiled"] = []
_lock = threading.RLock()


def compiled(signature: Any, **options: Any) -> Callable[[Function], Function]:
    """A decorator as `numba.njit` is, with one signature, in numba's notation or as a function that answers it. Loops may call each other."""

    def decorate(function: Function) -> Function:
        return cast(Function, _Compiled(function, signature, {**OPTIONS, **options}))

    return decorate


class _Compiled:
    def __init__(self, function: Callable[..., Any], signature: Any, options: dict[str, Any]) -> None:
        functools.update_wrapper(self, function)
        self._function, self._signature, self._options = function, signature, options
        self._made: Callable[..., Any] | None = None
        _all.append(self)

    def __call__(self, *arguments: Any) -> Any:
        return (self._made or self.made())(*arguments)

    def made(self) -> Callable[..., Any]:
        """The compiled function."""
        with _lock:
            if self._made is None:
                from numba import njit

                signature = self._signature() if callable(self._signature) else self._signature
                self._made = njit(signature, **self._options)(self._function)
            return self._made

    @property
    def _numba_type_(self) -> Any:
        """What numba asks for where another loop calls this one."""
        return self.made()._numba_type_  # type: ignore[attr-defined]


def prepare(*loops: Callable[..., Any]) -> None:
    """Have loops ready soon, by a thread of its own: loading numba takes as long as reading a picture, which is mostly done elsewhere."""

    def make() -> None:
        for one in loops:
            cast(_Compiled, one).made()

    threading.Thread(target=make, daemon=True).start()


def compile_all() -> int:
    """Compile every loop of the core, where its cache does not have it; answers how many there are."""
    package = importlib.import_module("yuplet")
    for module in pkgutil.walk_packages(package.__path__, "yuplet."):
        if not module.name.endswith("__main__"):
            importlib.import_module(module.name)
    for one in _all:
        one.made()
    return len(_all)


if __name__ == "__main__":
    # The module that others import is another one than this.
    importlib.import_module("yuplet.compiled").compile_all()
