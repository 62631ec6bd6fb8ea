"""Which entries are best by a figure, which cannot be told apart, and which are worth their time."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

__all__ = ["Mark", "Timed", "front", "marks", "time_marks"]

Mark = Literal["best", "tied", ""]


def marks(values: Mapping[str, float], tie: float, *, higher: bool) -> dict[str, Mark]:
    """Mark the best value; everything within `tie` of it is tied with it, and then nothing is best.

    >>> marks({"a": 30.0, "b": 30.02, "c": 28.0}, 0.05, higher=True)
    {'a': 'tied', 'b': 'tied', 'c': ''}
    >>> marks({"a": 2.0, "b": 3.0}, 0.05, higher=False)
    {'a': 'best', 'b': ''}
    """
    if not values:
        return {}
    best = max(values.values()) if higher else min(values.values())
    near = {name for name, value in values.items() if value == best or abs(value - best) <= tie}
    word: Mark = "tied" if len(near) > 1 else "best"
    return {name: word if name in near else "" for name in values}


@dataclass(frozen=True)
class Timed:
    """Median of the repeats with the fastest and the slowest, seconds."""

    median: float
    fastest: float
    slowest: float


def time_marks(times: Mapping[str, Timed]) -> dict[str, Mark]:
    """Mark the fastest; an entry whose repeats overlap with those of the fastest is tied with it.

    >>> time_marks({"a": Timed(1.0, 0.9, 1.2), "b": Timed(1.1, 1.0, 1.3), "c": Timed(3, 2.9, 3.1)})
    {'a': 'tied', 'b': 'tied', 'c': ''}
    """
    if not times:
        return {}
    best = min(times.values(), key=lambda timed: timed.median)
    near = {name for name, timed in times.items() if timed.fastest <= best.slowest}
    word: Mark = "tied" if len(near) > 1 else "best"
    return {name: word if name in near else "" for name in times}


def front(points: Mapping[str, tuple[float, float]]) -> list[str]:
    """Names on the trade-off front of (seconds, quality): none is both faster and better than they are.

    >>> front({"a": (1.0, 0.8), "b": (2.0, 0.9), "c": (3.0, 0.85)})
    ['a', 'b']
    """
    kept, best = [], float("-inf")
    for name, (_, quality) in sorted(points.items(), key=lambda item: (item[1][0], -item[1][1])):
        if quality > best:
            kept.append(name)
            best = quality
    return kept
