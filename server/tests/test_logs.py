"""What is written down of requests and faults: with numbers, without words by which somebody could come in, and not for ever."""

import json
import logging
import logging.config
import tempfile
from pathlib import Path
from typing import Any
from unittest import mock

from django.conf import settings
from django.test import Client

from tests.cases import ServerTestCase
from yuplet_server.base import logs


class LogTests(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "log.jsonl"
        described = settings.LOGGING
        formatter = logging.config.DictConfigurator(described).configure_formatter(
            dict(described["formatters"]["lines"])
        )  # type: ignore[attr-defined]
        self.handler = logging.FileHandler(self.path)
        self.handler.addFilter(logs.OfRequest())
        self.handler.setFormatter(formatter)
        self.addCleanup(self.handler.close)
        for name in ("yuplet.requests", "yuplet_server", "django.request"):
            logger = logging.getLogger(name)
            logger.addHandler(self.handler)
            self.addCleanup(logger.removeHandler, self.handler)

    def lines(self) -> list[dict[str, Any]]:
        return [json.loads(line) for line in self.path.read_text().splitlines()]

    def test_each_request_has_a_number_that_its_answer_has_too(self) -> None:
        answers = [self.ada.get("/api/projects"), Client().get("/api/nowhere")]
        first, second = self.lines()
        self.assertEqual([one["request"] for one in (first, second)], [one["X-Request-Id"] for one in answers])
        self.assertNotEqual(first["request"], second["request"])
        self.assertEqual(
            (first["method"], first["route"], first["status"], first["account"], first["level"], first["of"]),
            ("GET", "api/projects", 200, self.users["ada"].pk, "INFO", "yuplet.requests"),
        )
        self.assertEqual((second["route"], second["account"]), (None, None))
        self.assertRegex(first["at"], r"^\d{4}-\d\d-\d\d \d\d:\d\d")

    def test_a_fault_has_the_number_of_its_request(self) -> None:
        client = Client(raise_request_exception=False)
        client.force_login(self.users["ada"])
        with mock.patch("yuplet_server.projects.queries.projects_of", side_effect=RuntimeError("a mistake of ours")):
            answer = client.get("/api/projects")
        self.assertEqual(answer.status_code, 500)
        self.assertIn(f"fault {answer['X-Request-Id']}.", answer.json()["detail"])
        fault = next(line for line in self.lines() if "fault" in line["message"])
        self.assertEqual(fault["request"], answer["X-Request-Id"])
        self.assertIn("a mistake of ours", fault["exc_info"])

    def test_words_of_links_are_not_written_down(self) -> None:
        word = "Word-that_nobody-may-read"
        Client().get(f"/api/come-in/{word}")
        Client().get(f"/api/received/{word}/picture")
        Client().get(f"/receive/{word}")
        for address in (f"/api/received/{word}", f"/come-in/{word}?x=1"):
            logging.getLogger("django.request").error("Internal Server Error: %s", address)
        said = self.path.read_text()
        self.assertNotIn(word, said)
        self.assertIn("/api/received/...", said)

    def test_a_large_log_is_put_aside_and_the_oldest_forgotten(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        log = folder / "yuplet.jsonl"
        logs._begin_anew(log)
        log.write_text("little")
        logs._begin_anew(log)
        self.assertEqual([path.name for path in folder.iterdir()], ["yuplet.jsonl"])
        with mock.patch.object(logs, "LARGEST", 3):
            for number in range(7):
                log.write_text(f"run {number}")
                logs._begin_anew(log)
        kept = {path.name: path.read_text() for path in folder.iterdir()}
        self.assertEqual(kept, {f"yuplet.jsonl.{at}": f"run {7 - at}" for at in range(1, 6)})
