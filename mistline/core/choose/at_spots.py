"""What several spots together say of entries: who is best everywhere, who wins here and loses there."""

from collections.abc import Mapping

from mistline.core.choose.ranking import marks

__all__ = ["describe_spots"]


def describe_spots(
    worth: Mapping[str, Mapping[str, float]], tie: float, told: Mapping[str, Mapping[str, str]]
) -> list[str]:
    """Sentences on entries over several spots; a difference that changes its sign between spots is said.

    Parameters
    ----------
    worth : spots to letters to values
        More is better. An entry counts at the spots where it has a value.
    tie : float
        Values closer than this cannot be told apart.
    told : spots to letters to words
        The value as people read it, with name and unit.

    >>> worth = {"eye": {"A": 0.9, "B": 0.8}, "hedge": {"A": 0.5, "B": 0.7}}
    >>> told = {spot: {name: f"SSIM {value}" for name, value in row.items()} for spot, row in worth.items()}
    >>> describe_spots(worth, 0.01, told)
    ['A wins at eye (SSIM 0.9) and comes last at hedge (SSIM 0.5).',
     'B wins at hedge (SSIM 0.7) and comes last at eye (SSIM 0.8).']
    """
    ranked = {spot: row for spot, row in worth.items() if len(row) > 1}
    best = {spot: marks(row, tie, higher=True) for spot, row in ranked.items()}
    worst = {spot: marks(row, tie, higher=False) for spot, row in ranked.items()}
    letters = sorted({letter for row in ranked.values() for letter in row})
    sentences = []
    for letter in letters:
        wins = [spot for spot in ranked if best[spot].get(letter) == "best"]
        loses = [spot for spot in ranked if worst[spot].get(letter) == "best"]
        leads = [spot for spot in ranked if best[spot].get(letter)]
        places = {
            verb: ", ".join(f"{spot} ({told[spot][letter]})" for spot in spots)
            for verb, spots in (("wins", wins), ("loses", loses))
        }
        if wins and loses:
            sentences.append(f"{letter} wins at {places['wins']} and comes last at {places['loses']}.")
        elif len(ranked) > 1 and len(leads) == len(ranked):
            tied = [spot for spot in leads if spot not in wins]
            share = f", tied at {', '.join(tied)}" if tied else ""
            sentences.append(f"{letter} is best at every spot{share}.")
    return sentences
