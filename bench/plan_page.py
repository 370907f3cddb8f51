"""The plan of a thousand parts on its page: bytes over the wire and time, in headless Chromium against a running ./start."""

import time

from measure import table
from pile import brought_in, chromium, signed_in


def main() -> str:
    with chromium() as browser, signed_in(browser) as page:
        page.goto(brought_in(page, "one thousand", 1000, 1024))
        page.locator("[data-drawn=true]").wait_for(timeout=120_000)
        sent: dict[str, list[int]] = {"plan": [], "plan/image": []}

        def note(request: object) -> None:
            kind = request.url.split("/api/illustrations/")[-1].partition("/")[2]  # type: ignore[attr-defined]
            if kind in sent:
                sizes = request.sizes()  # type: ignore[attr-defined]
                sent[kind].append(sizes["responseBodySize"] + sizes["responseHeadersSize"])

        page.on("requestfinished", note)
        began = time.perf_counter()
        page.get_by_role("navigation", name="Steps").get_by_role("link", name="Hand over").click()
        page.get_by_role("button", name="Hand over 1,000 parts").wait_for(timeout=60_000)
        planned = time.perf_counter() - began
        picture = page.locator("[data-file$='.png'] img").first
        picture.wait_for(timeout=60_000)
        first = time.perf_counter() - began
        page.wait_for_load_state("networkidle")
        seen = page.locator("[data-file$='.png'] img").count()
        last = time.perf_counter() - began
        page.get_by_role("combobox", name="Recipe", exact=True).select_option("game-sheets.json")
        began = time.perf_counter()
        page.get_by_text("sheets/").first.wait_for(timeout=60_000)
        sheets = time.perf_counter() - began
    rows = [
        ["from the click until the plan is there", f"{planned * 1000:.0f} ms"],
        ["until the first picture of it", f"{first * 1000:.0f} ms"],
        [f"until the {seen} pictures in view", f"{last * 1000:.0f} ms"],
        ["another recipe, on packed sheets, until its plan is there", f"{sheets * 1000:.0f} ms"],
        ["bytes of the plan over the wire", f"{sent['plan'][0]:,}"],
        ["bytes of each picture, with headers", f"{sum(sent['plan/image']) // max(len(sent['plan/image']), 1):,}"],
    ]
    note_ = "1,000 parts on 1024 × 1024 px. The figures are of this machine and mean something beside each other."
    return table("The plan of 1,000 parts", ["what", "figure"], rows, note_)


if __name__ == "__main__":
    print(main())
