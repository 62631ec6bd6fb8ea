"""Two machines at work on one database and one object store, while they are killed and their lines are cut."""

import contextlib
import random
import signal
import tempfile
import threading
import time
from collections import Counter
from pathlib import Path

import numpy as np
import psutil
import psycopg

from mistline.store import cluster
from mistline.store.storage import OWNER
from tests.conftest import as_png
from tests.distant import Line, Machine, objects_of, served_objects
from tests.harness import Running, children, fresh_database, served, shaped, until

__all__ = ["machines"]

ENTRIES, QUEUED = 9, 24  # of a trial with its controls; one recipe is the same as a control
RNG = random.Random(7)


def machines(takes: int) -> dict:
    """Two worker machines, one object store: machines killed, lines to store or database cut for up to a minute.

    Every take must be made once, and nothing be left over; after everything was removed the store must be empty.
    """
    folder = Path(tempfile.mkdtemp(prefix="mistline-machines-"))
    folder.chmod(0o755)
    url = cluster.start(folder / "postgres")
    try:
        with served_objects() as store, served(fresh_database(url, shaped(url)), folder / "main", store) as app:
            app.kill_worker()  # the main machine serves the pages; the others do the work
            database = app.environment["MISTLINE_DATABASE_URL"]
            with (
                Machine("north", folder, database, store) as north,
                Machine("south", folder, database, store) as south,
            ):
                return _attacked(app, (north, south), store, takes)
    finally:
        cluster.stop(folder / "postgres")


def _kill(machine: Machine) -> str:
    """Kill a machine, or what runs on it: it comes back after a moment."""
    found = {"machine": machine.process.pid}
    with contextlib.suppress(psutil.Error):
        for worker in children(machine.process.pid, "mistline.work"):
            jobs = [job.pid for server in worker.children() for job in server.children()]
            found |= {"worker": worker.pid} | ({"job": jobs[-1]} if jobs else {})
    kind = RNG.choice(sorted(found))
    with contextlib.suppress(psutil.Error):
        psutil.Process(found[kind]).send_signal(signal.SIGKILL)
    if kind == "machine":
        machine.process.wait()
        time.sleep(RNG.uniform(0, 3))
        machine.start()
    return kind


def _cut(line: Line, seconds: float) -> None:
    line.cut()
    time.sleep(seconds)
    line.mend()


def _attacked(app: Running, both: tuple[Machine, Machine], store: str, takes: int) -> dict:
    picture = np.random.default_rng(0).integers(0, 256, (96, 120, 3), np.uint8)
    source = app.read("a.png", as_png(picture))
    recipes = [row["id"] for row in app.http.get("/api/recipes").json() if row["resizes"]][: ENTRIES - 2]
    factors = iter(np.round(np.linspace(1.1, 4.9, takes // (ENTRIES - 1) + 2), 3))
    killed, cuts, seconds, started = Counter[str](), Counter[str](), [], 0
    kills_wanted, cuts_wanted, cutting = takes // 10, takes // 25, threading.Thread()
    while started < takes or sum(killed.values()) < kills_wanted:
        queue = app.http.get("/api/queue").json()["number"]
        if queue < QUEUED and started < takes:
            body = {"source_id": source["id"], "setup": {"factor": float(next(factors))}, "recipe_ids": recipes}
            answer = app.http.post("/api/trials", json=body)
            assert answer.status_code == 201, answer.text
            started += ENTRIES - 1
        due = started / takes
        if sum(cuts.values()) < cuts_wanted * due and not cutting.is_alive():
            machine, name = RNG.choice(both), RNG.choice(["store", "database"])
            seconds.append(60.0 if sum(cuts.values()) == 0 else RNG.uniform(2, 25))
            cutting = threading.Thread(target=_cut, args=(getattr(machine, name), seconds[-1]))
            cutting.start()
            cuts[name] += 1
        if sum(killed.values()) < kills_wanted * due and (queue or started >= takes):
            killed[_kill(RNG.choice(both))] += 1
        time.sleep(RNG.uniform(0.2, 2))
    cutting.join()
    until(lambda: not app.http.get("/api/queue").json()["number"], 3600, "the end of the queue")
    return {
        "kills": dict(killed), "cuts": dict(cuts), "cut for s, median and longest":
        [round(float(np.median(seconds)), 1), round(max(seconds), 1)], **_counted(app), **_left(app, both, store),
    }  # fmt: skip


def _counted(app: Running) -> dict:
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:

        def counts(query: str) -> dict:
            return {str(name): number for name, number in connection.execute(query).fetchall()}  # type: ignore[call-overload]

        return {
            "takes": counts("select state, count(*) from takes group by state"),
            "times that a take's frames were kept": counts(
                "select n, count(*) from (select count(*) n from takes k join shards s on s.picture_id = k.picture_id"
                " group by k.key) x group by n"
            ),
            "takes with scores of all measures": counts(
                "select n = max(n) over (), count(*)"
                " from (select count(*) n from scores group by take_key) x group by n"
            ),
        }  # fmt: skip


def _left(app: Running, both: tuple[Machine, Machine], store: str) -> dict:
    """What lies in scratch folders, and in the store once all is removed."""
    cursor = {}
    while True:
        page = app.http.get("/api/trials", params={"limit": 200, **cursor}).json()
        for trial in page["items"]:
            app.http.delete(f"/api/trials/{trial['id']}")
        if not page["next_cursor"]:
            break
        cursor = {"cursor": page["next_cursor"]}
    for source in app.http.get("/api/sources").json()["items"]:
        app.http.delete(f"/api/sources/{source['id']}")
    app.http.post("/api/storage/clear/bin")

    def empty() -> bool:
        app.http.post("/api/storage/clear/unneeded")
        time.sleep(2)
        return not objects_of(store)

    with contextlib.suppress(AssertionError):
        until(empty, 180, "an empty store")
    scratch = [path for machine in both for path in (machine.folder / "cache" / "incoming").iterdir()]
    return {"scratch left": len(scratch), f"objects left, but for {OWNER}": len(objects_of(store))}
