"""Two-step sign-in: nobody comes in without the code, nobody twice with the same, and nobody is shut out for good."""

import datetime
import re
import urllib.parse
from typing import Any
from unittest import mock

import cv2
import numpy as np
import pyotp
from django.test import Client
from django.utils import timezone
from resvg import render, usvg

from tests.cases import PASSWORD, ServerTestCase
from yuplet_server.accounts import two_steps
from yuplet_server.accounts.models import RecoveryCode, TwoStep
from yuplet_server.people.actions import let_set_password

NEW = "a-quiet-lamp-at-night"


class TwoStepTests(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.home = self.client_of("ada")
        told = self.home.post("/api/two-step/secret", {}, "application/json").json()
        self.secret, self.address, self.picture = told["secret"], told["address"], told["picture"]

    def client_of(self, name: str, **body: str) -> Client:
        client = Client()
        self.assertEqual(self.sign_in(client, name, **body).status_code, 200)
        return client

    def sign_in(self, client: Client, name: str = "ada", **body: str) -> Any:
        asked = {"username": name, "password": PASSWORD, **body}
        return client.post("/api/session", asked, content_type="application/json")

    def code(self) -> str:
        return pyotp.TOTP(self.secret).at(timezone.now())

    def turn_on(self, **body: str) -> Any:
        asked = {"password": PASSWORD, "code": self.code(), **body}
        return self.home.put("/api/two-step", asked, content_type="application/json")

    def at(self, seconds: float) -> Any:
        """A moment later."""
        now = timezone.now() + datetime.timedelta(seconds=seconds)
        return mock.patch.object(timezone, "now", lambda: now)

    def test_the_code_is_needed_from_then_on_and_good_once(self) -> None:
        elsewhere = self.client_of("ada")
        self.assertIsNone(self.home.get("/api/two-step").json()["since"])
        self.assertEqual(self.turn_on().status_code, 200)
        self.assertEqual(elsewhere.get("/api/projects").status_code, 403, "other sessions end")
        self.assertEqual(self.home.get("/api/projects").status_code, 200)
        self.assertEqual(self.home.get("/api/two-step").json()["codes_left"], 10)

        client = Client()
        self.assertEqual(self.sign_in(client).json()["code"], "code-needed")
        self.assertEqual(self.sign_in(client, code=self.code()).json()["code"], "code-refused", "used to turn it on")
        self.assertEqual(self.sign_in(client, password="wrong", code=self.code()).json()["code"], "sign-in-refused")
        self.assertEqual(client.get("/api/projects").status_code, 403)
        with self.at(30):
            code = self.code()
            self.assertEqual(self.sign_in(client, code=f" {code[:3]} {code[3:]} ").status_code, 200)
            self.assertEqual(self.sign_in(Client(), code=code).json()["code"], "code-refused", "used")
        self.assertEqual(self.sign_in(Client(), "ben").status_code, 200, "it is nobody else's")

    def test_clocks_may_differ_by_one_step_and_no_more(self) -> None:
        self.turn_on()
        for off, status in ((95, 422), (-65, 422), (30, 200)):
            with self.at(200 + off):
                late = self.code()
            with self.at(200):
                self.assertEqual(self.sign_in(Client(), code=late).status_code, status, off)

    def test_it_is_turned_on_by_its_owner_with_a_code_and_nobody_else(self) -> None:
        for body, code in (
            ({"password": "wrong"}, "password-refused"),
            ({"code": "000000"}, "code-refused"),
            ({"code": "٠١٢٣٤٥"}, "code-refused"),
        ):
            answer = self.turn_on(**body)
            self.assertEqual((answer.status_code, answer.json()["code"]), (422, code), body)
        self.assertFalse(TwoStep.objects.exists())
        other = self.client_of("ben")
        asked = {"password": PASSWORD, "code": self.code()}
        answer = other.put("/api/two-step", asked, content_type="application/json")
        self.assertIn("Begin again", answer.json()["detail"], "a secret belongs to the session that asked for it")
        self.assertEqual(Client().post("/api/two-step/secret").status_code, 403)

    def test_each_recovery_code_lets_in_once_and_new_ones_end_those_of_before(self) -> None:
        codes = self.turn_on().json()["codes"]
        self.assertEqual(len(set(codes)), 10)
        self.assertTrue(all(re.fullmatch("([a-z2-7]{4}-){3}[a-z2-7]{4}", code) for code in codes), codes)
        self.assertEqual(self.sign_in(Client(), code=codes[0].upper().replace("-", " ")).status_code, 200)
        self.assertEqual(self.sign_in(Client(), code=codes[0]).status_code, 422)
        self.assertEqual(self.home.get("/api/two-step").json()["codes_left"], 9)
        fresh = self.home.post("/api/two-step/codes", {"password": PASSWORD}, "application/json").json()["codes"]
        self.assertEqual(self.sign_in(Client(), code=codes[1]).status_code, 422)
        self.assertEqual(self.sign_in(Client(), code=fresh[1]).status_code, 200)
        self.assertFalse(RecoveryCode.objects.filter(code_sha256__in=fresh).exists(), "only check sums are kept")

    def test_who_guesses_waits_longer_each_time_even_with_a_known_browser(self) -> None:
        self.turn_on()
        answers = [self.sign_in(self.home, code=f"{n:06}").status_code for n in range(8)]
        self.assertEqual((answers[:5], answers[-1]), ([422] * 5, 429))

    def test_it_is_off_by_the_password_or_by_an_administrator(self) -> None:
        self.turn_on()
        for password, status in (("wrong", 422), (PASSWORD, 204)):
            answer = self.home.post("/api/two-step/off", {"password": password}, "application/json")
            self.assertEqual(answer.status_code, status)
        self.assertEqual(self.sign_in(Client()).status_code, 200)
        self.assertEqual(RecoveryCode.objects.count(), 0)

        self.secret = self.home.post("/api/two-step/secret", {}, "application/json").json()["secret"]
        self.turn_on()
        root = self.users["dora"]
        root.is_staff = True
        root.save()
        client = Client()
        client.force_login(root)
        address = f"/api/accounts/{self.users['ada'].pk}"
        self.assertIs(client.get("/api/accounts").json()[0]["has_two_steps"], True)
        for value, status in ((True, 400), (False, 200)):
            answer = client.patch(address, {"has_two_steps": value}, content_type="application/json")
            self.assertEqual(answer.status_code, status, answer.content)
        self.assertIs(answer.json()["has_two_steps"], False)
        self.assertEqual(self.sign_in(Client()).status_code, 200)

    def test_a_link_for_a_new_password_is_no_way_around(self) -> None:
        self.turn_on()
        token = let_set_password(self.users["ada"], self.users["dora"])
        self.users["dora"].is_staff = True
        self.users["dora"].save()
        client = Client()
        answer = client.post(f"/api/come-in/{token}", {"password": NEW}, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(client.get("/api/projects").status_code, 403)
        self.assertEqual(self.sign_in(client, password=NEW).json()["code"], "code-needed")
        with self.at(30):
            self.assertEqual(self.sign_in(client, password=NEW, code=self.code()).status_code, 200)

    def test_a_copy_of_the_database_is_no_second_step(self) -> None:
        self.turn_on()
        self.assertNotIn(self.secret, TwoStep.objects.get().secret)
        with self.settings(SECRET_KEY="that of somebody else, who has only the rows"), self.at(30):
            self.assertEqual(two_steps._opened(TwoStep.objects.get().secret), None)
            self.assertFalse(two_steps._is_of_now(TwoStep.objects.get(), self.code()))

    def test_a_phone_reads_the_picture(self) -> None:
        """Read by OpenCV's reader, which shares nothing with the library that draws it."""
        svg = urllib.parse.unquote(self.picture.partition(",")[2])
        tree = usvg.Tree.from_str(svg, usvg.Options.default())
        drawn = np.frombuffer(bytes(render(tree, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0))), np.uint8)
        shown = cv2.imdecode(drawn, cv2.IMREAD_COLOR)
        read, _, _ = cv2.QRCodeDetector().detectAndDecode(shown)
        self.assertEqual(read, self.address)
        parts = urllib.parse.urlsplit(self.address)
        self.assertEqual((parts.scheme, parts.netloc, parts.path), ("otpauth", "totp", "/Yuplet:ada"))
        self.assertEqual(dict(urllib.parse.parse_qsl(parts.query)), {"secret": self.secret, "issuer": "Yuplet"})

    def test_the_numbers_of_the_standard(self) -> None:
        """RFC 6238, appendix B, SHA-1, the last six of its eight digits."""
        secret = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"  # '12345678901234567890'
        for seconds, code in ((59, "287082"), (1111111109, "081804"), (2000000000, "279037"), (20000000000, "353130")):
            now = datetime.datetime.fromtimestamp(seconds, datetime.UTC)
            with mock.patch.object(timezone, "now", lambda now=now: now):
                self.assertEqual(two_steps._step_of(secret, code), seconds // 30)
