"""Signing in and out, passwords, slowing down those who guess, and names of accounts."""

import datetime
import re
from io import StringIO
from typing import Any
from unittest import mock

from django.contrib.auth.hashers import make_password
from django.core.management import CommandError, call_command
from django.db import transaction
from django.test import Client, override_settings
from django.utils import timezone

from tests.cases import PASSWORD, ServerTestCase
from yuplet_server.accounts import limits
from yuplet_server.accounts.models import Attempts, User
from yuplet_server.accounts.names import looks
from yuplet_server.project.settings import PASSWORD_HASHERS
from yuplet_server.projects import actions as projects


class SessionTests(ServerTestCase):
    def sign_in(self, client: Client, name: str = "ada", password: str = PASSWORD, **headers: str) -> int:
        body = {"username": name, "password": password}
        return client.post("/api/session", body, content_type="application/json", headers=headers).status_code

    def test_in_and_out(self) -> None:
        client = Client()
        self.assertEqual(
            client.get("/api/session").json(),
            {"user": None, "picture_bytes": 512 * 2**20, "can_mail": False, "service": None},
        )
        self.assertEqual(self.sign_in(client), 200)
        self.assertEqual(client.get("/api/session").json()["user"]["username"], "ada")
        self.assertEqual(client.delete("/api/session").status_code, 204)
        self.assertEqual(client.get("/api/projects").status_code, 403)

    @override_settings(PASSWORD_HASHERS=PASSWORD_HASHERS)
    def test_passwords_of_earlier_versions_are_kept_in_the_new_way(self) -> None:
        old = make_password(PASSWORD, hasher="pbkdf2_sha256")
        User.objects.filter(username="ada").update(password=old)
        self.assertEqual(self.sign_in(Client(), password="wrong"), 422)
        self.assertEqual(User.objects.get(username="ada").password, old)
        self.assertEqual(self.sign_in(Client()), 200)
        # The least that OWASP asks for: 19 MiB, two rounds, one lane.
        self.assertTrue(User.objects.get(username="ada").password.startswith("argon2$argon2id$v=19$m=19456,t=2,p=1$"))
        self.assertEqual(self.sign_in(Client()), 200)

    def test_of_two_at_the_same_moment_the_one_that_is_written_down_later_is_not_refused(self) -> None:
        limits.count(["address:two"])
        Attempts.objects.filter(key="address:two").update(last=timezone.now() + datetime.timedelta(seconds=1))
        limits.count(["address:two"])
        self.assertEqual(Attempts.objects.get(key="address:two").count, 2)

    def test_many_who_sign_in_at_the_same_moment_from_one_address(self) -> None:
        limits.count(["address:one"])
        found = Attempts.objects.filter(key="address:one")
        with mock.patch.object(limits, "KINDS", {**limits.KINDS, "address": limits.Kind(50, 60, 15)}):
            for _ in range(39):
                limits.count(["address:one"])
        for left in range(39, -1, -1):
            limits.forget(["address:one"])
            self.assertEqual(found.get().count, left)
        limits.forget(["address:one"])
        self.assertEqual(found.get().count, 0)

    def test_a_wrong_password_says_no_more_than_that(self) -> None:
        client = Client()
        answers = [
            client.post("/api/session", {"username": name, "password": "wrong"}, content_type="application/json")
            for name in ("ada", "nobody")
        ]
        self.assertEqual([answer.status_code for answer in answers], [422, 422])
        self.assertEqual(answers[0].json(), answers[1].json())

    def tries(self, count: int, client: Client | None = None, **said: str) -> list[int]:
        """So many wrong tries at the same moment; that they are wrong need not be computed."""
        with (
            mock.patch("yuplet_server.accounts.actions.authenticate", return_value=None),
            mock.patch("yuplet_server.accounts.limits.timezone.now", return_value=timezone.now()),
        ):
            return [self.sign_in(client or Client(), **{"password": "guess", **said}) for _ in range(count)]

    def try_the_right_one(self) -> Any:
        body = {"username": "ada", "password": PASSWORD}
        return Client().post("/api/session", body, content_type="application/json")

    def test_whoever_guesses_waits_longer_each_time_and_the_owner_never_long(self) -> None:
        known = Client()
        self.assertEqual(self.sign_in(known), 200)
        known.delete("/api/session")
        self.assertEqual(self.tries(7), [*[422] * 5, 429, 429])
        Attempts.objects.filter(key__startswith="account:").update(count=7)
        answer = self.try_the_right_one()
        self.assertEqual(answer.status_code, 429)
        self.assertIn(int(answer.headers["Retry-After"]), range(1, 5))
        self.assertRegex(answer.json()["detail"], r"Try again in \d seconds?\.")
        with self.subTest("from a browser that is known the owner does not wait at all"):
            self.assertEqual(self.sign_in(known), 200)
        with self.subTest("elsewhere not longer than half a minute, however much is guessed"):
            Attempts.objects.filter(key__startswith="account:").update(count=1000, last=timezone.now())
            self.assertLessEqual(int(self.try_the_right_one().headers["Retry-After"]), 30)
            Attempts.objects.update(last=timezone.now() - datetime.timedelta(seconds=31))
            self.assertEqual(self.try_the_right_one().status_code, 200)
        self.assertEqual(self.sign_in(Client(), name="ben"), 200)

    def test_one_password_over_many_names_waits_too(self) -> None:
        found = [self.tries(1, name=f"somebody {number}")[0] for number in range(60)]
        self.assertEqual(found, [422] * 60)
        Attempts.objects.filter(key__startswith="address:").update(last=timezone.now(), count=65)
        self.assertEqual(self.tries(1, name="somebody else"), [429])

    def test_many_tries_at_once_are_each_counted(self) -> None:
        keys = ["account:x"]
        for _ in range(5):
            limits.count(keys)
        with self.assertRaises(limits.TooManyAttempts):
            limits.count(keys)
        self.assertEqual(Attempts.objects.get(key="account:x").count, 5, "what was refused was not a try")

    def test_the_old_password_is_not_guessed_either(self) -> None:
        body = {"old_password": "guess", "new_password": "another-long-one"}
        with mock.patch.object(User, "check_password", return_value=False):
            found = [
                self.ada.post("/api/password", body, content_type="application/json").status_code for _ in range(7)
            ]
        self.assertEqual(found, [*[422] * 5, 429, 429])

    def test_the_administrator_reads_who_tried_from_where(self) -> None:
        with self.assertLogs("yuplet.signing-in") as logs:
            self.tries(1, name="ada")
            self.tries(1, name="a\nb")
        self.assertIn("account 'ada' from 127.0.0.1", logs.output[0])
        self.assertNotIn("\n", logs.output[1])

    def test_a_cookie_of_ones_own_making_helps_nobody(self) -> None:
        client = Client()
        client.cookies[limits.COOKIE] = "WyJhZGEiXQ:forged:signature"
        self.assertEqual(self.tries(6, client), [*[422] * 5, 429])

    def test_a_form_of_another_site_cannot_sign_in_or_change_anything(self) -> None:
        client = Client(enforce_csrf_checks=True)
        self.assertEqual(self.sign_in(client), 403)
        client.get("/api/session")
        token = client.cookies["csrftoken"].value
        self.assertEqual(self.sign_in(client, **{"X-CSRFToken": token}), 200)
        self.assertEqual(client.post(self.address("undo"), {}, content_type="application/json").status_code, 403)

    def test_changing_the_password_ends_other_sessions_and_keeps_this_one(self) -> None:
        here, elsewhere = Client(), Client()
        self.sign_in(here)
        self.sign_in(elsewhere)
        cases = {
            ("wrong", "reeds-and-fog-77"): "not right",
            (PASSWORD, "short"): "too short",
            (PASSWORD, "1234567890"): "common",
        }
        for (old, new), words in cases.items():
            answer = here.post(
                "/api/password", {"old_password": old, "new_password": new}, content_type="application/json"
            )
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["detail"])
        body = {"old_password": PASSWORD, "new_password": "reeds-and-fog-77"}
        self.assertEqual(here.post("/api/password", body, content_type="application/json").status_code, 204)
        self.assertEqual(here.get("/api/projects").status_code, 200)
        self.assertEqual(elsewhere.get("/api/projects").status_code, 403)
        self.assertEqual(self.sign_in(Client(), password="reeds-and-fog-77"), 200)


