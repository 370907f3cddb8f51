"""`python -m yuplet`, and the command `yuplet`."""

import sys

from yuplet.command_line.running import main as main

if __name__ == "__main__":
    sys.exit(main())
