"""The sentence on a result: each statement appears at its documented threshold, with its number."""

import cv2
import numpy as np
import pytest

from mistline.core.choose.words import THRESHOLDS, Score, describe, describe_beside_input
from mistline.core.frame import Frame
from mistline.core.measure import MEASURES, Evidence, measure_all
from mistline.core.measure.colour_shift import CONTRAST, PATCHY, WORST
from mistline.core.measure.detail import LESS_NOISE, OCTAVES
from mistline.core.measure.noise import CLEANEST, IN_PLACES, LOST, NOISIEST, TEXTURED

PLAIN = {key: Score(0.0) for key in MEASURES} | {
    "noise_left": Score(2.0), "effective_bits": Score(16.0), "edge_width": Score(1.5), "detail_kept": Score(100, dict.fromkeys(OCTAVES, 100.0)),
}  # fmt: skip
KEPT = "Noise as in the truth (2.0 cv), detail that the input holds is kept (100 % of it or more)"


def told(factor: float = 1, **scores: Score) -> str:
    return describe({**PLAIN, **scores}, PLAIN, factor)


def test_nothing_wrong_is_said_of_a_good_result() -> None:
    assert told() == f"{KEPT}, colours unchanged (ΔE00 0.0)."


@pytest.mark.parametrize(
    ("measure", "threshold", "words"),
    [
        ("registration", "displacement, px", "lies 0.17 px off"),
        ("halo", "rims, % of the step", "rims +2 % at strong edges"),
        ("blotch", "blotches, cv", "blotches of 0.7 cv"),
        ("ciede2000_soft", "colour shift, dE00", "colours off by ΔE00 0.6"),
        ("blockiness", "compression squares, %", "compression squares +6 %"),
        ("flicker", "flicker, cv", "level flickers by 0.6 cv"),
        ("sharpness_swing", "sharpness swing, %", "sharpness swings by 6 % from frame to frame"),
        ("motion_error", "motion, px", "movement off by 0.3 px"),
        ("repeated", "repeated frames, %", "1 % of the frames repeat the one before"),
    ],
)
def test_thresholds(measure: str, threshold: str, words: str) -> None:
    limit = THRESHOLDS[threshold]
    above = told(**{measure: Score(limit * 1.1)})
    assert words in above.replace("Lies", "lies")
    assert " ".join(words.split(" ")[-2:]) not in told(**{measure: Score(limit * 0.9)}).replace(
        "colours unchanged", ""
    )


def test_shimmer_is_told_against_the_input() -> None:
    untreated = {**PLAIN, "shimmer": Score(4.0)}

    def beside(value: float | None) -> str:
        return describe({**PLAIN, "shimmer": Score(value)}, PLAIN, 2, untreated=untreated)

    assert "crawls: shimmer 2.5 times the input's (4.0 to 10.0 cv)" in beside(10.0)
    assert "shimmer down 75 % (4.0 to 1.0 cv)" in beside(1.0)
    assert not any("shimmer" in beside(value) for value in (4.2, 3.8, None))
    assert "shimmer" not in told(shimmer=Score(9.0))


def test_noise_that_stands_still_is_told_where_it_can_be_seen() -> None:
    seen = Score(64.0, {"standing": 3.2, "new on each frame": 2.4})
    assert "64 % of its noise stands still (3.2 cv)" in told(noise_standing=seen)
    for hidden in (Score(20.0, {"standing": 3.2}), Score(64.0, {"standing": 0.8})):
        assert "stands still" not in told(noise_standing=hidden)


def test_noise_is_told_against_the_truth() -> None:
    assert told(noise_left=Score(0.6)).startswith("Noise down 70 % (2.0 to 0.6 cv)")
    assert told(noise_left=Score(5.0)).startswith("Noise up 150 % (2.0 to 5.0 cv)")
    clean = {**PLAIN, "noise_left": Score(0.0)}
    noisy = {**PLAIN, "noise_left": Score(15.0)}
    cleaned = describe({**PLAIN, "noise_left": Score(3.0)}, clean, 1, noisy)
    assert cleaned.startswith("Noise down 80 % (15.0 to 3.0 cv; the truth has 0.0)")
    assert describe({**PLAIN, "noise_left": Score(3.0)}, clean, 1).startswith(
        "Noise 3.0 cv where the truth has 0.0"
    )


