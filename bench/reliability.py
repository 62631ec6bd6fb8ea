"""Attacks in earnest: kills, bad files, bad models, generated requests, full disks; writes docs/reliability.md.

.venv/bin/python -m bench.reliability [kills|files|models|requests|disk|machines ...] [--share 0.1]

Each part counts what must not happen. `--share` does only a share of each.
"""

import asyncio
import contextlib
import io
import json
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from datetime import date
from pathlib import Path

import httpx
import numpy as np
import psutil
import psycopg
import tifffile
from PIL import Image

from bench.machines import machines
from mistline.core.timing.machine import this_machine
from mistline.errors import MistlineError
from mistline.store import cluster
from mistline.store.settings import ROOT
from mistline.work.requests import InspectModel, ReadOriginal, Request
from mistline.work.sandbox import run_child
from tests.core.media.test_still_silent_damage import SEEDS, chunk
from tests.core.methods.models import blur, hidden_external, hidden_operator, resizer
from tests.harness import free_port, running

NOTES = ROOT / "docs" / "reliability.json"
PAGE = ROOT / "docs" / "reliability.md"
BACK_WITHIN = 30.0
RNG = random.Random(4)


# Kills


def _words(process: psutil.Process) -> str:
    """The command line of a process; empty once it has ended."""
    try:
        return " ".join(process.cmdline())
    except psutil.Error:
        return ""


class Started:
    """The start command on a folder of its own, started again whenever its supervisor was killed."""

    def __init__(self, data: Path) -> None:
        self.data, self.port = data, free_port()
        self.environment = {**os.environ, "MISTLINE_DATA": str(data), "MISTLINE_PORT": str(self.port)}
        self.environment |= {"MISTLINE_TIMING_LANE": str(data / "lane")}
        self.environment.pop("MISTLINE_DATABASE_URL", None)
        self.http = httpx.Client(base_url=f"http://127.0.0.1:{self.port}", timeout=10)
        self.start()

    def start(self) -> None:
        with (self.data / "log").open("ab") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "mistline.cli", "start", "--no-browser"], cwd=ROOT, env=self.environment,
                stdout=log, stderr=log,
            )  # fmt: skip

    def get(self, path: str) -> dict | None:
        with contextlib.suppress(httpx.TransportError):
            answer = self.http.get(path)
            return answer.json() if answer.status_code == 200 else None
        return None

    def post(self, path: str, **body: object) -> dict:
        while True:
            with contextlib.suppress(httpx.TransportError):
                answer = self.http.post(path, **body)  # type: ignore[arg-type]
                if answer.status_code < 300:
                    return answer.json() if answer.content else {}
                if answer.status_code not in (500, 503):
                    raise AssertionError(answer.text)
            time.sleep(0.2)

    def victims(self) -> dict[str, list[psutil.Process]]:
        """The processes by kind: eight of them."""
        found: dict[str, list[psutil.Process]] = {"supervisor": [psutil.Process(self.process.pid)]}
        with contextlib.suppress(psutil.Error):
            self._below(found)
        return {kind: alive for kind, alive in found.items() if alive}

    def _below(self, found: dict[str, list[psutil.Process]]) -> None:
        for child in psutil.Process(self.process.pid).children():
            words = _words(child)
            if not words:
                continue
            role = "web" if "mistline.api" in words else "worker" if "mistline.work" in words else "database"
            found[role] = [child]
            if role == "database":
                found["database connection"] = [b for b in child.children() if "mistline" in _words(b)]
                continue
            for below in child.children():
                if "forkserver" in _words(below):
                    found[f"{role}'s fork server"] = [below]
                    found["job"] = found.get("job", []) + below.children()


