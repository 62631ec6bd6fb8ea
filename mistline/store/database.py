"""Connections, migrations and the named queries of the .sql files."""

import atexit
import re
from collections.abc import Iterator
from contextlib import closing, contextmanager
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

__all__ = ["LINE", "Connection", "Row", "alone", "check_shape", "connect", "json", "migrate", "one", "queries"]

Row = dict[str, Any]
Connection = psycopg.Connection[Row]
MIGRATING = 0x6D697374  # of the advisory lock
MIGRATIONS = Path(__file__).parent / "migrations"


# A line that is cut without a word is noticed within seconds.
LINE = {"connect_timeout": 5, "keepalives_idle": 5, "keepalives_interval": 2, "keepalives_count": 3,
        "tcp_user_timeout": 10_000}  # fmt: skip
RETRIED_WITHIN = 3.0  # seconds; a pool that goes on by itself waits twice as long each time


@lru_cache
def _pool(url: str) -> ConnectionPool[Connection]:
    pool = ConnectionPool(
        url, min_size=1, max_size=8, open=True, timeout=10, check=ConnectionPool.check_connection,
        connection_class=psycopg.Connection[Row], kwargs={"row_factory": dict_row, **LINE},
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


@contextmanager
def alone(connection: Connection, lock: int, *, wait: bool = True) -> Iterator[bool]:
    """Whether no other connection holds a lock, by its number, meanwhile; true once that is so if it waits."""
    how = "pg_advisory_lock" if wait else "pg_try_advisory_lock"
    row = one(connection.execute(f"select {how}(%s) as held", [lock]))
    held = wait or bool(row["held"])
    try:
        yield held
    finally:
        if held:
            connection.execute("select pg_advisory_unlock(%s)", [lock])


def migrate(url: str) -> None:
    """Bring the schema up to date; one process at a time, and a killed one leaves no lock."""
    with psycopg.connect(url, autocommit=True) as guard:
        guard.execute("select pg_advisory_lock(%s)", [MIGRATING])
        backend = yoyo.get_backend(re.sub(r"^postgres(ql)?://", "postgresql+psycopg://", url))
        with closing(backend.connection):
            backend.break_lock()
            with backend.lock():
                steps = backend.to_apply(yoyo.read_migrations(str(MIGRATIONS)))
                backend.apply_migrations(steps)


def check_shape(connection: Connection) -> None:
    """Refuse to work on a database that another version of Mistline has shaped, or none.

    Raises
    ------
    SetupError
        Where it is so.
    """
    there = connection.execute("select to_regclass('_yoyo_migration') as found").fetchone()
    rows = connection.execute("select migration_id from _yoyo_migration") if there and there["found"] else ()
    known = {path.stem for path in MIGRATIONS.glob("*.sql")}
    if {row["migration_id"] for row in rows} != known:
        raise SetupError(
            "The database is not shaped by this version of Mistline; use the version that the main machine runs, and "
            "start that one first."
        )


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
