"""What takes space is told, what nothing needs goes, and what can be made again comes back the same."""

import os
import time
from datetime import timedelta
from pathlib import Path

import numpy as np
import psycopg
import pytest
from psycopg.rows import dict_row

from mistline.errors import NotFound
from mistline.store import takes
from mistline.store.storage import OWNER, drop_unneeded_rows
from tests.conftest import as_png
from tests.harness import Running, until


@pytest.fixture(scope="module")
def trial(app: Running, astronaut: np.ndarray) -> dict:
    source = app.read("stored.png", as_png(astronaut[:150, :200]))
    made = app.finished(app.start_trial(source["id"], "Bilinear", "Lanczos 3", factor=2))
    retire(app, made, "B")
    return made


def retire(app: Running, trial: dict, letter: str) -> None:
    where = f"/api/trials/{trial['id']}/entries/{letter}/standing"
    assert app.http.put(where, json={"standing": "retired", "reason": "softer"}).status_code < 300


def picture(trial: dict, letter: str) -> str:
    return next(entry["picture_id"] for entry in trial["entries"] if entry["letter"] == letter)


def kept(app: Running, picture_id: str, part: str = "") -> list[Path]:
    return [
        path for path in (app.media / "pictures" / picture_id[:2] / picture_id / part).rglob("*") if path.is_file()
    ]


def files(app: Running) -> list[Path]:
    """All that the media store holds, scratch too; not the mark of whose it is."""
    return [path for path in app.media.rglob("*") if path.is_file() and path.name != OWNER]


def clear(app: Running, what: str) -> dict:
    """Clear it, wait until that is done, return what is kept then."""
    assert app.http.post(f"/api/storage/clear/{what}").status_code == 202

    def done() -> dict | None:
        now = app.http.get("/api/storage").json()
        return None if now["clearing"] else now

    return until(done, what=f"clearing {what}")


def test_the_sums_are_those_of_the_files(app: Running, trial: dict) -> None:
    """Bytes by role add up to what lies on the disk; the truth is the source itself, so the input is the one plate."""
    for letter in "ABN":
        app.http.get(f"/api/pictures/{picture(trial, letter)}/frames/0/tiles/0/0/0")
    roles = ("originals", "sources", "plates", "takes", "views", "fingerprints", "unneeded")

    def equal() -> dict | None:  # a view is there a moment before it is noted
        told = app.http.get("/api/storage").json()
        on_disk = sum(path.stat().st_size for path in files(app))
        return told if sum(told[role]["bytes"] for role in roles) == on_disk else None

    found = until(equal, what="sums that are those of the files")
    assert found["takes"]["number"] == 4 and found["plates"]["number"] == 1 and found["unneeded"]["number"] == 0
    assert found["retired"] == {"number": 1, "bytes": sum(path.stat().st_size for path in kept(app, picture(trial, "B"), "shards"))}  # fmt: skip
    assert 0 < found["free_bytes"] < found["all_bytes"]


def test_retired_results_are_dropped_and_come_back_the_same(app: Running, trial: dict) -> None:
    retired, other = picture(trial, "B"), picture(trial, "A")
    plate = app.http.get(f"/api/pictures/{retired}/frames/0/plate").content
    scores = next(entry["scores"] for entry in app.trial(trial["id"])["entries"] if entry["letter"] == "B")
    assert clear(app, "retired")["retired"]["number"] == 0
    assert not kept(app, retired) and kept(app, other, "shards")
    assert next(entry["scores"] for entry in app.trial(trial["id"])["entries"] if entry["letter"] == "B") == scores
    assert app.http.get(f"/api/pictures/{retired}/frames/0/plate").content == plate
    assert app.http.get("/api/storage").json()["retired"]["number"] == 1


def test_a_result_that_another_trial_races_is_not_dropped(app: Running, trial: dict) -> None:
    """The same take stands in a second trial, where nobody has retired it."""
    app.http.get(f"/api/pictures/{picture(trial, 'B')}/frames/0/plate")
    second = app.finished(app.start_trial(trial["source_id"], "Lanczos 3", factor=2))
    assert picture(second, "A") == picture(trial, "B")
    assert app.http.get("/api/storage").json()["retired"]["number"] == 0
    app.http.delete(f"/api/trials/{second['id']}")
    assert app.http.get("/api/storage").json()["retired"]["number"] == 1


