"""Where an account is signed in: seen by its owner and nobody else, ended one by one or everywhere else, and by another password."""

from django.contrib.sessions.models import Session
from django.test import Client

from tests.cases import PASSWORD, ServerTestCase
from yuplet_server.accounts import sessions
from yuplet_server.accounts.models import SignIn


class SessionsTests(ServerTestCase):
    def browser(self, name: str, agent: str, address: str) -> Client:
        client = Client(REMOTE_ADDR=address, HTTP_USER_AGENT=agent)
        answer = client.post("/api/session", {"username": name, "password": PASSWORD}, "application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        return client

    def setUp(self) -> None:
        super().setUp()
        Session.objects.all().delete()
        self.home = self.browser("ada", "At home", "203.0.113.7")
        self.studio = self.browser("ada", "In the studio", "198.51.100.2")
        self.bens = self.browser("ben", "Ben's", "198.51.100.2")

    def listed(self, client: Client) -> list[tuple[str, str, bool]]:
        return [(one["browser"], one["address"], one["is_this"]) for one in client.get("/api/sessions").json()]

    def test_each_sees_their_own(self) -> None:
        self.assertEqual(
            self.listed(self.home), [("In the studio", "198.51.100.2", False), ("At home", "203.0.113.7", True)]
        )
        self.assertEqual(self.listed(self.bens), [("Ben's", "198.51.100.2", True)])
        self.assertNotIn(b"session", self.home.get("/api/sessions").content, "no key of a session is told")
        self.assertEqual(Client().get("/api/sessions").status_code, 403)

    def test_a_browser_is_named_as_it_names_itself_and_no_longer(self) -> None:
        usual = "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Safari/537.36"
        self.browser("ada", usual, "192.0.2.1")
        self.browser("ada", "x\x07" * 5_000, "192.0.2.1")
        seen = [one[0] for one in self.listed(self.home)]
        self.assertEqual((seen[1], seen[0][:6], len(seen[0]) <= 200), (usual, "x\\x07x"[:6], True))

    def test_one_is_ended(self) -> None:
        (other,) = (one["id"] for one in self.home.get("/api/sessions").json() if not one["is_this"])
        self.assertEqual(self.bens.delete(f"/api/sessions/{other}").status_code, 404, "it is not Ben's")
        self.assertEqual(self.studio.get("/api/projects").status_code, 200)
        self.assertEqual(self.home.delete(f"/api/sessions/{other}").status_code, 204)
        self.assertEqual(self.studio.get("/api/projects").status_code, 403)
        self.assertEqual(self.home.delete(f"/api/sessions/{other}").status_code, 404)
        self.assertEqual(len(self.listed(self.home)), 1)

    def test_what_has_ended_is_forgotten(self) -> None:
        Session.objects.exclude(session_key=self.home.session.session_key).delete()
        sessions.forget_ended()
        self.assertEqual(list(SignIn.objects.values_list("browser", flat=True)), ["At home"])

    def test_all_others_are_ended(self) -> None:
        self.assertEqual(self.home.delete("/api/sessions").status_code, 204)
        codes = [one.get("/api/projects").status_code for one in (self.home, self.studio, self.bens)]
        self.assertEqual(codes, [200, 403, 200])

    def test_signing_out_and_another_password_are_seen_there(self) -> None:
        self.studio.delete("/api/session")
        self.assertEqual(self.listed(self.home), [("At home", "203.0.113.7", True)])
        again = self.browser("ada", "Again", "192.0.2.1")
        said = {"old_password": PASSWORD, "new_password": "another-marsh-by-day"}
        self.assertEqual(self.home.post("/api/password", said, "application/json").status_code, 204)
        self.assertEqual(self.listed(self.home), [("At home", "203.0.113.7", True)])
        self.assertEqual(again.get("/api/projects").status_code, 403)
