"""What others do is told as it happens: by streams of several processes, to those who may see it, and to nobody else."""

import asyncio
import json
import time
from contextlib import suppress
from datetime import timedelta
from typing import Any
from unittest import mock

from asgiref.sync import sync_to_async
from django.contrib.sessions.models import Session
from django.db import OperationalError
from django.test import AsyncClient, Client, TransactionTestCase, override_settings
from django.utils import timezone

from tests.cases import brought_in, make_project
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.events import hub, queries
from yuplet_server.events.models import Here
from yuplet_server.projects.models import Member


class Page:
    """Takes what is told, as a task of its own that ends when the page is left: so a server does it."""

    def __init__(self, answer: Any) -> None:
        self.answer = answer
        self._told: asyncio.Queue[dict[str, Any]] = asyncio.Queue()
        self.task = asyncio.create_task(self._take())

    async def _take(self) -> None:
        async for piece in self.answer:
            if piece.startswith(b"data: "):
                await self._told.put(json.loads(piece.removeprefix(b"data: ")))

    async def told(self, seconds: float = 3) -> dict[str, Any]:
        """The next thing that is told."""
        async with asyncio.timeout(seconds):
            return await self._told.get()

    async def leave(self) -> None:
        self.task.cancel()
        with suppress(asyncio.CancelledError):
            await self.task


@override_settings(ROOT_URLCONF="yuplet_server.project.stream_urls")
class EventsTests(TransactionTestCase):
    def setUp(self) -> None:
        self.project, self.users = make_project()
        self.illustration = brought_in(self.project)
        self.address = f"/api/illustrations/{self.illustration.pk}/events"
        # One for each test: it belongs to the loop in which it runs.
        self.pages: list[Page] = []
        self.enterContext(mock.patch("yuplet_server.events.views.HUB", hub.Hub()))

    async def opened(self, name: str) -> Any:
        client = AsyncClient()
        await client.aforce_login(self.users[name])
        return await client.get(self.address)

    async def page(self, name: str) -> Page:
        page = Page(await self.opened(name))
        self.pages.append(page)
        return page

    async def leave_all(self) -> None:
        for page in self.pages:
            await page.leave()

    async def test_a_step_of_somebody_is_told_within_a_second(self) -> None:
        ada = await self.page("ada")
        self.assertEqual((ada.answer.status_code, ada.answer["Content-Type"]), (200, "text/event-stream"))
        first = await ada.told()
        self.assertEqual((first["arrangement"], first["here"]), (1, ["ada"]))
        began = time.monotonic()
        await Arrangement.objects.filter(pk=self.illustration.pk).aupdate(version=2)
        self.assertEqual((await ada.told())["arrangement"], 2)
        self.assertLess(time.monotonic() - began, 1)
        await self.leave_all()

    async def test_who_is_there_is_seen_across_processes(self) -> None:
        """Another hub is another process: nothing but the database is between them."""
        ada = await self.page("ada")
        self.assertEqual((await ada.told())["here"], ["ada"])
        with mock.patch("yuplet_server.events.views.HUB", hub.Hub()):
            ben = await self.page("ben")
        self.assertEqual((await ben.told())["here"], ["ada", "ben"])
        self.assertEqual((await ada.told())["here"], ["ada", "ben"])
        await ben.leave()
        self.assertEqual((await ada.told())["here"], ["ada"])
        await self.leave_all()
        # A process that was killed takes nobody's leave.
        long_ago = timezone.now() - timedelta(minutes=5)
        await Here.objects.acreate(illustration=self.illustration, user=self.users["cleo"], seen_at=long_ago)
        found = await sync_to_async(queries.states)([self.illustration.pk])
        self.assertEqual(found[self.illustration.pk]["here"], [])

    async def test_strangers_hear_nothing(self) -> None:
        self.assertEqual((await self.opened("dora")).status_code, 404)
        self.assertEqual((await AsyncClient().get(self.address)).status_code, 403)
        self.assertEqual(await Here.objects.acount(), 0)

    async def test_whoever_may_look_no_more_hears_nothing_more(self) -> None:
        async def disable() -> None:
            await User.objects.filter(username="cleo").aupdate(is_active=False)

        for what, name, end in (
            ("no member", "ben", Member.objects.filter(user=self.users["ben"]).adelete),
            ("disabled", "cleo", disable),
            ("signed out", "ada", Session.objects.all().adelete),
        ):
            with self.subTest(what), mock.patch.object(hub, "CHECK", 0.5):
                page = await self.page(name)
                await page.told()
                await end()
                async with asyncio.timeout(5):
                    await page.task

    async def test_there_are_limits(self) -> None:
        with mock.patch.object(hub, "MOST_EACH", 1):
            ada = await self.page("ada")
            await ada.told()
            self.assertEqual((await self.opened("ada")).status_code, 503)
            await (await self.page("ben")).told()
            await ada.leave()
            await (await self.page("ada")).told()
        await self.leave_all()

    async def test_a_database_that_is_away_is_asked_again(self) -> None:
        ada = await self.page("ada")
        await ada.told()
        with mock.patch.object(queries, "states", side_effect=OperationalError), self.assertLogs(hub.log, "WARNING"):
            await asyncio.sleep(1)
        await Arrangement.objects.filter(pk=self.illustration.pk).aupdate(version=7)
        self.assertEqual((await ada.told())["arrangement"], 7)
        await self.leave_all()


class NoStreamsTests(TransactionTestCase):
    def test_a_process_that_answers_requests_holds_none(self) -> None:
        project, users = make_project()
        illustration = brought_in(project)
        client = Client()
        client.force_login(users["cleo"])
        self.assertEqual(client.get(f"/api/illustrations/{illustration.pk}/events").status_code, 204)
