"""Migrations, named queries, cursors, and the rules that the tables themselves keep."""

import uuid
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from procrastinate.schema import SchemaManager
from psycopg.rows import dict_row

from mistline.api.schemas.shelf import SourceAsked
from mistline.core.measure import MEASURES
from mistline.core.methods.recipe import Recipe
from mistline.core.timing.machine import this_machine
from mistline.errors import NotFound, OutOfLimits
from mistline.store import database, paging, recipes, sources, speeds, takes, trials
from mistline.work.queue import apply_schema
from tests.harness import PATIENCE

EVERY = SourceAsked().model_dump()


@pytest.fixture(scope="module")
def url(cluster_url: str) -> str:
    name = f"t{uuid.uuid4().hex[:12]}"
    with psycopg.connect(cluster_url, autocommit=True) as connection:
        connection.execute(f"create database {name}")  # type: ignore[call-overload]
    made = cluster_url.rsplit("/", 1)[0] + f"/{name}"
    for _ in range(2):  # a second start must change nothing
        database.migrate(made)
        apply_schema(made)
    return made


@pytest.fixture
def connection(url: str) -> Iterator[database.Connection]:
    with psycopg.connect(url, row_factory=dict_row) as opened:
        yield opened
        opened.rollback()


def _take(connection: database.Connection, key: str) -> dict:
    source, _ = sources.add(connection, f"{key}.png", key, 10, "faces", "")
    take = {
        "key": key,
        "source_id": source["id"],
        "setup": {"factor": 2},
        "plate_key": "p",
        "recipe": None,
        "delivered": None,
        "repeats": 3,
        "first": 0,
        "frames": 3,
    }
    takes.add(connection, take, [(0, 2), (2, 1)])
    return take


def test_every_query_file_is_used_and_every_query_parses(connection: database.Connection) -> None:
    """PREPARE makes PostgreSQL check names and types of each query without running it."""
    folder = Path(database.__file__).parent / "sql"
    for path in folder.glob("*.sql"):
        for name, query in database.queries(path.stem).items():
            plain = __import__("re").sub(r"%\((\w+)\)s", "null", query)
            connection.execute(f"prepare check_{path.stem}_{name} as {plain}")  # type: ignore[call-overload]


def test_the_shipped_recipes_are_seeded_once_and_valid(connection: database.Connection) -> None:
    recipes.seed(connection)
    recipes.seed(connection)
    rows = recipes.every(connection)
    assert [row["name"] for row in rows] == [recipe.name for recipe in recipes.SHIPPED]
    for row in rows:
        Recipe(name=row["name"], passes=row["passes"])
    with pytest.raises(NotFound):
        recipes.some(connection, [str(uuid.uuid4())])


def test_kinds_are_those_of_the_trade(connection: database.Connection) -> None:
    assert len(sources.kinds(connection)) == 10
    with pytest.raises(psycopg.errors.ForeignKeyViolation):
        sources.add(connection, "x", "h", 1, "no such kind", "")


def test_a_take_is_claimed_finished_and_written_once(connection: database.Connection) -> None:
    take = _take(connection, "once")
    assert takes.add(connection, take, [(0, 2), (2, 1)]) is False
    assert takes.claim(connection, "once", 0, None) == 2 and takes.claim(connection, "once", 0, None) == 2
    assert takes.claim(connection, "once", 2, None) == 1
    assert takes.finish_shard(connection, "once", 2, {"part": 2}) is None
    assert takes.finish_shard(connection, "once", 2, {"part": 3}) is None
    assert [row["first"] for row in takes.unmade_shards(connection, "once")] == [0]
    takes.progress(connection, "once", 0, "processing", 0.25, 4.0, 9.0)
    row = takes.get(connection, "once")
    assert row["progress"] == pytest.approx((1 + 0.25 * 2) / 3) and row["seconds_left"] == 4.0
    assert takes.finish_shard(connection, "once", 0, {"part": 0}) == [{"part": 0}, {"part": 2}]
    result = {"picture_id": None, "settings": [], "timing": {}, "clipped": 0.0, "findings": [], "machine_id": None}
    scores = {key: {"value": 1.0, "parts": {}, "note": "", "frames": [1.0, None, 2.0]} for key in MEASURES}
    assert takes.finish(connection, "once", result, scores, {}) is True
    assert takes.finish(connection, "once", result, scores, {}) is False
    assert takes.claim(connection, "once", 0, None) is None
    takes.fail(connection, "once", "too late")
    assert takes.get(connection, "once")["state"] == "done"


def test_a_cancelled_take_is_not_run_and_can_wait_again(connection: database.Connection) -> None:
    _take(connection, "stop")
    assert takes.cancel(connection, "stop") is not None and takes.cancel(connection, "stop") is None
    assert takes.claim(connection, "stop", 0, None) is None
    takes.progress(connection, "stop", 0, "processing", 0.5, None, None)
    assert takes.get(connection, "stop")["progress"] == 0
    assert takes.wait_again(connection, "stop") is True and takes.wait_again(connection, "stop") is False
    assert takes.claim(connection, "stop", 0, 3.0) and takes.claim(connection, "stop", 2, 3.0)
    takes.release(connection, "stop", 0)
    assert takes.get(connection, "stop")["state"] == "running"
    takes.release(connection, "stop", 2)
    assert takes.get(connection, "stop")["state"] == "waiting"


