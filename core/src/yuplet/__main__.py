"""The command line: inspect a file, arrange its parts, hand it over, prove a package."""

import argparse
import json
import os
import sys
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

from yuplet.errors import EditedSince, YupletError


def main(arguments: list[str] | None = None) -> int:
    """Run a command; answers the exit status: 0 for success, 1 for a package that is not right, 2 for an error, 3 for a decision that is
    somebody's to take.
    """
    options = _parser().parse_args(arguments)
    try:
        status: int = options.run(options)
    except EditedSince as error:
        print(error, *error.files, "To go on, add --overwrite.", sep="\n", file=sys.stderr)
        return 3
    except YupletError as error:
        print(error, file=sys.stderr)
        return 2
    except OSError as error:
        print(
            f"{error.filename or 'The file'}: {error.strerror}. Check the name, the rights and the room on the disk.",
            file=sys.stderr,
        )
        return 2
    except KeyboardInterrupt:
        print("Stopped. Nothing half-made was kept.", file=sys.stderr)
        return 130
    return status


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="yuplet", description="Separate illustrations into parts and hand them over.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    inspect = commands.add_parser("inspect", help="list the layers of a file")
    inspect.add_argument("file", type=Path)
    inspect.add_argument(
        "--longest", type=_positive, metavar="N", help="scale vector art so that its longer side is N px"
    )
    inspect.add_argument("--ppi", type=_positive, metavar="N", help="pixels to the inch of vector art (else 96)")
    inspect.add_argument("--names", metavar="ATTRIBUTE", help="the attribute that vector art is named by")
    inspect.add_argument("--json", action="store_true", help="print JSON instead of a table")
    inspect.set_defaults(run=_inspect)
    hand_over = commands.add_parser("handover", help="hand over every layer of a file as a trimmed image")
    hand_over.add_argument("file", type=Path)
    hand_over.add_argument(
        "--out", type=Path, required=True, metavar="DIR", help="an empty folder, or an earlier package"
    )
    hand_over.add_argument("--workers", type=_positive, default=os.cpu_count() or 1, metavar="N")
    hand_over.add_argument(
        "--recipe", type=Path, metavar="R.json", help="how to hand over; 'recipes' lists those that come along"
    )
    hand_over.add_argument(
        "--effort", choices=["quick", "normal", "small"], help="how hard to compress PNG, whatever the recipe says"
    )
    hand_over.add_argument(
        "--overwrite", action="store_true", help="also files of the earlier package that somebody has changed since"
    )
    hand_over.add_argument("--remove-obsolete", action="store_true", help="remove files that the package no longer has")
    hand_over.add_argument(
        "--arrangement", type=Path, metavar="A.json", help="names, order, joints and all else, as 'arrange' writes it"
    )
    hand_over.set_defaults(run=_hand_over)
    arrange = commands.add_parser("arrange", help="apply commands to the parts of a file and write the arrangement")
    arrange.add_argument("file", type=Path)
    arrange.add_argument("--out", type=Path, required=True, metavar="A.json")
    arrange.add_argument(
        "--commands", type=Path, metavar="C.json", help="a list of commands; without, the first arrangement is written"
    )
    arrange.add_argument("--arrangement", type=Path, metavar="A.json", help="an earlier one to go on from")
    arrange.set_defaults(run=_arrange)
    pick = commands.add_parser("pick", help="what clicks take of a flat picture, as the interface does it")
    pick.add_argument("file", type=Path)
    pick.add_argument("--layer", metavar="NAME", help="of one layer; without, of the picture as it is seen")
    pick.add_argument(
        "--clicks",
        required=True,
        metavar="FILE",
        help='a JSON list of {"x", "y", "add"} a line, each answered by a line of JSON; - for standard input',
    )
    pick.set_defaults(run=_pick)
    propose = commands.add_parser("propose", help="write the nested pieces of a flat picture as label images")
    propose.add_argument("file", type=Path)
    propose.add_argument("--layer", metavar="NAME", help="of one layer; without, of the picture as it is seen")
    propose.add_argument("--out", type=Path, required=True, metavar="DIR")
    propose.set_defaults(run=_propose)
    recipes = commands.add_parser(
        "recipes", help="list the recipes that come along, with their purposes and files, as JSON"
    )
    recipes.set_defaults(run=_recipes)
    prove = commands.add_parser("prove", help="put a package together again and compare it with its reference picture")
    prove.add_argument("folder", type=Path)
    prove.set_defaults(run=_prove)
    attempt = commands.add_parser("try", help="open a package as a receiver does, put it together and compare it")
    attempt.add_argument("folder", type=Path)
    attempt.add_argument("--manifest", metavar="FILE", help="that of another scale of the package")
    attempt.add_argument("--missing-in", type=Path, metavar="DIR", help="look for what is missing in this folder")
    attempt.add_argument("--way", help="how to read it; what is printed lists the ways")
    attempt.add_argument("--columns", type=_positive, metavar="N", help="of frames, for a sheet without a table")
    attempt.add_argument("--rows", type=_positive, metavar="N", default=1)
    attempt.add_argument("--reference", metavar="FILE", help="the picture in the folder to compare with")
    attempt.add_argument(
        "--places", type=Path, metavar="P.json", help="where images that are lined up lie, as 'places' that is printed"
    )
    attempt.add_argument(
        "--package",
        type=Path,
        metavar="DIR",
        help="write images that are lined up as a package, with a manifest, into this folder",
    )
    attempt.add_argument(
        "--pictures", type=Path, metavar="DIR", help="write what was put together, and the difference, into this folder"
    )
    attempt.add_argument("--step", type=float, metavar="PX", default=100.0, help="between planes without a manifest")
    attempt.add_argument("--distance", type=float, metavar="PX", default=1000.0, help="of the camera before them")
    attempt.add_argument(
        "--screen",
        metavar="WxH",
        action="append",
        default=[],
        help="where its pieces lie on a screen of this size, and what is wrong there; may be given several times",
    )
    attempt.add_argument("--motion", type=Path, metavar="M.json", help="how its parts move (docs/formats/motion.md)")
    attempt.add_argument(
        "--at", type=_seconds, metavar="SECONDS", default=0.0, help="when the picture of --out is seen"
    )
    attempt.add_argument("--out", type=Path, metavar="P.png", help="write the picture that is seen then")
    attempt.add_argument(
        "--film",
        type=Path,
        metavar="FILE",
        help=".png (animated), .webp, .gif, .webm, or .zip of numbered PNG; or what plays the motion: .html, .svg, .glb, .json",
    )
    attempt.add_argument("--width", type=_positive, metavar="PX", help="of the picture and the film")
    attempt.set_defaults(run=_try)
    again = commands.add_parser("refresh", help="what of a second package is otherwise than in the first, as JSON")
    again.add_argument("before", type=Path)
    again.add_argument("after", type=Path)
    again.set_defaults(run=_refresh)
    return parser


