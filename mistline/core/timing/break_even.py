"""Break-even of the shortcut: make the picture small and enlarge it, or make it large at once?"""

from dataclasses import dataclass

__all__ = ["Shortcut"]


@dataclass(frozen=True)
class Shortcut:
    """Seconds a frame: making it at its native size, making it small, and moving files about for the enlarging.

    >>> rendered = Shortcut(native=56, small=15)
    >>> rendered.left, round(rendered.share(10), 2)
    (41.0, 0.45)
    """

    native: float
    small: float
    transfer: float = 0.0

    @property
    def left(self) -> float:
        """What enlarging may take until the shortcut stops paying; below 0 it never pays."""
        return float(self.native - self.small - self.transfer)

    def share(self, enlarging: float) -> float:
        """All of the shortcut over the native way: it pays below 1."""
        return (self.small + self.transfer + enlarging) / self.native

    def used(self, enlarging: float) -> float | None:
        """The part of what is left that enlarging takes; none where nothing is left.

        >>> Shortcut(native=56, small=15).used(10) == 10 / 41
        True
        """
        return enlarging / self.left if self.left > 0 else None
