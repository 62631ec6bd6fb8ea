"""What looking asks for: the tiles of a frame, the measures of a region, maps of faults, spots worth a look."""

import math
import zipfile
from pathlib import Path
from typing import Any

import numpy as np

from mistline.core.choose.spots import suggest_spots
from mistline.core.frame import Codes, Region, Size, to_frame
from mistline.core.measure import Evidence, NotMeasurable, measure_all
from mistline.core.measure.colour_difference import ciede2000, lab
from mistline.core.measure.maps import MAPS, reduced, worst_place
from mistline.core.measure.measure import Enlarged, Picture, luma_of
from mistline.core.media.archive import RATE_NAME
from mistline.core.media.plate import Plate, encode_png, to_eight_bit, write_png, write_thumbnail, write_view
from mistline.core.media.png_chunks import tagged
from mistline.errors import OutOfLimits
from mistline.work.requests import (
    CutCrops,
    CutSheet,
    CutSlice,
    Done,
    MakeMap,
    MakeViews,
    MapMade,
    MeasureRegion,
    PixelRead,
    PixelsRead,
    Progress,
    ReadPixels,
    RegionMeasured,
    Scored,
    SpotFound,
    SpotsSuggested,
    SuggestSpots,
    WriteFrames,
)
from mistline.work.steps.footage import fresh, open_footage
from mistline.work.steps.take import scored

__all__ = [
    "cut_crops",
    "cut_sheet",
    "cut_slice",
    "make_map",
    "make_views",
    "measure_region",
    "read_pixels",
    "suggest",
    "write_frames",
]

WORST_SHARE = 8  # the worst place is a square of that share of the shorter side


def make_views(request: MakeViews, report: Progress) -> Done:
    """Cut views of frames that follow one another."""
    frames = request.frames
    for number, codes in zip(frames, open_footage(request.footage).stream(frames[0], len(frames)), strict=True):
        folder = fresh(request.out / str(number))
        if request.view == "whole":
            write_png(folder / "whole.png", codes)
        elif request.view == "small":
            write_thumbnail(folder, codes)
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


class _Reference:
    """What results are held against: the truth, or without one the input brought to the target's size."""

    def __init__(self, truth: list[Path], small: list[Path], target: Size) -> None:
        self.truth, self.input = Plate(truth) if truth else None, Plate(small)
        self.target = target

    def cut(self, number: int, region: Region) -> Picture:
        """A part of a frame, in pixels of the target."""
        if self.truth:
            return self.truth.cut(number, region)
        own = self.input.size(number)
        across, down = self.target.width / own.width, self.target.height / own.height
        left, top = (max(0, math.floor(at) - 1) for at in (region.left / across, region.top / down))
        right = min(own.width, math.ceil((region.left + region.width) / across) + 1)
        bottom = min(own.height, math.ceil((region.top + region.height) / down) + 1)
        part = self.input.cut(number, Region(left, top, right - left, bottom - top))
        corner = region.left - left * across, region.top - top * down
        return Enlarged(to_frame(part), Size(region.width, region.height), (across, down), corner)

    def whole(self, number: int) -> Picture:
        """A frame."""
        return self.cut(number, Region(0, 0, self.target.width, self.target.height))


def _evidence(result: Codes, reference: Picture, factor: float, **more: Any) -> Evidence:
    if isinstance(reference, Enlarged):
        return Evidence(result, beside=reference, scale=factor, **more)
    return Evidence(result, reference, scale=factor, **more)


def measure_region(request: MeasureRegion, report: Progress) -> RegionMeasured:
    """Measure a region of every result, beside the frame before where there is one."""
    reference = _Reference(request.truth, request.input, request.target)
    number, region = request.frame, request.region
    there = reference.cut(number, region)
    there_before = luma_of(reference.cut(number - 1, region)) if number else None

    references_own: dict[object, object] = {}

    def scores(shards: list[Path]) -> dict[str, Scored]:
        result = Plate(shards)
        before = None if there_before is None else (there_before, luma_of(result.cut(number - 1, region)))
        codes = result.cut(number, region)
        evidence = _evidence(
            codes, there, request.factor, sight=request.sight, before=before, references_own=references_own
        )
        return scored(measure_all(evidence, only=request.only))

    return RegionMeasured(scores={letter: scores(shards) for letter, shards in request.results.items()})


