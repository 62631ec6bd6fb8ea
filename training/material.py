"""Training pictures: photographs that ship inside registry packages, and made textures, edges and text.

Public domain, CC0 or without known restrictions (scikit-image): rocket, brick, grass, gravel, retina,
hubble_deep_field; in the wide material also coins, moon, page, text, immunohistochemistry, microaneurysms, clock.
CC BY 2.0 (scikit-learn): china (caption "China temple"), flower; authors as given in its README.txt.
Licences and authors as in each package's copyright file (Debian): the JPEG pictures of PACKAGES.
Held out, never trained on (scikit-image, CC0 or public domain): astronaut, camera, chelsea, coffee.
"""

import subprocess
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
from PIL import Image, ImageDraw, ImageFilter, ImageFont

PHOTOGRAPHS = ("rocket", "brick", "grass", "gravel", "retina", "hubble_deep_field")
MORE_PHOTOGRAPHS = ("coins", "moon", "page", "text", "immunohistochemistry", "microaneurysms", "clock")
HELD_OUT = ("astronaut", "camera", "chelsea", "coffee")
SIDE = 320
PACKAGES = {
    "lomiri-wallpapers-16.04": "usr/share/backgrounds/*.jpg",
    "lomiri-wallpapers-20.04": "usr/share/backgrounds/*.jpg",
    "mate-backgrounds": "usr/share/backgrounds/mate/nature/*.jpg",
    "plasma-workspace-wallpapers": "usr/share/wallpapers/*/contents/images/2560x1600.jpg",
}
UNPACKED = Path(__file__).parent / "pictures"
LONG_SIDES = (1500, 1000)  # small enough that their sharpening and JPEG blocks are gone
LANCZOS, CUBIC = Image.Resampling.LANCZOS, Image.Resampling.BICUBIC
# Long side, kernel, sharpening in %.
WIDE = ((1500, LANCZOS, 0), (1200, LANCZOS, 40), (900, CUBIC, 0), (600, LANCZOS, 0))


def rgb(picture: np.ndarray) -> np.ndarray:
    """(H, W, 3) uint8 of any grey, RGB or RGBA picture."""
    return np.repeat(picture[..., None], 3, 2) if picture.ndim == 2 else np.ascontiguousarray(picture[..., :3])


