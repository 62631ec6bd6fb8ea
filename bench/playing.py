"""Playing a clip: how long its loop loads, whether all frames are shown on time, how long a step takes."""

import tempfile
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.clips import HD, waves
from mistline.store import cluster
from tests.core.media.clips import write_clip
from tests.harness import CHROMIUM, Running, running, until

LOOP, PANES = 48, 4
STEPS = """async () => {
    const canvases = [...document.querySelectorAll('canvas')], times = [];
    for (let turn = 0; turn < 20; turn++) {
        const frame = Number(canvases[0].dataset.frame), start = performance.now();
        window.dispatchEvent(new KeyboardEvent('keydown', { key: turn % 2 ? 'ArrowLeft' : 'ArrowRight' }));
        while (canvases.some(canvas => Number(canvas.dataset.frame) === frame)) {
            await new Promise(requestAnimationFrame);
            if (performance.now() - start > 3000) break;
        }
        times.push(performance.now() - start);
    }
    return times;
}"""
PLAYED = """async rate => {
    const canvas = document.querySelector('canvas'), seen = [];
    const start = performance.now();
    while (performance.now() - start < 4000) {
        await new Promise(requestAnimationFrame);
        if (canvas.dataset.frame !== seen.at(-1)) seen.push(canvas.dataset.frame);
    }
    return (seen.length - 1) / (4 * rate);
}"""


def _played(app: Running, page: Page, folder: Path) -> list[list[str]]:
    clip = write_clip(folder / "play.mkv", "ffv1", "yuv420p", LOOP, rate=Fraction(24), size=HD, picture=waves)
    source = app.read("play.mkv", clip.read_bytes())
    ids = app.recipe_ids("Bilinear", "Bicubic")
    body = {"source_id": source["id"], "setup": {"factor": 2}, "recipe_ids": ids, "frames": LOOP}
    key = app.http.post("/api/trials", json=body).json()["id"]
    app.finished(key, 3000)
    page.goto(f"{app.address}/trials/{key}/look?panes=truth,input,A,B&x=960&y=540&z=1")
    until(lambda: page.locator("canvas[data-shown]:not([data-shown=''])").count() == PANES, 120, "the panes")
    start = time.monotonic()
    page.keyboard.press("Space")
    page.get_by_text("frames/s shown").wait_for(timeout=600_000)
    loading = time.monotonic() - start - 1  # the first second is counted before it is told
    share = page.evaluate(PLAYED, 24)
    page.keyboard.press("Space")
    steps = page.evaluate(STEPS)
    return [
        [f"loading {LOOP} frames of {PANES} panes of 1080p, the visible part at 100 %, from the store",
         f"{loading:.1f} s", f"{LOOP * PANES} views cut", f"{1000 * loading / LOOP / PANES:.0f} ms a view", ""],
        [f"frames shown on time, {PANES} panes at 24 frames/s, once loaded", f"{100 * min(1, share):.1f} %", "", "",
         "at least 99 %"],
        ["a step to the next frame in all panes", f"{np.median(steps):.0f} ms (up to {max(steps):.0f})", "", "",
         "under 50 ms"],
    ]  # fmt: skip


def rows() -> Iterator[list[str]]:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        folder.chmod(0o755)
        url = cluster.start(folder / "postgres")
        try:
            with running(url, folder) as app, sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM)
                yield from _played(app, browser.new_page(viewport={"width": 1280, "height": 800}), folder)
                browser.close()
        finally:
            cluster.stop(folder / "postgres")
