"""A stand-in for a remote processing service: `python -m standins.service --port 8790`.

It enlarges stills, and clips as archives of their frames, twice by a plain kernel, behind everything that real services
put around that: upload, a queue, progress by asking, credits and a fee a megapixel or a minute, a daily cap, a largest
size, a watermark on trial runs, a slow line, and faults (429, 500, a lost answer, a result that never comes). The same
idempotency key is charged once.
"""

import argparse
import asyncio
import hashlib
import io
import json
import random
import time
import zipfile
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import uvicorn
from fastapi import FastAPI, Header, HTTPException, Request, Response, UploadFile

FACTOR = 2


@dataclass
class Behaviour:
    """How the service behaves; shares of requests are between 0 and 1."""

    fee: float = 0.02  # a megapixel of the result
    fee_a_minute: float = 0.0  # of footage, in place of the other
    credit: float = 100.0  # what the account holds, in the same currency
    daily_cap: int = 1000  # jobs
    max_megapixels: float = 4.0  # of the input
    queue_seconds: float = 1.0
    process_seconds: float = 1.0
    bytes_a_second: float = 0.0  # of upload and download; 0 is as fast as it goes
    fails: float = 0.0  # share of requests that fail
    never: float = 0.0  # share of jobs whose result never comes
    breaks: int = 0  # so many jobs, the first ones, fail there and are not charged
    hold: bool = False  # every job waits in the queue as long as it is set
    asks: int = 0  # so many questions are answered "queued" and as many "running", whatever the clock says
    watermark: bool = False
    secret: str = ""
    seed: int = 1


@dataclass
class Job:
    """A picture that was handed in; `at` is when."""

    id: str
    key: str
    data: bytes
    fee: float
    at: float
    never: bool = False
    broken: bool = False
    asked: int = 0


@dataclass
class State:
    """What the service remembers, and how it behaves."""

    behaviour: Behaviour
    jobs: dict[str, Job] = field(default_factory=dict)
    by_key: dict[str, str] = field(default_factory=dict)
    charged: list[str] = field(default_factory=list)  # keys, in the order in which they were charged
    requests: int = 0


def _members(data: bytes) -> dict[str, bytes] | None:
    """Files of an archive; None if it is none."""
    if not data.startswith(b"PK"):
        return None
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def _processed(data: bytes, *, watermark: bool) -> bytes:
    """A still, or every frame of an archive; what else is in it stays."""
    members = _members(data)
    if members is None:
        return _enlarged(data, watermark=watermark)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, content in members.items():
            archive.writestr(name, _enlarged(content, watermark=watermark) if name.endswith(".png") else content)
    return out.getvalue()


def _enlarged(data: bytes, *, watermark: bool) -> bytes:
    picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    large = cv2.resize(picture, None, fx=FACTOR, fy=FACTOR, interpolation=cv2.INTER_LANCZOS4)
    if watermark:
        mark = np.zeros(large.shape[:2], np.uint8)
        for top in range(40, large.shape[0], 120):
            cv2.putText(mark, "TRIAL  TRIAL  TRIAL", (10, top), cv2.FONT_HERSHEY_SIMPLEX, 1.2, 255, 3)
        white = np.iinfo(large.dtype).max
        over = (mark > 0).reshape(*mark.shape, *([1] * (large.ndim - 2)))
        large = np.where(over, large + (white - large.astype(np.float64)) * 0.4, large).astype(large.dtype)
    return bytes(cv2.imencode(".png", large)[1])


