"""Read stills that anybody may hand in: PNG, JPEG, TIFF, WebP. Runs in a limited child process.

What a file is, is read from its first bytes, never from its name. Pixels come out as integers of 8 or 16
bits with orientation applied, alpha flattened onto white, and an embedded profile converted to sRGB.

References
----------
.. [1] "Portable Network Graphics (PNG) Specification", third edition, W3C 2025.
.. [2] "TIFF Revision 6.0", 1992. Orientation is tag 274, the ICC profile tag 34675.
.. [3] CIPA DC-008, "Exchangeable image file format (Exif)", version 3.0, 2023.
"""

import io
import struct
import zlib
from dataclasses import dataclass, field
from pathlib import Path

import imagecodecs
import numpy as np
import tifffile
from PIL import Image, ImageCms, UnidentifiedImageError

from mistline.core.frame import Codes, Size
from mistline.errors import BadMedia

__all__ = ["MAX_MEGAPIXELS", "Still", "read_still"]

MAX_MEGAPIXELS = 200
Image.MAX_IMAGE_PIXELS = None  # `_check_size` decides, on the header alone

SIGNATURES = [
    (b"\x89PNG\r\n\x1a\n", "PNG", {".png"}),
    (b"\xff\xd8\xff", "JPEG", {".jpg", ".jpeg", ".jpe", ".jfif"}),
    (b"II*\x00", "TIFF", {".tif", ".tiff"}),
    (b"MM\x00*", "TIFF", {".tif", ".tiff"}),
    (b"II+\x00", "TIFF", {".tif", ".tiff"}),
    (b"MM\x00+", "TIFF", {".tif", ".tiff"}),
]


@dataclass(frozen=True)
class Still:
    """A picture as it was read.

    `codes` is (H, W, 1 or 3), uint8 or uint16; `notes` are sentences on what was done while reading.
    """

    codes: Codes
    file_type: str
    bit_depth: int
    channels: str
    colour: str
    notes: list[str] = field(default_factory=list)

    @property
    def size(self) -> Size:
        """Width and height after orientation."""
        return Size(self.codes.shape[1], self.codes.shape[0])


def _file_type(name: str, head: bytes) -> tuple[str, list[str]]:
    if not head:
        raise BadMedia(f"{name} is empty (0 bytes); copy it again from where it came from.")
    found = next(((kind, names) for magic, kind, names in SIGNATURES if head.startswith(magic)), None)
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        found = "WebP", {".webp"}
    if found is None:
        text = all(byte >= 32 or byte in b"\t\n\r\f" for byte in head)
        what = "holds text, not a picture" if text else "is not a PNG, JPEG, TIFF or WebP picture"
        raise BadMedia(f"{name} {what}; export the picture as PNG or TIFF and import that file.")
    kind, suffixes = found
    suffix = Path(name).suffix.lower()
    if suffix and suffix not in suffixes:
        return kind, [f"The name ends in {suffix}, but the file is a {kind}; it was read as {kind}."]
    return kind, []


def _check_size(name: str, width: int, height: int) -> None:
    if width < 1 or height < 1:
        raise BadMedia(f"{name} says it is {width} x {height} pixels, so it holds no picture; export it again.")
    if width * height > MAX_MEGAPIXELS * 1e6:
        raise BadMedia(
            f"{name} is {width} x {height} pixels ({width * height / 1e6:.0f} megapixels) and the limit is "
            f"{MAX_MEGAPIXELS}; cut it into parts or scale it down, then import it again."
        )


def _orient(codes: Codes, orientation: int) -> Codes:
    """Undo the Exif / TIFF orientation 1-8 [3]_."""
    if orientation in (5, 6, 7, 8):
        codes = codes.transpose(1, 0, 2)
    if orientation in (2, 3, 6, 7):
        codes = codes[:, ::-1]
    if orientation in (3, 4, 7, 8):
        codes = codes[::-1]
    return np.ascontiguousarray(codes)


def _flatten(codes: Codes) -> Codes:
    """Lay grey + alpha or RGB + alpha onto white."""
    top = np.iinfo(codes.dtype).max
    result = np.empty((*codes.shape[:2], codes.shape[2] - 1), codes.dtype)
    for start in range(0, codes.shape[0], 256):
        part = codes[start : start + 256].astype(np.float64)
        alpha = part[..., -1:] / top
        result[start : start + 256] = np.round(part[..., :-1] * alpha + top * (1 - alpha))
    return result


def _colour(name: str, codes: Codes, icc: bytes | None, notes: list[str]) -> tuple[Codes, str]:
    """Convert to sRGB by the embedded profile; say what the pixels are now."""
    if not icc:
        return codes, "untagged, taken as sRGB"
    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(icc))
        title = ImageCms.getProfileDescription(profile).strip() or "unnamed"
    except (ImageCms.PyCMSError, OSError):
        notes.append("The embedded colour profile is damaged and was not used.")
        return codes, "damaged profile, taken as sRGB"
    if "srgb" in title.lower() or codes.shape[2] == 1:
        return codes, title
    if codes.dtype != np.uint8:
        notes.append(f"The embedded profile {title} is noted; 16-bit values were kept as they are.")
        return codes, f"{title} (not converted)"
    try:
        converted = ImageCms.profileToProfile(
            Image.fromarray(codes), profile, ImageCms.createProfile("sRGB"), outputMode="RGB"
        )
    except ImageCms.PyCMSError:
        notes.append(f"The embedded profile {title} does not fit these pixels and was not used.")
        return codes, "unusable profile, taken as sRGB"
    notes.append(f"Converted from the embedded profile {title} to sRGB.")
    return np.asarray(converted), f"sRGB, from {title}"


