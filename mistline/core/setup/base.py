"""What every kind of test set-up offers: sizes, how the input is made, what it is likely to suffer from, and words."""

from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import ClassVar, Self

from pydantic import ConfigDict, Field, field_validator

from mistline.core.frame import Frame, Size
from mistline.core.measure.measure import SHARP
from mistline.core.methods import Traits
from mistline.core.setup.audience import Audience
from mistline.core.setup.sizes import Plan, crop_part
from mistline.core.timing.break_even import Shortcut
from mistline.core.typed import Typed

__all__ = ["AnySetup", "Damage"]


@dataclass(frozen=True)
class Damage:
    """What an input is likely to suffer from, as far as that can be said before it is made.

    Attributes
    ----------
    noise : float
        Luma noise in 8-bit code values.
    quality : int
        As of JPEG at this quality; 100 is none. `compressed` says it in words.
    blur : float
        Sigma of a Gaussian in pixels of the target. `blurred` says it in words.
    repairs : method ids to words
        Faults from frame to frame, by the method that mends them.
    """

    noise: float
    quality: int = 100
    compressed: str = ""
    blur: float = 0.0
    blurred: str = ""
    repairs: Mapping[str, str] = field(default_factory=dict)


class AnySetup(Typed, ABC):
    """A test set-up. Whoever works with one asks what it offers, never of which kind it is."""

    model_config = ConfigDict(extra="forbid")
    test: str
    factor: float = Field(
        4,
        ge=1,
        le=16,
        description="How many times smaller each way the input is than the target; 1 keeps the size.",
    )
    audience: Audience | None = Field(
        None, description="From where it is looked at; without, as finely as one can see."
    )
    has_truth: ClassVar[bool]
    makes_input: ClassVar[bool] = True  # else it is the source

    @field_validator("factor")
    @classmethod
    def _three_decimals(cls, value: float) -> float:
        if abs(value * 1000 - round(value * 1000)) > 1e-6:
            raise ValueError(f"{value:g} has too many decimals; round it to three, as 4.267")
        return round(value, 3)

    @abstractmethod
    def plan(self, source: Size) -> Plan:
        """The sizes of the test; `OutOfLimits` where it cannot be made of such a source."""

    def at(self, source: Size) -> Self:
        """The same set-up with the factor that it comes to on such a source."""
        return self

    @property
    def truth_source(self) -> str | None:
        """The id of another source that holds the truth, if one does."""
        return None

    @property
    def shortcut(self) -> Shortcut | None:
        """What making the source took beside what making its truth took, where that was said."""
        return None

    @property
    def truth_frames(self) -> int | None:
        """How many frames that other source has."""
        return None

    def truths(self, native: Iterable[Frame], sizes: Plan) -> Iterator[Frame]:
        """The truth of frames of that other source."""
        raise NotImplementedError

    def sight(self, target: Size) -> float:
        """Pixels of the target that cover a degree of sight."""
        return self.audience.sight(target.width) if self.audience else SHARP

    @abstractmethod
    def identity(self) -> dict[str, object]:
        """What makes the input: settings that have no effect stand at their defaults, so that one input has one key.

        From where it is looked at makes no other input.
        """

    def score_identity(self, plate_key: str) -> dict[str, object]:
        """What makes the scores beside the result itself: the plates and, where that was said, the audience."""
        said = {"audience": self.audience.model_dump()} if self.audience else {}
        return {"plate": plate_key, **said}

    @property
    @abstractmethod
    def lead(self) -> str:
        """The id of the measure that is looked at first."""

    @abstractmethod
    def words(self) -> str:
        """The set-up in words."""

    @abstractmethod
    def check(self, frames: int) -> None:
        """Raise `OutOfLimits` if there is nothing to test on so many frames."""

    def laid(self, source: Frame, sizes: Plan) -> Frame:
        """What of a frame of the source takes part: of the target's size where the source is the truth."""
        return crop_part(source, sizes)

    @abstractmethod
    def inputs(self, frames: Iterable[Frame], sizes: Plan) -> Iterator[Frame]:
        """The inputs of consecutive frames of the target, or of the source where there is no truth.

        Not yet rounded: the bit depth of each says what to round it to.
        """

    @abstractmethod
    def shrink(self, frame: Frame, sizes: Plan, number: int = 0) -> Frame:
        """The way from a frame of the target's size to the input's, without noise and compression."""

    @abstractmethod
    def damage(self, source: Traits) -> Damage:
        """What the input of a source will suffer from."""