def create(behaviour: Behaviour) -> FastAPI:
    """The service as an application; `app.state.memory` is what it remembers."""
    app = FastAPI(title="Stand-in service")
    memory = app.state.memory = State(behaviour)
    chance = random.Random(behaviour.seed)

    @app.middleware("http")
    async def faults(request: Request, call_next):  # type: ignore[no-untyped-def]
        """Before and after the work, so that a job may be taken although the answer is lost."""
        memory.requests += 1
        if behaviour.secret and request.headers.get("authorization") != f"Bearer {behaviour.secret}":
            return Response('{"message": "unknown key"}', 401, media_type="application/json")
        fate = chance.random()
        if fate < behaviour.fails / 3:
            return Response('{"message": "too many requests"}', 429, {"Retry-After": "0"}, "application/json")
        if fate < 2 * behaviour.fails / 3:
            return Response('{"message": "something broke"}', 500, media_type="application/json")
        answer = await call_next(request)
        if fate < behaviour.fails:
            return Response('{"message": "the answer was lost"}', 502, media_type="application/json")
        return answer

    async def _line(size: int) -> None:
        if behaviour.bytes_a_second:
            await asyncio.sleep(size / behaviour.bytes_a_second)

    @app.post("/jobs", status_code=201)
    async def submit(picture: UploadFile, idempotency_key: str = Header()) -> dict[str, object]:
        data = await picture.read()
        await _line(len(data))
        if (known := memory.by_key.get(idempotency_key)) is not None:
            return {"id": known}
        members = _members(data) or {"it.png": data}
        frames = [content for name, content in members.items() if name.endswith(".png")]
        image = cv2.imdecode(np.frombuffer(frames[0], np.uint8), cv2.IMREAD_UNCHANGED) if frames else None
        if image is None:
            raise HTTPException(422, {"message": "that is no picture"})
        megapixels = image.shape[0] * image.shape[1] / 1e6
        if megapixels > behaviour.max_megapixels:
            raise HTTPException(413, {"message": f"pictures up to {behaviour.max_megapixels:g} megapixels"})
        fee = megapixels * FACTOR**2 * behaviour.fee * len(frames)
        if behaviour.fee_a_minute:
            rate = float(Fraction(members.get("rate.txt", b"24").decode()))
            fee = behaviour.fee_a_minute * len(frames) / rate / 60 if len(frames) > 1 else 0.0
        fee = round(fee, 6)
        if len(memory.charged) >= behaviour.daily_cap:
            raise HTTPException(403, {"message": f"no more than {behaviour.daily_cap} pictures a day"})
        if sum(job.fee for job in memory.jobs.values()) + fee > behaviour.credit:
            raise HTTPException(402, {"message": "not enough credit"})
        name = hashlib.sha256(idempotency_key.encode()).hexdigest()[:16]
        never, broken = chance.random() < behaviour.never, len(memory.jobs) < behaviour.breaks
        job = Job(name, idempotency_key, data, 0.0 if broken else fee, time.monotonic(), never, broken)
        memory.jobs[name], memory.by_key[idempotency_key] = job, name
        memory.charged += [] if broken else [idempotency_key]
        return {"id": name}

    def _job(name: str) -> Job:
        if name not in memory.jobs:
            raise HTTPException(404, {"message": "no such job"})
        return memory.jobs[name]

    @app.get("/jobs/{name}")
    async def status(name: str) -> dict[str, object]:
        job = _job(name)
        gone, job.asked = time.monotonic() - job.at, job.asked + 1
        if behaviour.hold or job.asked <= behaviour.asks or gone < behaviour.queue_seconds:
            return {"state": "queued", "progress": 0, "fee": job.fee}
        if job.broken:
            return {"state": "failed", "progress": 0, "fee": 0.0, "message": "the picture could not be processed"}
        share = (gone - behaviour.queue_seconds) / max(behaviour.process_seconds, 1e-6)
        if share < 1 or job.never or job.asked <= 2 * behaviour.asks:
            return {"state": "running", "progress": min(share, 0.99), "fee": job.fee}
        return {"state": "done", "progress": 1, "fee": job.fee}

    @app.get("/jobs/{name}/result")
    async def result(name: str) -> Response:
        data = await asyncio.to_thread(_processed, _job(name).data, watermark=behaviour.watermark)
        await _line(len(data))
        return Response(data, media_type="application/zip" if data.startswith(b"PK") else "image/png")

    return app


def describe(address: str) -> dict[str, object]:
    """The description with which Mistline reaches it: `service.json` with another address."""
    described = json.loads(Path(__file__).with_suffix(".json").read_text())
    return {**described, "address": address}


def main() -> None:
    """Serve until ended."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--port", type=int, default=8790)
    plain = Behaviour()
    for name, value in vars(plain).items():
        flag = "--" + name.replace("_", "-")
        if isinstance(value, bool):
            parser.add_argument(flag, action="store_true")
        else:
            parser.add_argument(flag, type=type(value), default=value)
    given = vars(parser.parse_args())
    port = given.pop("port")
    uvicorn.run(create(Behaviour(**given)), host="127.0.0.1", port=port, log_level="warning")


if __name__ == "__main__":
    main()
