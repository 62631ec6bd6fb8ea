"""Trials over HTTP: plan, run, follow, read the scores, decide."""

import csv
import io
from dataclasses import asdict
from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, Depends, Path, Query, Response

from mistline.api import schemas
from mistline.api.download import as_file
from mistline.api.recipes import known_models
from mistline.core.choose.evidence import figures_for
from mistline.core.choose.side_by_side import Made, side_by_side
from mistline.core.frame import Size
from mistline.core.measure import MEASURES
from mistline.core.methods.recipe import Recipe
from mistline.core.setup import AnySetup, NativeSetup, Plan, read_setup
from mistline.core.timing.break_even import Shortcut
from mistline.core.timing.cost import PriceBook
from mistline.errors import Conflict, NotFound
from mistline.store import pictures, prices, speeds, takes, trials, workers
from mistline.store.database import Row, connect
from mistline.work import trials as use_cases
from mistline.work.delivering import Stated
from mistline.work.pricing import job_of, priced
from mistline.work.requests import Timing
from mistline.work.scoreboard import Scoreboard, better_of, scoreboard, sentences
from mistline.work.storage import low_disk

__all__ = ["router", "within"]

VERDICTS_A_PAGE, MOST_SHOWN = 20, 100
router = APIRouter(tags=["trials"], dependencies=[Depends(known_models)])


def _pixels(size: Size) -> schemas.Pixels:
    return schemas.Pixels(width=size.width, height=size.height)


def _plan(
    source: Size,
    sizes: Plan,
    count: int,
    frames: int,
    forecasts: list[schemas.Outlook],
    suggested: list[schemas.Suggested],
    frame_bytes: float | None = None,
    around_seconds: float = 0,
) -> schemas.PlanAnswer:
    return schemas.PlanAnswer(
        source=_pixels(source),
        target=_pixels(sizes.target),
        input=_pixels(sizes.input),
        cropped=list(sizes.cropped),
        bars=list(sizes.bars),
        rgb_bytes=sizes.rgb_bytes,
        factors=list(sizes.factors),
        share=sizes.share,
        takes=count,
        repeats=use_cases.repeats_of(frames),
        frames=frames,
        forecasts=forecasts,
        suggested=suggested,
        frame_bytes=frame_bytes,
        around_seconds=around_seconds,
    )


@router.post("/plans", operation_id="planTrial")
def plan_trial(request: schemas.PlanRequest) -> schemas.PlanAnswer:
    """What a trial would do, in numbers; recipes of unknown speed get timed on a crop meanwhile."""
    ids = [str(key) for key in request.recipe_ids]
    found = use_cases.outlook(str(request.source_id), request.setup, ids, request.first, request.frames)
    forecasts = [
        schemas.Outlook(recipe_id=UUID(key), way=found.ways[key], **(asdict(known) if known else {}))
        for key, known in found.forecasts.items()
    ]
    part, off = found.sizes.part, found.sizes.cropped
    whole = Size(part.width + off[0], part.height + off[1])
    suggested = [
        schemas.Suggested(recipe_id=UUID(key), reason=each.reason) for key, each in found.suggested.items()
    ]
    beside = (found.frame_bytes, found.around_seconds)
    return _plan(whole, found.sizes, found.takes, found.frames, forecasts, suggested, *beside)


@router.post("/previews", operation_id="previewInput")
async def preview_input(request: schemas.PreviewRequest) -> schemas.Preview:
    """What the set-up does to the truth, on a small crop."""
    centre = (request.across, request.down)
    found = await use_cases.preview(str(request.source_id), request.setup, request.frame, centre)
    return schemas.Preview(**found.model_dump())


@router.post("/alignments", operation_id="align")
async def align(request: schemas.AlignRequest) -> NativeSetup:
    """How a larger version of a scene lies on a source, as the set-up of a test against it."""
    return await use_cases.aligned(str(request.source_id), str(request.native_id), request.frame)


@router.get("/trials", operation_id="trials")
def list_trials(cursor: str | None = None, limit: Annotated[int, Query(ge=1, le=200)] = 40) -> schemas.TrialPage:
    """Trials, newest first."""
    with connect() as connection:
        rows, following = trials.page(connection, cursor, limit)
    items = [schemas.TrialItem(**row, words=read_setup(row["setup"]).words()) for row in rows]
    return schemas.TrialPage(items=items, next_cursor=following)


