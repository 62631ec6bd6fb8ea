"""Run a network of an ONNX file on a picture, tile by tile, on the processor.

References
----------
.. [1] ONNX, Open Neural Network Exchange: the format; ONNX Runtime: the library that runs it.
"""

import os
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Literal

import numpy as np
import onnxruntime
from pydantic import BaseModel, ConfigDict, Field

from mistline.core.frame import Array
from mistline.errors import ProcessingFailed

__all__ = ["THREADS", "Figure", "Layout", "ModelCard", "Run", "apply", "door", "feed", "in_tiles", "session"]

THREADS = len(os.sched_getaffinity(0))
TILE = 384
Run = Callable[[Array], Array]
Layout = Literal["NCHW", "NHWC", "NTCHW", "NCTHW"]
TURNS = {"NCHW": (2, 0, 1), "NHWC": (0, 1, 2), "NTCHW": (2, 3, 0, 1), "NCTHW": (3, 2, 0, 1)}


class Figure(BaseModel):
    """One held-out figure: the test in words, and PSNR in dB of the model and of what it is compared with."""

    test: str
    model: float
    eight_ways: float | None = Field(None, description="As the mean of eight turned and mirrored copies.")
    beside: dict[str, float]


class ModelCard(BaseModel):
    """What is known of a model: how to feed it, what it does, and how it came about."""

    model_config = ConfigDict(extra="forbid")
    id: str
    name: str
    version: int = 1
    summary: str
    reference: str = ""
    task: Literal["enlarge", "reduce noise"]
    factor: int = Field(ge=1, le=8, description="How many times larger the result is.")
    channels: Literal[1, 3] = 3
    frames: int = Field(1, ge=1, description="How many consecutive frames of a clip it takes at once.")
    at: int = Field(0, description="Which of them its result is, from 0.")
    layout: Layout = "NCHW"
    top: Literal[1, 255] = Field(1, description="Value of white at the model's input and output.")
    multiple: int = Field(1, description="Sides of the input must be a multiple of this.")
    tile: int | None = Field(None, description="Fixed side of the input, if the model has one.")
    overlap: int = Field(description="Reach of the network in input pixels; tiles overlap by this much.")
    levels: bool = Field(
        False, description="Takes a second input: the sigma of luma and colour noise at each pixel."
    )
    shift_right: float = 0.0  # displacement of the result in its pixels, as measured
    shift_down: float = 0.0
    opset: int
    parameters: int
    file_bytes: int
    architecture: str = ""
    data: str = ""
    training: str = ""
    figures: list[Figure] = []
    notes: list[str] = []


@lru_cache(maxsize=4)
def session(path: Path) -> onnxruntime.InferenceSession:
    """The loaded model; on all cores, without keeping memory that it does not need."""
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = THREADS
    options.inter_op_num_threads = 1
    options.enable_cpu_mem_arena = False
    options.enable_mem_pattern = False
    options.log_severity_level = 4
    return onnxruntime.InferenceSession(str(path), options, providers=["CPUExecutionProvider"])


def feed(path: Path, layout: Layout, top: int, channels: int = 3, frames: int = 1, at: int = 0) -> Run:
    """A function from (H, W, frames x C) in 0..1 to the model's (H', W', C) in 0..1.

    Frames lie one behind the other in the channels; a model without an axis for them takes them so. Of a model that
    returns all its frames, `at` is taken. Channels beyond go to the model's second input, as they are.
    """
    loaded = session(path)
    names = [given.name for given in loaded.get_inputs()]
    out = [loaded.get_outputs()[0].name]
    first = channels * frames
    rest = TURNS[layout if len(layout) == 4 else "NCHW"]
    back = np.argsort(rest)

    def run(pixels: Array) -> Array:
        stack = pixels[..., :first] * np.float32(top)
        if len(layout) == 5:
            stack = stack.reshape(*stack.shape[:2], frames, channels)
        parts = (stack.transpose(TURNS[layout]), pixels[..., first:].transpose(rest))
        given = (np.ascontiguousarray(part[None]) for part in parts)
        result: Array = loaded.run(out, dict(zip(names, given, strict=False)))[0][0]
        if result.ndim == 4:
            result = result.take(min(at, result.shape[layout.index("T") - 1] - 1), axis=layout.index("T") - 1)
        result = result.transpose(back) / np.float32(top)
        whole = frames > 1 and result.shape[2] == first
        return result[..., at * channels : (at + 1) * channels] if whole else result

    return run


def door(path: Path, card: ModelCard) -> Run:
    """`feed` as the card says."""
    return feed(path, card.layout, card.top, card.channels, card.frames, card.at)


def in_tiles(run: Run, pixels: Array, card: ModelCard, tile: int = TILE) -> Array:
    """Run on overlapping tiles of (H, W, C); inside, the result equals that of the whole picture at once.

    Tiles start on multiples of the card's `multiple` and overlap by its `overlap` on each side. Beyond its edges
    the picture is continued by reflection, as far as the network looks, so that a flat field stays flat to the
    last pixel.
    """
    height, width = pixels.shape[:2]
    unit, n = card.multiple, card.factor
    overlap = -(-card.overlap // unit) * unit
    core = max(unit, card.tile - 2 * overlap) if card.tile else tile // unit * unit
    step = core if card.tile else unit
    tall, wide = (-(-length // step) * step for length in (height, width))
    around = ((overlap, overlap + tall - height), (overlap, overlap + wide - width), (0, 0))
    padded = np.pad(pixels, around, mode="symmetric")
    result = np.empty((tall * n, wide * n, card.channels), np.float32)
    for top in range(0, tall, core):
        for left in range(0, wide, core):
            bottom, right = min(top + core, tall), min(left + core, wide)
            part = run(padded[top : bottom + 2 * overlap, left : right + 2 * overlap])
            inside = part[overlap * n : (overlap + bottom - top) * n, overlap * n : (overlap + right - left) * n]
            result[top * n : bottom * n, left * n : right * n] = inside
    return result[: height * n, : width * n]


def apply(path: Path, card: ModelCard, pixels: Array) -> Array:
    """Run the model of a file on (H, W, C) in 0..1; the result is `card.factor` times larger, not clipped."""
    try:
        result = in_tiles(door(path, card), pixels, card)
    except MemoryError:
        raise
    except Exception as error:
        if "allocate" in str(error).lower():
            raise MemoryError from None
        where = f"{pixels.shape[1]} x {pixels.shape[0]}"
        raise ProcessingFailed(
            f"{card.name} fails on a picture of {where} pixels; choose another model."
        ) from error
    if not np.isfinite(result).all():
        raise ProcessingFailed(
            f"{card.name} returns values that are no numbers on this picture; choose another model."
        )
    return result
