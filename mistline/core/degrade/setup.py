"""The test set-up: the chain of damage that turns a truth into a test input."""

from collections.abc import Iterable, Iterator
from typing import Literal

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator

from mistline.core.degrade.compression import halve_chroma, jpeg
from mistline.core.degrade.downsample import Plan
from mistline.core.degrade.footage import Fields, coded, flickered, held, interlaced, weaved
from mistline.core.degrade.noise import exposure_noise, gaussian_noise
from mistline.core.frame import Frame, decode_srgb, encode_srgb
from mistline.core.media.plate import quantise
from mistline.core.resample import resize

__all__ = ["CHAIN_VERSION", "Setup", "clean_input", "make_input", "make_inputs"]

CHAIN_VERSION = 2  # raised whenever the same set-up makes another input


class Setup(BaseModel):
    """How the input of a truth test is made; the steps are carried out in the order of the fields."""

    model_config = ConfigDict(extra="forbid")
    test: Literal["truth"] = "truth"
    weave: float = Field(0, ge=0, le=20, description="Gate weave of a clip, sigma in pixels of the truth.")
    flicker: float = Field(0, ge=0, le=50, description="Flicker of a clip, sigma in % of the light.")
    blur: float = Field(0, ge=0, le=10, description="Gaussian blur of the truth, sigma in its pixels.")
    factor: float = Field(
        4, ge=1, le=16, description="How many times smaller each way the input is; 1 keeps the size."
    )
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

    @field_validator("factor")
    @classmethod
    def _whole(cls, value: float) -> float:
        if abs(value * 1000 - round(value * 1000)) > 1e-6:
            raise ValueError(f"{value:g} has too many decimals; round it to three, as 4.267")
        return round(value, 3)

    def identity(self) -> dict[str, object]:
        """What makes the input: settings that have no effect stand at their defaults, so that one input has one key.

        >>> Setup(factor=2, seed=7).identity() == Setup(factor=2).identity()
        True
        """
        idle: dict[str, object] = {}
        if not (self.noise or self.underexposed or self.weave or self.flicker):
            idle["seed"] = 1
        if self.factor == 1:
            idle |= {"kernel": "area"} if self.blur else {"kernel": "area", "light": "linear"}
        if self.jpeg:
            idle["eight_bit"] = False  # JPEG rounds to 8 bits itself
        fields = self.model_copy(update=idle).model_dump()
        numbers = {name for name, field in Setup.model_fields.items() if field.annotation is float}
        return {name: float(value) + 0.0 if name in numbers else value for name, value in fields.items()}

    def words(self) -> str:
        """The set-up in words.

        >>> Setup(factor=4).words()
        '4x smaller by area in linear light'
        >>> Setup(factor=1, noise=12, jpeg=70, half_chroma=True).words()
        'same size, noise 12 cv, 4:2:0, JPEG 70'
        """
        parts = [
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
    def harmless(self) -> bool:
        """Whether the input would simply be the truth."""
        still = (self.blur, self.noise, self.underexposed, self.eight_bit, self.half_chroma, self.jpeg)
        return self.factor == 1 and self.fields == "progressive" and not any((*still, *self._of_clips))

    @property
    def _of_clips(self) -> tuple[object, ...]:
        return self.weave, self.flicker, self.hold, self.h264, self.mpeg2

    @property
    def for_clips_only(self) -> bool:
        """Whether it asks for what a still cannot have."""
        return self.fields != "progressive" or any(self._of_clips)


def _streams(setup: Setup, number: int) -> list[np.random.SeedSequence]:
    """A stream of random numbers for each kind of damage of a frame: even noise, sensor noise, weave, flicker."""
    return np.random.SeedSequence([setup.seed, number]).spawn(4)


def clean_input(truth: Frame, setup: Setup, sizes: Plan, number: int = 0) -> Frame:
    """Weave, flicker, blur and shrink the truth, in the light that the set-up states: the input without noise."""
    weave, flicker = _streams(setup, number)[2:]
    frame = weaved(truth, setup.weave, weave) if setup.weave else truth
    if not setup.blur and not setup.flicker and frame.size == sizes.input:
        return frame
    linear = setup.light == "linear" or setup.flicker > 0
    pixels = decode_srgb(frame.pixels) if linear else frame.pixels
    if setup.flicker:
        pixels = flickered(pixels, setup.flicker, flicker)
    if setup.flicker and setup.light != "linear":
        pixels, linear = encode_srgb(pixels), False
    if setup.blur:
        soft = cv2.GaussianBlur(pixels, (0, 0), setup.blur, borderType=cv2.BORDER_REFLECT)
        pixels = soft.reshape(frame.pixels.shape)
    if frame.size != sizes.input:
        pixels = resize(pixels, sizes.input, setup.kernel)
    return frame.with_pixels(encode_srgb(pixels) if linear else pixels)


def make_input(truth: Frame, setup: Setup, sizes: Plan, number: int = 0) -> Frame:
    """Damage a frame of the truth by the set-up's chain; not yet rounded, its bit depth says what to round it to.

    Each kind of noise and each frame (by its number) has a stream of random numbers of its own, all from the set-up's
    seed.
    """
    frame = clean_input(truth, setup, sizes, number)
    even, sensor = _streams(setup, number)[:2]
    if setup.noise:
        frame = gaussian_noise(frame, setup.noise, even)
    if setup.underexposed:
        frame = exposure_noise(frame, setup.underexposed, sensor)
    if setup.eight_bit:
        codes, _ = quantise(frame, 8)
        frame = Frame(codes / np.float32(255), 8, frame.tag)
    if setup.jpeg:
        return jpeg(frame, setup.jpeg, half_chroma=setup.half_chroma)
    return halve_chroma(frame) if setup.half_chroma else frame


def make_inputs(truths: Iterable[Frame], setup: Setup, sizes: Plan) -> Iterator[Frame]:
    """Damage the frames of a clip one after another: each by itself, then what joins them."""
    frames = (make_input(truth, setup, sizes, number) for number, truth in enumerate(truths))
    joined = interlaced(held(frames) if setup.hold else frames, setup.fields)
    if setup.h264:
        joined = coded(joined, "h264", setup.h264)
    return coded(joined, "mpeg2", setup.mpeg2) if setup.mpeg2 else joined