def kills(count: int) -> dict:
    """Kill what comes by chance; everything must go on by itself, every take be made exactly once."""
    data = Path(tempfile.mkdtemp(prefix="mistline-kills-"))
    data.chmod(0o755)
    app, killed, back, trials, by_hand = Started(data), Counter[str](), [], [], 0
    try:
        while app.get("/api/kinds") is None:
            time.sleep(0.2)
        picture = np.random.default_rng(0).integers(0, 256, (160, 200, 3), np.uint8)
        sources = []
        for number in range(3):
            out = io.BytesIO()
            Image.fromarray(np.roll(picture, number)).save(out, "PNG")
            sources.append(
                app.post("/api/sources", files={"file": (f"{number}.png", out.getvalue())})["source"]["id"]
            )
        while not all((app.get(f"/api/sources/{key}") or {}).get("state") == "ready" for key in sources):
            time.sleep(0.2)
        recipes = [r["id"] for r in app.get("/api/recipes") or [] if r["resizes"]][:7]
        factors = iter(np.round(np.linspace(1.1, 7.5, 400), 3))
        while sum(killed.values()) < count:
            queue = app.get("/api/queue")
            if queue is not None and len(queue["items"]) < 6:
                body = {
                    "source_id": RNG.choice(sources),
                    "setup": {"factor": float(next(factors))},
                    "recipe_ids": recipes,
                }
                trials.append(app.post("/api/trials", json=body)["id"])
            time.sleep(RNG.uniform(0.1, 1.3))
            victims = app.victims()
            fewest = min(killed[kind] for kind in victims)
            kind = RNG.choice([kind for kind in victims if killed[kind] <= fewest + 3])
            with contextlib.suppress(psutil.Error):
                RNG.choice(victims[kind]).send_signal(signal.SIGKILL)
                killed[kind] += 1
            begun = time.monotonic()
            if kind == "supervisor":
                app.process.wait()
                app.start()
            while app.get("/api/queue") is None:
                time.sleep(0.1)
                if app.process.poll() is not None:  # it refused to start: only a hand could help
                    by_hand += 1
                    app.start()
            back.append(time.monotonic() - begun)
        while (app.get("/api/queue") or {"items": [1]})["items"]:
            time.sleep(0.5)
        url = cluster.url(data / "postgres", int((data / "postgres.port").read_text()))
        with psycopg.connect(url) as connection:
            states = dict(connection.execute("select state, count(*) from takes group by state").fetchall())
            errors = connection.execute("select distinct error from takes where error is not null").fetchall()
            scored = connection.execute(
                "select count(*) filter (where n > 0), count(*) from takes k left join lateral "
                "(select count(*) n from scores s where s.take_key = k.key) s on true"
            ).fetchone()
        if errors:
            print((data / "log").read_text(errors="replace")[-8000:])
        folders = Counter(path.name for path in (data / "media" / "pictures").glob("*/*"))
        return {
            "errors": [row[0] for row in errors],
            "kills": sum(killed.values()), "kinds of process": dict(killed), "trials": len(trials), "takes": states,
            "takes with scores": list(scored or ()), "pictures kept twice": sum(n > 1 for n in folders.values()),
            "back within s, median and worst": [round(float(np.median(back)), 1), round(max(back), 1)],
            "starts that needed a hand": by_hand,
            "scratch left": len(list((data / "media" / "incoming").iterdir())),
        }  # fmt: skip
    finally:
        with contextlib.suppress(Exception):
            app.process.send_signal(signal.SIGINT)
            app.process.wait(60)
        shutil.rmtree(data, ignore_errors=True)


# Bad files and models


