"""The job queue: procrastinate on the application's own database."""

from functools import lru_cache

import procrastinate
import psycopg

from mistline.store.settings import settings
from mistline.work import tasks

__all__ = ["apply_schema", "queue"]


@lru_cache
def queue() -> procrastinate.App:
    """Return the queue of this process, with all tasks."""
    connector = procrastinate.PsycopgConnector(conninfo=settings().database_url, min_size=1, max_size=4)
    app = procrastinate.App(connector=connector)
    app.add_tasks_from(tasks.jobs, namespace="mistline")
    return app


def apply_schema(url: str) -> None:
    """Create the queue's tables once."""
    with psycopg.connect(url) as connection:
        row = connection.execute("select to_regclass('procrastinate_jobs')").fetchone()
        if row and row[0] is not None:
            return
    app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=url))
    with app.open():
        app.schema_manager.apply_schema()
