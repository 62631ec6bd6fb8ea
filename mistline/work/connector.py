"""A remote service by its description: what it can do and asks, and how an input is sent and its result fetched.

A still goes as a PNG, a clip as a ZIP archive of its frames; so does what comes back.

A description is a small JSON file in the folder of connectors (`MISTLINE_CONNECTORS`); nothing in it is secret. A key
for the service is read from the environment variable that it names, and is never stored, logged or given out.
"""

import json
import logging
import os
import time
from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import httpx
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from mistline.errors import MistlineError, NotFound, OutOfLimits, ProcessingFailed
from mistline.store.settings import settings

__all__ = ["Carried", "Connector", "GivenUp", "Stopped", "carry_out", "connector_of", "connectors"]

log = logging.getLogger("mistline.work")
LARGEST_RESULT, PART = 2**36, 2**20  # bytes
TYPES = {".png": "image/png", ".zip": "application/zip"}
Sent = tuple[str, Path]
FIRST_PAUSE, LONGEST_PAUSE = 0.2, 20.0
Stage = Literal["uploading", "queued", "processing", "downloading"]
Report = Callable[[Stage, float, str | None, float | None], None]  # stage, share done, the job's id there, its fee


class Stopped(MistlineError):
    """Somebody cancelled it."""


class GivenUp(ProcessingFailed):
    """The service itself failed with the job; another one may succeed."""


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Fee(_Part):
    """What a result costs."""

    amount: float = Field(ge=0)
    unit: Literal["picture", "megapixel", "minute"] = Field(
        "megapixel", description="each frame is a picture; a minute is one of footage, a still none"
    )
    currency: str = Field(min_length=1, max_length=12)

    def of(self, megapixels: float, frames: int = 1, rate: float | None = None) -> float:
        """For a result of so many frames, each of so many megapixels, at so many frames a second.

        >>> Fee(amount=3, unit="minute", currency="EUR").of(2, 240, 24)
        0.5
        """
        if self.unit == "minute":
            return self.amount * frames / rate / 60 if rate else 0.0
        return self.amount * frames * (megapixels if self.unit == "megapixel" else 1)


class Submit(_Part):
    """Where a picture is sent: the name of its form field, and the field of the answer that names the job."""

    path: str
    file: str
    id: str
    idempotency_header: str = "Idempotency-Key"


class Status(_Part):
    """Where one asks how far a job is: the fields of the answer, and the words that they hold."""

    path: str
    state: str
    progress: str = ""
    fee: str = ""
    queued: list[str] = []
    done: list[str]
    failed: list[str] = []


class Result(_Part):
    """Where the result is fetched."""

    path: str


class Connector(_Part):
    """A service of the common shape: hand a picture in, ask until it is done, fetch the result."""

    id: str = Field(pattern=r"^[a-z0-9_-]{1,40}$")
    name: str = Field(min_length=1, max_length=80)
    address: str = Field(pattern=r"^https?://")
    secret_env: str = Field(
        "", description="environment variable that holds the key; none is sent where it is empty"
    )
    factor: float = Field(ge=1, le=16)
    max_megapixels: float = Field(gt=0, description="of the picture that is sent, or of a frame")
    takes: list[Literal["stills", "clips"]] = Field(["stills"], min_length=1)
    max_frames: int = Field(1000, ge=1)
    fee: Fee
    submit: Submit
    status: Status
    result: Result
    message: str = Field("message", description="field of an answer that says in words what is wrong")
    poll_seconds: float = Field(0.5, gt=0, le=60)
    patience_seconds: float = Field(900, gt=0, description="without any progress, until it is given up")

    def check(self, megapixels: float, factor: float, frames: int = 1) -> None:
        """Raise `OutOfLimits` if it does not take such an input or does another factor."""
        if ("clips" if frames > 1 else "stills") not in self.takes:
            of = "a clip" if frames > 1 else "a still"
            raise OutOfLimits(f"{self.name} takes {self.takes[0]}, and this trial is about {of}.")
        if frames > self.max_frames:
            raise OutOfLimits(f"{self.name} takes up to {self.max_frames} frames and this trial has {frames}.")
        if abs(factor - self.factor) > 1e-6:
            wanted = "keeps the size" if factor == 1 else f"{factor:g} times"
            raise OutOfLimits(f"{self.name} enlarges {self.factor:g} times and this trial {wanted}.")
        if megapixels > self.max_megapixels:
            raise OutOfLimits(
                f"{self.name} takes up to {self.max_megapixels:g} megapixels and the input has {megapixels:.1f}."
            )


