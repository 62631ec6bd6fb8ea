"""Stills in every format that is taken, and every kind of bad file with its sentence."""

import io
import struct
import zlib
from pathlib import Path

import cv2
import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from mistline.core.frame import encode_srgb, to_frame
from mistline.core.media.still import read_still
from mistline.errors import BadMedia

RNG = np.random.default_rng(6)
RGB8 = RNG.integers(0, 256, (40, 60, 3), np.uint8)
RGB16 = RNG.integers(0, 65536, (40, 60, 3), np.uint16)


def put(folder: Path, name: str, content: bytes) -> Path:
    path = folder / name
    path.write_bytes(content)
    return path


def pillow(codes: np.ndarray, kind: str, **more: object) -> bytes:
    out = io.BytesIO()
    Image.fromarray(codes).save(out, kind, **more)
    return out.getvalue()


def png16(codes: np.ndarray) -> bytes:
    order = [2, 1, 0, *range(3, codes.shape[2])] if codes.ndim == 3 and codes.shape[2] > 2 else slice(None)
    return cv2.imencode(".png", codes[..., order] if codes.ndim == 3 else codes)[1].tobytes()


def test_png_of_8_and_16_bits_is_exact(tmp_path: Path) -> None:
    assert np.array_equal(read_still(put(tmp_path, "a.png", pillow(RGB8, "PNG")), "a.png").codes, RGB8)
    deep = read_still(put(tmp_path, "b.png", png16(RGB16)), "b.png")
    assert deep.bit_depth == 16 and np.array_equal(deep.codes, RGB16)
    grey = read_still(put(tmp_path, "c.png", png16(RGB16[..., 0])), "c.png")
    assert grey.channels == "grey" and np.array_equal(grey.codes[..., 0], RGB16[..., 0])


@pytest.mark.parametrize("compression", [None, "lzw", "deflate"])
@pytest.mark.parametrize(
    "codes", [RGB8, RGB16, RGB8[..., 0], RGB16[..., 0]], ids=["rgb8", "rgb16", "grey8", "grey16"]
)
def test_tiff_is_exact(tmp_path: Path, codes: np.ndarray, compression: str | None) -> None:
    path = tmp_path / "a.tif"
    photometric = "rgb" if codes.ndim == 3 else "minisblack"
    tifffile.imwrite(
        path, codes, compression=compression, photometric=photometric, predictor=compression is not None
    )
    still = read_still(path, "a.tif")
    assert still.codes.dtype == codes.dtype and np.array_equal(np.squeeze(still.codes), codes)


def test_planar_tiff_is_put_in_order(tmp_path: Path) -> None:
    path = tmp_path / "a.tif"
    tifffile.imwrite(path, np.moveaxis(RGB8, -1, 0), planarconfig="separate", photometric="rgb")
    assert np.array_equal(read_still(path, "a.tif").codes, RGB8)


def test_jpeg_and_webp_come_near(tmp_path: Path) -> None:
    smooth = cv2.GaussianBlur(RGB8, (0, 0), 6)
    for kind, name in (("JPEG", "a.jpg"), ("WEBP", "a.webp")):
        still = read_still(put(tmp_path, name, pillow(smooth, kind, quality=95)), name)
        assert still.file_type.upper() == kind
        assert np.abs(still.codes.astype(int) - smooth).mean() < 3


@pytest.mark.parametrize("orientation", range(2, 9))
def test_orientation_is_honoured_as_pillow_does(tmp_path: Path, orientation: int) -> None:
    exif = Image.Exif()
    exif[274] = orientation
    content = pillow(RGB8, "PNG", exif=exif)
    still = read_still(put(tmp_path, "a.png", content), "a.png")
    from PIL import ImageOps

    expected = np.asarray(ImageOps.exif_transpose(Image.open(io.BytesIO(content))))
    assert np.array_equal(still.codes, expected)
    assert any("upright" in note for note in still.notes)


def test_alpha_is_flattened_onto_white_with_a_note(tmp_path: Path) -> None:
    alpha = np.zeros((40, 60, 1), np.uint8)
    alpha[:20] = 255
    still = read_still(put(tmp_path, "a.png", pillow(np.concatenate([RGB8, alpha], 2), "PNG")), "a.png")
    assert np.array_equal(still.codes[:20], RGB8[:20]) and (still.codes[20:] == 255).all()
    assert any("Transparency" in note for note in still.notes)


