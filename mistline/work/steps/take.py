"""Make the frames of a take: run the recipe on each, write them, measure what was written."""

import math
import time

import numpy as np
import psutil

from mistline.core.choose.arrival import Finding, findings, frames_off
from mistline.core.frame import Codes, Frame, luma, to_frame
from mistline.core.measure import Evidence, Measured, measure_all
from mistline.core.measure.measure import Pair, Picture, enlarged, luma_of
from mistline.core.measure.psnr import shrunk
from mistline.core.measure.sameness import sameness
from mistline.core.media.plate import Plate, ShardWriter, quantise, shard_name, write_view
from mistline.core.methods import Window
from mistline.core.methods.recipe import Cooked, Kept, run_recipe
from mistline.core.setup import Plan
from mistline.core.timing.clock import Repeats, repeat, reset_peak, resident_peak
from mistline.core.timing.machine import this_machine
from mistline.work.requests import Alike, MakeShard, Progress, Scored, ShardMade, Timing
from mistline.work.steps.arrive import Arrived
from mistline.work.steps.footage import fresh, made
from mistline.work.steps.timed import check_memory, timing_lane, warm_up

__all__ = ["make_shard", "scored"]

TAKE_BITS = 16
FROM_START = 2  # the frame of a result made elsewhere that is held against its neighbours
ALL_MEASURES_EVERY = 12  # frames; the quick ones are read on each


def _finite(value: float | None) -> float | None:
    return value if value is not None and math.isfinite(value) else None


def scored(found: dict[str, Measured]) -> dict[str, Scored]:
    """What was measured of a frame."""
    return {
        key: Scored(
            value=_finite(measured.value),
            parts={part.name: part.value for part in measured.parts},
            note=measured.note,
        )
        for key, measured in found.items()
    }


class _Run:
    """Runs the recipe on one frame after another, alone on the timing lane, and keeps the times."""

    def __init__(self, request: MakeShard, report: Progress) -> None:
        self.request, self.report = request, report
        self.plate = Plate(request.input)
        self.settings: list[dict[str, object]] = []
        self.load: list[float] = []
        self.runs: list[Repeats] = []
        self.warm = 0.0
        self.peak = self.before = 0
        self.frames: dict[int, Frame] = {}
        self.kept: Kept = {}

    def _window(self, number: int) -> Window:
        """A frame of the input and those around it that the recipe looks at."""
        assert self.request.recipe is not None
        start, reach = time.perf_counter(), self.request.recipe.reach
        numbers = range(max(0, number - reach), min(self.request.length, number + reach + 1))
        self.frames = {near: self.frames.get(near) or to_frame(self.plate.codes(near)) for near in numbers}
        self.load.append(time.perf_counter() - start)
        return Window(tuple(self.frames.values()), numbers.index(number), number)

    def __call__(self, number: int) -> Frame:
        """The result for a frame of the input; what lies before the shard's own frames is not timed."""
        request, window = self.request, self._window(number)
        small = window.frame
        assert request.recipe is not None
        recipe, traits = request.recipe, request.traits
        recipe.check(small.size, request.target)
        check_memory(recipe, small.size, request.target)
        total = request.frames * request.repeats
        past = len(self.runs) * request.repeats

        def done(count: int) -> None:
            self.report(
                f"processing {min(past + count + 1, total)} of {total}", 0.1 + 0.6 * (past + count) / total
            )

        def cook() -> Cooked:
            """Each repeat does all of it again; a shard of several frames goes on from what it made of the last one."""
            if request.repeats > 1:
                self.kept = {}
            return run_recipe(window, recipe, request.target, traits, kept=self.kept)

        self.report("waiting for the timing lane", 0.08 + 0.62 * past / total)
        with timing_lane(request.lane):
            if number < request.first:
                return cook().frame
            if not self.runs:
                self.warm = warm_up(small, recipe, request.target, traits)
                reset_peak()
                self.before = psutil.Process().memory_info().rss
            done(0)
            cooked, times = repeat(cook, request.repeats, done)
            self.peak = max(self.peak, resident_peak())
        self.runs.append(times)
        self.settings = cooked.settings
        return cooked.frame

    @property
    def timing(self) -> Timing:
        """Where the time went."""
        if not self.runs:
            return Timing()
        every = [seconds for run in self.runs for seconds in run.seconds]
        return Timing(
            load=sum(self.load), warm_up=self.warm, process=every, median=float(np.median(every)),
            spread=max(every) - min(every), busy_elsewhere=float(np.mean([run.busy_elsewhere for run in self.runs])),
            peak_bytes=self.peak, added_bytes=max(0, self.peak - self.before),
        )  # fmt: skip


def _reference(request: MakeShard, number: int) -> Picture:
    """What a frame of the take is held against."""
    if request.truth:
        return Plate(request.truth).codes(number)
    return enlarged(to_frame(Plate(request.input).codes(number)), request.target)


