"""Render the photographic plates with mitsuba (a development step; the finished plates are in demo/media).

    pip install mitsuba pyoidn numpy scipy pillow
    python demo/plates/render.py OUT [NAME ...] [--draft]

What is left of the sampling noise is taken off with the help of albedo and normals, so that the plates are
grain-free; the box filter keeps neighbouring pixels independent, as that step wants it. Seeded: two runs on
one kind of processor give the same picture. With libllvm 19 the vector variant is used, some times faster
than the scalar one.
"""

import argparse
import os
import time
from pathlib import Path

import mitsuba as mi
import numpy as np
from PIL import Image
from pyoidn import denoise

LLVM = "/usr/lib/x86_64-linux-gnu/libLLVM-19.so.1"
if Path(LLVM).exists():
    os.environ.setdefault("DRJIT_LIBLLVM_PATH", LLVM)
    mi.set_variant("llvm_ad_rgb")
else:
    mi.set_variant("scalar_rgb")

import scenes  # noqa: E402

# name: (scene, (width, height), samples per pixel, exposure)
PLATES = {
    "destination_board": (scenes.destination_board, (1680, 1120), 384, 1.0),
    "netting": (scenes.netting, (1200, 800), 8, 0.9),
    "saloon": (scenes.saloon, (1200, 800), 8, 1.7),
    "tram_hall": (scenes.tram_hall, (1080, 720), 8, 0.55),
    "tram_hall_half": (scenes.tram_hall, (540, 360), 8, 0.55),
    "depot_at_night": (scenes.depot_at_night, (1080, 720), 8, 0.9),
    "archive_ride": (scenes.archive_ride, (800, 600), 8, 0.6),
}
PASS = 8


def film(linear: np.ndarray, exposure: float) -> np.ndarray:
    """Exposure and a soft shoulder, then the sRGB transfer of IEC 61966-2-1."""
    x = np.maximum(linear * exposure, 0)
    x = x * (1 + x / 9) / (1 + x)
    x = np.clip(x * 1.25, 0, 1)
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * x ** (1 / 2.4) - 0.055)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("out", type=Path)
    parser.add_argument("names", nargs="*")
    parser.add_argument("--draft", action="store_true")
    args = parser.parse_args()
    args.out.mkdir(parents=True, exist_ok=True)
    for name in args.names or PLATES:
        build, size, spp, exposure = PLATES[name]
        start = time.perf_counter()
        if args.draft:
            size, spp = (size[0] // 3, size[1] // 3), PASS
        description = build(size, PASS)
        description["integrator"] = {
            "type": "aov",
            "aovs": "alb:albedo,nn:sh_normal",
            "light": description["integrator"],
        }
        scene = mi.load_dict(description)
        total = sum(
            np.asarray(mi.render(scene, spp=PASS, seed=1000 + step)).astype(np.float64)
            for step in range(spp // PASS)
        ) / (spp // PASS)
        light, albedo, normal = (
            np.ascontiguousarray(part, np.float32) for part in (total[..., :3], total[..., -6:-3], total[..., -3:])
        )
        albedo = denoise(np.clip(albedo, 0, 1))  # glossy surfaces have a noisy one
        picture = film(denoise(light, albedo=np.clip(albedo, 0, 1), normal=normal, hdr=True), exposure)
        np.save(args.out / f"{name}.npy", picture.astype(np.float32))
        Image.fromarray(np.round(picture * 255).astype(np.uint8)).save(args.out / f"{name}.png")
        print(f"{name}, {time.perf_counter() - start:.1f} s", flush=True)


if __name__ == "__main__":
    main()
