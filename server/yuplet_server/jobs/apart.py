"""Heavy or hostile work in processes of their own, which can be stopped at any moment.

They are forked from one that is warm (Python's own fork server with the project and the core loaded, `forked`), so that work does not
pay for starting up. Each has limits for time, computing and memory; whoever asked can end it at once, and so does the end of whoever asked.
Docs: docs/security.md has the limits and their settings.
"""

import atexit
import ctypes
import multiprocessing
import os
import pickle
import resource
import signal
import threading
import time
import traceback
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, ParamSpec, TypeVar, cast

from django.conf import settings
from django.db import close_old_connections, connection, connections

from yuplet.errors import Cancelled, YupletError
from yuplet_server.jobs.asked import is_waiting

P = ParamSpec("P")
T = TypeVar("T")

_WAIT = 0.05
"""Seconds between two looks at whether the work is to be stopped."""
_PATIENCE = 30.0
"""Seconds for which a question waits for a process that is free."""
_FINISHED = 1.0
"""Seconds in which a question is answered although nobody waits for it any more: what was decoded for it serves the next one."""
_MOST_QUESTIONS = 500
"""Questions after which a process is replaced by a new one, so that no leak of a library grows."""
_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG of Linux, <sys/prctl.h>

Report = Callable[..., None]


@dataclass(frozen=True, slots=True)
class Limits:
    """How much one piece of work may take: `seconds` in all, `cpu` seconds of computing (of all its threads), `memory` in bytes beside
    what a warm process has."""

    seconds: float
    cpu: float
    memory: float
    yields: int = 0
    """How much it leaves the cores to others (nice, 0 to 19)."""


def for_jobs() -> Limits:
    """The limits of one job."""
    # Whoever waits for a click goes first.
    return Limits(**settings.JOB_LIMITS, yields=15)


def for_questions() -> Limits:
    """The limits of one question that somebody waits for."""
    return Limits(**settings.QUESTION_LIMITS)


class TookTooMuch(YupletError):
    """Work went beyond its limits, or ended its process."""

    code = "took-too-much"


class Busy(YupletError):
    """All processes that answer questions have something to do."""

    code = "busy"

    def __init__(self) -> None:
        super().__init__("The server is busy right now. Nothing was changed. Try again in a moment.")


class _Fault(Exception):
    """Something unforeseen in the other process; the text is its traceback."""


class Apart:
    """One process that does pieces of work, one after the other, within limits."""

    def __init__(self, limits: Limits) -> None:
        self._limits = limits
        self._pipe, other = _context().Pipe()
        self._process = _context().Process(target=_serve, args=(other, limits), daemon=True)
        self._process.start()
        other.close()
        self.done = 0

    def __enter__(self) -> "Apart":
        return self

    def __exit__(self, *_: object) -> None:
        self.end()

    def call(
        self,
        function: Callable[..., T],
        *arguments: Any,
        report: Report | None = None,
        wanted: Callable[[], bool] = lambda: True,
    ) -> T:
        """Do a piece of work; raises what it raises, or `TookTooMuch`, or `Cancelled` when it takes long and is no longer `wanted`.

        With `report` the function gets one more argument, to tell how far it is: what it says comes to `report` here. `report` is also called
        without arguments, often: what it raises ends the work at once.
        """
        try:
            self._pipe.send((function, arguments, report is not None))
        except ConnectionError:
            raise self._ended() from None
        began = time.monotonic()
        while True:
            if self._pipe.poll(_WAIT):
                try:
                    kind, value = self._pipe.recv()
                except (EOFError, ConnectionError):
                    raise self._ended() from None
                if kind == "report" and report is not None:
                    report(*value)
                elif kind == "answer":
                    self.done += 1
                    return cast(T, value)
                elif kind == "error":
                    self.done += 1
                    error = _error_again(value)
                    raise _too_much_memory(self._limits) if isinstance(error, MemoryError) and self.done == 1 else error
            elif report is not None:
                report()
            taken = time.monotonic() - began
            if taken > _FINISHED and not wanted():
                self.end()
                raise Cancelled
            if taken > self._limits.seconds:
                self.end()
                raise TookTooMuch(
                    f"This took more than {self._limits.seconds:g} seconds and was stopped. Nothing was changed. Make the file simpler or smaller."
                )

    @property
    def is_there(self) -> bool:
        """Whether it can be asked: the system may have ended it while it had nothing to do."""
        return bool(self._process.is_alive())

    def end(self) -> None:
        """End the process at once, whatever it does."""
        with suppress(OSError):
            self._pipe.close()
        if self._process.is_alive():
            self._process.kill()
        self._process.join(5)

    def _ended(self) -> TookTooMuch:
        self._process.join(5)
        code = -(self._process.exitcode or 0)
        self.end()
        if code == signal.SIGXCPU:
            said = f"This took more than {self._limits.cpu:g} seconds of computing and was stopped."
        elif code in (signal.SIGABRT, signal.SIGKILL):
            said = f"This needs more memory than the {self._limits.memory / 2**30:g} GiB that it may take, and was stopped."
        else:
            said = "The work ended before it was finished: what it read is damaged in a way that no reader expects."
        return TookTooMuch(f"{said} Nothing was changed. Make the file simpler or smaller.")