@router.post("/trials", status_code=201, operation_id="startTrial")
def start_trial(request: schemas.TrialRequest) -> schemas.Created:
    """Enter recipes and controls, and queue every take that does not exist yet."""
    ids = [str(key) for key in request.recipe_ids]
    return schemas.Created(
        id=UUID(
            use_cases.start_trial(
                str(request.source_id), request.name, request.setup, ids, request.first, request.frames
            )
        )
    )


def _passes(row: Row) -> list[schemas.PassShown]:
    if row["recipe"] is None:
        return []
    recipe = Recipe.model_validate(row["recipe"])
    steps = recipe.every_pass()
    ran = row["settings"] or [{} for _ in steps]
    shown = [
        schemas.PassShown(
            name=step.definition.name,
            changed=step.differences(),
            settings={key: value for key, value in settings.items() if key != "method"},
        )
        for step, settings in zip(steps, ran, strict=True)
    ]
    if recipe.blend:
        opacity: dict[str, object] = {"opacity": recipe.blend.opacity}
        shown.append(schemas.PassShown(name=f"Over it {recipe.blend.name}", changed=opacity, settings=opacity))
    if recipe.over_size > 1:
        made: dict[str, object] = {"times": recipe.over_size}
        shown.append(schemas.PassShown(name="Made over-size, then down", changed=made, settings=made))
    return shown


def _words(recipe: Row | None, stated: Row | None) -> str:
    """How a result was made."""
    if recipe:
        return Recipe.model_validate(recipe).words()
    return Stated.model_validate(stated).words() if stated else "The truth, through the same write and read"


def _entry(row: Row, marks: dict[str, Any], sentence: str, factor: float) -> schemas.Entry:
    words = _words(row["recipe"], row["stated"])
    if row["recipe"] and (way := Recipe.model_validate(row["recipe"]).way(factor)):
        words = f"{words} ({way})"
    fields = {name: row[name] for name in schemas.Entry.model_fields if name in row}
    return schemas.Entry(
        **fields, words=words, passes=_passes(row), marks=marks, sentence=sentence,
        other_size=bool((row["delivered"] or {}).get("other_size")),
    )  # fmt: skip


def _entries(rows: list[Row], setup: AnySetup, board: Scoreboard) -> list[schemas.Entry]:
    told = sentences(rows, setup)
    return [_entry(row, board.marks.get(row["letter"], {}), told[row["letter"]], setup.factor) for row in rows]


def _measures(has_truth: bool, frames: int) -> list[schemas.MeasureShown]:
    """What is measured in a trial; without a truth nothing is close to it, and what it alone tells is not ranked."""
    shown = []
    for measure in MEASURES.values():
        meaning = measure.told(has_truth=has_truth)
        if not meaning or (frames == 1 and "before" in measure.needs):
            continue
        fields = {name: getattr(measure, name) for name in schemas.MeasureShown.model_fields}
        fields |= {"meaning": meaning}
        if not has_truth:
            ranked = "" if measure.better == "nearer to the truth" else measure.better
            fields |= {"better": ranked, "heading": measure.heading.replace("the truth", "the input")}
        shown.append(schemas.MeasureShown(**fields))
    return shown


def _cost(trial: Row, entries: list[Row], book: PriceBook, megapixels: float) -> schemas.TrialCost:
    found = priced(trial, entries, book, megapixels)
    return schemas.TrialCost(
        job=job_of(trial), currency=book.currency,
        priced=any(one.cost.frame > 0 or one.cost.fixed_a_year > 0 or one.note for one in found),
        entries=[schemas.EntryCost(**vars(one)) for one in found],
    )  # fmt: skip


