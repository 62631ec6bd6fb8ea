"""How do two fingerprints differ, in words?"""

from collections.abc import Callable
from dataclasses import dataclass

from mistline.core.fingerprint.fingerprint import Fingerprint
from mistline.errors import OutOfLimits

__all__ = ["FIGURES", "Difference", "Figure", "differences"]


@dataclass(frozen=True)
class Figure:
    """One figure of a fingerprint: its unit, and from which difference on two of them are not the same.

    `relative` figures differ by a share, in %; the others by their own unit.
    """

    name: str
    unit: str
    least: float
    of: Callable[[Fingerprint], float | None]
    relative: bool = False


FINE = -2  # of the gratings: 0.4 cycles a pixel
FIGURES = (
    Figure("edge width", "px", 5.0, lambda found: found.edge_width, relative=True),
    Figure("bright rims", "%", 0.5, lambda found: found.over),
    Figure("dark rims", "%", 0.5, lambda found: found.under),
    Figure("fine patterns left", "%", 2.0, lambda found: 100 * found.response[FINE].across),
    Figure("false frequencies", "%", 1.0, lambda found: found.false),
    Figure("noise gain", "", 5.0, lambda found: found.noise_gain, relative=True),
    Figure("colour noise gain", "", 5.0, lambda found: found.colour_noise_gain, relative=True),
    Figure("coarse noise gain", "", 5.0, lambda found: found.coarse_gain, relative=True),
    Figure("texture of its own", "cv", 0.3, lambda found: found.own_texture),
    Figure("linearity", "%", 2.0, lambda found: found.linearity),
    Figure("shift right", "px", 0.02, lambda found: found.shift_right),
    Figure("shift down", "px", 0.02, lambda found: found.shift_down),
    Figure("change of greys", "cv", 0.5, lambda found: found.tone),
    Figure("red in other channels", "%", 0.5, lambda found: found.crosstalk),
    Figure("colour of grey edges", "cv", 0.5, lambda found: found.grey_colour),
    Figure("change at the border", "cv", 0.5, lambda found: found.border),
)


@dataclass(frozen=True)
class Difference:
    """A figure of two fingerprints; `words` is empty where they are the same."""

    name: str
    unit: str
    first: float | None
    second: float | None
    words: str


def _words(figure: Figure, first: float | None, second: float | None) -> str:
    if first is None or second is None:
        return "" if first is second else f"{figure.name} cannot be told of one of them"
    change = second - first
    if not figure.relative:
        unit = " %" if figure.unit == "%" else f" {figure.unit}"
        return f"{figure.name} {change:+.2g}{unit}" if abs(change) >= figure.least else ""
    share = 100 * change / max(abs(first), 1e-6)
    if abs(share) < figure.least:
        return ""
    way = "up" if share > 0 else "down"
    return (
        f"{figure.name} {way} {abs(share):.0f} %"
        if abs(share) < 900
        else f"{figure.name} {first:.2g} to {second:.2g}"
    )


def differences(first: Fingerprint, second: Fingerprint) -> list[Difference]:
    """All figures of both, and what changes from the first to the second.

    Raises
    ------
    OutOfLimits
        If they were measured at two factors, or one in noise and the other not: then nothing compares.
    """
    if first.factor != second.factor:
        raise OutOfLimits(
            f"One enlarges {first.factor:g} times and the other {second.factor:g} times; their figures do not compare."
        )
    if first.in_noise != second.in_noise:
        raise OutOfLimits("One was measured in noise and the other on clean charts; their figures do not compare.")
    return [
        Difference(figure.name, figure.unit, one, two, _words(figure, one, two))
        for figure in FIGURES
        for one, two in ((figure.of(first), figure.of(second)),)
    ]
