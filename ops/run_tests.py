"""Every check and every test in one run, with a database of its own under var/test; ends with one line of figures."""

import os
import re
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from database import ROOT, CannotStart, Database, say
from timed_tests import TIMES, slowest

PYTHON = sys.executable
BIN = Path(PYTHON).parent
STAGES = ("checks", "core", "server", "browser", "studio")
SHARES = 6
"""Into which the tests of the core are divided."""
MOST = 25 * 60
"""Seconds for one run of tests: one that hangs is a failure that is told, not a machine that waits."""


@dataclass(frozen=True)
class Outcome:
    """What one command came to; `bad` are the names of the tests that failed, as the test runner takes them."""

    passed: int
    failed: int
    bad: tuple[str, ...] = ()


CHECKS: dict[str, tuple[str, list[str]]] = {
    "ruff": (".", [str(BIN / "ruff"), "check"]),
    "ruff format": (".", [str(BIN / "ruff"), "format", "--check"]),
    "mypy, core": (".", [str(BIN / "mypy")]),
    "mypy, server": ("server", [str(BIN / "mypy"), "--config-file=mypy.ini"]),
    "import contracts": (".", [str(BIN / "lint-imports"), "--cache-dir", "var/import-linter"]),
    "biome": ("web", ["npx", "--no-install", "biome", "check", "--error-on-warnings"]),
    "words": ("web", ["node", "words.mjs"]),
    "tsc": ("web", ["npx", "--no-install", "tsc", "--noEmit"]),
}


def main() -> int:
    wanted = sys.argv[1:] or list(STAGES)
    unknown = sorted(set(wanted) - set(STAGES))
    if unknown:
        print(f"yuplet: There is no stage '{unknown[0]}'. The stages are {', '.join(STAGES)}.", file=sys.stderr)
        return 2
    database = Database(ROOT / "var" / "test", is_kept=False)
    environment = {
        **database.environment(),
        "DJANGO_ALLOW_ASYNC_UNSAFE": "true",
        # Tests see what happens where they run; those of the processes beside start these with a 1.
        "YUPLET_APART": "0",
        "PYTHONFAULTHANDLER": "1",
        "PYTHONPATH": os.pathsep.join(str(ROOT / folder) for folder in ("core/src", "server", "demo", "ops")),
        TIMES: str(ROOT / "var" / "test" / "times"),
    }
    Path(environment[TIMES]).parent.mkdir(parents=True, exist_ok=True)
    Path(environment[TIMES]).write_text("")
    outcomes: list[Outcome] = []
    try:
        if "checks" in wanted:
            with ThreadPoolExecutor(2) as pool:
                outcomes += pool.map(lambda name: _check(name, *CHECKS[name], environment), CHECKS)
        if "core" in wanted:
            outcomes += _core_tests(environment)
        if {"server", "browser", "studio"} & set(wanted):
            database.start()
            manage = ["manage.py", "test", "--noinput", "--verbosity=1", "--testrunner=timed_django.Runner"]
            if "server" in wanted:
                outcomes.append(_tests("server", ROOT / "server", [*manage, "tests", "--parallel=3"], environment))
            if "browser" in wanted:
                # From the end: there are the longest, which would keep one process busy when the others are done.
                browser = [*manage, str(ROOT / "tests"), "--parallel=3", "--reverse", "--exclude-tag=studio"]
                outcomes.append(_alone(manage, _tests("browser", ROOT / "server", browser, environment), environment))
            if "studio" in wanted:
                # Nothing beside it: it is a dozen servers.
                studio = [*manage, str(ROOT / "tests" / "studio"), f"--top-level={ROOT}"]
                outcomes.append(_tests("studio", ROOT / "server", studio, environment))
    except CannotStart as error:
        print(f"yuplet: {error}", file=sys.stderr)
        outcomes.append(Outcome(0, 1))
    finally:
        database.stop()
    failed = sum(outcome.failed for outcome in outcomes)
    say("The slowest:")
    for line in slowest(environment[TIMES]):
        say(line)
    for name in sorted({name for outcome in outcomes for name in outcome.bad}):
        say(f"FAILED  {name}")
    say(f"{sum(outcome.passed for outcome in outcomes)} passed, {failed} failed")
    return 1 if failed else 0


