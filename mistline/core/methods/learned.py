"""Learned methods: networks in ONNX files, shipped or dropped in, each with a model card.

A network that enlarges is run as often as needed to reach or pass the target, then brought to it by Lanczos 3.
The shipped networks and how they were trained are described in their cards (`mistline/core/models/*.json`).

References
----------
.. [1] R. Timofte, R. Rothe, L. Van Gool, "Seven ways to improve example-based single image super resolution",
       CVPR 2016: the mean over turned and mirrored copies.
"""

from pathlib import Path

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from mistline.core.frame import Array, Frame, Size, from_ycbcr, luma, to_ycbcr
from mistline.core.methods.denoise import CODE_VALUES_PER_POINT, DenoiseSettings, automatic
from mistline.core.methods.method import Limits, Method, Window, no_auto
from mistline.core.methods.network import ModelCard, apply
from mistline.core.methods.noise_level import relative_sigma
from mistline.core.resample import resize
from mistline.errors import ProcessingFailed

__all__ = ["METHODS", "LearnedSettings", "method_of"]

SHIPPED = Path(__file__).parents[1] / "models"
MOST_TIMES = 4
RUNNING = 1  # raised when results change by the way in which networks are run
AROUND = 2.0  # sigma of the blur that tells the brightness around a pixel
WAYS = [(turns, mirrored) for mirrored in (False, True) for turns in (0, 2, 1, 3)]


class LearnedSettings(BaseModel):
    """How much of the network's result is taken, and how often it is asked."""

    model_config = ConfigDict(extra="forbid")
    strength: float = Field(
        100, ge=0, le=100, description="Share of the network's result in %; the rest is the plain input."
    )
    ways: int = Field(
        1, ge=1, le=len(WAYS),
        description="Mean of as many turned and mirrored copies: a little closer to the truth, as many times the work.",
    )  # fmt: skip


def _in_ways(path: Path, card: ModelCard, pixels: Array, ways: int) -> Array:
    """The mean of what the model makes of as many turned and mirrored copies of (H, W, C), each put back [1]_."""
    total: Array | None = None
    for turns, mirrored in WAYS[:ways]:
        found = np.rot90(apply(path, card, np.rot90(pixels[:, ::-1] if mirrored else pixels, turns)), -turns)
        found = found[:, ::-1] if mirrored else found
        total = found if total is None else np.add(total, found, out=total)
    assert total is not None
    return total if ways == 1 else np.divide(total, np.float32(ways), out=total)


def _on_channels(path: Path, card: ModelCard, frames: list[Array], ways: int) -> Array:
    """Feed colour to a model of one channel as luma, and grey to one of three as three equal channels."""
    channels = frames[0].shape[2]
    if channels == card.channels:
        return _in_ways(path, card, np.concatenate(frames, axis=2), ways)
    if channels == 1:
        alike = np.concatenate([np.repeat(one, 3, axis=2) for one in frames], axis=2)
        return luma(_in_ways(path, card, alike, ways))[..., None]
    bright = _in_ways(path, card, np.stack([luma(one) for one in frames], axis=2), ways)
    colour = to_ycbcr(frames[card.at])[..., 1:]
    size = Size(bright.shape[1], bright.shape[0])
    return from_ycbcr(np.concatenate([bright, resize(colour, size, "bicubic")], axis=2))


def _enlarge(path: Path, card: ModelCard, frames: list[Array], target: Size, ways: int) -> Array:
    pixels = _on_channels(path, card, frames, ways)
    for _ in range(MOST_TIMES - 1 if card.frames == 1 else 0):  # what came of one frame has no neighbours
        if pixels.shape[1] >= target.width and pixels.shape[0] >= target.height:
            break
        pixels = _on_channels(path, card, [pixels], ways)
    return pixels if pixels.shape[1::-1] == (target.width, target.height) else resize(pixels, target, "lanczos3")


