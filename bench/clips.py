"""Clips: memory over length, shards on two machines, frame times, access to any frame, measures."""

import contextlib
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from multiprocessing import get_context
from pathlib import Path

import av
import cv2
import numpy as np
from skimage.color import deltaE_ciede2000, rgb2lab
from skimage.metrics import peak_signal_noise_ratio, structural_similarity

from bench import shown
from mistline.core.frame import Frame, Size, luma, to_frame
from mistline.core.measure import MEASURES, Evidence, measure_traits
from mistline.core.media.clip import Clip
from mistline.core.media.plate import SHARD, ShardWriter
from mistline.core.methods import Traits, Window, alone
from mistline.core.methods.recipe import Pass, Recipe, run_recipe
from mistline.core.setup import TruthSetup
from mistline.store import cluster
from mistline.store.settings import ROOT
from mistline.work.requests import MakeShard
from mistline.work.sandbox import run_child
from tests.core.media.clips import write_clip
from tests.harness import Running, running, until

SMALL, HD = (320, 180), (1920, 1080)
TRAITS = Traits(noise_sigma=8.0, edge_width=2.0, mean_level=0.5, measured_on="the bench")
OVER_TIME = Recipe(name="over time", passes=[Pass(method="temporal", settings={"luma": 16, "colour": 16})])
SINGLE = {"name": "One thread", "passes": [{"method": "total_variation", "settings": {"luma": 20, "colour": 20}}]}
SHARED = 8 * SHARD  # frames of a take that two workers share