class PageTests(ServerTestCase):
    def test_every_page_forbids_what_it_does_not_need(self) -> None:
        answer = Client().get("/illustrations/1/hand-over")
        self.assertEqual(answer.status_code, 200)
        policy = answer.headers["Content-Security-Policy"]
        self.assertIn("default-src 'self'", policy)
        self.assertIn("frame-ancestors 'none'", policy)
        self.assertNotRegex(policy, r"unsafe-eval|https?:|script-src[^;]*unsafe-inline")
        self.assertEqual(answer.headers["X-Content-Type-Options"], "nosniff")

    def test_the_page_names_no_other_machine(self) -> None:
        text = Client().get("/").content.decode()
        self.assertEqual(re.findall(r"(?:src|href)=\"(?!/)[^\"]+", text), [])


class MemberTests(ServerTestCase):
    def set_role(self, name: str, role: str, status: int = 200) -> str:
        answer = self.ada.post(
            f"/api/projects/{self.project.pk}/members",
            {"username": name, "role": role},
            content_type="application/json",
        )
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.content.decode()

    def test_roles_can_be_given_and_changed(self) -> None:
        # Who shares a project knows each other.
        projects.set_role(projects.start_project(self.users["ada"], "Another"), "dora", "viewer")
        self.set_role("dora", "viewer")
        self.assertEqual(self.dora.get(self.address("hand-overs")).status_code, 200)
        self.set_role("dora", "editor")
        self.post(self.dora, "undo", status=409)
        self.assertIn("Nobody in your projects is called", self.set_role("nobody", "viewer", 422))
        self.set_role("ben", "emperor", 400)

    def test_the_last_owner_stays(self) -> None:
        self.assertIn("only owner", self.set_role("ada", "viewer", 422))
        leave = self.ada.delete(f"/api/projects/{self.project.pk}/members/{self.users['ada'].pk}")
        self.assertEqual(leave.status_code, 422)
        self.set_role("ben", "owner")
        leave = self.ada.delete(f"/api/projects/{self.project.pk}/members/{self.users['ada'].pk}")
        self.assertEqual(leave.status_code, 204)
        self.assertEqual(self.ada.get(f"/api/projects/{self.project.pk}").status_code, 404)

    def test_anybody_may_leave(self) -> None:
        answer = self.cleo.delete(f"/api/projects/{self.project.pk}/members/{self.users['cleo'].pk}")
        self.assertEqual(answer.status_code, 204)


