"""Read off a chart's result what was done to it: edges, gratings, noise, greys, colours, borders.

Results are (H, W, 3) float32, `factor` times as large as the chart; a result pixel i has its centre at input place
(i + 0.5) / factor - 0.5.

References
----------
.. [1] ISO 12233:2017: the edge profile oversampled along a slanted edge, its derivative's spectrum.
.. [2] J. S. Bendat, A. G. Piersol, "Random Data", 4th ed., 2010, ch. 6 and 9: ordinary coherence, and its bias of
       (1 - coherence) / number of windows.
"""

import numpy as np
import numpy.typing as npt

from mistline.core.fingerprint.charts import (
    COLOURS,
    EDGE_HEIGHT,
    EDGE_LEVELS,
    FREQUENCIES,
    GREY_LEVELS,
    PATCH,
    RED_STEP,
    TILE,
    edge_distance,
)
from mistline.core.frame import Array, luma, to_ycbcr

__all__ = [
    "BANDS", "BEYOND", "Grating", "read_border", "read_crosstalk", "read_edge", "read_gratings", "read_greys",
    "read_noise_gain", "read_own_texture", "spectrum_of_edge",
]  # fmt: skip

Real = npt.NDArray[np.float64]
REACH, BIN = 8.0, 1 / 8  # input pixels: how far from the edge, and how finely
NEAR = 4.0  # input pixels from an edge: rims are there, what is farther away is noise
SEEN = 16.0  # for the spectrum
MARGIN = 12  # input pixels that are left out around a patch
BANDS = {"1/32 to 1/16": (1 / 32, 1 / 16), "1/16 to 1/8": (1 / 16, 1 / 8), "1/8 to 1/4": (1 / 8, 1 / 4),
         "1/4 to 1/2": (1 / 4, 1.0)}  # fmt: skip
BEYOND = "beyond the input"
LEAST = 0.005  # of the variance of a field, for a band to be worth a figure
WINDOW = 32  # input pixels
BORDER = 8


def _places(count: int, factor: float) -> Real:
    places: Real = (np.arange(count, dtype=np.float64) + 0.5) / factor - 0.5
    return places


def _profile(result: Array, factor: float, reach: float, step: float) -> tuple[Real, Real]:
    """Places across the edge, and the mean of the pixels there; 0 before it, 1 behind."""
    height, width = result.shape[:2]
    x, y = _places(width, factor), _places(height, factor)
    inner = (y > MARGIN) & (y < EDGE_HEIGHT - 1 - MARGIN)
    away = edge_distance(x[None], y[inner, None])
    values = (luma(result)[inner].astype(np.float64) - EDGE_LEVELS[0]) / (EDGE_LEVELS[1] - EDGE_LEVELS[0])
    bins = np.round(away / step).astype(int)
    most = round(reach / step)
    near = np.abs(bins) <= most
    index = bins[near] + most
    count = np.bincount(index, minlength=2 * most + 1)
    total = np.bincount(index, values[near], minlength=2 * most + 1)
    # A bin's pixels do not lie in its middle exactly: their mean place is where the mean value stands.
    where = np.bincount(index, away[near], minlength=2 * most + 1)
    there = count > 0
    at: Real = (np.arange(-most, most + 1) * step).astype(np.float64)
    return at, np.interp(at, where[there] / count[there], total[there] / count[there])


def read_edge(
    result: Array, factor: float, *, noisy: bool = False
) -> tuple[list[list[float]], float, float, float]:
    """The step response [1]_.

    Returns
    -------
    profile : list of [place across the edge in input pixels, value]
        0 is the dark plateau, 1 the bright one.
    width : float
        10 to 90 % rise in result pixels; NaN where there is none.
    over, under : float
        Rims on the bright and on the dark side, % of the step; in noise what they exceed the plateaus' own ripple by.
    """
    at, values = _profile(result, factor, REACH, BIN)
    low, high = values[at < -REACH + 1.5].mean(), values[at > REACH - 1.5].mean()
    within = (values - low) / (high - low)
    middle = int(np.argmin(np.abs(at)))

    def crossing(level: float) -> float:
        """The crossing nearest to the edge."""
        rising = np.flatnonzero((within[:-1] < level) & (within[1:] >= level))
        if len(rising) == 0:
            return float("nan")
        k = rising[np.argmin(np.abs(rising - middle))]
        return float(at[k] + (level - within[k]) / (within[k + 1] - within[k]) * BIN)

    width = (crossing(0.9) - crossing(0.1)) * factor
    off = np.where(at > 0, within - 1, -within)
    rims = [off[(at > 0) & (at <= NEAR)].max(), off[(at < 0) & (at >= -NEAR)].max()]
    chance = np.abs(off[np.abs(at) > NEAR]).max() if noisy else 0.0
    over, under = (100 * max(0.0, float(rim - chance)) for rim in rims)
    profile = [[round(float(place), 3), round(float(value), 4)] for place, value in zip(at, values, strict=True)]
    return profile, width, over, under


