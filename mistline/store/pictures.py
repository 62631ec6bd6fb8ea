"""Pictures (frames in shards, with view tiles) and the truth and input of a test set-up."""

import json
import re
from collections.abc import Iterable
from pathlib import Path

from mistline.core.media.plate import TILE, is_whole_png, shard_name, shards_of
from mistline.errors import Damaged, NotFound
from mistline.store import database
from mistline.store.database import Connection, Row, queries
from mistline.store.files import media
from mistline.store.hashes import file_hash

__all__ = [
    "THUMBNAIL", "TILE", "WHOLE", "add_plate", "bytes_a_pixel", "file_key", "get", "has", "is_id", "keep",
    "keep_map", "keep_slice", "keep_view", "map_facts", "map_name", "origin", "part", "plate", "shard_files",
    "slice_name", "some",
]  # fmt: skip

SQL = queries("pictures")
THUMBNAIL, WHOLE = "thumbnail.png", "whole.png"


def file_key(picture_id: str, name: str) -> str:
    """Where a file of a picture lies in the media store."""
    return f"pictures/{picture_id[:2]}/{picture_id}/{name}"


def is_id(text: str) -> bool:
    """Whether a text can be a picture's id: ids are digests; nothing else reaches the media store.

    >>> is_id("0f" * 32), is_id("../" * 21 + "x")
    (True, False)
    """
    return re.fullmatch(r"[0-9a-f]{64}", text) is not None


def shard_files(picture_id: str, folder: Path, frames: Iterable[int] | None = None) -> list[Path]:
    """The shards that hold a picture's frames (all, if none are named) as local files, proven to be whole.

    They are fetched into the folder where the store is not one.

    Raises
    ------
    Damaged
        If one is missing or is not what was written.
    """
    with database.connect() as connection:
        count = get(connection, picture_id)["frames"]
        noted = {row["first"]: row for row in connection.execute(SQL["shards"], {"id": picture_id})}
    wanted = set(range(count) if frames is None else frames)
    found = []
    for first, length in shards_of(count):
        if wanted.isdisjoint(range(first, first + length)):
            continue
        row = noted.get(first)
        if row is None:
            raise Damaged(picture_id)
        found.append(_sound(picture_id, row, folder))
    return found


def _sound(picture_id: str, row: Row, folder: Path) -> Path:
    path = media().fetch(file_key(picture_id, shard_name(row["first"])), row["hash"], folder)
    if path is None:
        raise Damaged(picture_id)
    return path


def part(picture_id: str, name: str) -> bytes | None:
    """A file of a picture's view; None where it is missing or not what was written."""
    try:
        data = media().read(file_key(picture_id, f"view/{name}"))
    except NotFound:
        return None
    return data if is_whole_png(data) else None


def has(row: Row, name: str) -> bool:
    """Whether the view of a picture can have a file of that name: its frames and tiles are known.

    >>> picture = {"frames": 1, "levels": 1, "width": 600, "height": 9}
    >>> [has(picture, name) for name in ("0/0/1_0.png", "0/thumbnail.png", "1/thumbnail.png", "0/0/1_1.png")]
    [True, True, False, False]
    """
    frame, _, rest = name.partition("/")
    if not re.fullmatch(r"\d{1,6}", frame) or int(frame) >= row["frames"]:
        return False
    place = re.fullmatch(r"(\d{1,3})/(\d{1,6})_(\d{1,6})\.png", rest)
    if not place:
        return rest in (THUMBNAIL, WHOLE)
    level, column, line = (int(number) for number in place.groups())
    step = TILE * 2**level
    return bool(level < row["levels"] and column * step < row["width"] and line * step < row["height"])


