"""One sentence on what a result does to the picture; every statement carries its number.

Thresholds are common practice and stand in `THRESHOLDS`: below them the eye sees no change, or the measure
cannot tell it from chance.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field

from mistline.core.measure.detail import OCTAVES

__all__ = ["THRESHOLDS", "Score", "describe"]

THRESHOLDS = {
    "displacement, px": 0.1,
    "noise, share of the reference": 0.1,
    "noise, cv": 0.5,
    "detail in an octave, share": 0.1,
    "detail invented, %": 10.0,
    "rims, % of the step": 1.5,
    "edge width, share of the truth's": 0.15,
    "blotches, cv": 0.6,
    "colour shift, dE00": 0.5,
    "tone shift, L*": 1.0,
    "compression squares, %": 10.0,
}


@dataclass(frozen=True)
class Score:
    """A stored figure: its value (None if there is none, or if it is infinite) and the parts behind it."""

    value: float | None
    parts: Mapping[str, float] = field(default_factory=dict)
    note: str = ""


Scores = Mapping[str, Score]


def _percent(share: float) -> str:
    return f"{abs(share) * 100:.0f} %"


def _displacement(scores: Scores, _: Scores) -> str:
    shift = scores["registration"].value
    if shift is None or shift < THRESHOLDS["displacement, px"]:
        return ""
    return f"lies {shift:.2f} px off the truth, which spoils the other figures"


def _noise(scores: Scores, reference: Scores, given: Scores | None) -> str:
    left, there = scores["noise_left"].value, reference["noise_left"].value
    if left is None or there is None:
        return ""
    before = given["noise_left"].value if given else None
    if before is not None and before - there >= THRESHOLDS["noise, cv"]:
        gone = 1 - left / before
        return (
            f"noise {'down' if gone > 0 else 'up'} {_percent(gone)} "
            f"({before:.1f} to {left:.1f} cv; the truth has {there:.1f})"
        )
    change = left - there
    if abs(change) < max(THRESHOLDS["noise, cv"], THRESHOLDS["noise, share of the reference"] * there):
        return f"noise as in the truth ({left:.1f} cv)"
    if there < THRESHOLDS["noise, cv"]:
        return f"noise {left:.1f} cv where the truth has {there:.1f}"
    more = change / there
    return f"noise {'down' if more < 0 else 'up'} {_percent(more)} ({there:.1f} to {left:.1f} cv)"


def _detail(scores: Scores, factor: float) -> str:
    """The finest octave that the input could hold at all: up to 1 / (2 factor) cycles per pixel."""
    held = [name for name, low in OCTAVES.items() if 2 * low <= 0.5 / factor + 1e-9] or list(OCTAVES)[:1]
    kept = scores["detail_kept"].parts.get(held[-1])
    if kept is None:
        return ""
    change = kept / 100 - 1
    if abs(change) < THRESHOLDS["detail in an octave, share"]:
        return f"detail of {held[-1]} cycles per pixel kept ({kept:.0f} %)"
    return f"detail of {held[-1]} cycles per pixel {'down' if change < 0 else 'up'} {_percent(change)}"


def _invented(scores: Scores, _: Scores) -> str:
    value = scores["detail_invented"].value
    if value is None or value < THRESHOLDS["detail invented, %"]:
        return ""
    return f"{value:.0f} % invented"


def _edges(scores: Scores, reference: Scores) -> str:
    width, wanted = scores["edge_width"].value, reference["edge_width"].value
    if width is None or not wanted or abs(width / wanted - 1) < THRESHOLDS["edge width, share of the truth's"]:
        return ""
    return f"edges {width:.1f} px wide for {wanted:.1f}"


def _halo(scores: Scores, _: Scores) -> str:
    value = scores["halo"].value
    if value is None or abs(value) < THRESHOLDS["rims, % of the step"]:
        return ""
    return f"rims {value:+.0f} % at strong edges"


def _blotch(scores: Scores, _: Scores) -> str:
    value = scores["blotch"].value
    return "" if value is None or value < THRESHOLDS["blotches, cv"] else f"blotches of {value:.1f} cv"


def _colour(scores: Scores, _: Scores) -> str:
    value = scores["ciede2000_soft"].value
    if value is None:
        return ""
    if value < THRESHOLDS["colour shift, dE00"]:
        return f"colours unchanged (ΔE00 {value:.1f})"
    return f"colours off by ΔE00 {value:.1f}"


def _tone(scores: Scores, _: Scores) -> str:
    value, parts = scores["tone"].value, scores["tone"].parts
    if value is None or abs(value) < THRESHOLDS["tone shift, L*"] or not parts:
        return ""
    name = max(parts, key=lambda part: abs(parts[part]))
    return f"{name} tones {abs(value):.1f} L* {'lighter' if value > 0 else 'darker'}"


def _squares(scores: Scores, reference: Scores) -> str:
    value, there = scores["blockiness"].value, reference["blockiness"].value or 0.0
    if value is None or value - there < THRESHOLDS["compression squares, %"]:
        return ""
    return f"compression squares +{value - there:.0f} %"


def describe(scores: Scores, truth: Scores, factor: float, given: Scores | None = None) -> str:
    """The sentence for a result, from its scores, those of the truth (its control) and the test's factor.

    `given` are the scores of the input itself, where it has the result's size: noise is then told from there.

    >>> no, some = Score(None), {"detail_kept": Score(60, {"1/4 to 1/2": 62.0}), "halo": Score(6.1)}
    >>> every = dict.fromkeys(("registration", "noise_left", "detail_invented", "edge_width", "blotch",
    ...     "ciede2000_soft", "tone", "blockiness"), no)
    >>> describe({**every, **some}, {**every, **some}, factor=1)
    'Detail of 1/4 to 1/2 cycles per pixel down 38 %, rims +6 % at strong edges.'
    """
    told = [_displacement(scores, truth), _noise(scores, truth, given), _detail(scores, factor)]
    told += [state(scores, truth) for state in (_invented, _edges, _halo, _blotch, _colour, _tone, _squares)]
    sentence = ", ".join(filter(None, told))
    return sentence[:1].upper() + sentence[1:] + "." if sentence else ""