def connectors() -> dict[str, Connector]:
    """All services that are described; a file that cannot be read is passed over and said in the log."""
    found = {}
    folder = settings().connectors_folder
    for path in sorted(folder.glob("*.json")) if folder.is_dir() else ():
        try:
            one = Connector.model_validate(json.loads(path.read_text()))
            found[one.id] = one
        except (ValueError, ValidationError, OSError) as error:
            log.warning("%s describes no service (%s).", path, error)
    return found


def connector_of(key: str) -> Connector:
    """One of them, or `NotFound`."""
    found = connectors().get(key)
    if found is None:
        raise NotFound("There is no such service; its description may have been removed.")
    return found


@dataclass(frozen=True)
class Carried:
    """What it took: seconds by this machine's clock, the fee that the service named, and requests that were repeated.

    All but `downloading` are None where an earlier run of the worker had seen them begin.
    """

    uploading: float | None
    queued: float | None
    processing: float | None
    downloading: float
    fee: float | None
    repeated: int


class _Passing(Exception):
    """A fault that may pass by itself; `pause` is what the service asks for."""

    def __init__(self, why: str, pause: float | None = None) -> None:
        super().__init__(why)
        self.pause = pause


class _Line:
    """Requests to the service; what passes by itself is repeated, with longer and longer pauses."""

    def __init__(self, connector: Connector, client: httpx.Client, alive: Callable[[], None]) -> None:
        self.connector, self.client, self.alive = connector, client, alive
        self.repeated = 0

    def _request(
        self, method: str, path: str, headers: dict[str, str], sent: Sent | None, out: Path | None
    ) -> httpx.Response:
        """One request with a file that is sent, or whose answer is written to one: neither is held in memory."""
        with ExitStack() as stack:
            files = None
            if sent:
                field, file = sent
                files = {field: (file.name, stack.enter_context(file.open("rb")), TYPES[file.suffix])}
            request = self.client.build_request(method, path, headers=headers, files=files)
            answer = self.client.send(request, stream=True)
            stack.callback(answer.close)
            if out is None or not answer.is_success:
                answer.read()
                return answer
            with out.open("wb") as target:
                for number, part in enumerate(answer.iter_bytes(PART)):
                    if number * PART > LARGEST_RESULT:
                        raise ProcessingFailed(
                            f"What {self.connector.name} gives back is too large; ask it for less."
                        )
                    target.write(part)
            return answer

    def _once(self, *asked: Any) -> httpx.Response:
        try:
            answer = self._request(*asked)
        except httpx.TransportError as error:
            raise _Passing(f"it cannot be reached ({type(error).__name__})") from error
        if answer.status_code == 429 or answer.status_code >= 500:
            later = answer.headers.get("Retry-After", "")
            raise _Passing(f"it answers {answer.status_code}", float(later) if later.isdigit() else None)
        return answer

    def ask(
        self, method: str, path: str, headers: dict[str, str] | None = None, sent: Sent | None = None,
        out: Path | None = None,
    ) -> httpx.Response:  # fmt: skip
        """One request until it is answered for good; what is refused is said in the service's words.

        A file can be `sent` under a field's name; what comes back is written to `out`.
        """
        begun, pause = time.monotonic(), FIRST_PAUSE
        while True:
            self.alive()
            try:
                answer = self._once(method, path, headers or {}, sent, out)
                break
            except _Passing as why:
                if time.monotonic() - begun > self.connector.patience_seconds:
                    raise ProcessingFailed(
                        f"{self.connector.name} was given up: {why}; try again later."
                    ) from None
                self.repeated += 1
                time.sleep(min(why.pause if why.pause is not None else pause, LONGEST_PAUSE))
                pause = min(2 * pause, LONGEST_PAUSE)
        if answer.status_code == 404 or answer.is_success:
            return answer
        raise ProcessingFailed(f"{self.connector.name} refused it: {self.words(answer)}.")

    def words(self, answer: httpx.Response) -> str:
        """What it says is wrong."""
        try:
            said = answer.json()
            said = said.get("detail", said) if isinstance(said, dict) else said
            words = str(said[self.connector.message] if isinstance(said, dict) else said)
        except (ValueError, KeyError, TypeError):
            words = ""
        return words[:200].strip().rstrip(".") or f"it answers {answer.status_code}"


def _client(connector: Connector) -> httpx.Client:
    headers = {}
    if connector.secret_env:
        secret = os.environ.get(connector.secret_env, "")
        if not secret:
            raise OutOfLimits(
                f"{connector.name} needs a key; set {connector.secret_env} and start Mistline again."
            )
        headers["Authorization"] = f"Bearer {secret}"
    return httpx.Client(base_url=connector.address, headers=headers, timeout=60)


