"""Made charts that every method is given once, so that what it does in general can be read off the results.

All are grey or coloured frames in 0..1, encoded; places and frequencies are in input pixels, pixel (0, 0) has its
centre at (0, 0).

References
----------
.. [1] ISO 12233:2017, "Photography - Electronic still picture imaging - Resolution and spatial frequency
       responses": the slanted edge.
.. [2] Common practice: the circular zone plate, cos(pi r^2 / (2 R)) reaches 1/2 cycle a pixel at radius R.
"""

import cv2
import numpy as np

from mistline.core.frame import Array

__all__ = [
    "COLOURS", "EDGE_HEIGHT", "EDGE_LEVELS", "FREQUENCIES", "GREY_LEVELS", "NOISE", "RED_STEP", "coarse_noise",
    "edge_distance", "flat_colour", "gratings", "grey_steps", "plate", "red_step", "slanted_edge", "white_noise",
    "zone_plate",
]  # fmt: skip

EDGE_LEVELS = (0.35, 0.65)
EDGE_HEIGHT, EDGE_WIDTH, ANGLE = 192, 64, 5.0  # pixels, degrees from upright
OVERSAMPLED = 16
FREQUENCIES = (0.03, 0.06, 0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4, 0.45)  # cycles a pixel
TILE = 64  # a grating's side, pixels
GREY_LEVELS = tuple(np.linspace(0, 1, 17).tolist())
PATCH = 32
COLOURS = (0.62, 0.45, 0.3)
RED_STEP = (0.3, 0.7, 0.5)  # red before, red behind, green and blue
NOISE = 10.0  # code values of 8 bits
NOISE_SIDE = 256
COARSE = 1.5  # sigma of the blur that makes coarse noise, pixels


def _grey(plane: Array) -> Array:
    return np.repeat(plane.astype(np.float32)[..., None], 3, axis=2)


def edge_distance(x: Array, y: Array) -> Array:
    """Distance of places from the slanted edge, to its right positive."""
    angle = np.deg2rad(ANGLE)
    return (x - (EDGE_WIDTH - 1) / 2) * np.cos(angle) + (y - (EDGE_HEIGHT - 1) / 2) * np.sin(angle)


def slanted_edge() -> Array:
    """Dark to bright across a nearly upright edge [1]_; every pixel is the mean of its area."""
    x, y = ((np.arange(side * OVERSAMPLED) + 0.5) / OVERSAMPLED - 0.5 for side in (EDGE_WIDTH, EDGE_HEIGHT))
    bright = edge_distance(x[None], y[:, None]) > 0
    share = bright.reshape(EDGE_HEIGHT, OVERSAMPLED, EDGE_WIDTH, OVERSAMPLED).mean(axis=(1, 3))
    return _grey(EDGE_LEVELS[0] + (EDGE_LEVELS[1] - EDGE_LEVELS[0]) * share)


def gratings(contrast: float) -> Array:
    """Cosines of every frequency (rows) that run across, down and diagonally (columns), about 0.5.

    `contrast` is their amplitude.
    """
    y, x = np.mgrid[0:TILE, 0:TILE].astype(np.float64)
    ways = (x, y, (x + y) / np.sqrt(2))
    rows = [np.hstack([np.cos(2 * np.pi * frequency * way) for way in ways]) for frequency in FREQUENCIES]
    return _grey(0.5 + contrast * np.vstack(rows))


def grey_steps() -> Array:
    """Patches of `GREY_LEVELS` side by side."""
    return _grey(np.tile(np.repeat(GREY_LEVELS, PATCH), (PATCH, 1)))


def flat_colour() -> Array:
    """One colour up to the last pixel."""
    return np.tile(np.array(COLOURS, np.float32), (72, 72, 1))


def red_step() -> Array:
    """An upright edge in red alone; in its lower half one in all channels alike."""
    low, high, rest = RED_STEP
    chart = np.full((192, 64, 3), rest, np.float32)
    chart[:, :32, 0], chart[:, 32:, 0] = low, high
    chart[96:, :32], chart[96:, 32:] = low, high
    return chart


def white_noise(seed: int, side: int | tuple[int, int] = NOISE_SIDE) -> Array:
    """White noise of `NOISE` about 0, independent in the channels."""
    shape = (side, side) if isinstance(side, int) else side
    return np.random.default_rng([7, seed]).normal(0, NOISE / 255, (*shape, 3)).astype(np.float32)


