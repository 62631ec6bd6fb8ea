"""The contract of a measure: what it looks at, its unit and which way is better."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal, TypeVar

import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array, Codes, Frame, Region, Size, luma, to_frame
from mistline.core.threads import on_threads
from mistline.errors import ShapeMismatch

__all__ = [
    "SHARP", "Better", "Enlarged", "Evidence", "Given", "Measure", "Measured", "Need", "NotMeasurable", "Pair", "Part",
    "Picture", "by_rows", "depth", "enlarged", "luma_of", "rows_of", "shape",
]  # fmt: skip

T = TypeVar("T")
_Index = npt.NDArray[np.intp]
STRIP = 256
SHARP = 60.0  # pixels a degree: finer than that hardly anybody sees (common practice)
Better = Literal["higher", "lower", "nearer to the truth", "nearer to zero"]
Need = Literal["truth", "reference", "input", "before"]
NEEDED: dict[Need, str] = {
    "truth": "a truth", "reference": "a truth or the input", "input": "the input", "before": "the frame before",
}  # fmt: skip


class NotMeasurable(Exception):
    """The measure says nothing about this picture; the text says why."""


@dataclass(frozen=True)
class Part:
    """One of the figures behind a value, with its name."""

    name: str
    value: float


@dataclass(frozen=True)
class Measured:
    """A value, the figures behind it and, where it makes sense, a map as large as the frame.

    `value` is None where the picture gives none; `note` then says why.
    """

    value: float | None
    map: Array | None = None
    parts: tuple[Part, ...] = ()
    note: str = ""


@dataclass(frozen=True)
class Enlarged:
    """A part of a picture, brought to a larger size by bilinear interpolation, which adds no rims.

    It is made a few rows at a time, so that it takes no memory.

    Attributes
    ----------
    small : Frame
        The picture, or what of it the part needs.
    size : Size
        Of the part.
    factors : (float, float)
        How many times larger it is, across and down.
    corner : (float, float)
        Where the part begins, in its own pixels from the corner of `small`, across and down.
    """

    small: Frame
    size: Size
    factors: tuple[float, float]
    corner: tuple[float, float] = (0.0, 0.0)

    def _taps(self, axis: int, start: int, stop: int) -> tuple[_Index, _Index, Array]:
        """For pixels of an axis the two of `small` that they lie between, and the weight of the second."""
        length = (self.small.size.width, self.small.size.height)[axis]
        at = (np.arange(start, stop) + self.corner[axis] + 0.5) / self.factors[axis] - 0.5
        at = np.clip(at, 0, length - 1)
        low = at.astype(np.intp)
        return low, np.minimum(low + 1, length - 1), (at - low).astype(np.float32)

    def cut(self, region: Region) -> "Enlarged":
        """A part of it."""
        corner = self.corner[0] + region.left, self.corner[1] + region.top
        return replace(self, size=Size(region.width, region.height), corner=corner)

    def rows(self, rows: slice) -> Array:
        """Some rows, (n, W, C) float32."""
        start, stop, _ = rows.indices(self.size.height)
        upper, lower, down = self._taps(1, start, stop)
        left, right, across = self._taps(0, 0, self.size.width)
        pixels = self.small.pixels
        mixed = pixels[upper] + (pixels[lower] - pixels[upper]) * down[:, None, None]
        found: Array = mixed[:, left] + (mixed[:, right] - mixed[:, left]) * across[:, None]
        return found


def enlarged(small: Frame, size: Size) -> Enlarged:
    """All of a picture at a larger size."""
    return Enlarged(small, size, (size.width / small.size.width, size.height / small.size.height))


Given = Frame | Codes
Picture = Given | Enlarged
Pair = tuple[Array, Array]


@dataclass(frozen=True)
class Evidence:
    """All that measures may look at.

    Attributes
    ----------
    result : Frame or (H, W, C) integers
        What is judged. Integers are turned into floats a few rows at a time, so that memory stays small.
    truth : Frame or (H, W, C) integers or None
        The large original, registered and of the result's size.
    input : Frame or None
        What the method was given.
    shrink : (Frame) -> Frame or None
        The test's own way from a large frame to the input, without noise and compression; takes one channel too.
    scale : float or None
        How many times larger the result is than the input, where the input itself is not at hand.
    made : bool
        Whether the input was made from the truth by that way; else it only stands in for one that nobody knows.
    sight : float
        Pixels of the result that cover a degree of sight where it is looked at.
    before : ((H, W) float32, (H, W) float32) or None
        Luma of reference and result of the frame before, in a clip.
    beside : Enlarged or None
        The part of the input that the result shows, where neither truth nor the whole input is at hand.
    others : iterable of the same
        Results of other entries, for what is told of all; they are read once, one after another.
    references_own : dict
        What was read off the reference alone; several results may share it.
    """

    result: Given
    truth: Given | None = None
    input: Frame | None = None
    shrink: Callable[[Frame], Frame] | None = None
    scale: float | None = None
    made: bool = True
    sight: float = SHARP
    before: Pair | None = None
    beside: Enlarged | None = None
    others: Iterable[Given] = ()
    references_own: dict[object, object] = field(default_factory=dict, repr=False, compare=False)
    _made: dict[object, object] = field(default_factory=dict, repr=False, compare=False)

    def __post_init__(self) -> None:
        if self.truth is not None and shape(self.truth) != shape(self.result):
            raise ShapeMismatch(
                f"The truth is {shape(self.truth)} and the result {shape(self.result)}; register them first."
            )

    @cached_property
    def result_luma(self) -> Array:
        """Luma of the result, (H, W) float32."""
        return luma_of(self.result)

    @cached_property
    def truth_luma(self) -> Array:
        """Luma of the truth, (H, W) float32."""
        if self.truth is None:
            raise NotMeasurable("needs a truth")
        return luma_of(self.truth)

    @cached_property
    def reference(self) -> Picture | None:
        """What the result is held against: the truth, and without one the input brought to the result's size."""
        if self.truth is not None:
            return self.truth
        if self.beside is not None or self.input is None:
            return self.beside
        return enlarged(self.input, Size(*shape(self.result)[1::-1]))

    @cached_property
    def reference_luma(self) -> Array:
        """Luma of the reference, (H, W) float32."""
        if self.truth is not None:
            return self.truth_luma
        if self.reference is None:
            raise NotMeasurable(f"needs {NEEDED['reference']}")
        return luma_of(self.reference)

    @property
    def pair(self) -> tuple[Given, Given]:
        """Truth and result."""
        if self.truth is None:
            raise NotMeasurable("needs a truth")
        return self.truth, self.result

    @property
    def factor(self) -> float:
        """How many times larger the result is than the input."""
        if self.scale is not None:
            return self.scale
        return 1.0 if self.input is None else shape(self.result)[1] / self.input.size.width

    def once(self, step: Callable[["Evidence"], T]) -> T:
        """Do a step that several measures share, and keep what it gave."""
        if step not in self._made:
            self._made[step] = step(self)
        return self._made[step]  # type: ignore[return-value]

    def once_of_reference(self, name: object, step: Callable[[], T]) -> T:
        """Do a step that looks at the reference alone, and keep what it gave for all results beside it."""
        if name not in self.references_own:
            self.references_own[name] = step()
        return self.references_own[name]  # type: ignore[return-value]

    def within(self, region: Region) -> "Evidence":
        """The same pictures cut to a region; what needs the whole input is only measured in the whole picture."""
        if (region.left, region.top, region.height, region.width) == (0, 0, *shape(self.result)[:2]):
            return self
        size = Size(*shape(self.result)[1::-1])
        region.check(size)
        truth = None if self.truth is None else _part(self.truth, region)
        beside = self.reference.cut(region) if isinstance(self.reference, Enlarged) else None
        before = self.before and (self.before[0][region.slices], self.before[1][region.slices])
        return Evidence(
            _part(self.result, region), truth, scale=self.factor, sight=self.sight, before=before, beside=beside
        )


