"""Best, ties and the trade-off front."""

from hypothesis import given
from hypothesis import strategies as st

from mistline.core.choose.ranking import Timed, front, marks, time_marks

TIMES = st.floats(0.01, 10).map(lambda median: Timed(median, 0.9 * median, 1.2 * median))
POINTS = st.dictionaries(st.sampled_from("ABCDEFGH"), st.tuples(TIMES, st.floats(0, 1)), min_size=1)


@given(POINTS, st.floats(0, 0.2), st.randoms())
def test_nothing_on_the_front_is_beaten_and_order_does_not_matter(
    points: dict, tie: float, random: object
) -> None:
    kept = front(points, tie)
    assert kept
    for name in kept:
        time, quality = points[name]
        for other, best in points.values():
            assert not (other.slowest < time.fastest and best >= quality - tie)
            assert not (other.fastest <= time.slowest and best > quality + tie)
    shuffled = list(points)
    random.shuffle(shuffled)  # type: ignore[attr-defined]
    assert set(front({name: points[name] for name in shuffled}, tie)) == set(kept)


def test_equal_entries_stay_on_the_front_together() -> None:
    one = (Timed(1.0, 0.9, 1.1), 0.9)
    assert front({"a": one, "b": one}) == ["a", "b"] and front({"b": one, "a": one}) == ["b", "a"]
    tied = {"a": (Timed(1.0, 0.9, 1.1), 0.9), "b": (Timed(3.0, 2.9, 3.1), 0.9005)}
    assert front(tied, 0.001) == ["a"] and front(tied) == ["a", "b"]


@given(st.dictionaries(st.sampled_from("ABCDEF"), st.floats(0, 50), min_size=1), st.booleans())
def test_there_is_one_best_or_a_tie(values: dict[str, float], higher: bool) -> None:
    found = list(marks(values, 0.5, higher=higher).values())
    assert (found.count("best") == 1) != (found.count("tied") >= 2)


def test_infinite_values_tie_with_each_other_only() -> None:
    assert marks({"a": float("inf"), "b": float("inf"), "c": 60.0}, 0.05, higher=True) == {
        "a": "tied",
        "b": "tied",
        "c": "",
    }


def test_no_entries_no_marks() -> None:
    assert marks({}, 1, higher=True) == {} == time_marks({})


def test_times_whose_repeats_do_not_overlap_are_told_apart() -> None:
    times = {"a": Timed(1.0, 0.95, 1.05), "b": Timed(1.2, 1.1, 1.3)}
    assert time_marks(times) == {"a": "best", "b": ""}
