"""From the start command to the first answer, with data already there."""

import os
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import httpx

from bench import shown, timed
from mistline.store.settings import ROOT
from tests.harness import free_port, until


def _started(data: Path) -> float:
    """Start on a data folder, wait for the first answer, stop; return the seconds until the answer."""
    port = free_port()
    environment = {**os.environ, "MISTLINE_DATA": str(data), "MISTLINE_PORT": str(port)}
    begun = time.perf_counter()
    process = subprocess.Popen(
        [sys.executable, "-m", "mistline.cli", "start", "--no-browser"], cwd=ROOT, env=environment,
        stdout=subprocess.DEVNULL,
    )  # fmt: skip

    def answers() -> bool:
        try:
            return httpx.get(f"http://127.0.0.1:{port}/api/kinds").status_code == 200
        except httpx.TransportError:
            return False

    try:
        until(answers, 60, "the start")
        return time.perf_counter() - begun
    finally:
        process.send_signal(signal.SIGINT)
        process.wait(30)


def rows() -> list[list[str]]:
    imports = timed(lambda: subprocess.run([sys.executable, "-c", "import mistline.api.app"], cwd=ROOT), 3)
    with tempfile.TemporaryDirectory(prefix="mistline-") as name:
        data = Path(name)
        data.chmod(0o755)
        _started(data)
        seconds = [_started(data) for _ in range(3)]
    return [["second start until the first answer", shown(seconds), f"importing the application {shown(imports)}",
             f"{min(seconds) / min(imports):.1f}", "under 10 s"]]  # fmt: skip