def _spoilt(content: bytes) -> bytes:
    """Bytes changed, cut off, doubled, swapped, or put in from elsewhere."""
    data = bytearray(content)
    for _ in range(RNG.randint(1, 4)):
        near = RNG.choice([min(600, len(data)), len(data)])
        at = RNG.randrange(max(1, near))
        length = RNG.choice([1, 1, 2, 4, 30])
        match RNG.randrange(6):
            case 0:
                data[at : at + length] = bytes(RNG.randrange(256) for _ in range(length))
            case 1:
                data[at : at + length] = RNG.choice([b"\xff", b"\x00"]) * length
            case 2:
                del data[at : at + length]
            case 3:
                data[at:at] = data[at : at + length]
            case 4:
                del data[RNG.randrange(len(data) // 2, len(data)) :]
            case 5 if len(data) > 80:
                other = RNG.randrange(len(data) - 40)
                data[at : at + 40] = data[other : other + 40]
    return bytes(data) or b"\0"


def _tags(content: bytes) -> bytes:
    """A TIFF with one tag changed to another type, count or value, or another tag's number."""
    data = bytearray(content)
    with tifffile.TiffFile(io.BytesIO(content)) as file:
        tag = RNG.choice(list(file.pages[0].tags))
    field = RNG.choice([0, 2, 4, 8])
    data[tag.offset + field : tag.offset + field + 2] = RNG.choice(
        [0, 1, 2, 5, 12, 16, 255, 4096, 65535]
    ).to_bytes(2, "little")
    return bytes(data)


def _chunks(content: bytes) -> bytes:
    """A PNG with one more chunk of rubbish that has a right checksum."""
    kind = RNG.choice(
        [b"gAMA", b"cICP", b"iCCP", b"tRNS", b"acTL", b"cHRM", b"eXIf", b"sBIT", b"pHYs", b"PLTE", b"zTXt"]
    )
    return content[:33] + chunk(kind, RNG.randbytes(RNG.choice([0, 1, 4, 6, 32, 900]))) + content[33:]


async def _told(request: Request, what: str) -> str:
    """The sentence that a request ends with; empty if it succeeds."""
    try:
        await run_child(request, what=what, memory_bytes=6 * 2**30, seconds=90)
    except MistlineError as error:
        return str(error)
    return ""


def _bad_sentence(words: str, name: str) -> bool:
    parts = ("Error", "Exception", "Traceback", "/tmp", "::", "0x", "\n", "itself failed", "signal")
    return bool(words) and (name not in words or len(words) > 300 or any(part in words for part in parts))


def _judged(make: Callable[[Path, int], tuple[str, Request]], count: int) -> dict:
    async def every(folder: Path) -> list[tuple[str, str]]:
        gate = asyncio.Semaphore(2)

        async def each(number: int) -> tuple[str, str]:
            async with gate:
                place = folder / str(number)
                place.mkdir()
                name, request = make(place, number)
                words = await _told(request, name)
                shutil.rmtree(place)
                return name, words

        return await asyncio.gather(*(each(number) for number in range(count)))

    with tempfile.TemporaryDirectory() as folder:
        told = asyncio.run(every(Path(folder)))
    bad = [words for name, words in told if _bad_sentence(words, name)]
    for words in bad:
        print("  no sentence:", words[:300])
    refused = sum(bool(words) for _, words in told)
    return {
        "tried": count,
        "refused in a sentence": refused - len(bad),
        "taken": count - refused,
        "no sentence": len(bad),
    }


def files(count: int) -> dict:
    """Spoilt PNG, JPEG, WebP and TIFF; a PNG is covered by checksums, so none that differs may be taken."""

    def make(folder: Path, number: int) -> tuple[str, Request]:
        kind = sorted(SEEDS)[number % len(SEEDS)]
        spoil = RNG.choice([_spoilt, _spoilt, _tags if "tif" in kind else _chunks if kind == "png" else _spoilt])
        name = f"spoilt{number}.{kind}"
        (folder / name).write_bytes(spoil(SEEDS[kind]))
        (folder / "out").mkdir()
        return name, ReadOriginal(name=name, path=folder / name, out=folder / "out")

    return _judged(make, count)


def models(count: int) -> dict:
    """Spoilt ONNX files, and whole ones that hide something."""
    whole = [resizer, blur, lambda path: blur(path, 3, channels=1), hidden_operator, hidden_external]

    def make(folder: Path, number: int) -> tuple[str, Request]:
        name = f"spoilt{number}.onnx"
        path = whole[number % len(whole)](folder / name)
        if number % 10 > 1:
            path.write_bytes(_spoilt(path.read_bytes()))
        return name, InspectModel(name=name, id="model_x", path=path)

    return _judged(make, count)


# Requests and disks


@contextlib.contextmanager
def _database() -> Iterator[str]:
    folder = Path(tempfile.mkdtemp(prefix="mistline-reliability-"))
    folder.chmod(0o755)
    try:
        yield cluster.start(folder / "postgres")
    finally:
        cluster.stop(folder / "postgres")
        shutil.rmtree(folder, ignore_errors=True)


def requests(count: int) -> dict:
    """Generated requests with all checks of schemathesis."""
    config = ROOT / "tests" / "api" / "schemathesis.toml"
    with _database() as url, tempfile.TemporaryDirectory() as folder, running(url, Path(folder)) as app:
        source = app.read("a.png", SEEDS["png"])
        app.finished(app.start_trial(source["id"], "Bicubic", factor=2))
        done = subprocess.run(
            [sys.executable, "-m", "schemathesis.cli", "--config-file", config, "run",
             f"{app.address}/api/openapi.json", "--phases", "coverage,fuzzing", "--exclude-path", "/api/events",
             "--max-examples", str(max(5, count // 27)), "--seed", "11", "--request-timeout", "120", "--no-color"],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        print(done.stdout[done.stdout.find("= FAILURES") :][:6000])
        counted = re.search(r"^ *(\d+ generated.*)$", done.stdout, re.MULTILINE)
        lives = app.server.poll() is None
        return {
            "requests": counted[1] if counted else "",
            "failed checks": done.stdout.count("- ST"),
            "the server lives": lives,
        }


def disk(count: int) -> dict:
    """A small disk that fills while takes run and is emptied again."""
    lost = hands = 0
    folder = Path(tempfile.mkdtemp(prefix="mistline-disk-"))
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=40m", "none", folder], check=False).returncode:
        return {"tried": 0, "why": "no right to mount a file system here"}
    try:
        with _database() as url, running(url, folder) as app:
            source = app.read("a.png", SEEDS["png"])
            for number in range(count):
                key = app.start_trial(source["id"], "Bicubic", "Bilinear", "Lanczos 3", factor=1.1 + number / 20)
                ballast = folder / "ballast"
                with contextlib.suppress(OSError), ballast.open("wb") as file:
                    while True:
                        file.write(b"\0" * 4096)
                        file.flush()
                time.sleep(RNG.uniform(0.5, 3))
                ballast.unlink()
                ended = app.finished(key)
                if any(entry["state"] == "failed" for entry in ended["entries"]):
                    hands += 1
                    app.http.post("/api/queue/retry")
                    ended = app.finished(key)
                lost += sum(entry["state"] != "done" for entry in ended["entries"])
            return {"tried": count, "takes lost": lost, "times that one press ran failed ones again": hands}
    finally:
        subprocess.run(["umount", "-l", folder], check=True)


PARTS: dict[str, tuple[Callable[[int], dict], int]] = {
    "kills": (kills, 200),
    "files": (files, 1000),
    "models": (models, 200),
    "requests": (requests, 20_000),
    "disk": (disk, 20),
    "machines": (machines, 500),
}


def main() -> None:
    """Run the parts that are asked for and renew their paragraphs."""
    words = sys.argv[1:]
    share = float(words[words.index("--share") + 1]) if "--share" in words else 1.0
    known = json.loads(NOTES.read_text()) if NOTES.exists() else {}
    for name in [word for word in words if word in PARTS] or PARTS:
        part, count = PARTS[name]
        begun = time.monotonic()
        found = part(max(1, int(count * share)))
        known[name] = {
            "day": date.today().isoformat(),
            "minutes": round((time.monotonic() - begun) / 60, 1),
            **found,
        }
        print(name, json.dumps(known[name]), flush=True)
    if share < 1:
        return
    NOTES.write_text(json.dumps(known, indent=1) + "\n")
    machine = this_machine()
    text = (
        f"# Reliability\n\nMade by `python -m bench.reliability` on {machine.processor}, {machine.cores} cores.\n"
    )
    for name, found in known.items():
        doc = " ".join((PARTS[name][0].__doc__ or "").split())
        text += f"\n## {name.capitalize()}\n\n{doc}\n\n"
        text += "".join(f"- {key}: {_shown(value)}\n" for key, value in found.items())
    PAGE.write_text(text)


def _shown(value: object) -> str:
    if isinstance(value, dict):
        return ", ".join(f"{key} {each}" for key, each in value.items())
    return " and ".join(map(str, value)) if isinstance(value, list) else str(value)


if __name__ == "__main__":
    main()
