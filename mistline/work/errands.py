"""Send a trial's input to a remote service; what comes back is an entry that was made elsewhere."""

import asyncio
import time
from dataclasses import asdict, dataclass
from fractions import Fraction
from pathlib import Path

from procrastinate import Blueprint

from mistline.core.frame import Size
from mistline.core.methods.recipe import digest
from mistline.core.setup import AnySetup, Plan, read_setup
from mistline.core.timing.errand import Errand, foretold
from mistline.errors import Conflict, OutOfLimits
from mistline.store import errands, trials
from mistline.store.database import Connection, Row, connect
from mistline.store.files import media
from mistline.work.connector import (
    Carried,
    Connector,
    GivenUp,
    Stage,
    Stopped,
    carry_out,
    connector_of,
    connectors,
)
from mistline.work.delivering import Stated, deliver, write_input
from mistline.work.making import stored
from mistline.work.tasks import ERRANDS, with_outcome

__all__ = ["Offer", "cancel", "jobs", "offers", "requeue_adrift", "send"]

jobs = Blueprint()
HEARD_AGAIN = 2.0  # seconds, until it is asked whether somebody cancelled it, though nothing has changed


@dataclass(frozen=True)
class Offer:
    """What a service would do for a trial: its fee, and what it will take by earlier errands (None before the first).

    `refused` says why it cannot.
    """

    connector: Connector
    fee: float
    takes: Errand | None
    refused: str


def _sizes(trial: Row) -> tuple[AnySetup, Plan]:
    size = Size(trial["facts"]["width"], trial["facts"]["height"])
    setup = read_setup(trial["setup"])
    return setup.at(size), setup.plan(size)


def _refusal(connector: Connector, trial: Row) -> str:
    setup, sizes = _sizes(trial)
    try:
        connector.check(sizes.input.megapixels, setup.factor, trial["frames"])
    except OutOfLimits as why:
        return str(why)
    return ""


def offers(trial_id: str) -> list[Offer]:
    """What the services that are described would do for a trial."""
    with connect() as connection:
        trial = trials.get(connection, trial_id)
        return [_offer(connection, connector, trial) for connector in connectors().values()]


def _offer(connection: Connection, connector: Connector, trial: Row) -> Offer:
    earlier = [_ran(row) for row in errands.known_times(connection, connector.id)]
    _, sizes = _sizes(trial)
    rate = trial["facts"].get("rate")
    fee = connector.fee.of(sizes.target.megapixels, trial["frames"], float(Fraction(rate)) if rate else None)
    takes = foretold(earlier, sizes.target.megapixels * trial["frames"])
    return Offer(connector, fee, takes, _refusal(connector, trial))


def _ran(row: Row) -> Errand:
    sent, wait, process, fetched = (
        row["times"][name] or 0.0 for name in ("uploading", "queued", "processing", "downloading")
    )
    return Errand(row["megapixels"], sent + fetched, wait, process)


def send(trial_id: str, connector_id: str) -> str:
    """Send the input of a trial to a service; return the errand's id.

    Raises
    ------
    OutOfLimits
        If the service does not take it, or the trial's budget does not allow it.
    Conflict
        If it is there already.
    """
    connector = connector_of(connector_id)
    with connect() as connection:
        trials.lock(connection, trial_id)  # two at once might spend the same budget
        trial = trials.get(connection, trial_id)
        if refused := _refusal(connector, trial):
            raise OutOfLimits(refused)
        if trial["input_picture"] is None:
            raise Conflict("The input of this trial is not made yet; it is there once the first entry runs.")
        # The trial is part of the key: what another trial paid for is its own.
        key = digest({"trial": trial_id, "plate": trial["plate_key"], "connector": connector.id})
        fee = _offer(connection, connector, trial).fee
        left = None if trial["budget"] is None else trial["budget"] - errands.spent(connection, trial_id, key)
        if left is not None and fee > left:
            raise OutOfLimits(
                f"It would cost {fee:.2f} {connector.fee.currency} and {max(left, 0):.2f} of the trial's budget are "
                "left; raise the budget first."
            )
        row = errands.add(
            connection,
            {"trial_id": trial_id, "connector": connector.id, "name": connector.name, "key": key, "forecast": fee,
             "currency": connector.fee.currency,
             "megapixels": _sizes(trial)[1].target.megapixels * trial["frames"]},
        )  # fmt: skip
    _queue(str(row["id"]))
    return str(row["id"])


def requeue_adrift() -> None:
    """Give a new job to every errand that waits for one that is gone."""
    with connect() as connection:
        lost = errands.adrift(connection)
    for errand_id in lost:
        _queue(errand_id)


def _queue(errand_id: str) -> None:
    """Give an errand a job."""
    job = run_errand.defer(errand_id=errand_id)
    with connect() as connection:
        errands.set_job(connection, errand_id, job)


def cancel(errand_id: str) -> bool:
    """Give an errand up; what the service has begun it may charge all the same."""
    with connect() as connection:
        errands.get(connection, errand_id)
        return errands.cancel(connection, errand_id)


@jobs.task(name="run_errand", queue=ERRANDS)
async def run_errand(errand_id: str) -> None:
    """Carry an input to a service and back; begun again it goes on where it was."""
    row = await stored(errands.claim, errand_id)
    if row is not None:
        await with_outcome(_run(row), lambda error: stored(errands.fail, errand_id, error))


async def _run(row: Row) -> None:
    connector, errand_id = connector_of(row["connector"]), str(row["id"])
    told: tuple[Stage, float, str | None] | None = None
    told_at = 0.0

    def report(stage: Stage, share: float, remote_id: str | None, fee: float | None) -> None:
        nonlocal told, told_at
        now = (stage, round(share, 2), remote_id)
        if now == told and time.monotonic() - told_at < HEARD_AGAIN:
            return
        told, told_at = now, time.monotonic()
        with connect() as connection:
            if not errands.progress(connection, errand_id, stage, share, remote_id, fee):
                raise Stopped("It was cancelled.")

    trial_id, key = str(row["trial_id"]), f"{row['key']}-{row['attempt']}"
    with media().workspace() as folder:
        picture, _ = await write_input(trial_id, folder)
        out = folder / f"result{picture.suffix}"
        try:
            found = await asyncio.to_thread(carry_out, connector, picture, key, out, report, row["remote_id"])
        except Stopped:
            return
        except GivenUp:
            await stored(errands.begin_anew, errand_id)
            raise
        stated = _stated(connector, found)
        letter = await asyncio.to_thread(_delivered, trial_id, out, connector, stated)
    times = {name: value for name, value in asdict(found).items() if name not in ("fee", "repeated")}
    await stored(errands.finish, errand_id, letter, times, found.fee)


def _stated(connector: Connector, found: Carried) -> Stated:
    return Stated(
        tool=connector.name, machine="a remote service", seconds=found.processing, fee=found.fee,
        currency=connector.fee.currency, settings="as it does by itself", version="",
    )  # fmt: skip


def _delivered(trial_id: str, result: Path, connector: Connector, stated: Stated) -> str:
    """Enter the result; where an earlier run had got so far, the entry that is there."""
    try:
        with result.open("rb") as file:
            return deliver(trial_id, [(f"{connector.id}{result.suffix}", file)], stated)
    except Conflict:
        with connect() as connection:
            rows = trials.entries(connection, trial_id)
        mine = [row["letter"] for row in rows if (row["stated"] or {}).get("tool") == connector.name]
        if not mine:
            raise
        return str(mine[0])