def coarse_noise(seed: int) -> Array:
    """Noise of the same strength with grains of a few pixels."""
    wide = cv2.GaussianBlur(white_noise(seed, NOISE_SIDE + 32), (0, 0), COARSE)[16:-16, 16:-16]
    return np.asarray(wide * (NOISE / 255 / wide.std()), np.float32)


def zone_plate(side: int = 192) -> Array:
    """Rings from no frequency in the middle to 1/2 cycle a pixel at the sides [2]_."""
    y, x = np.mgrid[0:side, 0:side] - (side - 1) / 2
    return _grey(0.5 + 0.4 * np.cos(np.pi * (x * x + y * y) / side))


def _leaves(rng: np.random.Generator, height: int, width: int) -> Array:
    """A hedge: many small dark and bright strokes in all directions."""
    plane = np.full((4 * height, 4 * width), 0.25, np.float32)
    for _ in range(height * width // 6):
        x, y, turn = rng.integers(0, 4 * width), rng.integers(0, 4 * height), rng.uniform(0, 360)
        axes = (int(rng.integers(5, 12)), int(rng.integers(2, 5)))
        cv2.ellipse(plane, (int(x), int(y)), axes, turn, 0, 360, float(rng.uniform(0.08, 0.6)), -1)
    return plane


def _skin(rng: np.random.Generator, height: int, width: int) -> Array:
    """A rounded, softly lit surface with pores and a few creases."""
    y, x = np.mgrid[0 : 4 * height, 0 : 4 * width].astype(np.float32) / (4 * height)
    pores = cv2.GaussianBlur(rng.normal(0, 1, x.shape).astype(np.float32), (0, 0), 3.5)
    creases = np.sin(60 * (y + 0.12 * np.sin(3 * x)))
    return 0.72 - 0.25 * ((x - 0.5) ** 2 + (y - 0.4) ** 2) + 0.16 * pores + 0.012 * creases.astype(np.float32)


def _words(height: int, width: int) -> Array:
    plane = np.full((4 * height, 4 * width), 230, np.uint8)
    lines = (("TRAM DEPOT 7", 1.5, 4), ("hedge lane, stop 41", 1.05, 2), ("0123456789 mwv", 0.8, 2))
    for number, (text, scale, thick) in enumerate(lines, 1):
        place = (12, int(number * 4 * height / 3.4))
        cv2.putText(plane, text, place, cv2.FONT_HERSHEY_SIMPLEX, scale, 25, thick, cv2.LINE_AA)
    return np.asarray(plane / np.float32(255), np.float32)


def _strokes(height: int, width: int) -> Array:
    """Diagonals, a fan of thin lines and a netting."""
    plane = np.full((4 * height, 4 * width), 0.55, np.float32)
    middle = 2 * width
    for turn in range(0, 180, 12):
        far = 8 * height
        away = (
            int(middle // 2 + far * np.cos(np.deg2rad(turn))),
            int(2 * height + far * np.sin(np.deg2rad(turn))),
        )
        cv2.line(plane[:, :middle], (middle // 2, 2 * height), away, 0.15, 3, cv2.LINE_AA)
    for at in range(0, 4 * (width + height), 22):
        for top, foot in ((0, 4 * height), (4 * height, 0)):
            cv2.line(plane, (middle + at, top), (middle + at - 4 * height, foot), 0.85, 2, cv2.LINE_AA)
    plane[:, :middle][: 2 * height, : middle // 3] = 0.95
    return plane


def plate() -> Array:
    """The standard plate: lettering, thin lines and netting, a hedge, something like skin, and an even sky.

    Invented material, drawn four times as large and brought down by the mean of areas.
    """
    rng = np.random.default_rng(11)
    height, width = 72, 112
    sky = np.tile(np.linspace(0.62, 0.8, 4 * height, dtype=np.float32)[:, None], (1, 4 * width))
    parts = [
        (_words(height, width), (1.0, 0.98, 0.92)), (_strokes(height, width), (0.92, 1.0, 1.0)),
        (_leaves(rng, height, width), (0.75, 1.1, 0.5)), (_skin(rng, height, width), (1.15, 0.92, 0.8)),
    ]  # fmt: skip
    parts[1] = (np.where(np.arange(4 * width) < 3.2 * width, parts[1][0], sky), parts[1][1])
    tinted = [plane[..., None] * np.array(tint, np.float32) for plane, tint in parts]
    large = np.vstack([np.hstack(tinted[:2]), np.hstack(tinted[2:])])
    small = cv2.resize(np.clip(large, 0, 1), (2 * width, 2 * height), interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.float32)
