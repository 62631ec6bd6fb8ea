"""What a result costs: the machine's time, fees by the unit, credits, subscriptions and licences.

All amounts are in one currency, which the price book names. Running costs grow with the work; fixed ones (licence,
subscription) are due whatever is done, and only stand in the cost of a year.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

__all__ = ["Cost", "Job", "Price", "PriceBook", "cost_of"]

Unit = Literal["frame", "megapixel", "minute"]
MOST = 1e9


class _Amounts(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True)  # a truth value is no amount


class Price(_Amounts):
    """What a method or tool is paid for with; what is 0 is not asked."""

    licence: float = Field(0, ge=0, le=MOST, description="paid once")
    licence_years: float = Field(3, gt=0, le=50, description="years that it is shared out over")
    month: float = Field(0, ge=0, le=MOST, description="subscription a month")
    fee: float = Field(0, ge=0, le=MOST, description="a unit")
    credits: float = Field(0, ge=0, le=MOST, description="credits a unit")
    credit: float = Field(0, ge=0, le=MOST, description="price of one credit")
    unit: Unit = Field("frame", description="a frame of the result, a megapixel of it, or a minute of footage")

    @property
    def of_a_unit(self) -> float:
        """Fee and credits of one unit.

        >>> Price(fee=0.5, credits=2, credit=0.1).of_a_unit
        0.7
        """
        return self.fee + self.credits * self.credit

    @property
    def fixed(self) -> float:
        """A year, whatever is done.

        >>> Price(licence=300, licence_years=3, month=10).fixed
        220.0
        """
        return self.licence / self.licence_years + 12 * self.month


class PriceBook(_Amounts):
    """All prices: of an hour of the machine, and of methods (by id) and tools (by name)."""

    currency: str = Field(default="EUR", min_length=1, max_length=12)
    machine_hour: float = Field(default=0, ge=0, le=MOST)
    methods: dict[str, Price] = Field(default_factory=dict, max_length=500)
    tools: dict[str, Price] = Field(default_factory=dict, max_length=500)


class Job(_Amounts):
    """The work that is to be done: frames (or stills), and how often a year."""

    frames: int = Field(1, ge=1, le=10**9)
    a_year: float = Field(1, ge=0, le=1e6)


@dataclass(frozen=True)
class Cost:
    """Running costs of a frame, of a minute of footage (None for stills) and of the job; all of a year.

    `seconds` is the processing of the job; None where no time is known. Then the machine's time is not in the costs.
    """

    seconds: float | None
    frame: float
    minute: float | None
    job: float
    fixed_a_year: float
    year: float


def cost_of(
    prices: Sequence[Price], machine_hour: float, seconds: float | None, megapixels: float, rate: float | None,
    job: Job, fee: float = 0.0,
) -> Cost:  # fmt: skip
    """The cost of an entry.

    Parameters
    ----------
    prices : sequence of Price
        Of every method it uses, each once.
    machine_hour : float
        Price of an hour of the machine.
    seconds : float or None
        Processing of one frame.
    megapixels : float
        Of one frame of the result.
    rate : float or None
        Frames a second of footage; None for stills, of which a fee by the minute asks nothing.
    fee : float
        Anything else that one frame costs.

    >>> found = cost_of([Price(fee=0.1)], 3.6, 10.0, 8.3, 25.0, Job(frames=100, a_year=12))
    >>> round(found.frame, 3), round(found.minute, 2), round(found.job, 2), round(found.year, 2)
    (0.11, 165.0, 11.0, 132.0)
    """
    units = {"frame": 1.0, "megapixel": megapixels, "minute": 1 / (60 * rate) if rate else 0.0}
    frame = (
        fee + sum(price.of_a_unit * units[price.unit] for price in prices) + machine_hour * (seconds or 0) / 3600
    )
    fixed = sum(price.fixed for price in prices)
    return Cost(
        seconds=None if seconds is None else seconds * job.frames,
        frame=frame,
        minute=frame * 60 * rate if rate else None,
        job=frame * job.frames,
        fixed_a_year=fixed,
        year=frame * job.frames * job.a_year + fixed,
    )
