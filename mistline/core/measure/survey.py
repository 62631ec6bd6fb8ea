"""What happens in a clip: its shots, motion and flicker, parts worth trying, and whether a frame is one moment.

Every frame is looked at once, small; a few are read whole for noise and lettering. A cut is where a frame cannot be
made of the one before by moving its parts: what remains after undoing the motion is large, and much larger than around
it. Interlacing is told from motion, not from combs: in a frame of two moments, the lines of one field lie where the
other's will be half a frame later, so the motion from field to field is half of that from frame to frame; in a frame of
one moment there is none. After telecine some frames hold fields of two film frames, others of one.

References
----------
.. [1] A. Hanjalic, "Shot-boundary detection: unraveled and resolved?", IEEE Trans. Circuits Syst. Video Technol. 12(2),
       2002: discontinuity values against those around, motion compensated.
.. [2] ITU-R BT.1702 and common practice: single bright frames are flashes, not cuts.
"""

from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass, field
from fractions import Fraction

import cv2
import numpy as np

from mistline.core.frame import Array
from mistline.core.measure.lettering import Page, as_page, read_pages, surely_read
from mistline.core.measure.measure import NotMeasurable
from mistline.core.measure.noise_cells import clipped_share
from mistline.core.measure.noise_spectrum import known, read_noise
from mistline.core.methods.motion import flow, moved

__all__ = ["MOST_FRAMES", "Stretch", "Survey", "survey"]

MOST_FRAMES = 7200
SMALL, FINE = 160, 480  # pixels across, for motion and for detail
CUT, ABOVE_AROUND, AROUND = 0.045, 3.0, 8  # residual, times the median of so many frames on either side
GAINS = (0.4, 2.5)
STILL = np.zeros((1, 1, 2), np.float32)
FLASH = 0.6  # of the residual is gone when the frame between is left out
SAME = 0.3 / 255  # mean difference of small frames: a repeated frame
SECONDS, STEP = 2.0, 0.25  # length of a suggested stretch, and how it is moved
BLOCKS, BLOCK = 8, 10  # consecutive frames whose fields are compared
FIELD_WIDTH, FIELD_MOTION = 960, 0.8  # pixels across at most, and of horizontal motion a frame at least
NEAR = 0.15  # of the motion from frame to frame: so close to none, half or all of it lies between the fields
INTERLACED, TELECINED, CLEAR = 0.7, 0.25, 0.85  # share of frames
LEAST_MOVING = 6
NORMAL_MEDIAN = 0.6745  # of the absolute value of a normal variable, in sigmas
REPEATS = 0.12  # share of frames from which on repeats are no accident
DARKER, FINER, NOISIER = 0.8, 1.1, 1.15  # than the mean of the clip, to be worth a word
READINGS, LETTERS = 8, 8  # frames that are read for noise and lettering, and letters that are worth a word
FEWEST_READ = 3
LEAST_MOTION = 0.2  # small pixels: less cannot be told from none


@dataclass(frozen=True)
class Stretch:
    """A part worth trying, and why."""

    first: int
    frames: int
    reason: str


@dataclass(frozen=True)
class Survey:
    """First frames of the shots, parts worth trying, sentences on the frames, and how much moves and flickers.

    `motion` is the median motion from frame to frame in pixels, 0 where too little moves to be told; `flicker` is the
    sigma of the mean level, in 8-bit code values, that changes anew with each frame, None where no shot is long enough;
    `temporal_noise` is the sigma of the luma noise that is new on each frame, in code values, None where it cannot be
    told.
    """

    shots: list[int]
    stretches: list[Stretch]
    notes: list[str]
    motion: float
    flicker: float | None
    temporal_noise: float | None


@dataclass
class _Seen:
    """Figures of each frame; motion in pixels of the clip, change and residual against the frame before."""

    level: list[float] = field(default_factory=list)
    motion: list[float] = field(default_factory=list)
    change: list[float] = field(default_factory=list)
    residual: list[float] = field(default_factory=list)
    skipping: list[float] = field(default_factory=list)
    detail: list[float] = field(default_factory=list)
    fields: list[float] = field(default_factory=list)
    noise: dict[int, float] = field(default_factory=dict)  # of those frames that were read, in code values
    lettering: dict[int, tuple[int, str]] = field(default_factory=dict)  # letters that are surely read, and a word
    fresh: list[float] = field(default_factory=list)  # temporal noise, of some frames
    scale: float = 1.0  # pixels of the clip to a small one


