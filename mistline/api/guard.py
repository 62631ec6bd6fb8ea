"""Safety of every response: known hosts only, no writes from other sites, strict headers."""

import re
from collections.abc import Iterable

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from mistline.api.schemas import Problem
from mistline.errors import Forbidden

__all__ = ["PROBLEM_TYPE", "Guard", "problem_body"]

PROBLEM_TYPE = "application/problem+json"
LOOPBACK = {"127.0.0.1", "localhost", "[::1]"}
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
    """ASGI middleware around the whole application."""

    def __init__(self, app: ASGIApp, allowed_hosts: Iterable[str]) -> None:
        self.app, self.hosts = app, LOOPBACK | set(allowed_hosts)

    def _refusal(self, scope: Scope) -> str | None:
        headers = Headers(scope=scope)
        host = headers.get("host", "")
        if re.sub(r":\d+$", "", host) not in self.hosts:
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

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
            await send(message)

        refusal = self._refusal(scope)
        if refusal is None:
            await self.app(scope, receive, with_headers)
            return
        body = problem_body(Forbidden.status, Forbidden.title, refusal)
        start = {
            "type": "http.response.start",
            "status": Forbidden.status,
            "headers": [(b"content-type", PROBLEM_TYPE.encode())],
        }
        await with_headers(start)
        await send({"type": "http.response.body", "body": body})
