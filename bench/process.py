"""The process time that a take records against the bare method call in a plain script."""

import json
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

from bench import shown, timed
from mistline.core.frame import Frame, Size
from mistline.core.measure import measure_traits
from mistline.core.media.plate import write_plate
from mistline.core.methods import METHODS
from mistline.store.settings import ROOT

REPEATS = 9
TARGET = Size(2880, 1620)


def _recorded(folder: Path, codes: np.ndarray, method: str) -> list[float]:
    """Run the child process as the worker does; return the process times it reports."""
    request = {
        "step": "take", "name": "bench", "recipe": {"name": "bench", "passes": [{"method": method}]},
        "repeats": REPEATS, "traits": vars(measure_traits(codes)), "truth": str(folder / "truth.png"),
        "input": str(folder / "input.png"), "truth_size": {"width": TARGET.width, "height": TARGET.height},
        "picture_id": "0", "out": tempfile.mkdtemp(dir=folder), "lane": str(folder / "lane"),
    }  # fmt: skip
    done = subprocess.run(
        [sys.executable, "-m", "mistline.work.child", str(2**36)], input=json.dumps(request), cwd=ROOT,
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    times: list[float] = json.loads(done.stdout.splitlines()[-1])["result"]["timing"]["process"]
    return times


def rows() -> list[list[str]]:
    rng = np.random.default_rng(1)
    codes = rng.integers(0, 256, (TARGET.height // 3, TARGET.width // 3, 3)).astype(np.uint8)
    frame = Frame(codes.astype(np.float32) / 255, 8)
    found = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_plate(folder / "input.png", codes)
        write_plate(folder / "truth.png", np.zeros((TARGET.height, TARGET.width, 3), np.uint8))
        for key in ("bicubic", "lanczos"):
            method = METHODS[key]
            bare = timed(lambda method=method: method.run(frame, method.settings(), TARGET), REPEATS)
            recorded = _recorded(folder, codes, key)
            ratio = statistics.median(recorded) / statistics.median(bare)
            found.append(
                [f"recorded process time, {method.name} to {TARGET}", shown(recorded), f"bare call {shown(bare)}",
                 f"{(ratio - 1) * 100:+.1f} %", "within 3 %"]
            )  # fmt: skip
    return found
