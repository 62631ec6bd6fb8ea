"""Single steps of the child process, on stills and on clips alike."""

from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from mistline.core.frame import Size
from mistline.core.media.plate import SHARD, Plate
from mistline.core.setup import TruthSetup
from mistline.errors import BadMedia
from mistline.work.requests import Footage, MakeViews, Prepare, PreviewInput, ReadOriginal
from mistline.work.steps.footage import PictureWriter, write_still
from mistline.work.steps.look import make_views
from mistline.work.steps.prepare import prepare, preview_input
from mistline.work.steps.read import read_original
from tests.conftest import as_png
from tests.core.media.clips import number_of, numbered, write_clip

FRAMES = SHARD + 2


def silent(stage: str, share: float) -> None: ...


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Footage:
    path = write_clip(tmp_path_factory.mktemp("clips") / "a.mkv", "ffv1", "yuv444p", 30)
    return Footage(original=path, name="a.mkv")


def preparing(clip: Footage, out: Path, first: int, frames: int, **setup: object) -> tuple[Plate, Plate | None]:
    request = Prepare(
        name="a.mkv",
        source=clip,
        size=Size(128, 96),
        setup=TruthSetup.model_validate(setup),
        first=first,
        frames=frames,
        rate="25/1",
        out=out,
    )
    made = prepare(request, silent)
    assert made.input.frames == frames and made.input.rate == "25/1"
    truth = Plate(sorted((out / "truth/shards").iterdir())) if made.truth else None
    return Plate(sorted((out / "input/shards").iterdir())), truth


def test_a_part_of_a_clip_becomes_truth_and_input(clip: Footage, tmp_path: Path) -> None:
    small, truth = preparing(clip, tmp_path, 5, FRAMES, factor=2)
    assert truth is not None and len(truth.shards) == len(small.shards) == 2
    assert [number_of(codes) for codes in truth.stream(0, FRAMES)] == list(range(5, 5 + FRAMES))
    assert {codes.shape for codes in small.stream(0, FRAMES)} == {(48, 64, 3)}
    assert (tmp_path / "truth/view/0/thumbnail.png").exists() and not (tmp_path / "truth/view/1").exists()


def test_noise_differs_from_frame_to_frame_and_comes_again_by_its_seed(clip: Footage, tmp_path: Path) -> None:
    def noise(folder: str, **setup: object) -> list[np.ndarray]:
        noisy, truth = preparing(clip, tmp_path / folder, 0, 4, factor=1, noise=6, **setup)
        assert truth is not None
        return [
            noisy.codes(number)[16:].astype(float) - truth.codes(number)[16:].astype(float) for number in range(4)
        ]

    one, again, other = noise("one"), noise("again"), noise("other", seed=2)
    for first in range(4):
        assert np.std(one[first]) / 257 == pytest.approx(6, rel=0.03)
        assert np.array_equal(one[first], again[first]) and not np.array_equal(one[first], other[first])
        for second in range(first):
            assert abs(np.corrcoef(one[first].ravel(), one[second].ravel())[0, 1]) < 0.03


def test_the_input_of_a_still_is_that_of_the_first_frame(tmp_path: Path) -> None:
    codes = numbered(3)
    (tmp_path / "a.png").write_bytes(as_png(codes))
    picture = write_still(tmp_path / "still", codes)
    assert (picture.frames, picture.rate, picture.levels) == (1, None, 1)
    writer = PictureWriter(tmp_path / "moving", Fraction(24000, 1001))
    for _ in range(3):
        writer.add(codes)
    assert (writer.close().frames, writer.close().rate) == (3, "24000/1001")
    found = []
    for name, frames in (("still", 1), ("moving", 3)):
        source = Footage(shards=sorted((tmp_path / name / "shards").iterdir()))
        small, truth = preparing_from(source, tmp_path / f"of {name}", frames)
        assert truth is None  # the source itself is the truth
        found.append(small)
    assert np.array_equal(found[0].codes(), found[1].codes(0))
    assert not np.array_equal(found[1].codes(0), found[1].codes(1))


