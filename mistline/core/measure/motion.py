"""What a result does from frame to frame: detail that crawls, levels that flicker, movement that is lost.

Every figure is read from a frame and the one before it, of truth and result, and compares what changes in the result
with what changes in the truth: a result that is wrong in the same way on both frames scores 0. All work on luma.
Movement of what is in the picture is no fault; where a picture changes altogether (a cut) both change alike.

With T, R the truth and the result of a frame, T', R' those of the frame before, d = (R - T) - (R' - T'):

- shimmer: root mean square of d less its mean [2]_, over sqrt 2, so that noise of sigma s that is new on each frame
  scores s; a steady error scores 0. Against a truth that stands still and black it is the temporal information of
  P.910 [1]_ over sqrt 2.
- flicker: the mean of d, its sign left away.
- sharpness swing: exp |log (S(R) / S(T)) - log (S(R') / S(T'))| - 1, S the root of the gradient's energy.
- motion error: mean endpoint error [3]_ between the motion from R to R' and that from T to T', both found by the
  search in `core.methods.motion`; frames wider than 960 pixels are halved until they are not.
- repeated: R differs from R' by less than 0.25 cv (root mean square) where T differs from T' by 1 cv or more.

Without a truth shimmer alone is read, along the motion of the input: d is R less R' fetched along the flow from the
input's frame to the one before, less a Gaussian blur of itself, where that flow explains the input best.

Valid for every level and noise, from 16 pixels a side on, for clips of two frames or more. The sharpness swing asks
for a gradient of 0.5 cv, the motion error for texture (4 cv a pixel) on 1 % of the truth; it follows movement of up
to about a tenth of the frame's width and tells 0.1 to 0.2 px from nothing.

References
----------
.. [1] ITU-T P.910 (10/2023), 7.8: temporal information, the deviation of the difference of consecutive frames.
.. [2] P. Lai, W.-S. Lai et al., "Learning blind video temporal consistency", ECCV 2018: the change of the error from
       frame to frame as a figure of flicker.
.. [3] S. Baker, D. Scharstein, J. P. Lewis, S. Roth, M. J. Black, R. Szeliski, "A database and evaluation methodology
       for optical flow", IJCV 92(1), 2011: endpoint error.
"""

from collections.abc import Callable

import cv2
import numpy as np

from mistline.core.frame import Array
from mistline.core.measure.measure import Evidence, Measure, Measured, Need, NotMeasurable, Part
from mistline.core.methods.motion import flow, moved

__all__ = ["MEASURES"]

SMALLEST = 16  # pixels a side
WIDEST = 960  # pixels across that movement is looked for in; larger frames are halved
TEXTURE = 4 / 255  # gradient of luma a pixel, from where movement can be seen
LEAST_TEXTURE = 0.01  # share of the frame
SAME = 0.25 / 255  # root mean square of luma: no change to speak of
MOVES = 1.0 / 255
FLAT = 0.5 / 255
RELIED, AROUND = 0.6, 4.0  # share of a frame whose motion is relied on, and how far around a place that is judged
COARSE = 4.0  # pixels: slower changes are those of light


def _pairs(evidence: Evidence) -> tuple[Array, Array, Array, Array]:
    """Luma of the truth now and before, of the result now and before."""
    assert evidence.before is not None
    if min(evidence.result_luma.shape) < SMALLEST:
        raise NotMeasurable(f"needs {SMALLEST} pixels a side")
    return evidence.truth_luma, evidence.before[0], evidence.result_luma, evidence.before[1]


def _rms(values: Array) -> float:
    return float(np.sqrt(np.mean(np.square(values), dtype=np.float64)))


