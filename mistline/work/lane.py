"""Work that somebody waits for at a page: one at a time, the newest first, what is overtaken by many is let go."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from mistline.errors import Conflict

__all__ = ["Lane"]


class Lane:
    """A lane of one event loop.

    Parameters
    ----------
    most : int
        How many may wait; the one that has waited longest gives way to the next.
    """

    def __init__(self, most: int) -> None:
        self.most, self._busy = most, False
        self._waiting: list[asyncio.Future[None]] = []

    @asynccontextmanager
    async def turn(self) -> AsyncIterator[None]:
        """Wait for the lane and hold it.

        Raises
        ------
        Conflict
            If newer requests took the place.
        """
        if self._busy:
            place = asyncio.get_running_loop().create_future()
            self._waiting.append(place)
            if len(self._waiting) > self.most and not (oldest := self._waiting.pop(0)).done():
                oldest.set_exception(Conflict("Newer requests took this one's place; ask again."))
            try:
                await place
            except BaseException:
                if place in self._waiting:
                    self._waiting.remove(place)
                elif place.done() and not place.cancelled() and place.exception() is None:
                    self._pass_on()
                raise
        self._busy = True
        try:
            yield
        finally:
            self._pass_on()

    def _pass_on(self) -> None:
        while self._waiting:
            newest = self._waiting.pop()
            if not newest.done():  # it may have gone away in this very moment
                newest.set_result(None)
                return
        self._busy = False
