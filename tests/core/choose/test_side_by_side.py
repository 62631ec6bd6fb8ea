"""Two results side by side: settings are aligned by name, and what differs comes first."""

import pytest

from mistline.core.choose.side_by_side import Made, settings_in, side_by_side


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("strength 20, grain: 10 %; recover", {"strength": "20", "grain": "10 %", "recover": "yes"}),
        ("Noise reduction = 35\nSharpen=0", {"noise reduction": "35", "sharpen": "0"}),
        ("strength 1,5, tiles off", {"strength": "1,5", "tiles": "off"}),
        ("model 2x, auto", {"model": "2x", "auto": "yes"}),
        ("", {}),
        (" ,; ", {}),
    ],
)
def test_settings_that_people_write_down(text: str, wanted: dict) -> None:
    assert settings_in(text) == wanted


def test_passes_are_aligned_by_name_wherever_they_stand() -> None:
    first = Made(
        {}, [("Non-local means", {"strength": 12.0}), ("Bicubic", {"kernel": "bicubic", "light": "linear"})]
    )
    second = Made({}, [("Bicubic", {"kernel": "mitchell", "light": "linear"}), ("Unsharp mask", {"amount": 0.6})])
    told = [(each.name, each.first, each.second, each.differs) for each in side_by_side(first, second)]
    assert told == [
        ("Non-local means", "yes", "", True),
        ("Non-local means, strength", "12", "", True),
        ("Bicubic, kernel", "bicubic", "mitchell", True),
        ("Unsharp mask", "", "yes", True),
        ("Unsharp mask, amount", "", "0.6", True),
        ("Bicubic, light", "linear", "linear", False),
    ]


def test_one_that_was_made_elsewhere_beside_one_of_ours() -> None:
    ours = Made({"made with": "Mistline", "machine": "M"}, [("Bicubic", {})])
    other = Made({"made with": "Plover", "version": "2", "machine": "", "fee": ""}, stated="strength 20")
    told = {each.name: (each.first, each.second) for each in side_by_side(ours, other)}
    assert told == {
        "made with": ("Mistline", "Plover"), "machine": ("M", ""), "version": ("", "2"), "strength": ("", "20"),
        "Bicubic": ("yes", ""),
    }  # fmt: skip
    assert not any(each.differs for each in side_by_side(ours, ours))
