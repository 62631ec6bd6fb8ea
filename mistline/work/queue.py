"""The job queue: procrastinate on the application's own database."""

from functools import lru_cache

import procrastinate
import psycopg

from mistline.store.database import LINE
from mistline.store.settings import settings
from mistline.work import tasks

__all__ = ["apply_schema", "queue"]


MOST = len(tasks.LANES) + 4  # connections: each lane of a worker listens on one of its own


@lru_cache
def queue() -> procrastinate.App:
    """Return the queue of this process, with all tasks."""
    from mistline.work import errands, storage  # which use the use cases, and these the queue

    connector = procrastinate.PsycopgConnector(
        conninfo=settings().database_url, min_size=1, max_size=MOST, kwargs=LINE
    )
    app = procrastinate.App(connector=connector)
    app.add_tasks_from(tasks.jobs, namespace="mistline")
    app.add_tasks_from(errands.jobs, namespace="mistline.errands")
    app.add_tasks_from(storage.jobs, namespace="mistline.storage")
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