def _positive(text: str) -> int:
    value = int(text)
    if value < 1:
        raise argparse.ArgumentTypeError("must be 1 or more")
    return value


def _seconds(text: str) -> float:
    value = float(text)
    if not 0 <= value < 1e6:
        raise argparse.ArgumentTypeError("must be 0 or more")
    return value


def _print(value: dict[str, Any]) -> None:
    print(json.dumps(value, ensure_ascii=False, indent=1))


def _inspect(options: argparse.Namespace) -> int:
    from yuplet.illustration.layers import LayerGroup
    from yuplet.pixels.spill_file import SpillFile
    from yuplet.reading.choices import Choices
    from yuplet.reading.files import read_illustration

    choices = Choices(options.longest, options.ppi, options.names)
    with SpillFile() as scratch:
        illustration, report = read_illustration(options.file, scratch, choices=choices)
    layers = [
        {
            "path": list(path),
            "name": node.name,
            "kind": "group" if isinstance(node, LayerGroup) else node.kind,
            "visible": node.visible,
            "opacity": node.opacity,
            "blend": node.blend,
            "box": node.box.as_xywh() if node.box is not None else None,
        }
        for path, node in illustration.walk()
    ]
    if options.json:
        notes = [{"kind": note.kind, "path": list(note.path), "sentence": note.sentence} for note in report.notes]
        canvas = {"width": illustration.canvas.width, "height": illustration.canvas.height, "ppi": illustration.ppi}
        _print({"canvas": canvas, "layers": layers, "counts": report.counts, "notes": notes})
        return 0
    print(f"{illustration.name}: {illustration.canvas.width} x {illustration.canvas.height} px")
    for path, node in illustration.walk():
        box = "empty" if node.box is None else "{2} x {3} at {0}, {1}".format(*node.box.as_xywh())
        kind = "group" if isinstance(node, LayerGroup) else node.kind
        print(f"{'  ' * len(path)}{node.name}  ({kind}, {box}{'' if node.visible else ', hidden'})")
    for note in report.notes:
        print(f"{note.kind}: {' / '.join(note.path)}{': ' if note.path else ''}{note.sentence}")
    return 0


