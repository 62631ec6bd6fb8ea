"""Networks: tiles equal the whole, shipped ones do what their cards say, dropped-in ones are looked into."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from onnx import helper

from mistline.core.frame import Frame, Size, luma, to_frame
from mistline.core.measure.detail import detail_by_octave
from mistline.core.measure.psnr import psnr
from mistline.core.media.plate import quantise
from mistline.core.methods import METHODS, Traits, Window, alone
from mistline.core.methods.inspect import inspect_model
from mistline.core.methods.learned import method_of
from mistline.core.methods.network import ModelCard, apply, door, feed, in_tiles, session
from mistline.core.methods.recipe import Recipe, run_recipe
from mistline.core.setup import TruthSetup
from mistline.errors import BadModel, OutOfLimits, ProcessingFailed
from tests.core.methods.models import blur, hidden_external, hidden_operator, resizer, save

SHIPPED = [key for key, method in METHODS.items() if method.card]
TRAITS = Traits(noise_sigma=2.0, edge_width=1.5, mean_level=0.4, measured_on="a test")


def card_of(key: str) -> ModelCard:
    card = METHODS[key].card
    assert card is not None
    return card


def shipped_file(key: str) -> Path:
    return Path(__file__).parents[3] / "mistline" / "core" / "models" / f"{key}.onnx"


@pytest.fixture(scope="module")
def crop(photograph: Frame) -> Frame:
    return photograph.with_pixels(photograph.pixels[60:316, 140:396])


def small(crop: Frame, **damage: object) -> Frame:
    setup = TruthSetup.model_validate({"factor": 2, **damage})
    codes, _ = quantise(next(setup.inputs([crop], setup.plan(crop.size))), 8)
    return to_frame(codes)


def ran(key: str, frame: Frame, target: Size, **settings: object) -> Frame:
    method = METHODS[key]
    return method.run(alone(frame), method.resolve(settings, TRAITS), target)


def test_six_networks_ship_with_cards_of_what_they_were_trained_on() -> None:
    assert len(SHIPPED) == 6
    for key in SHIPPED:
        card = card_of(key)
        assert card.file_bytes == shipped_file(key).stat().st_size < 2.5 * 2**20
        assert "scikit-image" in card.data and "CC0" in card.data and "steps" in card.training and card.figures


@pytest.mark.parametrize("key", SHIPPED)
def test_tiles_give_the_whole_picture(key: str, photograph: Frame) -> None:
    card = card_of(key)
    pixels = photograph.pixels[:150, :166, : card.channels]
    if card.levels:
        pixels = np.concatenate([pixels, np.full((150, 166, 2), 0.04, np.float32)], axis=2)
    run = door(shipped_file(key), card)
    whole = in_tiles(run, pixels, card, tile=512)
    assert np.abs(in_tiles(run, pixels, card, tile=48) - whole).max() < 2e-6
    assert whole.shape == (150 * card.factor, 166 * card.factor, card.channels)


@pytest.mark.parametrize("level", [0.1, 0.5, 0.8])
@pytest.mark.parametrize("size", [(97, 130), (64, 64)])
@pytest.mark.parametrize("key", SHIPPED)
def test_a_flat_field_stays_flat_to_the_last_pixel(key: str, size: tuple[int, int], level: float) -> None:
    factor = card_of(key).factor
    flat = Frame(np.full((*size, 3), level, np.float32), 8)
    result = ran(key, flat, Size(size[1] * factor, size[0] * factor)).pixels
    assert np.abs(result - np.median(result)).max() < 1 / 255


@pytest.mark.parametrize("key", SHIPPED)
def test_odd_sizes_and_grey_pictures_are_taken(key: str, photograph: Frame) -> None:
    factor = card_of(key).factor
    grey = photograph.with_pixels(photograph.pixels[:41, :37, :1])
    result = ran(key, grey, Size(37 * factor, 41 * factor))
    assert result.pixels.shape == (41 * factor, 37 * factor, 1)
    assert abs(float(result.pixels.mean() - grey.pixels.mean())) < 0.02


def test_the_faithful_network_beats_bicubic_by_the_margin_its_card_reports(crop: Frame) -> None:
    given = small(crop)
    found = {
        key: psnr(luma(crop.pixels), luma(ran(key, given, crop.size).pixels)) for key in ("faithful_x2", "bicubic")
    }
    assert found["faithful_x2"] > found["bicubic"] + 0.8
    first = card_of("faithful_x2").figures[0]
    assert first.model > first.beside["Bicubic"] + 0.8


def test_the_crisp_network_is_sharper_and_less_faithful(crop: Frame) -> None:
    given = small(crop)
    faithful, crisp = (luma(ran(key, given, crop.size).pixels) for key in ("faithful_x2", "crisp_x2"))
    truth = luma(crop.pixels)
    assert psnr(truth, crisp) < psnr(truth, faithful) - 1
    one, other = (detail_by_octave(truth, result).octaves["1/8 to 1/4"] for result in (faithful, crisp))
    assert one.kept is not None and other.kept is not None
    assert other.kept > 1.5 * one.kept and other.invented > one.invented


def test_the_sturdy_network_holds_on_damage_that_spoils_the_faithful_one(crop: Frame) -> None:
    given, truth = small(crop, noise=8, jpeg=70), luma(crop.pixels)
    faithful, sturdy = (
        psnr(truth, luma(ran(key, given, crop.size).pixels)) for key in ("faithful_x2", "mixed_x2")
    )
    assert sturdy > faithful + 0.5


def test_the_denoiser_beats_non_local_means_at_25(crop: Frame) -> None:
    setup = TruthSetup(factor=1, noise=25)
    noisy = to_frame(quantise(next(setup.inputs([crop], setup.plan(crop.size))), 8)[0])
    truth = luma(crop.pixels)
    learned = psnr(truth, luma(ran("blind_denoise", noisy, crop.size).pixels))
    classic = psnr(truth, luma(ran("non_local_means", noisy, crop.size, luma=50, colour=50).pixels))
    assert learned > classic + 0.5


def test_strength_mixes_with_the_plain_input(crop: Frame) -> None:
    full, half, none = (ran("blind_denoise", crop, crop.size, strength=s).pixels for s in (100, 50, 0))
    assert np.array_equal(none, crop.pixels) and np.abs(half - (full + none) / 2).max() < 1e-6


@pytest.mark.parametrize("factor", [1.5, 3, 4])
def test_any_factor_is_reached_by_repeating_and_scaling_down(factor: float, crop: Frame) -> None:
    given = crop.with_pixels(crop.pixels[:40, :60])
    target = Size(round(60 * factor), round(40 * factor))
    cooked = run_recipe(
        alone(given), Recipe.model_validate({"name": "n", "passes": [{"method": "faithful_x2"}]}), target, TRAITS
    )
    plain = ran("bicubic", given, target)
    assert cooked.frame.size == target and np.abs(cooked.frame.pixels - plain.pixels).mean() < 0.02


# Models that people drop in


def looked_into(path: Path) -> ModelCard:
    return inspect_model(path, path.name, "model_test")


@pytest.mark.parametrize("layout", ["NCHW", "NHWC"])
@pytest.mark.parametrize("scale", [2, 3])
def test_scale_and_layout_are_found(scale: int, layout: str, tmp_path: Path) -> None:
    card = looked_into(resizer(tmp_path / "big.onnx", scale, layout))
    assert (card.factor, card.layout, card.channels, card.task) == (scale, layout, 3, "enlarge")
    assert abs(card.shift_right) < 0.02 and abs(card.shift_down) < 0.02 and card.multiple == 1


def test_half_pixel_shifts_are_measured(tmp_path: Path) -> None:
    """Sampling at i / 2 instead of (i + 0.5) / 2 - 0.5 moves a doubled picture half a pixel left and up."""
    card = looked_into(resizer(tmp_path / "off.onnx", 2, coordinates="asymmetric"))
    assert (card.shift_right, card.shift_down) == pytest.approx((-0.5, -0.5), abs=0.08)
    assert any("moves the picture" in note for note in card.notes)


@pytest.mark.parametrize("radius", [1, 3, 6])
def test_reach_is_measured_and_enough(radius: int, tmp_path: Path, photograph: Frame) -> None:
    path = blur(tmp_path / "soft.onnx", radius)
    card = looked_into(path)
    assert radius <= card.overlap <= 2 * radius + 2 and card.task == "reduce noise"
    run, pixels = door(path, card), photograph.pixels[:120, :130]
    inside = slice(radius, -radius)
    tiled = in_tiles(run, pixels, card, tile=32)
    assert np.abs(tiled - run(pixels))[inside, inside].max() < 1e-6


def test_a_range_of_255_is_found(tmp_path: Path) -> None:
    assert looked_into(blur(tmp_path / "wide.onnx", 1, bias=4.0)).top == 255
    assert looked_into(blur(tmp_path / "unit.onnx", 1, bias=0.01)).top == 1


def test_a_fixed_side_becomes_the_tile(tmp_path: Path, photograph: Frame) -> None:
    path = blur(tmp_path / "fixed.onnx", 2, side=48)
    card = looked_into(path)
    assert card.tile == 48
    frame = photograph.with_pixels(photograph.pixels[:100, :130])
    free = feed(blur(tmp_path / "free.onnx", 2), "NCHW", 1)(frame.pixels)
    method = method_of(card, path)
    result = method.run(alone(frame), method.settings(), frame.size).pixels
    assert np.abs(result - free)[2:-4, 2:-4].max() < 1e-5
    tiny = method.run(alone(frame.with_pixels(frame.pixels[:20, :30])), method.settings(), Size(30, 20))
    assert tiny.size == Size(30, 20)


def test_sides_that_must_be_even_are_found(tmp_path: Path) -> None:
    nodes = [
        helper.make_node("SpaceToDepth", ["input"], ["packed"], blocksize=2),
        helper.make_node("DepthToSpace", ["packed"], ["output"], blocksize=2),
    ]
    assert looked_into(save(tmp_path / "even.onnx", nodes)).multiple == 2


def test_a_model_of_brightness_leaves_colour_alone(tmp_path: Path, photograph: Frame) -> None:
    path = blur(tmp_path / "grey.onnx", 2, channels=1)
    card = looked_into(path)
    assert card.channels == 1
    frame = photograph.with_pixels(photograph.pixels[:64, :64])
    method = method_of(card, path)
    result = method.run(alone(frame), method.settings(), frame.size).pixels
    change = result - frame.pixels
    assert np.abs(change).max() > 0.02 and np.abs(change - change[..., :1]).max() < 1e-4


@pytest.mark.parametrize("layout", ["NCHW", "NHWC"])
@pytest.mark.parametrize("ways", [1, 2, 4, 5, 8])
def test_the_mean_over_ways_is_the_mean_of_the_turned_kernels(
    ways: int, layout: str, tmp_path: Path, photograph: Frame
) -> None:
    """What a convolution makes of a turned picture, turned back, is what the turned kernel makes."""
    kernel = np.random.default_rng(4).uniform(0, 1, (3, 3))
    kernel /= kernel.sum()
    weights = {"kernel": np.tile(kernel, (3, 1, 1, 1)).astype(np.float32)}
    wide = layout == "NHWC"
    nodes = [helper.make_node("Transpose", ["input"], ["turned"], perm=[0, 3, 1, 2])] if wide else []
    nodes.append(
        helper.make_node(
            "Conv", [nodes[0].output[0] if wide else "input", "kernel"], ["made"], pads=[1] * 4, group=3
        )
    )
    nodes.append(helper.make_node("Transpose", ["made"], ["output"], perm=[0, 2, 3, 1] if wide else [0, 1, 2, 3]))
    path = save(tmp_path / "lopsided.onnx", nodes, weights, [1, "h", "w", 3] if wide else [1, 3, "h", "w"])
    turned = [np.rot90(kernel, turn) for turn in (0, 2, 1, 3)]
    turned += [np.rot90(kernel, -turn)[:, ::-1] for turn in (0, 2, 1, 3)]
    frame = photograph.with_pixels(photograph.pixels[:70, :91])
    method = method_of(looked_into(path), path)
    made = method.run(alone(frame), method.settings.model_validate({"ways": ways}), frame.size).pixels
    wanted = cv2.filter2D(frame.pixels, -1, np.mean(turned[:ways], axis=0), borderType=cv2.BORDER_REFLECT)
    assert np.abs(made - wanted).max() < 1e-5


def test_the_mean_over_all_ways_of_an_enlarger_lies_in_place(tmp_path: Path, photograph: Frame) -> None:
    """Careless coordinates move the picture half a pixel; turned all ways, the moves are even."""
    path = resizer(tmp_path / "off.onnx", 2, coordinates="asymmetric")
    frame = photograph.with_pixels(photograph.pixels[100:180, 100:200])
    method = method_of(looked_into(path), path)
    even = method.run(alone(frame), method.settings.model_validate({"ways": 8}), Size(200, 160)).pixels
    assert np.abs(even - cv2.resize(frame.pixels, None, fx=2, fy=2)).mean() < 0.01
    for turn in range(4):
        other = method.run(
            alone(frame.with_pixels(np.ascontiguousarray(np.rot90(frame.pixels, turn)))),
            method.settings.model_validate({"ways": 8}),
            Size(160, 200) if turn % 2 else Size(200, 160),
        ).pixels
        assert np.abs(np.rot90(other, -turn) - even).max() < 1e-5


def test_eight_ways_bring_the_faithful_network_closer(crop: Frame) -> None:
    given, truth = small(crop), luma(crop.pixels)
    once, often = (psnr(truth, luma(ran("faithful_x2", given, crop.size, ways=w).pixels)) for w in (1, 8))
    assert often > once + 0.03


def _frame_of(path: Path, shape: list, axis: int, first: int, count: int) -> Path:
    """A model that returns a part of what it is given along one axis."""
    parts = {"from": [first], "to": [first + count], "axis": [axis]}
    node = helper.make_node("Slice", ["input", *parts], ["output"])
    return save(path, [node], {name: np.array(value, np.int64) for name, value in parts.items()}, shape)


def _mean_of_frames(path: Path, shape: list, axis: int) -> Path:
    return save(
        path, [helper.make_node("ReduceMean", ["input"], ["output"], axes=[axis], keepdims=0)], None, shape
    )


def _clip(photograph: Frame, frames: int = 7) -> tuple[Frame, ...]:
    pixels = photograph.pixels
    return tuple(
        photograph.with_pixels(np.ascontiguousarray(pixels[100:170, 100 + 2 * n : 190 + 2 * n]))
        for n in range(frames)
    )


@pytest.mark.parametrize(
    ("shape", "axis", "first", "count", "frames", "at", "channels"),
    [
        ([1, 9, "h", "w"], 1, 3, 3, 3, 1, 3),  # frames one behind the other in the channels, the middle one
        ([1, 15, "h", "w"], 1, 12, 3, 5, 4, 3),  # the last of five: it looks back only
        ([1, "h", "w", 9], 3, 0, 3, 3, 0, 3),
        ([1, 5, "h", "w"], 1, 2, 1, 5, 2, 1),
        ([1, 5, 3, "h", "w"], 1, 0, 5, 5, 2, 3),  # all of them
        ([1, 3, "t", "h", "w"], 2, 0, 9, 5, 2, 3),
        ([1, 7, 1, 64, 64], 1, 0, 7, 7, 3, 1),
    ],
)
def test_models_of_several_frames_are_looked_into_and_fed(
    shape: list,
    axis: int,
    first: int,
    count: int,
    frames: int,
    at: int,
    channels: int,
    tmp_path: Path,
    photograph: Frame,
) -> None:
    path = _frame_of(tmp_path / "clip.onnx", shape, axis, first, count)
    card = looked_into(path)
    assert (card.frames, card.at, card.channels, card.factor) == (frames, at, channels, 1)
    assert f"{frames} frames" in card.summary and f"{at} before the one it returns" in " ".join(card.notes)
    method, clip = method_of(card, path), _clip(photograph)
    assert method.reach(method.settings()) == max(at, frames - 1 - at)
    for place in (0, 3, 6):
        made = method.run(Window(clip, place, place), method.settings(), clip[0].size).pixels
        assert np.abs(made - clip[place].pixels).max() < 1e-5


def test_a_model_of_frames_sees_its_neighbours_and_the_ends_again(tmp_path: Path, photograph: Frame) -> None:
    path = _mean_of_frames(tmp_path / "mean.onnx", [1, 5, 3, "h", "w"], 1)
    card, clip = looked_into(path), _clip(photograph)
    method = method_of(card, path)
    for place in (0, 3, 6):
        near = [clip[min(max(0, place + step), 6)].pixels for step in range(-2, 3)]
        made = method.run(Window(clip, place, place), method.settings(), clip[0].size).pixels
        assert np.abs(made - np.mean(near, axis=0)).max() < 1e-5
    still = method.run(alone(clip[0]), method.settings(), clip[0].size).pixels
    assert np.abs(still - clip[0].pixels).max() < 1e-5
    large = resizer(tmp_path / "large.onnx", 2)
    assert looked_into(large).frames == 1


def _identity() -> list:
    return [helper.make_node("Identity", ["input"], ["output"])]


def test_what_cannot_be_used_is_refused_in_words(tmp_path: Path) -> None:
    path = tmp_path / "model.onnx"
    cases = {
        "is not an ONNX model": lambda: path.write_bytes(b"not a model at all" * 20),
        "operators of its own (Magic)": lambda: save(
            path, [helper.make_node("Magic", ["input"], ["output"], domain="com.example")], domain="com.example"
        ),
        "takes 3 dimensions": lambda: save(path, _identity(), shape=[3, "h", "w"]),
        "neither 1 nor 3 channels": lambda: save(path, _identity(), shape=[1, 4, "h", "w"]),
        "takes uint8 values": lambda: save(
            path, [helper.make_node("Cast", ["input"], ["output"], to=1)], kind=2
        ),
        "takes 8 pictures at once": lambda: save(path, _identity(), shape=[8, 3, "h", "w"]),
        "does not turn a 64 x 64 picture": lambda: resizer(path, 1.5),
        "does not return the picture": lambda: save(
            path, [helper.make_node("Add", ["input", "far"], ["output"])], {"far": np.float32(600)}
        ),
        "cannot be loaded": lambda: save(path, [helper.make_node("NoSuchThing", ["input"], ["output"])]),
    }  # fmt: skip
    for words, make in cases.items():
        make()
        session.cache_clear()  # another file under the same name
        with pytest.raises(BadModel, match=r"model\.onnx") as caught:
            looked_into(path)
        assert words in str(caught.value)


def test_weights_in_another_file_are_refused(tmp_path: Path) -> None:
    import onnx

    path = blur(tmp_path / "half.onnx", 8)
    model = onnx.load(str(path))
    onnx.save(model, str(path), save_as_external_data=True, location="weights.bin", size_threshold=0)
    with pytest.raises(BadModel, match="keeps its weights in another file"):
        looked_into(path)


def test_what_hides_in_branches_is_found(tmp_path: Path) -> None:
    with pytest.raises(BadModel, match=r"needs operators of its own \(Secret\)"):
        looked_into(hidden_operator(tmp_path / "deep.onnx"))
    with pytest.raises(BadModel, match="keeps its weights in another file"):
        looked_into(hidden_external(tmp_path / "far.onnx"))


@settings(max_examples=120, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.integers(0, 2), st.lists(st.tuples(st.floats(0, 0.9999), st.integers(0, 255)), min_size=1, max_size=4))
def test_a_spoilt_model_is_refused_in_a_sentence_or_works(
    tmp_path: Path, which: int, changes: list[tuple[float, int]]
) -> None:
    """Bytes changed anywhere in the file: a card, or one short sentence without paths and names of classes."""
    make = (resizer, blur, lambda path: blur(path, 3, channels=1))[which]
    path = make(tmp_path / "spoilt.onnx")
    content = bytearray(path.read_bytes())
    for place, value in changes:
        content[int(place * len(content))] = value
    path.write_bytes(content)
    session.cache_clear()
    try:
        card = looked_into(path)
    except BadModel as error:
        words = str(error)
        assert words.startswith("spoilt.onnx ") and len(words) < 250
        assert not any(part in words for part in (str(tmp_path), "Error", "ONNXRuntime", "\n", "::"))
    except MemoryError:
        pass
    else:
        assert card.factor >= 1


def test_a_model_that_fails_later_fails_in_a_sentence(tmp_path: Path) -> None:
    """It divides by zero on bright pictures only, and one takes fixed sides but does not say so."""
    weights = {"shape": np.array([1, 3, 64, 64], np.int64)}
    path = save(tmp_path / "later.onnx", [helper.make_node("Reshape", ["input", "shape"], ["output"])], weights)
    card = ModelCard(id="later", name="Later", summary="", task="reduce noise", factor=1, overlap=0, opset=13,
                     parameters=0, file_bytes=1)  # fmt: skip
    with pytest.raises(ProcessingFailed, match="Later fails on a picture of 70 x 50 pixels"):
        apply(path, card, np.zeros((50, 70, 3), np.float32))
    path = save(tmp_path / "nan.onnx", [helper.make_node("Log", ["input"], ["output"])])
    with pytest.raises(ProcessingFailed, match="returns values that are no numbers"):
        apply(path, card, np.zeros((50, 70, 3), np.float32))


def test_limits_come_before_a_run() -> None:
    denoise = Recipe.model_validate({"name": "d", "passes": [{"method": "blind_denoise"}]})
    with pytest.raises(OutOfLimits, match="no enlarging pass"):
        denoise.check(Size(100, 100), Size(200, 200))
    large = Recipe.model_validate({"name": "f", "passes": [{"method": "faithful_x2"}]})
    with pytest.raises(OutOfLimits, match="up to 60 megapixels"):
        large.check(Size(6000, 6000), Size(12_000, 12_000))
