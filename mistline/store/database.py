"""Connections, migrations and the named queries of the .sql files."""

import atexit
import logging
import re
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import Any, LiteralString, cast

import psycopg
import yoyo
from psycopg.rows import dict_row
from psycopg.types.json import Jsonb
from psycopg_pool import ConnectionPool

from mistline.errors import SetupError
from mistline.store.settings import settings

__all__ = ["Connection", "Row", "connect", "json", "migrate", "one", "queries"]

Row = dict[str, Any]
Connection = psycopg.Connection[Row]
MIGRATING = 0x6D697374  # of the advisory lock


# Whoever uses the pool tells of a lost database once; the pool would tell of every attempt.
logging.getLogger("psycopg.pool").setLevel(logging.ERROR)

RETRIED_WITHIN = 3.0  # seconds; a pool that goes on by itself waits twice as long each time


@lru_cache
def _pool(url: str) -> ConnectionPool[Connection]:
    pool = ConnectionPool(
        url, min_size=1, max_size=8, open=True, timeout=10, check=ConnectionPool.check_connection,
        connection_class=psycopg.Connection[Row], kwargs={"row_factory": dict_row, "connect_timeout": 5},
        reconnect_timeout=RETRIED_WITHIN,
    )  # fmt: skip
    atexit.register(pool.close)
    return pool


@contextmanager
def connect() -> Iterator[Connection]:
    """Borrow a connection; commits when the block ends well, rolls back when it raises."""
    if not settings().database_url:
        raise SetupError(
            "No database: start Mistline by `make demo` or `make start`, or set MISTLINE_DATABASE_URL."
        )
    with _pool(settings().database_url).connection() as connection:
        yield connection


def migrate(url: str) -> None:
    """Bring the schema up to date; one process at a time, and a killed one leaves no lock."""
    with psycopg.connect(url, autocommit=True) as guard:
        guard.execute("select pg_advisory_lock(%s)", [MIGRATING])
        backend = yoyo.get_backend(re.sub(r"^postgres(ql)?://", "postgresql+psycopg://", url))
        backend.break_lock()
        with backend.lock():
            steps = backend.to_apply(yoyo.read_migrations(str(Path(__file__).parent / "migrations")))
            backend.apply_migrations(steps)


def json(value: object) -> Jsonb:
    """Wrap a value for a jsonb column."""
    return Jsonb(value)


def one(cursor: psycopg.Cursor[Row]) -> Row:
    """Return the row of a query that always has one."""
    row = cursor.fetchone()
    assert row is not None
    return row


def queries(name: str) -> dict[str, LiteralString]:
    """Load a file of named queries: `-- name: what it is called`, then SQL up to the next name."""
    text = files("mistline.store").joinpath("sql", f"{name}.sql").read_text()
    parts = re.split(r"^-- name: (\w+)\n", text, flags=re.MULTILINE)[1:]
    return cast(dict[str, LiteralString], dict(zip(parts[::2], parts[1::2], strict=True)))