def _hand_over(options: argparse.Namespace) -> int:
    from yuplet.handover import hand_over_file
    from yuplet.pipeline import read_document
    from yuplet.plan.recipe import Recipe, from_json

    def progress(stage: str, done: int, total: int) -> None:
        if sys.stderr.isatty():
            print(f"\r{stage} {done} of {total}   ", end="\n" if done == total else "", file=sys.stderr)

    given = None if options.arrangement is None else read_document(options.arrangement)
    recipe = Recipe() if options.recipe is None else from_json(_read_recipe(options.recipe))
    if options.effort is not None:
        recipe = replace(recipe, images=replace(recipe.images, effort=options.effort))
    report, renamed, reading = hand_over_file(
        options.file,
        options.out,
        progress,
        options.workers,
        options.remove_obsolete,
        given,
        recipe,
        options.arrangement,
        options.overwrite,
    )
    _print(
        {
            "parts": report.parts,
            "files": report.files,
            "bytes": report.bytes,
            "seconds": report.seconds,
            "differing_pixels": report.proof.differing_pixels,
            "renamed": [{"path": list(item.path), "name": item.name, "reason": item.reason} for item in renamed],
            "obsolete": report.obsolete,
            "kept": report.kept,
            "empty": report.empty,
            "warnings": report.warnings,
            "left_alone": report.left_alone,
            "overwritten": report.overwritten,
            "proof": report.proof.as_json(),
            "notes": [
                {"kind": note.kind, "path": list(note.path), "sentence": note.sentence} for note in reading.notes
            ],
        }
    )
    return 0 if report.proof.ok else 1


def _arrange(options: argparse.Namespace) -> int:
    from yuplet import pipeline
    from yuplet.arrangement.records import differences
    from yuplet.errors import ArrangementError, SelectionError

    given = [] if options.commands is None else pipeline.read_document(options.commands)
    if not isinstance(given, list):
        raise ArrangementError(f"'{options.commands}' holds no list of commands.")
    with pipeline.open(options.file, options.arrangement, options.commands) as work:
        before, steps = work.arrangement, []
        for number, value in enumerate(given, 1):
            try:
                steps.append(work.apply(value if isinstance(value, dict) else {}))
            except (ArrangementError, SelectionError) as error:
                raise ArrangementError(
                    f"Command {number} of {len(given)} cannot be applied. {error} Nothing was written."
                ) from error
        work.save(options.out)
    _print(
        {
            "steps": steps,
            **differences(before, work.arrangement),
            "renamed": [{"path": list(item.path), "name": item.name, "reason": item.reason} for item in work.renamed],
        }
    )
    return 0