def test_detail_is_told_in_the_octave_that_changed_most_of_those_that_the_input_holds() -> None:
    kept = Score(50, {"1/32 to 1/16": 70.0, "1/16 to 1/8": 80.0, "1/8 to 1/4": 40.0, "1/4 and finer": 5.0})
    assert "of 1/4 and finer cycles per pixel down 95 %" in told(1, detail_kept=kept)
    assert "of 1/8 to 1/4 cycles per pixel down 60 %" in told(2, detail_kept=kept)
    assert "of 1/32 to 1/16 cycles per pixel down 30 %" in told(4, detail_kept=kept)
    assert "of 1/32 to 1/16 cycles per pixel down 30 %" in told(8, detail_kept=kept)
    assert "cycles per pixel" not in told(16, detail_kept=kept)


def test_invented_detail_is_told_where_the_input_could_hold_any() -> None:
    found = Score(50, {"1/8 to 1/4": 11.0, "1/4 and finer": 80.0})
    assert "80 % invented at 1/4 and finer" in told(1, detail_invented=found)
    assert "11 % invented at 1/8 to 1/4" in told(2, detail_invented=found)
    assert "invented" not in told(4, detail_invented=found)


def test_what_only_noise_makes_is_not_told_as_invented() -> None:
    fine = "1/4 and finer"
    assert "29 % invented" in told(detail_invented=Score(9.0, {fine: 29.0}))
    assert "invented" not in told(detail_invented=Score(9.0, {fine: 29.0, fine + LESS_NOISE: 2.0}))
    assert "19 % invented at 1/4" in told(detail_invented=Score(9.0, {fine: 29.0, fine + LESS_NOISE: 19.0}))


def test_edges_are_held_against_the_truth_at_the_same_places() -> None:
    assert "edges 2.4 px wide for 1.9" in told(edge_width=Score(2.4, {"of the truth": 1.9}))
    assert "edges" not in told(edge_width=Score(2.4, {"of the truth": 2.3}))


def test_colour_noise_coarse_noise_and_bands_are_told() -> None:
    coarse = Score(4.0, {"1/32 to 1/16": 2.5, "1/16 to 1/8": 2.5, "1/8 to 1/4": 1.5, "1/4 and finer": 0.5})
    assert "noise up 100 % (2.0 to 4.0 cv), mostly coarse" in told(noise_left=coarse).replace("Noise", "noise")
    assert "colour noise 3.0 cv where the truth has 0.0" in told(noise_colour=Score(3.0))
    few = Score(3.0, {**coarse.parts, IN_PLACES: 0.8})
    assert "colour noise 3.0 cv where the truth has 0.0, in a few places," in told(noise_colour=few)
    assert "8-bit steps in smooth areas" in told(effective_bits=Score(8.0))
    assert "steps in smooth areas" not in describe(
        {**PLAIN, "effective_bits": Score(8.0)}, {**PLAIN, "effective_bits": Score(8.0)}, 1
    )


def test_colours_that_are_off_in_patches_are_told_from_a_change_of_colour() -> None:
    assert "colours off by ΔE00 1.9 in patches" in told(ciede2000_soft=Score(1.9, {PATCHY: 0.9}))
    assert "in patches" not in told(ciede2000_soft=Score(1.9, {PATCHY: 0.1}))
    assert "colours unchanged (ΔE00 0.1)" in told(ciede2000_soft=Score(0.1, {PATCHY: 1.0}))
    for patchy, words in ((0.9, False), (0.1, True)):  # what lies off differs in patches by itself
        moved = told(registration=Score(3.6), ciede2000_soft=Score(0.6, {PATCHY: patchy}))
        assert ("colours" in moved) == words


def test_letters_are_told_where_their_number_is_plainly_another() -> None:
    def beside(after: float, before: float) -> str:
        return describe_beside_input({**PLAIN, "lettering_sure": Score(after, {"in the input": before})}, PLAIN, 1)

    assert "60 letters can be read for 100 in the input" in beside(60, 100)
    assert "18 letters can be read for 13 in the input" in beside(18, 13)
    assert not any("letters" in beside(*pair) for pair in ((230, 268), (15, 12), (112, 100)))


