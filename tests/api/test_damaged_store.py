"""Pictures that were damaged or removed on the disk are noticed, made again, and only then used."""

import shutil
from pathlib import Path

import numpy as np
import psycopg
import pytest

from tests.conftest import as_png
from tests.harness import Running


@pytest.fixture(scope="module")
def trial(app: Running, astronaut: np.ndarray) -> dict:
    source = app.read("sound.png", as_png(astronaut[:151, :203]))
    return app.finished(app.start_trial(source["id"], "Bicubic", factor=2))


def pictures(app: Running, trial: dict) -> dict[str, str]:
    """Ids of the source, the truth (cropped from it), the input and a take."""
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        row = connection.execute(
            "select s.picture_id, p.truth_picture, p.input_picture from trials t join sources s on s.id = t.source_id "
            "join plates p on p.key = t.plate_key where t.id = %s", [trial["id"]]
        ).fetchone()  # fmt: skip
    take = next(entry for entry in trial["entries"] if entry["letter"] == "A")["picture_id"]
    return dict(zip(("source", "truth", "input", "take"), (*row, take), strict=True))


def place(app: Running, picture_id: str) -> Path:
    return app.media / "pictures" / picture_id[:2] / picture_id


def files(folder: Path) -> list[Path]:
    return [*folder.rglob("*.png"), *folder.rglob("*.zip")]


def cut_short(folder: Path) -> None:
    for path in files(folder):
        path.write_bytes(path.read_bytes()[:-7])


def one_bit(folder: Path) -> None:
    for path in files(folder):
        content = bytearray(path.read_bytes())
        content[len(content) // 2] ^= 4
        path.write_bytes(content)


def only_tiles(folder: Path) -> None:
    shutil.rmtree(folder / "view")


@pytest.mark.parametrize("damage", [cut_short, one_bit, only_tiles, shutil.rmtree])
@pytest.mark.parametrize("which", ["source", "truth", "input", "take"])
def test_a_damaged_picture_is_made_again(app: Running, trial: dict, which: str, damage) -> None:
    key = pictures(app, trial)[which]
    urls = [
        f"/api/pictures/{key}/{part}" for part in ("frames/0/tiles/0/0/0", "frames/0/thumbnail", "frames/0/plate")
    ]
    before = [app.http.get(url).content for url in urls]
    damage(place(app, key))
    answers = [app.http.get(url) for url in urls]
    assert [answer.status_code for answer in answers] == [200] * 3
    assert [answer.content for answer in answers] == before


def test_a_new_take_is_made_on_mended_plates_only(app: Running, trial: dict) -> None:
    kept = pictures(app, trial)
    for which in ("source", "truth", "input", "take"):
        one_bit(place(app, kept[which]))
    again = app.finished(app.start_trial(trial["source_id"], "Bilinear", "Bicubic", factor=2))
    scores = {entry["letter"]: entry["scores"]["psnr_rgb"]["value"] for entry in again["entries"]}
    assert [entry["state"] for entry in again["entries"]] == ["done"] * 4
    assert scores["T"] is None and 20 < scores["A"] < scores["B"]


def test_what_was_never_there_is_not_made(app: Running, trial: dict) -> None:
    key = pictures(app, trial)["take"]
    for url in (
        f"{key}/frames/0/tiles/0/9/0",
        f"{key}/frames/0/tiles/7/0/0",
        f"{key}/frames/1/tiles/0/0/0",
        f"{key}/frames/0/tiles/-1/0/0",
        f"{'0' * 64}/frames/0/plate",
        "x/frames/0/plate",
    ):
        assert app.http.get(f"/api/pictures/{url}").status_code == 404


def test_a_damaged_original_is_said_and_an_upload_takes_its_place(app: Running, astronaut: np.ndarray) -> None:
    content = as_png(astronaut[:90, :91])
    source = app.read("old.png", content)
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        key = connection.execute("select hash from sources where id = %s", [source["id"]]).fetchone()[0]
        connection.execute("update sources set state = 'failed' where id = %s", [source["id"]])
    path = app.media / "originals" / key[:2] / key
    path.write_bytes(content[:-30])
    app.http.post(f"/api/sources/{source['id']}/read")

    def failed() -> str:
        return app.http.get(f"/api/sources/{source['id']}").json()["error"] or ""

    from tests.harness import until

    assert "old.png was damaged in the media store or removed; import it again" in until(
        failed, what="the failure"
    )
    assert app.read("old.png", content)["state"] == "ready" and path.read_bytes() == content
