"""Read clips that anybody may hand in, frame by frame and exactly. Runs in a limited child process.

The index is made by demultiplexing only: frame N is the N-th in the order of presentation, whatever the order of
coding, the first time stamp, or what an edit list hides. Frames are decoded as planes and turned into R'G'B' by
explicit tags; memory does not grow with the length of a clip.

References
----------
.. [1] ITU-T H.273 (07/2021), tables 2 to 4: code points of primaries, transfer and matrix.
.. [2] SMPTE RP 177 and common practice: untagged material of up to 576 lines is BT.601, larger BT.709.
"""

import contextlib
from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import Any

import av
import numpy as np

from mistline.core.colour import ReadAs
from mistline.core.frame import Array, Codes, Size
from mistline.core.media.planes import rgb_of_planes
from mistline.core.media.still import signature
from mistline.core.plain import plain
from mistline.errors import BadMedia

__all__ = ["Clip", "ClipFacts", "looks_like_clip", "read_clip"]

MAX_MEGAPIXELS = 40  # a frame of 8192 x 4320
MAX_FRAMES = 24 * 3600 * 60
MATRIX_OF = {0: "RGB", 1: "BT.709", 5: "BT.601", 6: "BT.601", 9: "BT.2020"}  # [1]_
TRANSFER_OF = {1: "BT.709", 4: "gamma 2.2", 5: "gamma 2.8", 6: "BT.601", 8: "linear", 13: "sRGB", 14: "BT.2020",
               15: "BT.2020", 16: "PQ", 18: "HLG"}  # fmt: skip
PRIMARIES_OF = {1: "BT.709", 5: "BT.601 (625)", 6: "BT.601 (525)", 9: "BT.2020", 11: "DCI-P3", 12: "P3-D65"}
HDR = {"PQ", "HLG"}
STILLS = {"image2", "gif", "apng", "webp_anim", "tty"}  # what FFmpeg takes for clips and nobody means as such
PACKED = {"yuyv422": "yuv422p", "uyvy422": "yuv422p", "nv12": "yuv420p", "p010le": "yuv420p10le",
          "rgb24": "gbrp", "bgr24": "gbrp", "rgba": "gbrp", "bgra": "gbrp", "argb": "gbrp", "abgr": "gbrp",
          "rgb0": "gbrp", "bgr0": "gbrp", "0rgb": "gbrp", "0bgr": "gbrp", "pal8": "gbrp", "rgb48le": "gbrp16le",
          "rgb48be": "gbrp16le", "rgba64le": "gbrp16le", "rgba64be": "gbrp16le"}  # fmt: skip
ADVICE = "export it as MP4, MOV or Matroska and import that file"


@dataclass(frozen=True)
class ClipFacts:
    """What a clip is; `rate` in frames a second, `notes` are sentences on what was found or assumed."""

    size: Size
    count: int
    rate: Fraction
    file_type: str
    codec: str
    bit_depth: int
    channels: str
    colour: str
    matrix: str
    full_range: bool
    centred: bool
    scan: str
    bits_a_second: float
    sound: list[str]
    refused: str = ""
    notes: list[str] = field(default_factory=list)


def looks_like_clip(path: Path) -> bool:
    """Whether a file holds moving pictures or sound, by its content; what begins like a still is one."""
    with path.open("rb") as file:
        head = file.read(16)
    if signature(head):
        return False
    try:
        with av.open(str(path)) as container:
            names = container.format.name.split(",")
            still = any(name.endswith("_pipe") or name in STILLS for name in names)
            return bool(container.streams.video or container.streams.audio) and not still
    except (av.FFmpegError, ValueError):
        return False


