"""Best, ties and controls in a trial's table."""

from mistline.core.setup import TruthSetup
from mistline.work.scoreboard import better_of, scoreboard, sentences

FULL = {"psnr_luma": 30.0, "psnr_rgb": 30.0, "ssim": 0.9, "ciede2000": 2.0, "noise_left": 1.0}


def row(
    letter: str, control: str | None = None, state: str = "done", times: tuple = (1.0, 1.1, 1.2), **scores
) -> dict:
    timing = {"median": sorted(times)[1], "process": list(times)} if control != "truth" else {}
    figures = {key: {"value": value, "parts": {}, "note": ""} for key, value in {**FULL, **scores}.items()}
    return {"letter": letter, "control": control, "state": state, "timing": timing, "scores": figures}


def test_noise_is_best_nearest_to_the_truth() -> None:
    board = scoreboard([row("A", noise_left=0.0), row("B", noise_left=2.2), row("C", noise_left=4.0),
                        row("T", "truth", noise_left=2.0)])  # fmt: skip
    assert {letter: marks["noise_left"] for letter, marks in board.marks.items()} == {
        "A": "",
        "B": "best",
        "C": "",
    }


def test_controls_and_unfinished_entries_are_not_ranked() -> None:
    board = scoreboard(
        [row("A", ssim=0.8), row("B", state="running"), row("N", "nearest", ssim=0.99), row("T", "truth")]
    )
    assert set(board.marks) == {"A"} and board.marks["A"]["ssim"] == "best" and board.fronts["ssim"] == ["A"]


def test_without_the_truth_control_noise_is_not_ranked() -> None:
    assert "noise_left" not in scoreboard([row("A"), row("B")]).marks["A"]


def test_an_identical_result_is_best_although_its_psnr_is_infinite() -> None:
    board = scoreboard([row("A", psnr_luma=None), row("B", psnr_luma=45.0)])
    assert board.marks["A"]["psnr_luma"] == "best" and board.marks["B"]["psnr_luma"] == ""


def test_what_was_not_measured_is_not_ranked() -> None:
    rows = [row("A"), row("B"), row("T", "truth")]
    rows[0]["scores"]["ssim"]["note"] = "needs a truth"
    marks = scoreboard(rows).marks
    assert "ssim" not in marks["A"] and marks["B"]["ssim"] == "best" and "halo" not in marks["A"]


def test_rims_are_best_nearest_to_zero() -> None:
    marks = scoreboard([row("A", halo=-2.0), row("B", halo=0.5), row("C", halo=4.0)]).marks
    assert [marks[letter]["halo"] for letter in "ABC"] == ["", "best", ""]


def test_times_tie_when_their_repeats_overlap() -> None:
    board = scoreboard(
        [row("A", times=(1.0, 1.1, 1.3)), row("B", times=(1.2, 1.25, 1.4)), row("C", times=(2, 2, 2))]
    )
    assert {letter: marks["time"] for letter, marks in board.marks.items()} == {"A": "tied", "B": "tied", "C": ""}


def test_an_empty_trial_has_an_empty_board() -> None:
    board = scoreboard([row("A", state="waiting"), row("T", "truth", state="waiting")])
    assert board.marks == {} and board.fronts == {} and board.beaten == {}


def test_who_is_no_better_in_anything_is_beaten() -> None:
    quick, slow = (0.1, 0.1, 0.1), (2.0, 2.1, 2.2)
    board = scoreboard([
        row("A", ssim=0.95, times=quick), row("B", ssim=0.90, times=slow), row("C", ssim=0.90, times=(0.01, 0.01, 0.01)),
        row("D", ssim=0.90, psnr_luma=40.0, times=slow), row("T", "truth"),
    ])  # fmt: skip
    assert board.beaten == {"B": ["A", "D"]}  # C is faster, D has the better PSNR


def test_noise_is_told_from_the_input_where_nothing_was_shrunk() -> None:
    rows = [row("A", noise_left=2.0), row("N", "nearest", noise_left=10.0), row("T", "truth", noise_left=0.2)]
    told = sentences(rows, TruthSetup(factor=1, noise=1))
    assert told["A"].startswith("Noise down 80 % (10.0 to 2.0 cv; the truth has 0.2)") and told["T"] == ""
    assert told["N"].startswith("Noise 10.0 cv where the truth has 0.2")
    assert sentences(rows, TruthSetup(factor=2, noise=1))["A"].startswith("Noise 2.0 cv where the truth has 0.2")
    assert (
        sentences(rows[:1], TruthSetup(factor=1, noise=1))["A"] == ""
    )  # before the controls are done nothing is compared


def test_of_two_the_better_one_is_told_whoever_else_is_in_the_trial() -> None:
    rows = [
        row("A", ssim=0.8, noise_left=2.5), row("B", ssim=0.85, noise_left=4.0, times=(3.0, 3.1, 3.2)),
        row("C", ssim=0.99, noise_left=2.0), row("D", state="running"), row("T", "truth", noise_left=2.0),
    ]  # fmt: skip
    found = better_of(rows, "A", "B")
    assert (found["ssim"], found["noise_left"], found["time"], found["psnr_luma"]) == ("B", "A", "A", "tied")
    assert better_of(rows, "B", "A") == found and better_of(rows, "A", "D") == {}


def test_times_of_several_machines_are_never_ranked_together() -> None:
    """The quickest time is another machine's and the slowest of two: neither is held against the others."""
    rows = [
        row("A", times=(3, 3, 3), ssim=0.8),
        row("B", times=(1, 1, 1)),
        row("C", times=(2, 2, 2)),
        row("D", times=(9, 9, 9)),
    ]
    for each, processor in zip(rows, ("desk", "attic", "desk", "desk"), strict=True):
        each["machine"] = {"processor": processor}
    rows[3]["timing"]["machines"] = [{"frames": 1}, {"frames": 1}]
    board = scoreboard(rows)
    assert [board.marks[letter]["time"] for letter in "ABCD"] == ["", "other machine", "best", "other machine"]
    assert board.fronts["ssim"] == ["C"] and board.beaten == {"A": ["C"]}
    assert "time" not in better_of(rows, "A", "B") and better_of(rows, "A", "C")["time"] == "C"
    assert [scoreboard(rows[3:]).marks["D"]["time"]] == ["other machine"]
