"""Run a recipe alone on this machine's timing lane, and say how long it took."""

import fcntl
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TextIO

import psutil

from mistline.core.frame import Frame, Size
from mistline.core.methods import Traits, Window
from mistline.core.methods.recipe import Recipe, run_recipe
from mistline.errors import OutOfLimits

__all__ = ["check_memory", "corner", "steady", "timing_lane", "warm_up"]

WARM_UP_SIDE = 96
BESIDE = 10  # niceness of a forecast beside a timed run


def check_memory(recipe: Recipe, before: Size, after: Size) -> None:
    """Raise `OutOfLimits` if a recipe needs more memory than is free."""
    need = (
        max(step.definition.limits.working_copies for step in recipe.every_pass())
        * 12
        * max(before.pixels, recipe.goal(after).pixels)
    )
    free = psutil.virtual_memory().available
    if need > free:
        raise OutOfLimits(
            f"{recipe.name} needs about {need / 2**30:.1f} GiB and {free / 2**30:.1f} GiB are free; "
            "close something or use a smaller source."
        )


def corner(frame: Frame, side: int, factor: float) -> tuple[Frame, Size]:
    """A corner of a frame, and the size that it becomes."""
    part = frame.with_pixels(frame.pixels[:side, :side])
    return part, Size(round(part.size.width * factor), round(part.size.height * factor))


def steady(frame: Frame, reach: int) -> Window:
    """A window in which nothing moves: what a recipe costs does not depend on that."""
    return Window((frame,) * (2 * reach + 1), reach, reach)


def warm_up(frame: Frame, recipe: Recipe, target: Size, traits: Traits) -> float:
    """Run a recipe on a small corner, so that libraries and weights are at hand; return the seconds."""
    start = time.perf_counter()
    part, part_target = corner(frame, WARM_UP_SIDE, target.width / frame.size.width)
    run_recipe(steady(part, recipe.reach), recipe, part_target, traits)
    return time.perf_counter() - start


def _lane(path: Path) -> TextIO:
    """The machine's lock file; opened for reading, so that workers of several users can share it."""
    if not path.exists():
        path.touch(exist_ok=True)
    return path.open()


@contextmanager
def timing_lane(path: Path, patience: float | None = None) -> Iterator[bool]:
    """Hold the machine's timing lane; with little patience, go on without it rather than wait behind a long run.

    Yields whether it is held.
    """
    with _lane(path) as lane:
        if patience is None:
            fcntl.flock(lane, fcntl.LOCK_EX)
            yield True
            return
        deadline = time.monotonic() + patience
        while True:
            try:
                fcntl.flock(lane, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                if time.monotonic() > deadline:
                    os.nice(BESIDE)
                    yield False
                    return
                time.sleep(0.05)
        yield True
