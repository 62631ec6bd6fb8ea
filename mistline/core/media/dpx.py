"""Read DPX, the digital picture exchange of film scanning and post-production, exactly at 8, 10, 12 and 16 bits.

References
----------
.. [1] SMPTE ST 268-1:2014 (268M-2003), "File format for digital moving-picture exchange (DPX)". Offsets are those of
       its generic headers, from memory.
"""

import struct
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from mistline.core.frame import Codes
from mistline.errors import BadMedia

__all__ = ["DpxHeader", "read_dpx", "read_dpx_header"]

CHANNELS = {6: 1, 50: 3, 51: 4}  # descriptor: luma; R, G, B; R, G, B, A
LOGARITHMIC = {1: "printing density", 3: "logarithmic"}
HEADER = 816
FILLED = 1  # 10 and 12 bits lie in words with empty bits below them
IN_A_WORD = 3  # values of 10 bits in 32
UNSET = 2**31  # from here on a field has no value


@dataclass(frozen=True)
class DpxHeader:
    """What is needed of the headers: size, samples, and where they lie."""

    order: str
    width: int
    height: int
    channels: int
    bits: int
    packing: int
    transfer: int
    offset: int
    line_padding: int


def read_dpx_header(name: str, path: Path) -> DpxHeader:
    """The header of a DPX file, or a sentence on why the file cannot be read."""
    with path.open("rb") as file:
        head = file.read(HEADER)
    if len(head) < HEADER:
        raise BadMedia(f"{name} is cut short; copy it again from where it came from.")
    order = ">" if head.startswith(b"SDPX") else "<"

    def number(kind: str, offset: int) -> int:
        return int(struct.unpack_from(order + kind, head, offset)[0])

    descriptor, encoding = number("B", 800), number("H", 806)
    if descriptor not in CHANNELS or number("H", 770) < 1:
        raise BadMedia(f"{name} is a DPX of other samples than RGB or luma; export it as RGB DPX or TIFF.")
    if encoding:
        raise BadMedia(f"{name} is a run-length coded DPX; export it uncompressed.")
    header = DpxHeader(
        order, number("I", 772), number("I", 776), CHANNELS[descriptor], number("B", 803), number("H", 804),
        number("B", 801), number("I", 808) or number("I", 4), number("I", 812),
    )  # fmt: skip
    if header.bits not in (8, 10, 12, 16) or (header.bits in (10, 12) and header.packing != FILLED):
        raise BadMedia(
            f"{name} is a DPX of {header.bits} bits in a packing not known here; export it at 16 bits, or at 10 bits "
            "filled to words."
        )
    if header.transfer in LOGARITHMIC:
        raise BadMedia(
            f"{name} is {LOGARITHMIC[header.transfer]} film data, which cannot be measured as a picture; convert it to "
            "BT.709 and import that file."
        )
    return header


def read_dpx(name: str, path: Path, header: DpxHeader) -> Codes:
    """(H, W, C) uint8, or uint16 scaled up from the samples' own bits."""
    count = header.width * header.channels
    length = 4 * _words(header, count)
    stride = length + (header.line_padding if header.line_padding < UNSET else 0)
    with path.open("rb") as file:
        file.seek(header.offset)
        data = np.frombuffer(file.read(stride * header.height), np.uint8)
    if data.size < stride * header.height:
        raise BadMedia(f"{name} is cut short; copy it again from where it came from.")
    rows = np.ascontiguousarray(data.reshape(header.height, stride)[:, :length])
    samples = _samples(rows, header)[:, :count].reshape(header.height, header.width, header.channels)
    if header.bits in (8, 16):
        return samples.astype(np.uint8 if header.bits == 8 else np.uint16)
    top = 2**header.bits - 1
    return ((samples.astype(np.uint32) * 65535 + top // 2) // top).astype(np.uint16)


def _words(header: DpxHeader, count: int) -> int:
    """How many words of 32 bits hold a line."""
    if header.bits == 10:
        return -(-count // IN_A_WORD)
    return -(-count * (8 if header.bits == 8 else 16) // 32)


def _samples(rows: Codes, header: DpxHeader) -> Codes:
    """The samples of each line, fillers at its end included, as integers."""
    if header.bits == 8:
        return rows
    if header.bits == 10:
        words = rows.view(f"{header.order}u4").astype(np.uint32)
        shifts = np.array([22, 12, 2], np.uint32)
        return ((words[..., None] >> shifts) & 1023).reshape(len(words), -1).astype(np.uint16)
    found = rows.view(f"{header.order}u2").astype(np.uint16)
    return np.right_shift(found, np.uint16(4 if header.bits == 12 else 0))