class Clip:
    """The frames of a clip, read as a stream.

    Raises
    ------
    BadMedia
        With a sentence that names the file, here or while frames are read.
    """

    def __init__(self, path: Path, name: str, read_as: ReadAs | None = None) -> None:
        self.path, self.name, self.read_as = path, name, read_as

    @contextlib.contextmanager
    def _opened(self) -> Iterator[tuple[Any, Any]]:
        try:
            with av.open(str(self.path)) as container:
                if not container.streams.video:
                    raise BadMedia(f"{self.name} has no video track; choose a file with pictures.")
                stream = container.streams.video[0]
                stream.thread_type = "AUTO"
                yield container, stream
        except av.FFmpegError as error:
            reason = plain(error.strerror or "", 80) or "its data is not what its header says"
            raise BadMedia(f"{self.name} cannot be read ({reason}); {ADVICE}.") from None

    @cached_property
    def _index(self) -> tuple[list[int], list[int], bool]:
        """Time stamps in order of presentation, those of key frames, and whether the file says where it is damaged."""
        stamps: list[int] = []
        keys: list[int] = []
        damaged = False
        with self._opened() as (container, stream):
            for packet in container.demux(stream):
                if packet.size == 0 or packet.is_discard:
                    continue
                damaged = damaged or packet.is_corrupt
                stamp = packet.pts if packet.pts is not None else packet.dts
                stamps.append(len(stamps) if stamp is None else stamp)
                if packet.is_keyframe:
                    keys.append(stamps[-1])
                if len(stamps) > MAX_FRAMES:
                    raise BadMedia(f"{self.name} has more than {MAX_FRAMES} frames; cut a part out of it.")
        if not stamps:
            raise BadMedia(f"{self.name} holds no frame; {ADVICE}.")
        return sorted(stamps), sorted(keys), damaged

    @property
    def count(self) -> int:
        """Number of frames."""
        return len(self._index[0])

    @cached_property
    def facts(self) -> ClipFacts:
        """What the clip is, from its headers, its index and its first frame."""
        stamps, _, damaged = self._index
        with self._opened() as (container, stream):
            context = stream.codec_context
            first = next(self._decoded(container, stream, 0), None)
            if first is None:
                raise BadMedia(f"No frame of {self.name} can be decoded; {ADVICE}.")
            frame = first[1]
            self._check_size(frame)
            notes: list[str] = []
            matrix, full, colour, transfer = self._colour(frame, context, notes)
            rate = self._rate(stream, stamps, notes)
            scan = self._scan(frame, context, notes)
            if damaged:
                notes.append(
                    "The file says of itself that parts of it are damaged; look at the frames before trusting them."
                )
            claimed = container.duration / av.time_base if container.duration else 0
            if claimed and len(stamps) / rate < 0.9 * claimed and not container.streams.audio:
                notes.append(
                    f"Its header speaks of {claimed:.1f} s and {float(len(stamps) / rate):.1f} s are there: "
                    "its end may be missing."
                )
            if frame.rotation:
                notes.append(
                    f"It is to be shown turned by {abs(frame.rotation):g} degrees; frames are turned upright."
                )
            aspect = stream.sample_aspect_ratio
            if aspect and aspect != 1:
                notes.append(
                    f"Its pixels are not square ({aspect.numerator}:{aspect.denominator}); "
                    "they are kept as they are stored."
                )
            if any(component.is_alpha for component in frame.format.components):
                notes.append("It has an alpha channel, which is left out.")
            return ClipFacts(
                size=self._size(frame), count=len(stamps), rate=rate,
                file_type=container.format.long_name or container.format.name,
                codec=(context.codec.long_name or context.name).split(" / ")[0],
                bit_depth=frame.format.components[0].bits, channels=_channels(frame), colour=colour,
                matrix=matrix, full_range=full,
                centred=frame.format.name.startswith("yuvj") or context.name in ("mjpeg", "mpeg1video"), scan=scan,
                bits_a_second=8 * self.path.stat().st_size / float(len(stamps) / rate), sound=_sound(container),
                refused=_refused(self.name, transfer),
                notes=notes,
            )  # fmt: skip

    def _check_size(self, frame: Any) -> None:
        if frame.width * frame.height > MAX_MEGAPIXELS * 1_000_000:
            megapixels = frame.width * frame.height / 1e6
            raise BadMedia(
                f"{self.name} is {frame.width} x {frame.height}, {megapixels:.0f} megapixels a frame; "
                f"the limit is {MAX_MEGAPIXELS}, so scale or crop it first."
            )

    @staticmethod
    def _size(frame: Any) -> Size:
        turned = round(frame.rotation) % 180 != 0
        return Size(frame.height, frame.width) if turned else Size(frame.width, frame.height)

    def _colour(self, frame: Any, context: Any, notes: list[str]) -> tuple[str, bool, str, str]:
        """Matrix, range, words and transfer; what is not tagged is assumed by size, and that is said [2]_."""
        rgb = frame.format.is_rgb or frame.format.name.startswith("gbr")
        tagged = "RGB" if rgb else MATRIX_OF.get(int(frame.colorspace))
        matrix = tagged or ("BT.601" if frame.height <= 576 else "BT.709")
        spoken = int(frame.color_range) or int(context.color_range)
        full = rgb or spoken == 2 or frame.format.name.startswith("yuvj")
        transfer = TRANSFER_OF.get(int(frame.color_trc), "")
        primaries = PRIMARIES_OF.get(int(frame.color_primaries), "")
        if self.read_as and not rgb:
            notes.append("Its colour is read as was set here, not by its tags.")
            span = "full range" if self.read_as.full_range else "16-235"
            return self.read_as.matrix, self.read_as.full_range, f"{self.read_as.matrix}, {span}", transfer
        if tagged is None and int(frame.colorspace) not in (2, 3):
            raise BadMedia(
                f"{self.name} has a colour matrix that is not known here (code {int(frame.colorspace)}); "
                "convert it to BT.709."
            )
        if tagged is None and len(frame.format.components) > 1:
            notes.append(f"It has no colour tag: {matrix} is assumed, as is usual for {frame.height} lines.")
        if not spoken and not full:
            notes.append("It does not say its range: 16-235 is assumed.")
        span = "full range" if full else "16-235"
        if matrix == primaries == transfer:
            return matrix, full, f"{matrix}, {span}", transfer
        words = f"{matrix} matrix, {span}, {primaries or 'untagged'} primaries, {transfer or 'untagged'} transfer"
        return matrix, full, words, transfer

    def _rate(self, stream: Any, stamps: list[int], notes: list[str]) -> Fraction:
        rate = Fraction(stream.average_rate or stream.guessed_rate or 25)
        if len(stamps) > 2 and stream.time_base:
            steps = np.diff(np.array(stamps, np.int64)).astype(np.float64) * float(stream.time_base * rate)
            uneven = float(np.mean(np.abs(steps - np.median(steps)) > 0.25 + float(stream.time_base * rate)))
            if uneven > 0.02:
                longest = float(steps.max() / rate)
                notes.append(
                    f"Its rate varies: {100 * uneven:.0f} % of the frames stand for another time than most "
                    f"(up to {longest:.2f} s); frames are taken as they are stored, so make it even first."
                )
        return rate

    def _scan(self, frame: Any, context: Any, notes: list[str]) -> str:
        order = str(getattr(context, "field_order", "") or "")
        if not (frame.interlaced_frame or order in ("TT", "BB", "TB", "BT", "tt", "bb", "tb", "bt")):
            return "progressive"
        notes.append(
            "It is interlaced: two moments in each frame; deinterlace it first, or combs are judged as detail."
        )
        return "interlaced"

    def _decoded(self, container: Any, stream: Any, first: int) -> Iterator[tuple[int, Any]]:
        """Frames from the one numbered `first` on, with their numbers."""
        stamps, keys, _ = self._index
        numbers = {stamp: number for number, stamp in enumerate(stamps)}
        start = bisect_right(keys, stamps[first]) - 2  # one key frame earlier: open groups, and time stamps of TS
        if first and start > 0:
            container.seek(keys[start], stream=stream, backward=True, any_frame=False)
        for counted, frame in enumerate(container.decode(stream)):
            number = numbers.get(frame.pts) if frame.pts is not None else counted
            if number is not None and number >= first:
                yield number, frame

    def codes(self, number: int = 0) -> Codes:
        """One frame as (H, W, 1 or 3) uint16."""
        return next(self.stream(number, 1))

    def stream(self, first: int, count: int) -> Iterator[Codes]:
        """Frames one after another, as (H, W, 1 or 3) uint16."""
        facts, wanted = self.facts, first
        if not 0 <= first < self.count:
            raise BadMedia(f"{self.name} has {self.count} frames and no frame {first}; choose a part that it has.")
        with self._opened() as (container, stream):
            for number, frame in self._decoded(container, stream, first):
                if number != wanted:
                    raise BadMedia(f"Frame {wanted} of {self.name} cannot be decoded; choose a part without it.")
                yield self._rgb(frame, facts)
                wanted += 1
                if wanted == first + count:
                    return
        raise BadMedia(f"Frame {wanted} of {self.name} cannot be decoded; choose a part without it.")

    def lumas(self) -> Iterator[Array]:
        """Luma of every frame that can be decoded, (H, W) float32 in 0..1, of RGB its green; for a quick look."""
        facts = self.facts
        with self._opened() as (container, stream):
            for _, frame in self._decoded(container, stream, 0):
                name = frame.format.name
                frame = frame.reformat(format=PACKED[name]) if name in PACKED else frame
                bits = frame.format.components[0].bits
                low, high = (0, 2**bits - 1) if facts.full_range else (16 << (bits - 8), 235 << (bits - 8))
                plane = (_planes(frame)[0].astype(np.float32) - low) / np.float32(high - low)
                yield np.rot90(plane, round(frame.rotation / 90) % 4)

    def _rgb(self, frame: Any, facts: ClipFacts) -> Codes:
        name = frame.format.name
        if name in PACKED:
            frame = frame.reformat(format=PACKED[name])
        planes = _planes(frame)
        codes = rgb_of_planes(
            planes, frame.format.components[0].bits, matrix=facts.matrix, full_range=facts.full_range,
            centred=facts.centred,
        )  # fmt: skip
        quarter_turns = round(frame.rotation / 90) % 4
        return np.ascontiguousarray(np.rot90(codes, quarter_turns)) if quarter_turns else codes


