"""Flip, pan and zoom in headless Chromium on pictures of 24 to 127 megapixels, beside bare frames and drawImage."""

import tempfile
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench import shown
from mistline.store import cluster
from mistline.store.settings import ROOT
from tests.harness import CHROMIUM, Running, running, until

FLIP = """async () => {
    const canvas = document.querySelector('canvas');
    const times = [];
    for (let turn = 0; turn < 20; turn++) {
        const before = canvas.dataset.shown, start = performance.now();
        window.dispatchEvent(new KeyboardEvent('keydown', { key: turn % 2 ? '1' : '2' }));
        while (canvas.dataset.shown === before || !canvas.dataset.shown) {
            await new Promise(requestAnimationFrame);
            if (performance.now() - start > 3000) break;
        }
        times.push(performance.now() - start);
    }
    return times;
}"""
FRAMES = """async move => {
    const canvas = document.querySelector('canvas');
    const box = canvas ? canvas.getBoundingClientRect() : { left: 0, top: 0 };
    const target = canvas ?? document.body;
    let frames = 0;
    const start = performance.now();
    while (performance.now() - start < 2000) {
        if (move) target.dispatchEvent(new WheelEvent('wheel', {
            deltaY: frames % 60 < 30 ? -12 : 12, clientX: box.left + 300, clientY: box.top + 200,
            bubbles: true, cancelable: true,
        }));
        await new Promise(requestAnimationFrame);
        frames++;
    }
    return frames / 2;
}"""


def _measure(page: Page, address: str, trial: str) -> list[list[str]]:
    page.goto("about:blank")
    idle = page.evaluate(FRAMES, False)
    page.goto(f"{address}/trials/{trial}/look?panes=A&focus=0&x=3000&y=2000&z=1")
    until(lambda: int(page.evaluate("document.documentElement.dataset.preloaded || 0")) >= 5, 60, "preloading")
    flips = page.evaluate(FLIP)
    moving = page.evaluate(FRAMES, True)
    return [
        ["flip between two 24-megapixel takes at 100 %", f"{np.median(flips):.0f} ms (up to {max(flips):.0f})",
         f"one frame {1000 / idle:.0f} ms", f"{np.median(flips) * idle / 1000:.1f} frames", "under 50 ms"],
        ["zoom about the pointer, 24 megapixels", f"{moving:.0f} frames/s", f"empty page {idle:.0f} frames/s",
         f"{moving / idle:.2f}", "60 frames/s"],
    ]  # fmt: skip


TIMED = """async step => {
    const times = [];
    let before = performance.now();
    for (let turn = 0; turn < 240; turn++) {
        step(turn);
        await new Promise(requestAnimationFrame);
        times.push(performance.now() - before);
        before = performance.now();
    }
    return times;
}"""
PANNED = f"""() => ({TIMED})(turn => {{
    const key = Math.floor(turn / 40) % 2 ? 'ArrowLeft' : 'ArrowRight';
    window.dispatchEvent(new KeyboardEvent('keydown', {{ key, code: key, bubbles: true }}));
}})"""
DRAWN = f"""count => {{
    const sheet = (width, height) => Object.assign(document.createElement('canvas'), {{ width, height }});
    const sheets = Array.from({{ length: count }}, () => sheet(1024, 1024));
    const grid = document.body.appendChild(document.createElement('div'));
    grid.style.cssText = 'position:fixed;inset:132px 0 40px;display:grid;grid-template-columns:1fr 1fr;gap:2px';
    const panes = sheets.map(() => grid.appendChild(sheet(639, 290)));
    return ({TIMED})(turn => panes.forEach((pane, at) =>
        pane.getContext('2d', {{ alpha: false }}).drawImage(sheets[at], -(turn % 40) * 8, -50)));
}}"""
FIRST = """async count => {
    const whole = () => document.querySelectorAll("canvas[data-shown]:not([data-shown=''])").length >= count;
    while (!whole()) await new Promise(requestAnimationFrame);
    return performance.now();
}"""


def _begun(app: Running, name: str, size: tuple[int, int], noise: float) -> str:
    """A trial whose truth and input can be looked at; its takes are not waited for."""
    coarse = np.random.default_rng(4).integers(20, 236, (size[1] // 16, size[0] // 16, 3)).astype(np.uint8)
    content = cv2.imencode(".png", cv2.resize(coarse, size, interpolation=cv2.INTER_LINEAR))[1].tobytes()
    body = {"source_id": app.read(name, content)["id"], "setup": {"factor": 1, "noise": noise},
            "recipe_ids": app.recipe_ids("Guided filter")}  # fmt: skip
    key: str = app.http.post("/api/trials", json=body).json()["id"]
    until(lambda: app.trial(key)["input_picture"], 900, "truth and input")
    app.http.post(f"/api/trials/{key}/cancel")
    return key


def _panned(app: Running, page: Page) -> list[list[str]]:
    key, found = _begun(app, "large.png", (7680, 4320), 4), []
    page.goto(f"{app.address}/playbook")
    bare = page.evaluate(DRAWN, 4)
    for what, address, panes in (
        ("pan with 4 panes", "panes=truth,input,truth,input&focus=3", 4),
        ("pan with a wipe", "mode=wipe&panes=truth,input&focus=1", 1),
    ):
        page.goto(f"{app.address}/trials/{key}/look?{address}&x=3000&y=2000&z=1")
        page.evaluate(FIRST, panes)
        page.evaluate(PANNED)
        times = page.evaluate(PANNED)
        found.append(
            [f"{what} of 7680 x 4320, 95th percentile of frame times", f"{np.percentile(times, 95):.1f} ms",
             f"4 bare drawImage {np.percentile(bare, 95):.1f} ms", f"{np.median(times):.1f} ms median",
             "under 17 ms"]
        )  # fmt: skip
    return found


def _huge(app: Running, page: Page) -> list[str]:
    key = _begun(app, "huge.png", (13000, 9770), 0.5)
    address, times = f"{app.address}/trials/{key}/look?panes=truth&focus=0", []
    page.goto(address)
    page.evaluate(FIRST, 1)
    for _ in range(5):
        page.goto("about:blank")
        page.goto(address, wait_until="commit")
        times.append(page.evaluate(FIRST, 1) / 1000)
    empty = []
    for _ in range(5):
        page.goto("about:blank")
        page.goto(f"{app.address}/playbook", wait_until="load")
        empty.append(page.evaluate("performance.now()") / 1000)
    return ["127 megapixels, from an empty page to the first complete view, levels made", shown(times),
            f"the Playbook page {shown(empty)}", f"{np.median(times) / np.median(empty):.1f}", "under 1 s"]  # fmt: skip


def rows() -> Iterator[list[str]]:
    poster = cv2.imencode(".png", cv2.imread(str(ROOT / "demo/media/hoarding-poster.png")))[1].tobytes()
    with tempfile.TemporaryDirectory() as name:
        Path(name).chmod(0o755)
        url = cluster.start(Path(name) / "postgres")
        try:
            with running(url, Path(name)) as app, sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                key = app.start_trial(app.read("poster.png", poster)["id"], "Bicubic", "Lanczos 3")
                app.finished(key, 300)
                yield from _measure(page, app.address, key)
                yield from _panned(app, page)
                yield _huge(app, page)
                browser.close()
        finally:
            cluster.stop(Path(name) / "postgres")