def _check(name: str, folder: str, command: list[str], environment: Mapping[str, str]) -> Outcome:
    began = time.monotonic()
    run = subprocess.run(command, cwd=ROOT / folder, env=dict(environment), capture_output=True, text=True, check=False)
    say(f"{'passed' if run.returncode == 0 else 'FAILED'}  {name} ({time.monotonic() - began:.0f} s)")
    if run.returncode != 0:
        say(run.stdout + run.stderr)
        return Outcome(0, 1)
    return Outcome(1, 0)


def _core_tests(environment: Mapping[str, str]) -> list[Outcome]:
    """The tests of the core in two processes at a time, so that neither has much to do when the other is done."""
    modules = sorted((ROOT / "core" / "tests").rglob("test_*.py"), key=lambda path: -path.stat().st_size)
    names = [".".join(path.relative_to(ROOT / "core").with_suffix("").parts) for path in modules]
    shares = {
        f"core, {number}": [str(ROOT / "ops" / "timed_tests.py"), *names[number - 1 :: SHARES]]
        for number in range(1, SHARES + 1)
    }
    with ThreadPoolExecutor(2) as pool:
        return list(pool.map(lambda name: _tests(name, ROOT / "core", shares[name], environment, False), shares))


def _alone(manage: Sequence[str], outcome: Outcome, environment: Mapping[str, str]) -> Outcome:
    """Run the few tests of the browser that failed once more, with nothing beside them; what fails twice has failed.

    Three browsers on two cores keep a machine so busy that a page may be waited for in vain. What passed only alone is told.
    """
    if not 0 < len(outcome.bad) <= outcome.failed <= _FEW:
        return outcome
    chosen = [f"-k={name}" for name in outcome.bad]
    again = _tests("browser, alone", ROOT / "server", [*manage, str(ROOT / "tests"), *chosen], environment)
    for name in sorted(set(outcome.bad) - set(again.bad)):
        say(f"passed only alone: {name}")
    return Outcome(outcome.passed + outcome.failed - again.failed, again.failed, again.bad)


_FEW = 3
"""Failures that may come from a busy machine; more are no chance."""


def _tests(
    name: str, folder: Path, arguments: list[str], environment: Mapping[str, str], is_told_at_once: bool = True
) -> Outcome:
    """Run tests and read the figures that unittest prints; a run that tells none, or ran none, is a failure.

    What several runs print beside each other is told when each is done.
    """
    say(f"-- {name} tests")
    began = time.monotonic()
    run = subprocess.Popen(
        [PYTHON, *arguments],
        cwd=folder,
        env=dict(environment),
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        start_new_session=True,
    )
    assert run.stdout is not None
    ending = threading.Timer(MOST, _end, [name, run])
    ending.daemon = True
    ending.start()
    lines = []
    try:
        for line in run.stdout:
            lines.append(line)
            if is_told_at_once:
                print(line, end="", flush=True)
        status = run.wait()
    except KeyboardInterrupt:
        os.killpg(run.pid, signal.SIGINT)
        raise
    finally:
        ending.cancel()
    text = "".join(lines)
    if not is_told_at_once:
        print(text, end="", flush=True)
    ran = re.findall(r"^Ran (\d+) tests? in", text, re.MULTILINE)
    bad = sum(
        int(number) for number in re.findall(r"(?:failures|errors|unexpected successes)=(\d+)", "".join(lines[-5:]))
    )
    say(f"-- {name} tests took {time.monotonic() - began:.0f} s")
    if not ran or int(ran[-1]) == 0 or (status != 0 and bad == 0):
        return Outcome(0, 1)
    skipped = sum(int(number) for number in re.findall(r"skipped=(\d+)", "".join(lines[-5:])))
    names = re.findall(r"^(?:ERROR|FAIL): \w+ \(([\w.]+)\)", text, re.MULTILINE)
    return Outcome(int(ran[-1]) - bad - skipped, bad, tuple(dict.fromkeys(names)))


def _end(name: str, run: "subprocess.Popen[str]") -> None:
    """End a run of tests and everything that it has started, each telling where it stands."""
    say(f"FAILED  {name} tests: not done after {MOST / 60:.0f} minutes, ended")
    os.killpg(run.pid, signal.SIGABRT)
    time.sleep(5)
    with suppress(ProcessLookupError):
        os.killpg(run.pid, signal.SIGKILL)


if __name__ == "__main__":
    sys.exit(main())
