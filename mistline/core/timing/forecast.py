"""Forecast of a run: time by pixels from an earlier, smaller or equal run on the same machine."""

from dataclasses import dataclass
from typing import Literal

__all__ = ["Forecast", "Speed", "forecast"]

Basis = Literal["earlier takes", "a timed crop"]


@dataclass(frozen=True)
class Speed:
    """Seconds of processing for each megapixel of result, and what that figure was measured on."""

    seconds_per_megapixel: float
    basis: Basis
    count: int


@dataclass(frozen=True)
class Forecast:
    """Seconds expected for one take, all repeats together, and where the figure comes from."""

    seconds: float
    basis: Basis
    count: int


def forecast(speed: Speed, megapixels: float, repeats: int) -> Forecast:
    """Scale a measured speed to another size: every shipped method takes time in proportion to pixels.

    >>> forecast(Speed(0.5, "a timed crop", 1), 8, 3).seconds
    12.0
    """
    return Forecast(speed.seconds_per_megapixel * megapixels * repeats, speed.basis, speed.count)
