"""Numbered sequences: DPX and OpenEXR exactly as other libraries write them, order, gaps, rates, bad archives."""

import io
import struct
import zipfile
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import OpenEXR
import pytest
import tifffile

from mistline.core.frame import encode_srgb
from mistline.core.media.archive import write_archive
from mistline.core.media.moving import open_moving, read_moving
from mistline.core.media.still import read_still
from mistline.errors import BadMedia
from tests.conftest import as_png
from tests.core.media.clips import number_of, numbered


def dpx_by_ffmpeg(codes: np.ndarray, form: str) -> bytes:
    """(H, W, C) samples of the format's own bits, written as DPX by FFmpeg."""
    height, width = codes.shape[:2]
    frame, order = av.VideoFrame(width, height, form), ">" if form.endswith("be") else "<"
    planar = form.startswith("gbrp")
    for place, plane in enumerate(frame.planes):
        kind = np.dtype(f"{order}u{codes.itemsize}")
        rows = np.zeros((height, plane.line_size // kind.itemsize), kind)
        part = codes[..., (1, 2, 0)[place]] if planar else codes.reshape(height, -1)
        rows[:, : part.shape[1]] = part
        plane.update(rows.tobytes())
    context = av.CodecContext.create("dpx", "w")
    context.width, context.height, context.pix_fmt, context.time_base = width, height, form, Fraction(1, 25)
    frame.pts = 0
    return b"".join(bytes(packet) for packet in [*context.encode(frame), *context.encode(None)])


DPX = [
    ("gray", 8, 1), ("rgb24", 8, 3), ("gray16le", 16, 1), ("rgb48le", 16, 3), ("rgb48be", 16, 3), ("gbrp10le", 10, 3),
    ("gbrp10be", 10, 3), ("gbrp12le", 12, 3), ("gbrp12be", 12, 3),
]  # fmt: skip


@pytest.mark.parametrize("size", [(64, 40), (63, 37), (61, 5)])
@pytest.mark.parametrize(("form", "bits", "channels"), DPX)
def test_dpx_as_ffmpeg_writes_it_is_read_exactly(
    tmp_path: Path, form: str, bits: int, channels: int, size: tuple[int, int]
) -> None:
    width, height = size
    kind = np.uint8 if bits == 8 else np.uint16
    codes = np.random.default_rng(bits).integers(0, 2**bits, (height, width, channels)).astype(kind)
    path = tmp_path / "a.dpx"
    path.write_bytes(dpx_by_ffmpeg(codes, form))
    still = read_still(path, "a.dpx")
    wanted = codes if bits in (8, 16) else np.rint(codes * (65535 / (2**bits - 1)))
    assert np.array_equal(still.codes, wanted) and (still.bit_depth, still.file_type) == (bits, "DPX")


def test_dpx_that_cannot_be_measured_says_so(tmp_path: Path) -> None:
    good = bytearray(dpx_by_ffmpeg(np.zeros((8, 8, 3), np.uint16), "gbrp10be"))
    cases = {"logarithmic film|printing density": (801, 1), "other samples": (800, 100), "packing": (804 + 1, 0),
             "run-length": (807, 1), "bits": (803, 14)}  # fmt: skip
    for words, (offset, value) in cases.items():
        bad = bytearray(good)
        bad[offset] = value
        (path := tmp_path / "bad.dpx").write_bytes(bad)
        with pytest.raises(BadMedia, match=words):
            read_still(path, "bad.dpx")
    for length in (4, 500, 900, len(good) - 1):
        path.write_bytes(good[:length])
        with pytest.raises(BadMedia, match=r"bad.dpx is cut short"):
            read_still(path, "bad.dpx")
    struct.pack_into(">II", good, 772, 60_000, 60_000)
    path.write_bytes(good)
    with pytest.raises(BadMedia, match=r"60000 x 60000 .* limit is 200"):
        read_still(path, "bad.dpx")


def write_exr(path: Path, pixels: dict[str, np.ndarray], **header: object) -> Path:
    OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **header}, pixels).write(
        str(path)
    )
    return path


