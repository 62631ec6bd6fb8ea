"""The worker process: a lane for takes, a lane for quick jobs, and care for what dead workers left."""

import asyncio
import contextlib
import logging
import signal

from mistline.core.timing.machine import this_machine
from mistline.store import speeds
from mistline.store.database import connect
from mistline.store.files import media
from mistline.work import errands
from mistline.work.queue import queue
from mistline.work.sandbox import warm_up
from mistline.work.storage import collect
from mistline.work.tasks import ERRANDS, LANES
from mistline.work.trials import purge_removed, requeue_adrift

__all__ = ["main"]

log = logging.getLogger("mistline.worker")
HEARTBEAT = 1.0
DEAD_AFTER = 4.0
COLLECT_EVERY = 3600.0
AT_ONCE = {ERRANDS: 4}  # these only wait for others


async def _recover() -> None:
    """Retry the jobs of workers whose heart stopped, and give jobs to what has none."""
    app = queue()
    while True:
        try:
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=DEAD_AFTER):
                log.warning("Job %s was left by a dead worker; it runs again.", job.id)
                await app.job_manager.retry_job(job)
            await asyncio.to_thread(requeue_adrift)
            await asyncio.to_thread(errands.requeue_adrift)
            await asyncio.to_thread(purge_removed)
            await asyncio.to_thread(media().sweep)
        except Exception:
            log.exception("The look for abandoned jobs failed; it is tried again.")
        await asyncio.sleep(2)


async def _tidy() -> None:
    """Collect what nothing needs, beside everything else: it may take long."""
    while True:
        try:
            await asyncio.to_thread(collect)
        except Exception:
            log.exception("What nothing needs could not be collected; it is tried again.")
        await asyncio.sleep(COLLECT_EVERY)


async def _work() -> None:
    with connect() as connection:
        speeds.seen(connection, this_machine())
    warm_up()
    app = queue()
    lanes = [
        app.run_worker_async(
            queues=[name],
            name=f"mistline-{name}",
            concurrency=AT_ONCE.get(name, 1),
            fetch_job_polling_interval=0.5,
            abort_job_polling_interval=0.3,
            shutdown_graceful_timeout=1,
            install_signal_handlers=False,
            update_heartbeat_interval=HEARTBEAT,
            stalled_worker_timeout=DEAD_AFTER,
            delete_jobs="successful",
        )
        for name in LANES
    ]
    async with app.open_async():
        jobs = [asyncio.create_task(lane) for lane in (*lanes, _recover(), _tidy())]
        loop = asyncio.get_running_loop()
        for name in (signal.SIGINT, signal.SIGTERM):
            loop.add_signal_handler(name, lambda: [job.cancel() for job in jobs])
        try:
            await asyncio.gather(*jobs)
        finally:
            for job in jobs:
                job.cancel()
            await asyncio.gather(*jobs, return_exceptions=True)


def main() -> None:
    """Run the worker until it is told to stop."""
    logging.basicConfig(level=logging.WARNING, format="worker: %(message)s")
    with contextlib.suppress(asyncio.CancelledError), queue().open():
        asyncio.run(_work())