class AccountTests(ServerTestCase):
    def add(self, name: str) -> str:
        out = StringIO()
        call_command("add_account", name, stdout=out)
        return out.getvalue()

    def test_names_follow_one_rule(self) -> None:
        self.assertRegex(self.add("Ines Marsh"), r"Account: Ines Marsh\nPassword: \S{10,}")
        self.add("j\u00f8rgen")
        for name, words in {
            "x": "Choose one of 2 to 40",
            "x" * 41: "Choose one of 2 to 40",
            "<b>ada</b>": "other signs",
            "ada ": "other signs",
            "a  b": "other signs",
            "a\u202eb": "other signs",
            "a&b;": "other signs",
            "ada": "There is an account 'ada' already",
            "Ada": "looks like that of the account 'ada'",
            "a.d.a": "looks like",
            "\u0430da": "looks like",
            "\uff41\uff44\uff41": "other signs",
            "INES-MARSH": "looks like",
            "1nes marsh": "looks like",
        }.items():
            with self.subTest(name), self.assertRaisesRegex(CommandError, words):
                self.add(name)
        self.assertEqual(looks("Straße"), looks("STRASSE"))

    def test_an_account_that_is_the_only_owner_is_not_removed_by_any_way(self) -> None:
        for remove in (
            lambda: call_command("remove_account", "ada"),
            lambda: User.objects.filter(username="ada").delete(),
            lambda: User.objects.get(username="ada").delete(),
        ):
            said = "'ada' is the only owner of 'Marsh Line'. Make somebody else"
            with self.assertRaisesRegex(Exception, said), transaction.atomic():
                remove()
        call_command("remove_account", "ben", stdout=StringIO())
        self.assertFalse(User.objects.filter(username="ben").exists())
        with self.assertRaisesRegex(CommandError, "no account 'nobody'"):
            call_command("remove_account", "nobody")