@pytest.mark.parametrize("kind", [np.float16, np.float32])
@pytest.mark.parametrize("names", [("R", "G", "B"), ("Y",)])
def test_exr_of_linear_light_becomes_srgb(tmp_path: Path, kind: type, names: tuple[str, ...]) -> None:
    """IEC 61966-2-1 of the linear values; the middle grey 0.18 is 117.6 cv (common practice: 118)."""
    linear = np.random.default_rng(1).random((19, 23, len(names))).astype(kind)
    linear[0, 0] = 0.18
    path = write_exr(
        tmp_path / "a.exr", {name: np.ascontiguousarray(linear[..., i]) for i, name in enumerate(names)}
    )
    still = read_still(path, "a.exr")
    assert np.abs(still.codes - 65535.0 * encode_srgb(linear.astype(np.float32))).max() <= 0.51
    assert still.codes[0, 0, 0] / 257 == pytest.approx(117.6, abs=0.1) and "linear light" in still.colour


def test_exr_says_what_was_done_to_it(tmp_path: Path) -> None:
    pixels = np.full((20, 30, 3), 0.5, np.float16)
    pixels[:2], pixels[5, 5] = 4, np.nan
    path = write_exr(
        tmp_path / "a.exr", {"RGBA": np.concatenate([pixels, np.full((20, 30, 1), 0.5, np.float16)], 2)}
    )
    notes = " ".join(read_still(path, "a.exr").notes)
    assert "brighter than white" in notes and "no numbers" in notes and "flattened onto white" in notes
    window = (np.array([0, 0], np.int32), np.array([39, 19], np.int32))
    still = read_still(write_exr(tmp_path / "b.exr", {"RGB": pixels}, displayWindow=window), "b.exr")
    assert still.size.width == 40 and not still.codes[:, 30:].any() and still.codes[10, 29, 0] > 40000
    wide = (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290)
    with pytest.raises(BadMedia, match=r"c.exr has other primaries"):
        read_still(write_exr(tmp_path / "c.exr", {"RGB": pixels}, chromaticities=wide), "c.exr")
    with pytest.raises(BadMedia, match=r"no channels R, G and B"):
        read_still(write_exr(tmp_path / "d.exr", {"Z": pixels[..., 0]}), "d.exr")
    path.write_bytes(path.read_bytes()[:-60])
    with pytest.raises(BadMedia, match=r"a.exr is cut short or damaged"):
        read_still(path, "a.exr")


def as_file(codes: np.ndarray, suffix: str, folder: Path) -> bytes:
    if suffix == "png":
        return as_png(codes)
    if suffix == "dpx":
        return dpx_by_ffmpeg(codes.astype(np.uint16) << 2, "gbrp10be")
    path = folder / f"frame.{suffix}"
    if suffix == "exr":
        write_exr(path, {"RGB": ((codes / 255) ** 2.2).astype(np.float16)})
    else:
        tifffile.imwrite(path, codes.astype(np.uint16) * 257)
    return path.read_bytes()


def archive(folder: Path, names: list[str], rate: str = "24000/1001", suffix: str = "png") -> Path:
    """Frames that carry their place among the names, shuffled in the archive."""
    frames = [(name, io.BytesIO(as_file(numbered(place), suffix, folder))) for place, name in enumerate(names)]
    write_archive(folder / "frames.zip", frames[::-1], rate)
    return folder / "frames.zip"


