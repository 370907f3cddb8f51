"""Running a command: what is told of errors, and how it ends."""

import os
import signal
import sys
from types import FrameType

from yuplet.command_line.parser import parser
from yuplet.errors import EditedSince, StoppedByFindings, YupletError

NOT_RIGHT, WRONG, TO_DECIDE = 1, 2, 3
"""A package or a picture is not right; an error; a decision is somebody's to take."""
INTERRUPTED, CLOSED, ENDED = 130, 141, 143
"""As shells tell it: 128 and the number of the signal."""


class Ended(SystemExit):
    """Somebody ends the process (SIGTERM): what was begun is cleared away on the way out."""

    def __init__(self) -> None:
        super().__init__(ENDED)


def main(arguments: list[str] | None = None) -> int:
    """Run a command; answers the exit status (docs/guide/command-line.md)."""
    options = parser().parse_args(arguments)
    before = end_by_signal()
    try:
        status: int = options.run(options)
        sys.stdout.flush()
    except BrokenPipeError:
        # Who reads has seen enough. What is left in the buffer goes nowhere, without a word at the end of the process.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return CLOSED
    except KeyboardInterrupt:
        print("Stopped. Nothing half-made was kept.", file=sys.stderr)
        return INTERRUPTED
    except Ended:
        return ENDED
    except Exception as error:
        told = status_of(error)
        if told is None:
            raise
        print(sentence_of(error), file=sys.stderr)
        return told
    finally:
        if before is not None:
            signal.signal(signal.SIGTERM, before)
    return status


def status_of(error: Exception) -> int | None:
    """The exit status that an error stands for; None for one of ours."""
    if isinstance(error, EditedSince | StoppedByFindings):
        return TO_DECIDE
    return WRONG if isinstance(error, YupletError | OSError) else None


def sentence_of(error: Exception) -> str:
    """What is told of it."""
    if isinstance(error, EditedSince):
        return "\n".join([str(error), *error.files, "To go on, add --overwrite."])
    if isinstance(error, OSError):
        return f"{error.filename or 'The file'}: {error.strerror}. Check the name, the rights and the room on the disk."
    return str(error)


def end_by_signal() -> "signal._HANDLER":
    """Let SIGTERM raise `Ended`; answers what it did before."""

    def end(_number: int, _frame: FrameType | None) -> None:
        raise Ended

    try:
        return signal.signal(signal.SIGTERM, end)
    except ValueError:
        return None  # not the main thread of a process: whoever runs it ends it
