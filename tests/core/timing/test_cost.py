"""Costs worked by hand from price lists of the usual shapes (common practice: licence, subscription, fees, credits)."""

import pytest
from pydantic import ValidationError

from mistline.core.timing.cost import Job, Price, PriceBook, cost_of


def test_a_machine_at_an_hourly_price() -> None:
    """36 s a frame at 2 an hour is 0.02 a frame; at 25 frames a second a minute is 1500 of them, 30."""
    found = cost_of([], 2.0, 36.0, 8.3, 25.0, Job(frames=1500, a_year=4))
    assert (found.frame, found.minute, found.job, found.year) == pytest.approx((0.02, 30, 30, 120))
    assert found.seconds == 54_000 and found.fixed_a_year == 0


@pytest.mark.parametrize(
    ("unit", "frame"), [("frame", 0.3), ("megapixel", 2.4), ("minute", 0.3 / 1440)]
)  # 8 megapixels, 24 frames a second
def test_a_fee_by_the_unit(unit: str, frame: float) -> None:
    price = Price.model_validate({"fee": 0.1, "credits": 4, "credit": 0.05, "unit": unit})
    assert cost_of([price], 0, None, 8.0, 24.0, Job()).frame == pytest.approx(frame)


def test_stills_have_no_minutes() -> None:
    found = cost_of([Price(fee=5, unit="minute")], 0, 1.0, 8.0, None, Job(frames=40))
    assert (found.minute, found.frame, found.job) == (None, 0, 0)


def test_what_is_fixed_is_only_in_the_year() -> None:
    licence = Price(licence=600, licence_years=3, month=15)
    found = cost_of([licence, Price(fee=1)], 0, None, 1.0, None, Job(frames=10, a_year=12))
    assert (found.frame, found.job, found.fixed_a_year, found.year) == pytest.approx((1, 10, 380, 500))
    assert found.seconds is None  # nobody knows the time, and the machine is not in the costs


def test_prices_that_make_no_sense_are_refused() -> None:
    for wrong in ({"fee": -1}, {"licence_years": 0}, {"unit": "hour"}, {"fee": float("nan")}):
        with pytest.raises(ValidationError):
            Price.model_validate(wrong)
    with pytest.raises(ValidationError):
        PriceBook(currency="")
