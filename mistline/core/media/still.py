"""Read stills that anybody may hand in: PNG, JPEG, TIFF, WebP, DPX, OpenEXR. Runs in a limited child process.

What a file is, is read from its first bytes, never from its name. Pixels come out as integers of 8 or 16
bits with orientation applied, alpha flattened onto white, and an embedded profile converted to sRGB.

References
----------
.. [1] "Portable Network Graphics (PNG) Specification", third edition, W3C 2025.
.. [2] "TIFF Revision 6.0", 1992. Orientation is tag 274, the ICC profile tag 34675; ExtraSamples (338) names further
       channels: 1 associated (multiplied) alpha, 2 unassociated alpha, 0 unspecified.
.. [3] CIPA DC-008, "Exchangeable image file format (Exif)", version 3.0, 2023.
"""

from dataclasses import dataclass, field
from pathlib import Path

import imagecodecs
import numpy as np
import simplejpeg
import tifffile
from PIL import Image
from PIL.JpegImagePlugin import JpegImageFile, get_sampling

from mistline.core.degrade.compression import Jpeg, quality_of
from mistline.core.frame import Codes, Size
from mistline.core.media.dpx import read_dpx, read_dpx_header
from mistline.core.media.exr import read_exr, read_exr_size
from mistline.core.media.png_chunks import PngFacts, read_chunks
from mistline.core.media.still_colour import UNTAGGED, by_chunks, by_profile, from_cmyk
from mistline.core.plain import plain
from mistline.errors import BadMedia

__all__ = ["MAX_MEGAPIXELS", "Still", "read_still", "signature"]

MAX_MEGAPIXELS = 200
HALF_EACH_WAY = 2  # of `get_sampling`
UNNAMED, ASSOCIATED, UNASSOCIATED = 0, 1, 2  # ExtraSamples [2]_
Image.MAX_IMAGE_PIXELS = None  # `_check_size` decides, on the header alone

