"""Stand-ins for a truth that nobody has: clean, alike material, damaged as the real source is damaged.

What is measured of the real source becomes a truth set-up that people can edit; the Shelf is searched for material to
put it on. How far the inputs made so are like the real one is measured, not assumed.

References
----------
.. [1] R. C. Gonzalez, R. E. Woods, "Digital Image Processing", 4th ed., 2018: the 10 to 90 % rise of a Gaussian edge is
       2.563 sigma, and widths of independent blurs add as squares.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from math import log2
from statistics import median

from mistline.core.degrade.noise import sensor_code_values
from mistline.core.frame import Size
from mistline.core.methods import Traits
from mistline.core.setup.truth import LUMA_SHARE, TruthSetup

__all__ = [
    "Candidate", "Compared", "LikelyDamage", "as_soft", "compared", "corrected", "damage_of", "rank_candidates",
]  # fmt: skip

RISE = 2.563  # 10 to 90 % of a Gaussian edge, in sigmas [1]_
SAMPLED = 1.3  # pixels: edges of a picture that was shrunk rise no less
LEAST_NOISE, LEAST_BLUR, MOST_BLUR = 0.5, 0.4, 10.0
# Sigma of the finest octave against the next one: 1.9 to 2.3 of white noise, 1.1 to 1.4 after demosaicing (measured on
# four photographs), less of grain and of enlarged noise. Automatic strengths draw it narrower (`denoise.DEMOSAICED`): a
# wrong rule costs them more than it does here, where the inputs are compared.
DEMOSAICED, COARSE = (0.9, 1.6), 0.8
MILD = 85  # JPEG of less takes fine noise away, so that its spectrum tells no longer where it came from
MOST_STOPS = 8.0
# Steps on a grid of squares in %, and about which JPEG makes them.
SQUARES_AT = ((3.0, 88), (6.0, 80), (12.0, 65), (20.0, 50), (35.0, 35), (60.0, 20))
MOST_STEP, NEAR_ENOUGH = 2.0, 0.1  # of a correction: what it may be, and what needs none
CLEAN = 2.0  # code values, and % of squares, that material may have to stand in
SMALLEST = 240  # pixels of the short side of an input


@dataclass(frozen=True)
class LikelyDamage:
    """A truth set-up that damages as a source seems to be damaged; why; and what it does not imitate."""

    setup: TruthSetup
    reasons: list[str]
    left_out: list[str]


@dataclass(frozen=True)
class Candidate:
    """Material on the Shelf: its id, name, size, kind and traits."""

    id: str
    name: str
    kind: str | None
    size: Size
    traits: Traits


@dataclass(frozen=True)
class Compared:
    """One trait of the real source and of a stand-in's input; None where it cannot be told."""

    name: str
    unit: str
    real: float | None
    stand_in: float | None


def _stops(sigma: float, level: float) -> float:
    """Too little light, in stops, that leaves so much luma noise; the relation is monotone."""
    low, high = 0.0, MOST_STOPS
    for _ in range(24):
        middle = (low + high) / 2
        low, high = (middle, high) if sensor_code_values(middle, level) < sigma else (low, middle)
    return round((low + high) / 2, 1)


def damage_of(traits: Traits, factor: float, facts: Mapping[str, object]) -> LikelyDamage:
    """What a source seems to have suffered, as a truth set-up of a factor.

    Parameters
    ----------
    traits : Traits
        Measured of the real source.
    facts : mapping
        What was read of it: `bit_depth`, `channels`, `codec`, and `jpeg` with `quality` and `half_chroma` if it is one.
    """
    reasons: list[str] = []
    left_out: list[str] = []
    chosen: dict[str, object] = {"factor": factor}
    _compression(chosen, reasons, left_out, traits, facts)
    squeezed = _quality(chosen) < MILD
    sigma = traits.noise_sigma if traits.noise_sigma is not None else traits.noise_least
    if sigma >= LEAST_NOISE:
        middle, fine = (traits.noise_bands.get(band, 0.0) for band in ("1/8 to 1/4", "1/4 and finer"))
        of_camera = DEMOSAICED[0] * middle < fine < DEMOSAICED[1] * middle and not squeezed
        level = median(level for level, _ in traits.noise_curve) if traits.noise_curve else traits.mean_level
        if of_camera and sigma <= sensor_code_values(MOST_STOPS, level):
            chosen["underexposed"] = _stops(sigma, level)
            reasons.append(f"{sigma:.1f} cv of luma noise, as fine as a camera's after demosaicing")
        else:
            chosen["noise"] = round(min(sigma / LUMA_SHARE, 100.0), 1)
            reasons.append(f"{sigma:.1f} cv of luma noise")
        if fine < COARSE * middle and not squeezed:
            left_out.append("the real noise is coarser than what is added here")
        if traits.noise_sigma is None:
            left_out.append("its noise can only be told to be at least that")
    if factor == 1 and len(chosen) == 1:
        chosen["noise"] = LEAST_NOISE
        left_out.append("nothing is measured of it that could be imitated")
    return LikelyDamage(TruthSetup.model_validate(chosen), reasons, left_out)


