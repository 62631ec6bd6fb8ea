"""How a clip's Y'CbCr becomes R'G'B'."""

from typing import Literal

from pydantic import ConfigDict

from mistline.core.typed import Typed

__all__ = ["ReadAs"]


class ReadAs(Typed):
    """Matrix and range (full, or 16-235 in 8 bits) that a clip is read by, as its tags say or as was set."""

    model_config = ConfigDict(extra="forbid")
    matrix: Literal["BT.601", "BT.709", "BT.2020"]
    full_range: bool
