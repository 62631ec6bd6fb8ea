"""The web application: routers, errors as problem documents, the built pages."""

import asyncio
import contextlib
from collections.abc import AsyncIterator
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
from starlette.exceptions import HTTPException

from mistline import __version__
from mistline.api import events, recipes, schemas, shelf, trials
from mistline.api.guard import PROBLEM_TYPE, Guard, problem_body
from mistline.errors import MistlineError, NotFound
from mistline.store.settings import settings
from mistline.work.queue import queue
from mistline.work.sandbox import warm_up

__all__ = ["create_app"]


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
    sentence = "There is nothing at this address." if error.status_code == 404 else str(error.detail)
    return _problem(error.status_code, str(error.detail), sentence)


async def _database_error(request: Request, error: Exception) -> Response:
    return _problem(503, "The database is away", "The database does not answer; nothing is lost, try again soon.")


async def _integrity_error(request: Request, error: Exception) -> Response:
    return _problem(
        422, "The request is not right", "The request names a kind or another thing that is not there."
    )


async def _any_error(request: Request, error: Exception) -> Response:
    return _problem(500, "Mistline failed", "Mistline itself failed; nothing is lost. The server's log says more.")


@contextlib.asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    warm_up()
    with queue().open():
        listening = asyncio.create_task(events.announcer.listen())
        try:
            yield
        finally:
            listening.cancel()


def _pages(app: FastAPI, web: Path) -> None:
    """Serve the built application; every address that is not the API's is a page of it."""
    if not (web / "index.html").exists():
        return
    app.mount("/assets", StaticFiles(directory=web / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        if path.startswith("api/"):
            raise NotFound("There is nothing at this address.")
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
    for router in (shelf.router, recipes.router, trials.router, events.router):
        api.include_router(router)
    app.include_router(api)
    for kind, handler in (
        (MistlineError, _mistline_error),
        (RequestValidationError, _validation_error),
        (HTTPException, _http_error),
        (psycopg.OperationalError, _database_error),
        (psycopg_pool.PoolTimeout, _database_error),
        (psycopg.IntegrityError, _integrity_error),
        (Exception, _any_error),
    ):
        app.add_exception_handler(kind, handler)
    app.add_middleware(Guard, allowed_hosts=settings().allowed_hosts)
    _pages(app, settings().web)
    app.openapi = lambda: _description(app)  # type: ignore[method-assign]
    return app
