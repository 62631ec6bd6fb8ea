"""The contract of a method: what every enlarger, denoiser and sharpener says of itself."""

from collections.abc import Callable
from dataclasses import dataclass, field

from pydantic import BaseModel

from mistline.core.frame import Frame, Size
from mistline.core.methods.network import ModelCard
from mistline.errors import OutOfLimits

__all__ = ["Limits", "Method", "Run", "Traits", "Window", "alone", "each", "no_auto"]


@dataclass(frozen=True)
class Traits:
    """What was measured of a source; automatic settings are derived from it.

    `noise_sigma` (luma) and `noise_colour` are in 8-bit code values, None where `noise_note` and `colour_note` say why
    they cannot be told (then `noise_least` of luma is there at least, `noise_most` and `colour_most` at most);
    `noise_curve` holds (brightness 0..1, luma sigma), `noise_bands` luma sigma by octave, both also where only some
    brightnesses show the noise, and `noise_least` is what these do. `edge_width` is in pixels (10-90 % rise; None where
    the picture has no strong edge), `mean_level` in 0..1. `squares` is how much larger steps are on a grid of
    compression squares, in % (0 where there is none), `flat_share` the share of 8 x 8 blocks that hold one value only,
    bars and clipped areas left out.
    """

    noise_sigma: float | None
    edge_width: float | None
    mean_level: float
    measured_on: str
    squares: float = 0.0
    flat_share: float = 0.0
    noise_colour: float | None = None
    noise_curve: list[list[float]] = field(default_factory=list)
    noise_bands: dict[str, float] = field(default_factory=dict)
    noise_note: str = ""
    colour_note: str = ""
    noise_least: float = 0.0
    noise_most: float | None = None
    colour_most: float | None = None

    @property
    def noise_known(self) -> float | None:
        """Sigma of luma noise, or where some of it is hidden what is known of it; None where nothing is."""
        return self.noise_least if self.noise_sigma is None and self.noise_curve else self.noise_sigma


@dataclass(frozen=True)
class Window:
    """A frame of a clip and the frames around it that a method looks at.

    Attributes
    ----------
    frames : tuple of Frame
        Consecutive frames, all of one size; at the ends of a clip there are fewer.
    at : int
        Which of them is the frame that is wanted.
    number : int
        The number of that frame in the clip.
    smaller : tuple of Frame
        The same frames before the chain enlarged them; empty where it did not.
    """

    frames: tuple[Frame, ...]
    at: int = 0
    number: int = 0
    smaller: tuple[Frame, ...] = ()

    @property
    def frame(self) -> Frame:
        """The frame that is wanted."""
        return self.frames[self.at]


def alone(frame: Frame) -> Window:
    """A still: a frame without neighbours."""
    return Window((frame,))


@dataclass(frozen=True)
class Limits:
    """What a method can take; checked before a run, and said in words."""

    max_megapixels: float = 200.0
    max_factor: float = 16.0
    working_copies: float = 3.0

    def words(self, *, resizes: bool) -> str:
        """The limits in words.

        >>> Limits(max_megapixels=60).words(resizes=False)
        'results up to 60 megapixels'
        """
        factor = f", up to {self.max_factor:g} times" if resizes else ""
        return f"results up to {self.max_megapixels:g} megapixels{factor}"

    def check(self, name: str, before: Size, after: Size) -> None:
        """Raise `OutOfLimits` with a sentence if the step is too large for the method."""
        if after.megapixels > self.max_megapixels:
            raise OutOfLimits(
                f"{name} takes up to {self.max_megapixels:g} megapixels and the result would have "
                f"{after.megapixels:.1f}; choose a smaller target or a crop."
            )
        if after.width / before.width > self.max_factor:
            raise OutOfLimits(f"{name} enlarges up to {self.max_factor:g} times; choose a smaller factor.")


def no_auto(traits: Traits) -> dict[str, object]:
    """For methods that have no automatic setting."""
    return {}


Run = Callable[[Window, BaseModel, Size], Frame]


def each(run: Callable[[Frame, BaseModel, Size], Frame]) -> Run:
    """For methods that look at one frame only."""
    return lambda window, settings, target: run(window.frame, settings, target)


def _no_neighbours(settings: BaseModel) -> int:
    return 0


def _by_itself(factor: float) -> str:
    return ""


@dataclass(frozen=True)
class Method:
    """One algorithm with typed settings.

    Attributes
    ----------
    settings : type of BaseModel
        Fields that may be automatic are `float | None` with default None.
    run : (window, settings, target) -> Frame
        Float32 in, float32 out, no clipping. `target` is the size wanted; methods that do not resize
        return a frame of the size they were given.
    auto : (traits) -> dict
        Values for the fields that were left automatic.
    reach : (settings) -> int
        How many frames before and after it looks at, where there are so many.
    way : (factor) -> str
        In words, by which way it comes to a factor that it does not do by itself; empty where it does.
    """

    id: str
    version: int
    name: str
    family: str
    summary: str
    reference: str
    settings: type[BaseModel]
    limits: Limits
    run: Run
    auto: Callable[[Traits], dict[str, object]]
    resizes: bool = False
    card: ModelCard | None = None
    reach: Callable[[BaseModel], int] = _no_neighbours
    way: Callable[[float], str] = _by_itself

    @property
    def reduces_noise(self) -> bool:
        """Whether it is made to take noise away."""
        return self.family == "reduce noise" or (self.card is not None and self.card.task == "reduce noise")

    def resolve(self, given: dict[str, object], traits: Traits) -> BaseModel:
        """Return the complete settings: given, else automatic, else default."""
        settings = self.settings.model_validate(given)
        automatic = {
            key: value for key, value in self.auto(traits).items() if getattr(settings, key, None) is None
        }
        return settings.model_copy(update=automatic)