def spectrum_of_edge(result: Array, factor: float) -> list[list[float]]:
    """Spectrum of the edge's derivative [1]_ up to the result's Nyquist frequency.

    Returns
    -------
    list of [frequency in cycles an input pixel, share of contrast]
        Of an edge whose pixels are means of areas: the area itself passes sinc(frequency).
    """
    at, values = _profile(result, factor, SEEN, BIN / 2)
    slope = np.diff(values)
    slope *= np.hanning(len(slope) + 2)[1:-1] ** 0.25
    places = at[:-1] + BIN / 4
    frequencies = np.linspace(0, factor / 2, 33)
    waves = np.exp(-2j * np.pi * frequencies[:, None] * places[None])
    # A difference of neighbours, of values that are means over a bin, passes sinc(bin) each.
    passed = np.sinc(frequencies * BIN / 2) ** 2
    found = np.abs(waves @ slope) / passed
    return [[round(float(f), 4), round(float(v), 4)] for f, v in zip(frequencies, found / found[0], strict=True)]


class Grating:
    """What became of one grating: its amplitude, its place and what else is there.

    Attributes
    ----------
    gain : float
        Its amplitude over that of the chart's.
    shift : float
        How far it moved along its frequency, input pixels.
    false : float
        RMS of all that is not of its frequency, over the RMS of the chart's grating.
    """

    def __init__(self, part: Array, factor: float, frequency: float, way: str, contrast: float) -> None:
        height, width = part.shape
        y, x = np.meshgrid(_places(height, factor), _places(width, factor), indexing="ij")
        along = {"across": x, "down": y, "diagonal": (x + y) / np.sqrt(2)}[way]
        inner = (slice(round(MARGIN * factor), -round(MARGIN * factor)),) * 2
        phase = 2 * np.pi * frequency * along[inner].ravel()
        waves = np.stack([np.cos(phase), np.sin(phase), np.ones_like(phase)], axis=1)
        values = part[inner].ravel().astype(np.float64)
        (cosine, sine, level), *_ = np.linalg.lstsq(waves, values, rcond=None)
        rest = values - waves @ (cosine, sine, level)
        self.gain = round(float(np.hypot(cosine, sine)) / contrast, 4)
        self.shift = float(np.arctan2(sine, cosine)) / (2 * np.pi * frequency)
        self.false = round(float(rest.std() / (contrast / np.sqrt(2))), 4)


def read_gratings(result: Array, factor: float, contrast: float) -> dict[str, list[Grating]]:
    """What became of every frequency, by the way it runs."""
    plane, side = luma(result), TILE * factor
    found: dict[str, list[Grating]] = {}
    for column, way in enumerate(("across", "down", "diagonal")):
        columns = slice(round(column * side), round((column + 1) * side))
        found[way] = []
        for row, frequency in enumerate(FREQUENCIES):
            rows = slice(round(row * side), round((row + 1) * side))
            found[way].append(Grating(plane[rows, columns], factor, frequency, way, contrast))
    return found


def _power(plane: Array, factor: float) -> tuple[Real, Real, Real]:
    """Power of a field whose variance it sums to, with the frequencies in cycles an input pixel."""
    height, width = plane.shape
    values = plane.astype(np.float64) - plane.mean()
    window = np.hanning(height)[:, None] * np.hanning(width)[None]
    power = np.abs(np.fft.fft2(values * window)) ** 2 / (np.mean(window**2) * values.size**2)
    down, across = np.fft.fftfreq(height, 1 / factor), np.fft.fftfreq(width, 1 / factor)
    radial = np.hypot(down[:, None], across[None])
    widest = np.maximum(np.abs(down[:, None]), np.abs(across[None]))
    return power, radial, widest