def test_an_embedded_profile_is_converted_and_named(tmp_path: Path) -> None:
    srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    assert "sRGB" in read_still(put(tmp_path, "a.png", pillow(RGB8, "PNG", icc_profile=srgb)), "a.png").colour
    broken = read_still(put(tmp_path, "b.png", pillow(RGB8, "PNG", icc_profile=b"nonsense" * 20)), "b.png")
    assert "damaged" in broken.colour and np.array_equal(broken.codes, RGB8)


def test_a_linear_profile_is_converted_to_srgb(tmp_path: Path) -> None:
    """BT.709 primaries with gamma 1 hold linear light; what comes out is the sRGB transfer (IEC 61966-2-1)."""
    profile = imagecodecs.cms_profile(
        "rgb", whitepoint=(0.3127, 0.3290, 1.0), primaries=(0.64, 0.33, 1, 0.30, 0.60, 1, 0.15, 0.06, 1), gamma=1.0
    )
    still = read_still(put(tmp_path, "a.png", pillow(RGB8, "PNG", icc_profile=profile)), "a.png")
    expected = encode_srgb(to_frame(RGB8).pixels) * 255
    assert np.abs(still.codes - expected).max() < 2.5 and "to sRGB" in still.notes[0]


def test_a_wrong_ending_is_read_and_noted(tmp_path: Path) -> None:
    still = read_still(put(tmp_path, "a.png", pillow(RGB8, "JPEG")), "a.png")
    assert still.file_type == "JPEG" and "it was read as JPEG" in still.notes[0]


def bomb(width: int, height: int) -> bytes:
    """A PNG that claims to be huge and holds next to nothing."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(b"\0" * 100))
        + chunk(b"IEND", b"")
    )


def cmyk() -> bytes:
    out = io.BytesIO()
    Image.new("CMYK", (20, 20), (10, 20, 30, 40)).save(out, "JPEG")
    return out.getvalue()


def float_tiff() -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, RGB8.astype(np.float32) / 255, photometric="rgb")
    return out.getvalue()


WHOLE_PNG, WHOLE_JPEG, WHOLE_TIFF = (
    pillow(RGB8, "PNG"),
    pillow(RGB8, "JPEG"),
    pillow(RGB8, "TIFF", compression="tiff_lzw"),
)
BAD = {
    "empty.png": (b"", "0 bytes"),
    "notes.png": (b"Just some notes\n" * 20, "holds text"),
    "noise.jpg": (bytes(range(256)) * 4, "no PNG, JPEG, TIFF, WebP, DPX or EXR"),
    "cut.png": (WHOLE_PNG[: len(WHOLE_PNG) // 2], "cut short"),
    "cut16.png": (png16(RGB16)[:9000], "cut short"),
    "cut.jpg": (WHOLE_JPEG[: len(WHOLE_JPEG) // 2], "cut short"),
    "cut.tif": (WHOLE_TIFF[: len(WHOLE_TIFF) // 2], "cut short"),
    "flipped.png": (WHOLE_PNG[:2000] + b"\xff\x00\xff" + WHOLE_PNG[2003:], "checksum"),
    "bomb.png": (bomb(30_000, 30_000), "900 megapixels"),
    "nothing.png": (bomb(0, 10), "holds no picture|cut short"),
    "press.jpg": (cmyk(), "CMYK without a colour profile"),
    "light.tif": (float_tiff(), "32-bit float"),
}


@pytest.mark.parametrize("name", BAD)
def test_a_bad_file_gets_one_sentence_with_its_name_and_a_remedy(tmp_path: Path, name: str) -> None:
    content, part = BAD[name]
    with pytest.raises(BadMedia, match=part) as caught:
        read_still(put(tmp_path, name, content), name)
    sentence = str(caught.value)
    assert sentence.startswith(name) and sentence.endswith(".") and "\n" not in sentence
    assert any(word in sentence for word in ("copy", "export", "import", "convert", "scale"))


def test_frames_of_both_depths_are_equal_for_equal_values() -> None:
    deep = RGB8.astype(np.uint16) * 257
    assert np.array_equal(to_frame(RGB8).pixels, to_frame(deep).pixels)
    assert (to_frame(RGB8).bit_depth, to_frame(deep).bit_depth) == (8, 16)