@pytest.mark.parametrize("suffix", ["png", "tif", "dpx", "exr"])
def test_frame_n_is_frame_n_in_the_order_of_the_numbers(tmp_path: Path, suffix: str) -> None:
    """8, 9, 10, 11: by number, not by name."""
    path = archive(tmp_path, [f"shot {number}.{suffix}" for number in range(8, 20)], suffix=suffix)
    sequence = read_moving(path, "shot.zip")
    assert sequence is not None and sequence.count == 12 and sequence.facts.rate == Fraction(24000, 1001)
    assert [number_of(codes) for codes in sequence.stream(0, 12)] == list(range(12))
    assert number_of(open_moving(path, "shot.zip").codes(7)) == 7
    assert (
        sequence.codes().dtype == np.uint16
        and sequence.facts.codec == f"{suffix.upper().replace('TIF', 'TIFF')} files"
    )
    with pytest.raises(BadMedia, match=r"has 12 frames and no frame 12"):
        sequence.codes(12)


def test_gaps_in_the_numbers_are_named(tmp_path: Path) -> None:
    numbers = [1, 2, 3, 5, 6, 9, 10]
    notes = read_moving(archive(tmp_path, [f"a_{number:04d}.png" for number in numbers]), "a.zip").facts.notes
    assert "Frames 4, 7 to 8 are missing: 7 of 10 are there and follow one another." in notes
    notes = read_moving(archive(tmp_path, ["a_0001.png", "a_0003.png"]), "a.zip").facts.notes
    assert "Frame 2 is missing: 2 of 3 are there and follow one another." in notes
    many = read_moving(archive(tmp_path, [f"{2 * number}.png" for number in range(9)]), "a.zip").facts.notes
    assert "and 3 more gaps" in many[-1]


@pytest.mark.parametrize(
    ("rate", "wanted"), [("25", 25), ("23.976", Fraction("23.976")), ("0", 24), ("x", 24), ("9/0", 24)]
)
def test_a_rate_that_is_not_said_is_assumed_and_that_is_said(tmp_path: Path, rate: str, wanted: Fraction) -> None:
    facts = read_moving(archive(tmp_path, ["a1.png", "a2.png"], rate), "a.zip").facts
    assert facts.rate == wanted and any("24 frames/s are assumed" in note for note in facts.notes) == (
        wanted == 24
    )


def zipped(path: Path, members: dict[str, bytes]) -> Path:
    with zipfile.ZipFile(path, "w") as out:
        for name, content in members.items():
            out.writestr(name, content)
    return path


def test_bad_archives_end_in_a_sentence(tmp_path: Path) -> None:
    good, small = as_png(numbered(1)), as_png(numbered(1)[:40])
    path = tmp_path / "bad.zip"
    cases = [
        ({"words.txt": b"hello"}, "without numbered frames"),
        ({"a1.png": good, "b1.png": good}, "2 sequences"),
        ({"a1.png": good, "a01.png": good}, "frame 1 twice"),
        ({"a1.png": b"text", "a2.png": good}, "a1.png in bad.zip holds text"),
        ({"a1.png": good[:-40]}, "a1.png in bad.zip is cut short"),
    ]
    for members, words in cases:
        with pytest.raises(BadMedia, match=words):
            read_moving(zipped(path, members), "bad.zip")
    sequence = read_moving(zipped(path, {"a1.png": good, "a2.png": small, "a3.png": good}), "bad.zip")
    with pytest.raises(BadMedia, match=r"a2.png in bad.zip is 128 x 40 RGB, the first frame 128 x 96 RGB"):
        sequence.codes(1)
    whole = path.read_bytes()
    for length in (30, len(whole) // 2, len(whole) - 30):
        path.write_bytes(whole[:length])
        with pytest.raises(BadMedia, match=r"bad.zip is a damaged archive"):
            read_moving(path, "bad.zip")
    spoilt = bytearray(whole)
    spoilt[60:200] = bytes(140)
    path.write_bytes(spoilt)
    with pytest.raises(BadMedia, match=r"bad\.zip"):
        read_moving(path, "bad.zip").codes(0)


def test_the_same_frames_make_the_same_archive(tmp_path: Path) -> None:
    one = archive(tmp_path, ["a1.png", "a2.png"]).read_bytes()
    assert archive(tmp_path, ["a1.png", "a2.png"]).read_bytes() == one
