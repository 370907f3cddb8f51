"""How somebody asks for a package to be read."""

from dataclasses import dataclass

from yuplet.errors import PackageError
from yuplet.rehearsal.lining_up import FARTHEST, Laid, Proposal
from yuplet.rehearsal.picture import Way


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """How a package is to be read; whatever is None is proposed from what is found.

    `manifest` is that of one of the scales; `way` is one of the ways that were proposed; `grid` are the columns and rows of a sheet;
    `reference` is the file to compare with; `places` are where images that are lined up lie, back to front, and `proposals` what was proposed for them
    before, which is kept. Planes without a manifest stand a `step` behind each other, the camera at a `distance` before the front-most, all in pixels.
    """

    manifest: str | None = None
    way: Way | None = None
    grid: tuple[int, int] | None = None
    reference: str | None = None
    places: tuple[Laid, ...] | None = None
    proposals: tuple[Proposal, ...] = ()
    step: float = 100.0
    distance: float = 1000.0

    def __post_init__(self) -> None:
        if not (0 < self.step <= FARTHEST and 1 <= self.distance <= FARTHEST):
            raise PackageError(
                f"Planes stand a step above 0 and a distance of 1 to {FARTHEST:,} px apart. Give others."
            )
