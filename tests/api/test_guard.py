"""Safe from the start: hosts, cross-site writes, headers, problem documents, no decoding in the web process."""

import http.client
import socket
import subprocess
import sys

import pytest

from mistline.store.settings import ROOT, Settings
from tests.harness import PATIENCE, Running


def test_it_binds_to_loopback_unless_told_otherwise() -> None:
    assert Settings().host == "127.0.0.1"


@pytest.mark.parametrize("host", ["evil.example", "127.0.0.1.evil.example", "10.0.0.1:80", ""])
def test_a_foreign_host_header_is_refused(app: Running, host: str) -> None:
    answer = app.http.get("/api/kinds", headers={"Host": host})
    assert answer.status_code == 403 and answer.headers["content-type"] == "application/problem+json"
    assert "own address" in answer.json()["detail"]


@pytest.mark.parametrize(
    "headers",
    [
        {"Origin": "http://evil.example"},
        {"Origin": "null"},
        {"Sec-Fetch-Site": "cross-site"},
        {"Sec-Fetch-Site": "same-site"},
    ],
)
def test_a_write_from_another_site_is_refused(app: Running, headers: dict[str, str]) -> None:
    answer = app.http.post("/api/trials", json={}, headers=headers)
    assert answer.status_code == 403 and "another site" in answer.json()["detail"]
    assert app.http.get("/api/kinds", headers=headers).status_code == 200


def test_a_write_from_its_own_pages_is_let_through(app: Running) -> None:
    headers = {"Origin": app.address, "Sec-Fetch-Site": "same-origin"}
    assert app.http.post("/api/trials", json={}, headers=headers).status_code == 422


@pytest.mark.parametrize("path", ["/api/kinds", "/api/nothing", "/", "/trials"])
def test_strict_headers_on_everything(app: Running, path: str) -> None:
    headers = app.http.get(path).headers
    assert headers["x-content-type-options"] == "nosniff"
    policy = headers["content-security-policy"]
    assert "default-src 'none'" in policy and "script-src 'self'" in policy and "unsafe" not in policy


@pytest.mark.parametrize(
    ("method", "path", "status"),
    [
        ("GET", "/api/nothing", 404),
        ("GET", "/api/trials/5d1d6a60-0000-4000-8000-000000000000", 404),
        ("GET", "/api/trials/none", 422),
        ("POST", "/api/takes/none/retry", 404),
        ("DELETE", "/api/kinds", 405),
        ("POST", "/api/plans", 422),
        ("GET", "/api/pictures/" + "0" * 64, 404),
    ],
)
def test_every_error_is_a_problem_document(app: Running, method: str, path: str, status: int) -> None:
    answer = app.http.request(method, path)
    problem = answer.json()
    assert answer.status_code == status == problem["status"]
    assert answer.headers["content-type"] == "application/problem+json"
    assert problem["detail"] and problem["title"]


def test_the_web_process_knows_no_media_reader() -> None:
    """Whatever is imported with the application, the reader of foreign files is not."""
    code = "import sys, mistline.api.app; sys.exit('mistline.core.media.still' in sys.modules)"
    assert subprocess.run([sys.executable, "-c", code], cwd=ROOT, check=False).returncode == 0


def test_who_connects_and_never_asks_is_hung_up_on(app: Running) -> None:
    """Many such connections take nothing from others; in the end the server closes them, also after a first answer."""
    idle = [socket.create_connection(("127.0.0.1", int(app.address.rpartition(":")[2]))) for _ in range(60)]
    idle[1].sendall(b"GET /api/kinds HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
    answer = http.client.HTTPResponse(idle[1])
    answer.begin()
    assert answer.status == 200 and answer.read()
    for connection in idle:
        connection.sendall(b"GET /api/kinds HTTP/1.1\r\nHost: 127")
    assert app.http.get("/api/kinds").status_code == 200
    for connection in idle[:2]:
        connection.settimeout(PATIENCE)
        assert connection.recv(100) == b""
    for connection in idle:
        connection.close()
