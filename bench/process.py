"""The process time that a take records against the bare method call in a plain script."""

import asyncio
import statistics
import tempfile
from pathlib import Path

import numpy as np

from bench import shown, timed
from mistline.core.frame import Frame, Size
from mistline.core.measure import measure_traits
from mistline.core.media.plate import ShardWriter
from mistline.core.methods import alone
from mistline.core.methods.recipe import Pass, Recipe, run_recipe
from mistline.core.setup import TruthSetup
from mistline.work.requests import MakeShard
from mistline.work.sandbox import run_child

REPEATS, PAIRS = 3, 9
TARGET = Size(1440, 810)
NOISE = Pass(method="non_local_means", settings={"luma": 20, "colour": 20})


def _recorded(folder: Path, codes: np.ndarray, recipe: Recipe) -> list[float]:
    """Run the child process as the worker does; return the process times it reports."""
    request = MakeShard(
        name="bench", recipe=recipe, setup=TruthSetup(factor=3), repeats=REPEATS, traits=measure_traits(codes),
        truth=[folder / "truth.zip"], input=[folder / "input.zip"], target=TARGET,
        out=Path(tempfile.mkdtemp(dir=folder)), lane=folder / "lane",
    )  # fmt: skip
    made = asyncio.run(run_child(request, what="bench", memory_bytes=2**36, seconds=600))
    times: list[float] = made.timing.process
    return times


def rows() -> list[list[str]]:
    rng = np.random.default_rng(1)
    codes = rng.integers(0, 256, (TARGET.height // 3, TARGET.width // 3, 3)).astype(np.uint8)
    frame = Frame(codes.astype(np.float32) / 255, 8)
    found = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for name, pixels in (("input", codes), ("truth", np.zeros((TARGET.height, TARGET.width, 3), np.uint8))):
            with ShardWriter(folder / f"{name}.zip") as shard:
                shard.add(0, pixels)
        traits = measure_traits(codes)
        for passes in ([Pass(method="back_projection", settings={"rounds": 6})], [NOISE, Pass(method="bicubic")]):
            recipe = Recipe(name="bench", passes=passes)
            bare, recorded, ratios = [], [], []
            # In turns, so that what else goes on on the machine meets both alike.
            for _ in range(PAIRS):
                recorded.append(statistics.median(_recorded(folder, codes, recipe)))
                bare.append(
                    statistics.median(
                        timed(lambda recipe=recipe: run_recipe(alone(frame), recipe, TARGET, traits), REPEATS)
                    )
                )
                ratios.append(100 * (recorded[-1] / bare[-1] - 1))
            low, middle, high = np.quantile(ratios, [0.25, 0.5, 0.75])
            found.append(
                [
                    f"recorded process time, {recipe.words()}, to {TARGET}, {PAIRS} pairs in turns",
                    shown(recorded),
                    f"bare call {shown(bare)}",
                    f"{middle:+.1f} % ({low:+.1f} to {high:+.1f})",
                    "within 3 %",
                ]
            )
    return found
