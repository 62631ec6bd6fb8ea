"""Start and watch everything one machine needs: database, web process, worker; stop it all cleanly."""

import contextlib
import ctypes
import fcntl
import logging
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import httpx
import psycopg

from mistline.api.key import is_loopback
from mistline.errors import MistlineError, SetupError
from mistline.store import cluster, database, recipes, storage
from mistline.store.files import media_at
from mistline.store.logs import start_logs
from mistline.store.settings import ROOT, Settings
from mistline.store.settings import settings as store_settings
from mistline.work.queue import apply_schema, queue

__all__ = ["default_data", "join", "run"]

log = logging.getLogger("mistline")
STOP_SECONDS = 8.0
LONGEST_PAUSE = 10.0  # seconds before something that keeps ending is started again


def _check_port(host: str, port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError:
            raise SetupError(
                f"Port {port} is in use; stop what uses it or set MISTLINE_PORT to another."
            ) from None


@contextlib.contextmanager
def _alone(settings: Settings) -> Iterator[None]:
    """Hold the folder for this process; the lock is the system's, so a killed process leaves none."""
    settings.data.mkdir(parents=True, exist_ok=True)
    settings.data.chmod(0o700)  # what is in it is nobody else's
    with (settings.data / "running.lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            lock.seek(0)
            raise SetupError(
                f"Mistline already runs on {settings.data} ({lock.read().strip() or 'another process'}); use that one, "
                "stop it, or set MISTLINE_DATA to another folder."
            ) from None
        lock.truncate(0)
        lock.write(f"process {os.getpid()}, http://{settings.host}:{settings.port}")
        lock.flush()
        yield


def _end_with_parent() -> None:
    """In a child: a killed supervisor leaves nothing behind."""
    ctypes.CDLL(None, use_errno=True).prctl(1, signal.SIGTERM)


class _Process:
    """A child that is started again when it ends by itself, a little later each time."""

    stop_signal = signal.SIGTERM

    def __init__(self, name: str, command: list[str], environment: dict[str, str]) -> None:
        self.name, self.command, self.environment = name, command, environment
        self.failures, self.not_before = 0, 0.0
        self.start()

    def start(self) -> None:
        # A session of its own: Ctrl-C reaches the supervisor only, which then stops things in order.
        self.child = subprocess.Popen(
            self.command, env=self.environment, start_new_session=True, preexec_fn=_end_with_parent
        )
        self.begun = time.monotonic()

    def tend(self) -> None:
        """Start it again if it ended."""
        if self.child.poll() is None or time.monotonic() < self.not_before:
            return
        self.failures = 0 if time.monotonic() - self.begun > 30 else self.failures + 1
        self.not_before = time.monotonic() + min(LONGEST_PAUSE, self.failures)
        log.warning("The %s ended with code %s; it is started again.", self.name, self.child.returncode)
        self.start()

    def stop(self) -> None:
        """End it, firmly if it does not listen."""
        if self.child.poll() is None:
            self.child.send_signal(self.stop_signal)
            try:
                self.child.wait(STOP_SECONDS)
            except subprocess.TimeoutExpired:
                self.child.kill()
                self.child.wait()


class _Database(_Process):
    """The private cluster; when its port was taken meanwhile it comes back at another."""

    stop_signal = signal.SIGINT

    def __init__(self, data: Path) -> None:
        self.data = data
        super().__init__("database", [], dict(os.environ))
        cluster.await_ready(data, self.port, self.child)

    @property
    def url(self) -> str:
        """Where it answers."""
        return cluster.url(self.data, self.port)

    def start(self) -> None:
        try:
            self.port = cluster.prepare(self.data)
            self.child = cluster.launch(self.data, self.port)
        except (OSError, SetupError) as error:  # no space for a log or a note of the port: later
            if not hasattr(self, "child"):
                raise
            log.warning("The database cannot be started yet: %s", error)
        self.begun = time.monotonic()


def _await_answer(address: str, tend: Callable[[], None], web: _Process) -> None:
    for _ in range(1200):
        with contextlib.suppress(httpx.TransportError):
            if httpx.get(f"{address}/api/kinds").status_code == 200:
                return
        tend()
        if web.failures > 3:
            break
        time.sleep(0.1)
    raise SetupError("The web process did not start; its messages above say why.")


def _ready_in_time(ready: Callable[[str], None], address: str) -> None:
    """Tell that it is open, beside the watching; what the database interrupts is tried again."""
    while True:
        try:
            with queue().open():
                ready(address)
            return
        except (psycopg.Error, MistlineError, OSError) as error:
            log.warning("Not everything could be put in yet (%s); it is tried again.", error)
            time.sleep(5)


def _prepare(url: str) -> None:
    """Schema and shipped recipes; what a lost connection interrupts is done by the next start."""
    try:
        database.migrate(url)
        apply_schema(url)
        with database.connect() as connection:
            recipes.seed(connection)
    except psycopg.OperationalError as error:
        raise SetupError(f"The database could not be prepared ({error}); look at it and start again.") from None


@contextlib.contextmanager
def _supervising(settings: Settings) -> Iterator[list[_Process]]:
    """Hold the data folder and log there; what is added to the list ends in order by Ctrl-C, SIGTERM or an error."""
    for name in (signal.SIGINT, signal.SIGTERM):  # also when started in the background of a script
        signal.signal(name, signal.default_int_handler)
    with _alone(settings):
        os.environ["MISTLINE_DATA"] = str(settings.data)
        store_settings.cache_clear()
        start_logs("main")
        processes: list[_Process] = []
        try:
            yield processes
        except KeyboardInterrupt:
            log.warning("Stopping.")
        finally:
            signal.signal(signal.SIGINT, signal.SIG_IGN)
            for process in reversed(processes):
                process.stop()


def run(settings: Settings, ready: Callable[[str], None], beside: Sequence[Sequence[str]] = ()) -> None:
    """Run everything until Ctrl-C or SIGTERM; `ready(address)` is called once it answers.

    `beside` are commands that run as long as everything does.
    """
    if not (settings.web / "index.html").exists():
        raise SetupError("The web pages are not built; run `make demo` or `make start`, which builds them.")
    if not is_loopback(settings.host) and not settings.key.get_secret_value():
        raise SetupError(
            f"Under {settings.host} others could reach Mistline, and it has no key; set MISTLINE_KEY to a long one, "
            "start with --make-key to have one made, or leave MISTLINE_HOST at 127.0.0.1."
        )
    with _supervising(settings) as processes:
        _check_port(settings.host, settings.port)
        _check_media(settings)
        _run(settings, ready, processes, beside)


def _run(
    settings: Settings,
    ready: Callable[[str], None],
    processes: list[_Process],
    beside: Sequence[Sequence[str]],
) -> None:
    private = None if settings.database_url else _Database(settings.data / "postgres")
    processes += [private] if private else []
    os.environ["MISTLINE_DATABASE_URL"] = private.url if private else settings.database_url
    os.environ["MISTLINE_HOST"], os.environ["MISTLINE_PORT"] = settings.host, str(settings.port)
    store_settings.cache_clear()
    _prepare(os.environ["MISTLINE_DATABASE_URL"])
    served = [
        _Process("worker", [sys.executable, "-m", "mistline.work"], dict(os.environ)),
        _Process("web process", [sys.executable, "-m", "mistline.api"], dict(os.environ)),
    ]
    processes += served
    at_root = {**os.environ, "PYTHONPATH": str(ROOT)}
    processes += [_Process("stand-in service", list(command), at_root) for command in beside]

    def tend() -> None:
        for process in processes:
            process.tend()
        if private and private.url != os.environ["MISTLINE_DATABASE_URL"]:
            os.environ["MISTLINE_DATABASE_URL"] = private.url
            store_settings.cache_clear()
            queue.cache_clear()
            for process in served:
                process.environment = dict(os.environ)
                process.stop()

    address = f"http://{settings.host}:{settings.port}"
    _await_answer(address, tend, served[-1])
    threading.Thread(target=_ready_in_time, args=(ready, address), daemon=True).start()
    while True:
        tend()
        time.sleep(0.3)


def join(settings: Settings) -> None:
    """Run a worker for the Mistline of another machine until Ctrl-C or SIGTERM.

    Raises
    ------
    SetupError
        If it is not told where database and media store are, or they are not there or do not belong together.
    """
    if not (settings.database_url and settings.media_url):
        raise SetupError(
            "A worker joins a Mistline of another machine; set MISTLINE_DATABASE_URL and MISTLINE_MEDIA_URL to what "
            "that one uses."
        )
    with _supervising(settings) as processes:
        _check_media(settings)
        _check_database()
        worker = _Process("worker", [sys.executable, "-m", "mistline.work", "--joined"], dict(os.environ))
        processes.append(worker)
        log.warning("This machine, %s, works for the others now  (Ctrl-C stops it)", settings.machine)
        while True:
            worker.tend()
            time.sleep(0.3)


def _check_database() -> None:
    try:
        with database.connect() as connection:
            database.check_shape(connection)
            if not storage.is_store_of(connection):
                raise SetupError(
                    "The media store is not the one that this database's pictures lie in; set MISTLINE_MEDIA_URL to "
                    "what the other machine uses."
                )
    except psycopg.OperationalError as error:
        raise SetupError(f"The database does not answer ({error}); check MISTLINE_DATABASE_URL.") from None


def _check_media(settings: Settings) -> None:
    if settings.media_url and not media_at(settings.media, settings.cache_folder, settings.cache_bytes).answers():
        place = settings.media_url.partition("?")[0]
        raise SetupError(
            f"The media store {place} does not answer, or there is no such bucket or folder; make it, or check "
            "MISTLINE_MEDIA_URL and the store's key."
        )


def default_data(name: str) -> Path:
    """Where a named set of data lies unless the environment says otherwise."""
    return Settings().data / name if "MISTLINE_DATA" not in os.environ else Settings().data
