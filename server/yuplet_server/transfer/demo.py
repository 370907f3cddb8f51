"""How the demo illustrations are put in order: the same steps that an artist would take, each of which can be taken back."""

from dataclasses import dataclass, replace
from typing import Any

from yuplet.editing.commands import CODEC
from yuplet.plan.recipe import Combination, shipped, to_json
from yuplet_server.accounts.models import User
from yuplet_server.arrangement import actions, queries
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.handovers.actions import ask, save_recipe
from yuplet_server.illustrations.models import Illustration

MOUTHS = ("rest", "smile", "round", "wide", "narrow", "teeth", "tongue", "frown")
WET_COAT, WET_SCARF = (26, 58, 66), (104, 40, 34)


RECIPES = {
    "Brindle": ("cut-out-rig.json", "Brindle for the rig"),
    "Lever frame": ("interface-pieces.json", "Levers for three screens"),
    "Reed marsh": ("planes-in-depth.json", "The marsh in planes"),
    "Semaphore lamp": ("pixel-art.json", "The lamp, four times as large"),
    "Tin inspector": ("layered-file.json", "The inspector, to paint on"),
    "Waybill stamps": ("web-page.json", "Stamps on a page"),
}
"""For each demo illustration the shipped recipe that its own begins with, and what that is called."""
LEVERS = ("lever up", "lever blue up", "lever down", "lever blue down")
EDGES = {"panel shadow": 110, "board": 60, "rim": 40}
FORMS = [
    {"name": "dry", "look": "dry"},
    {
        "name": "drenched, eyes closed",
        "look": "drenched",
        "alternates": {"eye left": "eye closed left", "eye right": "eye closed right"},
    },
    {"name": "without lamp", "hidden": ["lamp"]},
]


@dataclass(frozen=True, slots=True)
class _Artist:
    """Somebody who works at one illustration."""

    illustration: Illustration
    user: User

    @property
    def version(self) -> int:
        return Arrangement.objects.get(pk=self.illustration.pk).version

    def rows(self) -> dict[str, str]:
        """The id of each row by its name and those of the groups around it."""
        tree = queries.tree_of(Arrangement.objects.get(pk=self.illustration.pk))
        return {"/".join((*(group.name for group in around), row.name)): row.id for around, row in tree.walk()}

    def do(self, kind: str, **command: Any) -> list[str]:
        """Carry out a command; return the rows that are new."""
        said = CODEC.from_json({"do": kind, **command})
        before = set(self.rows().values())
        actions.perform(self.illustration.pk, self.user, self.version, said)
        return [row for row in self.rows().values() if row not in before]


def put_in_order(illustration: Illustration, user: User) -> None:
    """Put one of the demo illustrations in order; others stay as they were brought in."""
    artist = _Artist(illustration, user)
    arrange = {"Brindle": _brindle, "Lever frame": _lever_frame, "Reed marsh": _reed_marsh}.get(illustration.name)
    if arrange is not None:
        arrange(artist)


def hand_over(illustration: Illustration, user: User) -> None:
    """Keep a recipe for a demo illustration in its project, and ask for a hand-over by it, which the worker carries out."""
    if illustration.name not in RECIPES:
        return
    file, name = RECIPES[illustration.name]
    recipe = replace(shipped()[file], name=name)
    if illustration.name == "Brindle":
        beside = replace(recipe.extras, overview=("png",), combinations=tuple(Combination(**form) for form in FORMS))  # type: ignore[arg-type]
        recipe = replace(recipe, extras=beside)
    document = to_json(recipe)
    save_recipe(illustration.project, user, document)
    ask(illustration, user, _Artist(illustration, user).version, document)


