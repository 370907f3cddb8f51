"""`python -m yuplet`, and the command `yuplet`."""

import os
import sys

from yuplet.command_line.running import INTERRUPTED
from yuplet.command_line.running import main as main


def run() -> None:
    """Run the command of this process and end it at once: taking down what numba has loaded takes longer than many commands."""
    try:
        status = main()
    except KeyboardInterrupt:
        # It came when all was done, or before anything was begun.
        status = INTERRUPTED
    if "multiprocessing" in sys.modules and sys.modules["multiprocessing"].active_children():
        sys.exit(status)  # which ends these as well
    for stream in (sys.stdout, sys.stderr):
        stream.flush()
    os._exit(status)


if __name__ == "__main__":
    run()
