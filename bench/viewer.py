"""Flip, pan and zoom in headless Chromium on 24-megapixel pictures, beside an empty page's frame rate."""

import tempfile
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, sync_playwright

from mistline.store import cluster
from mistline.store.settings import ROOT
from tests.harness import running, until

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


def rows() -> list[list[str]]:
    poster = cv2.imencode(".png", cv2.imread(str(ROOT / "demo/media/hoarding-poster.png")))[1].tobytes()
    with tempfile.TemporaryDirectory() as name:
        Path(name).chmod(0o755)
        url = cluster.start(Path(name) / "postgres")
        try:
            with running(url, Path(name)) as app:
                key = app.start_trial(app.read("poster.png", poster)["id"], "Bicubic", "Lanczos 3")
                app.finished(key, 300)
                with sync_playwright() as playwright:
                    browser = playwright.chromium.launch(executable_path="/usr/bin/chromium")
                    found = _measure(browser.new_page(viewport={"width": 1280, "height": 800}), app.address, key)
                    browser.close()
                return found
        finally:
            cluster.stop(Path(name) / "postgres")