def _field(answer: httpx.Response, name: str, connector: Connector) -> object:
    try:
        return answer.json()[name] if name else None
    except (ValueError, KeyError, TypeError):
        raise ProcessingFailed(
            f"{connector.name} answers in another way than its description says; mend that."
        ) from None


def _number(value: object) -> float | None:
    return float(value) if isinstance(value, int | float) else None


class _Errand:
    """One input on its way through a service, with how far it is and the seconds of each stage so far."""

    def __init__(
        self, connector: Connector, client: httpx.Client, picture: Path, key: str, report: Report, job: str | None
    ) -> None:
        self.connector, self.picture, self.key, self.report, self.job = connector, picture, key, report, job
        self.line = _Line(connector, client, self.tell)
        self.stage: Stage = "uploading"
        self.share = 0.0
        self.fee: float | None = None
        self.took: dict[Stage, float] = {}

    def tell(self) -> None:
        """Report how far it is."""
        self.report(self.stage, self.share, self.job, self.fee)

    def submit(self) -> None:
        """Hand the picture in; with the same key a service takes it once, however often it is handed in."""
        submit, begun = self.connector.submit, time.monotonic()
        answer = self.line.ask(
            "POST", submit.path, {submit.idempotency_header: self.key}, sent=(submit.file, self.picture)
        )
        if answer.status_code == 404:
            raise ProcessingFailed(f"{self.connector.name} has nothing at {submit.path}; mend its description.")
        self.job = str(_field(answer, submit.id, self.connector))
        self.took["uploading"] = time.monotonic() - begun

    def _asked(self) -> str:
        """The state that the service tells; share and fee are noted."""
        status = self.connector.status
        while True:
            answer = self.line.ask("GET", status.path.replace("{id}", self.job or ""))
            if answer.status_code != 404:
                break
            self.submit()  # it has forgotten the job
        state = str(_field(answer, status.state, self.connector))
        self.share = max(self.share, _number(_field(answer, status.progress, self.connector)) or 0.0)
        self.fee = _number(_field(answer, status.fee, self.connector))
        if state in status.failed:
            raise GivenUp(f"{self.connector.name} failed: {self.line.words(answer)}.")
        return state

    def wait(self) -> None:
        """Ask until it is done."""
        status, patience = self.connector.status, self.connector.patience_seconds
        begun = moved = time.monotonic()
        before = self.share
        while (state := self._asked()) not in status.done:
            now = time.monotonic()
            if state in status.queued:
                self.stage = "queued"
            elif self.stage != "processing":
                self.stage, self.took["queued"], begun = "processing", now - begun, now
            if self.share > before:
                before, moved = self.share, now
            if now - moved > patience:
                raise ProcessingFailed(
                    f"{self.connector.name} made no progress for {patience:g} s and was given up; what it charges is "
                    "its own affair: look there before you try again."
                )
            self.tell()
            time.sleep(self.connector.poll_seconds)
        self.took["processing" if self.stage == "processing" else "queued"] = time.monotonic() - begun

    def fetch(self, out: Path) -> None:
        """Write the result to a file."""
        self.stage, self.share, begun = "downloading", 0.0, time.monotonic()
        result = self.line.ask("GET", self.connector.result.path.replace("{id}", self.job or ""), out=out)
        if not result.is_success:
            raise ProcessingFailed(
                f"{self.connector.name} says that it is done but has no result; try again later."
            )
        self.tell()
        self.took["downloading"] = time.monotonic() - begun


def carry_out(
    connector: Connector, picture: Path, key: str, out: Path, report: Report, known: str | None = None
) -> Carried:
    """Send a PNG or a ZIP archive of frames, wait, fetch the result to `out`.

    However often it is begun again, with the same `key` the service does and charges it once.

    Parameters
    ----------
    known : str or None
        The job's id there, if an earlier run had got so far.
    report : callable
        Called with every change; may raise `Stopped`.

    Raises
    ------
    GivenUp
        If the service itself failed with the job.
    ProcessingFailed
        If the service refuses it, or makes no progress for `patience_seconds`.
    """
    with _client(connector) as client:
        errand = _Errand(connector, client, picture, key, report, known)
        if known is None:
            errand.submit()
        errand.wait()
        errand.fetch(out)
    took = errand.took if known is None else {"downloading": errand.took["downloading"]}
    return Carried(
        took.get("uploading"), took.get("queued"), took.get("processing"), took["downloading"], errand.fee,
        errand.line.repeated,
    )  # fmt: skip
