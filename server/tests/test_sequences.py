"""Two people, every kind of command, answers that were lost, undo and redo in any order: the rows are those of a plain, slow model.

The model keeps the whole arrangement and a list of steps, knows no database, and makes its layers in memory. Sequences are made by
Hypothesis (https://hypothesis.readthedocs.io), the same at every run.
"""

import io
import json
import random
import tempfile
import uuid
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from command_samples import SAMPLES, figure
from django.test import Client, TransactionTestCase
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from tests.cases import brought_in, make_project
from yuplet.arrangement.commands import Command, apply, to_json
from yuplet.arrangement.first import first_arrangement
from yuplet.arrangement.records import RowRecord, to_records
from yuplet.arrangement.tree import Arrangement, Decisions, PartGroup
from yuplet.editing.commands import CODEC
from yuplet.editing.edit import edited
from yuplet.editing.layers import MemoryLayers
from yuplet.errors import YupletError
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration
from yuplet.writing.openraster import write
from yuplet_server.arrangement.models import Arrangement as KeptArrangement
from yuplet_server.arrangement.models import Step
from yuplet_server.arrangement.queries import record_of

# Those that come with a picture are sent to an address of their own.
WITHOUT_PICTURES = [sample for _, sample in SAMPLES if sample.do not in ("paste-picture", "swap-picture")]
PEOPLE = ("ada", "ben")


@dataclass(slots=True)
class Done:
    """A step in the model's list."""

    user: str
    version: int
    step: Command
    back: Command
    is_undone: bool = False

    def rows_of(self, *others: Command) -> set[str]:
        return {row for one in (self.step, *others) for row, _ in one.touched}


@dataclass(slots=True)
class Model:
    """What the server must come to: everything kept whole, nothing remembered."""

    tree: Arrangement
    layers: MemoryLayers
    version: int = 1
    steps: list[Done] = field(default_factory=list)

    def do(self, user: str, seen: int, command: Command) -> bool:
        """Carry out a command that was made while looking at a version; whether it was."""
        others = [one for one in self.steps if one.user != user and one.version > seen]
        if any(not one.step.touched.isdisjoint(command.touched) for one in others):
            return False
        self.layers.version = self.version
        try:
            after, step = edited(self.tree, command, self.layers)
        except YupletError:
            return False
        back = step.inverse(self.tree)
        self.steps = [one for one in self.steps if one.user != user or not one.is_undone]
        self.tree, self.version = after, self.version + 1
        self.steps.append(Done(user, self.version, step, back))
        return True

    def replay(self, user: str, undoing: bool) -> bool:
        """Take back one's last step, or do again what one took back last."""
        own = [one for one in self.steps if one.user == user and one.is_undone != undoing]
        if not own:
            return False
        one = own[-1] if undoing else own[0]
        command = one.back if undoing else one.step
        rows = one.rows_of(command)
        later = [other for other in self.steps if other.version > one.version and not other.is_undone]
        if any(other.user != user and not rows.isdisjoint(other.rows_of()) for other in later):
            return False
        try:
            self.tree = apply(self.tree, command)
        except YupletError:
            return False
        self.version += 1
        one.is_undone = undoing
        return True

    @property
    def records(self) -> list[RowRecord]:
        return list(to_records(self.tree))


def drawn_command(model: Model, names: dict[str, str], sample: Command, chance: random.Random) -> Command:
    """A sample in which each row is another one, of those that there are."""
    rows = [row.id for _, row in model.tree.walk()]
    parts = [part.id for _, part in model.tree.parts()]
    groups = [row.id for _, row in model.tree.walk() if isinstance(row, PartGroup)]
    instead: dict[str, str] = {}

    def other(known: str) -> str:
        if known not in instead:
            pool = groups if known == "beads" and groups else parts if chance.random() < 0.9 else rows
            instead[known] = chance.choice([row for row in pool if row not in instead.values()] or rows)
        return instead[known]

    def changed(value: Any, key: str = "") -> Any:
        if key == "roles":
            return {other(one): role for one, role in value.items()}
        if isinstance(value, dict):
            return {other(one) if one in names else one: changed(inner, one) for one, inner in value.items()}
        if isinstance(value, list):
            return [changed(inner, key) for inner in value]
        if key == "layer":
            return names[value]
        return other(value) if isinstance(value, str) and value in names and key != "name" else value

    value = json.loads(json.dumps(to_json(sample)))
    return CODEC.from_json({**changed(value), "do": sample.do})


