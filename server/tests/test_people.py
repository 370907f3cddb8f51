"""Coming in by a link, and the list of accounts: who may what, once, and for how long."""

import datetime
from typing import Any

from django.core import mail
from django.test import Client, override_settings
from django.utils import timezone

from tests.cases import PASSWORD, ServerTestCase
from yuplet_server.accounts.actions import add_account
from yuplet_server.accounts.models import User
from yuplet_server.audit.models import Entry
from yuplet_server.people.models import Link
from yuplet_server.project.environment import MailServer
from yuplet_server.projects.actions import remove_project, set_role, start_project
from yuplet_server.projects.models import Member

NEW = "a-quiet-lamp-at-night"


class PeopleTestCase(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.root_user = add_account("root-of-all", is_administrator=True)[0]
        self.root = Client()
        self.root.force_login(self.root_user)

    def made(self, client: Client, address: str, body: Any = None) -> str:
        """The address of a link that was made."""
        answer = client.post(address, body or {}, content_type="application/json")
        self.assertEqual(answer.status_code, 201, answer.content)
        return "/api" + str(answer.json()["path"])

    def use(self, link: str, client: Client | None = None, **body: str) -> Any:
        return (client or Client()).post(link, body, content_type="application/json")

    def role_of(self, name: str) -> str | None:
        return Member.objects.filter(project=self.project, user__username=name).values_list("role", flat=True).first()


class LinkTests(PeopleTestCase):
    def test_somebody_new_makes_an_account(self) -> None:
        link = self.made(self.root, "/api/accounts/invitations")
        told = Client().get(link).json()
        self.assertEqual(
            told, {"purpose": "account", "project": None, "role": "", "account": None, "made_by": "root-of-all"}
        )
        client = Client()
        answer = self.use(link, client, name="gwen", password=NEW)
        self.assertEqual((answer.status_code, answer.json()["username"]), (200, "gwen"))
        self.assertEqual(client.get("/api/session").json()["user"]["username"], "gwen")
        self.assertEqual(client.get("/api/projects").json(), [])
        self.assertFalse(User.objects.get(username="gwen").is_staff)
        again = self.use(link, name="gwen2", password=NEW)
        self.assertEqual((again.status_code, again.json()["code"]), (422, "link-refused"))
        # Of the token only a check sum was kept, and that is gone.
        self.assertEqual(Link.objects.count(), 0)

    def test_what_is_refused_uses_nothing_up(self) -> None:
        link = self.made(self.root, "/api/accounts/invitations", {"is_administrator": True})
        for name, password, code in (
            ("ada", NEW, "account-refused"),
            ("Ada", NEW, "account-refused"),
            ("", NEW, "account-refused"),
            ("gwen", "short", "password-refused"),
            ("gwen", "1234567890123", "password-refused"),
        ):
            answer = self.use(link, name=name, password=password)
            self.assertEqual((answer.status_code, answer.json()["code"]), (422, code), name)
        self.assertEqual(self.use(link, name="gwen", password=NEW).status_code, 200)
        self.assertTrue(User.objects.get(username="gwen").is_staff)

    def test_into_a_project_with_an_account_or_with_a_new_one(self) -> None:
        stranger = Client()
        stranger.force_login(add_account("stranger")[0])
        own = f"/api/projects/{self.project.pk}/invitations"
        link = self.made(self.ada, own, {"role": "editor"})
        self.assertEqual(Client().get(link).json()["project"], self.project.name)
        self.assertEqual(self.use(link, name="gwen", password=NEW).json()["code"], "link-refused", "needs an account")
        self.assertEqual(self.use(link, stranger).status_code, 200)
        self.assertEqual(self.role_of("stranger"), "editor")
        # A lesser link takes nothing away.
        self.assertEqual(self.use(self.made(self.ada, own, {"role": "viewer"}), stranger).status_code, 200)
        self.assertEqual(self.role_of("stranger"), "editor")
        # One that an administrator makes is for those without an account too.
        set_role(self.project, "root-of-all", "owner")
        both = [self.made(self.root, own, {"role": "viewer"}) for _ in range(2)]
        self.assertEqual(self.use(both[0], name="gwen", password=NEW).status_code, 200)
        self.assertEqual(self.role_of("gwen"), "viewer")
        dora = Client()
        dora.force_login(User.objects.get(username="dora"))
        self.assertEqual(self.use(both[1], dora).status_code, 200)
        self.assertEqual(self.role_of("dora"), "viewer")

    def test_another_page_cannot_use_a_link_for_whoever_is_signed_in(self) -> None:
        link = self.made(self.ada, f"/api/projects/{self.project.pk}/invitations", {"role": "editor"})
        for client in (Client(enforce_csrf_checks=True), Client(enforce_csrf_checks=True)):
            client.force_login(User.objects.get(username="dora"))
            self.assertEqual(self.use(link, client).status_code, 403)
        self.assertEqual(self.use(link, Client(enforce_csrf_checks=True), name="gwen", password=NEW).status_code, 403)
        self.assertIsNone(self.role_of("dora"))

    def test_a_forgotten_password(self) -> None:
        client = self.signed_in("ben")
        address = f"/api/accounts/{self.users['ben'].pk}/new-password"
        older, link = (self.made(self.root, address) for _ in range(2))
        self.assertEqual(Client().get(older).status_code, 422, "the newer one counts")
        self.assertEqual(Client().get(link).json()["account"], "ben")
        self.assertEqual(self.use(link, password=PASSWORD[:4]).json()["code"], "password-refused")
        self.assertEqual(self.use(link, password=NEW).status_code, 200)
        self.assertEqual(client.get("/api/projects").status_code, 403, "sessions of before end")
        body = {"username": "ben", "password": NEW}
        self.assertEqual(Client().post("/api/session", body, content_type="application/json").status_code, 200)

    def test_a_link_ends_with_its_time_and_with_who_made_it(self) -> None:
        own = f"/api/projects/{self.project.pk}/invitations"

        def ends_by(change: Any) -> None:
            link = self.made(self.ada, own, {"role": "editor"})
            self.assertEqual(Client().get(link).status_code, 200)
            change()
            answer = Client().get(link)
            self.assertEqual((answer.status_code, answer.json()["code"]), (422, "link-refused"))

        set_role(self.project, "ben", "owner")
        ends_by(lambda: Link.objects.update(ends_at=timezone.now() - datetime.timedelta(seconds=1)))
        ends_by(lambda: set_role(self.project, "ada", "editor"))
        set_role(self.project, "ada", "owner")
        ends_by(lambda: User.objects.filter(username="ada").update(is_active=False))
        User.objects.update(is_active=True)
        self.ada.force_login(self.users["ada"])
        ends_by(lambda: remove_project(self.project, self.users["ada"]))
        link = self.made(self.root, "/api/accounts/invitations")
        User.objects.filter(username="root-of-all").update(is_staff=False)
        self.assertEqual(Client().get(link).status_code, 422)
        self.assertEqual(Client().get("/api/come-in/guessed").status_code, 422)

    def test_who_may_make_links(self) -> None:
        for client in (self.ada, self.ben, Client()):
            for address in ("/api/accounts/invitations", f"/api/accounts/{self.users['ben'].pk}/new-password"):
                self.assertEqual(client.post(address, {}, content_type="application/json").status_code, 403)
        own = f"/api/projects/{self.project.pk}/invitations"
        for client, status in ((self.ben, 403), (self.cleo, 403), (self.root, 404), (Client(), 403)):
            self.assertEqual(client.post(own, {"role": "editor"}, content_type="application/json").status_code, status)
        wrong = self.ada.post(own, {"role": "king"}, content_type="application/json")
        self.assertEqual(wrong.status_code, 400)


class AccountsTests(PeopleTestCase):
    def change(self, name: str, client: Client | None = None, **body: bool) -> Any:
        number = User.objects.get(username=name).pk
        return (client or self.root).patch(f"/api/accounts/{number}", body, content_type="application/json")

    def test_the_list(self) -> None:
        told = {one["username"]: one for one in self.root.get("/api/accounts").json()}
        self.assertEqual((told["ada"]["projects"], told["dora"]["projects"]), (1, 0))
        self.assertEqual([name for name, one in told.items() if one["is_administrator"]], ["root-of-all"])
        self.assertEqual(self.ada.get("/api/accounts").status_code, 403)
        self.assertNotIn("password", str(told))

    def test_shut_out_and_let_in_again(self) -> None:
        client = self.signed_in("ben")
        self.assertEqual(self.change("ben", is_active=False).json()["is_active"], False)
        self.assertEqual(client.get("/api/projects").status_code, 403)
        body = {"username": "ben", "password": PASSWORD}
        self.assertEqual(Client().post("/api/session", body, content_type="application/json").status_code, 422)
        self.change("ben", is_active=True)
        self.assertEqual(Client().post("/api/session", body, content_type="application/json").status_code, 200)

    def test_somebody_must_look_after_the_server(self) -> None:
        for answer in (
            self.change("root-of-all", is_administrator=False),
            self.change("root-of-all", is_active=False),
            self.root.delete(f"/api/accounts/{self.root_user.pk}"),
        ):
            self.assertEqual((answer.status_code, answer.json()["code"]), (422, "account-refused"))
        self.assertTrue(self.change("ben", is_administrator=True).json()["is_administrator"])
        self.assertEqual(self.change("root-of-all", self.signed_in("ben"), is_administrator=False).status_code, 200)
        self.assertEqual(self.root.get("/api/accounts").status_code, 403)

    def test_removed(self) -> None:
        answer = self.root.delete(f"/api/accounts/{self.users['ada'].pk}")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("is the only owner of", answer.json()["detail"])
        self.assertEqual(self.root.delete(f"/api/accounts/{self.users['ben'].pk}").status_code, 204)
        self.assertFalse(User.objects.filter(username="ben").exists())
        self.assertEqual(self.root.delete(f"/api/accounts/{self.users['ben'].pk}").status_code, 404)

    def test_members_do_not_tell_who_has_an_account(self) -> None:
        address = f"/api/projects/{self.project.pk}/members"

        def added(name: str) -> Any:
            return self.ada.post(address, {"username": name, "role": "viewer"}, content_type="application/json")

        there, nowhere = added("dora"), added("nobody-at-all")
        self.assertEqual((there.status_code, nowhere.status_code), (422, 422))
        self.assertEqual(
            there.json()["detail"].replace("dora", "X"), nowhere.json()["detail"].replace("nobody-at-all", "X")
        )
        shared = start_project(self.users["ada"], "Another")
        set_role(shared, "dora", "viewer")
        self.assertEqual(added("dora").status_code, 200, "they know each other")


MAIL = MailServer("127.0.0.1", 9, "", "", False)


@override_settings(MAIL=MAIL, DEFAULT_FROM_EMAIL="yuplet@studio.example", ALLOWED_HOSTS=["studio.example"])
class MailTests(PeopleTestCase):
    """Links that are sent, where the server knows a mail server."""

    def send(self, client: Client, link: str, to: str) -> Any:
        return client.post(f"{link}/mail", {"to": to}, "application/json", headers={"host": "studio.example"})

    def made(self, client: Client, address: str, body: Any = None) -> str:
        answer = client.post(address, body or {}, "application/json", headers={"host": "studio.example"})
        return "/api" + str(answer.json()["path"])

    def test_whoever_made_a_link_sends_it(self) -> None:
        link = self.made(self.root, "/api/accounts/invitations")
        self.assertEqual(self.send(self.root, link, "maren@example.org").status_code, 204)
        (sent,) = mail.outbox
        self.assertEqual((sent.to, sent.from_email), (["maren@example.org"], "yuplet@studio.example"))
        self.assertIn(f"http://studio.example{link.removeprefix('/api')}\n", sent.body)
        self.assertIn("root-of-all sends you a link to Yuplet. It makes an account for you:", sent.body)
        link = self.made(self.ada, f"/api/projects/{self.project.pk}/invitations", {"role": "editor"})
        self.assertEqual(self.send(self.ada, link, "ben@example.org").status_code, 204)
        self.assertIn("lets you into the project 'Marsh Line'", mail.outbox[1].body)
        kept = (
            Entry.objects.filter(kind="link", about__startswith="sent to")
            .order_by("pk")
            .values_list("account", "about")
        )
        self.assertEqual(list(kept)[0], ("root-of-all", "sent to maren@example.org, for account"))

    def test_nobody_else_does_and_to_nothing_else(self) -> None:
        link = self.made(self.root, "/api/accounts/invitations")
        self.assertEqual(self.send(self.ada, link, "maren@example.org").status_code, 404)
        self.assertEqual(self.send(Client(), link, "maren@example.org").status_code, 403)
        for to in ("", "maren", "maren@example.org\nBcc: all@example.org", "a@b.c,d@e.f"):
            self.assertEqual(self.send(self.root, link, to).status_code, 400, to)
        with override_settings(MAIL=None):
            self.assertEqual(self.send(self.root, link, "maren@example.org").status_code, 404)
        self.assertEqual(self.send(self.root, "/api/come-in/no-such-token", "maren@example.org").status_code, 422)
        self.assertEqual(mail.outbox, [])

    def test_who_sends_without_end_waits(self) -> None:
        link = self.made(self.root, "/api/accounts/invitations")
        codes = [self.send(self.root, link, "maren@example.org").status_code for _ in range(32)]
        self.assertEqual((codes[:30], codes[-1]), ([204] * 30, 429))

    def test_a_mail_server_that_is_away_is_said(self) -> None:
        link = self.made(self.root, "/api/accounts/invitations")
        backend = "django.core.mail.backends.smtp.EmailBackend"
        with (
            override_settings(EMAIL_BACKEND=backend, EMAIL_HOST="127.0.0.1", EMAIL_PORT=9),
            self.assertLogs("yuplet.accounts"),
        ):
            answer = self.send(self.root, link, "maren@example.org")
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "mail-away"))
        self.assertEqual(Client().get(link, headers={"host": "studio.example"}).status_code, 200, "the link stays good")