def photographs() -> list[np.ndarray]:
    """All training photographs, each at full, 3/4 and half size."""
    import skimage.data
    from sklearn.datasets import load_sample_images

    found = [rgb(getattr(skimage.data, name)()) for name in PHOTOGRAPHS]
    found += [rgb(picture) for picture in load_sample_images().images]
    large = [cv2.resize(p, None, fx=2000 / max(p.shape), fy=2000 / max(p.shape), interpolation=cv2.INTER_AREA)
             if max(p.shape) > 2000 else p for p in found]  # fmt: skip
    return [
        p if scale == 1 else cv2.resize(p, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        for p in large
        for scale in (1, 0.75, 0.5)
        if min(p.shape[:2]) * scale >= 160
    ]


def _fetched() -> Iterator[np.ndarray]:
    """The photographs of Debian's PACKAGES, fetched once, as they are."""
    for package, pattern in PACKAGES.items():
        place = UNPACKED / package
        if not place.exists():
            UNPACKED.mkdir(exist_ok=True)
            subprocess.run(["apt-get", "download", package], cwd=UNPACKED, check=True)
            subprocess.run(["dpkg-deb", "-x", *UNPACKED.glob(f"{package}_*.deb"), place], check=True)
        for path in sorted(path for path in place.glob(pattern) if not path.is_symlink()):
            yield cv2.cvtColor(cv2.imread(str(path)), cv2.COLOR_BGR2RGB)


def wallpapers() -> list[np.ndarray]:
    """The photographs of Debian's PACKAGES, each shrunk by area to LONG_SIDES."""
    return [
        cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        for picture in _fetched()
        for scale in (side / max(picture.shape) for side in LONG_SIDES)
        if scale <= 0.75
    ]


def crisp_wallpapers() -> list[np.ndarray]:
    """The same, shrunk and in part sharpened as pictures are for a screen (WIDE)."""
    found = []
    for picture in _fetched():
        for side, kernel, percent in WIDE:
            scale = side / max(picture.shape)
            if scale <= 0.75:
                size = round(picture.shape[1] * scale), round(picture.shape[0] * scale)
                small = Image.fromarray(picture).resize(size, kernel)
                found.append(
                    np.asarray(small.filter(ImageFilter.UnsharpMask(0.8, percent, 0)) if percent else small)
                )
    return found


def more_photographs() -> list[np.ndarray]:
    """Scikit-image's MORE_PHOTOGRAPHS as they are."""
    import skimage.data

    return [rgb(getattr(skimage.data, name)()) for name in MORE_PHOTOGRAPHS]


def _texture(rng: np.random.Generator) -> np.ndarray:
    """Noise with a falling, sometimes directed spectrum, in one or two tints."""
    fy, fx = np.meshgrid(np.fft.fftfreq(SIDE), np.fft.fftfreq(SIDE), indexing="ij")
    turn, stretch = rng.uniform(0, np.pi), rng.uniform(1, 4)
    u, v = fx * np.cos(turn) + fy * np.sin(turn), (fy * np.cos(turn) - fx * np.sin(turn)) * stretch
    weight = 1 / np.maximum(np.hypot(u, v), 1 / SIDE) ** rng.uniform(0.8, 1.8)
    plane = np.fft.ifft2(np.fft.fft2(rng.normal(size=(SIDE, SIDE))) * weight).real
    plane = (plane - plane.mean()) / plane.std()
    tint = rng.uniform(0.3, 1, 3) * rng.uniform(20, 60)
    return plane[..., None] * tint + rng.uniform(60, 190, 3)


def _shapes(rng: np.random.Generator) -> np.ndarray:
    """Polygons, wires and netting, drawn at four times the size so that edges are clean."""
    big = Image.new("RGB", (4 * SIDE, 4 * SIDE), tuple(int(c) for c in rng.integers(0, 256, 3)))
    draw = ImageDraw.Draw(big)

    def colour() -> tuple[int, ...]:
        return tuple(int(c) for c in rng.integers(0, 256, 3))

    for _ in range(rng.integers(8, 30)):
        points = rng.integers(0, 4 * SIDE, (rng.integers(3, 6), 2))
        draw.polygon([tuple(map(int, p)) for p in points], fill=colour())
    for _ in range(rng.integers(5, 40)):
        ends = [tuple(map(int, p)) for p in rng.integers(0, 4 * SIDE, (2, 2))]
        draw.line(ends, fill=colour(), width=int(rng.integers(3, 14)))
    if rng.random() < 0.5:
        pitch, width, tint = int(rng.integers(16, 60)), int(rng.integers(3, 9)), colour()
        for start in range(-4 * SIDE, 8 * SIDE, pitch):
            draw.line([(start, 0), (start + 4 * SIDE, 4 * SIDE)], fill=tint, width=width)
            draw.line([(start, 0), (start - 4 * SIDE, 4 * SIDE)], fill=tint, width=width)
    return cv2.resize(np.asarray(big), (SIDE, SIDE), interpolation=cv2.INTER_AREA).astype(np.float64)


def _text(rng: np.random.Generator) -> np.ndarray:
    """Lines of random letters from 8 to 40 pixels high."""
    paper, ink = rng.integers(0, 256, 3), rng.integers(0, 256, 3)
    page = Image.new("RGB", (SIDE, SIDE), tuple(int(c) for c in paper))
    draw, y = ImageDraw.Draw(page), 2
    letters = list("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789 .,:-")
    while y < SIDE:
        height = int(rng.integers(8, 40))
        line = "".join(rng.choice(letters, 60))
        draw.text((int(rng.integers(-20, 6)), y), line, tuple(int(c) for c in ink), ImageFont.load_default(height))
        y += int(height * 1.3)
    return np.asarray(page, np.float64)


def _leaves(rng: np.random.Generator) -> np.ndarray:
    """Dead leaves: discs whose sizes follow a cubic power law lie over one another, as objects do in a photograph.

    A. B. Lee, D. Mumford, J. Huang, "Occlusion models for natural images", Int. J. Comput. Vis. 41, 35-59, 2001.
    """
    big = np.zeros((2 * SIDE, 2 * SIDE, 3), np.uint8)
    tints = np.clip(
        rng.normal(rng.uniform(40, 200), rng.uniform(15, 70), (24, 1)) + rng.normal(0, 18, (24, 3)), 0, 255
    )
    smallest, largest = rng.uniform(2, 5), rng.uniform(80, 300)
    count = int(rng.integers(1500, 5000))
    radii = (smallest**-2 - rng.random(count) * (smallest**-2 - largest**-2)) ** -0.5
    for radius in radii:
        at = tuple(int(c) for c in rng.integers(-20, 2 * SIDE + 20, 2))
        tint = tuple(float(c) for c in np.clip(tints[rng.integers(24)] + rng.normal(0, 6), 0, 255))
        if rng.random() < 0.6:
            cv2.circle(big, at, max(1, int(radius)), tint, -1, cv2.LINE_AA)
        else:
            axes = (max(1, int(radius * rng.uniform(0.2, 1))), max(1, int(radius)))
            cv2.ellipse(big, at, axes, float(rng.uniform(0, 180)), 0, 360, tint, -1, cv2.LINE_AA)
    picture = cv2.resize(
        cv2.GaussianBlur(big, (0, 0), rng.uniform(0.6, 1.4)), (SIDE, SIDE), interpolation=cv2.INTER_AREA
    )
    return picture + 0.12 * (_texture(rng) - 128) * rng.random()


def made(count: int, seed: int) -> list[np.ndarray]:
    """Made pictures of 320 x 320: leaves, shapes, text and textures, each with a soft shading over it."""
    rng = np.random.default_rng(seed)
    found = []
    for number in range(count):
        picture = (_leaves, _shapes, _leaves, _text, _leaves, _texture)[number % 6](rng)
        slope = np.linspace(rng.uniform(0.6, 1), rng.uniform(0.6, 1), SIDE)
        picture = picture * (slope[:, None, None] if rng.random() < 0.5 else slope[None, :, None])
        found.append(np.clip(np.round(picture), 0, 255).astype(np.uint8))
    return found