def _check_png_whole(name: str, path: Path) -> None:
    """Walk the chunks [1]_ to the end: every checksum right, the end marker there."""
    with path.open("rb") as file:
        file.seek(8)
        while True:
            head = file.read(8)
            if len(head) < 8:
                raise EOFError
            length, kind = struct.unpack(">I4s", head)
            data, check = file.read(length), file.read(4)
            if len(check) < 4:
                raise EOFError
            if zlib.crc32(kind + data) != struct.unpack(">I", check)[0]:
                raise BadMedia(f"{name} is damaged (a checksum is wrong); copy it again from where it came from.")
            if kind == b"IEND":
                return


def _read_common(name: str, path: Path, kind: str) -> tuple[Codes, bytes | None, int, list[str]]:
    notes: list[str] = []
    with Image.open(path) as image:
        _check_size(name, *image.size)
        if kind == "PNG":
            _check_png_whole(name, path)
        icc, orientation = image.info.get("icc_profile"), image.getexif().get(274, 1)
        if image.mode == "CMYK":
            if not icc:
                raise BadMedia(f"{name} is CMYK without a colour profile; convert it to RGB and import that file.")
            profile = ImageCms.ImageCmsProfile(io.BytesIO(icc))
            image = ImageCms.profileToProfile(image, profile, ImageCms.createProfile("sRGB"), outputMode="RGB")
            notes.append("Converted from CMYK by its embedded profile to sRGB.")
            icc = None
        deep = kind == "PNG" and (image.mode.startswith("I") or path.read_bytes()[24] == 16)
        if deep:
            return imagecodecs.png_decode(path.read_bytes()), icc, orientation, notes
        if image.mode in ("P", "PA"):
            image = image.convert("RGBA" if "transparency" in image.info or image.mode == "PA" else "RGB")
        elif image.mode == "1":
            image = image.convert("L")
        elif image.mode == "YCbCr":
            image = image.convert("RGB")
        elif image.mode not in ("L", "LA", "RGB", "RGBA"):
            raise BadMedia(f"{name} has {image.mode} pixels, which are not supported; export it as RGB.")
        return np.asarray(image), icc, orientation, notes


def _read_tiff(name: str, path: Path) -> tuple[Codes, bytes | None, int, list[str]]:
    notes: list[str] = []
    with tifffile.TiffFile(path) as file:
        page = file.pages[0]
        assert isinstance(page, tifffile.TiffPage)
        _check_size(name, page.imagewidth, page.imagelength)
        if page.bitspersample not in (8, 16) or page.sampleformat != 1:
            raise BadMedia(
                f"{name} has {page.bitspersample}-bit {'float ' if page.sampleformat == 3 else ''}samples; "
                "save it as 8 or 16-bit TIFF and import that file."
            )
        if page.photometric not in (0, 1, 2):
            raise BadMedia(f"{name} is a {page.photometric.name} TIFF; convert it to RGB and import that file.")
        if len(file.pages) > 1:
            notes.append(f"The file has {len(file.pages)} pages; the first was read.")
        codes = page.asarray()
        if page.planarconfig == 2 and codes.ndim == 3:
            codes = np.moveaxis(codes, 0, -1)
        if page.photometric == 0:
            codes = np.iinfo(codes.dtype).max - codes
        icc = page.tags[34675].value if 34675 in page.tags else None
        orientation = int(page.tags[274].value) if 274 in page.tags else 1
        return codes, icc, orientation, notes


def read_still(path: Path, name: str) -> Still:
    """Read one still.

    Parameters
    ----------
    path : Path
        The file on disk.
    name : str
        The name people know it by, used in messages.

    Raises
    ------
    BadMedia
        With one sentence that names the file and the remedy: empty, not a picture, truncated, damaged,
        too large, zero size, CMYK without profile, unsupported samples.
    """
    with path.open("rb") as file:
        kind, notes = _file_type(name, file.read(512))
    try:
        codes, icc, orientation, more = (
            _read_tiff(name, path) if kind == "TIFF" else _read_common(name, path, kind)
        )
    except BadMedia:
        raise
    except MemoryError:
        raise BadMedia(
            f"{name} needs more memory than a reader may use; scale it down and import it again."
        ) from None
    except (EOFError, OSError, ValueError, SyntaxError, UnidentifiedImageError, RuntimeError, IndexError,
            struct.error, zlib.error, tifffile.TiffFileError) as error:  # fmt: skip
        raise BadMedia(f"{name} is cut short or damaged; copy it again from where it came from.") from error
    if codes.ndim == 2:
        codes = codes[..., None]
    channels = {1: "grey", 2: "grey + alpha", 3: "RGB", 4: "RGB + alpha"}.get(codes.shape[2])
    if channels is None:
        raise BadMedia(f"{name} has {codes.shape[2]} channels; export it as RGB and import that file.")
    notes += more
    if orientation not in (0, 1):
        codes = _orient(codes, orientation)
        notes.append("Turned upright by its orientation tag.")
    if codes.shape[2] in (2, 4):
        codes = _flatten(codes)
        notes.append("Transparency was flattened onto white.")
    codes, colour = _colour(name, codes, icc, notes)
    return Still(np.ascontiguousarray(codes), kind, codes.dtype.itemsize * 8, channels, colour, notes)
