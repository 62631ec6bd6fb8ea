"""A stand-in for a slow renderer: `python -m standins.renderer --width 960 --out hall.png`.

It renders a made scene (a tiled floor that runs to the horizon, columns, a lamp) at any size, and takes a known time
for it: so many microseconds a pixel. A half-size render therefore costs a quarter, as of any renderer whose cost is its
pixels; break-even can be tried on it.
"""

import argparse
import time
from pathlib import Path

import cv2
import numpy as np

MICROSECONDS = 20.0  # a pixel
SAMPLES = 3  # each way, so that edges are means of areas


def scene(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Colours 0..1 at places of the picture (x to 16 / 9, y to 1 downwards), (..., 3)."""
    floor = y > 0.55
    depth = 1 / np.maximum(y - 0.54, 1e-3)
    tiles = (np.floor(0.6 * depth) + np.floor(1.6 * (x - 0.89) * depth)) % 2
    shade = np.where(floor, 0.25 + 0.35 * tiles * np.clip(2.4 - 0.08 * depth, 0, 1), 0.5 - 0.3 * y)
    columns = (np.abs((x * 4.5) % 1 - 0.5) < 0.08) & (y < 0.62) & (y > 0.08)
    shade = np.where(columns, 0.2 + 0.5 * np.abs((x * 4.5) % 1 - 0.42), shade)
    lamp = np.exp(-((x - 0.9) ** 2 + (y - 0.2) ** 2) / 0.004)
    colour = np.stack([1.05 * shade + lamp, 0.95 * shade + 0.9 * lamp, 0.8 * shade + 0.6 * lamp], axis=-1)
    return np.clip(colour, 0, 1)


def render(width: int, height: int, microseconds: float = MICROSECONDS) -> np.ndarray:
    """The scene as (height, width, 3) uint8; it takes at least its cost."""
    begun = time.monotonic()
    total = np.zeros((height, width, 3))
    for down in range(SAMPLES):
        for across in range(SAMPLES):
            x = (np.arange(width) + (across + 0.5) / SAMPLES) / height
            y = (np.arange(height) + (down + 0.5) / SAMPLES) / height
            total += scene(x[None] + 0 * y[:, None], y[:, None] + 0 * x[None])
    time.sleep(max(0.0, microseconds * 1e-6 * width * height - (time.monotonic() - begun)))
    return np.rint(255 * total / SAMPLES**2).astype(np.uint8)


def main() -> None:
    """Render one picture to a file and say how long it took."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--width", type=int, default=1920)
    parser.add_argument("--height", type=int)
    parser.add_argument("--microseconds", type=float, default=MICROSECONDS)
    parser.add_argument("--out", type=Path, required=True)
    given = parser.parse_args()
    begun = time.monotonic()
    picture = render(given.width, given.height or given.width * 9 // 16, given.microseconds)
    cv2.imwrite(str(given.out), picture[..., ::-1])
    print(f"{given.out}: {picture.shape[1]} x {picture.shape[0]} in {time.monotonic() - begun:.2f} s")


if __name__ == "__main__":
    main()
