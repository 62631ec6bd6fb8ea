"""Bring a still's colours to sRGB by what its tags say; what cannot be followed is named, never passed over.

References
----------
.. [1] ICC.1:2022, the profile format; carried out by Little CMS.
.. [2] ITU-T H.273, 2021: code points of primaries (1 BT.709, 9 BT.2020, 12 P3-D65) and transfer (1, 6, 14, 15 as
       BT.709, 8 linear, 13 sRGB, 16 PQ, 18 HLG).
.. [3] IEC 61966-2-1:1999, sRGB.
"""

import io
from typing import Any

import imagecodecs
import numpy as np
from PIL import Image, ImageCms

from mistline.core.frame import Codes, encode_srgb
from mistline.core.media.png_chunks import PngFacts
from mistline.core.plain import plain
from mistline.errors import BadMedia

__all__ = ["UNTAGGED", "by_chunks", "by_profile", "from_cmyk"]

UNTAGGED = "untagged, taken as sRGB"
NEAR = 2  # code values of 8 bits that a profile may differ from sRGB and still be it
SRGB_GAMMA = 0.45455
PRIMARIES = {
    1: "BT.709",
    5: "BT.601 (625 lines)",
    6: "BT.601 (525 lines)",
    9: "BT.2020",
    11: "DCI-P3",
    12: "P3-D65",
}
TRANSFERS = {
    1: "BT.709", 4: "gamma 2.2", 5: "gamma 2.8", 6: "BT.601", 8: "linear", 13: "sRGB", 14: "BT.2020", 15: "BT.2020",
    16: "PQ", 18: "HLG",
}  # fmt: skip
LINEAR, HDR = 8, {16, 18}
ROWS = 512


def _probe() -> Codes:
    """A cube of colours and the greys, as a picture of 8 bits."""
    steps = np.arange(0, 256, 51)
    cube = np.stack(np.meshgrid(steps, steps, steps), axis=-1).reshape(-1, 3)
    greys = np.repeat(np.arange(0, 256, 15)[:, None], 3, axis=1)
    return np.concatenate([cube, greys])[None].astype(np.uint8)


def _transform(codes: Codes, icc: bytes) -> Codes:
    """Profile to sRGB by Little CMS, in the depth of the picture, some rows at a time."""
    target: Any = imagecodecs.cms_profile("srgb")
    out = np.empty_like(codes)
    for top in range(0, codes.shape[0], ROWS):
        rows = np.ascontiguousarray(codes[top : top + ROWS])
        out[top : top + ROWS] = imagecodecs.cms_transform(rows, icc, target, colorspace="rgb", outcolorspace="rgb")
    return out


def by_profile(codes: Codes, icc: bytes, notes: list[str]) -> tuple[Codes, str]:
    """Follow an embedded profile [1]_; whether it is sRGB is told from what it does, not from its name."""
    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(icc))
        title = plain(ImageCms.getProfileDescription(profile)) or "unnamed"
        space = plain(profile.profile.xcolor_space)
    except Exception:
        notes.append("The embedded colour profile is damaged and was not used.")
        return codes, "damaged profile, taken as sRGB"
    if codes.shape[2] == 1:
        notes.append(f"The embedded profile {title} is noted; grey values were kept as they are.")
        return codes, f"{title} (not converted)"
    if space != "RGB":
        notes.append(
            f"The embedded profile {title} is for {space} and does not fit these pixels; it was not used."
        )
        return codes, "unusable profile, taken as sRGB"
    try:
        probe = _probe()
        off = int(np.abs(_transform(probe, icc).astype(int) - probe).max())
        if off <= NEAR:
            return codes, title if "srgb" in title.lower() else f"{title}, which is sRGB"
        converted = _transform(codes, icc)
    except MemoryError:
        raise
    except Exception:
        notes.append(f"The embedded profile {title} does not fit these pixels and was not used.")
        return codes, "unusable profile, taken as sRGB"
    if "srgb" in title.lower():
        notes.append(
            f"The embedded profile calls itself {title} and is not sRGB: its colours differ by up to {off} cv."
        )
    notes.append(f"Converted from the embedded profile {title} to sRGB.")
    return converted, f"sRGB, from {title}"


def by_chunks(name: str, codes: Codes, png: PngFacts, notes: list[str]) -> tuple[Codes, str]:
    """Follow cICP or gAMA of a PNG that has no profile."""
    points = png.code_points
    if points:
        primaries, transfer, matrix, full = points
        says = ", ".join(
            (PRIMARIES.get(primaries, f"primaries {primaries}"), TRANSFERS.get(transfer, f"transfer {transfer}"))
        )
        if transfer in HDR:
            raise BadMedia(
                f"{name} is tagged as {says}, which is not SDR; convert it to sRGB and import that file."
            )
        if matrix or not full:
            raise BadMedia(
                f"{name} is tagged as limited range or Y'CbCr, which a PNG cannot hold rightly; export it anew."
            )
        if transfer == LINEAR:
            codes = _decoded(codes, 1.0)
            notes.append("Converted from linear light to sRGB by its cICP tag.")
        if (primaries, transfer) not in {(1, 13), (1, LINEAR)}:
            notes.append(f"Tagged as {says} (cICP); its values were kept as they are and are taken as sRGB.")
        return codes, "sRGB" if (primaries, transfer) == (1, 13) else f"{says} (cICP)"
    if b"sRGB" in png.chunks:
        return codes, "sRGB"
    gamma = png.gamma
    if gamma is None:
        return codes, UNTAGGED
    if abs(gamma - SRGB_GAMMA) < 0.01:
        return codes, f"gamma {1 / gamma:.2f} (gAMA), taken as sRGB"
    notes.append(f"Converted from gamma {1 / gamma:.2f} to sRGB by its gAMA tag.")
    return _decoded(codes, gamma), f"sRGB, from gamma {1 / gamma:.2f}"


def _decoded(codes: Codes, gamma: float) -> Codes:
    """Values that were encoded by light ** gamma, encoded by sRGB [3]_ instead."""
    top = np.iinfo(codes.dtype).max
    light = (np.arange(top + 1, dtype=np.float64) / top) ** (1 / gamma)
    table = np.clip(np.rint(np.asarray(encode_srgb(light.astype(np.float32)), np.float64) * top), 0, top)
    return table.astype(codes.dtype)[codes]


def from_cmyk(name: str, image: Image.Image, icc: bytes | None) -> Image.Image:
    """A CMYK picture by its profile; without one nobody knows what its inks look like."""
    if not icc:
        raise BadMedia(f"{name} is CMYK without a colour profile; convert it to RGB and import that file.")
    profile = ImageCms.ImageCmsProfile(io.BytesIO(icc))
    converted = ImageCms.profileToProfile(image, profile, ImageCms.createProfile("sRGB"), outputMode="RGB")
    assert converted is not None
    return converted
