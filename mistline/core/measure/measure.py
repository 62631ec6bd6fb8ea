"""The contract of a measure: what it looks at, its unit and which way is better."""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal, TypeVar

from mistline.core.frame import Array, Frame, Region, luma
from mistline.errors import ShapeMismatch

__all__ = ["Better", "Evidence", "Measure", "Measured", "NotMeasurable", "Part"]

T = TypeVar("T")
Better = Literal["higher", "lower", "nearer to the truth", "nearer to zero"]


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
class Evidence:
    """All that measures may look at.

    Attributes
    ----------
    result : Frame
        What is judged.
    truth : Frame or None
        The large original, registered and of the result's size.
    input : Frame or None
        What the method was given.
    shrink : (Frame) -> Frame or None
        The test's own way from a large frame to the input's size, without noise and compression.
    """

    result: Frame
    truth: Frame | None = None
    input: Frame | None = None
    shrink: Callable[[Frame], Frame] | None = None
    _made: dict[object, object] = field(default_factory=dict, repr=False, compare=False)

    def __post_init__(self) -> None:
        if self.truth is not None and self.truth.pixels.shape != self.result.pixels.shape:
            raise ShapeMismatch(
                f"The truth is {self.truth.size} and the result {self.result.size}; register them first."
            )

    @cached_property
    def result_luma(self) -> Array:
        """Luma of the result, (H, W) float32."""
        return luma(self.result.pixels)

    @cached_property
    def truth_luma(self) -> Array:
        """Luma of the truth, (H, W) float32."""
        if self.truth is None:
            raise NotMeasurable("needs a truth")
        return luma(self.truth.pixels)

    @property
    def factor(self) -> float:
        """How many times larger the result is than the input."""
        return 1.0 if self.input is None else self.result.size.width / self.input.size.width

    def once(self, step: Callable[["Evidence"], T]) -> T:
        """Do a step that several measures share, and keep what it gave."""
        if step not in self._made:
            self._made[step] = step(self)
        return self._made[step]  # type: ignore[return-value]

    def within(self, region: Region) -> "Evidence":
        """The same pictures cut to a region; what needs the whole input is not measured there."""
        return Evidence(region.cut(self.result), None if self.truth is None else region.cut(self.truth))


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
    needs : words
        What must be there: "truth", "input", or nothing.
    of : (Evidence) -> Measured
        May raise `NotMeasurable`.
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
    needs: tuple[Literal["truth", "input"], ...] = ("truth",)

    def read(self, evidence: Evidence) -> Measured:
        """The measured value, or none with a note on why."""
        for need in self.needs:
            if getattr(evidence, need) is None:
                return Measured(None, note=f"needs {'a truth' if need == 'truth' else 'the input'}")
        try:
            return self.of(evidence)
        except NotMeasurable as why:
            return Measured(None, note=str(why))
