"""Put the demo data there, once: invented plates on the Shelf, trials that are really run, their spots and verdicts."""

import asyncio
import json
import socket
import sys
import time
from pathlib import Path
from typing import Any

from mistline.core.setup import AnySetup, read_setup
from mistline.core.timing.cost import PriceBook
from mistline.store import prices, recipes, sources, spots, trials
from mistline.store.database import connect
from mistline.store.settings import ROOT, Settings
from mistline.work import errands, standing_in
from mistline.work.fingerprinting import measure_methods
from mistline.work.trials import LETTERS, aligned, import_original, start_trial

__all__ = ["seed", "service"]

PLATES = ROOT / "demo" / "media"
PATIENCE = 120.0


def service(settings: Settings) -> list[str]:
    """Describe the stand-in for a remote service at a free port; return the command that starts it."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = int(probe.getsockname()[1])
    folder = settings.connectors_folder
    folder.mkdir(parents=True, exist_ok=True)
    described = json.loads((ROOT / "standins" / "service.json").read_text())
    (folder / "linnet.json").write_text(json.dumps({**described, "address": f"http://127.0.0.1:{port}"}, indent=1))
    return [sys.executable, "-m", "standins.service", "--port", str(port)]


def _await_read(source_id: str) -> None:
    deadline = time.monotonic() + PATIENCE
    while time.monotonic() < deadline:
        with connect() as connection:
            if sources.get(connection, source_id)["state"] in ("ready", "failed"):
                return
        time.sleep(0.2)


def seed(folder: Path = PLATES) -> None:
    """Import the plates that are not there yet and run the trials if there is none."""
    manifest = json.loads((folder / "plates.json").read_text())
    with connect() as connection:
        if trials.page(connection, None, 1)[0]:
            return
        prices.put(connection, PriceBook.model_validate(manifest["prices"]), prices.get(connection)[1])
    ids = {}
    for plate in reversed(manifest["plates"]):
        with (folder / plate["file"]).open("rb") as file:
            row, _ = import_original(file, plate["file"], plate["kind"], plate["story"])
        ids[plate["file"]] = str(row["id"])
    keys = [_run(ids, trial) for trial in manifest["trials"]]
    for key, trial in zip(keys, manifest["trials"], strict=True):
        if connector := trial.get("service"):
            _await_input(key)
            errands.send(key, connector)
    measure_methods(None)


def _setup(ids: dict[str, str], trial: dict[str, Any]) -> AnySetup:
    """The set-up of a trial; a native version is named by its file, and aligned."""
    if "native" not in trial:
        return read_setup(trial["setup"])
    native = ids[trial["native"]]
    _await_read(native)
    return asyncio.run(aligned(ids[trial["file"]], native, 0)).model_copy(update=trial["setup"])


def _await_input(trial_id: str) -> None:
    deadline = time.monotonic() + PATIENCE
    while time.monotonic() < deadline:
        with connect() as connection:
            if trials.get(connection, trial_id)["input_picture"]:
                return
        time.sleep(0.2)


def _run(ids: dict[str, str], trial: dict[str, Any]) -> str:
    """Run a trial, write its verdict and what is marked in it; return its id."""
    source_id = ids[trial["file"]]
    _await_read(source_id)
    with connect() as connection:
        chosen = [row for row in recipes.every(connection) if row["name"] in trial["recipes"]]
    key = start_trial(
        source_id, trial["name"], _setup(ids, trial), [str(row["id"]) for row in chosen],
        trial.get("first", 0), trial.get("frames"),
    )  # fmt: skip
    letters = {row["name"]: letter for row, letter in zip(chosen, LETTERS, strict=False)}
    verdict = {"trial_id": key, "kind": trial["kind"], "reasons": trial["reasons"]}
    verdict |= {place: letters[trial[place]] for place in ("pick", "fallback")}
    with connect() as connection:
        trials.add_verdict(connection, verdict)
        for spot in trial.get("spots", []):
            spots.add(connection, {"source_id": source_id, "note": "", "frame": 0, **spot})
        for name, (standing, why) in trial.get("standings", {}).items():
            trials.set_standing(connection, key, letters[name], standing, why)
        for remark in trial.get("remarks", []):
            letter = letters[remark["recipe"]]
            spots.add_remark(connection, {"trial_id": key, "letter": letter, "frame": 0, "note": "", **remark})
    if stand_ins := [ids[name] for name in trial.get("stand_ins", [])]:
        for stand_in in stand_ins:
            _await_read(stand_in)
        standing_in.start(key, stand_ins, standing_in.outlook(key, None).damage.setup, soft=True)
    return key
