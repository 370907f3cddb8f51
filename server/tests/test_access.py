"""Every address for every role: nothing of a project reaches anybody who is not a member."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver
from rest_framework.views import APIView

from tests.cases import ROLES, ServerTestCase, brought_in, handed_over, kept
from yuplet_server.accounts.models import User
from yuplet_server.handovers.actions import save_recipe
from yuplet_server.handovers.models import ProjectHandOver
from yuplet_server.illustrations import actions as illustrations
from yuplet_server.illustrations.models import LayerImage
from yuplet_server.projects import actions
from yuplet_server.projects.actions import set_role, start_project
from yuplet_server.receivers.actions import deliver
from yuplet_server.receivers.models import Remark
from yuplet_server.rehearsals.models import Film, Rehearsal
from yuplet_server.shelf.models import Kept
from yuplet_server.transfer.models import Archive

RECIPE = {"format": "yuplet-recipe", "version": 1, "name": "For access"}
RANK = ["viewer", "editor", "owner"]


@dataclass(frozen=True)
class Address:
    """One method of one address, who may use it, and how it is called in this test."""

    method: str
    pattern: str
    role: str
    call: Callable[["AccessTests", Client], Any]


def _json(
    method: str, path: Callable[["AccessTests"], str], body: Any = None
) -> Callable[["AccessTests", Client], Any]:
    def call(test: "AccessTests", client: Client) -> Any:
        value = body(test) if callable(body) else body
        return getattr(client, method)(path(test), value, content_type="application/json")

    return call


def _get(path: Callable[["AccessTests"], str]) -> Callable[["AccessTests", Client], Any]:
    return lambda test, client: client.get(path(test))


def _upload(test: "AccessTests", client: Client) -> Any:
    file = SimpleUploadedFile("x.png", b"not really", "image/png")
    return client.post(f"/api/projects/{test.project.pk}/illustrations", {"file": file})


def _restore_project(test: "AccessTests", client: Client) -> Any:
    actions.remove_project(test.project, test.users["ada"])
    answer = client.post(f"/api/projects/{test.project.pk}/restore")
    actions.restore_project(test.project.pk)
    return answer


def _restore_illustration(test: "AccessTests", client: Client) -> Any:
    illustrations.remove(test.illustration, test.users["ada"])
    answer = client.post(test.address("restore"))
    illustrations.restore(test.illustration)
    return answer


PROJECT = "projects/<int:project>"
MEMBERS = f"{PROJECT}/members"
ILLUSTRATION = "illustrations/<int:illustration>"
IMAGE = r"^illustrations/(?P<illustration>\d+)/images/(?P<digest>[0-9a-f]{64})$"

REHEARSED = r"^rehearsals/(?P<rehearsal>\d+)/pictures/(?P<name>together|reference|difference|image-\d{1,5})/(?P<digest>[0-9a-f]{64})$"

ADDRESSES = [
    Address("get", PROJECT, "viewer", _get(lambda t: f"/api/projects/{t.project.pk}")),
    Address("patch", PROJECT, "owner", _json("patch", lambda t: f"/api/projects/{t.project.pk}", {"name": "Other"})),
    Address("delete", PROJECT, "owner", _json("delete", lambda t: f"/api/projects/{t.project.pk}")),
    Address("post", f"{PROJECT}/restore", "owner", _restore_project),
    Address("get", MEMBERS, "viewer", _get(lambda t: f"/api/projects/{t.project.pk}/members")),
    Address("post", MEMBERS, "owner", _json("post", lambda t: f"/api/projects/{t.project.pk}/members", {"username": "eve", "role": "viewer"})),
    Address("post", f"{PROJECT}/invitations", "owner", _json("post", lambda t: f"/api/projects/{t.project.pk}/invitations", {"role": "viewer"})),
    Address("delete", f"{MEMBERS}/<int:user>", "owner", _json("delete", lambda t: f"/api/projects/{t.project.pk}/members/{t.users['eve'].pk}")),
    Address("get", f"{PROJECT}/illustrations", "viewer", _get(lambda t: f"/api/projects/{t.project.pk}/illustrations")),
    Address("post", f"{PROJECT}/illustrations", "editor", _upload),
    Address("get", ILLUSTRATION, "viewer", _get(lambda t: f"/api/illustrations/{t.illustration.pk}")),
    Address("patch", ILLUSTRATION, "editor", _json("patch", lambda t: f"/api/illustrations/{t.illustration.pk}", {"name": "Other"})),
    Address("delete", ILLUSTRATION, "editor", _json("delete", lambda t: f"/api/illustrations/{t.illustration.pk}")),
    Address("post", f"{ILLUSTRATION}/restore", "editor", _restore_illustration),
    Address("post", f"{ILLUSTRATION}/try-again", "editor", _json("post", lambda t: t.address("try-again"))),
    Address("post", f"{ILLUSTRATION}/duplicate", "editor", _json("post", lambda t: t.address("duplicate"))),
    Address("post", f"{ILLUSTRATION}/move", "editor", _json("post", lambda t: t.address("move"), lambda t: {"project": t.project.pk})),
    Address("get", f"{ILLUSTRATION}/pack", "viewer", _get(lambda t: t.address(f"pack?of={LayerImage.objects.filter(revision__illustration=t.illustration)[0].pixels[:16]}"))),
    Address("get", IMAGE, "viewer", _get(lambda t: t.address(f"images/{t.illustration.revision.preview}"))),
    Address("get", f"{ILLUSTRATION}/original", "viewer", _get(lambda t: t.address("original"))),
    Address("get", f"{PROJECT}/archives", "viewer", _get(lambda t: f"/api/projects/{t.project.pk}/archives")),
    Address("post", f"{PROJECT}/archives", "owner", _json("post", lambda t: f"/api/projects/{t.project.pk}/archives")),
    Address("get", "archives/<int:archive>/file", "owner", _get(lambda t: f"/api/archives/{t.archive.pk}/file")),
    Address("post", f"{ILLUSTRATION}/sheet", "viewer", _json("post", lambda t: t.address("sheet"), {})),
    Address("post", f"{ILLUSTRATION}/read-again", "editor", _json("post", lambda t: t.address("read-again"), {"ppi": 300})),
    Address("get", f"{ILLUSTRATION}/revisions", "viewer", _get(lambda t: t.address("revisions"))),
    Address("post", f"{ILLUSTRATION}/revisions", "editor", lambda t, client: client.post(t.address("revisions"), {"file": SimpleUploadedFile("x.png", b"not really")})),
    Address("get", f"{ILLUSTRATION}/revisions/<int:revision>", "viewer", _get(lambda t: t.address("revisions/1"))),
    Address("delete", f"{ILLUSTRATION}/revisions/<int:revision>", "editor", _json("delete", lambda t: t.address("revisions/1"))),
    Address("get", f"{ILLUSTRATION}/revisions/<int:revision>/original", "viewer", _get(lambda t: t.address("revisions/1/original"))),
    Address("get", f"{ILLUSTRATION}/revisions/<int:revision>/layers/<str:layer>/drawn", "viewer", _get(lambda t: t.address("revisions/1/layers/l1/drawn?left=0&top=0&width=1&height=1&factor=2"))),
    Address("post", f"{ILLUSTRATION}/revisions/<int:revision>/take", "editor", _json("post", lambda t: t.address("revisions/1/take"), {})),
    Address("post", f"{ILLUSTRATION}/go-back", "editor", _json("post", lambda t: t.address("go-back"))),
    Address("get", f"{ILLUSTRATION}/arrangement", "viewer", _get(lambda t: t.address("arrangement"))),
    Address("post", f"{ILLUSTRATION}/steps", "editor", _json("post", lambda t: t.address("steps"), lambda t: {"version": 1, "command": {"do": "show-rows", "shown": {t.row_id("sky"): False}}})),
    Address("post", f"{ILLUSTRATION}/names", "viewer", _json("post", lambda t: t.address("names"), lambda t: {"rows": [t.row_id("sky")], "changes": [{"do": "add", "text": "x"}]})),
    Address("post", f"{ILLUSTRATION}/selection", "editor", _json("post", lambda t: t.address("selection"), lambda t: {"row": t.row_id("sky"), "gestures": []})),
    Address("post", f"{ILLUSTRATION}/islands", "editor", _json("post", lambda t: t.address("islands"), lambda t: {"row": t.row_id("sky")})),
    Address("post", f"{ILLUSTRATION}/proposals", "editor", _json("post", lambda t: t.address("proposals"), lambda t: {"row": t.row_id("sky")})),
    Address("get", f"{ILLUSTRATION}/difference", "viewer", _get(lambda t: t.address("difference"))),
    Address("post", f"{ILLUSTRATION}/pictures", "editor", lambda t, client: client.post(t.address("pictures"), {"version": 1, "file": SimpleUploadedFile("x.png", b"not really")})),
    Address("post", f"{ILLUSTRATION}/added", "viewer", _json("post", lambda t: t.address("added"), lambda t: {"row": t.row_id("sky")})),
    Address("post", f"{ILLUSTRATION}/remainder", "viewer", _json("post", lambda t: t.address("remainder"), lambda t: {"row": t.row_id("sky")})),
    Address("post", f"{ILLUSTRATION}/keep", "viewer", _json("post", lambda t: t.address("keep"), lambda t: {"kind": "part", "name": "", "row": t.row_id("sky")})),
    Address("get", f"{ILLUSTRATION}/shelf/<int:kept>/fit", "viewer", lambda t, client: client.get(t.address(f"shelf/{t.template_of(client)}/fit"))),
    Address("post", f"{ILLUSTRATION}/shelf/<int:kept>/use", "editor", lambda t, client: client.post(t.address(f"shelf/{t.template_of(client)}/use"), {"version": 1}, content_type="application/json")),
    Address("get", f"{ILLUSTRATION}/order", "viewer", _get(lambda t: t.address("order"))),
    Address("post", f"{ILLUSTRATION}/joints", "viewer", _json("post", lambda t: t.address("joints"), lambda t: {})),
    Address("post", f"{ILLUSTRATION}/joint", "viewer", _json("post", lambda t: t.address("joint"), lambda t: {"row": t.row_id("sky")})),
    Address("post", f"{ILLUSTRATION}/swing", "viewer", _json("post", lambda t: t.address("swing"), lambda t: {"row": t.row_id("lamp"), "steps": 3})),
    Address("post", f"{ILLUSTRATION}/completions", "viewer", _json("post", lambda t: t.address("completions"), lambda t: {"row": t.row_id("lamp")})),
    Address("post", f"{ILLUSTRATION}/margins", "viewer", _json("post", lambda t: t.address("margins"), lambda t: {"row": t.row_id("sky")})),
    Address("post", f"{ILLUSTRATION}/limb", "editor", _json("post", lambda t: t.address("limb"), lambda t: {"row": t.row_id("sky"), "at": [1, 1]})),
    Address("get", f"{ILLUSTRATION}/findings", "viewer", _get(lambda t: t.address("findings"))),
    Address("post", f"{ILLUSTRATION}/undo", "editor", _json("post", lambda t: t.address("undo"), {"version": 0})),
    Address("post", f"{ILLUSTRATION}/redo", "editor", _json("post", lambda t: t.address("redo"), {"version": 0})),
    Address("get", f"{PROJECT}/recipes", "viewer", _get(lambda t: f"/api/projects/{t.project.pk}/recipes")),
    Address("post", f"{PROJECT}/recipes", "editor", _json("post", lambda t: f"/api/projects/{t.project.pk}/recipes", lambda t: {"document": {**RECIPE, "name": "another"}})),
    Address("put", "recipes/<int:recipe>", "editor", _json("put", lambda t: f"/api/recipes/{t.recipe.pk}", {"document": RECIPE})),
    Address("delete", "recipes/<int:recipe>", "editor", _json("delete", lambda t: f"/api/recipes/{t.recipe.pk}")),
    Address("post", f"{ILLUSTRATION}/plan", "viewer", _json("post", lambda t: t.address("plan"), {})),
    Address("post", f"{ILLUSTRATION}/plan/image", "viewer", _json("post", lambda t: t.address("plan/image"), lambda t: {"file": "reference.png"})),
    Address("get", f"{ILLUSTRATION}/in-step", "viewer", _get(lambda t: t.address("in-step"))),
    Address("put", f"{ILLUSTRATION}/in-step", "editor", _json("put", lambda t: t.address("in-step"), {"file": "/nowhere", "recipes": [RECIPE]})),
    Address("delete", f"{ILLUSTRATION}/in-step", "editor", _json("delete", lambda t: t.address("in-step"))),
    Address("get", f"{ILLUSTRATION}/hand-overs", "viewer", _get(lambda t: t.address("hand-overs"))),
    Address("post", f"{ILLUSTRATION}/hand-overs", "editor", _json("post", lambda t: t.address("hand-overs"), {"version": 1})),
    Address("get", f"{PROJECT}/hand-overs/candidates", "viewer", _get(lambda t: f"/api/projects/{t.project.pk}/hand-overs/candidates")),
    Address("get", f"{PROJECT}/hand-overs", "viewer", _get(lambda t: f"/api/projects/{t.project.pk}/hand-overs")),
    Address("post", f"{PROJECT}/hand-overs", "editor", _json("post", lambda t: f"/api/projects/{t.project.pk}/hand-overs", lambda t: {"illustrations": [{"illustration": t.illustration.pk}]})),
    Address("get", "project-hand-overs/<int:hand_over>/package", "viewer", _get(lambda t: f"/api/project-hand-overs/{t.together.pk}/package")),
    Address("get", "hand-overs/<int:hand_over>/package", "viewer", _get(lambda t: f"/api/hand-overs/{t.hand_over.pk}/package")),
    Address("get", f"{ILLUSTRATION}/rehearsals", "viewer", _get(lambda t: t.address("rehearsals"))),
    Address("post", f"{ILLUSTRATION}/rehearsals", "editor", _json("post", lambda t: t.address("rehearsals"), lambda t: {"hand_over": t.hand_over.pk})),
    Address("post", f"{ILLUSTRATION}/rehearsals/outside", "editor", lambda t, client: client.post(t.address("rehearsals/outside"), {"file": SimpleUploadedFile("x.zip", b"not really")})),
    Address("get", "rehearsals/<int:rehearsal>", "viewer", _get(lambda t: f"/api/rehearsals/{t.rehearsal.pk}")),
    Address("put", "rehearsals/<int:rehearsal>", "editor", _json("put", lambda t: f"/api/rehearsals/{t.rehearsal.pk}", {})),
    Address("delete", "rehearsals/<int:rehearsal>", "editor", _json("delete", lambda t: f"/api/rehearsals/{t.rehearsal.pk}")),
    Address("post", "rehearsals/<int:rehearsal>/missing", "editor", lambda t, client: client.post(f"/api/rehearsals/{t.rehearsal.pk}/missing", {"file": SimpleUploadedFile("x.zip", b"not really")})),
    Address("get", "rehearsals/<int:rehearsal>/motion", "viewer", _get(lambda t: f"/api/rehearsals/{t.rehearsal.pk}/motion")),
    Address("post", "rehearsals/<int:rehearsal>/motion/steps", "editor", _json("post", lambda t: f"/api/rehearsals/{t.rehearsal.pk}/motion/steps", {"version": 0, "command": {"do": "reset", "targets": []}})),
    Address("post", "rehearsals/<int:rehearsal>/motion/undo", "editor", _json("post", lambda t: f"/api/rehearsals/{t.rehearsal.pk}/motion/undo", {})),
    Address("post", "rehearsals/<int:rehearsal>/motion/redo", "editor", _json("post", lambda t: f"/api/rehearsals/{t.rehearsal.pk}/motion/redo", {})),
    Address("post", "rehearsals/<int:rehearsal>/motion/keep", "viewer", _json("post", lambda t: f"/api/rehearsals/{t.rehearsal.pk}/motion/keep", {"name": "walk"})),
    Address("get", "rehearsals/<int:rehearsal>/motion/shelf/<int:kept>/fit", "viewer", lambda t, client: client.get(f"/api/rehearsals/{t.rehearsal.pk}/motion/shelf/{t.motion_of(client)}/fit")),
    Address("post", "rehearsals/<int:rehearsal>/motion/shelf/<int:kept>/lay", "editor", lambda t, client: client.post(f"/api/rehearsals/{t.rehearsal.pk}/motion/shelf/{t.motion_of(client)}/lay", {"version": 0}, content_type="application/json")),
    Address("get", "rehearsals/<int:rehearsal>/motion/samples", "viewer", _get(lambda t: f"/api/rehearsals/{t.rehearsal.pk}/motion/samples")),
    Address("get", "rehearsals/<int:rehearsal>/changes", "viewer", _get(lambda t: f"/api/rehearsals/{t.rehearsal.pk}/changes")),
    Address("get", "rehearsals/<int:rehearsal>/screens", "viewer", _get(lambda t: f"/api/rehearsals/{t.rehearsal.pk}/screens?size=320x200")),
    Address("get", "rehearsals/<int:rehearsal>/films", "viewer", _get(lambda t: f"/api/rehearsals/{t.rehearsal.pk}/films")),
    Address("post", "rehearsals/<int:rehearsal>/films", "editor", _json("post", lambda t: f"/api/rehearsals/{t.rehearsal.pk}/films", {"kind": "apng", "width": 10})),
    Address("delete", "films/<int:film>", "editor", _json("delete", lambda t: f"/api/films/{t.film.pk}")),
    Address("get", "films/<int:film>/file", "viewer", _get(lambda t: f"/api/films/{t.film.pk}/file")),
    Address("get", "rehearsals/<int:rehearsal>/package", "viewer", _get(lambda t: f"/api/rehearsals/{t.rehearsal.pk}/package")),
    Address("get", REHEARSED, "viewer", _get(lambda t: f"/api/rehearsals/{t.rehearsal.pk}/pictures/together/{t.illustration.revision.preview}")),
    Address("get", f"{ILLUSTRATION}/deliveries", "viewer", _get(lambda t: f"/api/illustrations/{t.illustration.pk}/deliveries")),
    Address("post", f"{ILLUSTRATION}/deliveries", "editor", _json("post", lambda t: f"/api/illustrations/{t.illustration.pk}/deliveries", lambda t: {"to": "Maren", "days": 3, "hand_over": t.hand_over.pk})),
    Address("delete", "deliveries/<int:delivery>", "editor", _json("delete", lambda t: f"/api/deliveries/{t.delivery.pk}")),
    Address("get", f"{ILLUSTRATION}/remarks", "viewer", _get(lambda t: f"/api/illustrations/{t.illustration.pk}/remarks")),
    Address("post", "remarks/<int:remark>/answer", "editor", _json("post", lambda t: f"/api/remarks/{t.remark.pk}/answer", {"text": "Yes"})),
    Address("get", "illustrations/<int:illustration>/events", "viewer", _get(lambda t: t.address("events"))),
    Address("get", "jobs/<int:job>", "viewer", _get(lambda t: f"/api/jobs/{t.hand_over.job_id}")),
    Address("post", "jobs/<int:job>/cancel", "editor", _json("post", lambda t: f"/api/jobs/{t.waiting.revision.job_id}/cancel")),
]  # fmt: skip

# What belongs to no project: the session, one's own password and projects, the list of licences, moving in, one's own shelf (`test_shelf`), accounts and links (`test_people`), the API's description, the page itself.
OF_NO_PROJECT = {
    "session",
    "sessions",
    "sessions/<int:number>",
    "password",
    "service",
    "sign-in/service",
    "two-step",
    "two-step/secret",
    "two-step/codes",
    "two-step/off",
    "projects",
    "room",
    "licences",
    "projects/move-in",
    "shelf",
    "roots",
    "bin",
    "queue",
    "audit",
    "accounts",
    "accounts/invitations",
    "accounts/<int:account>",
    "accounts/<int:account>/new-password",
    "come-in/<str:token>",
    "come-in/<str:token>/mail",
    # Whoever has the token of a link (test_receivers).
    "received/<str:token>",
    "received/<str:token>/picture",
    "received/<str:token>/package",
    "received/<str:token>/remarks",
    "may-upload",
    "shelf/<int:kept>",
    "shelf/<int:kept>/picture",
    "schema",
    r"^(?!api/|assets/|health/|metrics$).*$",
    # Nothing of a project, and what it tells depends on the machine that asks (test_operations).
    "health/live",
    "health/ready",
    "metrics",
}


class AccessTests(ServerTestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        cls.users["eve"] = User.objects.create_user("eve")
        set_role(cls.project, "eve", "viewer")
        cls.recipe = save_recipe(cls.project, cls.users["ada"], RECIPE)
        cls.hand_over = handed_over(cls.illustration, cls.users["ada"], 1)
        cls.together = ProjectHandOver.objects.create(
            project=cls.project, number=1, title="Marsh Line", files=cls.hand_over.files[:1]
        )
        cls.waiting = kept(cls.project)
        blob = cls.illustration.revision.preview
        cls.rehearsal = Rehearsal.objects.create(
            illustration=cls.illustration, archive=blob, pictures={"together.png": blob, "package.zip": blob}
        )
        cls.film = Film.objects.create(
            rehearsal=cls.rehearsal, kind="apng", document={}, file=cls.illustration.revision.preview
        )
        cls.delivery = deliver(cls.illustration, cls.users["ada"], "Maren", 3, cls.hand_over.recipe["name"])[0]
        cls.remark = Remark.objects.create(delivery=cls.delivery, part="x", path="x", text="?")
        cls.archive = Archive.objects.create(project=cls.project, direction=Archive.Direction.OUT, sha256=blob)

    def template_of(self, client: Client) -> int:
        """A template on the shelf of whoever is signed in."""
        places = [{"path": ["sky"], "box": [0, 0, 1, 1], "pivot": [0.5, 0.5], "parent": None}]
        return self.kept(client, "template", {"places": places})

    def motion_of(self, client: Client) -> int:
        """A motion there."""
        turn = {"target": "s", "property": "rotate", "keys": [{"at": 0, "value": 5}]}
        part = {"id": "s", "path": "sky", "role": "picture", "about": [0, 0], "size": [1, 1]}
        return self.kept(client, "motion", {"motion": {"tracks": [turn]}, "parts": [part]})

    def kept(self, client: Client, kind: str, value: Any) -> int:
        user = client.session.get("_auth_user_id")
        return 0 if user is None else Kept.objects.create(user_id=user, kind=kind, name="x", value=value).pk

    def test_no_address_is_forgotten_here(self) -> None:
        listed = {(address.pattern, address.method) for address in ADDRESSES}
        self.assertEqual({found for found in addresses() if found[0] not in OF_NO_PROJECT}, listed)

    def test_strangers_and_visitors_learn_nothing(self) -> None:
        for address in ADDRESSES:
            with self.subTest(address.pattern, method=address.method):
                self.assertEqual(address.call(self, self.dora).status_code, 404, "a stranger")
                self.assertEqual(address.call(self, Client()).status_code, 403, "nobody signed in")

    def test_a_role_that_is_too_small_is_refused_and_one_that_is_enough_is_not(self) -> None:
        for address in ADDRESSES:
            for name, role in ROLES.items():
                may = RANK.index(role) >= RANK.index(address.role)
                with self.subTest(address.pattern, method=address.method, role=role):
                    sid = transaction.savepoint()
                    status = address.call(self, self.signed_in(name)).status_code
                    transaction.savepoint_rollback(sid)
                    if may:
                        self.assertNotIn(status, (403, 404, 405, 500))
                    else:
                        self.assertEqual(status, 403)

    def test_an_image_of_another_project_is_not_found_under_ones_own(self) -> None:
        own = start_project(self.users["dora"], "Elsewhere")
        illustration = brought_in(own)
        foreign = "0" * 64
        self.assertEqual(self.dora.get(f"/api/illustrations/{illustration.pk}/images/{foreign}").status_code, 404)
        self.assertEqual(self.dora.get(self.address(f"images/{illustration.revision.preview}")).status_code, 404)

    def test_lists_hold_ones_own_projects_only(self) -> None:
        self.assertEqual([found["name"] for found in self.cleo.get("/api/projects").json()], ["Marsh Line"])
        self.assertEqual(self.dora.get("/api/projects").json(), [])

    def test_a_member_who_was_sent_away_has_no_access_any_more(self) -> None:
        self.assertEqual(self.cleo.get(self.address("arrangement")).status_code, 200)
        self.ada.delete(f"/api/projects/{self.project.pk}/members/{self.users['cleo'].pk}")
        self.assertEqual(self.cleo.get(self.address("arrangement")).status_code, 404)
        self.assertEqual(self.cleo.get(f"/api/hand-overs/{self.hand_over.pk}/package").status_code, 404)


def addresses() -> set[tuple[str, str]]:
    """Every (pattern, method) that the server knows."""
    found: set[tuple[str, str]] = set()

    def walk(patterns: list[Any]) -> None:
        for pattern in patterns:
            if isinstance(pattern, URLResolver):
                walk(pattern.url_patterns)
            elif isinstance(pattern, URLPattern):
                text = str(pattern.pattern).removeprefix("api/")
                view = getattr(pattern.callback, "cls", None)
                methods = [m for m in ("get", "post", "put", "patch", "delete") if view and hasattr(view, m)]
                found.update((text, method) for method in (methods if view and issubclass(view, APIView) else ["get"]))

    walk(get_resolver().url_patterns)
    return found
