"""The truth test: a chain of damage turns a large original, the truth, into the input."""

from collections.abc import Iterable, Iterator
from typing import ClassVar, Literal, Self

import cv2
import numpy as np
from pydantic import Field, PrivateAttr

from mistline.core.degrade.compression import halve_chroma, jpeg
from mistline.core.degrade.footage import Fields, coded, flickered, held, interlaced, weaved
from mistline.core.degrade.noise import exposure_noise, gaussian_noise, sensor_code_values
from mistline.core.frame import Frame, Size, decode_srgb, encode_srgb
from mistline.core.media.plate import quantise
from mistline.core.methods import Traits
from mistline.core.resample import resize
from mistline.core.setup.base import AnySetup, Damage
from mistline.core.setup.sizes import Plan, crop_part, lessened, shrunk
from mistline.core.setup.targets import FrameTarget
from mistline.errors import OutOfLimits

__all__ = ["CHAIN_VERSION", "TruthSetup"]

CHAIN_VERSION = 2  # raised whenever the same set-up makes another input
LUMA_SHARE = 0.7496  # root of the sum of the squared luma weights: independent noise of three channels in luma
BAND_EDGES = (
    (0, 1 / 16),
    (1 / 16, 1 / 8),
    (1 / 8, 1 / 4),
    (1 / 4, 0.5),
)  # of `Traits.noise_bands`, cycles per pixel


