"""Server-sent events: what the database announces (LISTEN), passed on to every browser."""

import asyncio
import contextlib
import json
import logging
from collections.abc import AsyncIterator, Iterator

import psycopg
from fastapi import APIRouter
from fastapi.sse import EventSourceResponse, ServerSentEvent

from mistline.store.settings import settings

__all__ = ["Announcer", "router"]

log = logging.getLogger("mistline.api")
QUIET_LIMIT = 15.0
EVERYTHING = {"table": "*", "key": ""}
NOTHING = {"table": "", "key": ""}


class Announcer:
    """Listens on one connection, counts the announcements and hands each to all who follow."""

    def __init__(self) -> None:
        self._followers: set[asyncio.Queue[dict[str, str]]] = set()
        self.heard = 0

    def _tell(self, event: dict[str, str]) -> None:
        self.heard += 1
        for follower in self._followers:
            follower.put_nowait(event)

    async def listen(self) -> None:
        """Listen for ever; after a lost connection tell everybody to look at everything again."""
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(
                    settings().database_url, autocommit=True, connect_timeout=5
                ) as connection:
                    await connection.execute("listen mistline")
                    self._tell(EVERYTHING)
                    async for notice in connection.notifies():
                        self._tell(json.loads(notice.payload))
            except psycopg.Error as error:
                log.warning("The database is away (%s); trying again.", error)
                await asyncio.sleep(1)

    @contextlib.contextmanager
    def follow(self) -> Iterator[asyncio.Queue[dict[str, str]]]:
        """Hear of everything while the block lasts."""
        follower: asyncio.Queue[dict[str, str]] = asyncio.Queue()
        self._followers.add(follower)
        try:
            yield follower
        finally:
            self._followers.discard(follower)


announcer = Announcer()
router = APIRouter(tags=["events"])


@router.get("/events", response_class=EventSourceResponse, operation_id="events")
async def events() -> AsyncIterator[ServerSentEvent]:
    """Announce each changed row as `{"table": ..., "key": ...}`; table "*": all may have changed.

    The first one tells how many changes were announced before. Every answer has that number, as it was when it was
    asked for, in its header `Mistline-Heard`: what was read at the same number is not stale. Where nothing changes, an
    event without a table says every 15 seconds that the line holds.
    """
    with announcer.follow() as follower:
        yield ServerSentEvent(data={**EVERYTHING, "heard": announcer.heard})
        while True:
            try:
                async with asyncio.timeout(QUIET_LIMIT):
                    event = await follower.get()
            except TimeoutError:
                yield ServerSentEvent(data=NOTHING)
                continue
            yield ServerSentEvent(data=event)
