"""What the entries of a trial cost, by the price book and the job."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from mistline.core.methods.recipe import Recipe
from mistline.core.timing.cost import Cost, Job, Price, PriceBook, cost_of
from mistline.store.database import Row
from mistline.work.delivering import Stated

__all__ = ["Priced", "job_of", "priced"]


@dataclass(frozen=True)
class Priced:
    """The cost of an entry; `stated` where its time or fee is what somebody says, `note` what could not be counted."""

    letter: str
    cost: Cost
    stated: bool
    note: str


def job_of(trial: Row) -> Job:
    """The job that was said, else all frames of the source, once."""
    return Job.model_validate(trial["job"] or {"frames": trial["facts"].get("frames", 1)})


def priced(trial: Row, entries: Sequence[Row], book: PriceBook, megapixels: float) -> list[Priced]:
    """The cost of every finished candidate."""
    job, rate = job_of(trial), trial["facts"].get("rate")
    return [
        _priced(row, book, megapixels, float(Fraction(rate)) if rate else None, job, trial["frames"])
        for row in entries
        if row["state"] == "done" and row["control"] is None
    ]


def _priced(row: Row, book: PriceBook, megapixels: float, rate: float | None, job: Job, frames: int) -> Priced:
    if row["stated"] is None:
        methods = {step.method for step in Recipe.model_validate(row["recipe"]).every_pass()}
        prices: list[Price] = [book.methods[key] for key in sorted(methods) if key in book.methods]
        seconds = row["timing"].get("median")
        return Priced(row["letter"], cost_of(prices, book.machine_hour, seconds, megapixels, rate, job), False, "")
    stated = Stated.model_validate(row["stated"])
    seconds = None if stated.seconds is None else stated.seconds / frames
    known = stated.fee is not None and stated.currency in ("", book.currency)
    note = "" if known or stated.fee is None else f"its fee is in {stated.currency} and is not counted"
    fee = stated.fee / frames if known and stated.fee is not None else 0.0
    prices = [book.tools[stated.tool]] if stated.tool in book.tools else []
    # Another machine's hour costs something else: its time is told, not priced.
    cost = cost_of(prices, 0.0, seconds, megapixels, rate, job, fee)
    return Priced(row["letter"], cost, True, note)
