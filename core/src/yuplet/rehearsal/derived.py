"""The places of parts by what else the manifest says of them: shares of the canvas, and depth before a camera."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from yuplet.rehearsal.package import Package, PartEntry
from yuplet.rehearsal.picture import Placed, Scene, Way

Box = tuple[float, float, float, float]
"""Left, top, width, height."""


def scene_from_fractions(scene: Scene, package: Package) -> tuple[Scene, list[str]]:
    """Every image where its shares of the canvas put it, as in an interface that knows nothing else, and what does not fit there."""

    def place(part: PartEntry) -> Box | None:
        said = part.said["fractions"]["canvas"]
        return (
            said["x"] * package.width,
            said["y"] * package.height,
            said["width"] * package.width,
            said["height"] * package.height,
        )

    return _moved(scene, package, "interface", place)


def scene_from_depths(scene: Scene, package: Package) -> tuple[Scene, list[str]]:
    """Every image as it is seen at its depth, enlarged as the manifest says, from the camera before the middle of the canvas, and what does not fit there.

    A size at the depth z is seen D / (D + z) times as large from the distance D (similar triangles).
    """
    distance = package.camera[0] if package.camera is not None else 1.0
    across, down = package.width / 2, package.height / 2

    def place(part: PartEntry) -> Box | None:
        enlarged = part.said["depth"]["scale"]
        if enlarged is None or distance + part.depth <= 0:
            return None
        seen = enlarged * distance / (distance + part.depth)
        return (
            across + (part.left - across) * seen,
            down + (part.top - down) * seen,
            part.width * seen,
            part.height * seen,
        )

    return _moved(scene, package, "planes", place)


_FARTHEST = 1e6
_LEAST = 0.5
"""Pixels from which on an image is in another place."""


def _moved(
    scene: Scene, package: Package, way: Way, place: Callable[[PartEntry], Box | None]
) -> tuple[Scene, list[str]]:
    faults: list[str] = []
    placed: dict[str, Placed] = {}
    for part in package.parts:
        own = scene.placed.get(part.id)
        if own is None:
            continue
        there = place(part)
        if there is None:
            faults.append(f"'{part.label}': it stands behind the camera and is not seen.")
            continue
        left, top, width, height = there
        if not all(abs(side) <= _FARTHEST for side in there):
            faults.append(f"'{part.label}': what is said of its place leads nowhere.")
            continue
        if abs(width - part.width) > _LEAST or abs(height - part.height) > _LEAST:
            faults.append(
                f"'{part.label}': it would be {width:.1f} x {height:.1f} px large, but is {part.width} x {part.height} px."
            )
        placed[part.id] = replace(own, left=round(left), top=round(top))
    return replace(scene, way=way, placed=placed), faults


def depths_by_order(ids: list[str], step: float) -> Mapping[str, float]:
    """Planes at an even `step` in pixels, the front-most in the picture plane; `ids` back to front."""
    return {one: (len(ids) - 1 - at) * step for at, one in enumerate(ids)}


def says_fractions(package: Package) -> bool:
    """Whether a package is made for screens of several sizes."""
    return all(_has_fractions(part.said) for part in package.parts) and any(
        part.said.get("anchor") or part.said.get("margins") or part.said.get("role") == "press-target"
        for part in package.parts
    )


def says_depths(package: Package) -> bool:
    """Whether its parts stand at several depths before a camera."""
    return package.camera is not None and any(part.depth != 0 for part in package.parts)


def _has_fractions(said: Mapping[str, Any]) -> bool:
    return bool(said.get("fractions"))