def keep(connection: Connection, picture_id: str, folder: Path, facts: Row, *, anew: bool = False) -> str:
    """Take over finished shards (and views, if there are) of a picture from a folder and note them; return its id.

    `facts` tells of the whole picture, of which this may be a part. What is noted already stays, unless it was damaged
    and is made `anew`.
    """
    connection.execute(SQL["lock"], {"id": picture_id})
    connection.execute(SQL["add"], {"from_original": False, **facts, "id": picture_id})
    noted = {row["first"] for row in connection.execute(SQL["shards"], {"id": picture_id})}
    for first, length in shards_of(facts["frames"]):
        path = folder / shard_name(first)
        if not path.exists() or (first in noted and not anew):
            continue
        row = {"id": picture_id, "first": first, "frames": length, "file_bytes": path.stat().st_size,
               "hash": file_hash(path)}  # fmt: skip
        media().replace(path, file_key(picture_id, shard_name(first)))
        connection.execute(SQL["add_shard"], row)
    connection.execute(SQL["sum_up"], {"id": picture_id})
    views = folder / "view"
    for view in views.iterdir() if views.exists() else ():
        _keep(connection, view, picture_id, view.name)
    return picture_id


def _keep(connection: Connection, path: Path, picture_id: str, name: str) -> None:
    """Put a file or folder into the view of a picture, and note what it takes."""
    key = file_key(picture_id, f"view/{name}")
    media().replace(path, key)
    connection.execute(SQL["more_views"], {"id": picture_id, "bytes": media().bytes_below(key)})


def slice_name(axis: str, at: int) -> str:
    """The file of a row or column over all frames, in a picture's view."""
    return f"{axis}/{at}.png"


def keep_slice(connection: Connection, path: Path, picture_id: str, axis: str, at: int) -> None:
    """Put a row or column over all frames into the view."""
    _keep(connection, path, picture_id, slice_name(axis, at))


def map_name(fault: str, frame: int) -> str:
    """The folder of a map of faults, in a picture's view."""
    return f"maps/{fault}/{frame}"


def keep_map(connection: Connection, folder: Path, picture_id: str, fault: str, frame: int, facts: Row) -> None:
    """Put a map of faults (`map.png` in the folder) with its facts into the view."""
    (folder / "facts.json").write_text(json.dumps(facts))
    _keep(connection, folder, picture_id, map_name(fault, frame))


def map_facts(picture_id: str, fault: str, frame: int) -> Row | None:
    """The facts of a map that is kept whole; None where there is none."""
    name = map_name(fault, frame)
    if part(picture_id, f"{name}/map.png") is None:
        return None
    try:
        facts: Row = json.loads(media().read(file_key(picture_id, f"view/{name}/facts.json")))
    except (NotFound, ValueError):
        return None
    return facts


def keep_view(connection: Connection, path: Path, picture_id: str, frame: int, name: str = "") -> None:
    """Put the view of a frame that was cut (or one file of it) in the place of what is there."""
    _keep(connection, path, picture_id, f"{frame}/{name}".rstrip("/"))


def origin(connection: Connection, picture_id: str) -> Row:
    """What a picture was made of: `source_id`, `any_take` of its set-up, or `take_key`; the others are None."""
    return database.one(connection.execute(SQL["origin"], {"id": picture_id}))


def some(connection: Connection, ids: list[str]) -> list[Row]:
    """Those pictures that are there, in the order of the ids."""
    rows = {row["id"]: row for row in connection.execute(SQL["some"], {"ids": ids})}
    return [rows[each] for each in dict.fromkeys(ids) if each in rows]


def get(connection: Connection, picture_id: str) -> Row:
    """One picture, or `NotFound`."""
    row = connection.execute(SQL["get"], {"id": picture_id}).fetchone()
    if row is None:
        raise NotFound("There is no such picture; the take it belongs to may have been removed.")
    return row


def bytes_a_pixel(connection: Connection, *, moving: bool) -> float | None:
    """What a pixel of kept clips, or of stills, takes on average; None where nothing was kept yet."""
    found: float | None = database.one(connection.execute(SQL["bytes_a_pixel"], {"moving": moving}))["bytes"]
    return found


def plate(connection: Connection, key: str) -> Row | None:
    """Truth (none in a test without one), input and input traits of a set-up, if they were made."""
    return connection.execute(SQL["plate"], {"key": key}).fetchone()


def add_plate(connection: Connection, key: str, truth: str | None, small: str, traits: Row) -> None:
    """Note the plates of a set-up; the first to note them wins, all are equal."""
    values = {"key": key, "truth_picture": truth, "input_picture": small, "traits": database.json(traits)}
    connection.execute(SQL["add_plate"], values)
