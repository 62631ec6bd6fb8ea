"""The Playbook on the wire."""

from datetime import datetime
from uuid import UUID

from pydantic import BaseModel, Field

__all__ = ["PlaybookKind", "PlaybookPage", "PlaybookVerdict"]


class PlaybookVerdict(BaseModel):
    """A verdict as the Playbook shows it."""

    id: int
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
    author: str
    view: str = Field(description="how it was looked at when it was decided, as a query of the Look page")
    created_at: datetime


class PlaybookKind(BaseModel):
    """A kind with its newest verdict, the standing choice; none where it is still open."""

    kind: str
    kind_name: str
    standing: PlaybookVerdict | None
    earlier: int = Field(description="how many verdicts came before it")


class PlaybookPage(BaseModel):
    """Verdicts of a kind, newest first; `more` are left."""

    verdicts: list[PlaybookVerdict]
    more: int