def _small(picture: Array, width: int) -> Array:
    if picture.shape[1] <= width:
        return picture
    size = (width, max(16, round(picture.shape[0] * width / picture.shape[1])))
    return cv2.resize(picture, size, interpolation=cv2.INTER_AREA)


def _residual(here: Array, there: Array) -> tuple[float, Array]:
    """What of a frame is not the other one moved (mean, levels and contrast evened out), and the motion."""
    motion = flow(here, there)
    found = moved(there, motion)
    gain = np.clip(here.std() / max(float(found.std()), 1e-6), *GAINS)
    error = gain * (found - found.mean()) - (here - here.mean())
    return float(np.mean(np.abs(error))), motion


def _between_fields(here: Array, after: Array) -> float | None:
    """Motion from the upper to the lower field as a share of that from frame to frame; None where too little moves."""
    height = here.shape[0] // 2 * 2
    width = min(FIELD_WIDTH, here.shape[1])

    def of(lines: Array) -> Array:
        return cv2.resize(lines, (width, lines.shape[0]), interpolation=cv2.INTER_AREA)

    upper, later = of(here[2:height:2]), of(after[2:height:2])
    lower = of(0.5 * (here[1 : height - 2 : 2] + here[3:height:2]))  # where the upper field's lines lie
    onward = flow(upper, later, 1.0)[..., 0]
    moving = np.abs(onward) > FIELD_MOTION
    if moving.mean() < 0.05:
        return None
    within = flow(upper, lower, 1.0)[..., 0]
    return float(np.median(within[moving] / onward[moving]))


def _temporal_noise(here: Array, before: Array, motion: Array) -> float:
    """Sigma of the noise of luma that is new on each frame, in 8-bit code values.

    `motion` (h, w, 2) tells, small, where the pixels of `here` lie in `before`, in small pixels. They are fetched from
    whole pixels, since between pixels noise is lost; the difference has twice the variance of the noise, and is read as
    the noise of one picture is (`read_noise`). A pattern that stands still scores 0. Valid from 1 cv on; what moves by
    parts of a pixel adds up to half a code value.

    Raises
    ------
    NotMeasurable
        Where the difference is not like noise even in its calmest parts: texture that did not move as one.
    """
    height, width = here.shape
    way = cv2.resize(motion, (width, height), interpolation=cv2.INTER_LINEAR) * np.float32(width / motion.shape[1])
    across = np.rint(way[..., 0] + np.arange(width, dtype=np.float32))
    down = np.rint(way[..., 1] + np.arange(height, dtype=np.float32)[:, None])
    fetched = cv2.remap(before, across, down, cv2.INTER_NEAREST, borderMode=cv2.BORDER_REPLICATE)
    return known(read_noise, here - fetched, clipped_share(here[..., None]), here).sigma / float(np.sqrt(2))


def _letters(pages: dict[int, Page]) -> dict[int, tuple[int, str]]:
    """How many letters are surely read on the frames that have any, and the longest word."""
    found = {}
    with suppress(NotMeasurable):
        for number, words in zip(pages, map(surely_read, read_pages(list(pages.values()))), strict=True):
            if words:
                longest = max(words, key=lambda word: (len(word.text), word.sure))
                found[number] = (sum(len(word.text) for word in words), longest.text)
    return found


