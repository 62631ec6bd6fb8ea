"""What decoders pass over in silence is said: lost parts, animations, odd alpha, colour tags; and no file is a crash."""

import io
import struct
import zlib
from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import tifffile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image, ImageCms

from mistline.core.frame import encode_srgb
from mistline.core.media.still import Still, read_still
from mistline.core.plain import plain
from mistline.errors import BadMedia
from tests.core.media.test_still import RGB8, RGB16, pillow, png16, put

SMOOTH = np.asarray(Image.fromarray(RGB8).resize((240, 160), Image.Resampling.BICUBIC))


def chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def with_chunk(png: bytes, kind: bytes, data: bytes) -> bytes:
    """A PNG with one more chunk right after its header."""
    return png[:33] + chunk(kind, data) + png[33:]


def read(folder: Path, name: str, content: bytes) -> Still:
    return read_still(put(folder, name, content), name)


def tiff(codes: np.ndarray, **how: object) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, codes, **how)
    return out.getvalue()


@pytest.mark.parametrize("share", [0.3, 0.5, 0.8])
def test_a_jpeg_that_lost_a_part_says_so(tmp_path: Path, share: float) -> None:
    whole = pillow(SMOOTH, "JPEG", quality=90)
    assert read(tmp_path, "a.jpg", whole).notes == []
    cut = read(tmp_path, "b.jpg", whole[: int(share * len(whole))] + b"\xff\xd9")
    assert any("Part of this JPEG is lost" in note for note in cut.notes)


def test_lost_strips_are_counted(tmp_path: Path) -> None:
    content = bytearray(tiff(RGB8, rowsperstrip=8, photometric="rgb"))
    with tifffile.TiffFile(io.BytesIO(bytes(content))) as file:
        page = file.pages[0]
        place, form = page.tags[279].valueoffset, {3: "<H", 4: "<I"}[int(page.tags[279].dtype)]
    struct.pack_into(form, content, place + struct.calcsize(form), 0)
    still = read(tmp_path, "a.tif", bytes(content))
    assert still.notes == ["1 of the file's 5 strips are lost and were taken as black."]
    assert np.array_equal(still.codes[:8], RGB8[:8]) and not still.codes[8:16].any()
    with pytest.raises(BadMedia, match="cut short"):
        read(tmp_path, "b.tif", tiff(RGB8, rowsperstrip=8, photometric="rgb")[:-500])


@pytest.mark.parametrize("kind", ["PNG", "WEBP", "TIFF"])
def test_of_an_animation_the_first_frame_is_read_and_said(tmp_path: Path, kind: str) -> None:
    frames = [Image.fromarray(np.roll(RGB8, step, 0)) for step in range(3)]
    out = io.BytesIO()
    frames[0].save(
        out, kind, save_all=True, append_images=frames[1:], **({"lossless": True} if kind == "WEBP" else {})
    )
    still = read(tmp_path, f"a.{kind.lower()}", out.getvalue())
    assert np.array_equal(still.codes, RGB8) and "3 p" in still.notes[0] and "first was read" in still.notes[0]


