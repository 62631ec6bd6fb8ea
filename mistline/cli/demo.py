"""Put the demo data there, once: the invented plates on the Shelf, and one trial that is really run."""

import json
import time
from pathlib import Path

from mistline.core.degrade.setup import Setup
from mistline.store import recipes, sources, trials
from mistline.store.database import connect
from mistline.store.settings import ROOT
from mistline.work.trials import import_original, start_trial

__all__ = ["seed"]

PLATES = ROOT / "demo" / "media"
PATIENCE = 120.0


def _await_read(source_id: str) -> None:
    deadline = time.monotonic() + PATIENCE
    while time.monotonic() < deadline:
        with connect() as connection:
            if sources.get(connection, source_id)["state"] in ("ready", "failed"):
                return
        time.sleep(0.2)


def seed(folder: Path = PLATES) -> None:
    """Import the plates that are not there yet and run the first trial if there is none."""
    manifest = json.loads((folder / "plates.json").read_text())
    with connect() as connection:
        if trials.page(connection, None, 1)[0]:
            return
    ids = {}
    for plate in reversed(manifest["plates"]):
        with (folder / plate["file"]).open("rb") as file:
            row, _ = import_original(file, plate["file"], plate["kind"], plate["story"])
        ids[plate["file"]] = str(row["id"])
    first = manifest["trial"]
    _await_read(ids[first["file"]])
    with connect() as connection:
        chosen = [str(row["id"]) for row in recipes.every(connection) if row["name"] in first["recipes"]]
    start_trial(ids[first["file"]], first["name"], Setup(**first["setup"]), chosen)