def _brindle(artist: _Artist) -> None:
    rows = artist.rows()
    artist.do("set-roles", roles={rows["Brindle/ground shadow"]: "ground"})
    artist.do("make-alternates", rows=[rows["Brindle/head/mouths"]])
    for side in ("left", "right"):
        eyes = [rows[f"Brindle/head/eyes/eye {state} {side}"] for state in ("open", "closed")]
        (made,) = artist.do("make-alternates", rows=eyes)
        artist.do("rename-rows", names={made: f"eye {side}"})
    # The cap lies over the ears, and they would be proposed to hang on it.
    head = rows["Brindle/head/head"]
    artist.do("set-joints", parents={rows[f"Brindle/head/ears/ear {side}"]: head for side in ("left", "right")})
    artist.do("propose-joints")
    artist.do("decide", decisions={"required": [f"mouth {shape}" for shape in MOUTHS]})
    _looks(artist, "coat", ["Brindle/coat/coat"], WET_COAT)
    _looks(artist, "scarf", ["Brindle/scarf/scarf end", "Brindle/scarf/scarf"], WET_SCARF)


def _looks(artist: _Artist, name: str, paths: list[str], wet: tuple[int, int, int]) -> None:
    """Parts as they are, and once more drenched by the rain, as two looks."""
    rows = artist.rows()
    dry = [rows[path] for path in paths]
    drenched = []
    for row in dry:
        (copy,) = artist.do("duplicate-part", row=row)
        artist.do("dye", row=copy, colour=wet, shaded=True)
        drenched.append(copy)
    groups = [row for own in (dry, drenched) for row in artist.do("group-rows", rows=own)]
    names = {copy: path.rsplit("/", 1)[1] for copy, path in zip(drenched, paths, strict=True)}
    artist.do("rename-rows", names={groups[0]: "dry", groups[1]: "drenched", **names})
    (looks,) = artist.do("make-alternates", rows=groups)
    artist.do("rename-rows", names={looks: f"{name} by weather"})
    artist.do("show-rows", shown={groups[0]: True})


def _lever_frame(artist: _Artist) -> None:
    artist.do("make-alternates", rows=[artist.rows()["keys"]])
    rows = artist.rows()
    keys = [f"keys/key {state}/{state}" for state in ("rested", "pressed")]
    targets = [rows[f"{key} {piece}"] for key in keys for piece in ("base", "cap")]
    artist.do("set-roles", roles={**dict.fromkeys(targets, "press-target"), rows["panel/board"]: "ground"})
    carried = {
        "panel/board": ["panel/grain"],
        "gauge/case": ["gauge/face", "gauge/scale/ticks", "gauge/scale/danger", "gauge/needle", "gauge/hub", "gauge/glint"],
        **{f"levers/slots/slot {at + 1}": [f"levers/{lever}", f"levers/plate {at + 1}"] for at, lever in enumerate(LEVERS)},
        **{f"{key} base": [f"{key} cap", f"{key} arrow"] for key in keys},
        "lamps/lamp lit/lit ring": ["lamps/lamp lit/halo", "lamps/lamp lit/lit glass"],
        "lamps/lamp out/out ring": ["lamps/lamp out/out glass"],
        "bell/bell foot": ["bell/bell dome"],
        "bell/bell dome": ["bell/bell button", "bell/bell glint"],
    }  # fmt: skip
    artist.do("set-joints", parents={rows[one]: rows[path] for path, inside in carried.items() for one in inside})
    artist.do("set-joints", pivots={rows["bell/bell dome"]: [1090, 560], rows["gauge/needle"]: [230, 235]})
    held = {
        (1, 0.5): [*(f"{key} base" for key in keys), "lamps/lamp lit/lit ring", "lamps/lamp out/out ring", "bell/bell foot"],
        (0.5, 0.5): [f"levers/slots/slot {at + 1}" for at in range(len(LEVERS))],
    }  # fmt: skip
    artist.do("set-fits", anchors={rows[one]: list(at) for at, paths in held.items() for one in paths})
    # Wood and brass may be stretched, corners may not.
    artist.do("set-fits", margins={rows[f"panel/{path}"]: [wide] * 4 for path, wide in EDGES.items()})


def _reed_marsh(artist: _Artist) -> None:
    planes = ("sky", "far embankment", "water", "reeds, far", "fog", "reeds, middle", "reeds, near")
    rows = artist.rows()
    artist.do("join-rows", rows=[rows[plane] for plane in planes])
    artist.do(
        "spread-depths", rows=[row for path, row in artist.rows().items() if path in planes], step=250, nearest=-250
    )
    artist.do("decide", decisions={"distance": 1500, "travel": 400})
