"""The worker process: a lane for takes, a lane for quick jobs, and care for what dead workers left."""

import asyncio
import contextlib
import logging
import signal
import sys
import uuid
from collections.abc import AsyncIterator, Sequence
from concurrent.futures import ThreadPoolExecutor

import psycopg
from procrastinate.exceptions import ConnectorException
from procrastinate.manager import JobManager

from mistline.core.timing.machine import this_machine
from mistline.errors import SetupError
from mistline.store import database, workers
from mistline.store.database import connect
from mistline.store.files import media
from mistline.store.logs import start_logs
from mistline.store.settings import settings
from mistline.work import errands
from mistline.work.confine import not_possible
from mistline.work.queue import queue, taken_from
from mistline.work.sandbox import at_work, noted, warm_up
from mistline.work.storage import collect
from mistline.work.tasks import ERRANDS, LANES
from mistline.work.trials import purge_removed, requeue_adrift

__all__ = ["main"]

log = logging.getLogger("mistline.worker")
HEARTBEAT = 1.0
DEAD_AFTER = 4.0
BEAT_EVERY = 1.5
THREADS = 32  # which mostly wait for the database or the media store
RECOVERING = 0x72656376  # of the advisory lock
COLLECT_EVERY = 3600.0
AT_ONCE = {ERRANDS: 4}  # these only wait for others


async def _recover(jobs: JobManager) -> None:
    """Retry the jobs of workers whose heart stopped, and give jobs to what has none; one worker at a time does."""
    while True:
        try:
            await asyncio.to_thread(media().sweep)
            async with _in_turn() as mine:
                if mine:
                    await _recover_once(jobs)
        except (psycopg.Error, ConnectorException) as error:
            log.warning("The database does not answer (%s); it is asked again.", str(error).splitlines()[0])
        except Exception:
            log.exception("The look for abandoned jobs failed; it is tried again.")
        await asyncio.sleep(2)


async def _recover_once(jobs: JobManager) -> None:
    for job in await jobs.get_stalled_jobs(seconds_since_heartbeat=DEAD_AFTER):
        log.warning("Job %s was left by a dead worker; it runs again.", job.id)
        await jobs.retry_job(job)
    for step in (requeue_adrift, errands.requeue_adrift, purge_removed, _forget):
        await asyncio.to_thread(step)


@contextlib.asynccontextmanager
async def _in_turn() -> AsyncIterator[bool]:
    """Whether this worker is the one that recovers: a lock of the database, which a dead one does not keep."""
    with contextlib.ExitStack() as stack:
        guard = await asyncio.to_thread(stack.enter_context, connect())
        yield await asyncio.to_thread(stack.enter_context, database.alone(guard, RECOVERING, wait=False))


def _forget() -> None:
    with connect() as connection:
        workers.forget(connection)


class _Heart:
    """Tells the database where this worker is and what it does."""

    def __init__(self, lanes: Sequence[str]) -> None:
        self.id, self.lanes, self.machine = str(uuid.uuid4()), lanes, this_machine()

    def beat(self) -> None:
        """Tell once; refuse to go on where another version has shaped the database."""
        with connect() as connection:
            database.check_shape(connection)
            workers.tell(connection, self.id, settings().machine, self.machine, self.lanes, at_work())

    async def keep_beating(self) -> None:
        """Tell until cancelled."""
        while True:
            await asyncio.sleep(BEAT_EVERY)
            with contextlib.suppress(psycopg.Error):  # it comes back by itself, or the work tells
                await asyncio.to_thread(self.beat)

    def stop(self) -> None:
        """Say that it goes."""
        with contextlib.suppress(psycopg.Error), connect() as connection:
            workers.leave(connection, self.id)


async def _watch_store() -> None:
    """End once the media store was asked in vain: what was begun goes to others until it is back."""
    while not media().lost:
        await asyncio.sleep(1)
    raise SetupError("The media store does not answer; this worker takes no work until it is back.")


async def _tidy() -> None:
    """Collect what nothing needs, beside everything else: it may take long."""
    while True:
        try:
            await asyncio.to_thread(collect)
        except Exception:
            log.exception("What nothing needs could not be collected; it is tried again.")
        await asyncio.sleep(COLLECT_EVERY)


async def _work(names: Sequence[str]) -> None:
    asyncio.get_running_loop().set_default_executor(ThreadPoolExecutor(THREADS))
    heart = _Heart(names)
    heart.beat()
    beating = asyncio.create_task(heart.keep_beating())
    with noted("the way to the media store, which does not answer"):
        while not await asyncio.to_thread(media().answers):
            await asyncio.sleep(1)
    for what in not_possible():
        log.warning("Children that read foreign files cannot be held to %s on this system.", what)
    warm_up()
    app = taken_from()
    lanes = [
        app.run_worker_async(
            queues=[name],
            name=f"mistline-{name}",
            concurrency=AT_ONCE.get(name, 1),
            fetch_job_polling_interval=3,  # beside being told at once
            abort_job_polling_interval=3,
            shutdown_graceful_timeout=1,
            install_signal_handlers=False,
            update_heartbeat_interval=HEARTBEAT,
            stalled_worker_timeout=DEAD_AFTER,
            delete_jobs="successful",
        )
        for name in names
    ]
    async with app.open_async():
        jobs = [
            asyncio.create_task(lane) for lane in (*lanes, _recover(app.job_manager), _tidy(), _watch_store())
        ] + [beating]
        loop = asyncio.get_running_loop()
        for name in (signal.SIGINT, signal.SIGTERM):
            loop.add_signal_handler(name, lambda: [job.cancel() for job in jobs])
        try:
            await asyncio.gather(*jobs)
        finally:
            for job in jobs:
                job.cancel()
            await asyncio.gather(*jobs, return_exceptions=True)
            heart.stop()


def main(*, joined: bool = False) -> None:
    """Run the worker until it is told to stop; one that `joined` leaves remote services to the main machine."""
    start_logs("worker", "worker: %(message)s")
    media().patience = settings().store_patience
    names = [name for name in LANES if name != ERRANDS] if joined else LANES
    try:
        with contextlib.suppress(asyncio.CancelledError), queue().open():
            asyncio.run(_work(names))
    except SetupError as error:
        log.error("%s", error)
        sys.exit(1)
