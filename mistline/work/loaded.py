"""What the fork server holds for its children: their libraries, and what each of them would work out anew.

Nothing here may leave a thread behind: a child is forked without it.
"""

import cv2
import numpy as np

from mistline.core.measure import MEASURES, Evidence
from mistline.core.timing.machine import this_machine
from mistline.work import child, sandbox

__all__ = ["child", "sandbox"]

SIDE = 128  # pixels: the least that all measures which keep tables take


def _fill_tables() -> None:
    """Read the measures off some noise: what they keep for all pictures is there then."""
    threads = cv2.getNumThreads()
    cv2.setNumThreads(1)
    truth = np.random.default_rng(0).integers(0, 256, (SIDE, SIDE, 3), np.uint8)
    evidence = Evidence(cv2.blur(truth, (3, 3)), truth)
    for measure in MEASURES.values():
        if measure.heading != "lettering":  # which is read by a program of its own
            measure.read(evidence)
    cv2.setNumThreads(threads)


_fill_tables()
this_machine()
