"""What a source seems to have suffered, who can stand in for its truth, and what stand-ins foretell.

Kendall's tau-b is held against scipy's; damage is put on photographs (scikit-image, CC0 or public domain) and read off
them again.
"""

import io

import numpy as np
import pytest
from PIL import Image
from scipy.stats import kendalltau
from skimage import data

from mistline.core.choose.analogy import by_analogy, kendall_tau
from mistline.core.choose.stand_in import Candidate, as_soft, compared, corrected, damage_of, rank_candidates
from mistline.core.degrade.compression import quality_of
from mistline.core.frame import Frame, Size, to_frame
from mistline.core.measure import measure_traits
from mistline.core.media.plate import quantise
from mistline.core.methods import Traits
from mistline.core.setup import TruthSetup

CLEAN = Traits(0.5, 2.0, 0.4, "the whole picture")


def damaged(setup: TruthSetup, truth: Frame) -> Traits:
    sizes = setup.plan(truth.size)
    (made,) = setup.inputs([truth], sizes)
    return measure_traits(quantise(made, 8)[0])


@pytest.fixture(scope="module")
def soft() -> Frame:
    """A photograph at half its size and up again a little soft, so that its own noise does not count."""
    picture = Image.fromarray(data.astronaut()).resize((400, 400), Image.Resampling.BOX)
    return to_frame(np.asarray(picture))


@pytest.mark.parametrize("noise", [4.0, 8.0, 16.0, 30.0])
def test_even_noise_is_put_on_again_as_strong(soft: Frame, noise: float) -> None:
    found = damage_of(damaged(TruthSetup(factor=1, noise=noise), soft), 1, {}).setup
    assert found.underexposed == 0
    assert found.noise == pytest.approx(noise, rel=0.2)


@pytest.mark.parametrize("stops", [4.0, 5.0, 6.0])
def test_noise_of_a_sensor_is_told_in_stops(soft: Frame, stops: float) -> None:
    real = damaged(TruthSetup(factor=1, underexposed=stops), soft)
    found = damage_of(real, 1, {}).setup
    assert found.noise == 0 and found.underexposed == pytest.approx(stops, abs=1.0)
    again = damaged(found, soft)
    assert again.noise_known == pytest.approx(real.noise_known, rel=0.4)  # told for calm levels, of two pictures


@pytest.mark.parametrize("factor", [1.0, 2.0])
@pytest.mark.parametrize("blur", [2.0, 3.0, 4.0])
def test_a_stand_in_is_made_as_soft_as_the_real_source(soft: Frame, blur: float, factor: float) -> None:
    """Another photograph, blurred by a known sigma, is the real one: its edges are met, whatever they were before."""
    other = to_frame(data.rocket())
    real = damaged(TruthSetup(factor=factor, blur=blur * factor), other)
    setup = as_soft(TruthSetup(factor=factor, noise=0.5), real, measure_traits(quantise(soft, 8)[0]))
    assert setup.blur > 0
    assert damaged(setup, soft).edge_width == pytest.approx(real.edge_width, rel=0.15)


def test_noise_that_compression_took_away_is_made_up_for(soft: Frame) -> None:
    real = damaged(TruthSetup(factor=1, noise=22, jpeg=40), to_frame(data.rocket()))
    damage, tried = damage_of(real, 1, {"jpeg": {"quality": 40, "half_chroma": False}}), []
    first = damaged(damage.setup, soft).noise_known
    for _ in range(3):
        tried.append((damage.setup, damaged(damage.setup, soft)))
        damage = corrected(damage_of(real, 1, {"jpeg": {"quality": 40, "half_chroma": False}}), tried, real)
    assert tried[-1][1].noise_known == pytest.approx(real.noise_known, rel=0.15)
    assert abs(first - real.noise_known) > abs(tried[-1][1].noise_known - real.noise_known)
    assert any("were left on a stand-in" in reason for reason in damage.reasons)


def test_what_is_softer_already_is_left_as_it_is() -> None:
    setup = TruthSetup(factor=2)
    assert as_soft(setup, CLEAN, Traits(0.5, 6.0, 0.4, "")) == setup
    assert as_soft(setup, Traits(0.5, None, 0.4, ""), CLEAN) == setup