def test_a_take_that_a_trial_is_about_to_show_is_not_dropped(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("held.png", as_png(astronaut[300:400, :120]))
    key = app.finished(app.start_trial(source["id"], "Bilinear", factor=2))["entries"][0]["take_key"]
    url = app.environment["MISTLINE_DATABASE_URL"]
    with (
        psycopg.connect(url, row_factory=dict_row) as starting,
        psycopg.connect(url, row_factory=dict_row, autocommit=True) as collecting,
    ):
        collecting.execute("delete from entries where take_key = %s", [key])
        assert not takes.add(starting, takes.get(starting, key), [])
        drop_unneeded_rows(collecting, timedelta(0))
        assert takes.get(collecting, key)["key"] == key
        starting.rollback()
        drop_unneeded_rows(collecting, timedelta(0))
        with pytest.raises(NotFound):
            takes.get(collecting, key)


def test_views_are_cut_again(app: Running, trial: dict) -> None:
    tile = f"/api/pictures/{picture(trial, 'A')}/frames/0/tiles/0/0/0"
    before = app.http.get(tile).content
    found = clear(app, "views")
    assert found["views"] == {"number": 0, "bytes": 0}
    assert not kept(app, picture(trial, "A"), "view") and kept(app, picture(trial, "A"), "shards")
    assert app.http.get(tile).content == before


def test_what_a_killed_process_left_goes(app: Running, trial: dict) -> None:
    """A picture and an original that nothing is noted of; an original that has just come stays."""
    stray = app.media / "pictures" / "ab" / ("ab" + "0" * 62) / "shards" / "000000.zip"
    old, new = (app.media / "originals" / name[:2] / name for name in ("cd" + "1" * 62, "ce" + "2" * 62))
    for path in (stray, old, new):
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"left behind")
    os.utime(old, (time.time() - 9e4,) * 2)
    clear(app, "unneeded")
    assert not stray.exists() and not old.exists() and new.exists()
    assert kept(app, picture(trial, "A"), "shards")
    new.unlink()


def test_files_of_another_installation_stay(app: Running, trial: dict) -> None:
    """One that shares the store, or a database that was lost: what this one knows nothing of is not its to remove."""
    mark = app.media / OWNER
    own, foreign = mark.read_text(), app.media / "originals" / "dd" / ("dd" + "3" * 62)
    foreign.parent.mkdir(parents=True, exist_ok=True)
    foreign.write_bytes(b"of somebody else")
    os.utime(foreign, (time.time() - 9e5,) * 2)
    mark.write_text("another one")
    clear(app, "unneeded")
    assert foreign.exists()
    mark.write_text(own)
    clear(app, "unneeded")
    assert not foreign.exists() and kept(app, picture(trial, "A"), "shards")


def test_nothing_is_left_when_everything_is_removed(app: Running, trial: dict) -> None:
    """Also what a trial of an enlarged part, a model-free chain and a cancelled take had; the recipes stay."""
    large = app.read("large.png", as_png(np.random.default_rng(5).integers(0, 256, (300, 300, 3), np.uint8)))
    slow = app.start_trial(large["id"], app.slow_recipe(), factor=2)
    until(
        lambda: any(entry["state"] == "running" for entry in app.trial(slow)["entries"]),
        what="the slow take's start",
    )
    for one in app.http.get("/api/trials").json()["items"]:
        assert app.http.delete(f"/api/trials/{one['id']}").status_code == 204
    for source in app.http.get("/api/sources").json()["items"]:
        assert app.http.delete(f"/api/sources/{source['id']}").status_code == 204
    removed = app.http.get("/api/storage").json()["removed"]
    assert removed["trials"] >= 2 and removed["sources"] == 3
    clear(app, "bin")

    def empty() -> bool:
        found = clear(app, "unneeded")
        return found["unneeded"]["number"] == 0 and not files(app)

    until(empty, what="an empty store")
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        for table in ("pictures", "shards", "plates", "takes", "take_shards", "scores", "sameness", "sources"):
            row = connection.execute(f"select count(*) from {table}").fetchone()  # type: ignore[call-overload]
            assert row == (0,), table