def _pick(options: argparse.Namespace) -> int:
    from contextlib import ExitStack

    from yuplet.errors import ArrangementError
    from yuplet.picking import LONGEST, Picking, clicked

    with ExitStack() as stack:
        is_given = options.clicks == "-"
        lines = sys.stdin if is_given else stack.enter_context(Path(options.clicks).open(encoding="utf-8"))
        picking = Picking(options.file, options.layer)
        # A line without an end is not read to its end.
        for number, line in enumerate(iter(lambda: lines.readline(LONGEST + 1), ""), 1):
            if not line.strip():
                continue
            try:
                said = clicked(picking, line)
            except YupletError as error:
                raise ArrangementError(f"Line {number} of the clicks: {error}") from error
            print(json.dumps(said), flush=True)
    return 0


def _propose(options: argparse.Namespace) -> int:
    from yuplet.picking import Picking

    said = Picking(options.file, options.layer).write(options.out)
    _print({"patches": said["patches"], "images": said["images"]})
    return 0


def _recipes(options: argparse.Namespace) -> int:
    from importlib import resources

    from yuplet.plan.recipe import shipped

    folder = resources.files("yuplet.plan") / "recipes"
    _print(
        {
            "recipes": [
                {"name": recipe.name, "purpose": recipe.purpose, "file": str(folder / file)}
                for file, recipe in shipped().items()
            ]
        }
    )
    return 0


def _read_recipe(path: Path) -> Any:
    from yuplet import documents
    from yuplet.errors import RecipeNotUnderstood

    try:
        return documents.parsed(path.read_bytes())
    except ValueError as error:
        raise RecipeNotUnderstood("", f"'{path}' {error}") from error


def _prove(options: argparse.Namespace) -> int:
    from yuplet.rehearsal.proof import prove

    proof = prove(options.folder, lambda done, total: None)
    _print(proof.as_json())
    return 0 if proof.ok else 1


def _try(options: argparse.Namespace) -> int:
    from yuplet import pipeline
    from yuplet.geometry import Size
    from yuplet.loose_package import package_of
    from yuplet.rehearsal.lining_up import laid_from_json
    from yuplet.rehearsal.reading import Reading
    from yuplet.rehearsal.screens import on_screens, pieces_of, screen_from_text
    from yuplet.rehearsal.trying import try_out

    grid = (options.columns, options.rows) if options.columns else None
    with tempfile.TemporaryDirectory() as scratch:
        out = options.pictures or Path(scratch, "pictures")
        out.mkdir(parents=True, exist_ok=True)
        reading = Reading(
            manifest=options.manifest,
            way=options.way or ("lined up" if options.places else None),
            grid=grid,
            reference=options.reference,
            places=laid_from_json(pipeline.read_document(options.places)) if options.places else None,
            step=options.step,
            distance=options.distance,
        )
        trial = try_out(options.folder, reading, Path(scratch), out, elsewhere=options.missing_in)
    if options.package is not None:
        package_of(
            options.folder,
            trial.places,
            Size(trial.width, trial.height),
            options.package,
            options.folder.resolve().name,
            lambda stage, done, total: None,
        )
    said = trial.as_json()
    if options.screen:
        sizes = [screen_from_text(text) for text in options.screen]
        found = on_screens(pieces_of(said), (trial.width, trial.height), sizes)
        said["screens"] = [one.as_json() for one in found]
    if options.motion or options.out or options.film:
        motion = pipeline.read_document(options.motion) if options.motion else None
        said["motion"] = pipeline.move(
            options.folder,
            motion,
            at=options.at,
            picture=options.out,
            film=options.film,
            width=options.width,
            reading=reading,
            elsewhere=options.missing_in,
        )
    _print(said)
    return 0 if trial.ok else 1


def _refresh(options: argparse.Namespace) -> int:
    from yuplet import pipeline

    _print(pipeline.refresh(options.before, options.after))
    return 0


if __name__ == "__main__":
    sys.exit(main())
