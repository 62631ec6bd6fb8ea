"""The run dock on the wire."""

from uuid import UUID

from pydantic import BaseModel, Field

from mistline.api.schemas.trials import State
from mistline.core.timing.machine import Machine

__all__ = ["Count", "Queue", "QueueItem", "QueuePlace", "Worker"]


class QueueItem(BaseModel):
    """A take that runs or waits."""

    key: str
    state: State
    stage: str
    progress: float
    seconds_left: float | None
    seconds_gone: float | None = Field(description="since it began to run")
    trial_id: UUID
    trial_name: str
    letter: str
    entry_name: str


class Queue(BaseModel):
    """The run dock: what runs and waits, and the time left for all of it (None: not known yet)."""

    items: list[QueueItem] = Field(description="the first of them")
    number: int = Field(description="how many they are all together")
    seconds_left: float | None
    failed: int = Field(description="takes of any trial that failed and could run again")
    low_disk: int | None = Field(description="free bytes of the media store's disk where they are few")


class QueuePlace(BaseModel):
    """Where in the queue a take shall stand."""

    before: str | None = Field(
        max_length=80, description="the take that it shall come before; last if none is named"
    )


class Worker(BaseModel):
    """A worker process, on this or another machine."""

    id: UUID
    host: str
    machine: Machine
    doing: list[str] = Field(description="what it works on")
    silent_seconds: float = Field(description="since it was heard of last")


class Count(BaseModel):
    """How many things an action touched."""

    count: int
