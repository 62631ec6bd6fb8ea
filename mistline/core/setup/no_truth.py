"""The test without a truth: the source itself is the input, and nobody knows what the target should look like."""

from typing import ClassVar, Literal, Self

from pydantic import Field

from mistline.core.frame import Size
from mistline.core.setup.given import GivenInput
from mistline.core.setup.sizes import Plan, enlarged
from mistline.core.setup.targets import Target

__all__ = ["NoTruthSetup"]


class NoTruthSetup(GivenInput):
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
        return self.model_dump(exclude={"audience", "factor"} if self.target else {"audience"})

    def words(self) -> str:
        """The set-up in words.

        >>> NoTruthSetup(factor=2).words(), NoTruthSetup(factor=1).words()
        ('no truth, 2x larger', 'no truth, same size')
        """
        if self.target:
            return f"no truth, {self.target.words()}"
        return f"no truth, {f'{self.factor:g}x larger' if self.factor > 1 else 'same size'}"