def _look(frames: Iterable[Array], count: int, *, choice: bool) -> _Seen:
    """Figures of every frame; lettering and noise of some, where there is a `choice` of parts to make."""
    seen = _Seen()
    read = {(2 * place + 1) * count // (2 * READINGS) for place in range(READINGS)}
    blocks = {place * count // BLOCKS + offset for place in range(BLOCKS) for offset in range(BLOCK)}
    small: list[Array] = []  # of this frame and the two before
    before: Array | None = None
    pages: dict[int, Page] = {}
    for number, frame in enumerate(frames):
        if number == MOST_FRAMES:
            break
        small = [*small[-2:], _small(frame, SMALL)]
        fine = _small(frame, FINE)
        seen.scale = frame.shape[1] / small[-1].shape[1]
        seen.level.append(float(frame.mean()))
        across, down = np.diff(fine, axis=1), np.diff(fine, axis=0)
        seen.detail.append(float(np.sqrt(np.mean(across**2) + np.mean(down**2))))
        residual, motion = _residual(small[-1], small[-2]) if number else (0.0, STILL)
        seen.residual.append(residual)
        seen.motion.append(seen.scale * float(np.median(np.linalg.norm(motion, axis=2))))
        seen.change.append(float(np.mean(np.abs(small[-1] - small[-2]))) if number else 1.0)
        seen.skipping.append(_residual(small[-1], small[-3])[0] if number > 1 and residual > CUT else residual)
        if before is not None and number - 1 in blocks and (share := _between_fields(before, frame)) is not None:
            seen.fields.append(share)
        if before is not None and number in read and residual < CUT:
            with suppress(NotMeasurable):
                seen.fresh.append(_temporal_noise(frame, before, motion))
        if choice and number in read:
            with suppress(NotMeasurable):
                seen.noise[number] = known(read_noise, frame, clipped_share(frame[..., None])).sigma
            pages[number] = as_page(frame)
        before = frame
    seen.lettering = _letters(pages) if pages else {}
    return seen


def _shots(seen: _Seen) -> list[int]:
    """First frames of the shots [1]_; what comes back after one frame was a flash [2]_."""
    residual, cuts = np.array(seen.residual), [0]
    for number in range(1, len(residual)):
        around = np.delete(residual[max(1, number - AROUND) : number + AROUND + 1], min(number - 1, AROUND))
        usual = float(np.median(around)) if around.size else 0.0
        if residual[number] < CUT or residual[number] < ABOVE_AROUND * usual:
            continue
        flash = seen.skipping[number] < FLASH * residual[number]  # as it was before the frame between
        leads = number + 1 < len(residual) and seen.skipping[number + 1] < FLASH * residual[number + 1]
        if not flash and not leads:
            cuts.append(number)
    return cuts


def _length(count: int, rate: Fraction) -> int:
    """Frames of a suggested part."""
    return min(count, max(1, round(SECONDS * rate)))


def _motion(seen: _Seen, shots: list[int]) -> float:
    """The median motion from frame to frame within the shots, in pixels."""
    within = np.delete(seen.motion, shots)
    motion = float(np.median(within)) if within.size else 0.0
    return motion if motion >= LEAST_MOTION * seen.scale else 0.0


def _flicker(seen: _Seen, shots: list[int]) -> float | None:
    """Sigma of the level that is new on each frame, in 8-bit code values.

    The second difference of the mean level leaves steady changes out; independent values of variance s^2 give it 6 s^2.
    It is read from its middle, which the few frames where something enters the picture do not move.
    """
    level = np.array(seen.level)
    bends = [np.diff(level[first:end], 2) for first, end in zip(shots, [*shots[1:], len(level)], strict=True)]
    every = np.concatenate(bends)
    if every.size < FEWEST_READ:
        return None
    return float(255 * np.median(np.abs(every)) / NORMAL_MEDIAN / np.sqrt(6))


def _stretches(seen: _Seen, shots: list[int], rate: Fraction) -> list[Stretch]:
    """Parts of about two seconds, none across a cut, where one thing is at its most."""
    count = len(seen.level)
    length = _length(count, rate)
    step = max(1, round(STEP * rate))
    ends = [*shots[1:], count]
    places = [
        (first, min(length, end - first))
        for start, end in zip(shots, ends, strict=True)
        for first in range(start, max(start + 1, end - length + 1), step)
        if min(length, end - first) >= min(length, max(2, length // 2))
    ]
    if count <= length or not places:
        return []

    def over(values: list[float], place: tuple[int, int]) -> float:
        first, frames = place
        return float(np.mean(values[first + 1 : first + frames])) if frames > 1 else values[first]

    found: dict[tuple[int, int], list[str]] = {}

    def add(place: tuple[int, int], reason: str) -> None:
        found.setdefault(place, []).append(reason)

    most = max(places, key=lambda place: over(seen.motion, place))
    if over(seen.motion, most) >= 0.5:
        add(most, f"most movement, {over(seen.motion, most):.1f} px a frame")
    darkest = min(places, key=lambda place: over(seen.level, place))
    if over(seen.level, darkest) < DARKER * float(np.mean(seen.level)):
        add(darkest, f"darkest, mean level {100 * over(seen.level, darkest):.0f} %")
    finest = max(places, key=lambda place: over(seen.detail, place))
    if over(seen.detail, finest) > FINER * float(np.mean(seen.detail)):
        add(finest, "finest detail")
    noisy = {place: sigma for place in places if (sigma := _mean_within(seen.noise, place)) is not None}
    if len(seen.noise) >= FEWEST_READ and noisy:
        noisiest = max(noisy, key=lambda place: noisy[place])
        if noisy[noisiest] > NOISIER * float(np.mean(list(seen.noise.values()))):
            add(noisiest, f"noisiest, {noisy[noisiest]:.1f} cv")
    most_read = max(seen.lettering, key=lambda number: seen.lettering[number][0], default=None)
    if most_read is not None and seen.lettering[most_read][0] >= LETTERS:
        around = [place for place in places if place[0] <= most_read < sum(place)]
        if around:
            middle = min(around, key=lambda place: abs(place[0] + place[1] / 2 - most_read))
            add(middle, f"lettering, reads “{seen.lettering[most_read][1][:24]}”")
    for cut in shots[1:2]:
        place = next((one for one in places if one[0] == cut), None)
        if place:
            add(place, f"just after the cut at frame {cut}")
    return [Stretch(*place, " and ".join(reasons)) for place, reasons in found.items()]


def _mean_within(values: dict[int, float], place: tuple[int, int]) -> float | None:
    """The mean of those values whose frames lie in a part; None where none does."""
    inside = [value for number, value in values.items() if place[0] <= number < sum(place)]
    return float(np.mean(inside)) if inside else None


def _notes(seen: _Seen, rate: Fraction, scan: str) -> list[str]:
    notes = []
    change = np.array(seen.change)
    still = change < SAME
    if len(change) > 10 and REPEATS < still.mean() < 0.9:
        share = float(still.mean())
        notes.append(
            f"About one frame in {1 / share:.0f} repeats the one before, as where {float(rate) * (1 - share):.4g} "
            f"frames/s were brought to {float(rate):.4g}; take the repeats out first, or they are judged as judder."
        )
    if len(seen.fields) >= LEAST_MOVING and scan == "progressive":
        shares = np.array(seen.fields)
        none, half, whole = (float(np.mean(np.abs(np.abs(shares) - place) < NEAR)) for place in (0.0, 0.5, 1.0))
        if half >= INTERLACED:
            order = "upper" if np.median(shares) > 0 else "lower"
            notes.append(
                f"It calls itself progressive, but its frames hold two moments each, the {order} field first: it is "
                "interlaced; deinterlace it first, or combs are judged as detail."
            )
        elif whole >= TELECINED and none + whole >= CLEAR:
            notes.append(
                f"About {100 * whole:.0f} % of its frames hold fields of two film frames, as after telecine; match its "
                "fields first (Deinterlace does), or combs are judged as detail."
            )
    return notes


def survey(frames: Iterable[Array], count: int, rate: Fraction, scan: str = "progressive") -> Survey:
    """Look through the luma of a clip's frames, (H, W) float32 in 0..1 each; memory does not grow with their number.

    Valid for frames of 16 pixels a side and more. Dissolves are no cuts. Interlacing is told where something moves
    sideways by a pixel a frame or more.
    """
    looked = min(count, MOST_FRAMES)
    seen = _look(frames, looked, choice=looked > _length(looked, rate))
    shots = _shots(seen)
    notes = _notes(seen, rate, scan)
    if count > MOST_FRAMES:
        notes.append(f"Shots were looked for in the first {MOST_FRAMES} of its {count} frames.")
    fresh = float(np.median(seen.fresh)) if 2 * len(seen.fresh) >= READINGS else None
    return Survey(shots, _stretches(seen, shots, rate), notes, _motion(seen, shots), _flicker(seen, shots), fresh)
