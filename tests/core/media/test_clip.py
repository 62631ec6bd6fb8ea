"""Clips: frame N is frame N in every codec and container; colour by tags; bad ones end in a sentence."""

import os
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from mistline.core.media.clip import Clip, looks_like_clip, read_clip
from mistline.errors import BadMedia
from tests.core.media.clips import number_of, numbered, write_clip

KINDS = [
    ("mp4", "libx264", "yuv420p", {"bf": "3", "g": "12"}),
    ("mkv", "libx264", "yuv422p10le", {"bf": "2", "g": "9", "x264-params": "open-gop=1"}),
    ("ts", "libx264", "yuv420p", {"bf": "3", "g": "10"}),
    ("avi", "libx264", "yuv420p", {"bf": "0"}),
    ("mov", "libx265", "yuv420p10le", {"x265-params": "log-level=none:bframes=3:keyint=10"}),
    ("mkv", "libsvtav1", "yuv420p", {"preset": "12", "g": "10"}),
    ("mkv", "libvpx-vp9", "yuv420p", {"g": "8"}),
    ("ts", "mpeg2video", "yuv420p", {"bf": "2", "g": "12", "qscale": "3"}),
    ("mxf", "mpeg2video", "yuv422p", {"bf": "2", "g": "12", "qscale": "3"}),
    ("mov", "prores_ks", "yuv422p10le", {}),
    ("mkv", "ffv1", "yuv444p12le", {}),
    ("avi", "rawvideo", "yuv420p", {}),
    ("mov", "v210", "yuv422p10le", {}),
    ("avi", "mjpeg", "yuvj420p", {}),
    ("y4m", "wrapped_avframe", "yuv420p", {}),
]  # fmt: skip


@pytest.mark.parametrize("suffix, codec, pixels, options", KINDS, ids=[f"{k[1]}-{k[0]}" for k in KINDS])
def test_frame_n_is_frame_n(tmp_path: Path, suffix: str, codec: str, pixels: str, options: dict[str, str]) -> None:
    path = write_clip(tmp_path / f"a.{suffix}", codec, pixels, 40, **options)
    assert os.sched_getscheduler(0) == os.SCHED_OTHER
    clip = read_clip(path, path.name)
    assert clip.count == 40 and clip.facts.rate == 25
    assert [number_of(codes) for codes in clip.stream(0, 40)] == list(range(40))
    for number in (0, 1, 11, 12, 13, 23, 24, 38, 39):
        assert number_of(clip.codes(number)) == number
    assert [number_of(codes) for codes in clip.stream(17, 9)] == list(range(17, 26))


STANDARDS = [("BT.601", 6, "ITU-R BT.601"), ("BT.709", 1, "ITU-R BT.709"), ("BT.2020", 9, "ITU-R BT.2020")]


