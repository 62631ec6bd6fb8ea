"""Carry an order over from stand-ins to the real thing, and say how well it holds.

References
----------
.. [1] M. G. Kendall, "The treatment of ties in ranking problems", Biometrika 33(3), 239-251, 1945: tau-b.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

__all__ = ["Analogy", "Placed", "by_analogy", "kendall_tau"]

FIRM, LOOSE = 0.7, 0.3  # of tau, common practice: strong and moderate agreement


@dataclass(frozen=True)
class Placed:
    """An entry in the order that the stand-ins foretell: its mean rank, and its rank on each of them."""

    name: str
    rank: float
    ranks: list[float]


@dataclass(frozen=True)
class Analogy:
    """What stand-ins foretell by one measure.

    Attributes
    ----------
    order : list of Placed
        The best first; only what every stand-in ranks.
    tau : float or None
        Mean agreement of every two stand-ins' orders [1]_; None for fewer than two, or where all is tied.
    held : float or None
        Mean agreement of each stand-in's order with the one that the others foretell.
    sentence : str
        Both in words.
    """

    order: list[Placed]
    tau: float | None
    held: float | None
    sentence: str


def kendall_tau(one: Sequence[float], other: Sequence[float], tie: float = 0.0) -> float | None:
    """Kendall's tau-b of two lists of values [1]_, in which values within `tie` of one another are equal.

    Returns
    -------
    float or None
        1 for the same order, -1 for the reverse; None where one of them has no order at all.

    >>> kendall_tau([1, 2, 3, 4], [1, 2, 4, 3])
    0.6666666666666666
    """
    agreeing, ordered = 0, [0, 0]
    for left, right in combinations(range(len(one)), 2):
        signs = [
            0 if abs(values[left] - values[right]) <= tie else 1 if values[left] > values[right] else -1
            for values in (one, other)
        ]
        agreeing += signs[0] * signs[1]
        ordered = [count + abs(sign) for count, sign in zip(ordered, signs, strict=True)]
    both = ordered[0] * ordered[1]
    return float(agreeing / both**0.5) if both else None


def _ranks(worth: Mapping[str, float], tie: float) -> dict[str, float]:
    """Rank 1 is best; a rank is 1, plus the number of those that are better, plus half of those that are tied."""
    return {
        name: 1.0
        + sum(other > value + tie for other in worth.values())
        + 0.5 * (sum(abs(other - value) <= tie for other in worth.values()) - 1)
        for name, value in worth.items()
    }


def _mean(values: Sequence[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return sum(known) / len(known) if known else None


def by_analogy(stand_ins: Mapping[str, Mapping[str, float]], tie: float, measure: str) -> Analogy:
    """The order that stand-ins foretell.

    Parameters
    ----------
    stand_ins : by their names, how good each entry is there (more is better)
    tie : float
        Values closer than that cannot be told apart.
    measure : str
        What it is called.

    >>> found = by_analogy({"a": {"x": 3, "y": 2, "z": 1}, "b": {"x": 9, "y": 8, "z": 1}}, 0.1, "sharpness")
    >>> [placed.name for placed in found.order], found.tau
    (['x', 'y', 'z'], 1.0)
    """
    shared = set.intersection(*(set(worth) for worth in stand_ins.values())) if stand_ins else set()
    kept = [{name: worth[name] for name in sorted(shared)} for worth in stand_ins.values()]
    ranks = [_ranks(worth, tie) for worth in kept]

    def foretold(rows: Sequence[Mapping[str, float]]) -> dict[str, float]:
        return {name: sum(row[name] for row in rows) / len(rows) for name in sorted(shared)}

    order = sorted((Placed(name, rank, [row[name] for row in ranks]) for name, rank in foretold(ranks).items()),
                   key=lambda placed: placed.rank) if ranks else []  # fmt: skip
    tau = _mean([kendall_tau(list(a.values()), list(b.values()), tie) for a, b in combinations(kept, 2)])
    held = None
    if len(ranks) > 1:
        others = [foretold(ranks[:at] + ranks[at + 1 :]) for at in range(len(ranks))]
        held = _mean(
            [
                kendall_tau([-rank for rank in row.values()], [-rank for rank in other.values()])
                for row, other in zip(ranks, others, strict=True)
            ]
        )
    return Analogy(order, tau, held, _sentence(order, kept, tie, tau, measure))


def _sentence(
    order: Sequence[Placed], kept: Sequence[Mapping[str, float]], tie: float, tau: float | None, measure: str
) -> str:
    if not order:
        return ""
    ahead = [name for name in kept[0] if all(worth[name] >= max(worth.values()) - tie for worth in kept)]
    first = order[0].name
    count = len(kept)
    where = {1: "on the one stand-in", 2: "on both stand-ins"}.get(count, f"on all {count} stand-ins")
    if len(ahead) == 1:
        lead = f"By {measure}, {ahead[0]} is best {where}"
    elif ahead:
        lead = f"By {measure}, {' and '.join(ahead)} lead {where} and cannot be told apart"
    else:
        lead = f"By {measure}, {first} does best on the whole, but not on every one of {count} stand-ins"
    if count == 1:
        return f"{lead}; one of them cannot tell how well that carries over."
    if tau is None:
        return f"{lead}; they tell no order apart."
    if tau >= FIRM:
        return f"{lead}; their orders agree (tau {tau:.2f} of 1), so it is likely to hold here."
    if tau >= LOOSE:
        return f"{lead}; their orders agree only in part (tau {tau:.2f} of 1): take it as a hint."
    return f"{lead}; their orders do not agree (tau {tau:.2f} of 1): this foretells nothing here."
