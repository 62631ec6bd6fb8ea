"""From where a result is looked at: what is too fine to be seen from there need not be judged."""

import math

from pydantic import BaseModel, ConfigDict, Field

__all__ = ["SHARP", "Audience"]

SHARP = 60.0  # pixels a degree of sight: finer than that hardly anybody sees (common practice)


class Audience(BaseModel):
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

    def words(self) -> str:
        """In words.

        >>> Audience(width=120, distance=200).words()
        'looked at 120 cm wide from 200 cm'
        """
        return f"looked at {self.width:g} cm wide from {self.distance:g} cm"
