"""Read an original that came from outside: a still or a clip."""

from dataclasses import asdict, replace
from math import inf
from statistics import median

from mistline.core.measure import measure_traits
from mistline.core.measure.survey import survey
from mistline.core.media.clip import Clip
from mistline.core.media.moving import read_moving
from mistline.core.media.plate import Plate, write_thumbnail
from mistline.core.media.sequence import Sequence
from mistline.core.media.still import read_still
from mistline.core.methods import Traits
from mistline.work.requests import Original, Progress, ReadOriginal, SurveyClip, Surveyed
from mistline.work.steps.footage import made, open_footage, rate_text, write_still

__all__ = ["read_original", "survey_clip"]

STRIP, MEASURED = 16, 3  # frames of a clip that are shown small, and that its traits are measured on


def read_original(request: ReadOriginal, report: Progress) -> Original:
    """Its facts, first traits and picture."""
    report("reading", 0.1)
    moving = read_moving(request.path, request.name, request.read_as)
    return _moving(request, moving, report) if moving else _still(request, report)


def _still(request: ReadOriginal, report: Progress) -> Original:
    still = read_still(request.path, request.name)
    report("writing", 0.4)
    picture = write_still(request.out / "picture", still.codes)
    report("measuring", 0.8)
    facts = {
        "width": still.size.width, "height": still.size.height, "megapixels": still.size.megapixels,
        "bit_depth": still.bit_depth, "channels": still.channels, "colour": still.colour,
        "file_type": still.file_type, "notes": still.notes, "jpeg": asdict(still.jpeg) if still.jpeg else None,
    }  # fmt: skip
    return Original(facts=facts, traits=measure_traits(still.codes), picture=picture)


def _moving(request: ReadOriginal, clip: Clip | Sequence, report: Progress) -> Original:
    known, count = clip.facts, clip.count
    strip = sorted({(2 * place + 1) * count // (2 * STRIP) for place in range(STRIP)})
    measured = set(strip[len(strip) // (2 * MEASURED) :: max(1, len(strip) // MEASURED)])
    traits = []
    for place, number in enumerate(strip):
        report("reading", 0.1 + 0.8 * place / len(strip))
        codes = clip.codes(number)
        write_thumbnail(request.out / "picture" / "view" / str(number), codes)
        if number in measured:
            traits.append(measure_traits(codes))
    facts = {
        "width": known.size.width, "height": known.size.height, "megapixels": known.size.megapixels,
        "bit_depth": known.bit_depth, "channels": known.channels, "colour": known.colour,
        "file_type": known.file_type, "notes": known.notes, "frames": count, "rate": rate_text(known.rate),
        "codec": known.codec, "scan": known.scan, "bits_a_second": known.bits_a_second, "sound": known.sound,
        "refused": known.refused, "strip": strip, "read_as": _read_as(clip),
    }  # fmt: skip
    picture = made(known.size, 16).model_copy(
        update={"frames": count, "rate": rate_text(known.rate), "from_original": True}
    )
    return Original(facts=facts, traits=_typical(traits), picture=picture)


def _read_as(clip: Clip | Sequence) -> dict[str, object] | None:
    """Matrix and range of what is not R'G'B' already."""
    if isinstance(clip, Sequence) or clip.facts.matrix == "RGB":
        return None
    return {"matrix": clip.facts.matrix, "full_range": clip.facts.full_range}


def survey_clip(request: SurveyClip, report: Progress) -> Surveyed:
    """Its shots, parts worth trying, and what its frames are."""
    clip = open_footage(request.source)
    assert not isinstance(clip, Plate)
    return Surveyed(found=survey(clip.lumas(), clip.count, clip.facts.rate, clip.facts.scan))


def _typical(traits: list[Traits]) -> Traits:
    """The middle of the traits of several frames, figure by figure; curves are those of the frame nearest in noise."""

    def of(name: str) -> float | None:
        known = [value for one in traits if (value := getattr(one, name)) is not None]
        return median(known) if len(known) * 2 > len(traits) else None

    noise, colour = of("noise_sigma"), of("noise_colour")
    if noise is None:
        like = next(one for one in traits if one.noise_sigma is None)
    else:
        like = min(traits, key=lambda one: inf if one.noise_sigma is None else abs(one.noise_sigma - noise))
    untold = None if colour is not None else next(one for one in traits if one.noise_colour is None)
    return replace(
        like, noise_sigma=noise, noise_colour=colour, edge_width=of("edge_width"),
        colour_note=untold.colour_note if untold else "", colour_most=untold.colour_most if untold else None,
        squares=of("squares") or 0.0, flat_share=of("flat_share") or 0.0, mean_level=of("mean_level") or 0.0,
        measured_on=f"{len(traits)} frames, {like.measured_on} of each" if len(traits) > 1 else like.measured_on,
    )  # fmt: skip
