"""Take the pictures in docs/screenshots from a running `make demo`.

.venv/bin/python scripts/screenshots.py [ADDRESS] [OUT] [NAME ...]
"""

import sys
from pathlib import Path

import httpx
from playwright.sync_api import expect, sync_playwright

ADDRESS = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8765"
OUT = Path(sys.argv[2] if len(sys.argv) > 2 else "docs/screenshots")

PARTS = {"scores-native": "break-even", "scores-stand-ins": "stand-ins"}


def views() -> dict[str, str]:
    trials = httpx.get(f"{ADDRESS}/api/trials").json()["items"]
    trial = trials[-1]
    recipe = next(r for r in httpx.get(f"{ADDRESS}/api/recipes").json() if r["name"] == "Bicubic, sharpened")
    at = f"/trials/{trial['id']}"
    old = next(item for item in trials if item["words"].startswith("no truth"))
    hall = next(item for item in trials if item["words"].startswith("against the native"))
    ride = next(item for item in trials if item["name"].startswith("The ride out"))
    return {
        "shelf": "/shelf",
        "set-up": f"/trials/new?source={trial['source_id']}",
        "run": f"/trials/{old['id']}/run",
        "scores-no-truth": f"/trials/{old['id']}/scores",
        "look": f"{at}/look?panes=truth,C,D,E&focus=2&x=455&y=722&z=2",
        "look-wipe": f"{at}/look?mode=wipe&panes=truth,E&focus=1&divider=0.5",
        "look-difference": f"{at}/look?mode=difference&panes=truth,E&focus=1&x=455&y=722&z=2",
        "look-wall": f"{at}/look?mode=wall&by=ssim&z=1",
        "look-map": f"{at}/look?panes=truth,C,D,E&focus=3&x=700&y=450&z=1&map=unlike",
        "look-clip": f"/trials/{ride['id']}/look?panes=truth,A,B,C&focus=3&frame=9",
        "scores-native": f"/trials/{hall['id']}/scores",
        "scores-stand-ins": f"/trials/{old['id']}/scores",
        "scores": f"{at}/scores",
        "verdict": f"{at}/verdict",
        "recipes": "/recipes?recipe=" + recipe["id"],
        "methods": "/methods",
        "prices": "/prices",
        "storage": "/storage",
        "playbook": "/playbook",
    }


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[3:]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell")
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.on("console", lambda message: print("console:", message.text) if message.type == "error" else None)
        for name, path in views().items():
            if wanted and name not in wanted:
                continue
            page.goto(ADDRESS + path)
            page.wait_for_timeout(3000)
            for word in ("loading", "…"):  # what is still to come
                expect(page.get_by_text(word, exact=True)).to_have_count(0, timeout=60_000)
            if name in PARTS:
                page.get_by_test_id(PARTS[name]).evaluate("part => part.scrollIntoView()")
            page.screenshot(path=OUT / f"{name}.png")
        browser.close()


if __name__ == "__main__":
    main()
