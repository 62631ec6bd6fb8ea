"""Fingerprints of methods on the wire."""

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from mistline.core.fingerprint import Fingerprint

__all__ = ["FingerprintShown", "ToMeasure"]


class FingerprintShown(BaseModel):
    """What a version of a method does in general, on the charts of a version; `found` once it is ready."""

    method: str
    version: int
    charts: int
    state: Literal["waiting", "measuring", "ready", "failed"]
    error: str | None
    found: Fingerprint | None
    created_at: datetime


class ToMeasure(BaseModel):
    """Which methods to measure; all that have not been where there is no list."""

    methods: list[Annotated[str, Field(max_length=80)]] | None = Field(None, max_length=500)
