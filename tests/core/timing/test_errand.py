"""What an errand will take: sending and processing grow with its size, the queue does not."""

import pytest

from mistline.core.timing.errand import Errand, foretold

EARLIER = [Errand(2, 4, 10, 6), Errand(8, 16, 30, 24), Errand(1, 3, 20, 9)]


@pytest.mark.parametrize("megapixels", [0.5, 2, 20])
def test_medians_a_megapixel_and_of_the_queue(megapixels: float) -> None:
    found = foretold(EARLIER, megapixels)
    assert found is not None
    assert (found.transfer, found.wait, found.process) == pytest.approx((2 * megapixels, 20, 3 * megapixels))
    assert found.total == pytest.approx(20 + 5 * megapixels)


def test_before_the_first_nobody_knows() -> None:
    assert foretold([], 2) is None
