"""Storage over the wire."""

from pydantic import BaseModel, Field

from mistline.work.storage import What

__all__ = ["Kept", "Removed", "Storage"]


class Kept(BaseModel):
    """Things of a sort that are kept, and what they take."""

    number: int = 0
    bytes: int = 0


class Removed(BaseModel):
    """What was removed and can still come back."""

    trials: int
    sources: int


class Storage(BaseModel):
    """What takes space and what could go."""

    free_bytes: int | None = Field(description="on the disk of the media store; None where nobody knows")
    all_bytes: int | None
    is_low: bool
    originals: Kept
    sources: Kept
    plates: Kept
    takes: Kept
    views: Kept
    fingerprints: Kept
    unneeded: Kept = Field(description="pictures that no source and no trial needs")
    retired: Kept = Field(description="takes that are retired everywhere and can be made again; among the takes")
    removed: Removed
    clearing: list[What]
