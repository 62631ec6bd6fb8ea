"""Planes of a decoded frame to R'G'B', by explicit matrix, range and chroma siting; no library guesses.

References
----------
.. [1] ITU-R BT.601-7, BT.709-6 and BT.2020-2: luma weights and quantisation of Y'CbCr (limited range: Y' from
       16 x 2^(n-8) over 219 x 2^(n-8), Cb and Cr about 128 x 2^(n-8) over 224 x 2^(n-8)).
.. [2] ITU-T H.273 (07/2021): code points of primaries, transfer and matrix; full range in equations 27 to 29.
.. [3] ISO/IEC 13818-2 (MPEG-2), 6.1.1.8: 4:2:0 chroma lies on the left luma column, half way between two rows;
       JPEG (JFIF) and MPEG-1 put it in the middle of four.
"""

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array, Codes

__all__ = ["MATRICES", "rgb_of_planes"]

Plane = npt.NDArray[np.unsignedinteger]
MATRICES = {"BT.601": (0.299, 0.114), "BT.709": (0.2126, 0.0722), "BT.2020": (0.2627, 0.0593)}  # Kr, Kb [1]_
TOP = 65535


def _spread(plane: Array, length: int, axis: int, sited: float) -> Array:
    """Chroma at every luma place along an axis, linear between samples that lie at `sited` luma steps."""
    have = plane.shape[axis]
    if have == length:
        return plane
    step = -(-length // have)
    place = np.clip((np.arange(length) - sited) / step, 0, have - 1).astype(np.float32)
    low = np.minimum(place.astype(np.intp), have - 1)
    share = place - low
    share = share[:, None] if axis == 0 else share[None, :]
    first = plane.take(low, axis)
    spread: Array = first + share * (plane.take(np.minimum(low + 1, have - 1), axis) - first)
    return spread


def rgb_of_planes(
    planes: Sequence[Plane], bits: int, *, matrix: str, full_range: bool, centred: bool = False
) -> Codes:
    """R'G'B' of Y', Cb and Cr planes (or of luma alone, or of G, B and R where `matrix` is "RGB").

    Parameters
    ----------
    planes : sequence of (h, w) integers
        Luma first; chroma planes may be smaller each way.
    bits : int
        Bits of a code value.
    matrix : "BT.601", "BT.709", "BT.2020" or "RGB"
    full_range : bool
        Whether codes use the whole range, or 16..235 and 16..240 at 8 bits [1]_.
    centred : bool
        Whether 4:2:0 chroma lies in the middle of four luma samples, not on the left column [3]_.

    Returns
    -------
    (H, W, 1 or 3) uint16
        Nominal 0..65535; what lies outside (foot- and headroom) is clipped.
    """
    scale = float(2 ** (bits - 8))
    offset, span, chroma_span = (
        (0.0, 2.0**bits - 1, 2.0**bits - 1) if full_range else (16 * scale, 219 * scale, 224 * scale)
    )
    values = [plane.astype(np.float32) for plane in planes]
    if matrix == "RGB" or len(values) == 1:
        order = (2, 0, 1) if len(values) > 1 else (0,)  # planes come as G, B, R
        pixels = np.stack([(values[place] - offset) / span for place in order], axis=-1)
    else:
        height, width = values[0].shape
        red_weight, blue_weight = MATRICES[matrix]
        luma = (values[0] - offset) / span
        blue, red = (
            _spread(
                _spread((value - 128 * scale) / chroma_span, height, 0, 0.5), width, 1, 0.5 if centred else 0.0
            )
            for value in values[1:3]
        )
        blue_out, red_out = luma + 2 * (1 - blue_weight) * blue, luma + 2 * (1 - red_weight) * red
        green = (luma - red_weight * red_out - blue_weight * blue_out) / (1 - red_weight - blue_weight)
        pixels = np.stack([red_out, green, blue_out], axis=-1)
    return np.clip(np.rint(pixels * TOP), 0, TOP).astype(np.uint16)
