"""A disk that is full: it is said, nothing that waits is lost, and it goes on by itself once there is space."""

import subprocess
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import as_png
from tests.harness import Running, running, until

SIZE = 24 * 2**20


@pytest.fixture(scope="module")
def small_disk(cluster_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Running]:
    """Mistline on a small file system of its own; needs the right to mount one."""
    folder = tmp_path_factory.mktemp("disk")
    command = ["mount", "-t", "tmpfs", "-o", f"size={SIZE}", "none", str(folder)]
    if subprocess.run(command, capture_output=True, check=False).returncode:
        pytest.skip("no right to mount a file system here")
    try:
        with running(cluster_url, folder) as app:
            yield app
    finally:
        subprocess.run(["umount", "-l", str(folder)], check=True)


def fill(app: Running, left: int) -> Path:
    """Leave only so many bytes on the disk."""
    import shutil

    ballast = app.media.parent / "ballast"
    with ballast.open("wb") as file:
        while (free := shutil.disk_usage(app.media.parent).free) > left:
            file.write(b"\0" * min(1 << 18, free - left))
            file.flush()
    return ballast


def test_an_upload_onto_a_full_disk_says_so(small_disk: Running) -> None:
    ballast = fill(small_disk, 4096)
    picture = as_png(np.random.default_rng(1).integers(0, 256, (200, 200, 3), np.uint8))
    answer = small_disk.http.post("/api/sources", files={"file": ("late.png", picture)})
    assert answer.status_code == 507 and "disk is full; nothing was kept" in answer.json()["detail"]
    ballast.unlink()
    assert small_disk.read("late.png", picture)["state"] == "ready"
    assert not list((small_disk.media / "incoming").iterdir())


def test_what_waits_goes_on_when_there_is_space_again(small_disk: Running) -> None:
    source = small_disk.read(
        "wait.png", as_png(np.random.default_rng(2).integers(0, 256, (300, 300, 3), np.uint8))
    )
    ballast = fill(small_disk, 2 * 2**20)
    key = small_disk.start_trial(source["id"], "Bicubic", "Bilinear", factor=2)

    def waits() -> bool:
        return any("waiting for disk space" in entry["stage"] for entry in small_disk.trial(key)["entries"])

    until(waits, what="waiting for space")
    states = {entry["state"] for entry in small_disk.trial(key)["entries"]}
    assert states == {"waiting", "running"}
    ballast.unlink()
    assert {entry["state"] for entry in small_disk.finished(key)["entries"]} == {"done"}
