"""The child process: gets one request, works on local files only, answers in JSON.

Steps: `read` (an original from outside), `prepare` (truth and input of a test), `take` (one recipe, timed and
measured), `sample` (a timed crop for a forecast), `preview` (the input on a crop),
`region` (measures of a part of results), `inspect` (a model that was dropped in). Pictures are written as
finished folders below `out`.
"""

import base64
import ctypes
import errno
import fcntl
import json
import math
import os
import resource
import signal
import time
import traceback
from collections.abc import Callable
from dataclasses import asdict
from fractions import Fraction
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, TextIO

import psutil

from mistline.core.degrade.downsample import Plan, crop_truth, plan
from mistline.core.degrade.setup import Setup, clean_input, make_input
from mistline.core.frame import Codes, Frame, Region, Size
from mistline.core.measure import Evidence, Measured, measure_all, measure_traits
from mistline.core.measure.sameness import sameness
from mistline.core.media.plate import encode_plate, quantise, read_codes, read_plate, write_plate, write_view
from mistline.core.media.still import read_still
from mistline.core.methods import ModelCard, Traits, register
from mistline.core.methods.inspect import inspect_model
from mistline.core.methods.recipe import Recipe, run_recipe
from mistline.core.timing.clock import repeat, reset_peak, resident_peak
from mistline.core.timing.machine import this_machine
from mistline.errors import BadModel, MistlineError, OutOfLimits

TAKE_BITS = 16
WARM_UP_SIDE = 96
SAMPLE_SIDE = 160
MODEL_ROOM = 3 * 2**30
PREVIEW_SIDE, PREVIEW_MARGIN = 288, 48


_out: Connection  # of this process, which serves one request


def _say(message: dict[str, Any]) -> None:
    _out.send_bytes(json.dumps(message).encode())


def _report(stage: str, share: float) -> None:
    _say({"stage": stage, "share": round(share, 4)})


def _picture(folder: Path, identity: str, codes: Codes) -> dict[str, Any]:
    """Write plate and view; return the picture's row."""
    folder.mkdir()
    write_plate(folder / "plate.png", codes)
    count = write_view(folder / "view", codes)
    return {
        "id": identity,
        "width": codes.shape[1],
        "height": codes.shape[0],
        "levels": count,
        "bit_depth": codes.dtype.itemsize * 8,
    }


def read(request: dict[str, Any]) -> dict[str, Any]:
    """Read an original: its facts, first traits and picture."""
    _report("reading", 0.1)
    still = read_still(Path(request["path"]), request["name"])
    _report("writing", 0.4)
    picture = _picture(Path(request["out"]) / "picture", request["picture_id"], still.codes)
    _report("measuring", 0.8)
    facts = {
        "width": still.size.width,
        "height": still.size.height,
        "megapixels": still.size.megapixels,
        "bit_depth": still.bit_depth,
        "channels": still.channels,
        "colour": still.colour,
        "file_type": still.file_type,
        "notes": still.notes,
    }
    return {"facts": facts, "traits": asdict(measure_traits(still.codes)), "picture": picture}


def prepare(request: dict[str, Any]) -> dict[str, Any]:
    """Make truth and input of a truth test; the input is rounded to the bit depth that its chain leaves."""
    _report("preparing the input", 0.02)
    source = read_plate(Path(request["source"]))
    setup = Setup.model_validate(request["setup"])
    sizes = plan(source.size, setup.factor)
    truth, out = crop_truth(source, sizes), Path(request["out"])
    pictures: dict[str, Any] = {}
    if any(sizes.cropped):
        codes, _ = quantise(truth, source.bit_depth)
        pictures["truth"] = _picture(out / "truth", request["truth_id"], codes)
    damaged = make_input(truth, setup, sizes)
    small, _ = quantise(damaged, damaged.bit_depth)
    pictures["input"] = _picture(out / "input", request["input_id"], small)
    return {"pictures": pictures, "traits": asdict(measure_traits(small))}


