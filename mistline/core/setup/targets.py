"""Targets that are not a factor: a frame with a rule for another shape, or a print.

Sizes are common practice: a print of l inches at d dots an inch has l d pixels.
"""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from mistline.core.frame import Size
from mistline.core.setup.sizes import Plan, enlarged, shrunk
from mistline.errors import OutOfLimits

__all__ = ["FrameTarget", "PrintTarget", "Target"]

INCH = 2.54  # cm
LARGEST = 16.0
FITS = {"inside": "fit inside", "fill": "fill and crop", "centre": "1:1 in the middle"}


def _check(factor: float, what: str) -> None:
    if factor < 1:
        raise OutOfLimits(f"The source is larger than {what}; choose a larger one.")
    if factor > LARGEST:
        raise OutOfLimits(
            f"The source would be enlarged {factor:.1f} times for {what}; {LARGEST:g} times is the most."
        )


class FrameTarget(BaseModel):
    """A frame size, and what is done where the source has another shape."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["frame"] = "frame"
    width: int = Field(ge=16, le=16384)
    height: int = Field(ge=16, le=16384)
    fit: Literal["inside", "fill", "centre"] = "inside"

    def _factor(self, source: Size) -> float:
        ways = self.width / source.width, self.height / source.height
        return {"centre": 1.0, "inside": min(ways), "fill": max(ways)}[self.fit]

    def _laid(self, source: Size) -> tuple[Size, Size]:
        """What is made of the frame, and the part of the source that it is made of."""
        if self.fit == "centre":
            part = Size(min(source.width, self.width), min(source.height, self.height))
            return part, part
        factor = self._factor(source)
        if self.fit == "inside":
            width, height = (round(length * factor) for length in (source.width, source.height))
            return Size(min(self.width, width), min(self.height, height)), source
        part = Size(min(source.width, round(self.width / factor)), min(source.height, round(self.height / factor)))
        return Size(self.width, self.height), part

    def plan(self, source: Size) -> Plan:
        """Inside: as large as fits, with bars. Fill: all of the frame, the source is cropped. Centre: pixel for pixel.

        >>> plan = FrameTarget(width=4096, height=2160, fit="fill").plan(Size(1920, 1080))
        >>> plan.target, plan.cropped
        (Size(width=4096, height=2160), (0, 68))
        """
        _check(self._factor(source), f"a frame of {self.width} x {self.height}")
        target, part = self._laid(source)
        factors = target.width / part.width, target.height / part.height
        off = source.width - part.width, source.height - part.height
        return Plan(target, part, off, factors, grown=factors, bars=self._bars(target))

    def _bars(self, target: Size) -> tuple[int, int]:
        return self.width - target.width, self.height - target.height

    def shrunk(self, source: Size, factor: float) -> Plan:
        """The source brought to the frame as truth, and an input that is `factor` times smaller than that.

        >>> plan = FrameTarget(width=1920, height=1080, fit="fill").shrunk(Size(6000, 4000), 4)
        >>> plan.target, plan.input, plan.part, plan.cropped
        (Size(width=1920, height=1080), Size(width=480, height=270), Size(width=6000, height=3375), (0, 625))

        Raises
        ------
        OutOfLimits
            If the source is smaller than the frame, or the input would be too small.
        """
        if self._factor(source) > 1:
            raise OutOfLimits(
                f"The source is smaller than a frame of {self.width} x {self.height}; choose a smaller frame, or none."
            )
        whole, there = self._laid(source)
        least = shrunk(whole, factor)
        part = Size(
            round(least.target.width * there.width / whole.width),
            round(least.target.height * there.height / whole.height),
        )
        grown = least.target.width / part.width, least.target.height / part.height
        off = source.width - part.width, source.height - part.height
        return Plan(least.target, least.input, off, least.factors, grown=grown, bars=self._bars(whole))

    def words(self) -> str:
        """The target in words.

        >>> FrameTarget(width=3840, height=2160).words()
        'to 3840 x 2160, fit inside'
        """
        return f"to {self.width} x {self.height}, {FITS[self.fit]}"


class PrintTarget(BaseModel):
    """A print of a width or height at a resolution."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["print"] = "print"
    side: Literal["width", "height"] = "width"
    length: float = Field(gt=0, le=10000)
    unit: Literal["cm", "in"] = "cm"
    dpi: float = Field(300, ge=10, le=2400)

    @property
    def pixels(self) -> int:
        """Of that side.

        >>> PrintTarget(length=120).pixels, PrintTarget(length=30, unit="in").pixels
        (14173, 9000)
        """
        return round(self.length / (INCH if self.unit == "cm" else 1) * self.dpi)

    def plan(self, source: Size) -> Plan:
        """The whole source, at that size."""
        factor = self.pixels / (source.width if self.side == "width" else source.height)
        _check(factor, self.words().removeprefix("to "))
        return enlarged(source, factor)

    def words(self) -> str:
        """The target in words.

        >>> PrintTarget(length=120).words()
        'to a print 120 cm wide at 300 dpi'
        """
        way = "wide" if self.side == "width" else "tall"
        return f"to a print {self.length:g} {self.unit} {way} at {self.dpi:g} dpi"


Target = Annotated[FrameTarget | PrintTarget, Field(discriminator="kind")]
