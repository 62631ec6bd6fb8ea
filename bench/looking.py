"""Spots and parts: a wall of 12 entries at 8 spots, a part measured, maps, a UHD difference, memory while panning."""

import os
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import cv2
import httpx
import numpy as np
import psutil
from playwright.sync_api import Browser, Page, sync_playwright

from bench import shown, timed
from mistline.store import cluster
from tests.conftest import as_png
from tests.harness import CHROMIUM, Running, running, until

VIEWPORT = {"width": 1280, "height": 800}
SIZE, UHD = (1920, 1080), (3840, 2160)
WAYS = [("lanczos", {"lobes": lobes, "light": light}) for lobes in (2, 3, 4) for light in ("encoded", "linear")]
SHARPER = [[{"method": "lanczos"}, {"method": "unsharp_mask", "settings": {"amount": amount}}] for amount in
           (0.2, 0.4, 0.6, 0.8, 1.0, 1.2)]  # fmt: skip
SETTLED = """count => new Promise(done => {
    const look = () => document.querySelectorAll("canvas:not([data-shown=''])[data-shown]").length >= count
        ? done(performance.now()) : requestAnimationFrame(look);
    look();
})"""
PANNED = """async seconds => {
    const canvas = document.querySelector('canvas');
    const start = performance.now();
    for (let turn = 0; performance.now() - start < 1000 * seconds; turn++) {
        const key = ['ArrowRight', 'ArrowDown', 'ArrowLeft', 'ArrowUp'][Math.floor(turn / 40) % 4];
        window.dispatchEvent(new KeyboardEvent('keydown', { key, code: key, bubbles: true }));
        await new Promise(requestAnimationFrame);
    }
}"""


