"""The queue on Redis (Debian's server, on a port of its own): Celery's own client finds what is sent, workers do it, and Redis may go and come back."""

import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from pathlib import Path
from typing import Any
from unittest import SkipTest, mock

import redis
from django.conf import settings
from django.db import connection
from django.test import TransactionTestCase
from django_tasks_db.models import DBTaskResult

from tests.cases import kept, make_project
from tests.test_jobs import wait_until
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs import celery_queue
from yuplet_server.jobs.models import Job, Worker
from yuplet_server.operations import health


class Redis:
    """A server of its own, which can be ended and started again."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        with socket.create_server(("127.0.0.1", 0)) as probe:
            self.port = probe.getsockname()[1]
        self.address = f"redis://127.0.0.1:{self.port}/0"
        self.client = redis.Redis(port=self.port)
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        command = [
            "redis-server",
            "--port",
            str(self.port),
            "--bind",
            "127.0.0.1",
            "--dir",
            str(self._folder),
            "--save",
            "",
        ]
        self._process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        wait_until(self._answers, 10)

    def end(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            self._process = None

    def _answers(self) -> bool:
        with suppress(redis.ConnectionError):
            return bool(self.client.ping())
        return False


class CeleryTests(TransactionTestCase):
    @classmethod
    def setUpClass(cls) -> None:
        if shutil.which("redis-server") is None:
            raise SkipTest("Redis is not there; Debian's package is redis-server")
        super().setUpClass()

    def setUp(self) -> None:
        self.project, self.users = make_project()
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.redis = Redis(Path(folder))
        self.addCleanup(self.redis.end)
        tasks = {"default": {**settings.TASKS["default"], "BACKEND": "yuplet_server.jobs.celery_queue.CeleryBackend"}}
        self.enterContext(self.settings(QUEUE=self.redis.address, TASKS=tasks))
        celery_queue.app.cache_clear()
        self.addCleanup(celery_queue.app.cache_clear)

    def worker(self, *arguments: str) -> "subprocess.Popen[bytes]":
        environment = {
            **os.environ,
            "YUPLET_DATABASE_NAME": connection.settings_dict["NAME"],
            "YUPLET_APART": "1",
            "YUPLET_QUEUE": self.redis.address,
        }
        command = [sys.executable, str(Path(settings.ROOT) / "server/manage.py"), "worker", *arguments]
        process = subprocess.Popen(command, env=environment, start_new_session=True, stderr=subprocess.DEVNULL)
        self.addCleanup(lambda: (process.kill(), process.wait()))
        return process

    def state(self, of: Any) -> str:
        return Job.objects.get(pk=of.revision.job_id).state

    def sent(self, lane: str) -> list[Any]:
        """What is in a queue, by Redis' own client."""
        return [json.loads(one) for one in self.redis.client.lrange(f"yuplet-{lane}", 0, -1)]

    def test_what_is_asked_for_is_sent_and_says_nothing_of_anybody(self) -> None:
        self.redis.start()
        kept(self.project)
        (one,) = self.sent("short")
        self.assertEqual((one["headers"]["task"], one["content-type"]), ("yuplet.task", "application/json"))
        self.assertEqual(DBTaskResult.objects.count(), 0)
        self.assertTrue(celery_queue.answers())
        self.assertEqual(health._queue(), "")

    def test_a_message_that_is_no_task_of_ours_does_nothing(self) -> None:
        for path in ("os.system", "yuplet_server.jobs.actions.shut_down", "yuplet_server.project.settings.VAR"):
            with self.subTest(path), self.assertLogs(celery_queue.log, "ERROR"), mock.patch("os.system") as done:
                celery_queue._run(path, ["true"], {})
                done.assert_not_called()
        self.assertFalse(jobs._shutting_down.is_set())

    def test_workers_do_it_and_one_that_ends_leaves_nothing_behind(self) -> None:
        self.redis.start()
        first, second = self.worker("--slots", "1"), self.worker("--lane", "short", "--slots", "1")
        some = [kept(self.project, f"{number}.ora") for number in range(4)]
        wait_until(lambda: all(self.state(one) == Job.State.DONE for one in some), 90)
        wait_until(lambda: Worker.objects.count() == 2, 20)
        for process in (first, second):
            process.send_signal(signal.SIGTERM)
            process.wait(20)
        self.assertEqual(Worker.objects.count(), 0, "both have said that they are gone")

    def test_redis_goes_and_comes_back_and_nothing_is_lost(self) -> None:
        self.redis.start()
        self.worker("--slots", "1")
        wait_until(lambda: Worker.objects.exists(), 60)
        self.redis.end()
        began = time.monotonic()
        with self.assertLogs(celery_queue.log, "WARNING"):
            asked = kept(self.project)
        self.assertLess(time.monotonic() - began, 10, "nobody waits for a queue that is away")
        self.assertEqual(self.state(asked), Job.State.WAITING)
        self.assertIn("does not answer", health._queue())
        self.redis.start()
        wait_until(lambda: self.state(asked) == Job.State.DONE, 90)
