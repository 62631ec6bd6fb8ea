"""Work on two threads, where there is enough of it to be worth them."""

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

__all__ = ["WORTH", "on_threads"]

A = TypeVar("A")
T = TypeVar("T")
WORTH = 2**20  # pixels


def on_threads(step: Callable[[A], T], items: Iterable[A], pixels: int) -> list[T]:
    """What a step gives for each item, in their order; on two threads for a picture of so many pixels or more.

    Starting threads costs more than they gain on small pictures, most of all where several of these are read at once.
    """
    if pixels < WORTH:
        return [step(item) for item in items]
    with ThreadPoolExecutor(2) as pool:
        return list(pool.map(step, items))
