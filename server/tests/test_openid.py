"""Signing in by the studio's own service (OpenID Connect), with a stand-in of such a service that speaks the whole protocol.

The stand-in is `oidc-provider-mock`, built on Authlib; that it keeps to the standard is checked with the client of `idpyoidc`,
which the OpenID Foundation has certified.
"""

from contextlib import ExitStack, chdir
from tempfile import TemporaryDirectory
from typing import Any
from unittest import mock
from urllib.parse import parse_qs, urlsplit

import requests
from django.test import Client, override_settings
from sign_in_service import settings_for, studio_service

from tests.cases import PASSWORD, ServerTestCase
from yuplet_server.accounts import limits
from yuplet_server.accounts.models import User
from yuplet_server.audit.models import Entry

KNOWN: dict[str, dict[str, object]] = {
    "s-gwen": {"preferred_username": "gwen", "email": "gwen@marsh.example"},
    "s-ada": {"preferred_username": "ada"},
    "s-odd": {"preferred_username": "<b>odd</b>"},
    "s-mail": {"email": "wren@marsh.example"},
}


class OpenIdTests(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        stack = ExitStack()
        self.addCleanup(stack.close)
        told = stack.enter_context(studio_service(KNOWN))
        self.service = told["OPENID"].address
        stack.enter_context(override_settings(**told))

    def start(self, client: Client, **body: Any) -> str:
        answer = client.post("/api/service", body, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        return str(answer.json()["address"])

    def there(self, address: str, **form: str) -> str:
        """Somebody says at the service who they are; answers where they are sent back to."""
        answer = requests.post(address, data=form, allow_redirects=False, timeout=10)
        self.assertEqual(answer.status_code, 302, answer.text)
        return str(answer.headers["Location"])

    def back(self, client: Client, who: str, **body: Any) -> str:
        """Sign in as somebody at the service; answers the page of ours where that ends."""
        return str(client.get(self.there(self.start(client, **body), sub=who))["Location"])

    def name(self, client: Client) -> str | None:
        user = client.get("/api/session").json()["user"]
        return user and str(user["username"])

    def test_somebody_new_has_an_account_and_comes_in_again(self) -> None:
        client = Client()
        self.assertEqual(client.get("/api/session").json()["service"], "Marsh studio")
        self.assertEqual(
            self.back(client, "s-gwen", to="/illustrations/7/bring-in?x=1"), "/illustrations/7/bring-in?x=1"
        )
        self.assertEqual(self.name(client), "gwen")
        self.assertEqual(len(client.get("/api/sessions").json()), 1)
        self.assertEqual(Entry.objects.filter(kind="sign-in").get().about, "by Marsh studio")
        again = Client()
        self.assertEqual(self.back(again, "s-gwen"), "/")
        self.assertEqual(self.name(again), "gwen")
        self.assertEqual(User.objects.filter(username="gwen").count(), 1)
        # Without preferred_username, the address says it.
        self.back(again, "s-mail")
        self.assertEqual(self.name(again), "wren")
        # There is no password that opens it, and so no parting from the service.
        self.assertFalse(User.objects.get(username="gwen").has_usable_password())
        self.assertEqual(client.delete("/api/service").json()["code"], "service-refused")
        self.assertEqual(client.post("/api/two-step/secret").json()["code"], "code-refused")

    def test_a_name_opens_no_account_that_is_there(self) -> None:
        client = Client()
        self.assertEqual(self.back(client, "s-ada"), "/?service=name-taken")
        self.assertIsNone(self.name(client))
        self.assertEqual(self.back(client, "s-odd", to="/?a=1"), "/?a=1&service=name-refused")
        # Whoever has the account connects it, and is let in by either way.
        home = self.signed_in("ada")
        self.assertIs(home.get("/api/service").json()["is_connected"], False)
        self.assertEqual(self.back(home, "s-ada", connects=True), "/?service=connected")
        self.assertIs(home.get("/api/service").json()["is_connected"], True)
        self.back(client, "s-ada")
        self.assertEqual(self.name(client), "ada")
        # It is nobody else's then, and one account has one.
        self.assertEqual(self.back(self.signed_in("ben"), "s-ada", connects=True), "/?service=belongs-to-another")
        self.assertEqual(self.back(home, "s-gwen", connects=True), "/?service=connected-already")
        self.assertEqual(home.delete("/api/service").status_code, 204)
        self.assertEqual(self.back(Client(), "s-ada"), "/?service=name-taken")

    def test_who_is_disabled_or_has_no_account_stays_outside(self) -> None:
        client = Client()
        self.back(client, "s-gwen")
        User.objects.filter(username="gwen").update(is_active=False)
        self.assertEqual(self.back(Client(), "s-gwen"), "/?service=disabled")
        with override_settings(**settings_for(self.service, makes_accounts=False)):
            stranger = Client()
            self.assertEqual(self.back(stranger, "s-mail"), "/?service=no-account")
            self.assertIsNone(self.name(stranger))

    def test_what_comes_back_is_for_the_session_that_asked_and_good_once(self) -> None:
        attacker, victim = Client(), Client()
        answer = self.there(self.start(attacker), sub="s-gwen")
        self.assertEqual(victim.get(answer)["Location"], "/?service=failed")
        self.assertIsNone(self.name(victim))
        self.assertEqual(attacker.get(answer)["Location"], "/")
        self.assertEqual(attacker.get(answer)["Location"], "/?service=failed")
        for asked in ("", "?code=x", "?code=x&state=y", "?error=access_denied&state=z"):
            self.assertEqual(Client().get(f"/sign-in/service{asked}")["Location"], "/?service=failed", asked)

    def test_who_says_no_there_is_told_so(self) -> None:
        client = Client()
        address = self.start(client, to="/queue")
        answer = self.there(address, action="deny")
        # The stand-in forgets the state, which RFC 6749, 4.1.2.1 requires.
        (state,) = parse_qs(urlsplit(address).query)["state"]
        self.assertEqual(client.get(f"{answer}&state={state}")["Location"], "/queue?service=cancelled")
        self.assertEqual(client.get(f"{answer}&state={state}")["Location"], "/?service=failed", "it is good once")

    def test_one_comes_back_to_a_page_of_ours_and_nowhere_else(self) -> None:
        for to in (
            "https://evil.example/",
            "//evil.example",
            "/\\evil.example",
            "javascript:alert(1)",
            "evil",
            "/\n/evil",
        ):
            self.assertEqual(self.back(Client(), "s-gwen", to=to), "/", to)

    def test_the_way_there_has_all_that_protects_it(self) -> None:
        asked = parse_qs(urlsplit(self.start(Client())).query)
        self.assertEqual(asked["code_challenge_method"], ["S256"])
        self.assertEqual(asked["response_type"], ["code"])
        self.assertEqual(asked["redirect_uri"], ["http://testserver/sign-in/service"])
        self.assertGreaterEqual(len(asked["state"][0]), 16)
        self.assertNotIn("a-secret-between-us", str(asked))
        strict = Client(enforce_csrf_checks=True)
        self.assertEqual(strict.post("/api/service", {}, content_type="application/json").status_code, 403)
        self.assertEqual(Client().post("/api/service", {"connects": True}, "application/json").status_code, 403)

    def test_a_service_that_is_away_or_lies(self) -> None:
        client = Client()
        answer = self.there(self.start(client), sub="s-gwen")
        for told in ({"sub": "s-ada"}, {"name": "gwen"}, ["x"]):
            with (
                self.subTest(told),
                mock.patch(
                    "allauth.socialaccount.providers.openid_connect.views.OpenIDConnectOAuth2Adapter._fetch_user_info",
                    return_value=told,
                ),
            ):
                self.assertEqual(client.get(answer)["Location"], "/?service=failed")
                self.assertIsNone(self.name(client))
            answer = self.there(self.start(client), sub="s-gwen")
        for address in ("http://localhost:9", f"{self.service}/nothing"):
            with override_settings(**settings_for(address)):
                away = Client().post("/api/service", {}, content_type="application/json")
                self.assertEqual((away.status_code, away.json()["code"]), (503, "service-away"))

    def test_nobody_sends_for_the_service_without_end(self) -> None:
        few = {**limits.KINDS, "address": limits.Kind(3, 60, 15)}
        with mock.patch.object(limits, "KINDS", few):
            for _ in range(5):  # who comes in has made no wrong try
                self.back(Client(), "s-gwen")
            for _ in range(3):
                self.start(Client())
            answer = Client().post("/api/service", {}, content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["code"]), (429, "too-many-attempts"))

    @override_settings(OPENID=None)
    def test_where_there_is_none_there_is_nothing_of_the_kind(self) -> None:
        client = self.signed_in("ada")
        self.assertIsNone(client.get("/api/session").json()["service"])
        for answer in (client.get("/api/service"), client.post("/api/service"), client.get("/sign-in/service?code=x")):
            self.assertEqual(answer.status_code, 404)
        self.assertEqual(Client().post("/api/session", {"username": "ada", "password": PASSWORD}).status_code, 415)

    def test_the_stand_in_keeps_to_the_standard(self) -> None:
        """By a certified client, which checks signature, issuer, audience, nonce and times of what it is told."""
        from idpyoidc.client.rp_handler import RPHandler

        back = "http://127.0.0.1/back"
        told = {
            "client_type": "oidc",
            "issuer": self.service,
            "client_id": "yuplet",
            "client_secret": "a-secret-between-us",
            "redirect_uris": [back],
            "response_types_supported": ["code"],
            "scopes_supported": ["openid", "profile", "email"],
            "services": {
                name: {"class": f"idpyoidc.client.oidc.{where}"}
                for name, where in (
                    ("discovery", "provider_info_discovery.ProviderInfoDiscovery"),
                    ("authorization", "authorization.Authorization"),
                    ("access_token", "access_token.AccessToken"),
                    ("userinfo", "userinfo.UserInfo"),
                )
            },
        }
        # It writes its keys where it is started.
        with TemporaryDirectory() as folder, chdir(folder):
            handler = RPHandler(base_url="http://127.0.0.1", client_configs={"studio": told})
            came = parse_qs(urlsplit(self.there(handler.begin("studio"), sub="s-gwen")).query)
            found = handler.finalize(self.service, {name: values[0] for name, values in came.items()})
            self.assertEqual(found["id_token"]["sub"], "s-gwen", found)
            self.assertEqual(found["userinfo"]["preferred_username"], "gwen")