class _Pool:
    """Processes that answer questions, so many at once; what a process has decoded stays in it for the next question."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._free: list[tuple[object, Apart]] = []
        self._slots = threading.BoundedSemaphore(settings.QUESTION_PROCESSES)

    def ask(self, key: object, function: Callable[..., T], *arguments: Any) -> T:
        """Answer a question in a process that has answered one of the same key, where one is free."""
        if not self._slots.acquire(timeout=_PATIENCE):
            raise Busy
        try:
            apart = self._take(key)
            try:
                try:
                    answer = apart.call(function, *arguments, wanted=is_waiting)
                except MemoryError:
                    # It may be what earlier questions left there.
                    apart.end()
                    apart = self._new()
                    answer = apart.call(function, *arguments, wanted=is_waiting)
            except (TookTooMuch, MemoryError, Cancelled, _Fault):
                apart.end()
                raise
            except BaseException:
                self._give(key, apart)
                raise
            self._give(key, apart)
            return answer
        finally:
            self._slots.release()

    def _take(self, key: object) -> Apart:
        with self._lock:
            self._free = [(known, one) for known, one in self._free if one.is_there]
            for at, (known, _) in enumerate(self._free):
                if known == key:
                    return self._free.pop(at)[1]
            if len(self._free) >= settings.QUESTION_PROCESSES:
                return self._free.pop(0)[1]
        return self._new()

    def _new(self) -> Apart:
        return Apart(for_questions())

    def _give(self, key: object, apart: Apart) -> None:
        if apart.done >= _MOST_QUESTIONS:
            apart.end()
            return
        with self._lock:
            self._free.append((key, apart))
            surplus = [self._free.pop(0)[1] for _ in range(len(self._free) - settings.QUESTION_PROCESSES)]
        for one in surplus:
            one.end()

    def end(self) -> None:
        """End all of them."""
        with self._lock:
            free, self._free = self._free, []
        for _, apart in free:
            apart.end()


_pool: _Pool | None = None
_pool_lock = threading.Lock()


def ask(key: object, function: Callable[P, T], *arguments: P.args, **named: P.kwargs) -> T:
    """Answer a question in another process, within the limits for questions; in this one where the settings say so (tests), or in the
    middle of a transaction.

    Function, arguments and answer travel from process to process. Raises what the function raises, `TookTooMuch` or `Busy`.
    """
    # What a transaction has changed is not seen by others until it ends.
    if not settings.APART or connection.in_atomic_block:
        return function(*arguments, **named)
    global _pool
    with _pool_lock:
        if _pool is None:
            _pool = _Pool()
            atexit.register(_pool.end)
    return cast(T, _pool.ask(key, _named, function, arguments, named))


def _named(function: Callable[..., Any], arguments: tuple[Any, ...], named: dict[str, Any]) -> Any:
    return function(*arguments, **named)


def end() -> None:
    """End the processes that answer questions, and the one that they are forked from: the next question starts new ones."""
    from multiprocessing import forkserver

    global _pool
    with _pool_lock:
        pool, _pool = _pool, None
    if pool is not None:
        pool.end()
    # It ends when the last that it was the start of has ended.
    forkserver._forkserver._stop()  # type: ignore[attr-defined]


def warm() -> None:
    """Start the process that others are forked from; to be called by the main thread, since it ends with the thread that started it."""
    from multiprocessing import forkserver

    _context()
    forkserver.ensure_running()


def _context() -> Any:
    context = multiprocessing.get_context("forkserver")
    server = str(Path(settings.ROOT) / "server")
    if server not in os.environ.get("PYTHONPATH", "").split(os.pathsep):
        os.environ["PYTHONPATH"] = os.pathsep.join(filter(None, (server, os.environ.get("PYTHONPATH", ""))))
    context.set_forkserver_preload(["yuplet_server.jobs.forked"])
    return context


def _serve(pipe: Connection, limits: Limits) -> None:
    """The other process: it does what it is asked until the pipe is closed."""
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    ctypes.CDLL(None).prctl(_DEATH_SIGNAL, signal.SIGKILL)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    os.nice(limits.yields)
    _limit_memory(limits.memory)
    connections.close_all()
    while True:
        try:
            function, arguments, is_reporting = pipe.recv()
        except (EOFError, ConnectionError):
            return
        _limit_computing(limits.cpu)
        close_old_connections()
        pipe.send(_outcome(function, arguments, _reporter(pipe) if is_reporting else None))
        close_old_connections()


def _outcome(function: Callable[..., Any], arguments: tuple[Any, ...], report: Report | None) -> tuple[str, Any]:
    try:
        answer = function(*arguments) if report is None else function(*arguments, report)
        pickle.dumps(answer)
        return "answer", answer
    except MemoryError:
        return "error", (MemoryError, (), {})
    except Exception as error:
        if type(error).__name__ == "error" and "Insufficient memory" in str(error):  # OpenCV's
            return "error", (MemoryError, (), {})
        described = (type(error), error.args, {**error.__dict__})
        try:
            pickle.dumps(described)
        except Exception:
            return "error", (_Fault, ("".join(traceback.format_exception(error)),), {})
        error.add_note("".join(traceback.format_tb(error.__traceback__)))
        return "error", (*described[:2], {**described[2], "__notes__": error.__notes__})


def _error_again(described: tuple[type[Exception], tuple[Any, ...], dict[str, Any]]) -> Exception:
    """An error as it was raised in the other process, whatever its class wants when it is made."""
    kind, arguments, rest = described
    error = kind.__new__(kind, *arguments)
    error.args = arguments
    error.__dict__.update(rest)
    return error


def _too_much_memory(limits: Limits) -> TookTooMuch:
    return TookTooMuch(
        f"This needs more memory than the {limits.memory / 2**30:g} GiB that it may take, and was stopped. Nothing was changed."
        " Make the file simpler or smaller."
    )


def _reporter(pipe: Connection) -> Report:
    """Tell how far the work is, not more often than it is read."""
    last = [0.0]

    def report(*said: Any) -> None:
        now = time.monotonic()
        if now - last[0] >= _WAIT:
            last[0] = now
            pipe.send(("report", said))

    return report


def _limit_memory(more: float) -> None:
    pages = int(Path("/proc/self/statm").read_text().split()[5])
    most = pages * resource.getpagesize() + int(more)
    resource.setrlimit(resource.RLIMIT_DATA, (most, most))


def _limit_computing(seconds: float) -> None:
    used = resource.getrusage(resource.RUSAGE_SELF)
    # The limit is of all that the process has computed so far.
    resource.setrlimit(resource.RLIMIT_CPU, (int(used.ru_utime + used.ru_stime + seconds) + 1, resource.RLIM_INFINITY))