@pytest.mark.parametrize(
    "codes", [RGB8, RGB16, RGB8[..., 0], RGB16[..., 0]], ids=["rgb8", "rgb16", "grey8", "grey16"]
)
def test_a_transparent_colour_is_laid_onto_white(tmp_path: Path, codes: np.ndarray) -> None:
    """PNG third edition, 11.3.1.1: of tRNS two bytes a sample name the one colour that is clear."""
    codes = np.ascontiguousarray(codes)
    clear = np.atleast_1d(codes[3, 4])
    png = with_chunk(imagecodecs.png_encode(codes), b"tRNS", b"".join(struct.pack(">H", int(v)) for v in clear))
    still = read(tmp_path, "a.png", png)
    planes = codes if codes.ndim == 3 else codes[..., None]
    gone = np.all(planes == clear, axis=2)
    assert (still.codes[gone] == np.iinfo(codes.dtype).max).all() and gone[3, 4]
    assert np.array_equal(still.codes[~gone], planes[~gone]) and any(
        "Transparency" in note for note in still.notes
    )


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16])
def test_alpha_of_a_tiff_is_what_its_tag_says(tmp_path: Path, dtype: type) -> None:
    """TIFF 6.0, ExtraSamples: associated colours hold their alpha already; a channel without meaning is no alpha."""
    top = np.iinfo(dtype).max
    colour = np.full((24, 30, 3), 0.6 * top, dtype)
    alpha = np.linspace(0, top, 24 * 30).reshape(24, 30, 1).astype(dtype)
    white = np.round(colour * (alpha / top) + top * (1 - alpha / top))
    straight = np.concatenate([colour, alpha], 2)
    multiplied = np.concatenate([np.round(colour * (alpha / top)).astype(dtype), alpha], 2)
    for codes, meaning, wanted in ((straight, "unassalpha", white), (multiplied, "assocalpha", white),
                                   (straight, "unspecified", colour)):  # fmt: skip
        still = read(tmp_path, f"{meaning}.tif", tiff(codes, photometric="rgb", extrasamples=[meaning]))
        assert np.abs(still.codes.astype(float) - wanted).max() <= 1, meaning
    assert "1 further channel of no stated meaning" in still.notes[0]


@pytest.mark.parametrize(("gamma", "deep"), [(1.0, True), (1.0, False), (1 / 1.8, True), (1 / 2.6, False)])
def test_gamma_is_followed(tmp_path: Path, gamma: float, deep: bool) -> None:
    codes = RGB16 if deep else RGB8
    top = np.iinfo(codes.dtype).max
    png = with_chunk(imagecodecs.png_encode(codes), b"gAMA", struct.pack(">I", round(gamma * 100_000)))
    expected = encode_srgb(((codes / top) ** (1 / gamma)).astype(np.float32)) * top
    still = read(tmp_path, "a.png", png)
    assert np.abs(still.codes - expected).max() < (8 if deep else 1) and "by its gAMA tag" in still.notes[0]
    usual = read(tmp_path, "b.png", with_chunk(imagecodecs.png_encode(codes), b"gAMA", struct.pack(">I", 45455)))
    assert np.array_equal(usual.codes, codes) and usual.colour.startswith("gamma 2.20")


@pytest.mark.parametrize(
    ("points", "says"),
    [((1, 13, 0, 1), "sRGB"), ((9, 14, 0, 1), "BT.2020, BT.2020 (cICP)"), ((12, 13, 0, 1), "P3-D65, sRGB (cICP)")],
)
def test_code_points_are_named(tmp_path: Path, points: tuple[int, ...], says: str) -> None:
    """ITU-T H.273."""
    still = read(tmp_path, "a.png", with_chunk(pillow(RGB8, "PNG"), b"cICP", bytes(points)))
    assert still.colour == says and np.array_equal(still.codes, RGB8)
    assert bool(still.notes) == (says != "sRGB")


@pytest.mark.parametrize(
    ("points", "part"),
    [((9, 16, 0, 1), "PQ, which is not SDR"), ((9, 18, 0, 1), "HLG"), ((1, 1, 1, 0), "limited")],
)
def test_code_points_that_cannot_be_followed_are_refused(
    tmp_path: Path, points: tuple[int, ...], part: str
) -> None:
    with pytest.raises(BadMedia, match=part):
        read(tmp_path, "a.png", with_chunk(pillow(RGB8, "PNG"), b"cICP", bytes(points)))