def _picture(size: tuple[int, int]) -> bytes:
    rng = np.random.default_rng(3)
    small = rng.integers(20, 236, (size[1] // 8, size[0] // 8, 3)).astype(np.uint8)
    return as_png(cv2.resize(small, size, interpolation=cv2.INTER_CUBIC))


def _twelve(app: Running) -> str:
    """A trial of twelve entries with eight spots."""
    passes = [[{"method": method, "settings": settings}] for method, settings in WAYS] + SHARPER
    names = [f"Way {number}" for number in range(12)]
    for name, each in zip(names, passes, strict=True):
        answer = app.http.post("/api/recipes", json={"name": name, "passes": each})
        answer.raise_for_status()
    trial = app.start_trial(app.read("wall.png", _picture(SIZE))["id"], *names, factor=2)
    app.finished(trial, 900)
    for number in range(8):
        place = {"left": 200 * number, "top": 100 * number, "width": 200, "height": 200, "name": f"Spot {number}"}
        app.http.post(f"/api/trials/{trial}/spots", json=place).raise_for_status()
    return trial


def _wall(browser: Browser, address: str, trial: str) -> list[str]:
    """Each time a browser that has nothing, scripts and letters neither; the server has seen the wall before."""
    most, whole, empty = [], [], []
    for number in range(6):
        page = browser.new_context(viewport=VIEWPORT).new_page()
        page.goto(f"{address}/trials/{trial}/look?mode=wall&z=1", wait_until="commit")
        times = [page.evaluate(SETTLED, columns * 8) / 1000 for columns in (12, 15)]
        page.context.close()
        page = browser.new_context(viewport=VIEWPORT).new_page()
        empty += timed(lambda page=page: page.goto(f"{address}/playbook"), 1) if number else []
        page.context.close()
        most += times[:1] if number else []
        whole += times[1:] if number else []
    return ["wall of 15 columns and 8 spots, from an empty browser: 12 x 8 of its cells, and all",
            f"{shown(most)}, {shown(whole)}",
            f"the Playbook page {shown(empty)}", f"{np.median(whole) / np.median(empty):.1f}", "under 1 s"]  # fmt: skip


def _parts(app: Running, twelve: str) -> list[list[str]]:
    """A part measured for six entries: four of the twelve and the controls."""
    source = app.trial(twelve)["source_id"]
    trial = app.start_trial(source, *[f"Way {number}" for number in range(4)], factor=2)
    app.finished(trial, 900)
    body = {"left": 300, "top": 200, "width": 512, "height": 512}
    six = {"measures": ["ssim", "psnr_luma", "detail_kept", "noise_left", "halo", "ciede2000"]}
    region = f"/api/trials/{trial}/regions"
    quick = timed(lambda: app.http.post(region, json=body | six), 5)
    every = timed(lambda: app.http.post(region, json=body), 3)
    maps = []
    for name in ("lost", "noise", "blotches", "rims", "unlike", "colour"):
        start = time.perf_counter()
        app.http.post(f"/api/trials/{trial}/entries/A/maps/{name}").raise_for_status()
        maps.append(time.perf_counter() - start)
    return [
        ["512 x 512 measured for six entries, six measures", shown(quick), f"all measures {shown(every)}",
         f"{np.median(every) / np.median(quick):.1f}", "under 1 s"],
        ["a map of faults, 1920 x 1080, made", shown(maps), "", "", ""],
    ]  # fmt: skip


def _difference(page: Page, app: Running) -> list[list[str]]:
    trial = app.start_trial(app.read("uhd.png", _picture(UHD))["id"], "Bicubic", "Lanczos 3", factor=2)
    app.finished(trial, 900)
    page.set_viewport_size({"width": 1920, "height": 1080})
    first = []
    for _ in range(5):
        page.goto(f"{app.address}/trials/{trial}/look?panes=A,B&focus=1&x=1900&y=1000&z=1&side=none")
        page.evaluate(SETTLED, 2)
        until(lambda: int(page.evaluate("document.documentElement.dataset.preloaded || 0")) >= 5, 60, "preloading")
        first.append(
            page.evaluate("""async () => {
            const start = performance.now();
            window.dispatchEvent(new KeyboardEvent('keydown', { key: 'd', code: 'KeyD' }));
            const there = () => document.querySelector("canvas[aria-label*=' less '][data-shown*=' ']");
            while (!there()) await new Promise(requestAnimationFrame);
            return performance.now() - start;
        }""")
        )
    page.goto(f"{app.address}/trials/{trial}/look?panes=truth,input,A,B&focus=1&z=1&x=600&y=500&side=none")
    page.evaluate(SETTLED, 4)
    children = [child for child in psutil.Process(os.getpid()).children(recursive=True) if "chrom" in child.name()]

    def used() -> float:
        return sum(child.memory_info().rss for child in children if child.is_running()) / 2**20

    before = used()
    page.evaluate(PANNED, 60)
    half = used()
    page.evaluate(PANNED, 60)
    return [
        ["difference of two UHD takes to its first paint, screen of 1920 x 1080",
         f"{np.median(first):.0f} ms (up to {max(first):.0f})", "", "",
         "under 100 ms"],
        ["browser's memory over two minutes of panning, four UHD takes", f"{used():.0f} MiB at the end",
         f"{before:.0f} MiB before, {half:.0f} MiB after one minute", f"{used() / half:.2f}",
         "bounded: 640 MiB of tiles"],
    ]  # fmt: skip


def rows() -> Iterator[list[str]]:
    with tempfile.TemporaryDirectory() as name:
        Path(name).chmod(0o755)
        url = cluster.start(Path(name) / "postgres")
        try:
            with running(url, Path(name)) as app:
                app.http.timeout = httpx.Timeout(300)
                trial = _twelve(app)
                with sync_playwright() as playwright:
                    browser = playwright.chromium.launch(executable_path=CHROMIUM)
                    yield _wall(browser, app.address, trial)
                    page = browser.new_page(viewport=VIEWPORT)
                    yield from _parts(app, trial)
                    yield from _difference(page, app)
                    browser.close()
        finally:
            cluster.stop(Path(name) / "postgres")
