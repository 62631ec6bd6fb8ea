"""What looking asks for: the tiles of a frame, the measures of a region."""

import numpy as np

from mistline.core.measure import Evidence, measure_all
from mistline.core.measure.measure import luma_of
from mistline.core.media.plate import Plate, to_eight_bit, write_png, write_view
from mistline.work.requests import CutSlice, Done, MakeViews, MeasureRegion, Progress, RegionMeasured
from mistline.work.steps.footage import fresh, open_footage
from mistline.work.steps.take import scored

__all__ = ["cut_slice", "make_views", "measure_region"]


def make_views(request: MakeViews, report: Progress) -> Done:
    """Cut the tiles of frames that follow one another, or write all of each as PNG."""
    frames = request.frames
    for number, codes in zip(frames, open_footage(request.footage).stream(frames[0], len(frames)), strict=True):
        folder = fresh(request.out / str(number))
        if request.whole:
            write_png(folder / "whole.png", codes)
        else:
            write_view(folder, codes)
    return Done()


def cut_slice(request: CutSlice, report: Progress) -> Done:
    """A row of all frames, time going down; or a column, time going right."""
    across = request.axis == "row"
    lines = [
        to_eight_bit(codes[request.at] if across else codes[:, request.at])
        for codes in open_footage(request.footage).stream(0, request.frames)
    ]
    write_png(request.out, np.ascontiguousarray(np.stack(lines, axis=0 if across else 1)))
    return Done()


def measure_region(request: MeasureRegion, report: Progress) -> RegionMeasured:
    """Measure a region of every result, beside the frame before where there is one."""
    truth, number = Plate(request.truth), request.frame
    there = truth.codes(number)

    def evidence(result: Plate) -> Evidence:
        before = (luma_of(truth.codes(number - 1)), luma_of(result.codes(number - 1))) if number else None
        return Evidence(result.codes(number), there, scale=request.factor, before=before).within(request.region)

    return RegionMeasured(
        scores={letter: scored(measure_all(evidence(Plate(shards)))) for letter, shards in request.results.items()}
    )