def _break_even(shortcut: Shortcut | None, entries: list[Row], frames: int) -> schemas.BreakEven | None:
    """What of the time that is left each entry takes, the quickest first; a stated time is marked as such."""
    if shortcut is None:
        return None
    found = []
    for row in entries:
        measured, stated = _median(row["timing"]), (row["stated"] or {}).get("seconds")
        seconds = measured if measured is not None or stated is None else stated / frames
        if seconds is not None:
            told = {"letter": row["letter"], "seconds": seconds, "stated": measured is None}
            found.append(schemas.Enlarging(**told, share=shortcut.share(seconds), used=shortcut.used(seconds)))
    return schemas.BreakEven(
        **asdict(shortcut), left=shortcut.left, entries=sorted(found, key=lambda entry: entry.seconds)
    )


def _trial(trial_id: str) -> schemas.Trial:
    with connect() as connection:
        row = trials.get(connection, trial_id)
        entries = trials.entries(connection, trial_id)
        verdicts = trials.verdicts(connection, trial_id)
        same = trials.same(connection, trial_id)
        book, _ = prices.get(connection)
        ids = [row["truth_picture"], row["input_picture"], *(entry["picture_id"] for entry in entries)]
        shown = pictures.some(connection, [each for each in ids if each])
    board = scoreboard(entries)
    setup, size = read_setup(row["setup"]), Size(row["facts"]["width"], row["facts"]["height"])
    settled = setup.at(size)
    fields = {name: row[name] for name in schemas.Trial.model_fields if name in row and name != "setup"}
    measures = _measures(setup.has_truth, row["frames"])
    plan = setup.plan(size)
    return schemas.Trial(
        **fields,
        setup=setup,
        words=setup.words(),
        bit_depth=row["facts"]["bit_depth"],
        source_frames=row["facts"].get("frames", 1),
        rate=row["facts"].get("rate"),
        fronts=board.fronts,
        beaten=board.beaten,
        plan=_plan(size, plan, len(entries), row["frames"], [], []),
        entries=_entries(entries, settled, board),
        pictures=[schemas.Picture(**picture, tile=pictures.TILE) for picture in shown],
        break_even=_break_even(setup.shortcut, entries, row["frames"]),
        cost=_cost(row, entries, book, plan.target.megapixels),
        same=[schemas.Pair(**pair) for pair in same],
        has_truth=setup.has_truth,
        measures=measures,
        factor=settled.factor,
        lead=settled.lead,
        evidence=figures_for(row["kind"], [measure.id for measure in measures]),
        verdicts=[schemas.Verdict(**verdict) for verdict in verdicts],
    )


@router.get("/trials/{trial_id}", operation_id="trial")
def get_trial(trial_id: UUID) -> schemas.Trial:
    """A whole trial."""
    return _trial(str(trial_id))


def _made(row: Row) -> Made:
    """How an entry was made, for comparison."""
    if row["stated"]:
        stated = Stated.model_validate(row["stated"])
        seconds = f"{stated.seconds:.3g} s, stated" if stated.seconds is not None else ""
        fee = f"{stated.fee:.3g} {stated.currency}".strip() if stated.fee is not None else ""
        facts = {"made with": stated.tool or row["name"], "version": stated.version, "machine": stated.machine,
                 "time": seconds, "fee": fee}  # fmt: skip
        return Made(facts, stated=stated.settings)
    machine = row["machine"] or {}
    facts = {
        "made with": "Mistline",
        "machine": f"{machine['processor']}, {machine['cores']} cores" if machine else "",
    }
    return Made(facts, [(step.name, step.settings) for step in _passes(row)])


@router.get("/trials/{trial_id}/beside", operation_id="sideBySide")
def get_side_by_side(trial_id: UUID, first: str, second: str) -> schemas.SideBySide:
    """Two entries beside one another: how each was made, what differs first, and which is better by what."""
    with connect() as connection:
        trials.get(connection, str(trial_id))
        rows = trials.entries(connection, str(trial_id))
    named = {row["letter"]: row for row in rows if row["control"] is None}
    if not {first, second} <= set(named) or first == second:
        raise NotFound("There are no two such candidates in this trial.")
    found = side_by_side(_made(named[first]), _made(named[second]))
    settings = [
        schemas.SettingShown(name=each.name, first=each.first, second=each.second, differs=each.differs)
        for each in found
    ]
    return schemas.SideBySide(settings=settings, better=better_of(rows, first, second))


