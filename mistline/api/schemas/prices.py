"""Prices and costs on the wire."""

from pydantic import BaseModel, Field

from mistline.core.timing.cost import Cost, Job, PriceBook

__all__ = ["EntryCost", "PriceBookShown", "TrialCost"]


class PriceBookShown(BaseModel):
    """The price book and the version at which it was read: a change names it, so that nothing is overwritten."""

    version: int = Field(ge=0, lt=2**31, strict=True)
    book: PriceBook


class EntryCost(BaseModel):
    """What an entry costs."""

    letter: str
    cost: Cost
    stated: bool = Field(description="its time or fee is what somebody says, not measured")
    note: str


class TrialCost(BaseModel):
    """What the entries of a trial cost for a job."""

    job: Job
    currency: str
    priced: bool = Field(description="whether the price book asks anything of any of them")
    entries: list[EntryCost]