@pytest.mark.parametrize("quality", [10, 35, 50, 75, 92])
@pytest.mark.parametrize("half", [True, False])
def test_the_tables_of_a_jpeg_tell_its_quality(quality: int, half: bool) -> None:
    file = io.BytesIO()
    Image.fromarray(data.chelsea()).save(file, "JPEG", quality=quality, subsampling=2 if half else 0)
    table = Image.open(file).quantization[0]
    assert quality_of(table) == quality
    found = damage_of(CLEAN, 2, {"jpeg": {"quality": quality, "half_chroma": half}, "bit_depth": 8}).setup
    assert (found.jpeg, found.half_chroma, found.eight_bit) == (quality, half, False)


def test_what_is_not_imitated_is_said() -> None:
    coarse = Traits(9.0, 2.0, 0.4, "", noise_bands={"1/8 to 1/4": 7.0, "1/4 and finer": 3.0})
    found = damage_of(coarse, 2, {"codec": "H.264", "channels": "4:2:0", "bit_depth": 8})
    assert any("coarser" in words for words in found.left_out) and any(
        "H.264" in words for words in found.left_out
    )
    assert found.setup.half_chroma and found.setup.h264 is None  # nothing is guessed
    nothing = damage_of(Traits(0.2, 2.0, 0.4, ""), 1, {"bit_depth": 16})
    nothing.setup.check(1)  # it can be run all the same
    assert nothing.left_out


def test_alike_and_clean_material_comes_first() -> None:
    def candidate(name: str, kind: str, traits: Traits, side: int = 2000) -> Candidate:
        return Candidate(name, name, kind, Size(side, side), traits)

    found = rank_candidates(
        "night", Traits(6.0, 3.0, 0.15, ""), 4,
        [
            candidate("bright", "daylight", CLEAN),
            candidate("noisy night", "night", Traits(7.0, 2.0, 0.15, "")),
            candidate("night", "night", Traits(0.4, 2.0, 0.16, "")),
            candidate("small night", "night", Traits(0.4, 2.0, 0.16, ""), 600),
            candidate("squares", "night", Traits(0.4, 2.0, 0.16, "", squares=20.0)),
        ],
    )  # fmt: skip
    assert [one.name for one, _ in found] == ["night", "bright"]
    assert "same kind" in found[0][1] and "as bright" in found[0][1]
    rows = {row.name: (row.real, row.stand_in) for row in compared(Traits(6.0, 3.0, 0.15, ""), CLEAN)}
    assert rows["noise"] == (6.0, 0.5) and rows["squares"] == (0.0, 0.0)


@pytest.mark.parametrize("seed", range(6))
def test_tau_agrees_with_scipy(seed: int) -> None:
    rng = np.random.default_rng(seed)
    one, other = rng.integers(0, 6, 9).astype(float), rng.integers(0, 6, 9).astype(float)
    assert kendall_tau(list(one), list(other)) == pytest.approx(kendalltau(one, other).statistic)


def test_tau_of_known_orders() -> None:
    """Worked by hand: one exchange of neighbours among four is 5 pairs in order and 1 not, 4 / 6."""
    assert kendall_tau([1, 2, 3, 4], [1, 2, 4, 3]) == pytest.approx(4 / 6)
    assert kendall_tau([1, 2, 3], [3, 2, 1]) == -1
    assert kendall_tau([1, 1.01, 1.02], [3, 2, 1], tie=0.1) is None


def test_stand_ins_that_agree_foretell_and_others_do_not() -> None:
    alike = {f"s{at}": {"a": 0.9 + at, "b": 0.8 + at, "c": 0.5 + at} for at in range(3)}
    found = by_analogy(alike, 0.02, "SSIM")
    assert [placed.name for placed in found.order] == ["a", "b", "c"]
    assert found.tau == found.held == 1 and "likely to hold" in found.sentence and "a is best" in found.sentence
    mixed = {"s": {"a": 3.0, "b": 2.0, "c": 1.0}, "t": {"a": 1.0, "b": 2.0, "c": 3.0}}
    found = by_analogy(mixed, 0.1, "SSIM")
    assert found.tau == -1 and "foretells nothing" in found.sentence
    single = by_analogy({"s": mixed["s"]}, 0.1, "SSIM")
    assert single.tau is None and "cannot tell" in single.sentence
    tied = by_analogy({"s": {"a": 1.0, "b": 1.01}, "t": {"a": 2.0, "b": 2.01}}, 0.1, "SSIM")
    assert "cannot be told apart" in tied.sentence and tied.order[0].rank == tied.order[1].rank == 1.5
    assert by_analogy({}, 0.1, "SSIM").order == []
