"""Read OpenEXR: linear light of half or full floats, brought to sRGB at 16 bits; what does not fit is said.

References
----------
.. [1] "Technical introduction to OpenEXR", the OpenEXR project: scene-linear values, alpha multiplied in, data and
       display windows; primaries are those of BT.709 where a file does not name its own.
"""

from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR

from mistline.core.frame import Array, Codes, Size, encode_srgb
from mistline.errors import BadMedia

__all__ = ["read_exr", "read_exr_size"]

BT709 = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)
NEAR = 0.002  # of a chromaticity
SHOWN = 0.0001  # share of values beyond white or without a value from which on it is said


def _header(path: Path) -> dict[str, Any]:
    found: dict[str, Any] = OpenEXR.File(str(path), header_only=True).header()
    return found


def _window(header: dict[str, Any], key: str) -> tuple[int, int, int, int]:
    """Left, top, width and height."""
    (left, top), (right, bottom) = header[key]
    return int(left), int(top), int(right) - int(left) + 1, int(bottom) - int(top) + 1


def read_exr_size(path: Path) -> tuple[Size, Size]:
    """Sizes of the display window and of the data window."""
    header = _header(path)
    shown, there = _window(header, "displayWindow"), _window(header, "dataWindow")
    return Size(*shown[2:]), Size(*there[2:])


def read_exr(name: str, path: Path, notes: list[str]) -> Codes:
    """(H, W, 1 or 3) uint16, sRGB; the display window of the first part."""
    header = _header(path)
    colours = header.get("chromaticities")
    if colours is not None and np.abs(np.asarray(colours, np.float64) - BT709).max() > NEAR:
        raise BadMedia(f"{name} has other primaries than BT.709; convert it and import that file.")
    channels = OpenEXR.File(str(path), separate_channels=True).channels()
    names = next((set_ for set_ in (("R", "G", "B"), ("Y",)) if all(key in channels for key in set_)), None)
    if names is None:
        raise BadMedia(f"{name} has no channels R, G and B and no Y; export it with one of these.")
    linear = np.stack([channels[key].pixels for key in names], -1).astype(np.float32)
    if len({channels[key].pixels.shape for key in names}) > 1:
        raise BadMedia(f"{name} has channels of different sizes; export it as R, G and B.")
    if "A" in channels and (alpha := channels["A"].pixels.astype(np.float32)[..., None]).min() < 1:
        linear += 1 - np.clip(alpha, 0, 1)  # colours are multiplied already [1]_
        notes.append("Transparency was flattened onto white.")
    lost = float(np.mean(~np.isfinite(linear)))
    linear = np.nan_to_num(linear, nan=0.0, posinf=1.0, neginf=0.0)
    beyond = float(np.mean(linear > 1))
    if lost > 0:
        notes.append(f"{100 * lost:.2g} % of its values are no numbers; they were taken as black or white.")
    if beyond > SHOWN:
        notes.append(f"{100 * beyond:.2g} % of its values are brighter than white and were cut off there.")
    return _in_display_window(_encoded(linear), header, notes)


def _encoded(linear: Array) -> Codes:
    return np.rint(encode_srgb(np.clip(linear, 0, 1)) * np.float32(65535)).astype(np.uint16)


def _in_display_window(codes: Codes, header: dict[str, Any], notes: list[str]) -> Codes:
    """What lies in the display window; black where there is no data [1]_."""
    shown, there = _window(header, "displayWindow"), _window(header, "dataWindow")
    if shown == there:
        return codes
    notes.append("Its data and display windows differ; the display window was read.")
    out = np.zeros((shown[3], shown[2], codes.shape[2]), codes.dtype)
    left, top = there[0] - shown[0], there[1] - shown[1]
    x0, y0, x1, y1 = max(0, left), max(0, top), min(shown[2], left + there[2]), min(shown[3], top + there[3])
    if x1 > x0 and y1 > y0:
        out[y0:y1, x0:x1] = codes[y0 - top : y1 - top, x0 - left : x1 - left]
    return out