def preparing_from(source: Footage, out: Path, frames: int) -> tuple[Plate, Plate | None]:
    setup = TruthSetup(factor=2, noise=5, underexposed=3)
    made = prepare(
        Prepare(name="a", source=source, size=Size(128, 96), setup=setup, frames=frames, out=out), silent
    )
    return Plate(sorted((out / "input/shards").iterdir())), Plate([]) if made.truth else None


def test_an_original_clip_is_read_small(clip: Footage, tmp_path: Path) -> None:
    assert clip.original
    found = read_original(ReadOriginal(name="a.mkv", path=clip.original, out=tmp_path), silent)
    assert found.picture.from_original and (found.picture.frames, found.picture.rate) == (30, "25/1")
    assert sorted(int(view.name) for view in (tmp_path / "picture/view").iterdir()) == found.facts["strip"]
    for number in found.facts["strip"]:
        small = cv2.imread(str(tmp_path / f"picture/view/{number}/thumbnail.png"))[..., ::-1]
        assert number_of(small.astype(np.uint16) * 257) == number
    assert "3 frames" in found.traits.measured_on and 0.3 < found.traits.mean_level < 0.6


def test_views_and_whole_frames_of_a_clip(clip: Footage, tmp_path: Path) -> None:
    make_views(MakeViews(name="a", footage=clip, frames=[7, 8, 9], out=tmp_path / "view"), silent)
    for number in (7, 8, 9):
        tile = cv2.imread(str(tmp_path / f"view/{number}/0/0_0.png"))[..., ::-1]
        assert tile.shape == (96, 128, 3) and number_of(tile.astype(np.uint16) * 257) == number
    make_views(MakeViews(name="a", footage=clip, frames=[4, 5], out=tmp_path / "small", view="small"), silent)
    assert [path.name for path in (tmp_path / "small/5").iterdir()] == ["thumbnail.png"]
    make_views(MakeViews(name="a", footage=clip, frames=[29], out=tmp_path / "whole", view="whole"), silent)
    whole = cv2.imread(str(tmp_path / "whole/29/whole.png"), cv2.IMREAD_UNCHANGED)[..., ::-1]
    assert whole.dtype == np.uint16 and number_of(whole) == 29


def test_a_frame_that_is_not_there_is_said(clip: Footage, tmp_path: Path) -> None:
    with pytest.raises(BadMedia, match=r"a\.mkv has 30 frames and no frame 30"):
        make_views(MakeViews(name="a", footage=clip, frames=[30], out=tmp_path), silent)


@pytest.mark.parametrize("frame", [0, 17])
def test_the_preview_is_of_the_frame_that_is_asked_for(clip: Footage, frame: int) -> None:
    import base64

    request = PreviewInput(name="a", source=clip, frame=frame, setup=TruthSetup(factor=2), centre=(0.5, 0.5))
    made = preview_input(request, silent)
    shown = cv2.imdecode(np.frombuffer(base64.b64decode(made.truth), np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
    assert (made.width, made.height) == (128, 96) and number_of(shown.astype(np.uint16) * 257) == frame


def test_why_noise_cannot_be_told_is_said_of_a_clip_that_hides_it_on_most_frames(tmp_path: Path) -> None:
    def picture(number: int, size: tuple[int, int]) -> np.ndarray:
        flat = np.full((size[1], size[0], 3), 120 if number == 1 else 255.0)
        noise = np.random.default_rng(number).normal(0, 4, flat.shape)
        return np.clip(np.rint(flat + noise), 0, 255).astype(np.uint8)

    path = write_clip(tmp_path / "a.mkv", "ffv1", "yuv444p", 3, size=(256, 192), picture=picture)
    found = read_original(ReadOriginal(name="a.mkv", path=path, out=tmp_path), silent).traits
    assert found.noise_sigma is None and found.noise_note and not found.noise_curve
    assert found.noise_colour is None and found.colour_note