def preview(request: dict[str, Any]) -> dict[str, Any]:
    """Make the input on a crop of at most 288 x 216 pixels of the truth; both as 8-bit PNG in base 64.

    The crop carries a margin while it is made, so that its edges are those of the whole picture.
    """
    source, setup = read_plate(Path(request["source"])), Setup.model_validate(request["setup"])
    whole = plan(source.size, setup.factor)
    step = next(n for n in range(1, 1000) if abs(n * setup.factor - round(n * setup.factor)) < 1e-6)
    unit = round(step * setup.factor)
    truth = crop_truth(source, whole)

    def cut(length: int, most: int, share: float) -> tuple[slice, slice]:
        """The wider part that is worked on, and the shown part within it, in whole units."""
        count = max(1, min(length, most) // unit)
        first = min(max(round(share * length / unit - count / 2), 0), max(length // unit - count, 0))
        margin = -(-PREVIEW_MARGIN // unit)
        low, high = max(0, first - margin), min(max(1, length // unit), first + count + margin)
        return slice(low * unit, high * unit), slice((first - low) * unit, (first - low + count) * unit)

    across, down = request["centre"]
    rows, shown_rows = cut(truth.size.height, PREVIEW_SIDE * 3 // 4, down)
    columns, shown_columns = cut(truth.size.width, PREVIEW_SIDE, across)
    part = truth.with_pixels(truth.pixels[rows, columns])
    factor = Fraction(str(setup.factor))
    sizes = Plan(part.size, Size(round(part.size.width / factor), round(part.size.height / factor)), (0, 0),
                 whole.factors)  # fmt: skip
    small = make_input(part, setup, sizes)

    def png(frame: Frame, ratio: Fraction) -> str:
        inside = [slice(round(s.start / ratio), round(s.stop / ratio)) for s in (shown_rows, shown_columns)]
        codes, _ = quantise(frame.with_pixels(frame.pixels[inside[0], inside[1]]), 8)
        return base64.b64encode(encode_plate(codes)).decode()

    return {
        "truth": png(part, Fraction(1)), "input": png(small, factor),
        "width": shown_columns.stop - shown_columns.start, "height": shown_rows.stop - shown_rows.start,
    }  # fmt: skip


def _check_memory(recipe: Recipe, before: Size, after: Size) -> None:
    need = (
        max(step.definition.limits.working_copies for step in recipe.every_pass())
        * 12
        * max(before.pixels, after.pixels)
    )
    free = psutil.virtual_memory().available
    if need > free:
        raise OutOfLimits(
            f"{recipe.name} needs about {need / 2**30:.1f} GiB and {free / 2**30:.1f} GiB are free; "
            "close something or use a smaller source."
        )


def _corner(frame: Frame, side: int, factor: float) -> tuple[Frame, Size]:
    part = frame.with_pixels(frame.pixels[:side, :side])
    return part, Size(round(part.size.width * factor), round(part.size.height * factor))


def _lane(path: Path) -> TextIO:
    """The machine's lock file; opened for reading, so that workers of several users can share it."""
    if not path.exists():
        path.touch(exist_ok=True)
    return path.open()


def _timed(
    request: dict[str, Any], small: Frame, target: Size
) -> tuple[Frame, list[dict[str, object]], dict[str, Any]]:
    """Warm up, then run the recipe `repeats` times alone on this machine's timing lane."""
    recipe, traits = Recipe.model_validate(request["recipe"]), Traits(**request["traits"])
    recipe.check(small.size, target)
    _check_memory(recipe, small.size, target)
    repeats: int = request["repeats"]
    with _lane(Path(request["lane"])) as lane:
        _report("waiting for the timing lane", 0.08)
        fcntl.flock(lane, fcntl.LOCK_EX)
        start = time.perf_counter()
        corner, corner_target = _corner(small, WARM_UP_SIDE, target.width / small.size.width)
        run_recipe(corner, recipe, corner_target, traits)
        warm_up = time.perf_counter() - start
        reset_peak()
        before = psutil.Process().memory_info().rss

        def done(number: int) -> None:
            _report(f"processing {min(number + 1, repeats)} of {repeats}", 0.1 + 0.6 * number / repeats)

        done(0)
        cooked, times = repeat(lambda: run_recipe(small, recipe, target, traits), repeats, done)
        peak = resident_peak()
    timing = {
        "warm_up": warm_up,
        "process": times.seconds,
        "median": times.median,
        "spread": times.spread,
        "busy_elsewhere": times.busy_elsewhere,
        "peak_bytes": peak,
        "added_bytes": max(0, peak - before),
    }
    return cooked.frame, cooked.settings, timing


def inspect(request: dict[str, Any]) -> dict[str, Any]:
    """Look into a model that was dropped in; it may take 3 GiB beyond what this process has."""
    room = psutil.Process().memory_info().vms + MODEL_ROOM
    resource.setrlimit(resource.RLIMIT_AS, (room, room))
    try:
        return inspect_model(Path(request["path"]), request["name"], request["id"]).model_dump()
    except MemoryError:
        raise BadModel(
            f"{request['name']} wants more than 3 GiB for a small picture; choose a smaller model."
        ) from None


def _register(models: list[dict[str, Any]]) -> None:
    for model in models:
        register(ModelCard.model_validate(model["card"]), Path(model["path"]))


def _finite(value: float | None) -> float | None:
    return value if value is not None and math.isfinite(value) else None


def _scores(found: dict[str, Measured]) -> dict[str, Any]:
    """What was measured, for JSON. A score without a value and without a note is infinite."""
    return {
        key: {
            "value": _finite(measured.value),
            "parts": {part.name: part.value for part in measured.parts},
            "note": measured.note,
        }
        for key, measured in found.items()
    }


def _judged(request: dict[str, Any], plate: Path, truth: Path) -> tuple[dict[str, Any], dict[str, Any]]:
    """Measure the delivered file, decoded again; and compare it with the other results on the same plate."""
    setup, delivered = Setup.model_validate(request["setup"]), read_codes(plate)
    small = read_plate(Path(request["input"]))
    sizes = Plan(Size(*delivered.shape[1::-1]), small.size, (0, 0), (setup.factor, setup.factor))
    evidence = Evidence(delivered, read_codes(truth), small, lambda frame: clean_input(frame, setup, sizes))
    found = measure_all(evidence, lambda share: _report("measuring", 0.85 + 0.1 * share))
    _report("comparing", 0.96)
    alike = {}
    for key, other in request["others"].items():
        pair = sameness(delivered, read_codes(Path(other)))
        alike[key] = {"psnr": _finite(pair.psnr), "worst": pair.worst, "same": pair.same}
    return _scores(found), alike


def region(request: dict[str, Any]) -> dict[str, Any]:
    """Measure a region of several results; what needs the whole input is not measured there."""
    area, truth = Region(**request["region"]), read_codes(Path(request["truth"]))
    return {
        key: _scores(measure_all(Evidence(read_codes(Path(path)), truth, scale=request["factor"]).within(area)))
        for key, path in request["plates"].items()
    }


def take(request: dict[str, Any]) -> dict[str, Any]:
    """Run one recipe (or none: the truth through the same path), write, decode again and measure."""
    _report("loading", 0.05)
    settings: list[dict[str, object]] = []
    timing: dict[str, Any] = {}
    truth_path, truth_size = Path(request["truth"]), Size(**request["truth_size"])
    if request["recipe"] is None:
        result = read_plate(truth_path)
    else:
        start = time.perf_counter()
        small = read_plate(Path(request["input"]))
        load = time.perf_counter() - start
        result, settings, timing = _timed(request, small, truth_size)
        timing["load"] = load
    _report("writing", 0.72)
    start, folder = time.perf_counter(), Path(request["out"]) / "picture"
    codes, clipped = quantise(result, TAKE_BITS)
    folder.mkdir()
    write_plate(folder / "plate.png", codes)
    timing["write"] = time.perf_counter() - start
    _report("cutting tiles", 0.78)
    count = write_view(folder / "view", codes)
    del codes, result
    _report("measuring", 0.85)
    scores, alike = _judged(request, folder / "plate.png", truth_path)
    picture = {
        "id": request["picture_id"],
        "width": truth_size.width,
        "height": truth_size.height,
        "levels": count,
        "bit_depth": TAKE_BITS,
    }
    machine = this_machine()
    return {
        "picture": picture,
        "settings": settings,
        "timing": timing,
        "clipped": clipped,
        "scores": scores,
        "alike": alike,
        "machine": {"id": machine.id, **asdict(machine)},
    }


def sample(request: dict[str, Any]) -> dict[str, Any]:
    """Time a recipe on a corner of the source; return seconds for each megapixel of result."""
    source = read_plate(Path(request["source"]))
    corner, target = _corner(source, SAMPLE_SIDE, request["factor"])
    traits = asdict(measure_traits(quantise(corner, source.bit_depth)[0]))
    _, _, timing = _timed({**request, "traits": traits, "repeats": 2}, corner, target)
    machine = this_machine()
    return {
        "seconds_per_megapixel": timing["median"] / target.megapixels,
        "machine": {"id": machine.id, **asdict(machine)},
    }


STEPS: dict[str, Callable[[dict[str, Any]], dict[str, Any]]] = {
    "read": read,
    "inspect": inspect,
    "prepare": prepare,
    "preview": preview,
    "region": region,
    "take": take,
    "sample": sample,
}


def _die_with_parent() -> None:
    parent = os.getppid()
    ctypes.CDLL(None, use_errno=True).prctl(1, signal.SIGKILL)
    if os.getppid() != parent:
        os._exit(1)


def serve(pipe: Connection, memory_bytes: int, request: dict[str, Any]) -> None:
    """Carry out a request within a limit of memory; tell progress and answer through the pipe."""
    global _out
    _out = pipe
    _die_with_parent()
    resource.setrlimit(resource.RLIMIT_AS, (memory_bytes, memory_bytes))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        _register(request.get("models", []))
        _say({"result": STEPS[request["step"]](request)})
    except MistlineError as error:
        _say({"kind": type(error).__name__, "error": str(error)})
    except MemoryError:
        what = request["name"]
        _say({"kind": "OutOfLimits", "error": f"{what} needs more memory than a job may use; use a smaller one."})
    except Exception as error:
        if isinstance(error, OSError) and error.errno == errno.ENOSPC:
            _say(
                {
                    "kind": "ProcessingFailed",
                    "error": "The disk of the media store is full; free some space and retry.",
                }
            )
            return
        traceback.print_exc()
        _say({"kind": "Crashed", "error": f"{type(error).__name__}: {error}"})
