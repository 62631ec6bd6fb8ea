"""Tests whose input is the source itself: it is given, not made."""

from collections.abc import Iterable, Iterator
from typing import ClassVar

from mistline.core.frame import Frame
from mistline.core.methods import Traits
from mistline.core.setup.base import AnySetup, Damage
from mistline.core.setup.sizes import Plan, lessened

__all__ = ["GivenInput"]

SQUARES, QUALITY = 12.0, 60  # from so many % on, squares are taken for those of a JPEG of about this quality
CRISP, RISE = 2.5, 2.563  # edge width in pixels that needs no word; 10-90 % rise of a Gaussian over its sigma


class GivenInput(AnySetup):
    """The source, or a part of it, is the input."""

    makes_input: ClassVar[bool] = False

    def check(self, frames: int) -> None:
        """Everything can be tried."""

    def inputs(self, frames: Iterable[Frame], sizes: Plan) -> Iterator[Frame]:
        """The frames as they are."""
        yield from frames

    def shrink(self, frame: Frame, sizes: Plan, number: int = 0) -> Frame:
        """Area means in linear light."""
        return lessened(frame, sizes.input)

    def damage(self, source: Traits) -> Damage:
        """What was measured of the source."""
        squares, width = source.squares, source.edge_width or 0.0
        blur = self.factor * max(width**2 - CRISP**2, 0.0) ** 0.5 / RISE
        return Damage(
            noise=source.noise_known or 0.0,
            quality=QUALITY if squares >= SQUARES else 100,
            compressed=f"compression squares of {squares:.0f} %" if squares >= SQUARES else "",
            blur=blur,
            blurred=f"edges {width:.1f} px wide" if blur else "",
        )
