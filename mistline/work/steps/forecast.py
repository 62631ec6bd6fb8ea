"""Time a recipe on a corner of a source."""

import time

from mistline.core.frame import to_frame
from mistline.core.methods.recipe import run_recipe
from mistline.core.timing.clock import repeat
from mistline.core.timing.machine import this_machine
from mistline.work.requests import CropTimed, Progress, TimeCrop
from mistline.work.steps.footage import open_footage
from mistline.work.steps.timed import check_memory, corner, steady, timing_lane, warm_up

__all__ = ["time_crop"]

SIDE, REPEATS = 160, 2
PATIENCE = 1.0  # seconds


def time_crop(request: TimeCrop, report: Progress) -> CropTimed:
    """Seconds for each megapixel of result.

    A forecast does not wait behind a long run: beside it, at low priority, the time of the processor counts.
    """
    source, recipe, traits = to_frame(open_footage(request.source).codes()), request.recipe, request.traits
    part, target = corner(source, SIDE, request.factor)
    recipe.check(part.size, target)
    check_memory(recipe, part.size, target)
    window = steady(part, min(recipe.reach, request.frames - 1))
    with timing_lane(request.lane, PATIENCE) as alone:
        warm_up(part, recipe, target, traits)
        used = time.process_time()
        _, times = repeat(lambda: run_recipe(window, recipe, target, traits), REPEATS, lambda number: None)
        used = time.process_time() - used
    seconds = times.median if alone else min(times.median, used / REPEATS)
    return CropTimed(seconds_per_megapixel=seconds / target.megapixels, machine=this_machine())
