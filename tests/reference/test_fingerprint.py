"""Fingerprints of methods against closed forms.

- Kernels: the response of a resampling kernel h at a frequency f is the sum of h(u) exp(-2 pi i f u) over the distances u
  that occur between result and input pixels, over the number of result pixels a pixel: textbook signal processing
  (for example G. Wolberg, "Digital Image Warping", 1990). Keys 1981, Mitchell and Netravali 1988, Duchon 1979 give h.
- White noise through a kernel keeps the root mean square of the weights' energy.
- An edge whose pixels are means of areas has the spectrum sinc(f) times the kernel's.
- A Gaussian blur passes exp(-2 pi^2 sigma^2 f^2) and leaves 1 / (2 sqrt(pi) sigma) of white noise in two dimensions.
"""

from collections.abc import Callable

import numpy as np
import pytest
from pydantic import BaseModel

from mistline.core.fingerprint import differences, take_fingerprint
from mistline.core.frame import Array, decode_srgb
from mistline.core.methods import METHODS
from mistline.core.methods.method import Limits, Method, each, no_auto
from mistline.core.methods.recipe import Pass, Recipe


def keys(x: float, a: float = -0.5) -> float:
    x = abs(x)
    if x < 1:
        return (a + 2) * x**3 - (a + 3) * x**2 + 1
    return a * (x**3 - 5 * x**2 + 8 * x - 4) if x < 2 else 0.0


def mitchell(x: float) -> float:
    x = abs(x)
    if x < 1:
        return (7 * x**3 - 12 * x**2 + 16 / 3) / 6
    return (-7 / 3 * x**3 + 12 * x**2 - 20 * x + 32 / 3) / 6 if x < 2 else 0.0


def lanczos3(x: float) -> float:
    return float(np.sinc(x) * np.sinc(x / 3)) if abs(x) < 3 else 0.0


KERNELS: dict[str, tuple[Callable[[float], float], str, dict[str, object]]] = {
    "bilinear": (lambda x: max(0.0, 1 - abs(x)), "bilinear", {}),
    "Keys, a = -0.5": (keys, "bicubic", {}),
    "Mitchell-Netravali": (mitchell, "bicubic", {"kernel": "mitchell"}),
    "Lanczos, 3 lobes": (lanczos3, "lanczos", {}),
}


def distances(factor: float) -> list[list[float]]:
    """For every place that a result pixel can have between input pixels, the distances to those around."""
    places = sorted({round(((i + 0.5) / factor - 0.5) % 1, 9) for i in range(1000)})
    return [[place - k for k in range(-4, 6)] for place in places]


def normalised(kernel: Callable[[float], float], places: list[list[float]]) -> list[np.ndarray]:
    """Weights whose sum is 1 at every place, as every resampler makes them."""
    weights = [np.array([kernel(u) for u in place]) for place in places]
    return [one / one.sum() for one in weights]


@pytest.mark.parametrize("factor", [1.5, 2.0, 3.0, 4.0])
@pytest.mark.parametrize("name", KERNELS)
def test_kernels_have_the_response_of_their_formula(name: str, factor: float) -> None:
    kernel, method, settings = KERNELS[name]
    found, _ = take_fingerprint(Recipe(name=name, passes=[Pass(method=method, settings=settings)]), factor)
    places = distances(factor)
    weights = normalised(kernel, places)

    def response(frequency: float) -> float:
        waves = [np.exp(-2j * np.pi * frequency * np.array(place)) for place in places]
        return abs(np.mean([(one * wave).sum() for one, wave in zip(weights, waves, strict=True)]))

    for one in found.response:
        assert one.across == pytest.approx(response(one.frequency), abs=0.004), one.frequency
        assert one.down == pytest.approx(one.across, abs=1e-3)
        assert one.diagonal == pytest.approx(response(one.frequency / 2**0.5) ** 2, abs=0.006), one.frequency
    if factor != 1.5:  # an edge at 5 degrees meets all three places of 1.5 times alike only over more rows
        for frequency, share in found.edge_spectrum:
            expected = np.sinc(frequency) * response(frequency)
            assert share == pytest.approx(abs(expected), abs=0.015), frequency
    energy = np.mean([(one**2).sum() for one in weights])
    assert found.noise_gain == pytest.approx(energy, rel=0.03)  # in two dimensions the root of its square
    assert found.colour_noise_gain == pytest.approx(energy, rel=0.03)
    assert found.linearity == pytest.approx(100, abs=0.1)
    assert max(abs(found.shift_right), abs(found.shift_down)) < 0.002
    assert found.own_texture < 0.6  # of 7.5 in luma: what windows leak
    assert (found.border, found.crosstalk, found.grey_colour, found.tone) == pytest.approx((0, 0, 0, 0), abs=0.01)


