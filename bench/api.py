"""Answer times with a thousand takes in the database, beside the smallest answer of the same server."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
import numpy as np
import psycopg

from bench import timed
from mistline.store import cluster
from tests.conftest import as_png
from tests.harness import Running, running

COPY_TAKES = """
    insert into takes (key, source_id, setup, plate_key, recipe, repeats, state, picture_id, settings, timing,
        clipped, machine_id)
    select k.key || '-' || n, source_id, setup, plate_key, recipe, repeats, state, picture_id, settings, timing,
        clipped, machine_id
    from takes k, generate_series(1, 250) n;
    insert into scores select k.key || '-' || n, c.measure, c.version, c.value
    from takes k join scores c on c.take_key = k.key, generate_series(1, 250) n where position('-' in k.key) = 0;
    insert into trials (name, source_id, setup, plate_key)
    select 'copy ' || n, source_id, setup, plate_key from trials, generate_series(1, 250) n;
    insert into entries (trial_id, letter, position, name, control, recipe, take_key)
    select t.id, e.letter, e.position, e.name, e.control, e.recipe, e.take_key || '-' || split_part(t.name, ' ', 2)
    from trials t, entries e where t.name like 'copy %';
    analyze;
"""


@contextmanager
def _filled() -> Iterator[tuple[Running, str]]:
    with tempfile.TemporaryDirectory() as name:
        Path(name).chmod(0o755)
        url = cluster.start(Path(name) / "postgres")
        try:
            with running(url, Path(name)) as app:
                picture = np.random.default_rng(0).integers(0, 256, (128, 128, 3)).astype(np.uint8)
                key = app.start_trial(app.read("a.png", as_png(picture))["id"], "Bicubic", "Lanczos 3", factor=2)
                app.finished(key)
                with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
                    connection.execute(COPY_TAKES)
                yield app, key
        finally:
            cluster.stop(Path(name) / "postgres")


def rows() -> list[list[str]]:
    found = []
    with _filled() as (app, key), httpx.Client(base_url=app.address) as http:
        takes = 4 * 251
        least = float(np.percentile(timed(lambda: http.get("/api/kinds"), 100), 95))
        for name, path in (
            ("a trial's page", f"/api/trials/{key}"),
            ("the list of trials", "/api/trials"),
            ("the Playbook", "/api/playbook"),
        ):
            p95 = float(np.percentile(timed(lambda path=path: http.get(path).raise_for_status(), 100), 95))
            found.append([f"95th percentile of {name}, {takes} takes in the database", f"{p95 * 1000:.0f} ms",
                          f"list of kinds {least * 1000:.0f} ms", f"{p95 / least:.1f}", "under 1 s"])  # fmt: skip
    return found