def read_noise_gain(field: Array, result: Array, factor: float) -> tuple[float, float, dict[str, float]]:
    """Sigma of a noisy field's result over that of the field: luma, colour, and luma by band.

    Bands that hold hardly any of the field's noise are left out: nothing is measured there. What has finer structure
    than the input can hold is `BEYOND`, over all of the input.
    """
    inner = round(MARGIN * factor)
    before, after = to_ycbcr(field[MARGIN:-MARGIN, MARGIN:-MARGIN]), to_ycbcr(result[inner:-inner, inner:-inner])
    power, radial, _ = _power(before[..., 0], 1)
    made, made_radial, made_widest = _power(after[..., 0], factor)
    bands = {}
    for name, (low, high) in BANDS.items():
        here = power[(radial >= low) & (radial < high)].sum()
        if here < LEAST * power.sum():
            continue
        there = made[(made_radial >= low) & (made_radial < high) & (made_widest <= 0.5)].sum()
        bands[name] = float(np.sqrt(there / here))
    if factor > 1:
        bands[BEYOND] = float(np.sqrt(made[made_widest > 0.5].sum() / power.sum()))
    colour = np.sqrt(after[..., 1:].var(axis=(0, 1)).sum() / before[..., 1:].var(axis=(0, 1)).sum())
    return float(after[..., 0].std() / before[..., 0].std()), float(colour), bands


def read_own_texture(field: Array, result: Array, factor: float) -> float:
    """Sigma, in code values, of what a noisy field's result holds that is no filtered copy of the field [2]_.

    Up to the frequencies that the input can hold; the bias of few windows is taken out.
    """
    large, step = round(WINDOW * factor), WINDOW // 2
    before, after = luma(field).astype(np.float64), luma(result).astype(np.float64)
    small_window = np.hanning(WINDOW)[:, None] * np.hanning(WINDOW)[None]
    large_window = np.hanning(large)[:, None] * np.hanning(large)[None]
    numbers = np.fft.fftfreq(WINDOW, 1 / WINDOW).astype(int)
    kept = np.abs(numbers) < WINDOW // 2
    pick = np.ix_(numbers[kept], numbers[kept])
    sxx, syy, sxy, count = np.zeros(()), np.zeros(()), np.zeros((), complex), 0
    for top in range(MARGIN, before.shape[0] - WINDOW - MARGIN, step):
        for left in range(MARGIN, before.shape[1] - WINDOW - MARGIN, step):
            down, across = round(top * factor), round(left * factor)
            one = before[top : top + WINDOW, left : left + WINDOW]
            two = after[down : down + large, across : across + large]
            x = np.fft.fft2((one - one.mean()) * small_window)[pick] / WINDOW**2
            y = np.fft.fft2((two - two.mean()) * large_window)[pick] / large**2
            sxx, syy, sxy, count = sxx + np.abs(x) ** 2, syy + np.abs(y) ** 2, sxy + y * np.conj(x), count + 1
    own = np.maximum(syy - np.abs(sxy) ** 2 / np.maximum(sxx, 1e-30), 0) / count
    # Windows that overlap by half hold little more than half as many independent ones.
    share = own.sum() / np.mean(small_window**2) / (1 - 2.2 / count)
    return float(255 * np.sqrt(share))


def read_greys(result: Array, factor: float, *, least: float = 0.0) -> list[list[float]]:
    """[level before, level after] of every grey that is at least so far from black and white."""
    plane, inner = luma(result), round(8 * factor)
    side = PATCH * factor
    found = []
    for number, level in enumerate(GREY_LEVELS):
        if not least <= level <= 1 - least:
            continue
        left, right = round(number * side), round((number + 1) * side)
        part = plane[inner:-inner, left + inner : right - inner]
        found.append([round(level, 4), round(float(part.mean()), 5)])
    return found


def read_border(result: Array, factor: float) -> float:
    """By how much a flat colour deviates more near the border than inside, at most; code values of 8 bits."""
    away = np.abs(result - np.array(COLOURS, np.float32)).max(axis=2)
    inner = round(BORDER * factor)
    inside = away[inner:-inner, inner:-inner]
    return float(255 * max(0.0, away.max() - inside.max()))


def read_crosstalk(result: Array, factor: float, *, noisy: bool = False) -> tuple[float, float]:
    """How much of a step in red reaches green and blue, %; and how much colour a grey step gets, code values.

    In noise what they exceed the places far from the step by.
    """
    rows = result.shape[0] // 2
    margin = round(MARGIN * factor)
    red = result[margin : rows - margin].mean(axis=0)
    grey = result[rows + margin : -margin].mean(axis=0)
    low, high, _ = RED_STEP
    away = np.abs(_places(len(red), factor) - 31.5)
    near, far = away < MARGIN, (away > MARGIN) & (away < 31.5 - NEAR)

    def swing(values: Array) -> float:
        """From the lowest to the highest value near the step, in noise beyond what it is elsewhere."""
        return max(0.0, float(np.ptp(values[near]) - (np.ptp(values[far]) if noisy else 0.0)))

    crossed = max(swing(red[:, channel]) for channel in (1, 2))
    return 100 * crossed / (high - low), 255 * swing(grey.max(axis=1) - grey.min(axis=1))
