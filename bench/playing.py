"""Playing a motion in headless Chromium against a running ./start (software drawing, no graphics card): the work of the page for each picture."""

import json
from dataclasses import replace

from measure import FOLDER, brindle, table
from pile import brought_in, chromium, signed_in
from playwright.sync_api import Page

from yuplet.geometry import Size
from yuplet.illustration.layers import Illustration, LayerGroup, LayerNode
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration
from yuplet.writing import openraster

TURNS = """async () => {
    const id = Number(document.querySelector('#tried-package').value.split(' ')[1]);
    const of = (await (await fetch(location.pathname.replace(/^(\\/illustrations\\/\\d+).*/, '/api$1') + '/rehearsals')).json())
        .find((one) => one.hand_over === id).id;
    const { result } = await (await fetch(`/api/rehearsals/${of}`)).json();
    const key = (at, degrees) => ({ at, writes_keys: true, do: 'pose',
        values: Object.fromEntries(result.parts.map((part) => [part.id, { rotate: degrees }])) });
    const token = document.cookie.split('; ').find((one) => one.startsWith('csrftoken='))?.split('=')[1] ?? '';
    for (const command of [key(0, 0), key(1, 20), key(2, 0)]) {
        const { version } = await (await fetch(`/api/rehearsals/${of}/motion`)).json();
        const body = JSON.stringify({ version, command });
        const headers = { 'Content-Type': 'application/json', 'X-CSRFToken': token };
        const answer = await fetch(`/api/rehearsals/${of}/motion/steps`, { method: 'POST', headers, body });
        if (!answer.ok) throw new Error(await answer.text());
    }
}"""
WORK = """() => {
    window.took = [];
    const frame = window.requestAnimationFrame;
    window.requestAnimationFrame = (draw) => frame((now) => {
        const began = performance.now();
        draw(now);
        const took = performance.now() - began;
        // Between two pictures there is nothing to do.
        if (took > 0.5) window.took.push(took);
    });
}"""


def main() -> str:
    rows = []
    with chromium() as browser, signed_in(browser) as page:
        page.get_by_role("link", name="Brindle").first.click()
        rows.append(["Brindle, 53 parts, its own motion", *played(page)])
        four_figures()
        for name, what in (
            ("four figures", "four such figures, all parts turned"),
            ("two hundred", "200 parts that cover the canvas 60 times, all turned"),
        ):
            page.goto("/")
            page.goto(brought_in(page, name, 200, 2048))
            page.get_by_role("navigation", name="Steps").get_by_text("Hand over").click()
            if not page.get_by_text("no. 1, proved").count():
                page.get_by_role("button", name="Hand over 2").click()
            page.get_by_text("proved").first.wait_for(timeout=300_000)
            rows.append([what, *played(page, TURNS)])
    note = "Fitted to a window of 1280 × 800, six seconds at 24 pictures a second, drawn without a graphics card. A picture may take 42 ms."
    return table("Playing a motion", ["what", "median", "95th percentile", "pictures"], rows, note)


def four_figures() -> None:
    """Brindle four times beside each other: 200 parts."""
    target = FOLDER / "four figures.ora"
    if target.exists():
        return
    with SpillFile() as scratch:
        one, _ = read_illustration(brindle(), scratch)
        wide, high = one.canvas

        def copied(node: LayerNode, number: int) -> LayerNode:
            if isinstance(node, LayerGroup):
                members = tuple(copied(member, number) for member in node.members)
                return replace(node, id=f"{node.id} {number}", members=members)
            key = f"{node.id} {number}"
            if node.box is None:
                return replace(node, id=key)
            scratch.put(key, scratch.whole(node.id))
            return replace(node, id=key, box=node.box.moved(number % 2 * wide, number // 2 * high))

        groups = tuple(
            LayerGroup(f"g{at}", f"figure {at + 1}", tuple(copied(node, at) for node in one.layers)) for at in range(4)
        )
        openraster.write(target, Illustration("four figures", Size(2 * wide, 2 * high), groups), scratch)


def played(page: Page, prepare: str | None = None) -> list[str]:
    """Milliseconds of the main thread for a picture, and how many there were."""
    page.get_by_role("navigation", name="Steps").get_by_text("Try out").click()
    page.get_by_role("radiogroup", name="Pages").get_by_text("Move").click(timeout=120_000)
    page.locator("[data-pictures]").wait_for(timeout=120_000)
    if prepare is not None:
        page.evaluate(prepare)
        page.reload()
        page.get_by_role("radiogroup", name="Pages").get_by_text("Move").click(timeout=120_000)
    page.wait_for_timeout(4000)
    page.evaluate(WORK)
    if page.get_by_role("button", name="Play", exact=True).count():
        page.get_by_role("button", name="Play", exact=True).click()
    page.wait_for_timeout(6000)
    took = sorted(json.loads(page.evaluate("JSON.stringify(window.took)")))
    return [f"{took[len(took) // 2]:.1f} ms", f"{took[int(len(took) * 0.95)]:.1f} ms", str(len(took))]


if __name__ == "__main__":
    print(main())
