"""The test against a native version: the source is the input, a larger version of the same scene is the truth."""

import math
from collections.abc import Iterable, Iterator
from typing import ClassVar, Literal, Self

import cv2
import numpy as np
import numpy.typing as npt
from pydantic import Field

from mistline.core.frame import Array, Frame, Size
from mistline.core.measure.alignment import Alignment, Gain, at_centres
from mistline.core.setup.given import GivenInput
from mistline.core.setup.sizes import SMALLEST_INPUT, Plan
from mistline.core.timing.break_even import Shortcut
from mistline.errors import OutOfLimits

__all__ = ["NativeSetup"]

PLAIN, PLAIN_SHARE = 0.5, 0.005  # factors are taken for a half or whole number within so much of it
SURE, LEAST = 3.0, 0.05  # standard errors; pixels of the source
LARGEST, FAR = 16.0, 1e6
OVER = 0.5  # pixels of the larger version that the common part may reach beyond it

Real = npt.NDArray[np.float64]


class NativeSetup(GivenInput):
    """The source is enlarged to the size of another source, and held against that.

    `width`, `height`, `frames` and `hash` are those of the larger version; `alignment` says how it lies on the source.
    """

    test: Literal["native"] = "native"
    native: str = Field(description="The source that holds the larger version.", pattern=r"^[0-9a-f-]{36}$")
    width: int = Field(0, ge=0, le=65536)
    height: int = Field(0, ge=0, le=65536)
    frames: int = Field(1, ge=1)
    hash: str = ""
    alignment: Alignment | None = None
    match_colours: bool = Field(
        False, description="Bring level and contrast of each channel to those of the source."
    )
    gains: list[Gain] = Field([], description="Of each channel.")
    native_seconds: float | None = Field(None, gt=0, le=1e7, description="To make a frame of the larger version.")
    source_seconds: float | None = Field(None, ge=0, le=1e7, description="To make a frame of the source.")
    transfer_seconds: float | None = Field(
        None, ge=0, le=1e7, description="To move a frame about for the enlarging."
    )
    has_truth: ClassVar[bool] = True

    @property
    def lead(self) -> str:
        """Structure kept."""
        return "ssim"

    def at(self, source: Size) -> Self:
        """The factor that the two sizes come to."""
        return self.model_copy(update={"factor": round(self._factor, 3)})

    @property
    def _factor(self) -> float:
        if self.alignment is None:
            raise OutOfLimits("The two versions are not aligned yet; choose the larger one again.")
        scale = self.alignment.scale
        plain = round(scale / PLAIN) * PLAIN
        return plain if abs(plain - scale) < PLAIN_SHARE * scale else scale

    @property
    def truth_source(self) -> str | None:
        """The larger version."""
        return self.native

    @property
    def shortcut(self) -> Shortcut | None:
        """Where both times were said."""
        if self.native_seconds is None or self.source_seconds is None:
            return None
        return Shortcut(self.native_seconds, self.source_seconds, self.transfer_seconds or 0.0)

    @property
    def truth_frames(self) -> int | None:
        """As many as the larger version has."""
        return self.frames

    def _margins(self, source: Size) -> tuple[int, int]:
        """Pixels of the source on each side, across and down, that the larger version may not show."""
        assert self.alignment is not None
        way, margins = self.alignment.map, np.zeros(2)
        for _ in range(3):
            low, high = margins, np.array([source.width, source.height]) - margins
            corners = np.array([[x, y] for x in (low[0], high[0]) for y in (low[1], high[1])])
            there = corners @ way[:, :2].T + way[:, 2]
            beyond = np.maximum(-there, there - [self.width, self.height]).max(axis=0) - OVER
            margins = margins + np.ceil(np.clip(np.nan_to_num(beyond, nan=FAR) / self.alignment.scale, 0, FAR))
        return int(margins[0]), int(margins[1])

    def plan(self, source: Size) -> Plan:
        """The part that both show is the input, in the middle of the source; the target is larger.

        Raises
        ------
        OutOfLimits
            If they are not aligned, the larger one is not larger, or they show too little in common.
        """
        factor = self._factor
        if factor < 1:
            raise OutOfLimits(
                "The other version is smaller than the source; choose the source and it the other way."
            )
        if factor > LARGEST:
            raise OutOfLimits(f"The other version is {factor:.1f} times as large; {LARGEST:g} times is the most.")
        across, down = self._margins(source)
        part = Size(source.width - 2 * across, source.height - 2 * down)
        if min(part.width, part.height) < SMALLEST_INPUT:
            raise OutOfLimits("The two versions have too little of the scene in common.")
        target = Size(round(part.width * factor), round(part.height * factor))
        factors = target.width / part.width, target.height / part.height
        return Plan(target, part, (2 * across, 2 * down), factors, grown=factors)

    def identity(self) -> dict[str, object]:
        """What makes input and truth: the larger version by its content."""
        told = ("native", "audience", "factor", "frames", "native_seconds", "source_seconds", "transfer_seconds")
        fields = self.model_dump(exclude={**dict.fromkeys(told, True), "alignment": {"windows"}})
        return fields if self.match_colours else {**fields, "gains": []}

    def words(self) -> str:
        """The set-up in words.

        >>> NativeSetup(native="0" * 36, width=1920, height=1080, match_colours=True).words()
        'against the native 1920 x 1080, colours matched'
        """
        return (
            f"against the native {self.width} x {self.height}{', colours matched' if self.match_colours else ''}"
        )

    def truths(self, native: Iterable[Frame], sizes: Plan) -> Iterator[Frame]:
        """The larger version in the frame of the target: its own pixels where it lies as it should, else resampled."""
        way = self._laid(sizes)
        left, top = round(way[0, 2]), round(way[1, 2])
        off = float(np.abs(self._corners(sizes) @ (way[:, :2] - np.eye(2)).T + way[:, 2] - [left, top]).max())
        inside = left >= 0 and top >= 0 and left + sizes.target.width <= self.width
        own = inside and top + sizes.target.height <= self.height and off <= self._slack
        for frame in native:
            if own:
                pixels = frame.pixels[top : top + sizes.target.height, left : left + sizes.target.width]
            else:
                pixels = self._warped(frame.pixels, way, sizes.target)
            yield frame.with_pixels(self._matched(pixels))

    @property
    def _slack(self) -> float:
        """What of a displacement, in pixels of the target, cannot be told from none."""
        assert self.alignment is not None
        return max(LEAST, SURE * self.alignment.error) * self.alignment.scale * math.sqrt(2)

    @staticmethod
    def _corners(sizes: Plan) -> Real:
        return np.array([[x, y] for x in (0, sizes.target.width) for y in (0, sizes.target.height)], np.float64)

    def _laid(self, sizes: Plan) -> Real:
        """From edge coordinates of the target to those of the larger version."""
        assert self.alignment is not None
        way, (across, down) = self.alignment.map, sizes.factors
        shrink = np.diag([1 / across, 1 / down])
        return np.column_stack([way[:, :2] @ shrink, way[:, :2] @ np.array(sizes.corner) + way[:, 2]])

    @staticmethod
    def _warped(pixels: Array, way: Real, target: Size) -> Array:
        flags = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
        size = target.width, target.height
        made = cv2.warpAffine(pixels, at_centres(way), size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
        warped: Array = np.clip(made.reshape(target.height, target.width, -1), 0, 1)
        return warped

    def _matched(self, pixels: Array) -> Array:
        if not (self.match_colours and self.gains):
            return pixels
        times, plus = (
            np.array([getattr(gain, name) for gain in self.gains], np.float32) for name in ("times", "plus")
        )
        matched: Array = np.clip(pixels * times + plus, 0, 1)
        return matched
