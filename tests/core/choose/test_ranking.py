"""Best, ties and the trade-off front."""

from hypothesis import given
from hypothesis import strategies as st

from mistline.core.choose.ranking import Timed, front, marks, time_marks

POINTS = st.dictionaries(st.sampled_from("ABCDEFGH"), st.tuples(st.floats(0.01, 10), st.floats(0, 1)), min_size=1)


@given(POINTS)
def test_nothing_on_the_front_is_beaten(points: dict[str, tuple[float, float]]) -> None:
    kept = front(points)
    assert kept
    for name in points:
        time, quality = points[name]
        beaten = any(t <= time and q >= quality and (t, q) != (time, quality) for t, q in points.values())
        if name in kept:
            assert not beaten
        else:
            assert beaten or any((time, quality) == points[other] for other in kept)


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