@router.delete("/trials/{trial_id}", status_code=204, operation_id="removeTrial")
def remove_trial(trial_id: UUID) -> None:
    """Cancel what runs for a trial alone and remove it with its verdicts; for a day it can be restored."""
    use_cases.remove_trial(str(trial_id))


@router.post("/trials/{trial_id}/restore", status_code=204, operation_id="restoreTrial")
def restore_trial(trial_id: UUID) -> None:
    """Bring a removed trial back; what was cancelled with it runs again."""
    use_cases.restore_trial(str(trial_id))


@router.post("/trials/{trial_id}/cancel", operation_id="cancelTrial")
def cancel_trial(trial_id: UUID) -> schemas.Count:
    """Cancel all takes of a trial that wait or run."""
    return schemas.Count(count=use_cases.cancel_trial(str(trial_id)))


@router.post("/queue/retry", operation_id="retryFailed")
def retry_failed() -> schemas.Count:
    """Run everything again that failed, in all trials."""
    return schemas.Count(count=use_cases.retry_failed())


@router.post("/takes/{key}/cancel", operation_id="cancelTake")
def cancel_take(key: str) -> schemas.Count:
    """Cancel one take."""
    return schemas.Count(count=int(use_cases.cancel_take(key)))


@router.post("/takes/{key}/move", status_code=204, operation_id="moveTake")
def move_take(key: str, place: schemas.QueuePlace) -> None:
    """Let a take that waits run sooner or later."""
    use_cases.move_take(key, place.before)


@router.post("/takes/{key}/retry", status_code=202, operation_id="retryTake")
def retry_take(key: str) -> None:
    """Run a failed or cancelled take again."""
    use_cases.retry_take(key)


@router.get("/queue", operation_id="queue")
def get_queue() -> schemas.Queue:
    """What runs, what waits, and the time left."""
    with connect() as connection:
        rows = takes.queue(connection)
        left = speeds.expected_of(connection, rows)
        failed, at_once = len(takes.failed(connection)), max(1, workers.making(connection))
    left = [
        row["seconds_left"] if row["state"] == "running" else seconds
        for row, seconds in zip(rows, left, strict=True)
    ]
    known = [seconds for seconds in left if seconds is not None]
    total = max(sum(known) / at_once, *known, 0.0) if len(known) == len(left) else None
    return schemas.Queue(
        items=[schemas.QueueItem(**row) for row in rows[:MOST_SHOWN]],
        number=len(rows),
        seconds_left=total,
        failed=failed,
        low_disk=low_disk(),
    )


@router.get("/workers", operation_id="workers")
def get_workers() -> list[schemas.Worker]:
    """The workers of all machines that were heard of within the hour."""
    with connect() as connection:
        return [schemas.Worker(**row) for row in workers.every(connection)]


def _text(words: str) -> str:
    """Text for a cell that no spreadsheet takes for a formula."""
    return f"'{words}" if words.lstrip()[:1] in ("=", "+", "-", "@") else words


def _cell(score: schemas.Score | None) -> float | str:
    if score is None or score.note:
        return ""
    return "inf" if score.value is None else score.value


def within(trial_id: str, found: dict[str, Row]) -> list[schemas.Entry]:
    """The entries with the scores that were found for a part of the picture, by letter, ranked by them."""
    with connect() as connection:
        trial = trials.get(connection, trial_id)
        rows = trials.entries(connection, trial_id)
    rows = [{**row, "scores": found[row["letter"]]} for row in rows if row["letter"] in found]
    setup = read_setup(trial["setup"]).at(Size(trial["facts"]["width"], trial["facts"]["height"]))
    return _entries(rows, setup, scoreboard(rows))