@pytest.mark.parametrize("deep", [False, True])
def test_a_profile_is_judged_by_what_it_does(tmp_path: Path, deep: bool) -> None:
    """Linear light under the name sRGB is converted; sRGB under another name is left alone."""
    codes = RGB16 if deep else RGB8
    top = np.iinfo(codes.dtype).max
    primaries = (0.64, 0.33, 1, 0.30, 0.60, 1, 0.15, 0.06, 1)
    linear = imagecodecs.cms_profile("rgb", whitepoint=(0.3127, 0.3290, 1.0), primaries=primaries, gamma=1.0)
    title = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(linear))).strip()
    false = linear.replace(title.encode("utf-16-be"), "sRGB".ljust(len(title)).encode("utf-16-be"))
    for icc, named in ((linear, False), (false, True)):
        still = read(
            tmp_path, "a.png", with_chunk(imagecodecs.png_encode(codes), b"iCCP", b"x\0\0" + zlib.compress(icc))
        )
        expected = encode_srgb((codes / top).astype(np.float32)) * top
        assert np.abs(still.codes - expected).max() < 0.01 * top
        assert any("is not sRGB" in note for note in still.notes) == named
    true = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    assert np.array_equal(
        read(
            tmp_path, "b.png", with_chunk(imagecodecs.png_encode(codes), b"iCCP", b"x\0\0" + zlib.compress(true))
        ).codes,
        codes,
    )


@pytest.mark.parametrize("mode", ["RGB", "YCbCr"])
def test_jpeg_inside_a_tiff_is_read_as_rgb(tmp_path: Path, mode: str) -> None:
    picture = Image.fromarray(SMOOTH).convert(mode)
    picture.save(tmp_path / "a.tif", compression="jpeg", quality=95)
    still = read_still(tmp_path / "a.tif", "a.tif")
    assert still.notes == [] and np.abs(still.codes.astype(int) - SMOOTH).mean() < 3


def test_a_spoilt_exif_block_is_no_reason_to_refuse(tmp_path: Path) -> None:
    exif = Image.Exif()
    exif[274] = 6
    whole = pillow(SMOOTH, "JPEG", quality=95, exif=exif)
    at = whole.index(b"Exif\0\0") + 6
    for broken in (
        b"\xff" * 40,
        b"MM\0*\xff\xff\xff\xff" + b"\x01" * 32,
        b"II*\0\x08\0\0\0\xff\xff" + b"\xfe" * 30,
    ):
        still = read(tmp_path, "a.jpg", whole[:at] + broken[:24] + whole[at + 24 :])
        assert still.size.pixels == 240 * 160


def test_odd_names_never_reach_a_page() -> None:
    assert plain("a\x00b\u202ec\u200bd\nd" + "e" * 300, 20) == "abcd d" + "e" * 13 + "…"


SEEDS = {
    "png": png16(RGB16), "jpg": pillow(SMOOTH, "JPEG"), "webp": pillow(RGB8, "WEBP", lossless=True),
    "tif": tiff(RGB16, photometric="rgb", compression="zlib", predictor=True, rowsperstrip=7),
    "tiff": tiff(np.concatenate([RGB8, RGB8[..., :1]], 2), photometric="rgb", extrasamples=["unassalpha"], tile=(16, 16)),
}  # fmt: skip


@settings(max_examples=250, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.sampled_from(sorted(SEEDS)),
    st.lists(st.tuples(st.floats(0, 0.9999), st.integers(0, 255)), min_size=1, max_size=6),
    st.floats(0.02, 1),
)
def test_no_spoilt_file_is_more_than_a_sentence(
    tmp_path: Path, kind: str, changes: list[tuple[float, int]], kept: float
) -> None:
    """Bytes changed anywhere, half of them near the head, and the end cut off: a picture, or one sentence that names it."""
    content = bytearray(SEEDS[kind])
    for number, (place, value) in enumerate(changes):
        content[int(place * (len(content) if number % 2 else min(400, len(content))))] = value
    if kept < 0.5:
        del content[int(2 * kept * len(content)) :]
    try:
        still = read(tmp_path, f"a.{kind}", bytes(content))
    except BadMedia as error:
        assert f"a.{kind}" in str(error) and len(str(error)) < 300 and "Error" not in str(error)
    else:
        assert still.codes.dtype in (np.uint8, np.uint16) and still.codes.shape[2] in (1, 3)
        if kind == "png":  # every byte of it is covered by a checksum
            assert bytes(content) == SEEDS["png"] or np.array_equal(still.codes, RGB16)
