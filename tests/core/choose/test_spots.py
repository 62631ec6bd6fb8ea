"""Suggested spots lie where a made picture has what they say, and say nothing that it has not."""

import cv2
import numpy as np
import pytest

from mistline.core.choose.at_spots import describe_spots
from mistline.core.choose.spots import SuggestedSpot, suggest_spots

PARTS = {"Flat area": (0, 0), "Fine detail": (0, 1), "Dark area": (1, 0), "Hard edges": (1, 1)}


def made(height: int, width: int) -> np.ndarray:
    """Flat, finely textured, dark and hard-edged quarters."""
    rng = np.random.default_rng(1)
    picture = np.full((height, width), 0.5, np.float32)
    half = slice(height // 2), slice(height // 2, None)
    wide = slice(width // 2), slice(width // 2, None)
    picture[half[0], wide[1]] += rng.normal(0, 0.03, picture[half[0], wide[1]].shape).astype(np.float32)
    dark = picture[half[1], wide[0]]
    dark[:] = 0.08 + 0.02 * np.linspace(0, 1, dark.shape[1], dtype=np.float32)
    hard = picture[half[1], wide[1]]
    hard[:] = np.where((np.arange(hard.shape[1]) // 24) % 2, 0.9, 0.2)
    return picture


def named(found: list[SuggestedSpot]) -> dict[str, SuggestedSpot]:
    return {spot.name: spot for spot in found}


@pytest.mark.parametrize("shape", [(301, 407), (480, 640), (640, 480)])
def test_each_spot_lies_in_the_quarter_that_has_it(shape: tuple[int, int]) -> None:
    found = named(suggest_spots(made(*shape), {}))
    for name, (down, across) in PARTS.items():
        region = found[name].region
        middle = region.top + region.height / 2, region.left + region.width / 2
        assert (middle[0] > shape[0] / 2, middle[1] > shape[1] / 2) == (bool(down), bool(across)), name
        assert any(letter.isdigit() for letter in found[name].why)
    assert "Entries disagree" not in found and "Hardest place" not in found


def test_disagreement_names_the_two_that_differ_and_the_place() -> None:
    truth = made(480, 640)
    other = truth.copy()
    other[300:380, 60:140] += 0.1
    found = named(suggest_spots(truth, {"A": truth, "B": other, "C": truth}))
    spot = found["Entries disagree"]
    assert " B " in f" {spot.why} " and spot.region.left < 140 < spot.region.left + spot.region.width + 80
    assert spot.region.top < 380 and spot.region.top + spot.region.height > 300
    assert "Entries disagree" not in named(suggest_spots(truth, {"A": truth, "B": truth}))


def test_the_hardest_place_is_where_all_fail() -> None:
    truth = made(480, 640)
    result = cv2.GaussianBlur(truth, (0, 0), 2)
    spot = named(suggest_spots(truth, {"A": result, "B": result}))["Hardest place"]
    assert spot.region.left + spot.region.width / 2 > 320  # the flat and the dark quarter have nothing to lose


@pytest.mark.parametrize("shape", [(16, 16), (40, 300), (64, 64)])
def test_small_and_odd_pictures_get_what_fits(shape: tuple[int, int]) -> None:
    for spot in suggest_spots(made(*shape), {"A": made(*shape)}):
        region = spot.region
        assert 0 <= region.left <= region.left + region.width <= shape[1]
        assert 0 <= region.top <= region.top + region.height <= shape[0]


def test_black_is_no_dark_area_and_nothing_is_said_of_one_spot_alone() -> None:
    assert suggest_spots(np.zeros((200, 200), np.float32), {}) == []
    assert describe_spots({"eye": {"A": 1.0, "B": 0.5}}, 0.01, {"eye": {"A": "1", "B": "0.5"}}) == []


def test_ties_are_told_as_ties() -> None:
    worth = {"eye": {"A": 0.9, "B": 0.9001}, "hedge": {"A": 0.9, "B": 0.5}, "sky": {"A": 0.7}}
    told = {spot: {name: str(value) for name, value in row.items()} for spot, row in worth.items()}
    assert describe_spots(worth, 0.001, told) == ["A is best at every spot, tied at eye."]
