"""From another machine nothing is answered without the key; this machine needs none."""

import json
import subprocess
import sys
import time
from pathlib import Path

import httpx

from mistline.api.key import _signed
from mistline.store.settings import ROOT
from tests.harness import KEY, Running

OUTSIDE = {"X-Forwarded-For": "203.0.113.7", "Host": "mistline.example"}  # as a proxy on this machine passes it on


def outside(app: Running, path: str, method: str = "GET", **more: object) -> httpx.Response:
    headers = {**OUTSIDE, **more.pop("headers", {})}  # type: ignore[dict-item]
    return httpx.request(method, f"{app.address}{path}", headers=headers, **more)  # type: ignore[arg-type]


def test_no_request_from_outside_is_answered_with_data(locked: Running) -> None:
    described = json.loads((ROOT / "docs" / "openapi.json").read_text())["paths"]
    asked = 0
    for _ in range(3):
        for path, methods in described.items():
            for method in methods:
                if path in ("/api/key", "/health/live", "/health/ready", "/api/events"):
                    continue
                answer = outside(locked, path.replace("{", "").replace("}", ""), method.upper())
                assert answer.status_code == 401 and "key" in answer.json()["detail"], (method, path)
                asked += 1
    assert asked >= 200
    assert outside(locked, "/api/events").status_code == 401


def test_this_machine_needs_nothing_and_pages_hold_no_data(locked: Running) -> None:
    assert locked.http.get("/api/kinds").status_code == 200
    assert outside(locked, "/").status_code == 200
    assert outside(locked, "/health/ready").json() == {"ready": True, "missing": []}


def test_localhost_from_outside_gets_nothing(locked: Running) -> None:
    for host in ("localhost", "127.0.0.1", "[::1]"):
        answer = outside(locked, "/api/kinds", headers={"Host": host, "Authorization": f"Bearer {KEY}"})
        assert answer.status_code == 403


def test_the_key_opens_as_a_bearer_and_as_a_cookie(locked: Running) -> None:
    assert outside(locked, "/api/kinds", headers={"Authorization": f"Bearer {KEY}"}).status_code == 200
    given = outside(locked, "/api/key", "POST", json={"key": KEY})
    assert given.status_code == 204
    cookie = given.headers["set-cookie"]
    assert "HttpOnly" in cookie and "SameSite=strict" in cookie and KEY not in cookie
    pair = cookie.split(";")[0]
    assert outside(locked, "/api/kinds", headers={"Cookie": pair}).status_code == 200


def test_a_cookie_that_is_not_ours_or_too_old_opens_nothing(locked: Running) -> None:
    now = int(time.time())
    made = [_signed(now, "another-key"), _signed(now - 31 * 24 * 3600, KEY), _signed(2**39, KEY)]
    for value in ("", "1.2", *made, "\x01;;", f"{'9' * 5000}.x"):
        answer = outside(locked, "/api/kinds", headers={"Cookie": f"mistline={value}"})
        assert answer.status_code == 401, value


def test_wrong_keys_are_slowed(locked: Running) -> None:
    times = []
    for _ in range(4):
        begun = time.monotonic()
        answer = outside(
            locked, "/api/key", "POST", json={"key": "guess"}, headers={"X-Forwarded-For": "203.0.113.9"}
        )
        times.append(time.monotonic() - begun)
        assert answer.status_code == 403 and "not the key" in answer.json()["detail"]
    assert times[3] >= 2.0  # 0.25, 0.5, 1, 2 seconds at least


def test_the_media_folder_is_private(locked: Running) -> None:
    assert locked.media.stat().st_mode & 0o777 == 0o700


def test_another_host_without_a_key_does_not_start(tmp_path: Path) -> None:
    environment = {"PATH": "/usr/bin:/bin", "MISTLINE_HOST": "0.0.0.0", "MISTLINE_DATA": str(tmp_path)}
    ended = subprocess.run(
        [sys.executable, "-m", "mistline.cli", "start", "--no-browser"], cwd=ROOT, env=environment, check=False,
        capture_output=True, text=True,
    )  # fmt: skip
    assert ended.returncode == 1
    assert "it has no key; set MISTLINE_KEY" in " ".join(ended.stdout.split())
    assert not list(tmp_path.iterdir())
