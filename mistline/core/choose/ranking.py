"""Which entries are best by a figure, which cannot be told apart, and which are worth their time."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

__all__ = ["Mark", "Timed", "beaten", "front", "marks", "time_marks"]

Mark = Literal["best", "tied", "", "other machine"]


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


def beaten(
    worth: Mapping[str, Mapping[str, float]], ties: Mapping[str, float], times: Mapping[str, Timed]
) -> dict[str, list[str]]:
    """For each entry those that are no worse in any figure, better in one, and not clearly slower.

    `worth` holds, by measure, how good each entry is (more is better).

    >>> slow, quick = Timed(3, 2.9, 3.1), Timed(1, 0.9, 1.2)
    >>> beaten({"x": {"a": 3.0, "b": 1.0}, "y": {"a": 5.0, "b": 5.01}}, {"x": 0.1, "y": 0.1}, {"a": quick, "b": slow})
    {'b': ['a']}
    """

    def gap(one: float, other: float) -> float:
        return 0.0 if one == other else one - other  # also where both are infinite

    def beats(one: str, other: str) -> bool:
        gaps = [
            (gap(found[one], found[other]), ties[key])
            for key, found in worth.items()
            if {one, other} <= set(found)
        ]
        never_worse = all(more >= -tie for more, tie in gaps) and times[one].fastest <= times[other].slowest
        return never_worse and any(more > tie for more, tie in gaps)

    found = {name: [other for other in times if other != name and beats(other, name)] for name in times}
    return {name: others for name, others in found.items() if others}


def front(points: Mapping[str, tuple[Timed, float]], tie: float = 0.0) -> list[str]:
    """Names on the trade-off front of (time, quality), the fastest first.

    One that is clearly faster (no repeat as slow as the other's fastest) and not worse by more than `tie` takes
    another off the front, and so does one that is not clearly slower and better by more than `tie`. Equals stay.

    >>> slow, quick = Timed(3, 2.9, 3.1), Timed(1, 0.9, 1.2)
    >>> front({"a": (quick, 0.8), "b": (slow, 0.9), "c": (slow, 0.7), "d": (quick, 0.8)})
    ['a', 'd', 'b']
    """

    def beats(one: tuple[Timed, float], other: tuple[Timed, float]) -> bool:
        faster, slower = one[0].slowest < other[0].fastest, one[0].fastest > other[0].slowest
        return (faster and one[1] >= other[1] - tie) or (not slower and one[1] > other[1] + tie)

    kept = [name for name, point in points.items() if not any(beats(other, point) for other in points.values())]
    return sorted(kept, key=lambda name: points[name][0].median)
