"""Join what was found of the shards of a take: times, scores frame by frame, likeness to other takes."""

from collections.abc import Iterable, Sequence

import numpy as np

from mistline.work.requests import Alike, OnMachine, Scored, ShardMade, Timing

__all__ = ["joined_alike", "joined_scores", "joined_timing"]


def _largest(values: Iterable[int | None]) -> int | None:
    return max((value for value in values if value is not None), default=None)


def _total(values: Iterable[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return sum(known) if known else None


def _by_machine(made: Sequence[ShardMade]) -> list[OnMachine]:
    """Frames and times of each machine, where there were several."""
    machines = {shard.machine.id: shard.machine for shard in made}
    found = []
    for key, machine in machines.items() if len(machines) > 1 else ():
        own = [shard for shard in made if shard.machine.id == key]
        runs = [seconds for shard in own for seconds in shard.timing.process]
        frames = sum(len(shard.scores) for shard in own)
        found.append(OnMachine(machine=machine, frames=frames, median=float(np.median(runs)) if runs else None))
    return found


def joined_timing(made: Sequence[ShardMade]) -> Timing:
    """Every run of every frame in its order; the median and the spread are over all of them."""
    shards = [shard.timing for shard in made]
    runs = [seconds for shard in shards for seconds in shard.process]
    busy = [shard.busy_elsewhere for shard in shards if shard.busy_elsewhere is not None]
    return Timing(
        load=_total(shard.load for shard in shards), write=_total(shard.write for shard in shards),
        warm_up=shards[0].warm_up, process=runs, median=float(np.median(runs)) if runs else None,
        spread=max(runs) - min(runs) if runs else None, busy_elsewhere=float(np.mean(busy)) if busy else None,
        peak_bytes=_largest(shard.peak_bytes for shard in shards),
        added_bytes=_largest(shard.added_bytes for shard in shards), machines=_by_machine(made),
    )  # fmt: skip


def _mean(frames: Sequence[Scored]) -> Scored:
    """The mean over the frames that have a value; infinite where all measured ones are, else why there is none.

    A part that fewer than half of them have, as a mistake that is named on a few, is no part of the whole.
    """
    known = [score for score in frames if score.value is not None]
    if not known:
        return next((score for score in frames if not score.note), frames[0])
    names = known[0].parts.keys() if len(known) == 1 else {name for score in known for name in score.parts}
    parts = {name: [score.parts[name] for score in known if name in score.parts] for name in names}
    return Scored(
        value=float(np.mean([score.value for score in known])),
        parts={name: float(np.mean(values)) for name, values in parts.items() if 2 * len(values) >= len(known)},
    )


def joined_scores(shards: Sequence[ShardMade]) -> dict[str, tuple[Scored, list[float | None]]]:
    """Each measure's mean over the frames, and its values frame by frame."""
    frames = [scores for shard in shards for scores in shard.scores]
    unread = Scored(value=None, note="not read on this frame")
    every = {measure: [scores.get(measure, unread) for scores in frames] for measure in frames[0]}
    return {measure: (_mean(scores), [score.value for score in scores]) for measure, scores in every.items()}


def joined_alike(shards: Sequence[ShardMade]) -> dict[str, Alike]:
    """How alike a take is to those that all its shards were compared with: the same only if each compared frame is."""
    common = set.intersection(*(set(shard.alike) for shard in shards))
    found = {key: [pair for shard in shards for pair in shard.alike[key]] for key in common}
    return {
        key: Alike(
            psnr=min((pair.psnr for pair in pairs if pair.psnr is not None), default=None),
            worst=max(pair.worst for pair in pairs), same=all(pair.same for pair in pairs),
        )
        for key, pairs in found.items()
    }  # fmt: skip
