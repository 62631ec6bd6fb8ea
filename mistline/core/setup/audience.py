"""From where a result is looked at: what is too fine to be seen from there need not be judged."""

import math

from pydantic import ConfigDict, Field

from mistline.core.typed import Typed

__all__ = ["Audience"]


class Audience(Typed):
    """How wide the picture is where it is shown, and how far away those are who look at it."""

    model_config = ConfigDict(extra="forbid")
    width: float = Field(gt=0, le=1e5, description="Of the print or screen, cm.")
    distance: float = Field(gt=0, le=1e6, description="From it, cm.")

    def sight(self, pixels: int) -> float:
        """Pixels a degree of sight, of a picture of so many across; small angles.

        >>> round(Audience(width=120, distance=200).sight(14173))
        412
        """
        return pixels / self.width * self.distance * math.pi / 180
