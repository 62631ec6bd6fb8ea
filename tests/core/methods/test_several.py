"""Frames joined after an enlarger: what neighbours have seen, what they cover, and clips that stand still."""

import cv2
import numpy as np
import pytest
from skimage import data

from mistline.core.frame import Frame, luma, to_frame
from mistline.core.measure.psnr import psnr
from mistline.core.methods import METHODS, Traits, Window, alone
from mistline.core.methods.recipe import Pass, Recipe, run_recipe
from mistline.core.setup import TruthSetup, crop_part

TRAITS = Traits(noise_sigma=0, edge_width=None, mean_level=0.5, measured_on="a test")
JOIN = METHODS["several_frames"]


def panned(name: str, turn: float, frames: int = 7, size: tuple[int, int] = (260, 200)) -> list[Frame]:
    """A photograph that moves between pixels, and turns and grows a little or not, from frame to frame."""
    picture = to_frame(getattr(data, name)()).pixels
    picture = picture if picture.ndim == 3 else np.repeat(picture[..., None], 3, axis=2)
    middle = picture.shape[1] / 2, picture.shape[0] / 2
    found = []
    for number in range(frames):
        way = cv2.getRotationMatrix2D(middle, turn * number, 1 + 0.01 * turn * number)
        way[:, 2] += np.array((2.3, 1.1)) * number
        moved = cv2.warpAffine(picture, way, picture.shape[1::-1], flags=cv2.INTER_LANCZOS4)
        found.append(Frame(np.clip(moved[60 : 60 + size[1], 80 : 80 + size[0]], 0, 1), 16))
    return found


def shrunk(truths: list[Frame], factor: float) -> list[Frame]:
    setup = TruthSetup(factor=factor)
    return list(setup.inputs(truths, setup.plan(truths[0].size)))


def result_of(inputs: list[Frame], target: Frame, at: int, *passes: Pass) -> np.ndarray:
    recipe = Recipe(name="tried", passes=list(passes))
    first = max(0, at - recipe.reach)
    window = Window(tuple(inputs[first : at + recipe.reach + 1]), at - first, at)
    return run_recipe(window, recipe, target.size, TRAITS).frame.pixels


def quality(truth: Frame, pixels: np.ndarray) -> float:
    inside = slice(12, -12), slice(12, -12)
    return psnr(luma(truth.pixels)[inside], luma(pixels)[inside])


@pytest.mark.parametrize("turn", [0, 0.3])
@pytest.mark.parametrize("name", ["astronaut", "coffee", "camera"])
@pytest.mark.parametrize(
    ("factor", "enlarger", "gain"),
    [(2, "faithful_x2", 1.0), (2, "lanczos", 1.0), (1.5, "lanczos", 1.0), (3, "lanczos", 0.5)],
)
def test_neighbours_add_detail_to_any_enlarger(
    name: str, turn: float, factor: float, enlarger: str, gain: float
) -> None:
    """Common practice: frames that are sampled between one another's pixels hold more than one of them."""
    truths = panned(name, turn)
    truths = [crop_part(frame, TruthSetup(factor=factor).plan(frame.size)) for frame in truths]
    truth, inputs = truths[3], shrunk(truths, factor)
    one = quality(truth, result_of(inputs, truth, 3, Pass(method=enlarger)))
    mean, joined = (
        quality(
            truth,
            result_of(
                inputs, truth, 3, Pass(method=enlarger), Pass(method="several_frames", settings={"rounds": rounds})
            ),
        )
        for rounds in (0, 4)
    )
    assert one < mean < joined and joined > one + gain


def test_noise_between_is_averaged_not_brought_back() -> None:
    truths = panned("coffee", 0.3)
    rng = np.random.default_rng(2)
    inputs = [
        frame.with_pixels(frame.pixels + rng.normal(0, 8 / 255, frame.pixels.shape).astype(np.float32))
        for frame in shrunk(truths, 2)
    ]
    one = quality(truths[3], result_of(inputs, truths[3], 3, Pass(method="lanczos")))
    joined = quality(
        truths[3], result_of(inputs, truths[3], 3, Pass(method="lanczos"), Pass(method="several_frames"))
    )
    assert joined > one + 1.5


def test_what_passes_in_front_leaves_no_ghost() -> None:
    posts = []
    for number, frame in enumerate(panned("coffee", 0)):
        pixels = frame.pixels.copy()
        pixels[:, 10 + 24 * number : 26 + 24 * number] = (0.9, 0.2, 0.1)
        posts.append(frame.with_pixels(pixels))
    inputs = shrunk(posts, 2)
    chain = [Pass(method="lanczos")]
    errors = [
        np.abs(luma(result_of(inputs, posts[3], 3, *passes) - posts[3].pixels))[12:-12, 12:-12]
        for passes in (chain, [*chain, Pass(method="several_frames")])
    ]
    assert np.percentile(errors[1], 99.5) < 1.05 * np.percentile(errors[0], 99.5)
    assert errors[1].mean() < errors[0].mean()


def test_a_still_a_cut_and_a_standing_clip_keep_the_frame() -> None:
    one, other = panned("astronaut", 0, 1)[0], panned("chelsea", 0, 1)[0]
    assert np.array_equal(JOIN.run(alone(one), JOIN.settings(), one.size).pixels, one.pixels)
    standing = JOIN.run(Window((one,) * 5, 2, 2), JOIN.settings(), one.size).pixels
    assert np.abs(standing - one.pixels).max() < 1 / 255
    cut = JOIN.run(Window((other, other, one, one, one), 2, 2), JOIN.settings(), one.size).pixels
    assert np.abs(cut - one.pixels).mean() < 0.5 / 255


def test_results_must_agree_with_what_was_enlarged_not_with_what_was_noisy() -> None:
    truths = panned("coffee", 0, 3)
    inputs = shrunk(truths, 2)
    chain = [Pass(method="bicubic"), Pass(method="several_frames", settings={"frames": 3})]
    soft = Pass(method="gaussian", settings={"luma": 50, "colour": 50})
    softened = [Frame(result_of(inputs, frame, at, soft), 16) for at, frame in enumerate(inputs)]
    at_once = result_of(inputs, truths[1], 1, soft, *chain)
    assert np.array_equal(at_once, result_of(softened, truths[1], 1, *chain))
    assert not np.allclose(at_once, result_of(inputs, truths[1], 1, *chain), atol=0.02)