def _shimmer(evidence: Evidence) -> Measured:
    """Root mean square of the change of the error [2]_ over sqrt 2, in 8-bit code values, the frame's mean left out.

    Noise of sigma s that is new on each frame scores s, an error that stays scores 0. Also what part of it is fine
    (left after a Gaussian blur of 1 pixel is taken off) and what part coarse. Valid range: every level and content.
    """
    truth, truth_before, result, result_before = _pairs(evidence)
    change = (result - truth) - (result_before - truth_before)
    change -= np.mean(change, dtype=np.float64).astype(np.float32)
    soft = cv2.GaussianBlur(change, (0, 0), 1.0)
    scale = 255 / np.sqrt(2)
    return Measured(
        scale * _rms(change), np.abs(change) * np.float32(scale),
        parts=(Part("fine", scale * _rms(change - soft)), Part("coarse", scale * _rms(soft))),
    )  # fmt: skip


def _along(reference: Array, before: Array) -> tuple[Array, Array]:
    """Where each pixel lies in the frame before, (H, W, 2), and where this can be relied on, (H, W)."""
    halvings = max(0, int(np.ceil(np.log2(max(1.0, reference.shape[1] / WIDEST)))))
    small, small_before = _halved(reference, halvings), _halved(before, halvings)
    height, width = reference.shape
    scale = np.array([width / small.shape[1], height / small.shape[0]], np.float32)
    found = cv2.resize(flow(small, small_before, 1.0), (width, height)) * scale
    across = found[..., 0] + np.arange(width, dtype=np.float32)
    down = found[..., 1] + np.arange(height, dtype=np.float32)[:, None]
    inside = (across >= 1) & (across < width - 1) & (down >= 1) & (down < height - 1)
    if inside.mean() < RELIED:
        raise NotMeasurable("too little of the frame is in the one before")
    left = cv2.GaussianBlur(np.square(reference - moved(before, found)), (0, 0), AROUND)
    return found, inside & (left <= np.quantile(left[inside], RELIED))


def _crawling(evidence: Evidence) -> Measured:
    """What changes along the motion of the input, root mean square over sqrt 2, in 8-bit code values.

    Noise of sigma s that is new on each frame scores s where nothing moves, and 0.8 to 1 s where the fetching between
    pixels averages it; what moves with the input and keeps its look scores 0, up to a code value on fine texture.
    Only the 60 % of the frame in which the flow explains the input best count: the same for every result. Valid range:
    16 pixels a side or more, where enough of the frame before is still in sight.
    """
    assert evidence.before is not None
    reference, result = evidence.reference_luma, evidence.result_luma
    if min(result.shape) < SMALLEST:
        raise NotMeasurable(f"needs {SMALLEST} pixels a side")
    reference_before, result_before = evidence.before
    found, relied = evidence.once_of_reference(_along, lambda: _along(reference, reference_before))

    def change(here: Array, there: Array) -> float:
        left = here - moved(there, found)
        left -= cv2.GaussianBlur(left, (0, 0), COARSE)
        return 255 / float(np.sqrt(2)) * _rms(left[relied])

    of_input = evidence.once_of_reference(_crawling, lambda: change(reference, reference_before))
    return Measured(change(result, result_before), parts=(Part("of the input", of_input),))


def _changing(evidence: Evidence) -> Measured:
    """With a truth the change of the error from frame to frame, without one what changes along the input's motion.

    Valid range: every level and content; without a truth 16 pixels a side or more, where enough of the frame before is
    still in sight.
    """
    return _shimmer(evidence) if evidence.truth is not None else _crawling(evidence)


def _flicker(evidence: Evidence) -> Measured:
    """How far the mean level jumps beyond the truth's own jump, in 8-bit code values. Valid range: every level."""
    truth, truth_before, result, result_before = (
        float(np.mean(one, dtype=np.float64)) for one in _pairs(evidence)
    )
    return Measured(255 * abs((result - result_before) - (truth - truth_before)))


def _sharpness(picture: Array) -> float:
    """Energy of the gradient."""
    return float(np.mean(np.square(np.diff(picture, axis=1)), dtype=np.float64)) + float(
        np.mean(np.square(np.diff(picture, axis=0)), dtype=np.float64)
    )


