"""Commands that look: into files, at recipes, and at packages as a receiver does."""

import argparse
import tempfile
from pathlib import Path

from yuplet.command_line.files import opened
from yuplet.command_line.output import tell


def inspect(options: argparse.Namespace) -> int:
    """`inspect`: the layers of a file."""
    from yuplet.illustration.layers import LayerGroup
    from yuplet.pixels.spill_file import SpillFile
    from yuplet.reading.choices import Choices
    from yuplet.reading.files import read_illustration

    choices = Choices(options.longest, options.ppi, options.names)
    with opened(options.file, options.title) as file, SpillFile() as scratch:
        illustration, report = read_illustration(file, scratch, choices=choices)
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
        tell(options, {"canvas": canvas, "layers": layers, "counts": report.counts, "notes": notes})
        return 0
    if options.quiet:
        return 0
    print(f"{illustration.name}: {illustration.canvas.width} x {illustration.canvas.height} px")
    for path, node in illustration.walk():
        box = "empty" if node.box is None else "{2} x {3} at {0}, {1}".format(*node.box.as_xywh())
        kind = "group" if isinstance(node, LayerGroup) else node.kind
        print(f"{'  ' * len(path)}{node.name}  ({kind}, {box}{'' if node.visible else ', hidden'})")
    for note in report.notes:
        print(f"{note.kind}: {' / '.join(note.path)}{': ' if note.path else ''}{note.sentence}")
    return 0


def recipes(options: argparse.Namespace) -> int:
    """`recipes`: those that come along."""
    from importlib import resources

    from yuplet.plan.recipe import shipped

    folder = resources.files("yuplet.plan") / "recipes"
    tell(
        options,
        {
            "recipes": [
                {"name": recipe.name, "purpose": recipe.purpose, "file": str(folder / file)}
                for file, recipe in shipped().items()
            ]
        },
    )
    return 0


def prove(options: argparse.Namespace) -> int:
    """`prove`: a package put together again and compared."""
    from yuplet.rehearsal.index import has_index, prove_all
    from yuplet.rehearsal.proof import prove

    if has_index(options.folder):
        found = prove_all(options.folder)
        tell(options, found)
        return 0 if found["ok"] else 1
    proof = prove(options.folder, lambda done, total: None)
    tell(options, proof.as_json())
    return 0 if proof.ok else 1


def try_out(options: argparse.Namespace) -> int:
    """`try`: a package opened as a receiver does."""
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
    tell(options, said)
    return 0 if trial.ok else 1


def refresh(options: argparse.Namespace) -> int:
    """`refresh`: what of a second package is otherwise."""
    from yuplet import pipeline

    tell(options, pipeline.refresh(options.before, options.after))
    return 0
