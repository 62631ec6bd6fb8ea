"""Where the pixels of a frame lie in its neighbours: dense motion, and frames moved along it.

References
----------
.. [1] T. Kroeger, R. Timofte, D. Dai, L. Van Gool, "Fast optical flow using dense inverse search", ECCV 2016.
"""

import cv2
import numpy as np

from mistline.core.frame import Array

__all__ = ["flow", "moved"]

SMALLEST = 16  # pixels a side that the pyramid of the search needs
FINEST = 8.0  # of the brightness range in 8 bits: what rounding to them may cost at least


def flow(here: Array, there: Array, soft: float = 0.0, *, fine: bool = False) -> Array:
    """Where each pixel of a frame went in another one, (H, W, 2) float32 across and down, in pixels [1]_.

    Parameters
    ----------
    here, there : (H, W) float32
        Luma of both frames.
    soft : float
        Sigma of a blur before, in pixels: noise is not motion.
    fine : bool
        Search down to single pixels, about eight times slower: for what needs tenths of a pixel.
    """
    if min(here.shape) < SMALLEST:
        return np.zeros((*here.shape, 2), np.float32)
    low, high = float(min(here.min(), there.min())), float(max(here.max(), there.max()))
    span = np.float32(255 / max(high - low, FINEST / 255))

    def eight_bits(picture: Array) -> Array:
        smooth = cv2.GaussianBlur(picture, (0, 0), soft) if soft > 0 else picture
        return np.clip((smooth - np.float32(low)) * span, 0, 255).astype(np.uint8)

    search = cv2.DISOpticalFlow.create(
        cv2.DISOPTICAL_FLOW_PRESET_MEDIUM if fine else cv2.DISOPTICAL_FLOW_PRESET_FAST
    )
    if fine:
        search.setFinestScale(0)
    found: Array = search.calc(eight_bits(here), eight_bits(there), None)
    return found


def moved(picture: Array, motion: Array) -> Array:
    """A frame fetched along a flow: what lies at a pixel's new place, (H, W, C) or (H, W) float32."""
    height, width = motion.shape[:2]
    across = motion[..., 0] + np.arange(width, dtype=np.float32)
    down = motion[..., 1] + np.arange(height, dtype=np.float32)[:, None]
    fetched = cv2.remap(picture, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return fetched.reshape(picture.shape)
