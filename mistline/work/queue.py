"""The job queue: procrastinate on the application's own database.

Jobs are always put in by a thread, over connections of their own; only a worker's lanes take them out by an event loop.
One that puts jobs in through the loop's connections from another thread's loop may stop both for ever.
"""

from functools import lru_cache
from pathlib import Path
from typing import Any

import procrastinate
import psycopg

from mistline.store.database import LINE
from mistline.store.settings import settings
from mistline.work import tasks

__all__ = ["apply_schema", "queue", "taken_from"]

UPGRADING = 0x71756575  # of the advisory lock
MOST = len(tasks.LANES) + 4  # connections: each lane of a worker listens on one of its own


@lru_cache
def queue() -> procrastinate.App:
    """Return the queue of this process, with all tasks, for putting jobs in."""
    from mistline.work import errands, storage  # which use the use cases, and these the queue

    app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(**_line()))
    app.add_tasks_from(tasks.jobs, namespace="mistline")
    app.add_tasks_from(errands.jobs, namespace="mistline.errands")
    app.add_tasks_from(storage.jobs, namespace="mistline.storage")
    return app


def taken_from() -> procrastinate.App:
    """Return the same queue for a worker's lanes; what its tasks put in goes by `queue`."""
    return queue().with_connector(procrastinate.PsycopgConnector(**_line()))


def _line() -> dict[str, Any]:
    return {"conninfo": settings().database_url, "min_size": 1, "max_size": MOST, "kwargs": LINE}


def apply_schema(url: str) -> None:
    """Bring the queue's tables up to date: created once, then changed by the steps that came with a newer queue."""
    app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=url))
    steps = sorted(Path(app.schema_manager.get_migrations_path()).glob("*.sql"))
    with psycopg.connect(url) as connection, connection.transaction():
        connection.execute("select pg_advisory_xact_lock(%s)", [UPGRADING])
        there = connection.execute(
            "select to_regclass('procrastinate_jobs'), to_regclass('queue_steps')"
        ).fetchone()
        assert there is not None
        created, noted = there
        if not created:
            connection.execute(app.schema_manager.get_schema())
        connection.execute("create table if not exists queue_steps (name text primary key)")
        done = {row[0] for row in connection.execute("select name from queue_steps")}
        for step in steps:
            # A queue that was created just now, or before steps were noted, is as its library was at that time.
            if noted and step.name not in done:
                connection.execute(step.read_bytes())
            connection.execute("insert into queue_steps values (%s) on conflict do nothing", [step.name])
