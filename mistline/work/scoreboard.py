"""The scores of a trial as people read them: best and tied marked, the trade-off front, a sentence for each."""

import json
import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mistline.core.choose.at_spots import describe_spots
from mistline.core.choose.ranking import Mark, Timed, beaten, front, marks, time_marks
from mistline.core.choose.words import Score, describe, describe_beside_input
from mistline.core.measure import MEASURES, Measure
from mistline.core.setup import AnySetup
from mistline.store.database import Row

__all__ = ["Scoreboard", "better_of", "scoreboard", "sentences", "spot_sentences", "worth_by"]

TIME = "time"


@dataclass(frozen=True)
class Scoreboard:
    """Marks by entry letter and measure id ("time" is the process time); letters on each measure's front with time.

    A time of another machine than most others' is marked as such, and stands on no front.

    `beaten` names for a letter those that are no worse in anything and better in something.
    """

    marks: dict[str, dict[str, Mark]]
    fronts: dict[str, list[str]]
    beaten: dict[str, list[str]]


def _value(row: Row, measure: str) -> float:
    """A figure for ranking; a score without value and note is infinite, one that was not measured is NaN."""
    score = row["scores"].get(measure)
    if score is None or score["note"]:
        return math.nan
    return math.inf if score["value"] is None else float(score["value"])


def worth_by(rows: Sequence[Row], measure: Measure) -> dict[str, float]:
    """How good the candidates are by a measure: more is better; what was not measured is left out."""
    racing = [row for row in rows if row["control"] is None]
    truth = next((row for row in rows if row["control"] == "truth"), None)
    values = {row["letter"]: _value(row, measure.id) for row in racing}
    if measure.better.startswith("nearer"):
        aim = 0.0 if measure.better == "nearer to zero" else _value(truth, measure.id) if truth else math.nan
        values = {letter: abs(value - aim) for letter, value in values.items()}
    sign = 1 if measure.better == "higher" else -1
    return {letter: sign * value for letter, value in values.items() if not math.isnan(value)}


def spot_sentences(rows: Mapping[str, Sequence[Row]], measure_id: str) -> list[str]:
    """What the spots, by name, say of the entries by a measure."""
    measure = MEASURES[measure_id]
    worth = {spot: worth_by(entries, measure) for spot, entries in rows.items()}

    def told(entries: Sequence[Row], letters: Mapping[str, float]) -> dict[str, str]:
        values = {row["letter"]: _value(row, measure_id) for row in entries if row["letter"] in letters}
        words = {letter: f"{value:.{measure.digits}f} {measure.unit}".strip() for letter, value in values.items()}
        return {letter: f"{measure.name} {text}" for letter, text in words.items()}

    return describe_spots(worth, measure.tie, {spot: told(entries, worth[spot]) for spot, entries in rows.items()})


def _timed_on(row: Row) -> str | None:
    """The machine that all times of an entry are of; None if several made it."""
    return None if row["timing"].get("machines") else json.dumps(row.get("machine"), sort_keys=True)


def _most_used(machines: Sequence[str | None]) -> str | None:
    """The machine that most entries were timed on, the first of equals: only its times are held against one another."""
    known = Counter(machine for machine in machines if machine is not None)
    return known.most_common(1)[0][0] if known else ""


def scoreboard(entries: Sequence[Row]) -> Scoreboard:
    """Rank the finished candidates of a trial; controls are never ranked."""
    done = [row for row in entries if row["state"] == "done"]
    racing = [row for row in done if row["control"] is None]
    table: dict[str, dict[str, Mark]] = {row["letter"]: {} for row in racing}
    worth = {measure.id: worth_by(done, measure) for measure in MEASURES.values()}
    for key, values in worth.items():
        for letter, mark in marks(values, MEASURES[key].tie, higher=True).items():
            table[letter][key] = mark
    timed = [row for row in racing if row["timing"]["process"]]  # what somebody states is not ranked with it
    here = _most_used([_timed_on(row) for row in timed])
    times = {
        row["letter"]: Timed(row["timing"]["median"], min(row["timing"]["process"]), max(row["timing"]["process"]))
        for row in timed
        if _timed_on(row) == here
    }
    for row in timed:
        table[row["letter"]][TIME] = "other machine"
    for letter, mark in time_marks(times).items():
        table[letter][TIME] = mark
    fronts = {
        key: front(
            {letter: (times[letter], value) for letter, value in values.items() if letter in times},
            MEASURES[key].tie,
        )
        for key, values in worth.items()
        if values
    }
    ties = {key: measure.tie for key, measure in MEASURES.items()}
    return Scoreboard(table, fronts, beaten(worth, ties, times))


def better_of(entries: Sequence[Row], first: str, second: str) -> dict[str, str]:
    """By measure id (and "time") the letter of the better of two candidates, or "tied"; only what both have."""
    two = (first, second)
    marked = scoreboard([row for row in entries if row["letter"] in two or row["control"] == "truth"]).marks
    ranked = [{key for key, mark in marked.get(one, {}).items() if mark != "other machine"} for one in two]
    both = ranked[0] & ranked[1]
    return {key: next((letter for letter in two if marked[letter][key] == "best"), "tied") for key in both}


def _scores(row: Row | None) -> dict[str, Score]:
    found = row["scores"] if row else {}
    return {key: Score(**found.get(key, {"value": None, "note": "not measured"})) for key in MEASURES}


def sentences(entries: Sequence[Row], setup: AnySetup) -> dict[str, str]:
    """What each entry does to the picture, by letter; nothing for the truth.

    At factor 1 the nearest-neighbour control is the input itself: the noise of the others is told from there. Without a
    truth everything is.
    """
    controls = {row["control"]: row for row in entries if row["control"]}
    truth, nearest = _scores(controls.get("truth")), controls.get("nearest")
    untreated = _scores(nearest) if nearest and nearest["scores"] else None
    given = untreated if setup.factor == 1 else None

    def told(row: Row) -> str:
        if not setup.has_truth:
            return "" if row["control"] else describe_beside_input(_scores(row), _scores(nearest), setup.factor)
        if row["control"]:
            return "" if row["control"] == "truth" else describe(_scores(row), truth, setup.factor)
        return describe(_scores(row), truth, setup.factor, given, untreated)

    return {row["letter"]: told(row) for row in entries}
