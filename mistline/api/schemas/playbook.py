"""The Playbook on the wire."""

from datetime import datetime
from uuid import UUID

from pydantic import BaseModel

__all__ = ["PlaybookKind", "PlaybookVerdict"]


class PlaybookVerdict(BaseModel):
    """A verdict as the Playbook shows it."""

    trial_id: UUID
    trial_name: str
    source_name: str
    picture_id: str | None
    setup_words: str
    pick: str
    pick_name: str
    pick_words: str
    pick_seconds: float | None
    pick_recipe_id: UUID | None
    pick_figures: list[str]
    fallback: str | None
    fallback_name: str | None
    fallback_seconds: float | None
    reasons: str
    created_at: datetime


class PlaybookKind(BaseModel):
    """The standing choice for a kind: its newest verdict, with the earlier ones behind it."""

    kind: str
    kind_name: str
    verdicts: list[PlaybookVerdict]
