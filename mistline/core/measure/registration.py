"""Registration: a result that lies a fraction of a pixel off, or is a little wider, fakes errors all over the picture.

References
----------
.. [1] B. D. Lucas, T. Kanade, "An iterative image registration technique with an application to stereo vision",
       IJCAI 1981, 674-679: displacement by least squares on the slopes.
.. [2] M. Guizar-Sicairos, S. T. Thurman, J. R. Fienup, "Efficient subpixel image registration algorithms",
       Opt. Lett. 33(2), 156-158, 2008; as in scikit-image: the first guess.
.. [3] B. Efron, "The jackknife, the bootstrap and other resampling plans", SIAM, 1982: the confidence.
.. [4] F. Mosteller, J. W. Tukey, "Data analysis and regression", Addison-Wesley, 1977: the biweight.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt
from scipy import sparse
from skimage import registration

from mistline.core.frame import Array, decode_srgb, encode_srgb
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Part, by_rows, rows_of, shape
from mistline.core.threads import on_threads

__all__ = ["MEASURES", "Field", "Placement", "as_map", "common_move", "local_field", "misplaced", "placement"]

SMALLEST = 32
GUESS_SIDE, ROWS = 1024, 256
GRID = 8  # cells each way that the jackknife leaves out in turn
ROUNDS = 10  # at most
UNKNOWN = 9  # of the normal equations
ORDER = np.array([[0, 2, 7], [1, 8, 3]])  # of them, as planes
TURNS = ORDER >= 7
LONGEST = 2**15  # pixels, for OpenCV
UNTURNED = 0.05  # pixels at the edges that are not worth a turn of the picture
SETTLED, SETTLED_SOFT = 0.002, 0.02  # pixels; share of the squared blur
SYSTEMATIC = 0.02  # of a pixel of the input or of the blur: what squares, quantising and saturated colours leave
LEAST_SOFTER, SOFTEST, LEAST_CONTRAST, LEAST_SLOPES, SPARSE = 0.3, 10.0, 0.1, 0.2, 3
SURE, SURE_LOCALLY, PLAINLY = 3.0, 4.0, 8.0  # standard errors
HARDLY, UNEVEN, FEW_WINDOWS = 0.15, 0.2, 3  # pixels of a window of 64; share of the windows; their number
LOCAL = 64
ROUNDED = 1 / 12 / 255**2  # variance of values that were rounded to 8 bits, at least
FLATTEST = 1e-9  # mean square of slopes that tell nothing
CLIPPED, BEYOND = 0.5 / 255, 6 / 255  # from the ends of the range; beyond them
FEW_CLIPPED, LEAST_SEEN = 1e-3, 0.15  # shares of the pixels
TOUCHED = 0.01  # share of what a blurred pixel holds
UNSEEN = 0.5  # pixels that edges may seem to be displaced by where most of them are clipped
TUKEY, TUKEY_ROUNDS, LEAST_SPREAD = 4.685, 20, 0.03  # of [4]_; pixels

Real = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Placement:
    """How a result lies on its truth, in pixels.

    Attributes
    ----------
    right, down : float
        Displacement at the centre.
    wider, taller : float
        How much farther out the right and the lower edge lie by a wrong scale; the left and the upper one as much
        the other way.
    leans, tilts : float
        How much farther right the lower edge lies and how much farther down the right one, as where it is turned; 0
        where that does not go beyond its own error and doubt.
    error : float
        Standard error of the displacement at the centre.
    scale_error : float
        Standard error of `wider` and `taller`.
    turn_error : float
        Standard error of `leans` and `tilts`.
    local : float
        Largest displacement of a window of 64 pixels (32 times the factor above 2) that goes beyond these and beyond
        its own error; 0 if none.
    uneven : float
        What one in ten such windows lies off beyond these, where a fifth or more plainly do by themselves; 0
        otherwise.
    softer : float
        By what sigma the result is blurred against the truth.
    doubt : float
        What the other figures may be off by on all of a picture alike.
    clipped : bool
        Whether a stretched range clipped so much that edges may seem to be displaced by up to the doubt.
    """

    right: float
    down: float
    wider: float
    taller: float
    leans: float
    tilts: float
    error: float
    scale_error: float
    turn_error: float
    local: float
    uneven: float
    softer: float
    doubt: float
    clipped: bool

    @property
    def mean(self) -> float:
        """Root mean square displacement over the picture."""
        return float(np.sqrt(np.square(self.planes) @ [1, 1 / 3, 1 / 3] @ [1, 1]))

    @property
    def planes(self) -> Real:
        """Right and down as planes over the picture, as `common_move` tells them."""
        return np.array([[self.right, self.wider, self.leans], [self.down, self.tilts, self.taller]])

    def turned(self, height: int, width: int) -> float:
        """By what angle a picture of this size is turned clockwise, in radians, as far as that explains it."""
        return self.tilts / width - self.leans / height

    @property
    def sure(self) -> bool:
        """Whether the displacement goes beyond its own error and doubt."""
        edges = np.hypot(self.scale_error, self.turn_error) / 3**0.5
        return self.mean > SURE * float(np.linalg.norm([self.error, edges, self.doubt]))


@dataclass(frozen=True)
class Field:
    """How windows lie on those of the truth: (rows, columns, 2) pixels right and down, and which of them are sure.

    `uneven` is what one in ten of them lies off, where a fifth or more do by eight times their own error;
    0 otherwise.
    """

    moves: Real
    sure: Mask
    uneven: float = 0.0

    @property
    def largest(self) -> float:
        """Length of the largest sure one; 0 if there is none."""
        return float(np.hypot(*self.moves[self.sure].T).max()) if self.sure.any() else 0.0


def _guess(truth: Array, result: Array) -> tuple[float, float]:
    """Whole displacement (right, down) of the central 1024 x 1024 pixels by phase correlation [2]_."""
    height, width = (min(length, GUESS_SIDE) for length in truth.shape)
    top, left = (truth.shape[0] - height) // 2, (truth.shape[1] - width) // 2
    window = (np.hanning(height)[:, None] * np.hanning(width)).astype(np.float32)
    first, second = (
        (cut - cut.mean()) * window
        for cut in (v[top : top + height, left : left + width] for v in (truth, result))
    )
    if not first.any() or not second.any():
        raise NotMeasurable("the picture is flat")
    shift, _, _ = registration.phase_cross_correlation(first, second, upsample_factor=4, normalization=None)  # type: ignore[no-untyped-call]
    return -float(shift[1]), -float(shift[0])


def _equations(
    truth: Array, moved: Array, across: int, down: int, seen: Mask | None = None
) -> tuple[Real, Real, Real]:
    """Normal equations of each of `down` x `across` cells, (cells, 9, 9) and (cells, 9), and the squares of the error.

    Unknown are the displacement and its growth both ways; what must not be taken for one: a change of level, of
    contrast and of blur (the Laplacian); and how it leans and tilts. Pixels that are not `seen` do not count.
    """
    height, width = truth.shape
    y, x = np.linspace(-1, 1, height), np.linspace(-1, 1, width)
    rows, columns = (
        np.linspace(2, length - 2, count + 1).astype(int) for length, count in ((height, down), (width, across))
    )
    left, right = np.zeros((down * across, UNKNOWN, UNKNOWN)), np.zeros((down * across, UNKNOWN))
    squares = np.zeros((down * across, 2))  # their sum and their number
    for i in range(down):
        low, high = rows[i] - 2, rows[i + 1] + 2
        t, r = truth[low:high], moved[low:high]
        dx, dy = (cv2.Sobel(t, cv2.CV_32F, *way, scale=1 / 8)[2:-2] for way in ((1, 0), (0, 1)))
        bend, t, r = cv2.Laplacian(t, cv2.CV_32F)[2:-2], t[2:-2], r[2:-2]
        py = y[rows[i] : rows[i + 1], None]
        for j in range(across):
            part = slice(columns[j], columns[j + 1])
            px = x[None, part]
            a, b, value = (
                dx[:, part].astype(np.float64),
                dy[:, part].astype(np.float64),
                t[:, part].astype(np.float64),
            )
            own = [-a, -b, -a * px, -b * py, np.ones_like(a), value, bend[:, part], -a * py, -b * px]
            sides = np.stack(own).reshape(UNKNOWN, -1)
            error = (r[:, part] - t[:, part]).astype(np.float64).ravel()
            if seen is not None:
                here = seen[rows[i] : rows[i + 1], part].ravel()
                sides, error = sides[:, here], error[here]
            left[i * across + j], right[i * across + j] = sides @ sides.T, sides @ error
            squares[i * across + j] = error @ error, error.size
    return left, right, squares


def _stretched(evidence: Evidence) -> Mask | None:
    """Where a stretched range clipped off what the reference shows, in any channel, (H, W); None if it did not.

    An edge of which one side is clipped seems to stand farther on the other.
    """
    result, reference = evidence.result, evidence.reference
    few = np.s_[::SPARSE, ::SPARSE]
    codes = rows_of(result, few[0])[:, few[1]]
    whole = ((codes > CLIPPED) & (codes < 1 - CLIPPED)).all(axis=2)
    if reference is None or whole.mean() > 1 - FEW_CLIPPED:
        return None
    before, after = (
        plane[few][whole].astype(np.float64) for plane in (evidence.reference_luma, evidence.result_luma)
    )
    if before.size < 2 or before.std() < CLIPPED:
        return None
    gain = np.cov(before, after)[0, 1] / before.var()
    offset = after.mean() - gain * before.mean()
    low, high = offset < -BEYOND, offset + gain > 1 + BEYOND  # the ends of the reference would lie beyond
    if not (low or high):
        return None

    def strip(wanted: Array, there: Array) -> Mask:
        dark, light = there <= CLIPPED, there >= 1 - CLIPPED
        lost = dark & (low | (wanted > CLIPPED)) | light & (high | (wanted < 1 - CLIPPED))
        found: Mask = lost.any(axis=2)
        return found

    lost = np.concatenate(by_rows((reference, result), strip, ROWS))
    return lost if lost.mean() > FEW_CLIPPED else None


def _share(lost: Mask | None, soft: float) -> Array | None:
    """How much of each pixel, blurred by this sigma, was lost."""
    return None if lost is None else _blurred(lost.astype(np.float32), soft)


def _seen(share: Array | None) -> Mask | None:
    """Which pixels nothing was clipped off; None, all of them, where these would be too few."""
    seen = None if share is None else share < TOUCHED
    return seen if seen is not None and seen.mean() > LEAST_SEEN else None


def _softening(lefts: Real, rights: Real) -> float:
    """By what squared sigma the result is softer, as the middle of all cells that have slopes."""
    slopes = lefts[:, 0, 0] + lefts[:, 1, 1]
    cells = [
        _solve(lefts[n][:7, :7], rights[n][:7]) for n in np.flatnonzero(slopes >= LEAST_SLOPES * slopes.mean())
    ]
    return float(np.median([2 * cell[6] / max(cell[5] + 1, LEAST_CONTRAST) for cell in cells]))


def _as_soft(truth: Array, moved: Array, squared: float, soft: float) -> Array:
    """The truth blurred by the root of `squared` more, in that light in which it comes closer to what was moved back.

    A blur in linear light carries every edge towards its dark side, which in code values looks like a displacement.
    """
    if squared < LEAST_SOFTER**2:
        return _blurred(truth, soft)
    few = np.s_[::SPARSE, ::SPARSE]

    def alike(one: Array) -> float:
        return float(np.corrcoef(one[few].ravel(), moved[few].ravel())[0, 1])

    linear = _each(encode_srgb, _blurred(_each(decode_srgb, truth), squared**0.5))
    return max(_blurred(linear, soft), _blurred(truth, float(np.hypot(soft, squared**0.5))), key=alike)


def _each(step: Callable[[Array], Array], values: Array) -> Array:
    """A step of each value, some rows at a time, so that it takes little memory."""
    out = np.empty_like(values)

    def strip(start: int) -> None:
        rows = slice(start, start + ROWS)
        out[rows] = step(values[rows])

    on_threads(strip, range(0, len(values), ROWS), values.size)
    return out


def _blurred(values: Array, sigma: float) -> Array:
    return cv2.GaussianBlur(values, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)


def _solve(left: Real, right: Real) -> Real:
    scale = 1 / np.sqrt(np.maximum(np.diag(left), 1e-20))
    found: Real = scale * np.linalg.lstsq(left * scale * scale[:, None], right * scale, rcond=1e-10)[0]
    return found


def as_map(planes: Real, height: int, width: int) -> Real:
    """The affine map (2, 3), in pixel centres, that moves right and down by planes over -1 to 1."""
    turned = 2 * planes[:, 1:] / [width, height]
    return np.column_stack([np.eye(2) + turned, planes[:, 0] - turned @ [(width - 1) / 2, (height - 1) / 2]])


def _worth_turning(planes: Real, height: int, width: int) -> Real:
    """How a picture lies off, without its turn where that is next to none or the picture is too long for it."""
    if np.abs(planes[TURNS]).max() > UNTURNED and max(height, width) < LONGEST:
        return planes
    straight: Real = planes * ~TURNS
    return straight


def _moved(values: Array, planes: Real) -> Array:
    """Bring a plane back by how it lies off, by Keys' cubic; linearly where it is turned.

    OpenCV's cubic would leave up to 0.06 pixels of a small turn: its kernel does not keep slopes.
    """
    (right, wider, leans), (down, tilts, taller) = planes
    if leans or tilts:
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        turned: Array = cv2.warpAffine(
            values, as_map(planes, *values.shape), values.shape[::-1], flags=flags, borderMode=cv2.BORDER_REFLECT
        )
        return turned
    lines = []
    for length, away, grown in zip(values.shape, (down, right), (taller, wider), strict=True):
        at = np.arange(length) + away + grown * np.linspace(-1, 1, length)
        first = np.floor(at).astype(int) - 1
        taps = first[:, None] + np.arange(4)
        x = np.abs(at[:, None] - taps)
        weight = np.where(x < 1, (1.5 * x - 2.5) * x * x + 1, ((-0.5 * x + 2.5) * x - 4) * x + 2)
        places = np.repeat(np.arange(length), 4), np.clip(taps, 0, length - 1).ravel()
        lines.append(sparse.coo_array((weight.ravel().astype(np.float32), places), shape=(length, length)).tocsr())
    back: Array = np.ascontiguousarray((lines[1] @ (lines[0] @ values).T).T)
    return back


def placement(
    truth: Array, result: Array, factor: float = 1, *, moving: bool = False, lost: Mask | None = None
) -> Placement:
    """Displacement, scale, turn and local displacement of a result, by least squares on the slopes of the truth [1]_.

    Both (H, W) lumas are blurred to what an input `factor` times smaller can hold (sigma 0.5 factor, 1 at
    least), so that a right enlargement is not told as displaced by what it had to guess. Level, contrast and
    blur, in linear light or in code values, may differ. The errors come from leaving out each of 8 x 8 cells in
    turn [3]_. Where parts may be `moving`, cells that do not go with the others are left out. What a
    stretched range has `lost` does not count, unless hardly anything is left: then less than 1.5 pixels is in doubt.

    Valid range: displacements up to a quarter of the picture, scale errors up to 2 %, turns up to 3 degrees; to about
    0.02 px at factor 1 and 0.02 times the factor above or the blur between both, beyond what the errors say. A turn is
    told from three times that on.
    """
    if min(truth.shape) < SMALLEST:
        raise NotMeasurable(f"needs {SMALLEST} pixels a side or more")
    soft = max(1.0, 0.5 * factor)
    before, after = _blurred(truth, soft), _blurred(result, soft)
    share, seen = _share(lost, soft), None
    height, width = truth.shape
    right, down = _guess(before, after)
    if np.hypot(right, down) < 1:
        right = down = 0.0
    across, tall = _cells(truth)
    squared, planes = 0.0, np.array([[right, 0.0, 0.0], [down, 0.0, 0.0]])
    back = planes
    margin = int(np.ceil(np.hypot(right, down))) + 2
    if 4 * margin > min(height, width):
        raise NotMeasurable("the two do not show the same part of a scene")
    inside = slice(margin, height - margin), slice(margin, width - margin)
    for number in range(ROUNDS):
        tried = back
        moved = _moved(after, tried)
        seen = _seen(None if share is None else _moved(share, tried)[inside])
        if number:
            before = _as_soft(truth, moved, squared, soft)
        lefts, rights, squares = _equations(before[inside], moved[inside], across, tall, seen)
        if moving:
            _, sure = _planes(*_own_moves(lefts, rights, squares, soft), across, tall)
            lefts, rights = lefts[sure], rights[sure]
        left, other = lefts.sum(0), rights.sum(0)
        if left[0, 0] * left[1, 1] < 1e-12:
            raise NotMeasurable("the picture has no slopes to go by")
        last, planes = planes, tried + _solve(left, other)[ORDER]
        back = _worth_turning(planes, height, width)
        softer = float(np.clip(squared + _softening(lefts, rights), 0, SOFTEST**2))
        if np.abs(planes - last).max() < SETTLED and abs(softer - squared) < SETTLED_SOFT * (1 + squared):
            break
        squared = softer
    without = np.array([_solve(left - a, other - b) for a, b in zip(lefts, rights, strict=True)])
    count = len(without)
    spread = np.sqrt((count - 1) / count * np.square(without - without.mean(0)).sum(0))
    clipped = lost is not None and seen is None
    field = _field(before[inside], moved[inside], _side(factor), soft, seen)
    error, scale_error, turn_error = (float(np.hypot(*spread[one : one + 2])) for one in (0, 2, 7))
    doubt = UNSEEN if clipped else SYSTEMATIC * max(1.0, factor, squared**0.5)
    if float(np.linalg.norm(planes * TURNS)) < SURE * math.hypot(turn_error, doubt * 3**0.5):
        # Not sure of a turn: the same least squares without one.
        still = _solve(left[:7, :7], (other + left[:, 7:] @ tried[TURNS])[:7])
        planes = tried * ~TURNS + np.append(still, [0, 0])[ORDER]
    (right, wider, leans), (down, tilts, taller) = planes.tolist()
    return Placement(
        right, down, wider, taller, leans, tilts, error, scale_error, turn_error,
        0.0 if clipped else field.largest, 0.0 if clipped else field.uneven, squared**0.5, doubt, clipped,
    )  # fmt: skip


def _side(factor: float) -> int:
    return round(LOCAL * max(1.0, factor / 2))


def local_field(
    truth: Array,
    result: Array,
    factor: float = 1,
    side: int | None = None,
    softer: float = 0,
    lost: Mask | None = None,
) -> Field:
    """How windows of `side` pixels (64, or 32 times a factor above 2) lie beyond what the whole picture does.

    Both (H, W) lumas lie on one another but for that; they are blurred as in `placement`, the truth by the sigma
    `softer` more. A window is sure from four standard errors on, and where it stands out of the others as much.
    Valid range: to a tenth of its length for windows that lie off by up to 2.5 pixels (or so many times half the
    factor); more is told as less.
    """
    soft = max(1.0, 0.5 * factor)
    after = _blurred(result, soft)
    before = _as_soft(truth, after, softer**2, soft)
    seen = _seen(_share(lost, soft))
    first = _field(before, after, side or _side(factor), soft, seen)
    if not first.sure.any():
        return first
    own = _each_pixel(first, truth.shape)
    rows, columns = np.indices(truth.shape, np.float32)
    back = cv2.remap(
        after, columns + own[..., 0], rows + own[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT
    )
    second = _field(before, back, side or _side(factor), soft, seen)
    return Field(first.moves * first.sure[..., None] + second.moves, first.sure | second.sure)


def _own_moves(lefts: Real, rights: Real, squares: Real, soft: float) -> tuple[Real, Real]:
    """Right and down by which each cell lies off by itself, and their standard errors; both (cells, 2)."""
    keep = np.array([0, 1, 4, 5, 6])
    moves, errors = np.zeros((len(lefts), 2)), np.full((len(lefts), 2), np.inf)
    for number, (left, right, (total, count)) in enumerate(zip(lefts, rights, squares, strict=True)):
        own, side_b = left[np.ix_(keep, keep)], right[keep]
        found = _solve(own, side_b)
        moves[number] = found[:2]
        # After the blur an error is shared by 4 pi soft^2 pixels: so many fewer of them are independent.
        count = max(count, 1.0)
        variance = (max(total - found @ side_b, 0.0) / count + ROUNDED) * 4 * np.pi * soft**2
        # Where there are no slopes nothing is known, however little error is left.
        steadied = own + FLATTEST * count * np.eye(len(keep))
        errors[number] = np.sqrt(variance * np.maximum(np.diag(np.linalg.inv(steadied))[:2], 0))
    return moves, errors


def _planes(moves: Real, errors: Real, across: int, down: int) -> tuple[Real, Mask]:
    """A plane over (1, x, y) for right and for down, fitted to cells by Tukey's biweight [4]_, and which go with it.

    All do where fewer than half would.
    """
    y, x = (way.ravel() for way in np.mgrid[-1 : 1 : down * 1j, -1 : 1 : across * 1j])
    base, sure = (
        np.column_stack([np.ones_like(x), (1 - 1 / across) * x, (1 - 1 / down) * y]),
        np.ones(len(x), bool),
    )
    planes = np.zeros((2, 3))
    for way in range(2):
        move, error = moves[:, way], errors[:, way]
        sound = 1 / (error**2 + LEAST_SPREAD**2)
        weight, left = sound, move
        for _ in range(TUKEY_ROUNDS):
            root = np.sqrt(weight)
            planes[way] = np.linalg.lstsq(base * root[:, None], move * root, rcond=1e-10)[0]
            left = move - base @ planes[way]
            spread = 1.4826 * np.median(np.abs(left)) + LEAST_SPREAD
            weight = sound * np.square(np.maximum(1 - np.square(left / (TUKEY * spread)), 0))
        sure &= np.abs(left) < SURE_LOCALLY * np.hypot(spread, error)
    return planes, sure if 2 * sure.sum() >= len(sure) else np.ones_like(sure)


def common_move(truth: Array, result: Array) -> Real:
    """How most of a result moves against its truth, whatever some parts do by themselves.

    Returns (2, 3): right and down are a + b x + c y, with x and y from -1 to 1 between the edges of the picture. Both
    (H, W) lumas lie on one another to a pixel or two.
    """
    before, after = _blurred(truth, 1), _blurred(result, 1)
    across, down = _cells(truth)
    return _planes(*_own_moves(*_equations(before, after, across, down), 1), across, down)[0]


def _cells(values: Array) -> tuple[int, int]:
    height, width = values.shape
    return min(GRID, max(2, width // SMALLEST)), min(GRID, max(2, height // SMALLEST))


def _each_pixel(field: Field, shape: tuple[int, ...]) -> Array:
    """The sure moves of the windows, at every pixel they cover."""
    own = (field.moves * field.sure[..., None]).astype(np.float32)
    each: Array = cv2.resize(own, shape[1::-1], interpolation=cv2.INTER_NEAREST)
    return each


def _field(truth: Array, moved: Array, side: int, soft: float, seen: Mask | None = None) -> Field:
    height, width = (max(1, length // side) for length in truth.shape)
    if height * width < 4:
        return Field(np.zeros((height, width, 2)), np.zeros((height, width), bool))
    moves, errors = _own_moves(*_equations(truth, moved, width, height, seen), soft)
    moves -= np.median(moves, axis=0)
    typical = np.median(np.abs(moves), axis=0) * 1.4826 + 1e-3
    sure = (np.abs(moves) > SURE_LOCALLY * np.hypot(typical, errors)).any(axis=1)
    lengths, doubts, least = np.hypot(*moves.T), PLAINLY * np.hypot(*errors.T), HARDLY * side / LOCAL
    off = lengths > np.maximum(doubts, least)
    known = off | (doubts < least)
    uneven = off.sum() >= max(FEW_WINDOWS, UNEVEN * len(off))
    return Field(
        moves.reshape(height, width, 2), sure.reshape(height, width),
        float(np.quantile(lengths[known], 0.9)) if uneven else 0.0,
    )  # fmt: skip


def _placed(evidence: Evidence) -> Placement:
    lost = evidence.once(_stretched)
    return placement(evidence.reference_luma, evidence.result_luma, evidence.factor, lost=lost)


def misplaced(evidence: Evidence) -> Array:
    """How many pixels each place lies off the reference, (H, W) float32: with the whole picture, and by itself.

    What is within its own error counts as in place.
    """
    found, (truth, result) = evidence.once(_placed), (evidence.reference_luma, evidence.result_luma)
    height, width = truth.shape
    planes = found.planes if found.sure else np.zeros((2, 3))
    y, x = np.linspace(-1, 1, height, dtype=np.float32)[:, None], np.linspace(-1, 1, width, dtype=np.float32)
    off = np.stack([move + across * x + down * y for move, across, down in planes.tolist()], axis=2)
    if not found.clipped:
        back = _moved(result, _worth_turning(planes, height, width))
        lost = evidence.once(_stretched)
        own = local_field(truth, back, evidence.factor, softer=found.softer, lost=lost)
        off += _each_pixel(own, truth.shape)
    lengths: Array = np.hypot(off[..., 0], off[..., 1])
    return lengths


def _of(evidence: Evidence) -> Measured:
    found = evidence.once(_placed)
    if found.clipped and not found.sure:
        raise NotMeasurable("so much of it is clipped that its edges seem to be displaced")
    height, width, _ = shape(evidence.result)
    turned = found.turned(height, width)
    names = ("right", "down", "wider", "taller", "error", "local", "uneven", "sure")
    figures = {
        **{name: float(getattr(found, name)) for name in names},
        "turned, degrees": math.degrees(turned), "by turning": abs(turned) * math.hypot(height, width) / 12**0.5,
    }  # fmt: skip
    return Measured(found.mean, parts=tuple(Part(*figure) for figure in figures.items()))


MEASURES = [
    Measure(
        "registration", 5, "Displacement", "px", "lower", "close to the truth",
        "How far the result lies off the truth, mean over the picture: shift, wrong scale, turn. From about 0.1 px on "
        "it spoils all other figures, where it is more than three times its own error and 0.06 px of the input.",
        "Lucas, Kanade 1981; Efron 1982", tie=0.02, digits=2, of=_of, needs=("reference",),
        without_truth="How far the result lies off the input, mean over the picture: shift, wrong scale, turn. What "
        "is less than three times its own error is not claimed.",
    )
]  # fmt: skip
