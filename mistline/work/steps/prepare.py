"""Make truth and input of a test, as far as they are not the source: of all its frames, or of a small crop."""

import base64
from collections.abc import Iterator
from fractions import Fraction

from mistline.core.frame import Frame, Size, luma, to_frame, with_channels
from mistline.core.measure import NotMeasurable, measure_traits
from mistline.core.measure.alignment import align, colour_gains
from mistline.core.media.plate import encode_png, quantise
from mistline.core.methods import Traits
from mistline.core.setup import Plan
from mistline.errors import OutOfLimits
from mistline.work.requests import Aligned, AlignPair, Prepare, Prepared, PreviewInput, PreviewMade, Progress
from mistline.work.steps.footage import PictureWriter, open_footage

__all__ = ["align_pair", "prepare", "preview_input"]

PREVIEW_SIDE, PREVIEW_MARGIN = 288, 48


def prepare(request: Prepare, report: Progress) -> Prepared:
    """Truth and input, where the source is not it; the input is rounded to the bit depth that its chain leaves."""
    source, setup = open_footage(request.source), request.setup
    sizes = setup.plan(request.size)
    taken = sizes.target if setup.makes_input else sizes.part
    other = taken != request.size or not request.source.shards
    makes_truth = setup.has_truth and (other or request.native is not None)
    truth = PictureWriter(request.out / "truth", request.rate) if makes_truth else None
    small = PictureWriter(request.out / "input", request.rate) if setup.makes_input or other else None
    traits: Traits | None = None
    channels = 0

    def frames() -> Iterator[Frame]:
        for number, original in enumerate(source.stream(request.first, request.frames)):
            report("preparing the input", 0.08 * number / request.frames)
            frame = setup.laid(to_frame(original), sizes)
            if truth and not request.native:
                truth.add(quantise(frame, frame.bit_depth)[0])
            yield frame

    for given in setup.inputs(frames(), sizes):
        codes, _ = quantise(given, given.bit_depth)
        channels = codes.shape[2]
        traits = traits or measure_traits(codes)
        if small:
            small.add(codes)
    assert traits is not None
    if truth and request.native:
        native = open_footage(request.native).stream(request.first, request.frames)
        for number, frame in enumerate(setup.truths(map(to_frame, native), sizes)):
            report("preparing the truth", 0.08 * number / request.frames)
            truth.add(quantise(with_channels(frame, channels), frame.bit_depth)[0])
    return Prepared(
        truth=truth.close() if truth else None, input=small.close() if small else None, traits=traits,
    )  # fmt: skip


def align_pair(request: AlignPair, report: Progress) -> Aligned:
    """How a larger version lies on a source, and how its colours differ."""
    small, large = (to_frame(open_footage(one).codes(request.frame)) for one in (request.source, request.native))
    report("aligning", 0.2)
    try:
        found = align(luma(small.pixels), luma(large.pixels))
    except NotMeasurable as why:
        raise OutOfLimits(f"{request.name} and {request.native_name} cannot be aligned: {why}.") from None
    large = with_channels(large, small.pixels.shape[2])
    return Aligned(alignment=found, gains=colour_gains(small.pixels, large.pixels, found))


def preview_input(request: PreviewInput, report: Progress) -> PreviewMade:
    """Make the input on a crop of at most 288 x 216 pixels of the truth.

    The crop carries a margin while it is made, so that its edges are those of the whole picture.
    """
    source, setup = to_frame(open_footage(request.source).codes(request.frame)), request.setup
    whole = setup.plan(source.size)
    step = next(n for n in range(1, 1000) if abs(n * setup.factor - round(n * setup.factor)) < 1e-6)
    unit = round(step * setup.factor)
    truth = setup.laid(source, whole)

    def cut(length: int, most: int, share: float) -> tuple[slice, slice]:
        """The wider part that is worked on, and the shown part within it, in whole units."""
        count = max(1, min(length, most) // unit)
        first = min(max(round(share * length / unit - count / 2), 0), max(length // unit - count, 0))
        margin = -(-PREVIEW_MARGIN // unit)
        low, high = max(0, first - margin), min(max(1, length // unit), first + count + margin)
        return slice(low * unit, high * unit), slice((first - low) * unit, (first - low + count) * unit)

    across, down = request.centre
    rows, shown_rows = cut(truth.size.height, PREVIEW_SIDE * 3 // 4, down)
    columns, shown_columns = cut(truth.size.width, PREVIEW_SIDE, across)
    part = truth.with_pixels(truth.pixels[rows, columns])
    factor = Fraction(str(setup.factor))
    sizes = Plan(part.size, Size(round(part.size.width / factor), round(part.size.height / factor)), (0, 0),
                 whole.factors)  # fmt: skip
    small = next(setup.inputs([part], sizes))

    def png(frame: Frame, ratio: Fraction) -> str:
        inside = [slice(round(s.start / ratio), round(s.stop / ratio)) for s in (shown_rows, shown_columns)]
        codes, _ = quantise(frame.with_pixels(frame.pixels[inside[0], inside[1]]), 8)
        return base64.b64encode(encode_png(codes)).decode()

    return PreviewMade(
        truth=png(part, Fraction(1)), input=png(small, factor),
        width=shown_columns.stop - shown_columns.start, height=shown_rows.stop - shown_rows.start,
    )  # fmt: skip
