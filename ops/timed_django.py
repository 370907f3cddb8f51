"""Django's test runner, with tests that are timed, in one process or in several."""

from typing import Any

from django.test.runner import DiscoverRunner, ParallelTestSuite, RemoteTestResult, RemoteTestRunner

from timed_tests import Result, Timed


class _RemoteResult(Timed, RemoteTestResult):
    pass


class _RemoteRunner(RemoteTestRunner):
    resultclass = _RemoteResult


class _Parallel(ParallelTestSuite):
    runner_class = _RemoteRunner


class Runner(DiscoverRunner):
    parallel_test_suite = _Parallel

    def get_resultclass(self) -> type[Any] | None:
        # Where there are several processes each times its own; here their events only come in afterwards.
        return super().get_resultclass() or (Result if self.parallel < 2 else None)