def shape(picture: Picture) -> tuple[int, int, int]:
    """Height, width and channels."""
    if isinstance(picture, Enlarged):
        return picture.size.height, picture.size.width, picture.small.pixels.shape[2]
    height, width, channels = (picture.pixels if isinstance(picture, Frame) else picture).shape
    return height, width, channels


def rows_of(picture: Picture, rows: slice) -> Array:
    """Some rows of a picture as (n, W, C) float32."""
    if isinstance(picture, Enlarged):
        return picture.rows(rows)
    return picture.pixels[rows] if isinstance(picture, Frame) else to_frame(picture[rows]).pixels


def by_rows(pictures: tuple[Picture, ...], step: Callable[..., T], rows: int) -> list[T]:
    """`step` of each strip of so many rows of all the pictures."""

    def strip(start: int) -> T:
        return step(*(rows_of(picture, slice(start, start + rows)) for picture in pictures))

    height, width, _ = shape(pictures[0])
    return on_threads(strip, range(0, height, rows), height * width)


def depth(picture: Picture) -> int:
    """Bits of a code value."""
    if isinstance(picture, Enlarged):
        return picture.small.bit_depth
    return picture.bit_depth if isinstance(picture, Frame) else picture.dtype.itemsize * 8


def luma_of(picture: Picture) -> Array:
    """Luma of a picture, (H, W) float32."""
    return luma(picture.pixels) if isinstance(picture, Frame) else plane_of(picture, luma, STRIP)


def plane_of(picture: Picture, step: Callable[[Array], Array], rows: int) -> Array:
    """A plane (H, W) float32 that a step makes of so many rows of a picture at a time."""
    height, width, _ = shape(picture)
    plane = np.empty((height, width), np.float32)

    def strip(start: int) -> None:
        part = slice(start, start + rows)
        plane[part] = step(rows_of(picture, part))

    on_threads(strip, range(0, height, rows), height * width)
    return plane


def _part(picture: Given, region: Region) -> Given:
    return region.cut(picture) if isinstance(picture, Frame) else picture[region.slices]


@dataclass(frozen=True)
class Measure:
    """One figure that is read off a result.

    Attributes
    ----------
    tie : float
        Two values closer than this cannot be told apart by looking (common practice, documented in
        docs/decisions).
    digits : int
        Decimals that carry meaning.
    meaning, without_truth : str
        What it tells in a test with a truth, and in one without. Where a text is empty it is not read there.
    needs : words
        What must be there: "truth", "reference" (a truth or the input), "input", "before" (another frame of a clip),
        or nothing.
    of : (Evidence) -> Measured
        May raise `NotMeasurable`.
    each_frame : bool
        Whether it is quick enough to be read on every frame of a clip; the others are read on every n-th.
    """

    id: str
    version: int
    name: str
    unit: str
    better: Better
    heading: str
    meaning: str
    source: str
    tie: float
    digits: int
    of: Callable[[Evidence], Measured]
    needs: tuple[Need, ...] = ("truth",)
    each_frame: bool = False
    without_truth: str = ""

    def told(self, *, has_truth: bool) -> str:
        """What it tells in a test; empty where it is not read in such a test."""
        return self.meaning if has_truth else self.without_truth

    def read(self, evidence: Evidence) -> Measured:
        """The measured value, or none with a note on why."""
        for need in self.needs:
            if getattr(evidence, need) is None:
                return Measured(None, note=f"needs {NEEDED[need]}")
        try:
            return self.of(evidence)
        except NotMeasurable as why:
            return Measured(None, note=str(why))