def _judged(
    request: MakeShard, written: Codes, before: Pair | None, number: int, report: Progress
) -> tuple[dict[str, Scored], dict[str, Alike], Evidence]:
    """Measure a written frame, decoded again; where all is read, compare it with other results too.

    `before` is the luma of reference and result of the frame before.
    """
    setup = request.setup
    small = to_frame(Plate(request.input).codes(number))
    target = request.target
    factors = target.width / small.size.width, target.height / small.size.height
    sizes = Plan(target, small.size, (0, 0), factors)
    done, whole = (number - request.first) / request.frames, number % ALL_MEASURES_EVERY == 0
    evidence = Evidence(
        written, Plate(request.truth).codes(number) if request.truth else None, small,
        lambda frame: setup.shrink(frame, sizes, number),
        made=setup.makes_input, sight=setup.sight(target), before=before,
    )  # fmt: skip
    found = measure_all(
        evidence,
        lambda share: report("measuring", 0.85 + 0.11 * (done + 0.9 * share / request.frames)),
        quick=not whole,
    )
    report("comparing", 0.85 + 0.11 * (done + 1 / request.frames))
    alike = {}
    for key, other in request.others.items() if whole else ():
        pair = sameness(written, Plate(other).codes(number))
        alike[key] = Alike(psnr=_finite(pair.psnr), worst=pair.worst, same=pair.same)
    return scored(found), alike, evidence


def _arrived(request: MakeShard) -> Arrived | None:
    if request.delivered is None:
        return None
    channels = Plate(request.input).codes(request.first).shape[2]
    return Arrived(request.delivered, request.target, request.length, channels)


def _frames_off(request: MakeShard, evidence: Evidence, middle: int) -> list[Finding]:
    """Whether a result made elsewhere is early or late; what else it seems to show then follows from that."""
    assert evidence.shrink is not None
    near = range(max(0, middle - FROM_START), min(request.frames, middle + FROM_START + 1))
    plate = Plate(request.input)
    inputs = {number - middle: luma(to_frame(plate.codes(number)).pixels) for number in near}
    off = frames_off(luma(shrunk(evidence.result, evidence.shrink)), inputs)
    words = (
        f"It is {abs(off)} frame{'s'[: abs(off) != 1]} {'early' if off > 0 else 'late'}: each frame shows another."
    )
    return [Finding(words, grave=True)] if off else []


def make_shard(request: MakeShard, report: Progress) -> ShardMade:
    """Process, write, decode again and measure so many frames; memory does not grow with their number."""
    report("loading", 0.05)
    run, write, clipped = _Run(request, report), 0.0, []
    arrived = _arrived(request)
    numbers = range(request.first, request.first + request.frames)
    folder = fresh(request.out / "picture")

    def result_of(number: int) -> Frame:
        if request.recipe:
            return run(number)
        return arrived.frame(number) if arrived else to_frame(Plate(request.truth).codes(number))

    before: Pair | None = None
    if request.first > 0:  # made once more: to know how the shard's first frame differs from it
        report("loading", 0.06)
        codes, _ = quantise(result_of(request.first - 1), TAKE_BITS)
        before = (luma_of(_reference(request, request.first - 1)), luma_of(codes))
    with ShardWriter(folder / shard_name(request.first)) as shard:
        for number in numbers:
            result = result_of(number)
            report("writing", 0.1 + 0.62 * (number + 1 - request.first) / request.frames)
            start = time.perf_counter()
            codes, share = quantise(result, TAKE_BITS)
            shard.add(number, codes)
            write += time.perf_counter() - start
            clipped.append(share)
            if number == 0:
                report("cutting tiles", 0.1 + 0.68 / request.frames)
                write_view(folder / "view" / "0", codes)
            del codes, result
    report("measuring", 0.85)
    plate = Plate([folder / shard_name(request.first)])
    scores, alike, told = [], [], list[Finding]()
    middle = min(FROM_START, request.frames - 1)
    for number in numbers:
        found, pairs, evidence = _judged(request, plate.codes(number), before, number, report)
        before = evidence.reference_luma, evidence.result_luma
        scores.append(found)
        alike.append(pairs)
        if arrived and number == 0:
            told = findings(evidence, found["registration"].parts, eight_bits=arrived.boxed)
        if arrived and number == middle and request.first == 0:
            told = _frames_off(request, evidence, middle) or told
    timing = run.timing
    timing.write = write
    return ShardMade(
        picture=made(request.target, TAKE_BITS), settings=run.settings, timing=timing,
        clipped=float(np.mean(clipped)), scores=scores,
        alike={key: [pairs[key] for pairs in alike if pairs] for key in request.others},
        findings=[*arrived.notes, *told] if arrived and request.first == 0 else [],
        machine=this_machine(),
    )  # fmt: skip