@router.get("/trials/{trial_id}/scores.csv", operation_id="scoresCsv", response_class=Response)
def scores_csv(trial_id: UUID) -> Response:
    """The table of scores as CSV; an infinite PSNR is written as `inf`."""
    trial = _trial(str(trial_id))
    out = io.StringIO()
    table = csv.writer(out)
    units = [f"{measure.name} ({measure.unit or '1'})" for measure in trial.measures]
    table.writerow(
        [
            "entry",
            "recipe",
            "passes",
            "control",
            "state",
            *units,
            "median time (s)",
            "spread (s)",
            "repeats",
            "frames per second",
            "peak memory (bytes)",
            "processor",
            "what it does",
        ]
    )
    for entry in trial.entries:
        timing = entry.timing or Timing()
        values = [_cell(entry.scores.get(measure.id)) for measure in trial.measures]
        table.writerow(
            [
                entry.letter,
                _text(entry.name),
                _text(entry.words),
                entry.control or "",
                entry.state,
                *values,
                timing.median,
                timing.spread,
                len(timing.process) or "",
                1 / timing.median if timing.median else "",
                timing.peak_bytes,
                _text(entry.machine.processor) if entry.machine else "",
                _text(entry.sentence),
            ]
        )
    return Response(
        out.getvalue(), media_type="text/csv; charset=utf-8", headers=as_file(f"{trial.name}, scores.csv")
    )


@router.get("/trials/{trial_id}/scores.json", operation_id="scoresJson")
def scores_json(trial_id: UUID, response: Response) -> schemas.Trial:
    """The whole trial as a JSON download."""
    trial = _trial(str(trial_id))
    response.headers.update(as_file(f"{trial.name}, scores.json"))
    return trial


@router.post("/trials/{trial_id}/verdicts", status_code=201, operation_id="writeVerdict")
def write_verdict(trial_id: UUID, request: schemas.VerdictRequest) -> schemas.Trial:
    """Write a verdict; the earlier ones stay as history."""
    with connect() as connection:
        trials.get(connection, str(trial_id))
        entries = {row["letter"]: row for row in trials.entries(connection, str(trial_id))}
        for letter in filter(None, (request.pick, request.fallback)):
            if letter not in entries or entries[letter]["control"] == "truth":
                raise NotFound(f"There is no entry {letter} to choose in this trial.")
            if entries[letter]["state"] != "done":
                raise Conflict(f"Entry {letter} has no result yet; wait for it or choose another.")
        trials.add_verdict(connection, {"trial_id": str(trial_id), **request.model_dump()})
    return _trial(str(trial_id))


def _median(timing: Row | None) -> float | None:
    """The process time of a take; none where it is being made, for the first time or again."""
    return timing.get("median") if timing else None


def _figures(kind: str, scores: dict[str, float | None]) -> list[str]:
    """What speaks for the pick, in words."""
    known = {key: value for key, value in scores.items() if value is not None}
    shown = [(MEASURES[key], known[key]) for key in figures_for(kind, known)]
    return [f"{measure.name} {value:.{measure.digits}f} {measure.unit}".strip() for measure, value in shown]


@router.get("/playbook", operation_id="playbook")
def playbook() -> list[schemas.PlaybookKind]:
    """Every kind with its standing choice."""
    with connect() as connection:
        rows = trials.playbook(connection, 1)
    return [
        schemas.PlaybookKind(
            kind=row["kind"], kind_name=row["kind_name"], standing=_verdict_in_force(row) if row["id"] else None,
            earlier=row["number"] - 1 if row["id"] else 0,
        )
        for row in rows
    ]  # fmt: skip


@router.get("/playbook/{kind}", operation_id="playbookKind")
def playbook_kind(
    kind: Annotated[str, Path(max_length=40)], before: Annotated[int, Query(ge=0, le=2**63 - 1)]
) -> schemas.PlaybookPage:
    """The next verdicts of a kind before that of an id, newest first."""
    with connect() as connection:
        rows = [row for row in trials.playbook(connection, VERDICTS_A_PAGE, kind, before) if row["id"]]
    more = rows[0]["number"] - len(rows) if rows else 0
    return schemas.PlaybookPage(verdicts=[_verdict_in_force(row) for row in rows], more=more)


def _verdict_in_force(row: Row) -> schemas.PlaybookVerdict:
    fields = {name: row[name] for name in schemas.PlaybookVerdict.model_fields if name in row}
    return schemas.PlaybookVerdict(
        **fields, setup_words=read_setup(row["setup"]).words(),
        pick_words=_words(row["pick_recipe"], row["pick_stated"]), pick_seconds=_median(row["pick_timing"]),
        pick_figures=_figures(row["kind"], row["pick_scores"] or {}),
        fallback_seconds=_median(row["fallback_timing"]),
    )  # fmt: skip