def test_what_waits_without_a_job_is_found(connection: database.Connection) -> None:
    _take(connection, "lost")
    assert not [key for key, _ in takes.adrift(connection) if key == "lost"]
    connection.execute("update takes set created_at = now() - interval '1 minute' where key = 'lost'")
    connection.execute("update sources set created_at = now() - interval '1 minute' where hash = 'lost'")
    assert takes.adrift(connection) == [("lost", 0), ("lost", 2)] and len(sources.adrift(connection)) == 1


def test_speed_prefers_takes_over_crops_and_takes_their_median(connection: database.Connection) -> None:
    recipe = Recipe.model_validate({"name": "x", "passes": [{"method": "bicubic"}]})
    machine = this_machine()
    speeds.seen(connection, machine)
    assert speeds.best(connection, recipe) is None
    speeds.add(connection, recipe, machine.id, "crop", 9.0)
    found = speeds.best(connection, recipe)
    assert found and (found.basis, found.seconds_per_megapixel) == ("a timed crop", 9.0)
    for value in (1.0, 2.0, 5.0):
        speeds.add(connection, recipe, machine.id, "take", value)
    found = speeds.best(connection, recipe)
    assert found and (found.basis, found.seconds_per_megapixel, found.count) == ("earlier takes", 2.0, 3)


def test_a_cursor_leads_to_the_rows_after_it(connection: database.Connection) -> None:
    for number in range(5):
        sources.add(connection, f"{number}", f"hash{number}", 1, None, "")
    first, cursor = sources.page(connection, EVERY, None, 2)
    second, _ = sources.page(connection, EVERY, cursor, 2)
    assert {row["id"] for row in first}.isdisjoint(row["id"] for row in second)
    with pytest.raises(OutOfLimits, match="first page"):
        paging.after("???")


def test_missing_things_are_said_in_words(connection: database.Connection) -> None:
    for step in (sources.get, trials.get, trials.remove):
        with pytest.raises(NotFound):
            step(connection, str(uuid.uuid4()))
    with pytest.raises(NotFound):
        takes.get(connection, "none")


def test_a_changed_row_is_announced(connection: database.Connection, url: str) -> None:
    with psycopg.connect(url, autocommit=True) as listener, psycopg.connect(url, row_factory=dict_row) as writer:
        listener.execute("listen mistline")
        source, _ = sources.add(writer, "told.png", "told", 1, None, "")
        writer.commit()
        notice = next(listener.notifies(timeout=PATIENCE))
        assert notice.payload == f'{{"table" : "sources", "key" : "{source["id"]}"}}'


def test_what_was_removed_goes_after_a_day_and_not_before(connection: database.Connection) -> None:
    take = _take(connection, "purged")
    trial = {"name": "T", "plate_key": "p", "first": 0, "frames": 1, "setup": {}, "source_id": take["source_id"]}
    key = trials.add(connection, trial)
    trials.remove(connection, key)
    sources.remove(connection, take["source_id"])

    def purge(hours: int) -> tuple[int, int]:
        for table in ("trials", "sources"):
            connection.execute(f"update {table} set removed_at = now() - interval '{hours} hours'")  # type: ignore[call-overload]
        trials.purge(connection)
        sources.purge(connection)
        counts = [
            connection.execute(f"select count(*) as n from {table} where id = %s", (each,)).fetchone()  # type: ignore[call-overload]
            for table, each in (("trials", key), ("sources", take["source_id"]))
        ]
        return counts[0]["n"], counts[1]["n"]

    assert purge(23) == (1, 1)
    assert purge(25) == (0, 0)


def test_the_queue_is_changed_by_the_steps_of_a_newer_one_once(
    url: str, connection: database.Connection, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Another library brings more steps; one that fails changes nothing, and all are tried again by the next start."""
    shipped = Path(SchemaManager.get_migrations_path())
    for step in shipped.glob("*.sql"):
        (tmp_path / step.name).write_text(step.read_text())
    monkeypatch.setattr(SchemaManager, "get_migrations_path", staticmethod(lambda: str(tmp_path)))
    newer = tmp_path / "99.00.00_01_pre_count.sql"
    newer.write_text("create table if not exists newer (n int); insert into newer values (1); select wrong;")
    with pytest.raises(psycopg.Error):
        apply_schema(url)
    assert connection.execute("select to_regclass('newer') as found").fetchone() == {"found": None}
    newer.write_text(newer.read_text().replace("select wrong;", ""))
    for _ in range(2):
        apply_schema(url)
    assert connection.execute("select count(*) as n from newer").fetchone() == {"n": 1}
