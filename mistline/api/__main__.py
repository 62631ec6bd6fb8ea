"""`python -m mistline.api` serves the application, with limits on slow and on many connections."""

import asyncio
import resource
from typing import Any

import uvicorn
from uvicorn.protocols.http.auto import AutoHTTPProtocol

from mistline.store.logs import start_logs
from mistline.store.settings import settings

HEAD_SECONDS = 20.0  # until the head of a request must be there
MOST_CONNECTIONS = 400


class Impatient(AutoHTTPProtocol):  # type: ignore[misc, valid-type]
    """Hangs up on who connects and never asks, or begins to ask, for the first time or again, and never ends."""

    _patience: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:
        """Start the clock of a new connection."""
        super().connection_made(transport)
        self._watch()

    def data_received(self, data: bytes) -> None:
        """Stop the clock once a request's head is whole; the first bytes of the next one start it again."""
        super().data_received(data)
        self._watch()

    def _watch(self) -> None:
        if self.cycle is not None and not self.cycle.response_complete:
            if self._patience:
                self._patience.cancel()
            self._patience = None
        elif self._patience is None:
            self._patience = self.loop.call_later(HEAD_SECONDS, self._hang_up)

    def _hang_up(self) -> None:
        if not self.transport.is_closing():
            self.transport.close()


def main(**more: Any) -> None:
    """Serve until told to stop; each file of an upload is an open file, and a sequence has thousands."""
    _, most_files = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (most_files, most_files))
    start_logs("web", "web: %(message)s")
    uvicorn.run(
        "mistline.api.app:create_app", factory=True, host=settings().host, port=settings().port, http=Impatient,
        limit_concurrency=MOST_CONNECTIONS, log_level="warning", log_config=None, timeout_graceful_shutdown=2, **more,
    )  # fmt: skip


if __name__ == "__main__":
    main()
