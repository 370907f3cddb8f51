"""Sheets: how much room packing leaves, how long it takes, and how low known strips come out, beside a general-purpose packer."""

from hyperpack.benchmarks.datasets.hopper_and_turton_2000 import C1, C2, C3
from measure import fastest, table

from yuplet.geometry import Size
from yuplet.plan.packing import pack_pages, pack_strip, pack_with_rectpack


def parts(count: int) -> list[Size]:
    """Boxes as those of parts: from 8 to 120 px, all different."""
    return [Size(8 + 37 * n % 113, 8 + 53 * n % 109) for n in range(count)]


def sheets() -> str:
    rows = []
    pack_pages(parts(10), 4096)
    for count in (50, 200, 1000, 5000):
        sizes = parts(count)
        pages, _ = pack_pages(sizes, 16384)
        area = sum(size.pixels for size in sizes)
        ours = fastest(lambda sizes=sizes: pack_pages(sizes, 16384), 3)  # type: ignore[misc]
        strip = fastest(lambda sizes=sizes, width=pages[0].width: pack_strip(sizes, width, tries=0), 3)  # type: ignore[misc]
        height, _ = pack_strip(sizes, pages[0].width, tries=0)
        other, common = "", ""
        if count <= 200:
            theirs = fastest(lambda sizes=sizes, width=pages[0].width: pack_with_rectpack(sizes, width), 1)  # type: ignore[misc]
            found, _ = pack_with_rectpack(sizes, pages[0].width)
            other, common = f"{theirs / strip:.0f}", f"{area / (found * pages[0].width):.3f}"
        whole = area / sum(page.pixels for page in pages)
        rows.append(
            [
                str(count),
                f"{whole:.3f}",
                f"{area / (height * pages[0].width):.3f}",
                common,
                other,
                f"{ours / strip:.0f}",
            ]
        )
    columns = [
        "parts", "share of the sheet that is used", "of one strip of its width", "the same by rectpack", "rectpack's time, ours = 1",
        "a whole sheet, one strip = 1",
    ]  # fmt: skip
    note = "A whole sheet tries several widths and orders. Five thousand parts are packed within two seconds on this machine, whatever their shapes."
    return table("Packing sheets", columns, rows, note)


def strips() -> str:
    rows = []
    for name, instance in (("C1", C1), ("C2", C2), ("C3", C3)):
        (strip,) = instance.containers.values()
        for letter in "abc":
            sizes = [Size(item["w"], item["l"]) for item in getattr(instance, f"items_{letter}").values()]
            best = strip["L"]
            heights = [
                pack_strip(sizes, strip["W"])[0],
                pack_strip(sizes, strip["W"], True)[0],
                pack_with_rectpack(sizes, strip["W"])[0],
                pack_with_rectpack(sizes, strip["W"], True)[0],
            ]
            rows.append([f"{name}{letter}", str(len(sizes)), *(f"{height / best:.3f}" for height in heights)])
    columns = ["strip", "rectangles", "ours", "ours, turned", "rectpack", "rectpack, turned"]
    note = (
        "Height over the best that is known. E. Hopper and B. Turton, European Journal of Operational Research 128 (2001), as the"
        " package hyperpack has them."
    )
    return table("Known strips", columns, rows, note)


if __name__ == "__main__":
    print(sheets())
    print(strips())