@pytest.mark.parametrize("bits, pixels", [(8, "yuv444p"), (10, "yuv444p10le"), (12, "yuv444p12le")])
@pytest.mark.parametrize("full", [False, True])
@pytest.mark.parametrize("name, code, published", STANDARDS)
def test_colour_comes_back_by_its_tags(tmp_path: Path, name: str, code: int, published: str, full: bool, bits: int,
                                       pixels: str) -> None:  # fmt: skip
    """Outside check: colour-science's RGB_to_YCbCr by the weights of the three recommendations, both ranges."""
    import colour

    rng = np.random.default_rng(bits)
    wanted = rng.uniform(0, 1, (64, 96, 3))
    coded = colour.RGB_to_YCbCr(
        wanted, colour.WEIGHTS_YCBCR[published], in_bits=bits, in_legal=False, in_int=False, out_bits=bits,
        out_legal=not full, out_int=True,
    )  # fmt: skip
    kind = np.uint8 if bits == 8 else np.uint16
    planes = np.clip(coded, 0, 2**bits - 1).astype(kind)
    path = tmp_path / "a.mkv"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = 96, 64, pixels
        stream.codec_context.colorspace, stream.codec_context.color_range = code, 2 if full else 1
        frame = av.VideoFrame(96, 64, pixels)
        for plane, values in zip(frame.planes, np.moveaxis(planes, 2, 0), strict=True):
            rows = np.zeros((plane.height, plane.line_size // planes.itemsize), kind)
            rows[:, :96] = values
            plane.update(rows)
        frame.colorspace, frame.color_range = code, 2 if full else 1
        frame.pts = 0
        out.mux(stream.encode(frame))
        out.mux(stream.encode())
    clip = read_clip(path, "a.mkv")
    assert clip.facts.matrix == name and clip.facts.full_range is full and clip.facts.bit_depth == bits
    # Half a code of luma and of each chroma, through the matrix: two codes at most.
    assert np.abs(clip.codes() / 65535 - wanted).max() < 2.2 / (2**bits - 1) * (1 if full else 255 / 219)


@pytest.mark.parametrize("pixels, chroma", [("yuv420p", (2, 2)), ("yuv422p", (1, 2))])
def test_chroma_lies_where_its_siting_says(pixels: str, chroma: tuple[int, int]) -> None:
    """A slope of colour stays straight: left-sited across, half way between rows down (ISO/IEC 13818-2, 6.1.1.8)."""
    from mistline.core.media.planes import rgb_of_planes

    down, across = chroma
    rows, columns = np.mgrid[:64, :64].astype(np.float64)
    slope = 64 + columns + 0.5 * rows
    sited = slope[::down, ::across] + (0.25 if down == 2 else 0)
    grey = np.full((64, 64), 120, np.uint8)
    codes = rgb_of_planes([grey, np.full(sited.shape, 128, np.uint8), np.rint(sited).astype(np.uint8)], 8,
                          matrix="BT.709", full_range=False)  # fmt: skip
    red = codes[..., 0] / 65535
    wanted = (120 - 16) / 219 + 2 * (1 - 0.2126) * (slope - 128) / 224
    inner = np.s_[2:-2, 2:-2]
    assert np.abs(red - np.clip(wanted, 0, 1))[inner].max() < 0.006


def test_time_stamps_that_start_anywhere_move_no_frame(tmp_path: Path) -> None:
    for start in (7, 1000):
        path = write_clip(tmp_path / f"{start}.mkv", "libx264", "yuv420p", 24, start=start, bf="2", g="6")
        clip = read_clip(path, path.name)
        assert [number_of(clip.codes(number)) for number in (0, 5, 6, 23)] == [0, 5, 6, 23]


def test_a_raw_stream_without_time_stamps(tmp_path: Path) -> None:
    path = write_clip(tmp_path / "a.h264", "libx264", "yuv420p", 20, container="h264", bf="0", g="5")
    assert [number_of(codes) for codes in read_clip(path, "a.h264").stream(9, 5)] == list(range(9, 14))


def test_a_varying_rate_is_said(tmp_path: Path) -> None:
    stamps = [0, 1, 2, 3, 9, 10, 11, 20, 21, 22, 23, 30]
    path = write_clip(tmp_path / "a.mkv", "ffv1", "yuv444p", 12, stamps=stamps)
    clip = read_clip(path, "a.mkv")
    assert any("Its rate varies" in note for note in clip.facts.notes)
    assert [number_of(codes) for codes in clip.stream(0, 12)] == list(range(12))
    even = read_clip(write_clip(tmp_path / "b.mkv", "ffv1", "yuv444p", 30, rate=Fraction(24000, 1001)), "b.mkv")
    assert even.facts.rate == Fraction(24000, 1001) and not any("varies" in note for note in even.facts.notes)


def test_interlaced_material_is_said(tmp_path: Path) -> None:
    path = write_clip(tmp_path / "a.ts", "mpeg2video", "yuv420p", 12, flags="+ilme+ildct", top="1", qscale="3")
    facts = read_clip(path, "a.ts").facts
    assert facts.scan == "interlaced" and any("deinterlace it first" in note for note in facts.notes)


@pytest.mark.parametrize("transfer, name", [(16, "PQ"), (18, "HLG")])
def test_high_dynamic_range_is_named_and_not_measured(tmp_path: Path, transfer: int, name: str) -> None:
    path = write_clip(
        tmp_path / "a.mkv",
        "ffv1",
        "yuv420p10le",
        3,
        tags={"color_trc": transfer, "color_primaries": 9, "colorspace": 9},
    )
    facts = read_clip(path, "a.mkv").facts
    assert facts.refused.startswith(f"a.mkv is {name}") and "convert it to BT.709" in facts.refused


def test_what_is_not_tagged_is_assumed_and_said(tmp_path: Path) -> None:
    small = read_clip(write_clip(tmp_path / "a.mkv", "ffv1", "yuv420p", 2), "a.mkv").facts
    assert small.matrix == "BT.601" and any("BT.601 is assumed" in note for note in small.notes)
    large = read_clip(write_clip(tmp_path / "b.mkv", "ffv1", "yuv420p", 1, size=(1280, 720)), "b.mkv").facts
    assert large.matrix == "BT.709" and any("16-235 is assumed" in note for note in large.notes)


def test_a_frame_that_is_too_large_is_refused(tmp_path: Path) -> None:
    path = write_clip(tmp_path / "a.mkv", "mjpeg", "yuvj420p", 1, size=(8400, 5000))
    with pytest.raises(BadMedia, match=r"a.mkv is 8400 x 5000, 42 megapixels a frame; the limit is 40"):
        read_clip(path, "a.mkv")


@pytest.mark.parametrize("share", [0.3, 0.6, 0.9])
def test_a_cut_clip_gives_its_frames_or_a_sentence(tmp_path: Path, share: float) -> None:
    content = write_clip(tmp_path / "a.mkv", "libx264", "yuv420p", 60, g="10").read_bytes()
    cut = tmp_path / "cut.mkv"
    cut.write_bytes(content[: int(len(content) * share)])
    clip = read_clip(cut, "cut.mkv")
    told = []
    with pytest.raises(BadMedia, match=r"cut\.mkv"):
        for codes in clip.stream(0, 60):
            told.append(number_of(codes))
    assert 5 < len(told) <= clip.count < 60 and told == list(range(len(told)))


def test_stills_are_no_clips(tmp_path: Path) -> None:
    import cv2

    for suffix in ("png", "jpg", "tif", "webp"):
        cv2.imwrite(str(tmp_path / f"a.{suffix}"), numbered(3))
        assert not looks_like_clip(tmp_path / f"a.{suffix}")
    assert looks_like_clip(write_clip(tmp_path / "a.avi", "mjpeg", "yuvj420p", 3))
    assert Clip(tmp_path / "a.avi", "a.avi").count == 3


@pytest.mark.parametrize("turn", [90, -90, 180])
def test_a_turned_clip_is_shown_upright(tmp_path: Path, turn: int) -> None:
    """FFmpeg's display matrix tells by how many degrees a frame is turned counter-clockwise (libavutil/display.h)."""
    path = tmp_path / "a.mov"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"qp": "0"})
        stream.width, stream.height, stream.pix_fmt = 128, 96, "yuv444p"
        stream.set_display_rotation(turn)
        out.mux(stream.encode(av.VideoFrame.from_ndarray(numbered(5), format="rgb24").reformat(format="yuv444p")))
        out.mux(stream.encode())
    with av.open(str(path)) as container:
        told = next(container.decode(video=0)).rotation
    assert abs(told) == abs(turn)
    clip = read_clip(path, "a.mov")
    stored = np.rot90(clip.codes(), -told // 90)
    assert number_of(stored) == 5 and any("turned upright" in note for note in clip.facts.notes)
    assert (clip.facts.size.width, clip.facts.size.height) == ((128, 96) if turn == 180 else (96, 128))