def test_what_a_plain_enlargement_leaves_is_no_detail_beyond_the_input() -> None:
    def beside(value: float, plain: float) -> str:
        scores = {**PLAIN, "detail_beyond": Score(value, {"by plain enlargement": plain})}
        return describe_beside_input(scores, PLAIN, 2)

    assert "5.2 cv of detail finer than the input can hold (2.1 by plain enlargement)" in beside(5.2, 2.1)
    assert not any("finer" in beside(*pair) for pair in ((2.9, 2.1), (0.9, 0.1)))


def test_a_turn_and_what_is_bent_are_told() -> None:
    turned = Score(0.8, {"right": 0.3, "turned, degrees": -0.2, "by turning": 0.74, "uneven": 0.42})
    assert told(registration=turned).startswith(
        "Lies 0.80 px off the truth (turned 0.20° anticlockwise) and parts of it up to 0.4 px more, which spoils"
    )
    assert told(registration=Score(0.05, {"uneven": 0.5, "sure": 0.0})).startswith(
        "Parts of it lie up to 0.5 px off the truth, which spoils the other figures, colours"
    )
    assert told(registration=Score(0.05, {"uneven": 0.3})).startswith(
        "Parts of it lie up to 0.3 px off the truth, n"
    )


def test_a_recognised_mistake_explains_contrast_and_colour() -> None:
    wrong = {
        "ciede2000_soft": Score(3.0, {"16-235 taken for full range": 99.0}), "tone": Score(5.0, {"darkest": 5.0}),
        "detail_kept": Score(74.0, dict.fromkeys(OCTAVES, 74.0)),
    }  # fmt: skip
    sentence = told(**wrong)
    assert "Looks like 16-235 taken for full range" in sentence
    assert "detail" not in sentence and "tones" not in sentence


@pytest.mark.parametrize("gain", [0.7, 0.86, 1.15])
def test_another_contrast_is_told_as_one_and_not_as_lost_detail_or_noise(gain: float) -> None:
    even = Score(100, dict.fromkeys(OCTAVES, 100 * gain**2))
    told_by_areas = told(
        ciede2000_soft=Score(3.0, {CONTRAST: 100 * gain}), detail_kept=even, noise_left=Score(2 * gain)
    )
    told_by_detail = told(detail_kept=even, noise_left=Score(2 * gain))
    for sentence in (told_by_areas, told_by_detail):
        assert f"contrast {'down' if gain < 1 else 'up'} {abs(gain - 1) * 100:.0f} %" in sentence
        assert "detail that the input holds is kept (100 % of it or more)" in sentence
        assert "Noise as in the truth" in sentence
    blurred = dict(zip(OCTAVES, (98.0, 90.0, 60.0, 20.0), strict=True))
    assert "contrast" not in told(detail_kept=Score(67, blurred))


def test_a_displacement_leaves_no_figure_that_it_spoils() -> None:
    """Half a pixel loses a third of the finest detail by itself."""
    bad = {"noise_left": Score(9.0), "detail_kept": Score(60, dict.fromkeys(OCTAVES, 60.0)), "halo": Score(9.0)}
    assert told(registration=Score(0.5), **bad) == (
        "Lies 0.50 px off the truth, which spoils the other figures, colours unchanged (ΔE00 0.0)."
    )
    assert "noise" in told(registration=Score(0.16), **bad)


def test_without_a_truth_a_displacement_spoils_nothing() -> None:
    """Noise and edges are read off the result by itself."""
    beside = dict.fromkeys(MEASURES, Score(None))
    found = describe_beside_input(
        {**beside, "registration": Score(0.5), "noise_left": Score(2.0, {"of the input": 8.0})}, beside, factor=1
    )
    assert found == "Lies 0.50 px off the input, noise down 75 % (8.0 to 2.0 cv)."


def test_without_a_truth_another_contrast_is_told_once() -> None:
    beside = dict.fromkeys(MEASURES, Score(None))
    paler = {"ciede2000_soft": Score(3.0, {CONTRAST: 70.0}), "noise_left": Score(5.6, {"of the input": 8.0})}
    assert describe_beside_input({**beside, **paler}, beside, factor=1) == (
        "Noise as in the input (5.6 cv), contrast down 30 %, colours off by ΔE00 3.0."
    )
    hidden = {**paler, "noise_left": Score(None, {"of the input": 8.0, "at most": 5.7})}
    assert "noise" not in describe_beside_input({**beside, **hidden}, beside, factor=1).lower()