ACTIONS = st.lists(
    st.tuples(
        st.sampled_from(PEOPLE),
        st.sampled_from(("do", "do", "do", "do", "again", "undo", "undo", "redo")),
        st.integers(0, 3),
        st.sampled_from(range(len(WITHOUT_PICTURES))),
        st.integers(0, 2**32),
    ),
    min_size=12,
    max_size=30,
)


class SequenceTests(TransactionTestCase):
    def setUp(self) -> None:
        self.project, self.users = make_project()
        self.clients: dict[str, Client] = {}
        for name in PEOPLE:
            self.clients[name] = Client()
            self.clients[name].force_login(self.users[name])
        with SpillFile() as scratch:
            data = io.BytesIO()
            write(data, figure(scratch), scratch)
        self.art = data.getvalue()
        self.kinds: set[str] = set()

    def test_the_rows_are_those_of_a_plain_model(self) -> None:
        @settings(
            max_examples=14,
            deadline=None,
            derandomize=True,
            database=None,
            suppress_health_check=[HealthCheck.too_slow],
            # What fails is told as it is: to make it smaller takes minutes.
            phases=(Phase.generate,),
        )
        @given(ACTIONS)
        def run(actions: list[tuple[str, str, int, int, int]]) -> None:
            with tempfile.TemporaryDirectory() as folder, SpillFile() as scratch:
                self.carry_out(actions, Path(folder), scratch)

        run()
        self.assertGreater(len(self.kinds), 20, "hardly a kind of command was carried out")

    def carry_out(self, actions: list[tuple[str, str, int, int, int]], folder: Path, scratch: SpillFile) -> None:
        illustration = brought_in(self.project, "figure.ora", self.art)
        (folder / "figure.ora").write_bytes(self.art)
        read, _ = read_illustration(folder / "figure.ora", scratch)
        tree, _ = first_arrangement(read)
        model = Model(tree, MemoryLayers(read, scratch))
        names = {row.name: row.id for _, row in tree.walk()}
        sent: dict[str, tuple[str, dict[str, Any], Any]] = {}
        for user, what, lag, kind, seed in actions:
            before = model.version
            if what == "again":
                if user not in sent:
                    continue
                rest, body, made = sent[user]
                answer = self.send(user, illustration.pk, rest, body)
                self.assertEqual((answer.status_code, answer.json()["made"]), (200, made))
            elif what == "do":
                seen = max(1, model.version - lag)
                command = drawn_command(model, names, WITHOUT_PICTURES[kind], random.Random(seed))
                body = {"id": str(uuid.uuid4()), "version": seen, "command": json.loads(json.dumps(to_json(command)))}
                is_done = model.do(user, seen, command)
                answer = self.send(user, illustration.pk, "steps", body)
                self.assertEqual(answer.status_code == 200, is_done, (command, answer.content))
                self.assertIn(answer.status_code, (200, 409, 422), answer.content)
                if is_done:
                    self.kinds.add(command.do)
                    sent[user] = ("steps", body, answer.json()["made"])
            else:
                body = {"id": str(uuid.uuid4()), "version": before}
                is_done = model.replay(user, what == "undo")
                answer = self.send(user, illustration.pk, what, body)
                self.assertEqual(answer.status_code == 200, is_done, (what, answer.content))
                if is_done:
                    sent[user] = (what, body, answer.json()["made"])
            self.assert_same(illustration.pk, model)

    def send(self, user: str, illustration: int, rest: str, body: dict[str, Any]) -> Any:
        return self.clients[user].post(
            f"/api/illustrations/{illustration}/{rest}", json.dumps(body), content_type="application/json"
        )

    def assert_same(self, illustration: int, model: Model) -> None:
        """The rows of the database, read without what the server remembers, and whose steps there are."""
        kept = KeptArrangement.objects.get(pk=illustration)
        self.assertEqual(kept.version, model.version)
        self.assertEqual([record_of(row) for row in kept.rows.order_by("position")], model.records)
        self.assertEqual((kept.alone, Decisions.from_json(kept.decisions)), (model.tree.alone, model.tree.decisions))
        states = Step.objects.filter(arrangement=kept).exclude(state=Step.State.DISCARDED).order_by("version")
        self.assertEqual(
            [(one.version, one.user.username if one.user else "", one.state == Step.State.UNDONE) for one in states],
            [(one.version, one.user, one.is_undone) for one in model.steps],
        )
