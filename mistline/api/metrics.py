"""Figures of this installation in the Prometheus text format, for those who watch over it."""

import logging
import time
from collections.abc import Iterator

from fastapi import APIRouter, Response
from prometheus_client import CollectorRegistry, Histogram, generate_latest
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.exposition import CONTENT_TYPE_LATEST
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from mistline.store import counts
from mistline.store.database import connect
from mistline.store.files import media

__all__ = ["Timed", "router"]

log = logging.getLogger("mistline.web")
router = APIRouter(tags=["health"])
METHODS = {"DELETE", "GET", "HEAD", "OPTIONS", "PATCH", "POST", "PUT"}
REGISTRY = CollectorRegistry()
REQUESTS = Histogram(
    "mistline_request_seconds", "Time until an answer begins", ["method", "route", "status"], registry=REGISTRY,
    buckets=(0.01, 0.03, 0.1, 0.3, 1, 3, 10, 30),
)  # fmt: skip


class Timed:
    """ASGI middleware that times every request by its route, not by its address."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on and note when its answer begins."""
        if scope["type"] != "http":
            return await self.app(scope, receive, send)
        begun = time.perf_counter()

        async def noted(message: Message) -> None:
            if message["type"] == "http.response.start":
                route = getattr(scope.get("route"), "path", "none")
                status = f"{message['status'] // 100}xx"
                # Labels are for ever: few of them.
                method = scope["method"] if scope["method"] in METHODS else "other"
                took = time.perf_counter() - begun
                REQUESTS.labels(method, route, status).observe(took)
                log.info("asked", extra={"method": method, "path": scope["path"], "status": message["status"],
                                         "seconds": round(took, 4)})  # fmt: skip
            await send(message)

        await self.app(scope, receive, noted)


class _Now:
    """What the database and the media store tell at the moment of asking."""

    def collect(self) -> Iterator[Metric]:
        """The gauges."""
        free = media().free_bytes()
        if free is not None:
            yield GaugeMetricFamily("mistline_media_free_bytes", "Free on the disk of the media store", free)
        with connect() as connection:
            takes = GaugeMetricFamily("mistline_takes", "Takes by state", labels=["state"])
            for row in counts.takes(connection):
                takes.add_metric([row["state"]], row["number"])
            jobs = GaugeMetricFamily("mistline_jobs", "Jobs that wait or run", labels=["lane", "status"])
            for row in counts.jobs(connection):
                jobs.add_metric([row["queue"], row["status"]], row["number"])
            yield takes
            yield jobs
            yield GaugeMetricFamily("mistline_worker_lanes", "Lanes of live workers", counts.workers(connection))


REGISTRY.register(_Now())


@router.get("/metrics", operation_id="metrics", response_class=Response,
            responses={200: {"content": {"text/plain": {}}}})  # fmt: skip
def metrics() -> Response:
    """Takes, jobs, workers, free space and the times of requests; other machines need the key as bearer."""
    return Response(generate_latest(REGISTRY), media_type=CONTENT_TYPE_LATEST)
