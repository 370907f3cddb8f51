"""Django's test runner, with tests that are timed, in one process or in several."""

from typing import Any
from unittest import TestCase

from django.test.runner import DiscoverRunner, ParallelTestSuite, RemoteTestResult, RemoteTestRunner

from timed_tests import Result, Timed


class _RemoteResult(Timed, RemoteTestResult):
    def addSubTest(self, test: TestCase, subtest: TestCase, err: Any) -> None:
        """Tell a part of a test that failed as the test itself: the part holds the whole test, browser and all, which cannot be sent to
        another process, and the run would end there.
        """
        if err is None:
            return
        kind, error, _ = err
        error.add_note(f"in {subtest}")
        (self.addFailure if issubclass(kind, test.failureException) else self.addError)(test, err)


class _RemoteRunner(RemoteTestRunner):
    resultclass = _RemoteResult


class _Parallel(ParallelTestSuite):
    runner_class = _RemoteRunner


class Runner(DiscoverRunner):
    parallel_test_suite = _Parallel

    def get_resultclass(self) -> type[Any] | None:
        # Where there are several processes each times its own; here their events only come in afterwards.
        return super().get_resultclass() or (Result if self.parallel < 2 else None)
