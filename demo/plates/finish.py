"""Turn rendered and drawn plates into the files that ship in demo/media.

python demo/plates/finish.py RENDERED DRAWN demo/media
"""

import argparse
import shutil
from pathlib import Path

import cv2
import numpy as np
import tifffile

PHOTOGRAPHS = {
    "destination_board": "destination-board.png",
    "netting": "netting-fence.png",
    "saloon": "saloon-interior.png",
    "tram_hall": "hall-reconstruction.png",
    "tram_hall_half": "hall-half.png",
}


def write_png(path: Path, picture: np.ndarray) -> None:
    cv2.imwrite(str(path), np.round(picture[..., ::-1] * 255).astype(np.uint8), [cv2.IMWRITE_PNG_COMPRESSION, 9])


def write_deep_tiff(path: Path, picture: np.ndarray) -> None:
    """12 significant bits in 16, as a camera's raw converter delivers them."""
    codes = np.round(picture * 4095).astype(np.uint16)
    tifffile.imwrite(path, codes << 4 | codes >> 8, photometric="rgb", compression="deflate", predictor=True)


def write_lost_original(path: Path, picture: np.ndarray) -> None:
    """Small, noisy, faded, compressed: what is left of a print whose original was lost."""
    rng = np.random.default_rng(1931)
    small = cv2.resize(picture, (480, 360), interpolation=cv2.INTER_AREA)
    grey = small @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    faded = 0.10 + 0.78 * grey[..., None] * np.array([1.0, 0.95, 0.84], np.float32)
    grain = cv2.GaussianBlur(rng.normal(0, 1, grey.shape).astype(np.float32), (0, 0), 0.7)
    old = faded + 0.045 * grain[..., None] / grain.std() + rng.normal(0, 0.012, faded.shape)
    cv2.imwrite(
        str(path),
        np.round(np.clip(old[..., ::-1], 0, 1) * 255).astype(np.uint8),
        [cv2.IMWRITE_JPEG_QUALITY, 42],
    )


def main() -> None:
    parser = argparse.ArgumentParser()
    for name in ("rendered", "drawn", "out"):
        parser.add_argument(name, type=Path)
    args = parser.parse_args()
    for name, file in PHOTOGRAPHS.items():
        write_png(args.out / file, np.load(args.rendered / f"{name}.npy"))
    write_deep_tiff(args.out / "depot-at-night.tif", np.load(args.rendered / "depot_at_night.npy"))
    write_lost_original(args.out / "archive-print.jpg", np.load(args.rendered / "archive_ride.npy"))
    shutil.copy(args.drawn / "poster.png", args.out / "hoarding-poster.png")
    shutil.copy(args.drawn / "control_desk.png", args.out / "control-desk.png")


if __name__ == "__main__":
    main()
