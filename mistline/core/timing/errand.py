"""What an errand to a remote service will take, by earlier ones."""

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

__all__ = ["Errand", "foretold"]


@dataclass(frozen=True)
class Errand:
    """Seconds to send and to fetch, in the service's queue, and being processed there; megapixels of all its result."""

    megapixels: float
    transfer: float
    wait: float
    process: float

    @property
    def total(self) -> float:
        """From sending to having it."""
        return self.transfer + self.wait + self.process


def foretold(earlier: Sequence[Errand], megapixels: float) -> Errand | None:
    """What one of so many megapixels will take: sending and processing grow with them, the queue does not.

    Medians over the earlier ones; None where there are none.

    >>> foretold([Errand(2, 4, 10, 6)], 1)
    Errand(megapixels=1, transfer=2.0, wait=10, process=3.0)
    """
    if not earlier:
        return None
    transfer, process = (
        median(each / errand.megapixels for errand, each in zip(earlier, parts, strict=True))
        for parts in ([one.transfer for one in earlier], [one.process for one in earlier])
    )
    return Errand(megapixels, transfer * megapixels, median(one.wait for one in earlier), process * megapixels)
