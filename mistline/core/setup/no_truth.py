"""The test without a truth: the source itself is the input, and nobody knows what the target should look like."""

from collections.abc import Iterable, Iterator
from typing import ClassVar, Literal, Self

from pydantic import Field

from mistline.core.frame import Frame, Size, decode_srgb, encode_srgb
from mistline.core.methods import Traits
from mistline.core.resample import resize
from mistline.core.setup.base import AnySetup, Damage
from mistline.core.setup.sizes import Plan, enlarged
from mistline.core.setup.targets import Target

__all__ = ["NoTruthSetup"]

SQUARES, QUALITY = 12.0, 60  # from so many % on, squares are taken for those of a JPEG of about this quality
CRISP, RISE = 2.5, 2.563  # edge width in pixels that needs no word; 10-90 % rise of a Gaussian over its sigma


class NoTruthSetup(AnySetup):
    """The source is enlarged `factor` times, or to a target, or treated as it is."""

    test: Literal["no truth"] = "no truth"
    target: Target | None = Field(None, description="A frame or a print, in place of the factor.")
    has_truth: ClassVar[bool] = False

    @property
    def lead(self) -> str:
        """Agreement with the input; at the same size that would tell how little was done."""
        return "agreement" if self.factor > 1 else "noise_left"

    def plan(self, source: Size) -> Plan:
        """The source, or what of it fits a frame, as input; the target is larger."""
        return self.target.plan(source) if self.target else enlarged(source, self.factor)

    def at(self, source: Size) -> Self:
        """The factor that the target asks for."""
        return self.model_copy(update={"factor": self.plan(source).factors[0]}) if self.target else self

    def identity(self) -> dict[str, object]:
        """The target, or the factor."""
        return self.model_dump(exclude={"factor"} if self.target else None)

    def words(self) -> str:
        """The set-up in words.

        >>> NoTruthSetup(factor=2).words(), NoTruthSetup(factor=1).words()
        ('no truth, 2x larger', 'no truth, same size')
        """
        if self.target:
            return f"no truth, {self.target.words()}"
        return f"no truth, {f'{self.factor:g}x larger' if self.factor > 1 else 'same size'}"

    def check(self, frames: int) -> None:
        """Everything can be tried."""

    def inputs(self, frames: Iterable[Frame], sizes: Plan) -> Iterator[Frame]:
        """The frames as they are."""
        yield from frames

    def shrink(self, frame: Frame, sizes: Plan, number: int = 0) -> Frame:
        """Area means in linear light."""
        if frame.size == sizes.input:
            return frame
        return frame.with_pixels(encode_srgb(resize(decode_srgb(frame.pixels), sizes.input, "area")))

    def damage(self, source: Traits) -> Damage:
        """What was measured of the source."""
        squares, width = source.squares, source.edge_width or 0.0
        blur = self.factor * max(width**2 - CRISP**2, 0.0) ** 0.5 / RISE
        return Damage(
            noise=source.noise_sigma or 0.0,
            quality=QUALITY if squares >= SQUARES else 100,
            compressed=f"compression squares of {squares:.0f} %" if squares >= SQUARES else "",
            blur=blur,
            blurred=f"edges {width:.1f} px wide" if blur else "",
        )
