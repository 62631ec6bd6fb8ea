"""Safety of every response: known hosts only, no writes from other sites, strict headers."""

import asyncio
import logging
import re
from collections.abc import Callable, Iterable

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from mistline.api.key import is_loopback, may_enter
from mistline.api.schemas import Problem
from mistline.errors import Forbidden, Locked

__all__ = ["PROBLEM_TYPE", "Guard", "problem_body"]

log = logging.getLogger("mistline.api")
PROBLEM_TYPE = "application/problem+json"
LOOPBACK = {"127.0.0.1", "localhost", "[::1]"}
MOST, MOST_OF_A_FILE = 1_000_000, 16_000_000_000  # bytes of a request
UPLOADS = re.compile(r"/api/(sources|sequences|models|trials/[^/]+/delivered)")
SLOWEST_PIECE = 60.0  # seconds until the next piece of a request must have come
FAILED = "Mistline itself failed; nothing is lost. The server's log says more."
READING = {"GET", "HEAD", "OPTIONS"}
HEADERS = {
    "Content-Security-Policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; "
        "img-src 'self' blob: data:; connect-src 'self'; base-uri 'none'; form-action 'none'; "
        "frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


def problem_body(status: int, title: str, detail: str) -> bytes:
    """Return the JSON of a problem document."""
    return Problem(title=title, status=status, detail=detail).model_dump_json().encode()


class Guard:
    """ASGI middleware around the whole application; `heard` counts the changes that were announced so far."""

    def __init__(self, app: ASGIApp, allowed_hosts: Iterable[str], heard: Callable[[], int]) -> None:
        self.app, self.hosts, self.heard = app, LOOPBACK | set(allowed_hosts), heard

    def _refusal(self, scope: Scope) -> str | None:
        headers = Headers(scope=scope)
        host = headers.get("host", "")
        name = re.sub(r":\d+$", "", host)
        from_here = is_loopback((scope.get("client") or ("", 0))[0])
        if name not in self.hosts or (name in LOOPBACK and not from_here):
            return "Mistline answers under its own address only; open it by the address it printed at the start."
        if scope["method"] in READING:
            return None
        origin, site = headers.get("origin"), headers.get("sec-fetch-site", "none")
        if site not in {"same-origin", "none"} or (
            origin is not None and re.sub(r"^https?://", "", origin) != host
        ):
            return "A page of another site tried to change something here; use Mistline's own pages."
        return None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Refuse what is foreign, add the headers to everything else."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        most = MOST_OF_A_FILE if UPLOADS.fullmatch(scope["path"]) else MOST
        begun, complete, taken = False, False, 0
        heard = str(self.heard())  # before anything is read for the answer

        async def with_headers(message: Message) -> None:
            nonlocal begun
            if message["type"] == "http.response.start":
                begun = True
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
                headers["Mistline-Heard"] = heard
            await send(message)

        async def answer(status: int, title: str, detail: str) -> None:
            headers = [(b"content-type", PROBLEM_TYPE.encode()), (b"connection", b"close")]
            await with_headers({"type": "http.response.start", "status": status, "headers": headers})
            await send({"type": "http.response.body", "body": problem_body(status, title, detail)})

        async def in_measure() -> Message:
            """What the browser sends, as long as it is not too slow and not too much."""
            nonlocal taken, complete
            if complete:
                return await receive()
            try:
                async with asyncio.timeout(SLOWEST_PIECE):
                    message = await receive()
            except TimeoutError:
                raise HTTPException(
                    408, f"Nothing arrived for {SLOWEST_PIECE:.0f} s; send the request again"
                ) from None
            taken += len(message.get("body", b""))
            complete = not message.get("more_body", False)
            if taken > most:
                raise HTTPException(413, f"A request may have {most / 1e6:g} MB here, and this one has more")
            return message

        refusal = self._refusal(scope)
        if refusal is not None:
            await answer(Forbidden.status, Forbidden.title, refusal)
            return
        if not may_enter(scope):
            await answer(
                Locked.status, Locked.title, "This Mistline asks for its key; open its first page to give it."
            )
            return
        try:
            await self.app(scope, in_measure, with_headers)
        except Exception:
            log.exception("%s %s failed", scope["method"], scope["path"])
            if begun:
                raise
            await answer(500, "Mistline failed", FAILED)
