"""Fit the amounts of the classical noise filters: python -m training.fit_denoisers [FILTER ...]

Six photographs of the training material with white noise; the amount with the best mean PSNR at each sigma, by a
parabola through the best of a grid and its neighbours. The held-out photographs are only told, never fitted to.
"""

import sys

import cv2
import numpy as np
import skimage.data

from mistline.core.methods.noise_filters import FILTERS, FITTED, FITTED_AT
from training.material import HELD_OUT, rgb, wallpapers

SIDE = 240
CHOSEN = (2, 6, 12, 20, 34, 50)  # of the wallpapers: a spread of subjects
GRIDS = {
    "gaussian": np.arange(0.2, 2.6, 0.1),
    "median": np.arange(0, 2.01, 0.2),
    "bilateral": np.arange(1, 5.1, 0.4),
    "guided": np.arange(0.5, 3.1, 0.25),
    "non_local_means": np.arange(0.3, 1.3, 0.1),
    "wavelet": np.arange(0.8, 1.9, 0.1),
    "total_variation": np.arange(0.3, 2.5, 0.2),
    "sliding_dct": np.arange(1.8, 3.5, 0.2),
}


def planes(pictures: list[np.ndarray]) -> list[np.ndarray]:
    """The middle of each picture's luma, in 0..1."""
    found = []
    for picture in pictures:
        plane = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
        top, left = ((length - SIDE) // 2 for length in plane.shape)
        found.append(plane[top : top + SIDE, left : left + SIDE])
    return found


def quality(key: str, sigma: float, amount: float, truths: list[np.ndarray]) -> float:
    """Mean PSNR of the cleaned planes."""
    found = []
    for number, truth in enumerate(truths):
        noisy = truth + np.random.default_rng(number).normal(0, sigma / 255, truth.shape).astype(np.float32)
        cleaned = FILTERS[key](noisy, sigma / 255, amount)
        found.append(-10 * np.log10(np.square(cleaned - truth).mean()))
    return float(np.mean(found))


def best(key: str, sigma: float, truths: list[np.ndarray]) -> float:
    """The amount with the best quality."""
    grid = GRIDS[key]
    curve = [quality(key, sigma, float(amount), truths) for amount in grid]
    top = int(np.argmax(curve))
    if not 0 < top < len(grid) - 1:
        return float(grid[top])
    before, peak, after = curve[top - 1 : top + 2]
    return float(grid[top] + (grid[1] - grid[0]) * (before - after) / (2 * (before - 2 * peak + after)))


def main() -> None:
    """Print a row of FITTED for each filter, and what it reaches on pictures that had no part in it."""
    pictures = wallpapers()
    truths = planes([pictures[number] for number in CHOSEN])
    held_out = planes([rgb(getattr(skimage.data, name)()) for name in HELD_OUT])
    for key in sys.argv[1:] or GRIDS:
        amounts = [round(best(key, sigma, truths), 2) for sigma in FITTED_AT[1:]]
        reached = [
            f"{quality(key, sigma, now, held_out):.2f} ({quality(key, sigma, before, held_out):.2f})"
            for sigma, now, before in zip(FITTED_AT[1:], amounts, FITTED[key][1:], strict=True)
        ]
        print(key, amounts, "held out, and before:", *reached, flush=True)


if __name__ == "__main__":
    main()