def read_pixels(request: ReadPixels, report: Progress) -> PixelsRead:
    """Read the code values of one place; in a picture of another size, of the pixel that covers it."""
    plates = {name: Plate(shards) for name, shards in request.pictures.items()}

    def at(plate: Plate) -> Codes:
        own = plate.size(request.frame)
        column = int((request.x + 0.5) * own.width / request.size.width)
        row = int((request.y + 0.5) * own.height / request.size.height)
        return plate.cut(request.frame, Region(column, row, 1, 1))

    found = {name: at(plate) for name, plate in plates.items()}
    colours = {name: lab(to_frame(codes).pixels)[0, 0] for name, codes in found.items()}
    return PixelsRead(
        pixels={
            name: PixelRead(
                codes=codes[0, 0].tolist(), bits=8 * codes.itemsize, lab=colours[name].tolist(),
                from_truth=float(ciede2000(colours["truth"], colours[name])) if "truth" in colours else None,
            )
            for name, codes in found.items()
        }
    )  # fmt: skip


def cut_crops(request: CutCrops, report: Progress) -> Done:
    """Write a part of several pictures, those of another size by the same share of the picture."""
    part, file = request.region, request.out.with_suffix(".png")
    with zipfile.ZipFile(request.out, "w", zipfile.ZIP_STORED) as archive:
        for name, shards in request.pictures.items():
            plate = Plate(shards)
            own = plate.size(request.frame)
            across, down = own.width / request.size.width, own.height / request.size.height
            left, top = math.floor(part.left * across), math.floor(part.top * down)
            right = math.ceil((part.left + part.width) * across)
            bottom = math.ceil((part.top + part.height) * down)
            crop = plate.cut(request.frame, Region(left, top, right - left, bottom - top))
            write_png(file, np.ascontiguousarray(crop))
            archive.write(file, name)
    return Done()


def cut_sheet(request: CutSheet, report: Progress) -> Done:
    """Write parts below one another, each at the left, as the tiles show them; black is beside the narrower ones."""
    height = sum(part.region.height for part in request.parts)
    sheet = np.zeros((height, max(part.region.width for part in request.parts), 3), np.uint8)
    top = 0
    for part in request.parts:
        bottom = top + part.region.height
        sheet[top:bottom, : part.region.width] = to_eight_bit(Plate(part.picture).cut(part.frame, part.region))
        top = bottom
    write_png(request.out, sheet)
    return Done()


def write_frames(request: WriteFrames, report: Progress) -> Done:
    """Write all frames of a picture, each a PNG at its own depth that is tagged as sRGB; of a clip with its rate."""
    picture = open_footage(request.footage)
    if request.frames == 1:
        request.out.write_bytes(tagged(encode_png(picture.codes(0))))
        return Done()
    with zipfile.ZipFile(request.out, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr(RATE_NAME, request.rate)
        for number, codes in enumerate(picture.stream(0, request.frames)):
            archive.writestr(f"{request.name}-{number:06d}.png", tagged(encode_png(codes)))
    return Done()


def make_map(request: MakeMap, report: Progress) -> MapMade:
    """Read a map of faults off a frame and write it."""
    found = MAPS[request.map]
    reference = _Reference(request.truth, request.input, request.target).whole(request.frame)
    try:
        result, *others = (Plate(shards) for shards in (request.result, *request.others))
        rest = (plate.codes(request.frame) for plate in others)
        values = found.of(_evidence(result.codes(request.frame), reference, request.factor, others=rest))
    except NotMeasurable as why:
        raise OutOfLimits(f"There is no map of {found.name.lower()} here: {why}.") from None
    worst, value = worst_place(values, max(16, min(values.shape) // WORST_SHARE))
    grey = np.clip(reduced(values) * np.float32(255 / found.most), 0, 255)
    write_png(request.out, np.rint(grey).astype(np.uint8)[..., None])
    return MapMade(width=grey.shape[1], height=grey.shape[0], worst=worst, value=value)


def suggest(request: SuggestSpots, report: Progress) -> SpotsSuggested:
    """Look for places worth looking at."""
    reference = luma_of(_Reference(request.truth, request.input, request.target).whole(request.frame))
    results = {letter: luma_of(Plate(shards).codes(request.frame)) for letter, shards in request.results.items()}
    spots = [
        SpotFound(**vars(found)) for found in suggest_spots(reference, results, has_truth=bool(request.truth))
    ]
    return SpotsSuggested(spots=spots)
