"""Everything that cannot be made again, in one folder, and back from there.

A backup is a folder: `database.dump` (of pg_dump, custom format), and `media/` with originals, frames of pictures and
the plates of fingerprints, under the keys that they have in the media store. Views are left out: they are cut again.
Files of the media store never change under their key, so that a second backup into the same folder copies only what is
new; the dump takes the old one's place at the end.
"""

import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import psycopg
from psycopg.conninfo import conninfo_to_dict
from psycopg.rows import dict_row

from mistline.core.media.plate import shard_name
from mistline.errors import SetupError
from mistline.store import cluster, storage
from mistline.store.database import Row
from mistline.store.files import Media
from mistline.store.pictures import file_key

__all__ = ["backup", "restore"]

DUMP, MEDIA, HALF = "database.dump", "media", ".half"


def _tool(name: str, url: str, *arguments: str) -> None:
    """Run a tool of PostgreSQL on a database; its password is not seen in the list of processes."""
    parts = {
        "host": "PGHOST",
        "port": "PGPORT",
        "user": "PGUSER",
        "password": "PGPASSWORD",
        "dbname": "PGDATABASE",
    }
    where = {parts[part]: str(value) for part, value in conninfo_to_dict(url).items() if part in parts}
    command = [cluster.binary(name), *arguments]
    done = subprocess.run(command, env={**os.environ, **where}, capture_output=True, text=True, check=False)
    if done.returncode:
        raise SetupError(f"{name} failed: {done.stderr.strip().splitlines()[-1]}")


def _keys(media: Media) -> Iterator[str]:
    """Keys of what cannot be made again, or only by long work."""
    for folder in ("originals", "fingerprints", "pictures"):
        for key in media.keys(folder):
            if folder != "pictures" or "/shards/" in key:
                yield key


def backup(url: str, media: Media, folder: Path) -> int:
    """Write a backup into a folder, beside Mistline at work; return how many files were copied.

    Raises
    ------
    SetupError
        If the folder cannot be used or pg_dump fails.
    """
    copied, fresh = 0, folder / f"{DUMP}{HALF}"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        # Meanwhile nothing is removed: the dump comes first, and all that it tells of is there.
        with psycopg.connect(url, autocommit=True, row_factory=dict_row) as guard, storage.alone(guard):
            _tool("pg_dump", url, "--format=custom", "--no-owner", f"--file={fresh}")
            for key in _keys(media):
                there = folder / MEDIA / key
                if not there.exists():
                    _copy(media, key, there)
                    copied += 1
        fresh.replace(folder / DUMP)
    except OSError as error:
        raise SetupError(
            f"The backup in {folder} is not complete ({error.strerror}); mend that, repeat it."
        ) from None
    except psycopg.Error as error:
        raise SetupError(f"There is no database to be kept: {error}") from None
    return copied


def _copy(media: Media, key: str, there: Path) -> None:
    there.parent.mkdir(parents=True, exist_ok=True)
    half = there.with_name(there.name + HALF)
    with media.open(key) as file, half.open("wb") as out:
        shutil.copyfileobj(file, out, 1 << 20)
    half.rename(there)


def restore(url: str, media: Media, folder: Path) -> tuple[int, int]:
    """Bring a backup back into an empty database and media store.

    Return how many files were copied, and how many of frames are missing or not what was written, which Mistline makes
    again when somebody looks at them.

    Raises
    ------
    SetupError
        If the folder holds no backup, or there is something already.
    """
    if not (folder / DUMP).is_file():
        raise SetupError(f"{folder} holds no backup: there is no {DUMP} in it.")
    with psycopg.connect(url) as connection:
        row = connection.execute("select to_regclass('trials')").fetchone()
    if row and row[0] is not None:
        raise SetupError(
            "There is data already where the backup should go; set MISTLINE_DATA to a folder that does not exist."
        )
    into = f"--dbname={conninfo_to_dict(url)['dbname']}"
    _tool("pg_restore", url, "--no-owner", "--single-transaction", into, str(folder / DUMP))
    kept = [path for path in (folder / MEDIA).rglob("*") if path.is_file() and path.suffix != HALF]
    for path in kept:
        with media.workspace() as scratch:
            media.adopt(Path(shutil.copy(path, scratch / "file")), str(path.relative_to(folder / MEDIA)))
    with psycopg.connect(url, row_factory=dict_row) as connection:
        connection.execute("update pictures set view_bytes = 0")
        rows = connection.execute("select picture_id, first, hash from shards").fetchall()
    return len(kept), sum(not _is_whole(media, row) for row in rows)


def _is_whole(media: Media, row: Row) -> bool:
    """Whether frames are what was written."""
    with media.workspace() as scratch:
        return media.fetch(file_key(row["picture_id"], shard_name(row["first"])), row["hash"], scratch) is not None
