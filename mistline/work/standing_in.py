"""Stand-ins for a truth that nobody has: truth trials on alike material, and what they foretell of the real one."""

from collections.abc import Sequence
from dataclasses import dataclass

from mistline.core.choose.analogy import Analogy, by_analogy
from mistline.core.choose.stand_in import (
    Candidate,
    Compared,
    LikelyDamage,
    as_soft,
    compared,
    corrected,
    damage_of,
    rank_candidates,
)
from mistline.core.frame import Size
from mistline.core.measure import MEASURES
from mistline.core.methods import Traits
from mistline.core.methods.recipe import Recipe, digest
from mistline.core.setup import AnySetup, TruthSetup, read_setup
from mistline.errors import OutOfLimits
from mistline.store import sources, trials
from mistline.store.database import Connection, Row, connect
from mistline.work.scoreboard import worth_by
from mistline.work.trials import start_trial_of

__all__ = ["Outlook", "StandIn", "outlook", "start"]

MOST = 12


@dataclass(frozen=True)
class StandIn:
    """A trial that stands in: how far it is, how alike its input is, and what each entry is worth by its letter there.

    The letters are those of the real trial.
    """

    row: Row
    setup: AnySetup
    done: int
    takes: int
    failed: int
    compared: list[Compared]
    values: dict[str, float]


@dataclass(frozen=True)
class Outlook:
    """What could stand in, what does, and what that foretells by a measure."""

    damage: LikelyDamage
    candidates: list[tuple[Row, str]]
    stand_ins: list[StandIn]
    measure: str
    analogy: Analogy


def _without_truth(connection: Connection, trial_id: str) -> tuple[Row, AnySetup]:
    trial = trials.get(connection, trial_id)
    setup = read_setup(trial["setup"])
    if setup.has_truth:
        raise OutOfLimits("This trial has a truth of its own; nothing needs to stand in for it.")
    return trial, setup.at(Size(trial["facts"]["width"], trial["facts"]["height"]))


def _factor(setup: AnySetup) -> float:
    return round(max(1.0, setup.factor), 3)


def _identity(row: Row) -> str:
    return digest(Recipe.model_validate(row["recipe"]).identity())


def outlook(trial_id: str, measure: str | None) -> Outlook:
    """What could stand in for the truth of a trial that has none, what does already, and what it foretells.

    Raises
    ------
    OutOfLimits
        If the trial has a truth, or there is no such measure.
    """
    with connect() as connection:
        trial, setup = _without_truth(connection, trial_id)
        real = Traits(**trial["source_traits"])
        factor = _factor(setup)
        rows = sources.like(connection, str(trial["source_id"]), moving=trial["frames"] > 1)
        letters = {_identity(row): row["letter"] for row in trials.entries(connection, trial_id) if row["recipe"]}
        damage = damage_of(real, factor, trial["facts"])
        measure = measure or damage.setup.lead
        if measure not in MEASURES:
            raise OutOfLimits(f"There is no measure named {measure}.")
        standing = [
            _stand_in(connection, row["id"], real, letters, measure)
            for row in trials.stand_ins(connection, trial_id)
        ]
    by_id = {str(row["id"]): row for row in rows}
    ranked = rank_candidates(trial["kind"], real, factor, [_candidate(row) for row in rows])
    found = {
        str(one.row["id"]): one.values for one in standing if one.values and one.done + one.failed == one.takes
    }
    tried = [
        (one.setup, Traits(**one.row["input_traits"]))
        for one in standing
        if isinstance(one.setup, TruthSetup) and one.row["input_traits"]
    ]
    return Outlook(
        corrected(damage, tried, real),
        [(by_id[one.id], why) for one, why in ranked[:MOST]],
        standing,
        measure,
        by_analogy(found, MEASURES[measure].tie, MEASURES[measure].name),
    )


def _candidate(row: Row) -> Candidate:
    size = Size(row["facts"]["width"], row["facts"]["height"])
    return Candidate(str(row["id"]), row["name"], row["kind"], size, Traits(**row["traits"]))


def _stand_in(
    connection: Connection, trial_id: str, real: Traits, letters: dict[str, str], measure: str
) -> StandIn:
    row, entries = trials.get(connection, trial_id), trials.entries(connection, trial_id)
    states = [entry["state"] for entry in entries]
    named = {entry["letter"]: letters.get(_identity(entry)) for entry in entries if entry["recipe"]}
    figures = worth_by([entry for entry in entries if entry["state"] == "done"], MEASURES[measure])
    values = {name: value for letter, value in figures.items() if (name := named[letter]) is not None}
    return StandIn(
        row,
        read_setup(row["setup"]),
        states.count("done"),
        len(states),
        sum(state in ("failed", "cancelled") for state in states),
        compared(real, Traits(**row["input_traits"])) if row["input_traits"] else [],
        values,
    )


def start(trial_id: str, source_ids: Sequence[str], setup: TruthSetup, *, soft: bool) -> list[str]:
    """Run the recipes of a trial on material that stands in for it; return the ids of the new trials.

    Parameters
    ----------
    soft : bool
        Blur each so far that its edges rise as those of the real source do.

    Raises
    ------
    OutOfLimits
        If the trial has a truth, or its recipes are gone.
    """
    with connect() as connection:
        trial, _ = _without_truth(connection, trial_id)
        real = Traits(**trial["source_traits"])
        racing = [row for row in trials.entries(connection, trial_id) if row["recipe"] and row["control"] is None]
        chosen = [sources.get(connection, key) for key in source_ids]
    if not racing:
        raise OutOfLimits("No recipe competes in this trial, so there is nothing to try on a stand-in.")
    made = []
    for source in chosen:
        if not source["traits"]:
            raise OutOfLimits(f"{source['name']} has not been read yet; wait until the Shelf shows its size.")
        traits = Traits(**source["traits"])
        count = source["facts"].get("frames", 1)
        stretch = (source["facts"].get("stretches") or [{"first": 0}])[0]["first"]
        frames = min(trial["frames"], count)
        made.append(
            start_trial_of(
                [{**row["recipe"], "id": row["recipe_id"]} for row in racing], str(source["id"]),
                f"{source['name']} for {trial['source_name']}", as_soft(setup, real, traits) if soft else setup,
                min(stretch, count - frames), frames, stands_in_for=trial_id,
            )
        )  # fmt: skip
    return made