def _planes(frame: Any) -> list[Any]:
    """The planes of luma and chroma (or of G, B, R) as integers, alpha left out."""
    form = frame.format
    found = []
    for component in form.components:
        if component.is_alpha:
            continue
        plane = frame.planes[component.plane]
        kind = np.dtype(np.uint8 if component.bits <= 8 else np.uint16).newbyteorder(
            ">" if form.is_big_endian else "<"
        )
        rows = np.frombuffer(plane, kind).reshape(-1, plane.line_size // kind.itemsize)
        found.append((component.plane, rows[: plane.height, : plane.width]))
    found.sort(key=lambda pair: pair[0])
    return [rows for _, rows in found]


def _refused(name: str, transfer: str) -> str:
    if transfer not in HDR:
        return ""
    return (
        f"{name} is {transfer}: its brightness is not read yet, so nothing can be measured; convert it to BT.709."
    )


def _channels(frame: Any) -> str:
    form = frame.format
    if form.is_rgb or form.name.startswith("gbr"):
        return "RGB"
    if len(form.components) < 3:
        return "grey"
    halved = (form.chroma_width(16) < 16, form.chroma_height(16) < 16)
    quarter = form.chroma_width(16) == 4
    return {(False, False): "4:4:4", (True, False): "4:1:1" if quarter else "4:2:2", (True, True): "4:2:0",
            (False, True): "4:4:0"}[halved]  # fmt: skip


def _sound(container: Any) -> list[str]:
    return [
        f"{plain(stream.codec_context.name, 20)}, {stream.codec_context.channels} channels, "
        f"{stream.codec_context.sample_rate / 1000:g} kHz"
        for stream in container.streams.audio
    ]


def read_clip(path: Path, name: str, read_as: ReadAs | None = None) -> Clip:
    """Open a clip and look into it, so that what is wrong with it is said now."""
    clip = Clip(path, name, read_as)
    _ = clip.facts
    return clip
