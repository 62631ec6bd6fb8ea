"""Reduce noise: non-local means, which averages pixels whose surroundings look alike.

References
----------
.. [1] A. Buades, B. Coll, J.-M. Morel, "A non-local algorithm for image denoising", CVPR 2005, 60-65.
.. [2] J. Darbon, A. Cunha, T. F. Chan, S. Osher, G. J. Jensen, "Fast nonlocal filtering applied to electron
       cryomicroscopy", IEEE ISBI 2008, 1331-1334: the running-sum form used here.
"""

from pydantic import BaseModel, ConfigDict, Field
from skimage.restoration import denoise_nl_means

from mistline.core.frame import Frame, Size
from mistline.core.methods.method import Limits, Method, Traits

__all__ = ["METHODS", "NonLocalMeansSettings"]

CODE_VALUES_PER_POINT = 0.5


class NonLocalMeansSettings(BaseModel):
    """Strength 0-100 stands for a noise sigma of 0-50 code values of 8 bits."""

    model_config = ConfigDict(extra="forbid")
    strength: float | None = Field(None, ge=0, le=100, description="Noise to remove; automatic from the input.")
    patch: int = Field(5, ge=3, le=9, description="Width of the surroundings compared, pixels.")
    search: int = Field(6, ge=2, le=15, description="How far away look-alikes are sought, pixels.")


def _auto(traits: Traits) -> dict[str, float]:
    return {"strength": round(min(100.0, traits.noise_sigma / CODE_VALUES_PER_POINT), 1)}


def _run(frame: Frame, settings: BaseModel, target: Size) -> Frame:
    assert isinstance(settings, NonLocalMeansSettings) and settings.strength is not None
    sigma = settings.strength * CODE_VALUES_PER_POINT / 255
    if sigma == 0:
        return frame
    cleaned = denoise_nl_means(
        frame.pixels, patch_size=settings.patch, patch_distance=settings.search, h=0.8 * sigma, sigma=sigma,
        fast_mode=True, channel_axis=-1,
    )  # fmt: skip
    return frame.with_pixels(cleaned)


METHODS = [
    Method(
        id="non_local_means", version=1, name="Non-local means", family="reduce noise",
        summary="Averages look-alike patches; strength automatic from the measured noise.",
        reference="Buades, Coll, Morel 2005", settings=NonLocalMeansSettings,
        limits=Limits(max_megapixels=60, working_copies=8), run=_run, auto=_auto,
    )
]  # fmt: skip
