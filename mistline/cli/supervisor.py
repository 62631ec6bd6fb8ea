"""Start and watch everything one machine needs: database, web process, worker; stop it all cleanly."""

import contextlib
import logging
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import httpx

from mistline.errors import SetupError
from mistline.store import cluster, database, recipes
from mistline.store.settings import Settings
from mistline.work.queue import apply_schema, queue

__all__ = ["prepared_database", "run"]

log = logging.getLogger("mistline")
STOP_SECONDS = 8.0


@contextlib.contextmanager
def prepared_database(settings: Settings) -> Iterator[str]:
    """Give a migrated database: the one named in the environment, or a private cluster meanwhile."""
    private = settings.data / "postgres"
    url = settings.database_url or cluster.start(private)
    try:
        database.migrate(url)
        apply_schema(url)
        yield url
    finally:
        if not settings.database_url:
            cluster.stop(private)


def _check_port(host: str, port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError:
            raise SetupError(
                f"Port {port} is in use; stop what uses it or set MISTLINE_PORT to another."
            ) from None


class _Process:
    """A child that is started again when it ends by itself, a little later each time."""

    def __init__(self, name: str, command: list[str], environment: dict[str, str]) -> None:
        self.name, self.command, self.environment = name, command, environment
        self.failures, self.not_before = 0, 0.0
        self.start()

    def start(self) -> None:
        # A session of its own: Ctrl-C reaches the supervisor only, which then stops things in order.
        self.child = subprocess.Popen(self.command, env=self.environment, start_new_session=True)
        self.begun = time.monotonic()

    def tend(self) -> None:
        """Start it again if it ended."""
        if self.child.poll() is None or time.monotonic() < self.not_before:
            return
        self.failures = 0 if time.monotonic() - self.begun > 30 else self.failures + 1
        self.not_before = time.monotonic() + min(10, self.failures)
        log.warning("The %s ended with code %s; it is started again.", self.name, self.child.returncode)
        self.start()

    def stop(self) -> None:
        """End it, firmly if it does not listen."""
        if self.child.poll() is None:
            self.child.terminate()
            try:
                self.child.wait(STOP_SECONDS)
            except subprocess.TimeoutExpired:
                self.child.kill()
                self.child.wait()


def _await_answer(address: str, process: _Process) -> None:
    for _ in range(300):
        with contextlib.suppress(httpx.TransportError):
            if httpx.get(f"{address}/api/kinds").status_code == 200:
                return
        if process.child.poll() is not None:
            break
        time.sleep(0.1)
    raise SetupError("The web process did not start; its messages above say why.")


def run(settings: Settings, ready: Callable[[str], None]) -> None:
    """Run everything until Ctrl-C or SIGTERM; `ready(address)` is called once it answers."""
    if not (settings.web / "index.html").exists():
        raise SetupError("The web pages are not built; run `make demo` or `make start`, which builds them.")
    _check_port(settings.host, settings.port)
    for name in (signal.SIGINT, signal.SIGTERM):  # also when started in the background of a script
        signal.signal(name, signal.default_int_handler)
    with prepared_database(settings) as url:
        os.environ["MISTLINE_DATABASE_URL"] = url
        os.environ["MISTLINE_DATA"] = str(settings.data)
        with database.connect() as connection:
            recipes.seed(connection)
        environment = dict(os.environ)
        server = [
            sys.executable,
            "-m",
            "uvicorn",
            "--factory",
            "mistline.api.app:create_app",
            "--host",
            settings.host,
            "--port",
            str(settings.port),
            "--log-level",
            "warning",
            "--timeout-graceful-shutdown",
            "2",
        ]
        web = _Process("web process", server, environment)
        processes = [web, _Process("worker", [sys.executable, "-m", "mistline.work"], environment)]
        try:
            address = f"http://{settings.host}:{settings.port}"
            _await_answer(address, web)
            with queue().open():
                ready(address)
            while True:
                for process in processes:
                    process.tend()
                time.sleep(0.3)
        except KeyboardInterrupt:
            log.warning("Stopping.")
        finally:
            signal.signal(signal.SIGINT, signal.SIG_IGN)
            for process in reversed(processes):
                process.stop()


def default_data(name: str) -> Path:
    """Where a named set of data lies unless the environment says otherwise."""
    return Settings().data / name if "MISTLINE_DATA" not in os.environ else Settings().data
