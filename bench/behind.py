"""How right what is filled in behind a part is, on figures of open part sets (`known_parts` has their licences): each is drawn once more without
the part, and that is what should be there.

Two measures a style: the share of the part's pixels whose colour is right (CIEDE2000 up to 5), and how much of the borders that run on beneath
the part is found within 2 px, and the reverse (the F-score of D. Martin, C. Fowlkes and J. Malik, PAMI 26(5), 2004).
"""

import argparse
import json

import cv2
import numpy as np
from known_parts import DRAWN, FITTING, JUDGING, SEEN, drawn_svg, ground_of, owners_of, sources_of
from lxml import etree
from measure import table
from numpy.typing import NDArray
from scipy import ndimage
from take_apart import colour_away

from yuplet.derivation.content import Content
from yuplet.derivation.cutting import cut_out, label_map
from yuplet.geometry import Box
from yuplet.pixels.oklab import to_oklab
from yuplet.selecting.masks import grown, softened

RIGHT = 5.0
SIDE = 512
_BORDER = 0.05
"""Step of OKLab that is a border."""


def laid(svg: str, number: int, without: str | None = None) -> NDArray[np.uint8]:
    root = etree.fromstring(svg.encode())
    if without is not None:
        for group in root.findall(f".//{{*}}g[@data-part='{without}']"):
            # Parts may be drawn within others, and stay.
            for one in [one for one in group.iter(*DRAWN) if part_of(one) == without]:
                one.getparent().remove(one)
    over = drawn_svg(etree.tostring(root).decode(), SIDE)
    alpha = over[..., 3:] / 255
    picture = np.full_like(over, 255)
    picture[..., :3] = np.round(over[..., :3] * alpha + ground_of("plain", SIDE, number) * (1 - alpha))
    return picture


def part_of(element: etree._Element) -> str | None:
    return next((one.get("data-part") for one in element.iterancestors() if one.get("data-part")), None)


def borders(picture: NDArray[np.uint8]) -> NDArray[np.bool_]:
    colours = to_oklab(picture[..., :3])
    around = np.ones((3, 3), np.uint8)
    steps = np.sqrt(sum((cv2.dilate(one, around) - cv2.erode(one, around)) ** 2 for one in cv2.split(colours)))
    return np.asarray(steps > _BORDER)


def f_score(ours: NDArray[np.bool_], truth: NDArray[np.bool_], inside: NDArray[np.bool_]) -> float | None:
    one, other = ours & inside, truth & inside
    if not one.any() and not other.any():
        return None
    if not one.any() or not other.any():
        return 0.0
    away_from_truth = ndimage.distance_transform_edt(~truth)
    away_from_ours = ndimage.distance_transform_edt(~ours)
    precision, recall = (away_from_truth[one] <= 2).mean(), (away_from_ours[other] <= 2).mean()
    return float(2 * precision * recall / max(precision + recall, 1e-9))


def of_style(style: str, each: int, how: str) -> tuple[list[float], list[float]]:
    right, scores = [], []
    for line in sources_of((style,)).splitlines()[:each]:
        one = json.loads(line)
        svg, number = one["svg"], one["number"]
        picture = laid(svg, number)
        owner, names = owners_of(svg, SIDE)
        box = Box(0, 0, SIDE, SIDE)
        for part in range(len(names), 0, -1):
            mask = owner == part
            # What is drawn outside of any part cannot be left out of a drawing.
            if mask.mean() < SEEN or names[part - 1] == "figure":
                continue
            # As it is taken out by default: grown by 1 px, with an edge of 2 px.
            soft = softened(grown(mask, 1), 2.0)
            cut = cut_out(Content(box, picture), label_map(picture, [soft]), how, soft)
            assert cut.left is not None
            truth, ours = laid(svg, number, names[part - 1]), cut.left.content.picture
            right.append(float((colour_away(ours[mask][None], truth[mask][None]) <= RIGHT).mean()))
            score = f_score(borders(ours), borders(truth), cv2.erode(mask.astype(np.uint8), np.ones((5, 5))) > 0)
            if score is not None:
                scores.append(score)
    return right, scores


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--each", type=int, default=18)
    parser.add_argument("--styles", nargs="*", default=JUDGING, choices=[*FITTING, *JUDGING])
    options = parser.parse_args()
    rows = []
    for style in options.styles:
        for how in ("flat", "painted"):
            right, scores = of_style(style, options.each, how)
            rows.append(
                [
                    f"{style}, {how}",
                    str(len(right)),
                    f"{np.mean(right):.3f}",
                    f"{np.median(right):.3f}",
                    f"{np.mean(scores):.2f}",
                ]
            )
    heads = [f"style, {SIDE}²", "parts", "right colour", "median", "borders, F"]
    print(table("Filling behind parts", heads, rows, "One part at a time."))


if __name__ == "__main__":
    main()
