"""Who may come in from another machine: who has the key, as a bearer or in a signed cookie. Loopback needs nothing."""

import asyncio
import hashlib
import hmac
import ipaddress
import time
from http.cookies import CookieError, SimpleCookie

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field
from starlette.datastructures import Headers
from starlette.types import Scope

from mistline.errors import Forbidden
from mistline.store.settings import settings

__all__ = ["WITHOUT_KEY", "is_loopback", "may_enter", "router"]

COOKIE, LIVES = "mistline", 30 * 24 * 3600
WITHOUT_KEY = {"/api/key", "/health/live", "/health/ready"}
FIRST_PAUSE, LONGEST_PAUSE, REMEMBERED = 0.25, 8.0, 600.0  # seconds

router = APIRouter(tags=["key"])
_wrong: dict[str, tuple[int, float]] = {}  # by address: wrong keys in a row, and when the last one came


def is_loopback(address: str) -> bool:
    """Whether an address or host name is this machine's own.

    >>> is_loopback("127.0.0.1"), is_loopback("::1"), is_loopback("localhost"), is_loopback("10.0.0.7")
    (True, True, True, False)
    """
    try:
        return ipaddress.ip_address(address).is_loopback
    except ValueError:
        return address == "localhost"


def _signed(issued: int, key: str) -> str:
    seal = hmac.new(key.encode(), f"mistline {issued}".encode(), hashlib.sha256).hexdigest()
    return f"{issued}.{seal}"


def _cookie_holds(value: str, key: str) -> bool:
    issued, _, _ = value.partition(".")
    if not issued.isascii() or not issued.isdigit() or len(issued) > 12:
        return False
    fresh = 0 <= time.time() - int(issued) < LIVES
    return fresh and hmac.compare_digest(value.encode(), _signed(int(issued), key).encode())


def _known(headers: Headers, key: str) -> bool:
    kind, _, given = headers.get("authorization", "").partition(" ")
    if kind.lower() == "bearer":
        return hmac.compare_digest(given.strip().encode(), key.encode())
    try:
        found = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
    except CookieError:
        return False
    return found is not None and _cookie_holds(found.value, key)


def may_enter(scope: Scope) -> bool:
    """Whether a request may have data: from this machine, or with the key; the pages themselves hold none."""
    address = (scope.get("client") or ("", 0))[0]
    path = scope["path"]
    if is_loopback(address) or path in WITHOUT_KEY or not path.startswith(("/api", "/health")):
        return True
    key = settings().key.get_secret_value()
    return bool(key) and _known(Headers(scope=scope), key)


class KeyGiven(BaseModel):
    """The key that somebody typed."""

    key: str = Field(max_length=400)


@router.post("/key", status_code=204, operation_id="giveKey")
async def give_key(given: KeyGiven, request: Request, response: Response) -> None:
    """Give the key once; a signed cookie keeps it for 30 days. Wrong keys are answered later and later."""
    key, address = settings().key.get_secret_value(), request.client.host if request.client else ""
    for other in [name for name, (_, when) in _wrong.items() if time.monotonic() - when > REMEMBERED]:
        del _wrong[other]
    count, _ = _wrong.get(address, (0, 0.0))
    if not key or not hmac.compare_digest(given.key.strip().encode(), key.encode()):
        _wrong[address] = (count + 1, time.monotonic())
        if not is_loopback(address):
            await asyncio.sleep(min(FIRST_PAUSE * 2**count, LONGEST_PAUSE))
        raise Forbidden("That is not the key; it was printed or set where Mistline was started.")
    _wrong.pop(address, None)
    response.set_cookie(
        COOKIE, _signed(int(time.time()), key), max_age=LIVES, httponly=True, samesite="strict",
        secure=request.url.scheme == "https",
    )  # fmt: skip
