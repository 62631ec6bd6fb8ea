"""Two results side by side: how each was made, setting by setting, what differs first."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher

__all__ = ["Made", "Setting", "settings_in", "side_by_side"]

ABSENT = ""
ITEM = re.compile(r"^(?P<name>.*\S)(?:\s*[:=]\s*|\s+)(?P<value>[-+]?\d\S*(?:\s*%)?|on|off|yes|no|auto\w*)$", re.I)

Named = tuple[str, Mapping[str, object]]


@dataclass(frozen=True)
class Made:
    """How a result was made.

    Attributes
    ----------
    facts : mapping of name to words
        Tool, version, machine and so on.
    passes : sequence of (name, settings)
        In the order in which they ran.
    stated : str
        Settings in free text, where others made it.
    """

    facts: Mapping[str, str]
    passes: Sequence[Named] = ()
    stated: str = ""


@dataclass(frozen=True)
class Setting:
    """A setting of the two; empty where one has none."""

    name: str
    first: str
    second: str

    @property
    def differs(self) -> bool:
        """Whether the two are not the same."""
        return self.first != self.second


def settings_in(text: str) -> dict[str, str]:
    """Settings that somebody wrote down, by name in lower case; what has no value stands for itself.

    >>> settings_in("Strength 20, grain: 10 %; recover detail")
    {'strength': '20', 'grain': '10 %', 'recover detail': 'yes'}
    """
    found = {}
    for item in filter(None, (part.strip() for part in re.split(r"[;\n]|,(?!\d)", text))):
        told = ITEM.match(item)
        name, value = (told["name"], told["value"]) if told else (item, "yes")
        found[name.rstrip(" :=").lower()] = value
    return found


def _shown(value: object) -> str:
    return f"{value:.4g}" if isinstance(value, float) else str(value)


def _matched(first: Sequence[Named], second: Sequence[Named]) -> list[tuple[Named | None, Named | None]]:
    """Passes in pairs: those of one name in the same order, others alone."""
    names = [name for name, _ in first], [name for name, _ in second]
    pairs: list[tuple[Named | None, Named | None]] = []
    for what, a, b, c, d in SequenceMatcher(a=names[0], b=names[1], autojunk=False).get_opcodes():
        if what == "equal":
            pairs += list(zip(first[a:b], second[c:d], strict=True))
        else:
            pairs += [(one, None) for one in first[a:b]] + [(None, other) for other in second[c:d]]
    return pairs


def _of_passes(first: Sequence[Named], second: Sequence[Named]) -> list[Setting]:
    found = []
    for one, other in _matched(first, second):
        pass_name = (one or other or ("", {}))[0]
        if one is None or other is None:
            found.append(Setting(pass_name, *("yes" if each else ABSENT for each in (one, other))))
        before, after = (each[1] if each else {} for each in (one, other))
        found += [
            Setting(f"{pass_name}, {key.replace('_', ' ')}", *(_shown(each[key]) if key in each else ABSENT
                                                                for each in (before, after)))
            for key in {**before, **after}
        ]  # fmt: skip
    return found


def side_by_side(first: Made, second: Made) -> list[Setting]:
    """Everything that is known of how two results were made, aligned by name; what differs comes first.

    >>> old, new = (Made({"version": text}, stated=f"strength {by}, grain 5") for text, by in (("2", 20), ("3", 30)))
    >>> [(each.name, each.first, each.second) for each in side_by_side(old, new) if each.differs]
    [('version', '2', '3'), ('strength', '20', '30')]
    """
    told = [settings_in(made.stated) for made in (first, second)]
    pairs = [(first.facts, second.facts), (told[0], told[1])]
    every = [
        Setting(name, one.get(name, ABSENT), other.get(name, ABSENT))
        for one, other in pairs
        for name in {**one, **other}
    ]
    every += _of_passes(first.passes, second.passes)
    known = [each for each in every if each.first or each.second]
    return sorted(known, key=lambda each: not each.differs)
