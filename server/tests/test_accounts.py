"""Signing in and out, passwords, and slowing down those who guess."""

import re

from django.conf import settings
from django.test import Client

from tests.cases import PASSWORD, ServerTestCase


class SessionTests(ServerTestCase):
    def sign_in(self, client: Client, name: str = "ada", password: str = PASSWORD, **headers: str) -> int:
        body = {"username": name, "password": password}
        return client.post("/api/session", body, content_type="application/json", headers=headers).status_code

    def test_in_and_out(self) -> None:
        client = Client()
        self.assertEqual(client.get("/api/session").json(), {"user": None})
        self.assertEqual(self.sign_in(client), 200)
        self.assertEqual(client.get("/api/session").json()["user"]["username"], "ada")
        self.assertEqual(client.delete("/api/session").status_code, 204)
        self.assertEqual(client.get("/api/projects").status_code, 403)

    def test_a_wrong_password_says_no_more_than_that(self) -> None:
        client = Client()
        answers = [
            client.post("/api/session", {"username": name, "password": "wrong"}, content_type="application/json")
            for name in ("ada", "nobody")
        ]
        self.assertEqual([answer.status_code for answer in answers], [422, 422])
        self.assertEqual(answers[0].json(), answers[1].json())

    def test_guessing_is_stopped_for_that_name_and_address_only(self) -> None:
        client = Client()
        guesses = [self.sign_in(client, password="guess") for _ in range(settings.AXES_FAILURE_LIMIT)]
        self.assertEqual(guesses, [*[422] * (settings.AXES_FAILURE_LIMIT - 1), 429])
        answer = client.post("/api/session", {"username": "ada", "password": PASSWORD}, content_type="application/json")
        self.assertIn("Too many attempts", answer.json()["detail"])
        self.assertEqual(self.sign_in(Client(), name="ben"), 200)

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
        self.set_role("dora", "viewer")
        self.assertEqual(self.dora.get(self.address("hand-overs")).status_code, 200)
        self.set_role("dora", "editor")
        self.post(self.dora, "undo", status=409)
        self.assertIn("There is no account", self.set_role("nobody", "viewer", 422))
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
