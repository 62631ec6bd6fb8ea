"""A whole Mistline for a test: database, web process and worker, on free ports and in throw-away folders."""

import contextlib
import os
import signal
import socket
import time
import uuid
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

import httpx
import psutil
import psycopg
from pydantic import BaseModel

from mistline.store import database, recipes
from mistline.work.queue import apply_schema
from tests import forking

CHROMIUM = "/usr/bin/chromium-headless-shell"  # of the Debian package of that name, see scripts/setup
PATIENCE = float(
    os.environ.get("MISTLINE_PATIENCE", "240")
)  # seconds until a test gives up, however slow the machine


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def until(check: Callable[[], object], seconds: float = PATIENCE, what: str = "it") -> object:
    """Wait for something to become true; return it."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        found = check()
        if found:
            return found
        time.sleep(0.1)
    raise AssertionError(f"{what} did not happen within {seconds} s")


def ended(process: psutil.Process) -> bool:
    """Whether a process runs no more, waited for or not."""
    try:
        return not process.is_running() or process.status() == psutil.STATUS_ZOMBIE
    except psutil.NoSuchProcess:  # it went between the two questions
        return True


def children(pid: int, word: str) -> list[psutil.Process]:
    """The running children of a process that have a word in their name or command line."""
    found = []
    for child in psutil.Process(pid).children():
        with contextlib.suppress(psutil.NoSuchProcess):
            found += [child] if word in " ".join([child.name(), *child.cmdline()]) else []
    return found


def jobs_of(pid: int) -> list[psutil.Process]:
    """The processes of the jobs that a process runs, forked from its fork server."""
    return [job for server in children(pid, "forkserver") for job in server.children()]


KEY = "a-long-key-for-this-test"


@dataclass
class Running:
    """Addresses and processes of one Mistline, and shortcuts for what tests ask of it."""

    address: str
    environment: dict[str, str]
    media: Path
    server: psutil.Process = field(init=False)
    worker: psutil.Process = field(init=False)
    http: httpx.Client = field(init=False)

    def describe(self, connector: BaseModel) -> None:
        """Put the description of a service where this Mistline looks for them."""
        folder = Path(self.environment["MISTLINE_CONNECTORS"])
        folder.mkdir(exist_ok=True)
        (folder / "service.json").write_text(connector.model_dump_json())

    def __post_init__(self) -> None:
        self.http = httpx.Client(base_url=self.address, timeout=PATIENCE)

    def start_worker(self) -> None:
        self.worker = forking.start("mistline.work", self.environment)

    def kill_worker(self) -> None:
        self.worker.send_signal(signal.SIGKILL)
        self.worker.wait()

    def start_server(self) -> None:
        """Start the web process and wait until it answers."""
        self.server = forking.start("mistline.api", self.environment)

        def answers() -> bool:
            with contextlib.suppress(httpx.TransportError):
                return self.http.get("/api/kinds").status_code == 200
            return False

        until(answers, what="the web process' start")

    def kill_server(self) -> None:
        self.server.send_signal(signal.SIGKILL)
        self.server.wait()

    def upload(self, name: str, content: bytes) -> dict:
        answer = self.http.post("/api/sources", files={"file": (name, content)})
        assert answer.status_code == 201, answer.text
        return answer.json()["source"]

    def read(self, name: str, content: bytes) -> dict:
        """Upload and wait until it is read, or has failed."""
        return self.settled(self.upload(name, content))

    def settled(self, source: dict) -> dict:
        """Wait until a source is read, or has failed."""

        def state() -> dict | None:
            now = self.http.get(f"/api/sources/{source['id']}").json()
            return now if now["state"] in ("ready", "failed") else None

        return until(state, what=f"reading {source['name']}")

    def recipe_ids(self, *names: str) -> list[str]:
        every = {recipe["name"]: recipe["id"] for recipe in self.http.get("/api/recipes").json()}
        return [every[name] for name in names]

    def slow_recipe(self) -> str:
        """The name of a recipe that takes seconds on a small picture, which is measured in no time."""
        passes = [{"method": "non_local_means", "settings": {"luma": 20, "colour": 20}}] * 4
        recipe = {"name": "Slow", "passes": [*passes, {"method": "lanczos"}]}
        answer = self.http.post("/api/recipes", json=recipe)
        assert answer.status_code in (201, 409), answer.text
        return recipe["name"]

    def start_trial(self, source: str, *names: str, factor: float = 4, **setup: object) -> str:
        ids = self.recipe_ids(*names)
        body = {"source_id": source, "setup": {"factor": factor, **setup}, "recipe_ids": ids}
        answer = self.http.post("/api/trials", json=body)
        assert answer.status_code == 201, answer.text
        return answer.json()["id"]

    def trial(self, key: str) -> dict:
        return self.http.get(f"/api/trials/{key}").json()

    def finished(self, key: str, seconds: float = PATIENCE) -> dict:
        def over() -> dict | None:
            now = self.trial(key)
            return now if all(entry["state"] not in ("waiting", "running") for entry in now["entries"]) else None

        return until(over, seconds, "the trial's end")


@contextlib.contextmanager
def running(cluster_url: str, folder: Path) -> Iterator[Running]:
    """Start Mistline on a fresh database of the cluster."""
    with served(fresh_database(cluster_url, shaped(cluster_url)), folder) as app:
        yield app


def fresh_database(cluster_url: str, like: str = "template1") -> str:
    """The address of a new database of the cluster, empty or like another."""
    name = f"t{uuid.uuid4().hex[:12]}"
    with psycopg.connect(cluster_url, autocommit=True) as connection:
        connection.execute(f"create database {name} template {like}")  # type: ignore[call-overload]
    return cluster_url.rsplit("/", 1)[0] + f"/{name}"


@cache
def shaped(cluster_url: str) -> str:
    """The name of a database with all tables and the shipped recipes, to be copied."""
    url = fresh_database(cluster_url)
    name = url.rsplit("/", 1)[1]
    database.migrate(url)
    apply_schema(url)
    with psycopg.connect(url, row_factory=psycopg.rows.dict_row) as connection:
        recipes.seed(connection)
    with psycopg.connect(cluster_url, autocommit=True) as connection:
        here = "select 1 from pg_stat_activity where datname = %s"
        until(lambda: not connection.execute(here, [name]).fetchone(), what="the end of all connections to it")
    return name


@contextlib.contextmanager
def served(url: str, folder: Path, media_url: str = "") -> Iterator[Running]:
    """Start Mistline on a shaped database, with its notes and, if no other is named, its media store in a folder."""
    port = free_port()
    media = folder / "media"
    environment = {**os.environ, "MISTLINE_DATABASE_URL": url, "MISTLINE_MEDIA_URL": media_url or media.as_uri()}
    environment["MISTLINE_TIMING_LANE"] = str(folder / "lane")  # tests at once do not wait for each other
    environment["MISTLINE_PORT"] = str(port)
    environment["MISTLINE_DATA"] = str(folder)
    environment["MISTLINE_CONNECTORS"] = str(folder / "connectors")
    app = Running(f"http://127.0.0.1:{port}", environment, media)
    app.start_worker()
    try:
        app.start_server()
        yield app
    finally:
        app.http.close()
        for process in (app.worker, app.server):
            with contextlib.suppress(psutil.NoSuchProcess):  # a test has ended it
                process.terminate()
        for process in (app.worker, app.server):
            try:
                process.wait(10)
            except psutil.TimeoutExpired:
                process.kill()
                process.wait()
