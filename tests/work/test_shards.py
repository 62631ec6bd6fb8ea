"""A take is the same however its frames are shared out; what its shards found is joined."""

import dataclasses
from pathlib import Path

import numpy as np
import pytest

from mistline.core.media.plate import Plate
from mistline.core.timing.machine import this_machine
from mistline.work.joining import joined_alike, joined_scores, joined_timing
from mistline.work.requests import Alike, Scored, ShardMade, Timing
from tests.work.test_sandbox import NLM, run, taking

FRAMES = 8
TEMPORAL = {
    "name": "over time, larger, joined",
    "passes": [
        {"method": "temporal", "settings": {"luma": 100, "colour": 100, "frames": 3}},
        {"method": "bicubic"},
        {"method": "several_frames", "settings": {"frames": 3}},
    ],
}


@pytest.fixture(scope="module", params=[NLM, TEMPORAL], ids=["nlm", "temporal"])
def recipe(request: pytest.FixtureRequest) -> dict:
    return request.param


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory, recipe: dict) -> tuple[ShardMade, Plate]:
    folder = tmp_path_factory.mktemp("whole")
    made = run(taking(folder, recipe, frames=FRAMES, repeats=1))
    assert isinstance(made, ShardMade)
    return made, Plate([folder / "out/picture/shards/000000.zip"])


@pytest.mark.parametrize("cuts", [(5, 3), (1,) * FRAMES])
def test_shards_of_any_length_make_the_same_take(
    tmp_path: Path, whole: tuple, recipe: dict, cuts: tuple[int, ...]
) -> None:
    made, plate = whole
    first, found = 0, []
    for number, frames in enumerate(cuts):
        folder = tmp_path / str(number)
        folder.mkdir()
        request = taking(folder, recipe, frames=FRAMES, repeats=1)
        shard = run(request.model_copy(update={"first": first, "frames": frames}))
        assert isinstance(shard, ShardMade)
        kept = Plate([folder / f"out/picture/shards/{first:06d}.zip"])
        for frame in range(first, first + frames):
            assert np.array_equal(kept.codes(frame), plate.codes(frame))
        found.append(shard)
        first += frames
    assert joined_scores(found) == joined_scores([made])
    assert len(joined_timing(found).process) == FRAMES
    assert sum(shard.clipped * len(shard.scores) for shard in found) / FRAMES == pytest.approx(made.clipped)


def test_a_still_is_a_clip_of_one_frame(tmp_path: Path) -> None:
    made = []
    for frames in (1, 3):
        (folder := tmp_path / str(frames)).mkdir()
        shard = run(taking(folder, NLM, frames=frames, repeats=1))
        assert isinstance(shard, ShardMade)
        made.append((shard.scores[0], Plate([folder / "out/picture/shards/000000.zip"]).codes()))
    assert made[0][0] == made[1][0] and np.array_equal(made[0][1], made[1][1])


def test_a_method_over_time_looks_at_the_frames_around(whole: tuple, recipe: dict, tmp_path: Path) -> None:
    alone = run(taking(tmp_path, recipe, repeats=1))
    assert isinstance(alone, ShardMade)
    same = np.array_equal(Plate([tmp_path / "out/picture/shards/000000.zip"]).codes(), whole[1].codes())
    assert same == (recipe is NLM)


def _shard(values: list[float | None], alike: dict[str, list[Alike]], seconds: list[float]) -> ShardMade:
    scores = [{"psnr": Scored(value=value)} for value in values]
    timing = Timing(
        process=seconds, warm_up=1.0, load=0.5, write=0.25, peak_bytes=int(sum(seconds)), busy_elsewhere=0
    )
    return ShardMade.model_construct(scores=scores, alike=alike, timing=timing, machine=this_machine())


def test_what_shards_found_is_joined() -> None:
    same, other = Alike(psnr=None, worst=0.0, same=True), Alike(psnr=50.0, worst=2.0, same=False)
    shards = [
        _shard([30.0, 34.0], {"x": [same, same], "y": [same, other]}, [1.0, 5.0]),
        _shard([35.0], {"x": [same], "y": [same], "z": [same]}, [3.0]),
    ]
    [(measure, (mean, frames))] = joined_scores(shards).items()
    assert (measure, mean.value, frames) == ("psnr", 33.0, [30.0, 34.0, 35.0])
    timing = joined_timing(shards)
    assert timing.machines == []
    assert (timing.process, timing.median, timing.spread) == ([1.0, 5.0, 3.0], 3.0, 4.0)
    assert (timing.warm_up, timing.load, timing.write, timing.peak_bytes) == (1.0, 1.0, 0.5, 6)
    alike = joined_alike(shards)
    assert set(alike) == {"x", "y"} and alike["x"] == same and (alike["y"].same, alike["y"].worst) == (False, 2.0)


def test_shards_of_two_machines_are_told_apart() -> None:
    shards = [
        _shard([30.0, 34.0], {}, [1.0, 5.0]),
        _shard([35.0], {}, [3.0]),
        _shard([36.0, 37.0], {}, [9.0, 11.0]),
    ]
    other = dataclasses.replace(shards[2].machine, processor="another")
    shards[2] = shards[2].model_copy(update={"machine": other})
    told = joined_timing(shards).machines
    assert [(one.frames, one.median) for one in told] == [(3, 3.0), (2, 10.0)]
    assert told[1].machine.processor == "another" != told[0].machine.processor


def test_a_measure_that_is_infinite_on_every_frame_stays_so() -> None:
    [(mean, frames)] = joined_scores([_shard([None, None], {}, [])]).values()
    assert (mean.value, mean.note, frames) == (None, "", [None, None])


def test_a_part_that_few_frames_have_is_none_of_the_clip() -> None:
    parts = [{"sure": 1.0, "often": 4.0, "seldom": 9.0}, {"sure": 0.0, "often": 2.0}, {"sure": 1.0}, {"sure": 0.0}]
    scores = [{"psnr": Scored(value=30.0, parts=each)} for each in parts]
    shard = _shard([], {}, []).model_copy(update={"scores": scores})
    [(mean, _)] = joined_scores([shard]).values()
    assert mean.parts == {"sure": 0.5, "often": 3.0}
