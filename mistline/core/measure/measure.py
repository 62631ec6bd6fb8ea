"""The contract of a measure: what it needs, its unit and which way is better."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from mistline.core.frame import Array, Frame

__all__ = ["Measure", "Measured"]

Better = Literal["higher", "lower", "nearer to the truth"]


@dataclass(frozen=True)
class Measured:
    """A value and, where it makes sense, a map of the same height and width as the frame."""

    value: float
    map: Array | None = None


@dataclass(frozen=True)
class Measure:
    """One figure that is read off a result.

    Attributes
    ----------
    tie : float
        Two values closer than this cannot be told apart by looking (common practice, documented in
        docs/decisions).
    digits : int
        Decimals that carry meaning.
    of : (truth, result) -> Measured
        Both frames registered and of one size.
    """

    id: str
    version: int
    name: str
    unit: str
    better: Better
    heading: str
    meaning: str
    source: str
    tie: float
    digits: int
    of: Callable[[Frame, Frame], Measured]
