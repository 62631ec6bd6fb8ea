"""One sentence on what a result does to the picture; every statement carries its number.

Thresholds are common practice and stand in `THRESHOLDS`: below them the eye sees no change, or the measure
cannot tell it from chance.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from mistline.core.measure.colour_shift import CONTRAST, MISTAKES, PATCHY, WORST
from mistline.core.measure.detail import LESS_NOISE, OCTAVES, PLAIN, held
from mistline.core.measure.noise import CLEANEST, IN_PLACES, LOST, NOISIEST, TEXTURED

__all__ = ["THRESHOLDS", "Score", "describe", "describe_beside_input"]

THRESHOLDS = {
    "displacement, px": 0.15,
    "displacement that spoils, px": 0.2,
    "noise, share of the reference": 0.1,
    "noise, cv": 0.75,
    "noise in a part, share of the input's": 1.3,
    "noise, share of the texture lost beside it": 0.6,
    "noise, share of the lost where all is texture": 2.0,
    "coarse noise, share": 0.5,
    "noise in few places, share": 0.6,
    "detail in an octave, share": 0.1,
    "even change of all octaves, share": 0.04,
    "detail invented, %": 10.0,
    "rims, % of the step": 1.5,
    "edge width, share of the truth's": 0.15,
    "blotches, cv": 0.6,
    "colour shift, dE00": 0.5,
    "colour shift in places, dE00": 1.5,
    "colour shift in patches, share": 0.5,
    "tone shift, L*": 1.0,
    "compression squares, %": 5.0,
    "banding, bits": 8.0,
    "shimmer, share of the input's": 0.1,
    "shimmer, cv": 0.3,
    "flicker, cv": 0.5,
    "sharpness swing, %": 5.0,
    "motion, px": 0.3,
    "repeated frames, %": 1.0,
    "noise that stands still, %": 30.0,
    "noise that stands still, cv": 1.0,
    "detail beyond the input, cv": 1.0,
    "detail beyond plain enlargement's": 1.5,
    "letters read": 4.0,
    "letters read, share of the input's": 0.2,
}

TURNED = 0.7  # of a displacement: half of its square
COARSE = ("1/32 to 1/16", "1/16 to 1/8")


@dataclass(frozen=True)
class Score:
    """A stored figure: its value (None if there is none, or if it is infinite), the parts behind it, its frames."""

    value: float | None
    parts: Mapping[str, float] = field(default_factory=dict)
    note: str = ""
    frames: Sequence[float | None] | None = None


Scores = Mapping[str, Score]


def _percent(share: float) -> str:
    return f"{abs(share) * 100:.0f} %"


def _moved(scores: Scores) -> float:
    """The displacement in pixels as far as it is claimed: 0 where it does not go beyond its own error."""
    shift, parts = scores["registration"].value, scores["registration"].parts
    return shift if shift is not None and parts.get("sure", 1.0) else 0.0


def _bent(scores: Scores) -> float:
    """By how many pixels parts lie off beyond what all of the picture does."""
    return scores["registration"].parts.get("uneven", 0.0)


def _spoilt(scores: Scores) -> bool:
    # A tenth of the windows goes beyond what parts are told to lie off by: about twice the mean.
    return max(_moved(scores), _bent(scores) / 2) >= THRESHOLDS["displacement that spoils, px"]


def _displacement(scores: Scores, factor: float, off: str = "truth") -> str:
    shift, bent, least = _moved(scores), _bent(scores), THRESHOLDS["displacement, px"]
    spoils = ", which spoils the other figures" if off == "truth" and _spoilt(scores) else ""
    if shift < least:
        return f"parts of it lie up to {bent:.1f} px off the {off}{spoils}" if bent >= least else ""
    parts = scores["registration"].parts
    name = _turn(parts) if parts.get("by turning", 0.0) > TURNED * shift else _misplacement(parts, factor)
    more = f" and parts of it up to {bent:.1f} px more" if bent >= least else ""
    return f"lies {shift:.2f} px off the {off}{f' ({name})' if name else ''}{more}{spoils}"


def _turn(parts: Mapping[str, float]) -> str:
    turned = parts["turned, degrees"]
    return f"turned {abs(turned):.2f}° {'clockwise' if turned > 0 else 'anticlockwise'}"


def _misplacement(parts: Mapping[str, float], factor: float) -> str:
    """The usual mistake that explains a displacement, if one does; a half-pixel error is (factor - 1) / 2 pixels."""
    right, down, wider, taller = (parts.get(key, 0.0) for key in ("right", "down", "wider", "taller"))
    slack = max(0.1, 3 * parts.get("error", 0.0))
    half = (factor - 1) / 2
    if half and all(abs(grown - half) < 0.1 * half + slack for grown in (wider, taller)):
        return "corners laid on corners instead of pixel edges on pixel edges"
    still = max(abs(wider), abs(taller)) < slack
    if half and still and right * down > 0 and all(abs(abs(way) - half) < slack for way in (right, down)):
        return "half a pixel of the input: corners taken for centres"
    whole = [round(way) for way in (right, down)]
    if (
        still
        and any(whole)
        and all(abs(way - near) < slack for way, near in zip((right, down), whole, strict=True))
    ):
        return f"moved by whole pixels: {abs(whole[0])} {'right' if whole[0] >= 0 else 'left'}, " + (
            f"{abs(whole[1])} {'down' if whole[1] >= 0 else 'up'}"
        )
    return ""


def _noise(
    scores: Scores,
    reference: Scores,
    given: Scores | None,
    key: str = "noise_left",
    what: str = "noise",
) -> str:
    """Noise against the truth, or from the input on; what became of lost texture is not told as noise."""
    least, parts = THRESHOLDS["noise, cv"], scores[key].parts
    textured = parts.get(TEXTURED, 0.0) > 0.5  # then nobody knows what noise the truth has
    hiding = (
        "noise, share of the lost where all is texture"
        if textured
        else "noise, share of the texture lost beside it"
    )
    hides = THRESHOLDS[hiding] * parts.get(LOST, 0.0)
    left, there = scores[key].value, reference[key].value
    if left is None or there is None:
        return ""
    before = given[key].value if given else None
    if before is not None and before - there >= least:
        gone, truths = 1 - left / before, "" if textured else f"; the truth has {there:.1f}"
        return (
            f"{what} {'down' if gone > 0 else 'up'} {_percent(gone)} "
            f"({before:.1f} to {left:.1f} cv{truths}){_of_kind(scores[key], reference[key])}"
        )
    change = left - there
    hidden = 0 < change < hides
    # With another contrast the truth's own noise is another too.
    apart = min(abs(change), abs(left - there * _gain(scores)))
    if apart < max(
        2 * least if hidden and not textured else least, THRESHOLDS["noise, share of the reference"] * there
    ):
        if textured or apart < least / 2:
            return f"{what} as in the truth ({left:.1f} cv)"
        return f"{what} near the truth's ({left:.1f} cv for {there:.1f})"
    if hidden:
        known = "" if textured else f" (the truth has {there:.1f})"
        return f"{what} at most {left:.1f} cv{known}, hidden in lost texture"
    if there < least:
        whose = "that the truth does not have" if textured else f"where the truth has {there:.1f}"
        return f"{what} {left:.1f} cv {whose}{_of_kind(scores[key], reference[key])}"
    more = change / there
    kind = _of_kind(scores[key], reference[key])
    return f"{what} {'down' if more < 0 else 'up'} {_percent(more)} ({there:.1f} to {left:.1f} cv){kind}"


def _of_kind(score: Score, reference: Score) -> str:
    """Whether it lies in few places, or is mostly coarser than 1/8 cycle per pixel, beyond what the truth has."""
    if score.parts.get(IN_PLACES, 0.0) > THRESHOLDS["noise in few places, share"]:
        return ", in a few places"
    left, there = (sum(s.parts.get(band, 0.0) ** 2 for band in COARSE) ** 0.5 for s in (score, reference))
    added = left - there
    mostly = score.value is not None and left**2 > THRESHOLDS["coarse noise, share"] * score.value**2
    return ", mostly coarse" if mostly and added >= THRESHOLDS["noise, cv"] else ""


def _colour_noise(scores: Scores, reference: Scores, given: Scores | None) -> str:
    told = _noise(scores, reference, given, "noise_colour", "colour noise")
    return "" if told.startswith(("colour noise as", "colour noise near")) else told


def _mistaken(scores: Scores) -> str:
    """The name of the mistake of range or matrix that was recognised; empty where none was."""
    return next((name for name in scores["ciede2000_soft"].parts if name in MISTAKES), "")


def _gain(scores: Scores) -> float:
    """The contrast of the result over the truth's: by its large areas, or where these hardly differ, by its detail.

    Only another contrast changes all octaves alike.
    """
    mistake, parts = _mistaken(scores), scores["ciede2000_soft"].parts
    if mistake:
        matrix, _ = MISTAKES[mistake]
        return float(matrix.sum() / 3)  # what it does to greys
    octaves = scores["detail_kept"].parts if "detail_kept" in scores else {}  # only a truth tells them
    kept = [value / 100 for name, value in octaves.items() if name in OCTAVES]
    if CONTRAST in parts or len(kept) < len(OCTAVES):
        return parts.get(CONTRAST, 100.0) / 100
    even = sum(kept) / len(kept)
    alike = max(kept) - min(kept) < THRESHOLDS["even change of all octaves, share"] * even
    return float(even**0.5) if alike and abs(even - 1) >= THRESHOLDS["detail in an octave, share"] else 1.0


def _contrast(scores: Scores) -> str:
    change = _gain(scores) - 1
    return f"contrast {'down' if change < 0 else 'up'} {_percent(change)}" if change else ""


def _detail(scores: Scores, factor: float) -> str:
    """The octave that changed most of those that the input could hold at all; another contrast is no loss of detail."""
    energy = _gain(scores) ** 2
    kept = {name: value / energy for name, value in scores["detail_kept"].parts.items() if name in held(factor)}
    if not kept:
        return ""
    name = max(kept, key=lambda octave: abs(kept[octave] - 100))
    change = kept[name] / 100 - 1
    if abs(change) < THRESHOLDS["detail in an octave, share"]:
        return f"detail that the input holds is kept ({min(kept.values()):.0f} % of it or more)"
    return f"detail of {name} cycles per pixel {'down' if change < 0 else 'up'} {_percent(change)}"


def _invented(scores: Scores, factor: float) -> str:
    """What is invented beside the noise, which is told as such."""
    parts = scores["detail_invented"].parts
    found = {name: parts.get(name + LESS_NOISE, value) for name, value in parts.items() if name in held(factor)}
    if not found:
        return ""
    name = max(found, key=lambda octave: found[octave])
    if found[name] < THRESHOLDS["detail invented, %"]:
        return ""
    return f"{found[name]:.0f} % invented at {name} cycles per pixel"


def _mistake(scores: Scores) -> str:
    """A mistake of range or matrix, which explains most other differences."""
    name = _mistaken(scores)
    return f"looks like {name}, which explains the change of colours and contrast" if name else ""


def _banding(scores: Scores, reference: Scores) -> str:
    bits, there = scores["effective_bits"].value, reference["effective_bits"].value
    if bits is None or bits > THRESHOLDS["banding, bits"] or (there is not None and there - bits < 1):
        return ""
    return f"{bits:.0f}-bit steps in smooth areas (bands)"


def _edges(scores: Scores, reference: Scores) -> str:
    width = scores["edge_width"].value
    wanted = scores["edge_width"].parts.get("of the truth", reference["edge_width"].value)  # at the same edges
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


def _patchy(scores: Scores) -> bool:
    """Whether colours are off in patches, rather than the same way wherever a colour comes again."""
    score, least = scores["ciede2000_soft"], THRESHOLDS["colour shift in patches, share"]
    return (score.value or 0.0) >= THRESHOLDS["colour shift, dE00"] and score.parts.get(PATCHY, 0.0) > least


def _colour(scores: Scores, _: Scores) -> str:
    value, worst = scores["ciede2000_soft"].value, scores["ciede2000_soft"].parts.get(WORST, 0.0)
    if value is None:
        return ""
    if value < THRESHOLDS["colour shift, dE00"]:
        if worst >= THRESHOLDS["colour shift in places, dE00"]:
            return f"colours unchanged (ΔE00 {value:.1f}) but in places (up to {worst:.1f})"
        return f"colours unchanged (ΔE00 {value:.1f})"
    return f"colours off by ΔE00 {value:.1f}{' in patches' if _patchy(scores) else ''}"


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


def _shimmer(score: Score, before: float | None) -> str:
    value = score.value
    if value is None or not before or abs(value - before) < THRESHOLDS["shimmer, cv"]:
        return ""
    change = value / before - 1
    if abs(change) < THRESHOLDS["shimmer, share of the input's"]:
        return ""
    if change > 0:
        return f"crawls: shimmer {value / before:.1f} times the input's ({before:.1f} to {value:.1f} cv)"
    return f"shimmer down {_percent(change)} ({before:.1f} to {value:.1f} cv)"


def _noise_from_input(score: Score, what: str, gain: float) -> str:
    """Noise of the result against that of the input; where it cannot be told, the most that it can be.

    What the contrast does to it is not told twice.
    """
    left, before, most = score.value, score.parts.get("of the input"), score.parts.get("at most")
    if before is None:
        return ""
    if NOISIEST in score.parts:
        here, there = score.parts[CLEANEST], score.parts[NOISIEST]
        if there > THRESHOLDS["noise in a part, share of the input's"] * before * max(gain, 1.0):
            return ""  # texture, perhaps: of noise there would be more than was there
        return f"{what} of {here:.1f} cv in one part and of {there:.1f} cv in another ({before:.1f} in the input)"
    if left is None:
        told = most is not None and before >= THRESHOLDS["noise, cv"] and most < before * min(gain, 1.0)
        return f"{what} at most {most:.1f} cv ({before:.1f} in the input)" if told else ""
    change = left - before
    least = max(THRESHOLDS["noise, cv"], THRESHOLDS["noise, share of the reference"] * before)
    if min(abs(change), abs(left - gain * before)) < least:
        return f"{what} as in the input ({left:.1f} cv)" if before >= THRESHOLDS["noise, cv"] else ""
    if before < THRESHOLDS["noise, cv"]:
        return f"{what} {left:.1f} cv where the input has {before:.1f}"
    return f"{what} {'down' if change < 0 else 'up'} {_percent(change / before)} ({before:.1f} to {left:.1f} cv)"


def _beyond(scores: Scores) -> str:
    """How much stands there that the input cannot have shown, nor a plain enlargement leaves."""
    value, plain = scores["detail_beyond"].value, scores["detail_beyond"].parts.get(PLAIN, 0.0)
    least = max(THRESHOLDS["detail beyond the input, cv"], THRESHOLDS["detail beyond plain enlargement's"] * plain)
    if value is None or value < least:
        return ""
    return f"{value:.1f} cv of detail finer than the input can hold ({plain:.1f} {PLAIN})"


def _edges_from_input(scores: Scores, factor: float) -> str:
    width, before = scores["edge_width"].value, scores["edge_width"].parts.get("of the input")
    if width is None or not before or abs(width / before - 1) < THRESHOLDS["edge width, share of the truth's"]:
        return ""
    return f"edges {width:.1f} px wide for {before:.1f} {PLAIN if factor > 1 else 'in the input'}"


def _letters(scores: Scores) -> str:
    after, before = scores["lettering_sure"].value, scores["lettering_sure"].parts.get("in the input")
    if after is None or before is None:
        return ""
    # What nobody sees changes the reading of a page of small print by up to a tenth.
    least = max(THRESHOLDS["letters read"], THRESHOLDS["letters read, share of the input's"] * before)
    if abs(after - before) < least:
        return ""
    return f"{after:.0f} letters can be read for {before:.0f} in the input"


def _movement(scores: Scores, reference: Scores) -> str:
    """What else goes wrong from frame to frame."""

    def of(key: str, least: str, words: str) -> str:
        value = scores[key].value
        return words.format(value) if value is not None and value >= THRESHOLDS[least] else ""

    told = [
        of("flicker", "flicker, cv", "level flickers by {:.1f} cv"),
        of("sharpness_swing", "sharpness swing, %", "sharpness swings by {:.0f} % from frame to frame"),
        of("motion_error", "motion, px", "movement off by {:.1f} px"),
        of("repeated", "repeated frames, %", "{:.0f} % of the frames repeat the one before"),
        _standing(scores["noise_standing"]),
    ]
    return ", ".join(filter(None, told))


def _standing(score: Score) -> str:
    """Noise that stays where it is from frame to frame, where there is enough of it to be seen."""
    standing = score.parts.get("standing", 0.0)
    share = score.value or 0.0
    if share < THRESHOLDS["noise that stands still, %"] or standing < THRESHOLDS["noise that stands still, cv"]:
        return ""
    return f"{share:.0f} % of its noise stands still ({standing:.1f} cv)"


def describe(
    scores: Scores, truth: Scores, factor: float, given: Scores | None = None, untreated: Scores | None = None
) -> str:
    """The sentence for a result, from its scores, those of the truth (its control) and the test's factor.

    `given` are the scores of the input itself, where it has the result's size: noise is then told from there.
    `untreated` are those of the input brought to the result's size by repeating its pixels, for what moves.
    Where a mistake of range or matrix is recognised, what follows from it is not told as damage of its own; nor is what
    follows from a displacement.

    >>> no, some = Score(None), {"detail_kept": Score(60, {"1/4 and finer": 62.0}), "halo": Score(6.1)}
    >>> every = dict.fromkeys(("registration", "noise_left", "noise_colour", "detail_invented", "edge_width", "blotch",
    ...     "ciede2000_soft", "tone", "blockiness", "effective_bits", "shimmer", "flicker", "sharpness_swing",
    ...     "motion_error", "repeated", "noise_standing"), no)
    >>> describe({**every, **some}, {**every, **some}, factor=1)
    'Detail of 1/4 and finer cycles per pixel down 38 %, rims +6 % at strong edges.'
    """
    mistake = _mistake(scores)
    told, colours = [_displacement(scores, factor), mistake], [] if mistake else [_colour, _tone]
    if _spoilt(scores):  # what lies off differs in patches too
        return _sentence([*told, *(state(scores, truth) for state in colours if not _patchy(scores))])
    told += [_noise(scores, truth, given), _colour_noise(scores, truth, given)]
    if not mistake:
        told += [_contrast(scores), _detail(scores, factor), _invented(scores, factor)]
    states = [_edges, _halo, _blotch, *colours, _squares, _banding, _movement]
    untreated_shimmer = untreated["shimmer"].value if untreated else None
    told += [_shimmer(scores["shimmer"], untreated_shimmer), *(state(scores, truth) for state in states)]
    return _sentence(told)


def describe_beside_input(scores: Scores, untreated: Scores, factor: float) -> str:
    """The sentence for a result of a test without a truth: what differs from the input.

    `untreated` are the scores of the input brought to the result's size by repeating its pixels. What is better only a
    truth could tell, so nothing is called lost or invented.

    >>> no = dict.fromkeys(("registration", "noise_left", "noise_colour", "detail_beyond", "edge_width", "halo",
    ...     "blotch", "ciede2000_soft", "tone", "blockiness", "effective_bits", "lettering_sure", "shimmer"),
    ...     Score(None))
    >>> describe_beside_input({**no, "noise_left": Score(2.0, {"of the input": 8.0})}, no, factor=1)
    'Noise down 75 % (8.0 to 2.0 cv).'
    """
    mistake, shimmer = _mistake(scores), scores["shimmer"]
    told = [_displacement(scores, factor, "input"), mistake]
    noises, gain = {"noise_left": "noise", "noise_colour": "colour noise"}, _gain(scores)
    told += [_noise_from_input(scores[key], what, gain) for key, what in noises.items()]
    told += ["" if mistake else _contrast(scores), _beyond(scores)]
    told += [_shimmer(shimmer, shimmer.parts.get("of the input")), _letters(scores)]
    told += [_edges_from_input(scores, factor)]
    states = [_halo, _blotch, *([] if mistake else [_colour, _tone]), _squares, _banding]
    return _sentence([*told, *(state(scores, untreated) for state in states)])


def _sentence(told: Sequence[str]) -> str:
    sentence = ", ".join(filter(None, told))
    return sentence[:1].upper() + sentence[1:] + "." if sentence else ""