def _way(card: ModelCard, factor: float) -> str:
    """How a network of a whole factor comes to any other, in words, as `_enlarge` does it.

    >>> card = ModelCard.model_validate_json((SHIPPED / "faithful_x2.json").read_text())
    >>> _way(card, 2), _way(card, 3), _way(card, 1.5), _way(card, 4)
    ('', 'run 2 times to 4x, then down to 3x by Lanczos', '2x, then down to 1.5x by Lanczos', 'run 2 times')
    """
    if card.task != "enlarge":
        return ""
    times, reached = 1, card.factor
    while reached < factor - 1e-6 and times < (MOST_TIMES if card.frames == 1 else 1):
        times, reached = times + 1, reached * card.factor
    run = f"run {times} times" if times > 1 else ""
    if abs(reached - factor) < 1e-6:
        return run
    way = "down" if reached > factor else "up"
    return f"{f'{run} to {reached}x' if run else f'{reached}x'}, then {way} to {factor:g}x by Lanczos"


def _around(window: Window, card: ModelCard) -> list[Array]:
    """The frames that a model takes; at the ends of a clip the first or last one again."""
    last = len(window.frames) - 1
    places = range(window.at - card.at, window.at - card.at + card.frames)
    return [window.frames[min(max(0, place), last)].pixels for place in places]


def _guided(path: Path, card: ModelCard, pixels: Array, settings: DenoiseSettings) -> Array:
    """Tell the network how strong the noise is at each pixel: by the strengths, and by the brightness around it."""
    assert settings.luma is not None and settings.colour is not None
    if settings.luma == 0 and settings.colour == 0:
        return pixels
    colour = pixels if pixels.shape[2] == 3 else np.repeat(pixels, 3, axis=2)
    level = cv2.GaussianBlur(luma(colour), (0, 0), AROUND)
    shape = relative_sigma(level, settings.rule or "even", (settings.read or 0.0) / 100).astype(np.float32)
    strengths = np.array([settings.luma, settings.colour if pixels.shape[2] == 3 else 0], np.float32)
    levels = shape[..., None] * strengths * np.float32(CODE_VALUES_PER_POINT / 255)
    found = apply(path, card, np.concatenate([colour, levels], axis=2))
    return found if pixels.shape[2] == 3 else luma(found)[..., None]


def method_of(card: ModelCard, path: Path | None) -> Method:
    """The method that a model is; without its file it can be named and checked, but not run."""

    def run(window: Window, settings: BaseModel, target: Size) -> Frame:
        frame = window.frame
        if path is None:
            raise ProcessingFailed(f"The file of {card.name} is not at hand; run the take again.")
        if isinstance(settings, DenoiseSettings):
            return frame.with_pixels(_guided(path, card, frame.pixels, settings))
        assert isinstance(settings, LearnedSettings)
        if card.task == "enlarge":
            plain = resize(frame.pixels, target, "bicubic") if settings.strength < 100 else None
            found = _enlarge(path, card, _around(window, card), target, settings.ways)
        else:
            plain, found = frame.pixels, _on_channels(path, card, _around(window, card), settings.ways)
        if settings.strength < 100 and plain is not None:
            found = plain + np.float32(settings.strength / 100) * (found - plain)
        return frame.with_pixels(found)

    limits = Limits(
        max_megapixels=60, max_factor=16 if card.task == "enlarge" else 1, working_copies=5 + card.frames
    )
    return Method(
        card.id, card.version + RUNNING, card.name, "learned", card.summary, card.reference or "A model dropped in",
        DenoiseSettings if card.levels else LearnedSettings, limits, run, automatic if card.levels else no_auto,
        resizes=card.task == "enlarge", card=card, reach=lambda _: max(card.at, card.frames - 1 - card.at),
        way=lambda factor: _way(card, factor),
    )  # fmt: skip


def _shipped() -> list[Method]:
    cards = sorted(SHIPPED.glob("*.json"))
    return [
        method_of(ModelCard.model_validate_json(card.read_text()), card.with_suffix(".onnx")) for card in cards
    ]


METHODS = _shipped()
