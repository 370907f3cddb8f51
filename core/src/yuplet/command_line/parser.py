"""What can be asked of the command line."""

import argparse
import importlib
import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, TypeAlias

from yuplet.version import __version__

if TYPE_CHECKING:
    Commands: TypeAlias = "argparse._SubParsersAction[argparse.ArgumentParser]"

_ONLY_ANSWERS = ("pick", "recipes", "completion")
"""Commands that are asked for nothing but what they print."""
_A_FILE = "a picture of any kind that is read; - for standard input"


def parser() -> argparse.ArgumentParser:
    """All commands with their arguments; nothing heavy is loaded before one runs."""
    made = argparse.ArgumentParser(prog="yuplet", description="Separate illustrations into parts and hand them over.")
    made.add_argument("--version", action="version", version=f"Yuplet {__version__}")
    commands = made.add_subparsers(required=True, metavar="COMMAND")
    _inspecting(commands)
    _handing_over(commands)
    _arranging(commands)
    _proving(commands)
    completion = _command(
        commands, "completion", "print what a shell needs to complete commands", "completion", "print_it"
    )
    completion.add_argument("shell", choices=["bash", "zsh", "tcsh"])
    return made


def _command(commands: "Commands", name: str, text: str, module: str, function: str) -> argparse.ArgumentParser:
    made = commands.add_parser(name, help=text, description=f"{text[0].upper()}{text[1:]}.")
    if name not in _ONLY_ANSWERS:
        made.add_argument("-q", "--quiet", action="store_true", help="print errors only")
    made.set_defaults(run=_loaded(module, function))
    return made


def _loaded(module: str, function: str) -> Callable[[argparse.Namespace], int]:
    """What runs a command, whose module is loaded then."""

    def run(options: argparse.Namespace) -> int:
        status: int = getattr(importlib.import_module(f"yuplet.command_line.{module}"), function)(options)
        return status

    return run


def _takes_a_file(made: argparse.ArgumentParser, arranged: bool = True) -> None:
    made.add_argument("file", metavar="FILE", help=_A_FILE)
    _takes_a_title(made)
    if arranged:
        _takes_an_arrangement(made)


def _takes_a_title(made: argparse.ArgumentParser) -> None:
    made.add_argument("--title", default="picture", metavar="TEXT", help="title of a picture from standard input")


def _takes_an_arrangement(made: argparse.ArgumentParser) -> None:
    made.add_argument("--arrangement", type=Path, metavar="A.json", help="arrangement file as 'arrange' writes it")


def _takes_a_recipe(made: argparse.ArgumentParser) -> None:
    made.add_argument(
        "--recipe", metavar="R", help="recipe file, or the name of one shipped with Yuplet; 'recipes' lists those"
    )


def _inspecting(commands: "Commands") -> None:
    made = _command(commands, "inspect", "list the layers of a file", "looking", "inspect")
    _takes_a_file(made, arranged=False)
    made.add_argument("--longest", type=_positive, metavar="N", help="scale vector art so that its longer side is N px")
    made.add_argument("--ppi", type=_positive, metavar="N", help="resolution of vector art in ppi (default 96)")
    made.add_argument("--names", metavar="ATTRIBUTE", help="attribute that holds the names of vector art")
    made.add_argument("--json", action="store_true", help="print JSON instead of a table")
    check = _command(commands, "check", "list the findings before a hand-over", "handing_over", "check")
    _takes_a_file(check)
    check.add_argument("--json", action="store_true", help="print JSON instead of a line for each")
    check.add_argument(
        "--fail-on",
        choices=["error", "warning", "note"],
        default="error",
        help="exit with 1 if a finding is at least this severe (default: error)",
    )


def _handing_over(commands: "Commands") -> None:
    plan = _command(commands, "plan", "list the files that a hand-over would write", "handing_over", "plan")
    _takes_a_file(plan)
    _takes_a_recipe(plan)
    plan.add_argument("--json", action="store_true", help="print JSON instead of a line for each file")
    made = _command(
        commands,
        "handover",
        "hand over every layer of a file, or the parts of an arrangement",
        "handing_over",
        "hand_over",
    )
    made.add_argument("file", metavar="FILE", nargs="+", help=f"{_A_FILE}; or several, or patterns")
    _takes_a_title(made)
    _takes_an_arrangement(made)
    made.add_argument(
        "--each", action="store_true", help="write into a folder with the file's name in DIR, even for one file"
    )
    made.add_argument(
        "--beside",
        action="store_true",
        help="use NAME.arrangement.json and NAME.recipe.json beside each file, if they exist",
    )
    made.add_argument("--jobs", type=_positive, default=1, metavar="N", help="number of files at once")
    watch = _command(commands, "watch", "hand over now and whenever the file is saved", "handing_over", "watch")
    watch.add_argument("file", metavar="FILE", type=Path)
    _takes_an_arrangement(watch)
    for one in (made, watch):
        _takes_a_recipe(one)
        one.add_argument(
            "--out", type=Path, required=True, metavar="DIR", help="an empty folder, or an earlier package"
        )
        one.add_argument("--workers", type=_positive, default=os.cpu_count() or 1, metavar="N", help="threads")
        one.add_argument(
            "--effort", choices=["quick", "normal", "small"], help="PNG compression, overriding the recipe"
        )
        one.add_argument(
            "--overwrite",
            action="store_true",
            help="also overwrite files of the earlier package that were changed since",
        )
        one.add_argument("--remove-obsolete", action="store_true", help="remove files that the package no longer has")
        one.add_argument(
            "--prove-everything",
            action="store_true",
            help="also verify what is unchanged since the earlier package was verified",
        )