def test_rims_are_those_of_the_step_response() -> None:
    """The step response of an edge of area means is the running integral of the kernel and a box: bilinear has no rims."""
    fine = np.arange(-6, 6, 1 / 512)
    box = (np.abs(np.arange(-1, 1, 1 / 512)) <= 0.5).astype(float) / 512
    for name, least in (("bilinear", 0.0), ("Keys, a = -0.5", 2.0), ("Mitchell-Netravali", 0.2)):
        kernel, method, settings = KERNELS[name]
        recipe = Recipe(name=name, passes=[Pass(method=method, settings=settings)])
        found, _ = take_fingerprint(recipe, 4)  # many places: nearly the continuous kernel
        step = np.cumsum(np.convolve([kernel(u) for u in fine], box, "same")) / 512
        over = 100 * (step.max() - 1)
        assert found.over == pytest.approx(max(0, over), abs=0.3)
        assert found.under == pytest.approx(found.over, abs=0.1)
        assert found.over >= least
        rise = np.interp([0.1, 0.9], step, fine)  # rising between its rims
        assert found.edge_width == pytest.approx(4 * (rise[1] - rise[0]), rel=0.02)


@pytest.mark.parametrize("strength", [40.0, 60.0, 90.0])
def test_a_gaussian_blur_passes_a_gaussian(strength: float) -> None:
    recipe = Recipe(name="blur", passes=[Pass(method="gaussian", settings={"luma": strength, "colour": strength})])
    found, _ = take_fingerprint(recipe, 1)
    sigmas = [
        np.sqrt(-np.log(one.across) / (2 * np.pi**2)) / one.frequency
        for one in found.response
        if 0.2 < one.across < 0.9
    ]
    assert len(sigmas) >= 2
    assert max(sigmas) / min(sigmas) < 1.08  # one sigma explains every frequency
    assert min(sigmas) > 0.5  # a narrower one is hardly sampled
    assert found.noise_gain == pytest.approx(1 / (2 * np.pi**0.5 * np.mean(sigmas)), rel=0.08)
    assert found.over == pytest.approx(0, abs=0.3)
    assert found.linearity == pytest.approx(100, abs=1.5)


class NoSettings(BaseModel):
    """A method without settings."""


def _method(monkeypatch: pytest.MonkeyPatch, step: Callable[[Array], Array]) -> Recipe:
    run = each(lambda frame, settings, target: frame.with_pixels(step(frame.pixels)))
    method = Method("made_fault", 1, "Fault", "sharpen", "", "", NoSettings, Limits(), run, no_auto)
    monkeypatch.setitem(METHODS, "made_fault", method)
    return Recipe(name="fault", passes=[Pass(method="made_fault")])


def darker_border(pixels: Array) -> Array:
    result = pixels.copy()
    result[:, :2] -= 5 / 255
    return result


FAULTS: dict[str, tuple[Callable[[Array], Array], dict[str, tuple[float, float]]]] = {
    "nothing": (lambda p: p, {"edge_width": (0.8, 0.03), "noise_gain": (1, 1e-6), "tone": (0, 0.01)}),
    "one pixel right": (lambda p: np.roll(p, 1, axis=1), {"shift_right": (1, 0.01), "shift_down": (0, 0.01)}),
    "half contrast": (lambda p: 0.5 + 0.5 * (p - 0.5), {"tone": (63.75, 0.1), "noise_gain": (0.5, 0.01), "linearity": (100, 0.1)}),
    "clipped bright": (lambda p: np.minimum(p, 0.55), {"linearity": (78, 6)}),
    "green from red": (lambda p: p + np.array([0, 0.1, 0], np.float32) * p[..., :1], {"crosstalk": (10, 0.1)}),
    "border 5 darker": (darker_border, {"border": (5, 0.01)}),
    "grain": (
        lambda p: p + np.random.default_rng(int(1e6 * p.mean())).normal(0, 6 / 255, (*p.shape[:2], 1)).astype(np.float32),
        {"own_texture": (6, 0.5)},
    ),
}  # fmt: skip


@pytest.mark.parametrize("fault", FAULTS)
def test_a_fault_is_found_by_its_size(fault: str, monkeypatch: pytest.MonkeyPatch) -> None:
    step, expected = FAULTS[fault]
    found, _ = take_fingerprint(_method(monkeypatch, step), 1)
    for name, (value, slack) in expected.items():
        assert getattr(found, name) == pytest.approx(value, abs=slack), name


def test_linear_light_is_not_linear_in_code_values() -> None:
    plain, _ = take_fingerprint(Recipe(name="a", passes=[Pass(method="bilinear")]), 2)
    light, _ = take_fingerprint(
        Recipe(name="b", passes=[Pass(method="bilinear", settings={"light": "linear"})]), 2
    )
    assert plain.under == light.under == 0
    middle = dict(light.step)[0.0]
    low, high = decode_srgb(np.float32([0.35, 0.65]))
    assert middle > 0.5  # the middle of light is brighter than the middle of code values
    assert float(low + high) / 2 > float(decode_srgb(np.float32([0.5]))[0])


def test_two_fingerprints_are_told_apart_in_words() -> None:
    soft, sharp = (
        take_fingerprint(Recipe(name=m, passes=[Pass(method=m)]), 2)[0] for m in ("bilinear", "lanczos")
    )
    words = [one.words for one in differences(soft, sharp) if one.words]
    assert any(word.startswith("bright rims +4") for word in words)
    assert any(word.startswith("noise gain up 4") for word in words)
    assert not any(one.words for one in differences(sharp, sharp))
