"""The web application: routers, errors as problem documents, the built pages."""

import asyncio
import contextlib
import errno
import functools
import logging
import mimetypes
import os
import re
from collections.abc import AsyncIterator
from http import HTTPStatus
from pathlib import Path
from typing import Any

import psycopg
import psycopg_pool
from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.openapi.utils import get_openapi
from fastapi.responses import FileResponse
from fastapi.routing import APIRouter
from fastapi.staticfiles import StaticFiles
from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.types import Scope

from mistline import __version__
from mistline.api import (
    delivering,
    errands,
    events,
    fingerprints,
    health,
    iiif,
    key,
    looking,
    metrics,
    prices,
    recipes,
    schemas,
    shelf,
    standing_in,
    storage,
    trials,
)
from mistline.api.guard import PROBLEM_TYPE, Guard, problem_body
from mistline.errors import MistlineError
from mistline.store.settings import settings
from mistline.work.queue import queue
from mistline.work.sandbox import warm_up

__all__ = ["create_app"]

log = logging.getLogger("mistline.api")


def _problem(status: int, title: str, detail: str) -> Response:
    return Response(problem_body(status, title, detail), status_code=status, media_type=PROBLEM_TYPE)


async def _mistline_error(request: Request, error: Exception) -> Response:
    assert isinstance(error, MistlineError)
    return _problem(error.status, error.title, str(error))


async def _validation_error(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    field = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
    return _problem(422, "The request is not right", f"{field or 'The request'}: {first['msg']}.")


async def _http_error(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    if isinstance(error.__cause__, OSError):  # while an upload was taken in
        return await _system_error(request, error.__cause__)
    if error.status_code == 405:
        return _not_allowed(request)
    sentence = "There is nothing at this address." if error.status_code == 404 else f"{error.detail}."
    return _problem(error.status_code, HTTPStatus(error.status_code).phrase, sentence)


def _not_allowed(request: Request) -> Response:
    """Say what is allowed at an address."""
    names = ", ".join(_possible(request)) or "GET"
    answer = _problem(405, "Method Not Allowed", f"{request.method} is not possible here; possible: {names}.")
    answer.headers["Allow"] = names
    return answer


def _possible(request: Request) -> list[str]:
    """The methods that the address of a request knows."""
    return sorted(
        method.upper()
        for template, operations in request.app.openapi()["paths"].items()
        if re.fullmatch(re.sub(r"\{\w+\}", "[^/]+", template), request.url.path)
        for method in operations
    )


async def _system_error(request: Request, error: Exception) -> Response:
    """What the system refused; a full disk is said."""
    assert isinstance(error, OSError)
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return _problem(
            507, "No space", "The disk is full; nothing was kept of this. Free some space and try again."
        )
    if error.errno == errno.EHOSTUNREACH:
        return _problem(503, "The media store is away", "The media store does not answer; try again in a moment.")
    log.error("%s %s", request.method, request.url.path, exc_info=error)
    reason = error.strerror or "no reason given"
    return _problem(500, "The system refused", f"The media store could not be used ({reason}); check its disk.")


async def _data_error(request: Request, error: Exception) -> Response:
    return _problem(
        422, "The request is not right", "The request holds a character or a number that cannot be stored."
    )


async def _database_error(request: Request, error: Exception) -> Response:
    if isinstance(error, psycopg.errors.DiskFull):
        return _problem(507, "No space", "The database's disk is full; free some space and try again.")
    return _problem(503, "The database is away", "The database does not answer; nothing is lost, try again soon.")


async def _integrity_error(request: Request, error: Exception) -> Response:
    return _problem(
        422, "The request is not right", "The request names a kind or another thing that is not there."
    )


@contextlib.asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    warm_up()
    with queue().open():
        listening = asyncio.create_task(events.announcer.listen())
        try:
            yield
        finally:
            listening.cancel()


class Assets(StaticFiles):
    """Scripts, styles and fonts, whose names change with their content; compressed where the build left them so."""

    def file_response(
        self, full_path: str | os.PathLike[str], stat_result: os.stat_result, scope: Scope, status_code: int = 200
    ) -> Response:
        """A file for ever, as its compressed twin where there is one and the browser takes it."""
        packed = Path(f"{os.fspath(full_path)}.gz")
        headers = {"Cache-Control": "public, max-age=31536000, immutable", "Vary": "Accept-Encoding"}
        if "gzip" not in Headers(scope=scope).get("accept-encoding", "") or not packed.exists():
            response = super().file_response(full_path, stat_result, scope, status_code)
            response.headers.update(headers)
            return response
        kind, _ = mimetypes.guess_type(full_path)
        return FileResponse(packed, status_code, {**headers, "Content-Encoding": "gzip"}, media_type=kind)


def _pages(app: FastAPI, web: Path) -> None:
    """Serve the built application; every address that is not the API's is a page of it."""
    if not (web / "index.html").exists():
        return
    app.mount("/assets", Assets(directory=web / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(request: Request, path: str) -> FileResponse:
        if path.startswith("api/"):
            raise HTTPException(405 if _possible(request) else 404)
        return FileResponse(web / "index.html", headers={"Cache-Control": "no-cache"})


def _description(app: FastAPI) -> dict[str, Any]:
    """The OpenAPI document; every operation says that its errors are problem documents."""
    document = get_openapi(title=app.title, version=app.version, routes=app.routes)
    document["components"]["schemas"]["Problem"] = schemas.Problem.model_json_schema()
    problem = {"schema": {"$ref": "#/components/schemas/Problem"}}
    for path in document["paths"].values():
        for operation in path.values():
            operation["responses"].pop("422", None)
            operation["responses"]["default"] = {
                "description": "What went wrong, in a sentence",
                "content": {PROBLEM_TYPE: problem},
            }
    return document


def create_app() -> FastAPI:
    """Build the application."""
    app = FastAPI(
        title="Mistline",
        version=__version__,
        lifespan=_lifespan,
        openapi_url="/api/openapi.json",
        docs_url=None,
        redoc_url=None,
    )
    api = APIRouter(prefix="/api")
    for router in (
        shelf.router,
        recipes.router,
        fingerprints.router,
        trials.router,
        delivering.router,
        standing_in.router,
        prices.router,
        storage.router,
        errands.router,
        key.router,
        looking.router,
        metrics.router,
        iiif.router,
        events.router,
    ):
        api.include_router(router)
    app.include_router(api)
    app.include_router(health.router)
    for kind, handler in (
        (MistlineError, _mistline_error),
        (RequestValidationError, _validation_error),
        (HTTPException, _http_error),
        (psycopg.OperationalError, _database_error),
        (psycopg.InterfaceError, _database_error),
        (psycopg_pool.PoolTimeout, _database_error),
        (psycopg.IntegrityError, _integrity_error),
        (psycopg.DataError, _data_error),
        (UnicodeError, _data_error),
        (OSError, _system_error),
    ):
        app.add_exception_handler(kind, handler)
    app.add_middleware(Guard, allowed_hosts=settings().allowed_hosts, heard=lambda: events.announcer.heard)
    app.add_middleware(metrics.Timed)
    _pages(app, settings().web)
    app.openapi = functools.cache(lambda: _description(app))  # type: ignore[method-assign]
    return app
