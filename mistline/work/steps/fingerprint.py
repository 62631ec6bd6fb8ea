"""Measure what a method does in general."""

from dataclasses import asdict

from mistline.core.fingerprint import of_method, take_fingerprint, usual_factor
from mistline.core.frame import Frame
from mistline.core.media.plate import quantise, write_png
from mistline.work.requests import FingerprintMade, Progress, TakeFingerprint
from mistline.work.steps.timed import timing_lane

__all__ = ["fingerprint"]


def fingerprint(request: TakeFingerprint, report: Progress) -> FingerprintMade:
    """Its figures, and its plates as PNG; nothing else that is timed runs meanwhile."""
    with timing_lane(request.lane):
        found, plates = take_fingerprint(
            of_method(request.method), usual_factor(request.method), lambda share: report("measuring", share)
        )
    for name, pixels in asdict(plates).items():
        write_png(request.out / f"{name.replace('_', '-')}.png", quantise(Frame(pixels, 8), 8)[0])
    return FingerprintMade(found=found)