def _arranging(commands: "Commands") -> None:
    arrange = _command(
        commands, "arrange", "apply commands to the parts of a file and write the arrangement", "arranging", "arrange"
    )
    _takes_a_file(arrange)
    arrange.add_argument("--out", type=Path, required=True, metavar="A.json")
    arrange.add_argument(
        "--commands", type=Path, metavar="C.json", help="a list of commands; without, the first arrangement is written"
    )
    pick = _command(commands, "pick", "print what clicks select in a flat picture, as JSON lines", "arranging", "pick")
    pick.add_argument("file", metavar="FILE", type=Path)
    pick.add_argument("--layer", metavar="NAME", help="use one layer instead of the visible picture")
    pick.add_argument(
        "--clicks",
        required=True,
        metavar="CLICKS",
        help='a JSON list of {"x", "y", "add"} a line, each answered by a line of JSON; - for standard input',
    )
    propose = _command(
        commands, "propose", "write the nested regions of a flat picture as label images", "arranging", "propose"
    )
    propose.add_argument("file", metavar="FILE", type=Path)
    propose.add_argument("--layer", metavar="NAME", help="use one layer instead of the visible picture")
    propose.add_argument("--out", type=Path, required=True, metavar="DIR")


def _proving(commands: "Commands") -> None:
    _command(
        commands,
        "recipes",
        "list the recipes shipped with Yuplet, with their purposes and files, as JSON",
        "looking",
        "recipes",
    )
    prove = _command(
        commands,
        "prove",
        "rebuild the picture from a package and compare it with the reference picture",
        "looking",
        "prove",
    )
    prove.add_argument("folder", metavar="DIR", type=Path)
    attempt = _command(
        commands,
        "try",
        "open a package as a target program would, rebuild the picture and compare",
        "looking",
        "try_out",
    )
    attempt.add_argument("folder", metavar="DIR", type=Path)
    attempt.add_argument("--manifest", metavar="FILE", help="manifest of another scale of the package")
    attempt.add_argument("--missing-in", type=Path, metavar="DIR", help="look for missing files in this folder")
    attempt.add_argument("--way", help="how to read the package; the output lists the ways")
    attempt.add_argument(
        "--columns", type=_positive, metavar="N", help="columns of frames, for a sheet without a table"
    )
    attempt.add_argument("--rows", type=_positive, metavar="N", default=1)
    attempt.add_argument("--reference", metavar="FILE", help="the picture in the folder to compare with")
    attempt.add_argument(
        "--places", type=Path, metavar="P.json", help="positions of lined-up images, as 'places' in the output"
    )
    attempt.add_argument(
        "--package",
        type=Path,
        metavar="DIR",
        help="write lined-up images as a package with a manifest into this folder",
    )
    attempt.add_argument(
        "--pictures", type=Path, metavar="DIR", help="write the rebuilt picture, and the difference, into this folder"
    )
    attempt.add_argument(
        "--step", type=float, metavar="PX", default=100.0, help="distance between planes without a manifest"
    )
    attempt.add_argument(
        "--distance", type=float, metavar="PX", default=1000.0, help="camera distance for these planes"
    )
    attempt.add_argument(
        "--screen",
        metavar="WxH",
        action="append",
        default=[],
        help="positions of interface parts on a screen of this size, with findings; may be repeated",
    )
    attempt.add_argument("--motion", type=Path, metavar="M.json", help="motion of the parts (docs/formats/motion.md)")
    attempt.add_argument("--at", type=_seconds, metavar="SECONDS", default=0.0, help="time of the picture of --out")
    attempt.add_argument("--out", type=Path, metavar="P.png", help="write the picture at that time")
    attempt.add_argument(
        "--film",
        type=Path,
        metavar="FILE",
        help=".png (animated), .webp, .gif, .webm, or .zip of numbered PNG; or what plays the motion: .html, .svg, .glb, .json",
    )
    attempt.add_argument("--width", type=_positive, metavar="PX", help="width of the picture and the film")
    again = _command(
        commands,
        "refresh",
        "compare two packages and print the differences as JSON",
        "looking",
        "refresh",
    )
    again.add_argument("before", metavar="OLD", type=Path)
    again.add_argument("after", metavar="NEW", type=Path)


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
