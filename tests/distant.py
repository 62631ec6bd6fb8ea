"""What stands for other machines: a simulated S3 server, and a line to a server that can be cut."""

import contextlib
import os
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import TracebackType
from urllib.parse import parse_qsl, urlsplit

import s3fs

from mistline.store.files import Media, media_at
from mistline.store.settings import ROOT
from mistline.store.storage import OWNER
from tests.harness import free_port, until

BUCKET = "mistline"


@contextmanager
def served_objects() -> Iterator[str]:
    """A simulated S3 server with an empty bucket; the URL of the bucket as a media store."""
    port = free_port()
    server = subprocess.Popen(
        [sys.executable, "-m", "moto.server", "-H", "127.0.0.1", "-p", str(port)], stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL, env={**os.environ, "TEST_SERVER_MODE": "true"},
    )  # fmt: skip
    options = {"endpoint_url": f"http://127.0.0.1:{port}", "key": "invented", "secret": "invented"}

    def made() -> bool:
        with contextlib.suppress(Exception):
            s3fs.S3FileSystem(**options, skip_instance_cache=True).mkdir(BUCKET)
            return True
        return False

    try:
        until(made, what="the simulated S3 server's start")
        yield f"s3://{BUCKET}?" + "&".join(f"{name}={value}" for name, value in options.items())
    finally:
        server.terminate()
        server.wait()


def objects_of(url: str) -> list[str]:
    """Names of all objects of a bucket; not the mark of whose they are."""
    place, _, options = url.partition("?")
    fs = s3fs.S3FileSystem(**dict(parse_qsl(options)), use_listings_cache=False)
    return [name for name in fs.find(place.removeprefix("s3://")) if not name.endswith(OWNER)]


def store_at(url: str, beside: Path) -> Media:
    """A media store whose cache holds little."""
    return media_at(url, beside / "cache", cache_bytes=250_000)


class Line:
    """A port of this machine that leads to a server; while it is cut, what is sent is lost and nobody answers."""

    def __init__(self, url: str) -> None:
        to = urlsplit(url.partition("endpoint_url=")[2].partition("&")[0] or url)
        assert to.hostname and to.port
        self.to, self.port, self.whole = (to.hostname, to.port), free_port(), threading.Event()
        self.url = url.replace(f":{to.port}", f":{self.port}")
        self.ends: list[socket.socket] = []
        self.whole.set()

    def __enter__(self) -> "Line":
        self.listening = socket.create_server(("127.0.0.1", self.port), backlog=64)
        threading.Thread(target=self._accept, daemon=True).start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, where: TracebackType | None
    ) -> None:
        self.listening.close()
        self.cut()

    def cut(self) -> None:
        """Let nothing through, and end what is open."""
        self.whole.clear()
        for end in self.ends:
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
        self.ends.clear()

    def mend(self) -> None:
        """Let everything through again."""
        self.whole.set()

    def _accept(self) -> None:
        while True:
            try:
                near, _ = self.listening.accept()
            except OSError:
                return
            if not self.whole.is_set():
                near.close()
                continue
            try:
                far = socket.create_connection(self.to)
            except OSError:
                near.close()
                continue
            self.ends += [near, far]
            for one, other in ((near, far), (far, near)):
                threading.Thread(target=self._pass_on, args=(one, other), daemon=True).start()

    def _pass_on(self, one: socket.socket, other: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while some := one.recv(1 << 16):
                other.sendall(some)
        for end in (one, other):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)


class Machine:
    """Another machine: `mistline worker` with a data folder of its own, and lines to database and store that can be cut.

    Parameters
    ----------
    database_url, media_url : str
        What the main machine uses.
    """

    def __init__(self, name: str, folder: Path, database_url: str, media_url: str) -> None:
        self.database, self.store = Line(database_url), Line(media_url)
        self.folder = folder / name
        self.environment = {
            **os.environ, "MISTLINE_DATA": str(self.folder), "MISTLINE_DATABASE_URL": self.database.url,
            "MISTLINE_MEDIA_URL": self.store.url, "MISTLINE_MACHINE": name,
            "MISTLINE_TIMING_LANE": str(folder / f"{name}.lane"), "MISTLINE_STORE_PATIENCE": "3",
        }  # fmt: skip

    def start(self) -> None:
        """Join, or join again."""
        self.process = subprocess.Popen(
            [sys.executable, "-m", "mistline.cli", "worker"], cwd=ROOT, env=self.environment
        )

    def end(self, how: signal.Signals) -> None:
        """End it by a signal, and what it started with it."""
        self.process.send_signal(how)
        self.process.wait()

    def __enter__(self) -> "Machine":
        self.database.__enter__()
        self.store.__enter__()
        self.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, where: TracebackType | None
    ) -> None:
        self.end(signal.SIGTERM)
        self.database.__exit__(kind, error, where)
        self.store.__exit__(kind, error, where)
