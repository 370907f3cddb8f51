"""What the process has loaded that others are forked from: the project, and the core with its compiled loops.

It is imported there and nowhere else: it ends when whoever started it ends.
"""

import ctypes
import signal

import django

ctypes.CDLL(None).prctl(1, signal.SIGKILL)  # PR_SET_PDEATHSIG
django.setup()

from django.urls import get_resolver  # noqa: E402

from yuplet.compiled import compile_all  # noqa: E402

compile_all()
VIEWS = get_resolver().url_patterns  # and so all that can be asked for
