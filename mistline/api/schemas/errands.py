"""Remote services and errands to them, on the wire."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field

__all__ = ["Budget", "Errand", "ErrandRequest", "ErrandTakes", "Errands", "Offer"]


class ErrandTakes(BaseModel):
    """Seconds that an errand will take, by earlier ones to the same service."""

    transfer: float
    wait: float = Field(description="in the service's queue")
    process: float


class Offer(BaseModel):
    """What a service would do for a trial."""

    connector: str
    name: str
    fee: float
    currency: str
    takes: ErrandTakes | None = Field(description="none before the first errand to it")
    refused: str = Field(description="why it cannot; empty where it can")


class Errand(BaseModel):
    """A trial's input on its way through a service; times are measured here, in seconds."""

    id: UUID
    name: str
    state: Literal["waiting", "uploading", "queued", "processing", "downloading", "done", "failed", "cancelled"]
    progress: float
    forecast: float
    fee: float | None
    currency: str
    times: dict[str, float | None] | None
    letter: str | None
    error: str | None
    created_at: datetime


class Errands(BaseModel):
    """Offers of services, errands so far, and what may be spent on them."""

    offers: list[Offer]
    errands: list[Errand]
    budget: float | None
    spent: float


class ErrandRequest(BaseModel):
    """Which service to send a trial's input to."""

    connector: str = Field(max_length=40)


class Budget(BaseModel):
    """What a trial may spend on services; none for no limit."""

    budget: float | None = Field(ge=0, le=1e9, strict=True)
