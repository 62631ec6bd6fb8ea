"""What does a method do in general? It is given made charts, and what became of them is read off.

A method that reduces noise is measured where it works: every chart carries noise of `NOISE`, its automatic strength
follows that noise, and the means of several results are read.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from mistline.core.fingerprint import charts
from mistline.core.fingerprint.reading import (
    BEYOND,
    read_border,
    read_crosstalk,
    read_edge,
    read_gratings,
    read_greys,
    read_noise_gain,
    read_own_texture,
    spectrum_of_edge,
)
from mistline.core.frame import Array, Frame, Size
from mistline.core.measure import measure_traits
from mistline.core.media.plate import quantise
from mistline.core.methods import METHODS, Traits, Window
from mistline.core.methods.recipe import Pass, Recipe, run_recipe

__all__ = ["VERSION", "Fingerprint", "Plates", "Response", "of_method", "take_fingerprint", "usual_factor"]

VERSION = 1
REPEATS = 4  # results in noise
REPEATS_OF_EDGES = 12
CLEAR_OF_ENDS = 3 * charts.NOISE / 255  # noise of greys that are nearer to black or white is clipped
CONTRAST = 0.1  # amplitude of the gratings; the weaker ones have half of it
SURE = 0.05  # share of a grating that must be left to ask whether its response is linear
STEPS = 12  # what is made, for the progress


@dataclass(frozen=True)
class Response:
    """What is left of a grating: of its amplitude, by the way it runs, and what else there is, over its RMS.

    `false` is None in noise, which cannot be told from it.
    """

    frequency: float
    across: float
    down: float
    diagonal: float
    false: float | None


@dataclass(frozen=True)
class Fingerprint:
    """What a recipe does to the charts.

    Attributes
    ----------
    factor : float
        How many times larger its results are.
    in_noise : float
        Sigma of the noise that all charts carried, code values of 8 bits; 0 where they were clean.
    step : list of [place in input pixels, value]
        Across an edge whose pixels are means of areas; 0 dark, 1 bright.
    edge_width : float
        10 to 90 % rise, result pixels.
    over, under : float
        Rims on the bright and on the dark side, % of the step.
    response : list of Response
        By frequency in cycles an input pixel.
    edge_spectrum : list of [cycles an input pixel, share]
        Of the step, up to what the result can hold.
    false : float or None
        False frequencies beside the finest grating, % of it.
    linearity : float or None
        Response to gratings of twice the contrast over the response to the others, %; 100 is linear. None where nothing
        is left of them.
    shift_right, shift_down : float
        Of coarse gratings, input pixels.
    noise_gain, colour_noise_gain : float
        Sigma after over sigma before, of white noise.
    noise_bands, coarse_bands : dict
        Luma noise gain by band (cycles an input pixel), of white and of coarse noise.
    coarse_gain : float
        Noise gain of coarse noise.
    own_texture : float
        What the result of a flat noisy field holds that is no filtered copy of the noise; code values.
    border : float
        How much more a flat colour deviates near the border than inside; code values.
    crosstalk, grey_colour : float
        A step in red in the other channels, % of it; colour that a grey step gets, code values.
    greys : list of [level before, level after]
        The tone curve.
    tone : float
        Largest change of a grey, code values.
    """

    factor: float
    in_noise: float
    step: list[list[float]]
    edge_width: float | None
    over: float
    under: float
    response: list[Response]
    edge_spectrum: list[list[float]]
    false: float | None
    linearity: float | None
    shift_right: float
    shift_down: float
    noise_gain: float
    colour_noise_gain: float
    noise_bands: dict[str, float]
    coarse_gain: float
    coarse_bands: dict[str, float]
    own_texture: float
    border: float
    crosstalk: float
    grey_colour: float
    greys: list[list[float]]
    tone: float
    settings: list[dict[str, object]] = field(default_factory=list)


@dataclass(frozen=True)
class Plates:
    """Pictures to look at, (H, W, 3) float32: what the method was given and what it made of it."""

    plate_before: Array
    plate_after: Array
    rings_before: Array
    rings_after: Array


def usual_factor(method: str) -> float:
    """How many times a method is made to enlarge: the factor of its network, else 2; 1 if it keeps the size."""
    found = METHODS[method]
    if not found.resizes:
        return 1.0
    return float(found.card.factor) if found.card else 2.0


class _Subject:
    """A recipe that is given charts, with the noise that they carry and the traits that its settings follow."""

    def __init__(self, recipe: Recipe, factor: float) -> None:
        self.recipe, self.factor = recipe, factor
        self.noise = charts.NOISE if any(step.definition.reduces_noise for step in recipe.every_pass()) else 0.0
        flat = np.full((charts.NOISE_SIDE, charts.NOISE_SIDE, 3), 0.5, np.float32)
        self.flat = flat
        self.usual = _traits(flat + (charts.white_noise(0) if self.noise else 0))
        self.settings: list[dict[str, object]] = []

    def once(self, frames: Sequence[Array], traits: Traits) -> Array:
        """The result for the frame in the middle."""
        window = Window(tuple(Frame(frame, 16) for frame in frames), len(frames) // 2, len(frames) // 2)
        size = window.frame.size
        target = Size(round(size.width * self.factor), round(size.height * self.factor))
        made = run_recipe(window, self.recipe, target, traits)
        self.settings = self.settings or made.settings
        return made.frame.pixels

    def noisy(self, chart: Array, repeat: int) -> list[Array]:
        """A chart as a clip of frames as long as the recipe looks at, each with noise of its own if it must have."""
        frames = 2 * self.recipe.reach + 1
        if not self.noise:
            return [chart] * frames
        shape = chart.shape[:2]
        return [chart + charts.white_noise(100 * repeat + frame + 1, shape) for frame in range(frames)]

    def of(self, chart: Array, repeats: int = REPEATS) -> Array:
        """The result, in noise the mean of several."""
        repeats = repeats if self.noise else 1
        made = [self.once(self.noisy(chart, repeat), self.usual) for repeat in range(repeats)]
        return np.asarray(np.mean(made, axis=0), np.float32)

    def of_noise(self, kind: Callable[[int], Array]) -> tuple[Array, Array]:
        """A field of noise and its result; the settings follow that noise."""
        frames = [self.flat + kind(number) for number in range(2 * self.recipe.reach + 1)]
        field = frames[len(frames) // 2]
        return field, self.once(frames, _traits(field))


def _traits(pixels: Array) -> Traits:
    return measure_traits(quantise(Frame(pixels, 16), 16)[0])


def take_fingerprint(
    recipe: Recipe, factor: float, report: Callable[[float], None] = lambda done: None
) -> tuple[Fingerprint, Plates]:
    """Give a recipe all charts and read its results.

    Parameters
    ----------
    factor : float
        How many times larger its results are; 1 where nothing resizes. Charts are cut by multiples of 4 pixels, so that
        whole factors, halves and quarters are exact.

    Raises
    ------
    OutOfLimits
        If the recipe cannot do that factor.
    """
    subject, done = _Subject(recipe, factor), 0

    def told(result: Array) -> Array:
        nonlocal done
        done += 1
        report(done / STEPS)
        return result

    edge = told(subject.of(charts.slanted_edge(), REPEATS_OF_EDGES))
    profile, width, over, under = read_edge(edge, factor, noisy=bool(subject.noise))
    strong = read_gratings(told(subject.of(charts.gratings(CONTRAST))), factor, CONTRAST)
    weak = read_gratings(told(subject.of(charts.gratings(CONTRAST / 2))), factor, CONTRAST / 2)
    response = [
        Response(frequency, across.gain, down.gain, diagonal.gain, None if subject.noise else across.false)
        for frequency, across, down, diagonal in zip(charts.FREQUENCIES, *strong.values(), strict=True)
    ]
    ratios = [
        one.gain / other.gain
        for way in strong
        for one, other in zip(strong[way], weak[way], strict=True)
        if other.gain > SURE
    ]
    shifts = [float(np.median([grating.shift for grating in strong[way][:3]])) for way in ("across", "down")]
    field, made = subject.of_noise(charts.white_noise)
    gain, colour_gain, bands = read_noise_gain(field, told(made), factor)
    texture = read_own_texture(field, made, factor)
    rough, made_rough = subject.of_noise(charts.coarse_noise)
    coarse_gain, _, coarse_bands = read_noise_gain(rough, told(made_rough), factor)
    coarse_bands.pop(BEYOND, None)
    border = read_border(
        told(subject.once([charts.flat_colour()] * (2 * recipe.reach + 1), subject.usual)), factor
    )
    crosstalk, grey_colour = read_crosstalk(
        told(subject.of(charts.red_step(), REPEATS_OF_EDGES)), factor, noisy=bool(subject.noise)
    )
    greys = read_greys(
        told(subject.of(charts.grey_steps())), factor, least=CLEAR_OF_ENDS if subject.noise else 0.0
    )
    plate, rings = (subject.noisy(chart, 0) for chart in (charts.plate(), charts.zone_plate()))
    plates = Plates(
        plate[len(plate) // 2], told(subject.once(plate, subject.usual)),
        rings[len(rings) // 2], told(subject.once(rings, subject.usual)),
    )  # fmt: skip
    found = Fingerprint(
        factor=factor, in_noise=subject.noise, step=profile,
        edge_width=None if np.isnan(width) else round(width, 2), over=round(over, 2), under=round(under, 2),
        response=response, edge_spectrum=spectrum_of_edge(edge, factor),
        false=None if subject.noise else round(100 * strong["across"][-1].false, 1),
        linearity=round(100 * float(np.median(ratios)), 1) if ratios else None,
        shift_right=round(shifts[0], 3), shift_down=round(shifts[1], 3),
        noise_gain=round(gain, 4), colour_noise_gain=round(colour_gain, 4), noise_bands=_rounded(bands),
        coarse_gain=round(coarse_gain, 4), coarse_bands=_rounded(coarse_bands), own_texture=round(texture, 2),
        border=round(border, 2), crosstalk=round(crosstalk, 1), grey_colour=round(grey_colour, 2), greys=greys,
        tone=round(255 * max(abs(after - before) for before, after in greys), 2), settings=subject.settings,
    )  # fmt: skip
    report(1.0)
    return found, plates


def _rounded(bands: dict[str, float]) -> dict[str, float]:
    return {name: round(gain, 4) for name, gain in bands.items()}


def of_method(method: str) -> Recipe:
    """A method by itself, with its automatic settings."""
    return Recipe(name=METHODS[method].name, passes=[Pass(method=method)])