def test_without_a_truth_noise_of_one_part_is_told_beside_that_of_another() -> None:
    beside = dict.fromkeys(MEASURES, Score(None))
    parts = {"of the input": 5.5, CLEANEST: 1.6, NOISIEST: 5.4}
    assert describe_beside_input({**beside, "noise_left": Score(None, parts)}, beside, factor=1) == (
        "Noise of 1.6 cv in one part and of 5.4 cv in another (5.5 in the input)."
    )
    texture = {**parts, NOISIEST: 15.0}
    assert describe_beside_input({**beside, "noise_left": Score(None, texture)}, beside, factor=1) == ""


def test_what_changed_in_places_is_told_beside_an_even_figure() -> None:
    assert "colours unchanged (ΔE00 0.1) but in places (up to 4.4)" in told(
        ciede2000_soft=Score(0.1, {WORST: 4.4})
    )
    assert "places" not in told(ciede2000_soft=Score(0.1, {WORST: 1.4}))


def test_noise_that_lost_texture_may_hide_is_no_claim() -> None:
    quiet = {**PLAIN, "noise_left": Score(0.0)}

    def beside(noise: float, lost: float) -> str:
        return describe({**PLAIN, "noise_left": Score(noise, {LOST: lost})}, quiet, 1)

    assert beside(1.8, 7.5).startswith("Noise at most 1.8 cv (the truth has 0.0), hidden in lost texture, detail")
    assert beside(1.8, 1.0).startswith("Noise 1.8 cv where the truth has 0.0, detail")
    assert beside(0.8, 7.5).startswith("Noise near the truth's (0.8 cv for 0.0), detail")
    assert beside(0.3, 7.5).startswith("Noise as in the truth (0.3 cv), detail")


def test_a_truth_without_flat_areas_has_no_noise_that_is_known() -> None:
    quiet = {**PLAIN, "noise_left": Score(0.0)}

    def beside(noise: float, lost: float, given: float | None = None) -> str:
        score = Score(noise, {LOST: lost, TEXTURED: 1.0})
        of_input = None if given is None else {**PLAIN, "noise_left": Score(given)}
        return describe({**PLAIN, "noise_left": score}, quiet, 1, given=of_input).partition(", detail")[0]

    assert beside(1.9, 1.2) == "Noise at most 1.9 cv, hidden in lost texture"
    assert beside(4.0, 1.2) == "Noise 4.0 cv that the truth does not have"
    assert beside(2.0, 1.2, given=8.0) == "Noise down 75 % (8.0 to 2.0 cv)"


def test_no_displacement_is_claimed_below_its_own_error() -> None:
    parts = {"right": 0.2, "down": 0.1, "wider": 0.0, "taller": 0.0, "error": 0.1, "local": 0.0}
    assert "off the truth" not in told(8, registration=Score(0.22, {**parts, "sure": 0.0}))
    assert "lies 0.22 px off the truth, which" in told(
        8, registration=Score(0.22, {**parts, "sure": 1.0})
    ).replace("L", "l")


def test_tones_are_named() -> None:
    tone = Score(-2.4, {"darkest": -2.4, "middle": 0.3})
    assert "darkest tones 2.4 L* darker" in told(tone=tone)


def test_edges_are_told_against_the_truth() -> None:
    assert "edges 2.1 px wide for 1.5" in told(edge_width=Score(2.1)) and "edges" not in told(
        edge_width=Score(1.6)
    )


def test_what_was_not_measured_is_not_told() -> None:
    nothing = dict.fromkeys(MEASURES, Score(None, note="not measured"))
    assert describe(nothing, nothing, 1) == ""


def test_a_real_blur_is_described_as_one(photograph: Frame) -> None:
    def scores(result: Frame) -> dict[str, Score]:
        found = measure_all(Evidence(result, photograph, photograph))
        return {k: Score(m.value, {p.name: p.value for p in m.parts}, m.note) for k, m in found.items()}

    soft = photograph.with_pixels(cv2.GaussianBlur(photograph.pixels, (0, 0), 1.0))
    sentence = describe(scores(soft), scores(photograph), 1)
    assert "down 9" in sentence and "px wide for" in sentence and "down" in sentence
    assert np.isfinite(soft.pixels).all() and sentence.endswith(".")