SIGNATURES = [
    (b"\x89PNG\r\n\x1a\n", "PNG", {".png"}),
    (b"\xff\xd8\xff", "JPEG", {".jpg", ".jpeg", ".jpe", ".jfif"}),
    (b"II*\x00", "TIFF", {".tif", ".tiff"}),
    (b"MM\x00*", "TIFF", {".tif", ".tiff"}),
    (b"II+\x00", "TIFF", {".tif", ".tiff"}),
    (b"MM\x00+", "TIFF", {".tif", ".tiff"}),
    (b"SDPX", "DPX", {".dpx"}),
    (b"XPDS", "DPX", {".dpx"}),
    (b"\x76\x2f\x31\x01", "EXR", {".exr"}),
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
    jpeg: Jpeg | None = None

    @property
    def size(self) -> Size:
        """Width and height after orientation."""
        return Size(self.codes.shape[1], self.codes.shape[0])


def signature(head: bytes) -> tuple[str, set[str]] | None:
    """The kind of still that a file begins like, and the endings of its name; None if like none."""
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        return "WebP", {".webp"}
    return next(((kind, names) for magic, kind, names in SIGNATURES if head.startswith(magic)), None)


def _file_type(name: str, head: bytes, ending: str) -> tuple[str, list[str]]:
    if not head:
        raise BadMedia(f"{name} is empty (0 bytes); copy it again from where it came from.")
    found = signature(head)
    if found is None:
        text = all(byte >= 32 or byte in b"\t\n\r\f" for byte in head)
        what = (
            "holds text, not a picture" if text else "is no PNG, JPEG, TIFF, WebP, DPX or EXR picture and no clip"
        )
        raise BadMedia(f"{name} {what}; export it as PNG or TIFF, or as MP4 or MOV, and import that file.")
    kind, suffixes = found
    suffix = ending.lower()
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


def _flatten(codes: Codes, *, multiplied: bool = False) -> Codes:
    """Lay grey + alpha or RGB + alpha onto white; `multiplied` colours hold their alpha already [2]_."""
    top = np.iinfo(codes.dtype).max
    result = np.empty((*codes.shape[:2], codes.shape[2] - 1), codes.dtype)
    for start in range(0, codes.shape[0], 256):
        part = codes[start : start + 256].astype(np.float64)
        alpha = part[..., -1:] / top
        over = part[..., :-1] if multiplied else part[..., :-1] * alpha
        result[start : start + 256] = np.minimum(top, np.round(over + top * (1 - alpha)))
    return result


@dataclass
class _Read:
    """What a decoder gave: the codes with their channels, and what is to be done with them."""

    codes: Codes
    icc: bytes | None = None
    orientation: int = 1
    multiplied: bool = False
    png: PngFacts | None = None
    notes: list[str] = field(default_factory=list)
    bits: int | None = None
    colour: str = ""
    jpeg: Jpeg | None = None


def _exif_orientation(image: Image.Image, notes: list[str]) -> int:
    """The orientation of the Exif block [3]_; a spoilt block is no reason to refuse the picture."""
    try:
        found = int(image.getexif().get(274, 1))
    except Exception:
        notes.append("Its Exif block is damaged and was not used; the picture may stand on its side.")
        return 1
    return found if 1 <= found <= 8 else 1


def _keyed(codes: Codes, key: object) -> Codes:
    """Codes with an alpha that is 0 where a pixel has the one colour that a PNG calls transparent [1]_."""
    planes = codes if codes.ndim == 3 else codes[..., None]
    clear = np.all(planes == np.asarray(key, planes.dtype).reshape(-1), axis=2)
    alpha = np.where(clear, 0, np.iinfo(codes.dtype).max).astype(codes.dtype)
    return np.concatenate([planes, alpha[..., None]], axis=2)


def _read_common(name: str, path: Path, kind: str) -> _Read:
    notes: list[str] = []
    with Image.open(path) as image:
        _check_size(name, *image.size)
        png = read_chunks(name, path) if kind == "PNG" else None
        frames = max(png.frames if png else 1, int(getattr(image, "n_frames", 1)))
        if frames > 1:
            notes.append(f"The file holds {frames} pictures, as an animation does; the first was read.")
        icc, orientation = image.info.get("icc_profile"), _exif_orientation(image, notes)
        jpeg = _said_by_tables(image)
        clear = image.info.get("transparency") if image.mode in ("1", "L", "RGB", "I", "I;16") else None
        if image.mode == "CMYK":
            image, icc = from_cmyk(name, image, icc), None
            notes.append("Converted from CMYK by its embedded profile to sRGB.")
        if kind == "JPEG":
            _note_damage(path, notes)
        if png and png.bit_depth == 16:
            codes = imagecodecs.png_decode(path.read_bytes())
        else:
            if image.mode in ("P", "PA"):
                image = image.convert("RGBA" if "transparency" in image.info or image.mode == "PA" else "RGB")
            elif image.mode == "1":
                image = image.convert("L")
            elif image.mode == "YCbCr":
                image = image.convert("RGB")
            elif image.mode not in ("L", "LA", "RGB", "RGBA"):
                raise BadMedia(
                    f"{name} has {plain(image.mode)} pixels, which are not supported; export it as RGB."
                )
            codes = np.asarray(image)
        if clear is not None and not isinstance(clear, bytes) and (codes.ndim == 2 or codes.shape[2] in (1, 3)):
            codes = _keyed(codes, clear)
        return _Read(codes, icc, orientation, png=png, notes=notes, jpeg=jpeg)


def _said_by_tables(image: Image.Image) -> Jpeg | None:
    if not isinstance(image, JpegImageFile) or not image.quantization:
        return None
    luma = image.quantization[min(image.quantization)]
    return Jpeg(quality_of(luma), get_sampling(image) == HALF_EACH_WAY)


def _note_damage(path: Path, notes: list[str]) -> None:
    """Say what the JPEG decoder otherwise fills in silently where data is lost."""
    try:
        simplejpeg.decode_jpeg(path.read_bytes(), colorspace="GRAY", strict=True)
    except ValueError as error:
        if "orrupt" in str(error) or "remature" in str(error) or "xtraneous" in str(error):
            notes.append(
                "Part of this JPEG is lost and was filled in; copy the file again from where it came from."
            )


def _read_tiff(name: str, path: Path) -> _Read:
    notes: list[str] = []
    with tifffile.TiffFile(path) as file:
        page = file.pages[0]
        assert isinstance(page, tifffile.TiffPage)
        _check_size(name, page.imagewidth, page.imagelength)
        if page.bitspersample not in (8, 16) or page.sampleformat != 1:
            raise BadMedia(
                f"{name} has {plain(page.bitspersample)}-bit {'float ' if page.sampleformat == 3 else ''}samples; "
                "save it as 8 or 16-bit TIFF and import that file."
            )
        photometric = page.photometric
        if photometric not in (0, 1, 2) and not (photometric == 6 and page.compression == 7):
            words = plain(getattr(photometric, "name", photometric))
            raise BadMedia(f"{name} is a {words} TIFF; convert it to RGB and import that file.")
        if len(file.pages) > 1:
            notes.append(f"The file has {len(file.pages)} pages; the first was read.")
        _check_strips(name, page, path.stat().st_size, notes)
        codes = page.asarray()
        if page.planarconfig == 2 and codes.ndim == 3:
            codes = np.moveaxis(codes, 0, -1)
        colours = 3 if photometric in (2, 6) else 1
        codes, multiplied = _extra_channels(codes, colours, tuple(page.extrasamples), notes)
        if photometric == 0:
            codes = np.array(codes)
            codes[..., :1] = np.iinfo(codes.dtype).max - codes[..., :1]
        icc = page.tags[34675].value if 34675 in page.tags else None
        stated = page.tags[274].value if 274 in page.tags else 1
        orientation = int(stated) if isinstance(stated, int) and 1 <= stated <= 8 else 1
        return _Read(codes, icc if isinstance(icc, bytes) else None, orientation, multiplied, notes=notes)


def _read_dpx(name: str, path: Path) -> _Read:
    header = read_dpx_header(name, path)
    _check_size(name, header.width, header.height)
    return _Read(read_dpx(name, path, header), bits=header.bits, colour="untagged DPX, taken as sRGB")


def _read_exr(name: str, path: Path) -> _Read:
    for size in read_exr_size(path):
        _check_size(name, size.width, size.height)
    notes: list[str] = []
    return _Read(read_exr(name, path, notes), notes=notes, colour="linear light, turned into sRGB")


def _check_strips(name: str, page: tifffile.TiffPage, size: int, notes: list[str]) -> None:
    """The reader takes lost strips for black; here they are counted [2]_."""
    places = list(zip(page.dataoffsets, page.databytecounts, strict=False))
    if any(offset + count > size for offset, count in places):
        raise BadMedia(f"{name} is cut short; copy it again from where it came from.")
    lost = sum(not offset or not count for offset, count in places)
    if lost == len(places):
        raise BadMedia(f"{name} holds no picture data; export it again.")
    if lost:
        notes.append(f"{lost} of the file's {len(places)} strips are lost and were taken as black.")


def _extra_channels(codes: Codes, colours: int, meanings: tuple[int, ...], notes: list[str]) -> tuple[Codes, bool]:
    """Keep the first extra channel only if the file calls it alpha; also tell whether it is multiplied in [2]_."""
    planes = codes if codes.ndim == 3 else codes[..., None]
    extra = planes.shape[2] - colours
    if extra <= 0:
        return planes, False
    meaning = int(meanings[0]) if meanings else UNNAMED
    if meaning not in (ASSOCIATED, UNASSOCIATED):
        notes.append(f"{extra} further channel{'s'[: extra != 1]} of no stated meaning: left away.")
        return np.ascontiguousarray(planes[..., :colours]), False
    if extra > 1:
        notes.append(f"{extra - 1} further channel{'s'[: extra != 2]} beside colour and alpha: left away.")
    return np.ascontiguousarray(planes[..., : colours + 1]), meaning == ASSOCIATED


def read_still(path: Path, name: str, ending: str | None = None) -> Still:
    """Read one still.

    Parameters
    ----------
    path : Path
        The file on disk.
    name : str
        The name people know it by, used in messages.
    ending : str or None
        What its own name ends in, as ".png"; none: what `name` ends in.

    Raises
    ------
    BadMedia
        With one sentence that names the file and the remedy: empty, not a picture, truncated, damaged,
        too large, zero size, CMYK without profile, unsupported samples.
    """
    with path.open("rb") as file:
        kind, notes = _file_type(name, file.read(512), Path(name).suffix if ending is None else ending)
    try:
        own = {"TIFF": _read_tiff, "DPX": _read_dpx, "EXR": _read_exr}.get(kind)
        read = own(name, path) if own else _read_common(name, path, kind)
    except BadMedia:
        raise
    except MemoryError:
        raise BadMedia(
            f"{name} needs more memory than a reader may use; scale it down and import it again."
        ) from None
    except Exception as error:  # whatever a reading library stumbles over
        raise BadMedia(f"{name} is cut short or damaged; copy it again from where it came from.") from error
    codes, notes = read.codes, notes + read.notes
    if codes.ndim == 2:
        codes = codes[..., None]
    channels = {1: "grey", 2: "grey + alpha", 3: "RGB", 4: "RGB + alpha"}.get(codes.shape[2])
    if channels is None or codes.dtype not in (np.uint8, np.uint16):
        raise BadMedia(f"{name} has {codes.shape[2]} channels of {codes.dtype}; export it as 8 or 16-bit RGB.")
    if read.orientation != 1:
        codes = _orient(codes, read.orientation)
        notes.append("Turned upright by its orientation tag.")
    if codes.shape[2] in (2, 4):
        codes = _flatten(codes, multiplied=read.multiplied)
        notes.append("Transparency was flattened onto white.")
    if read.icc:
        codes, colour = by_profile(codes, read.icc, notes)
    elif read.png:
        codes, colour = by_chunks(name, codes, read.png, notes)
    else:
        colour = read.colour or UNTAGGED
    return Still(
        np.ascontiguousarray(codes),
        kind,
        read.bits or codes.dtype.itemsize * 8,
        channels,
        colour,
        notes,
        read.jpeg,
    )
