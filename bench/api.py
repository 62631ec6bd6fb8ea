"""Answer times of every page's requests with 100 000 takes and 10 000 trials, and of the worker's own look at them."""

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
import numpy as np
import psycopg

from bench import timed
from mistline.store import cluster
from tests.conftest import as_png
from tests.harness import Running, running

SOURCES, TRIALS, WAITING, REPEATS = 1000, 10_000, 300, 40
# Of one trial that was really run ("real") as many as are wanted: other names and keys, the same facts and scores.
# Every trial has ten entries with takes, pictures, shards and scores of their own, four of five have verdicts.
COPIES = """
create temp table real as
    select t.*, row_number() over () as n from trials t limit 1;
create temp table kept as
    select e.position, e.letter, e.name, e.control, e.recipe, k.key, row_number() over (order by e.position) as n
    from entries e join takes k on k.key = e.take_key where e.trial_id = (select id from real);
insert into sources (name, hash, file_bytes, kind, story, state, facts, traits, picture_id, created_at)
    select 'source ' || n, md5(n::text) || md5(n::text), file_bytes,
        (select id from kinds order by position offset n %% 10 limit 1),
        'as it came', state, facts, traits, picture_id, now() - n * interval '1 hour'
    from sources, generate_series(1, %(sources)s) n;
create temp table trial_of as
    select n, gen_random_uuid() as id, md5('plate' || n) || md5('plate' || n) as plate,
        (select id from sources where name = 'source ' || (n %% %(sources)s + 1)) as source_id
    from generate_series(1, %(trials)s) n;
insert into pictures (id, width, height, bit_depth, levels, file_bytes, view_bytes)
    select plate, width, height, bit_depth, levels, file_bytes, 0 from trial_of,
        (select * from pictures where id = (select input_picture from plates limit 1)) p;
insert into plates (key, truth_picture, input_picture, traits)
    select o.plate, p.truth_picture, o.plate, p.traits from trial_of o, plates p;
insert into trials (id, name, source_id, setup, plate_key, created_at)
    select o.id, 'trial ' || o.n, o.source_id, r.setup, o.plate, now() - o.n * interval '10 minutes'
    from trial_of o, real r;
create temp table take_of as
    select o.n, o.id as trial_id, o.source_id, o.plate, p as position,
        md5(o.n || '-' || p) || md5(o.n || '-' || p) as key,
        (p - 1) %% (select count(*) from kept) + 1 as like
    from trial_of o, generate_series(1, 10) p;
insert into pictures (id, width, height, bit_depth, levels, file_bytes, view_bytes)
    select o.key, p.width, p.height, p.bit_depth, p.levels, p.file_bytes, 20000
    from take_of o join kept e on e.n = o.like join takes k on k.key = e.key join pictures p on p.id = k.picture_id;
insert into shards select o.key, s.first, s.frames, s.file_bytes, s.hash
    from take_of o join kept e on e.n = o.like join takes k on k.key = e.key
    join shards s on s.picture_id = k.picture_id;
insert into takes (key, source_id, setup, plate_key, recipe, repeats, state, picture_id, settings, timing, clipped,
        machine_id, findings, created_at, finished_at)
    select o.key, o.source_id, k.setup, o.plate, k.recipe, k.repeats, k.state, o.key, k.settings, k.timing, k.clipped,
        k.machine_id, k.findings, now() - o.n * interval '10 minutes', now() - o.n * interval '9 minutes'
    from take_of o join kept e on e.n = o.like join takes k on k.key = e.key;
insert into take_shards (take_key, first, frames, state, progress)
    select key, 0, 1, 'done', 1 from take_of;
insert into scores (take_key, measure, version, value, parts, note)
    select o.key, c.measure, c.version, c.value, c.parts, c.note
    from take_of o join kept e on e.n = o.like join scores c on c.take_key = e.key;
insert into entries (trial_id, letter, position, name, control, recipe, take_key)
    select o.trial_id, chr(64 + o.position), o.position, e.name, null, e.recipe, o.key
    from take_of o join kept e on e.n = o.like;
insert into verdicts (trial_id, kind, pick, fallback, reasons, created_at)
    select id, (select id from kinds order by position offset n %% 10 limit 1), 'A', 'B', 'It kept what was there.',
        now() - n * interval '10 minutes'
    from trial_of where n %% 5 > 0;
update takes set state = 'waiting', picture_id = null from take_of o
    where o.key = takes.key and o.n <= %(waiting)s / 10;
update take_shards set state = 'waiting', progress = 0 from take_of o
    where o.key = take_key and o.n <= %(waiting)s / 10;
update takes set state = 'failed', error = 'It failed.' from take_of o
    where o.key = takes.key and o.n between 100 and 109;
analyze;
"""


@contextmanager
def _filled() -> Iterator[tuple[Running, str, str]]:
    with tempfile.TemporaryDirectory() as name:
        Path(name).chmod(0o755)
        url = cluster.start(Path(name) / "postgres")
        try:
            with running(url, Path(name)) as app:
                picture = np.random.default_rng(0).integers(0, 256, (128, 128, 3)).astype(np.uint8)
                source = app.read("a.png", as_png(picture))["id"]
                key = app.start_trial(source, "Bicubic", "Lanczos 3", factor=2)
                app.finished(key)
                app.kill_worker()  # what waits shall wait
                amounts = {"sources": SOURCES, "trials": TRIALS, "waiting": WAITING}
                with psycopg.ClientCursor(psycopg.connect(app.environment["MISTLINE_DATABASE_URL"])) as cursor:
                    cursor.execute(COPIES, amounts)  # type: ignore[arg-type]
                    cursor.connection.commit()
                    cursor.connection.close()
                yield app, key, source
        finally:
            cluster.stop(Path(name) / "postgres")


def _p95(step: Callable[[], object]) -> float:
    return float(np.percentile(timed(step, REPEATS), 95))


def rows() -> list[list[str]]:
    found = []
    with _filled() as (app, key, source), httpx.Client(base_url=app.address, timeout=60) as http:
        deep = http.get("/api/trials").json()["next_cursor"]
        least = _p95(lambda: http.get("/api/kinds"))
        for name, path in {
            "Shelf": "/api/sources",
            "Shelf, searched": "/api/sources?words=source 77",
            "Shelf, what was decided": "/api/sources?tried=decided",
            "Trials": "/api/trials",
            "Trials, a page further on": f"/api/trials?cursor={deep}",
            "a trial": f"/api/trials/{key}",
            "a source": f"/api/sources/{source}",
            "Playbook": "/api/playbook",
            "Playbook, earlier verdicts": "/api/playbook/night?before=9000",
            f"dock, {WAITING} takes wait": "/api/queue",
            "machines": "/api/workers",
            "Storage": "/api/storage",
            "Recipes": "/api/recipes",
            "Methods": "/api/methods",
            "Prices": "/api/prices",
            "metrics": "/api/metrics",
        }.items():
            p95 = _p95(lambda path=path: http.get(path).raise_for_status())
            found.append([f"95th percentile of {name}", f"{p95 * 1000:.0f} ms",
                          f"list of kinds {least * 1000:.0f} ms", f"{p95 / least:.1f}", "under 1 s"])  # fmt: skip
    return found