class TruthSetup(AnySetup):
    """How the input is made; the steps are carried out in the order of the fields, after blur the truth is shrunk."""

    test: Literal["truth"] = "truth"
    target: FrameTarget | None = Field(
        None, description="A smaller frame that the source is brought to, as truth."
    )
    has_truth: ClassVar[bool] = True
    _brought: float = PrivateAttr(1.0)  # so many times smaller
    weave: float = Field(0, ge=0, le=20, description="Gate weave of a clip, sigma in pixels of the truth.")
    flicker: float = Field(0, ge=0, le=50, description="Flicker of a clip, sigma in % of the light.")
    blur: float = Field(0, ge=0, le=10, description="Gaussian blur of the truth, sigma in its pixels.")
    kernel: Literal["area", "bicubic", "lanczos3"] = Field("area", description="Downsample kernel, antialiased.")
    light: Literal["encoded", "linear"] = "linear"
    noise: float = Field(0, ge=0, le=100, description="Gaussian noise, sigma in 8-bit code values.")
    underexposed: float = Field(0, ge=0, le=12, description="Sensor noise of so many stops too little light.")
    eight_bit: bool = Field(False, description="Round to 8 bits on the way.")
    half_chroma: bool = Field(False, description="Colour at half the size each way (4:2:0).")
    jpeg: int | None = Field(None, ge=1, le=100, description="JPEG at this quality; none if empty.")
    fields: Fields = Field("progressive", description="Two frames of a clip become one of two fields.")
    hold: bool = Field(False, description="Every other frame of a clip is dropped and the one before it repeated.")
    h264: int | None = Field(None, ge=1, le=51, description="H.264 at this constant rate factor; none if empty.")
    mpeg2: int | None = Field(None, ge=1, le=31, description="MPEG-2 at this quantiser scale; none if empty.")
    seed: int = Field(1, ge=0, le=2**31, description="Start of the random numbers of the noise.")

    @property
    def lead(self) -> str:
        """Structure kept."""
        return "ssim"

    def plan(self, source: Size) -> Plan:
        """The truth is the source (brought to a frame, if one is wanted), cropped to a multiple of the factor."""
        return self.target.shrunk(source, self.factor) if self.target else shrunk(source, self.factor)

    def at(self, source: Size) -> Self:
        """The same, knowing how much smaller the truth is than the source."""
        if self.target is None:
            return self
        settled = self.model_copy()
        settled._brought = 1 / self.plan(source).grown[0]
        return settled

    def laid(self, source: Frame, sizes: Plan) -> Frame:
        """The truth; a source that is brought to a frame by area means in linear light."""
        return lessened(crop_part(source, sizes), sizes.target)

    def identity(self) -> dict[str, object]:
        """What makes the input: settings that have no effect stand at their defaults, so that one input has one key.

        >>> TruthSetup(factor=2, seed=7).identity() == TruthSetup(factor=2).identity()
        True
        """
        idle: dict[str, object] = {}
        if not (self.noise or self.underexposed or self.weave or self.flicker):
            idle["seed"] = 1
        if self.factor == 1:
            idle |= {"kernel": "area"} if self.blur else {"kernel": "area", "light": "linear"}
        if self.jpeg:
            idle["eight_bit"] = False  # JPEG rounds to 8 bits itself
        fields = self.model_copy(update=idle).model_dump(
            exclude={"audience"} if self.target else {"audience", "target"}
        )
        numbers = {name for name, field in TruthSetup.model_fields.items() if field.annotation is float}
        return {name: float(value) + 0.0 if name in numbers else value for name, value in fields.items()}

    def words(self) -> str:
        """The set-up in words.

        >>> TruthSetup(factor=4).words()
        '4x smaller by area in linear light'
        >>> TruthSetup(factor=1, noise=12, jpeg=70, half_chroma=True).words()
        'same size, noise 12 cv, 4:2:0, JPEG 70'
        """
        parts = [
            f"the source brought {self.target.words()}" if self.target else "",
            f"weave {self.weave:g} px" if self.weave else "",
            f"flicker {self.flicker:g} %" if self.flicker else "",
            f"blur {self.blur:g} px" if self.blur else "",
            f"{self.factor:g}x smaller by {self.kernel} in {self.light} light" if self.factor > 1 else "same size",
            f"noise {self.noise:g} cv" if self.noise else "",
            f"{self.underexposed:g} stops underexposed" if self.underexposed else "",
            "8 bits" if self.eight_bit else "",
            "4:2:0" if self.half_chroma else "",
            f"JPEG {self.jpeg}" if self.jpeg else "",
            f"interlaced, {self.fields}" if self.fields != "progressive" else "",
            "every other frame" if self.hold else "",
            f"H.264 at {self.h264}" if self.h264 else "",
            f"MPEG-2 at {self.mpeg2}" if self.mpeg2 else "",
        ]
        return ", ".join(part for part in parts if part)

    @property
    def _of_clips(self) -> tuple[object, ...]:
        return self.fields != "progressive", self.weave, self.flicker, self.hold, self.h264, self.mpeg2

    def check(self, frames: int) -> None:
        """Refuse an input that would be the truth itself, and of a still what only a clip can have."""
        still = (self.blur, self.noise, self.underexposed, self.eight_bit, self.half_chroma, self.jpeg)
        if self.factor == 1 and not any((*still, *self._of_clips)):
            raise OutOfLimits("The input would be the truth itself; choose a factor above 1 or some damage.")
        if frames == 1 and any(self._of_clips):
            raise OutOfLimits(
                "Weave, flicker, fields, dropped frames and video codecs are damage of clips; switch them off for a "
                "still."
            )

    def shrink(self, frame: Frame, sizes: Plan, number: int = 0) -> Frame:
        """Weave, flicker, blur and shrink the truth, in the light that the set-up states: the input without noise."""
        weave, flicker = self._streams(number)[2:]
        frame = weaved(frame, self.weave, weave) if self.weave else frame
        if not self.blur and not self.flicker and frame.size == sizes.input:
            return frame
        linear = self.light == "linear" or self.flicker > 0
        pixels = decode_srgb(frame.pixels) if linear else frame.pixels
        if self.flicker:
            pixels = flickered(pixels, self.flicker, flicker)
        if self.flicker and self.light != "linear":
            pixels, linear = encode_srgb(pixels), False
        if self.blur:
            soft = cv2.GaussianBlur(pixels, (0, 0), self.blur, borderType=cv2.BORDER_REFLECT)
            pixels = soft.reshape(frame.pixels.shape)
        if frame.size != sizes.input:
            pixels = resize(pixels, sizes.input, self.kernel)
        return frame.with_pixels(encode_srgb(pixels) if linear else pixels)

    def _streams(self, number: int) -> list[np.random.SeedSequence]:
        """A stream of random numbers for each kind of damage of a frame: even noise, sensor noise, weave, flicker."""
        return np.random.SeedSequence([self.seed, number]).spawn(4)

    def _input(self, truth: Frame, sizes: Plan, number: int) -> Frame:
        """One frame through the chain; each kind of noise and each frame has a stream of random numbers of its own."""
        frame = self.shrink(truth, sizes, number)
        even, sensor = self._streams(number)[:2]
        if self.noise:
            frame = gaussian_noise(frame, self.noise, even)
        if self.underexposed:
            frame = exposure_noise(frame, self.underexposed, sensor)
        if self.eight_bit:
            codes, _ = quantise(frame, 8)
            frame = Frame(codes / np.float32(255), 8, frame.tag)
        if self.jpeg:
            return jpeg(frame, self.jpeg, half_chroma=self.half_chroma)
        return halve_chroma(frame) if self.half_chroma else frame

    def inputs(self, frames: Iterable[Frame], sizes: Plan) -> Iterator[Frame]:
        """Damage the frames of the truth one after another: each by itself, then what joins them."""
        made = (self._input(truth, sizes, number) for number, truth in enumerate(frames))
        joined = interlaced(held(made) if self.hold else made, self.fields)
        if self.h264:
            joined = coded(joined, "h264", self.h264)
        return coded(joined, "mpeg2", self.mpeg2) if self.mpeg2 else joined

    def damage(self, source: Traits) -> Damage:
        """What the chain does, and what of the source's own noise it leaves."""
        own, even = _after_shrinking(source, self.factor * self._brought), LUMA_SHARE * self.noise
        sensor = sensor_code_values(self.underexposed, source.mean_level) if self.underexposed else 0.0
        repairs = {
            "fill_frames": "every other frame is missing" if self.hold else "",
            "deinterlace": f"its frames hold two fields, {self.fields}" if self.fields != "progressive" else "",
            "even_levels": f"its light flickers by {self.flicker:g} %" if self.flicker else "",
        }
        return Damage(
            noise=float((own**2 + even**2 + sensor**2) ** 0.5),
            quality=self.jpeg or 100,
            compressed=f"JPEG {self.jpeg}" if self.jpeg else "",
            blur=self.blur,
            blurred=f"blur {self.blur:g} px" if self.blur else "",
            repairs={method: words for method, words in repairs.items() if words},
        )


def _after_shrinking(traits: Traits, factor: float) -> float:
    """The source's own noise in an input that is `factor` times smaller: the bands that still fit into it."""
    if not traits.noise_bands:
        return (traits.noise_known or 0.0) / factor
    kept = 0.0
    for (low, high), sigma in zip(BAND_EDGES, traits.noise_bands.values(), strict=True):
        share = (min(max(0.5 / factor, low), high) ** 2 - low**2) / (high**2 - low**2)
        kept += share * sigma**2
    return float(kept**0.5)