def _swing(evidence: Evidence) -> Measured:
    """How much more the sharpness (root of the gradient's energy) changes than the truth's, in %.

    Valid range: frames with anything sharp in them.
    """
    energies = [_sharpness(one) for one in _pairs(evidence)]
    if min(energies) < FLAT**2:
        raise NotMeasurable("there is nothing sharp in the frame")
    truth, truth_before, result, result_before = (0.5 * np.log(energy) for energy in energies)
    return Measured(100 * float(np.expm1(abs((result - result_before) - (truth - truth_before)))))


def _repeated(evidence: Evidence) -> Measured:
    """100 where the frame repeats the one before though the truth goes on; as a mean, the share of such frames in %.

    Valid range: where the truth changes.
    """
    truth, truth_before, result, result_before = _pairs(evidence)
    if _rms(truth - truth_before) < MOVES:
        raise NotMeasurable("the truth hardly changes here")
    return Measured(100.0 if _rms(result - result_before) < SAME else 0.0)


def _motion(evidence: Evidence) -> Measured:
    """Mean endpoint error [3]_ of the result's motion against the truth's where the truth has texture, in pixels.

    Valid range: truths with texture whose movement can be seen.
    """
    halvings = max(0, int(np.ceil(np.log2(max(1.0, evidence.truth_luma.shape[1] / WIDEST)))))
    small = [_halved(one, halvings) for one in _pairs(evidence)]
    truth, truth_before, result, result_before = small
    across, down = cv2.Sobel(truth, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(truth, cv2.CV_32F, 0, 1, scale=1 / 8)
    seen = np.hypot(across, down) > TEXTURE
    if seen.mean() < LEAST_TEXTURE:
        raise NotMeasurable("there is no texture whose movement could be seen")
    wanted = flow(truth, truth_before, 1.0)
    far = np.linalg.norm(flow(result, result_before, 1.0) - wanted, axis=2)
    scale = 2.0**halvings
    moves = float(np.median(np.linalg.norm(wanted, axis=2)[seen]))
    return Measured(scale * float(np.mean(far[seen])), parts=(Part("the truth moves by", scale * moves),))


def _halved(picture: Array, times: int) -> Array:
    for _ in range(times):
        picture = cv2.resize(picture, (picture.shape[1] // 2, picture.shape[0] // 2), interpolation=cv2.INTER_AREA)
    return picture


def _measure(
    key: str, name: str, unit: str, meaning: str, source: str, tie: float, digits: int,
    of: Callable[[Evidence], Measured], without_truth: str = "",
) -> Measure:  # fmt: skip
    needs: tuple[Need, ...] = ("reference" if without_truth else "truth", "before")
    return Measure(
        key, 1, name, unit, "lower", "in motion", meaning, source, tie=tie, digits=digits, of=of, needs=needs,
        each_frame=True, without_truth=without_truth,
    )  # fmt: skip


MEASURES = [
    _measure(
        "shimmer", "Shimmer", "cv", "How much the error changes from frame to frame: grain that is left, detail that "
        "crawls. A steady error counts 0, noise of sigma s that is new on each frame counts s.",
        "Lai et al. 2018, as a root mean square", 0.1, 2,
        _changing,
        "What changes from frame to frame along the motion of the input: grain, detail that crawls.",
    ),
    _measure(
        "flicker", "Flicker of level", "cv", "How far the mean brightness jumps from frame to frame beyond what the "
        "truth does.", "Closed form", 0.05, 2, _flicker,
    ),
    _measure(
        "sharpness_swing", "Sharpness swing", "%", "How much sharpness comes and goes from frame to frame beyond what "
        "the truth does.", "Closed form, over the energy of the gradient", 0.5, 1, _swing,
    ),
    _measure(
        "motion_error", "Motion error", "px", "How far what moves is from moving as in the truth: judder, wobble, "
        "repeated frames. Read where the truth has texture.", "Endpoint error, Baker et al. 2011; Kroeger et al. 2016",
        0.05, 2, _motion,
    ),
    _measure(
        "repeated", "Repeated frames", "%", "Frames that are the one before again though the truth goes on.",
        "Closed form", 0.5, 0, _repeated,
    ),
]  # fmt: skip