def as_soft(setup: TruthSetup, real: Traits, stand_in: Traits) -> TruthSetup:
    """The set-up with a blur that makes the edges of a stand-in's input rise as far as those of the real source.

    How soft a picture is by itself depends on what it shows, so that blur cannot be read off the real source alone. A
    stand-in whose edges are wider already stays as it is.
    """
    if real.edge_width is None or stand_in.edge_width is None:
        return setup
    own = max(stand_in.edge_width / setup.factor, SAMPLED)
    sigma = max(0.0, real.edge_width**2 - own**2) ** 0.5 / RISE
    if sigma < LEAST_BLUR:
        return setup
    return setup.model_copy(update={"blur": round(min(sigma * setup.factor, MOST_BLUR), 1)})


def _quality(chosen: Mapping[str, object]) -> int:
    """Of the JPEG that was chosen; 100 is none."""
    quality = chosen.get("jpeg")
    return quality if isinstance(quality, int) else 100


def _compression(
    chosen: dict[str, object], reasons: list[str], left_out: list[str], traits: Traits, facts: Mapping[str, object]
) -> None:
    tables = facts.get("jpeg")
    if isinstance(tables, dict):
        chosen["jpeg"] = tables["quality"]
        reasons.append(f"its file is JPEG at about {tables['quality']}")
    elif traits.squares >= SQUARES_AT[0][0]:
        chosen["jpeg"] = min(SQUARES_AT, key=lambda pair: abs(pair[0] - traits.squares))[1]
        reasons.append(f"steps on a grid of squares are {traits.squares:.0f} % larger than off it")
    if facts.get("channels") == "4:2:0" or (isinstance(tables, dict) and tables["half_chroma"]):
        chosen["half_chroma"] = True
        reasons.append("its colour is kept at half the size")
    if facts.get("bit_depth") == 8 and "jpeg" not in chosen:
        chosen["eight_bit"] = True
    if codec := facts.get("codec"):
        left_out.append(f"its codec, {codec}, whose rate factor nobody can read off it; set one yourself")


def corrected(damage: LikelyDamage, tried: Sequence[tuple[TruthSetup, Traits]], real: Traits) -> LikelyDamage:
    """The damage with as much noise as makes inputs as noisy as the real source, going by those made so far.

    Shrinking is done before noise is added, but compression takes some of it away, and so does what the material hides:
    what is left is measured.

    Parameters
    ----------
    tried : (set-up, traits of the input that it made), the newest last
    """
    known = [(setup, traits.noise_known) for setup, traits in tried if traits.noise_known]
    if not known or not real.noise_known:
        return damage
    setup, left = known[-1]
    ratio = min(max(real.noise_known / left, 1 / MOST_STEP), MOST_STEP)
    if abs(ratio - 1) < NEAR_ENOUGH:
        ratio = 1.0  # near enough: as it was tried
    if setup.noise and damage.setup.noise:
        update = {"noise": round(min(setup.noise * ratio, 100.0), 1)}
    elif setup.underexposed and damage.setup.underexposed:
        # Shot noise doubles with two stops.
        update = {"underexposed": round(min(max(setup.underexposed + 2 * log2(ratio), 0.1), 12.0), 1)}
    else:
        return damage
    reason = f"{left:.1f} cv were left on a stand-in that was tried, and {real.noise_known:.1f} cv are wanted"
    return replace(damage, setup=damage.setup.model_copy(update=update), reasons=[*damage.reasons, reason])


def compared(real: Traits, stand_in: Traits) -> list[Compared]:
    """The traits that matter, of the real source and of an input that stands in for it."""
    return [
        Compared("noise", "cv", real.noise_known, stand_in.noise_known),
        Compared("noise in colour", "cv", real.noise_colour, stand_in.noise_colour),
        Compared("edge width", "px", real.edge_width, stand_in.edge_width),
        Compared("mean level", "%", 100 * real.mean_level, 100 * stand_in.mean_level),
        Compared("squares", "%", real.squares, stand_in.squares),
    ]


def _clean(traits: Traits) -> bool:
    noise = traits.noise_least if traits.noise_sigma is None else traits.noise_sigma
    return noise <= CLEAN and traits.squares <= CLEAN


def rank_candidates(
    kind: str | None, real: Traits, factor: float, candidates: Sequence[Candidate]
) -> list[tuple[Candidate, str]]:
    """Material that can stand in, the most alike first, each with a word why.

    It must be clean, and large enough that an input of it still shows something.
    """

    def distance(candidate: Candidate) -> float:
        traits = candidate.traits
        flat = abs(traits.flat_share - real.flat_share)
        return 2.0 * (candidate.kind != kind) + abs(traits.mean_level - real.mean_level) + flat

    def why(candidate: Candidate) -> str:
        words = ["the same kind of footage"] if kind and candidate.kind == kind else []
        noise = candidate.traits.noise_sigma
        words.append("clean" if noise is None else f"clean, {noise:.1f} cv of noise")
        if abs(candidate.traits.mean_level - real.mean_level) < 0.1:
            words.append("as bright")
        return ", ".join(words)

    fit = [
        candidate
        for candidate in candidates
        if _clean(candidate.traits) and min(candidate.size.width, candidate.size.height) / factor >= SMALLEST
    ]
    return [(candidate, why(candidate)) for candidate in sorted(fit, key=distance)]