def waves(number: int, size: tuple[int, int]) -> np.ndarray:
    """(H, W, 3) uint8: soft texture that moves to the left."""
    width, height = size
    rng = np.random.default_rng(1)
    coarse = rng.integers(40, 216, (height // 12, (width + 400) // 12, 3), np.uint8)
    wide = cv2.resize(coarse, (width + 400, height), interpolation=cv2.INTER_CUBIC)
    return np.ascontiguousarray(wide[:, number % 400 : number % 400 + width])


def _frames(path: Path, count: int) -> Iterator[Frame]:
    for codes in Clip(path, path.name).stream(0, count):
        yield to_frame(codes)


def _run_through(path: Path, count: int) -> int:
    """Damage a clip, run a method over time on it and measure it, frame by frame; return the peak memory in KiB."""
    setup = TruthSetup(factor=1, noise=8)
    inputs = setup.inputs(_frames(path, count), setup.plan(Size(*SMALL)))
    reach, kept, near = OVER_TIME.reach, {}, []
    for number, (given, truth) in enumerate(zip(inputs, _frames(path, count), strict=True)):
        near = [*near, (given, truth)][-(2 * reach + 1) :]
        at = max(0, len(near) - 1 - reach)
        window = Window(tuple(frame for frame, _ in near), at, number - (len(near) - 1 - at))
        made = run_recipe(window, OVER_TIME, given.size, TRAITS, kept=kept)
        MEASURES["psnr_rgb"].read(Evidence(made.frame, near[at][1]))
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss


def _memory(folder: Path) -> list[str]:
    long = write_clip(folder / "long.mkv", "mpeg4", "yuv420p", 2000, size=SMALL, picture=waves)
    peaks = {}
    for count in (100, 2000):
        with get_context("spawn").Pool(1) as pool:  # a process of its own, so that its peak is its own
            peaks[count] = pool.apply(_run_through, (long, count))
    ratio = peaks[2000] / peaks[100]
    return ["peak memory, 2000 frames damaged, cleaned over time and measured", f"{peaks[2000] / 1024:.0f} MiB",
            f"100 frames {peaks[100] / 1024:.0f} MiB", f"{ratio:.3f}", "at most 1.05"]  # fmt: skip


def _access(folder: Path) -> list[str]:
    count = 400
    path = write_clip(folder / "hd.mp4", "libx264", "yuv420p", count, size=HD, picture=waves, g="48", bf="2")
    clip, wanted = Clip(path, "hd.mp4"), [int(n) for n in np.random.default_rng(3).integers(0, count, 12)]
    clip.codes(0)
    ours, theirs = [], []
    for number in wanted:
        start = time.perf_counter()
        clip.codes(number)
        ours.append(time.perf_counter() - start)
        start = time.perf_counter()
        with av.open(str(path)) as container:
            container.streams.video[0].thread_type = "AUTO"
            for place, frame in enumerate(container.decode(video=0)):
                if place == number:
                    frame.to_ndarray(format="rgb24")
                    break
        theirs.append(time.perf_counter() - start)
    ratio = statistics.median(theirs) / statistics.median(ours)
    return [f"any frame of {count} of an H.264 clip of 1920 x 1080, exactly, as 16-bit R'G'B'", shown(ours),
            f"PyAV from the start, 8-bit R'G'B' {shown(theirs)}", f"{ratio:.1f}x faster", ""]  # fmt: skip


def _measures() -> list[str]:
    """Closeness to the truth frame by frame: PSNR, SSIM and CIEDE2000."""
    truth = to_frame(waves(0, HD))
    result = truth.with_pixels(cv2.GaussianBlur(truth.pixels, (0, 0), 0.8))
    names = ("psnr_rgb", "ssim", "ciede2000")

    def ours() -> None:
        evidence = Evidence(result, truth)
        for name in names:
            MEASURES[name].read(evidence)

    def theirs() -> None:
        peak_signal_noise_ratio(truth.pixels, result.pixels, data_range=1)
        structural_similarity(
            luma(truth.pixels), luma(result.pixels), data_range=1, gaussian_weights=True, sigma=1.5,
            use_sample_covariance=False, full=True,
        )  # fmt: skip
        deltaE_ciede2000(rgb2lab(truth.pixels), rgb2lab(result.pixels)).mean()

    seconds = {}
    for step in (ours, theirs):
        step()
        start = time.perf_counter()
        for _ in range(5):
            step()
        seconds[step] = (time.perf_counter() - start) / 5
    return ["PSNR, SSIM and CIEDE2000 of every frame, 1920 x 1080", f"{1 / seconds[ours]:.2f} frames/s",
            f"scikit-image {1 / seconds[theirs]:.2f} frames/s", f"{seconds[theirs] / seconds[ours]:.1f}x faster",
            ""]  # fmt: skip


def _frame_times(folder: Path) -> list[str]:
    """What a shard records for each frame against the bare call on the same frames."""
    import asyncio

    frames, size = 8, Size(960, 540)
    codes = [waves(number, (size.width, size.height)) for number in range(frames)]
    for part in ("truth", "input"):
        with ShardWriter(folder / f"{part}.zip") as shard:
            for number, each in enumerate(codes):
                shard.add(number, each)
    recipe = Recipe(name="bench", passes=[Pass(method="non_local_means", settings={"luma": 20, "colour": 20})])
    traits, bare, recorded, ratios = measure_traits(codes[0]), [], [], []
    for _ in range(7):
        request = MakeShard(
            name="bench", recipe=recipe, setup=TruthSetup(factor=1, noise=5), repeats=1, traits=traits, length=frames,
            frames=frames, truth=[folder / "truth.zip"], input=[folder / "input.zip"], target=size,
            out=Path(tempfile.mkdtemp(dir=folder)), lane=folder / "lane",
        )  # fmt: skip
        made = asyncio.run(run_child(request, what="bench", memory_bytes=2**36, seconds=600))
        recorded.append(statistics.median(made.timing.process[1:]))
        times = []
        for each in codes:
            start = time.perf_counter()
            run_recipe(alone(to_frame(each)), recipe, size, traits)
            times.append(time.perf_counter() - start)
        bare.append(statistics.median(times[1:]))
        ratios.append(100 * (recorded[-1] / bare[-1] - 1))
    low, middle, high = np.quantile(ratios, [0.25, 0.5, 0.75])
    return [f"recorded time of a frame, non-local means, {size}, 7 pairs in turns", shown(recorded),
            f"bare call {shown(bare)}", f"{middle:+.1f} % ({low:+.1f} to {high:+.1f})", "within 3 %"]  # fmt: skip


@contextlib.contextmanager
def _workers(app: Running, cores: int) -> Iterator[None]:
    """So many workers, each on a core and a timing lane of its own, as if each were a machine."""
    app.kill_worker()
    started = [
        subprocess.Popen(
            ["taskset", "-c", str(core), sys.executable, "-m", "mistline.work"], cwd=ROOT,
            env={**app.environment, "MISTLINE_TIMING_LANE": f"{app.environment['MISTLINE_TIMING_LANE']}.{core}"},
        ) for core in range(cores)
    ]  # fmt: skip
    try:
        yield
    finally:
        for process in started:
            process.terminate()
        for process in started:
            process.wait(30)


def _shards(app: Running, folder: Path) -> list[str]:
    """One take of a clip by one worker and by two."""
    clip = write_clip(folder / "shards.mkv", "ffv1", "yuv444p", SHARED, size=SMALL, picture=waves)
    source = app.read("shards.mkv", clip.read_bytes())
    assert app.http.post("/api/recipes", json=SINGLE).status_code == 201
    ids, seconds = app.recipe_ids(SINGLE["name"]), {}
    for workers, noise in ((1, 10.0), (2, 10.5)):
        app.kill_worker()
        body = {
            "source_id": source["id"],
            "setup": {"factor": 1, "noise": noise},
            "recipe_ids": ids,
            "frames": SHARED,
        }
        key = app.http.post("/api/trials", json=body).json()["id"]
        with _workers(app, workers):

            def entry(key: str = key) -> dict:
                return next(one for one in app.trial(key)["entries"] if one["letter"] == "A")

            until(lambda: entry()["state"] != "waiting", 300, "the start")
            start = time.monotonic()
            until(lambda: entry()["state"] == "done", 600, "the take")
            seconds[workers] = time.monotonic() - start
        app.start_worker()
    return [f"one take of {SHARED} frames by two workers, a core each, as on two machines", f"{seconds[2]:.0f} s",
            f"one worker {seconds[1]:.0f} s", f"{seconds[1] / seconds[2]:.2f}x", "at least 1.7x"]  # fmt: skip


def rows() -> Iterator[list[str]]:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        folder.chmod(0o755)
        yield _memory(folder)
        yield _frame_times(folder)
        yield _access(folder)
        yield _measures()
        url = cluster.start(folder / "postgres")
        try:
            with running(url, folder) as app:
                yield _shards(app, folder)
        finally:
            cluster.stop(folder / "postgres")
