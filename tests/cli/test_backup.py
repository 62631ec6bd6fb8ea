"""A backup that is made beside work brings every trial back in a fresh folder, and is made again by what is new only."""

import shutil
from pathlib import Path

import numpy as np
import psycopg
import pytest

from mistline.errors import SetupError
from mistline.store.backup import backup, restore
from mistline.store.files import Media
from tests.conftest import as_png
from tests.distant import store_at
from tests.harness import Running, fresh_database, served


def place(app: Running) -> tuple[str, Media]:
    return app.environment["MISTLINE_DATABASE_URL"], store_at(
        app.environment["MISTLINE_MEDIA_URL"], Path(app.environment["MISTLINE_DATA"])
    )


def frames(app: Running, trial: dict) -> dict[str, bytes]:
    """The exact pixels of every entry."""
    return {entry["letter"]: app.http.get(f"/api/pictures/{entry['picture_id']}/frames/0/plate").content
            for entry in trial["entries"]}  # fmt: skip


def test_a_backup_opens_every_trial_in_a_fresh_folder(
    app: Running, astronaut: np.ndarray, cluster_url: str, tmp_path: Path
) -> None:
    source = app.read("kept.png", as_png(astronaut[:220, :300]))
    first = app.finished(app.start_trial(source["id"], "Bilinear", factor=2))
    verdict = {"kind": "faces", "pick": "A", "reasons": "the only one"}
    assert app.http.post(f"/api/trials/{first['id']}/verdicts", json=verdict).status_code == 201
    folder = tmp_path / "backup"
    assert backup(*place(app), folder) > 0
    assert backup(*place(app), folder) == 0
    second = app.finished(app.start_trial(source["id"], "Lanczos 3", factor=2))
    app.start_trial(source["id"], app.slow_recipe(), factor=2)  # at work meanwhile
    assert backup(*place(app), folder) > 0
    wanted = {trial["id"]: frames(app, trial) for trial in (first, second)}

    url, media = fresh_database(cluster_url), tmp_path / "restored" / "media"
    copied, missing = restore(url, store_at(media.as_uri(), tmp_path), folder)
    assert copied > 0 and missing == 0
    with served(url, tmp_path / "restored") as back:
        for trial_id, pixels in wanted.items():
            assert frames(back, back.trial(trial_id)) == pixels
            assert [entry["scores"] for entry in back.trial(trial_id)["entries"]] == [
                entry["scores"] for entry in app.trial(trial_id)["entries"]
            ]
        assert back.trial(first["id"])["verdicts"][0]["reasons"] == "the only one"
        unfinished = [one["id"] for one in back.http.get("/api/trials").json()["items"] if one["id"] not in wanted]
        assert all(entry["state"] == "done" for entry in back.finished(unfinished[0])["entries"])
    with pytest.raises(SetupError, match="There is data already"):
        restore(url, store_at(media.as_uri(), tmp_path), folder)


def test_frames_that_a_backup_lost_are_told_and_made_again(
    app: Running, astronaut: np.ndarray, cluster_url: str, tmp_path: Path
) -> None:
    source = app.read("lost.png", as_png(astronaut[100:300, 100:300]))
    trial = app.finished(app.start_trial(source["id"], "Bilinear", factor=2))
    folder, key = tmp_path / "backup", next(e["picture_id"] for e in trial["entries"] if e["letter"] == "A")
    backup(*place(app), folder)
    shutil.rmtree(folder / "media" / "pictures" / key[:2] / key)
    url, media = fresh_database(cluster_url), tmp_path / "restored" / "media"
    assert restore(url, store_at(media.as_uri(), tmp_path), folder)[1] == 1
    with served(url, tmp_path / "restored") as back:
        assert frames(back, back.trial(trial["id"])) == frames(app, trial)


def test_what_is_no_backup_is_refused(cluster_url: str, tmp_path: Path) -> None:
    url = fresh_database(cluster_url)
    media = store_at((tmp_path / "media").as_uri(), tmp_path)
    with pytest.raises(SetupError, match="holds no backup"):
        restore(url, media, tmp_path)
    (tmp_path / "database.dump").write_text("no dump")
    with pytest.raises(SetupError, match="pg_restore failed"):
        restore(url, media, tmp_path)
    with psycopg.connect(url) as connection:
        assert connection.execute("select to_regclass('trials')").fetchone() == (None,)
    with pytest.raises(SetupError, match="no database"):
        backup(url.rpartition("/")[0] + "/none", media, tmp_path / "out")
