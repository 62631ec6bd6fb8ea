"""What the chunks of a PNG say that decoders pass over in silence.

References
----------
.. [1] "Portable Network Graphics (PNG) Specification", third edition, W3C 2025: 5.3 chunk layout, 11.3.1 tRNS,
       11.3.2 cICP, gAMA and sRGB, 11.3.4 acTL.
.. [2] ITU-T H.273, 2021: code points of primaries and transfer characteristics.
"""

import struct
import zlib
from dataclasses import dataclass, field
from pathlib import Path

from mistline.errors import BadMedia

__all__ = ["PngFacts", "read_chunks", "tagged"]

HEADER = 33  # signature and IHDR
LARGEST_KEPT = 4096  # bytes of a chunk that are looked into


@dataclass
class PngFacts:
    """Bit depth, and the chunks that tell of colour, transparency and animation by their first bytes."""

    bit_depth: int = 8
    chunks: dict[bytes, bytes] = field(default_factory=dict)

    @property
    def frames(self) -> int:
        """Frames of an animation, 1 of a still."""
        return (
            int(struct.unpack(">I", self.chunks[b"acTL"][:4])[0]) if len(self.chunks.get(b"acTL", b"")) >= 4 else 1
        )

    @property
    def gamma(self) -> float | None:
        """Exponent of encoding that gAMA states, as 0.45455; none where another chunk has precedence."""
        stated = self.chunks.get(b"gAMA", b"")
        if len(stated) != 4 or {b"cICP", b"iCCP", b"sRGB"} & self.chunks.keys():
            return None
        return float(struct.unpack(">I", stated)[0]) / 100_000 or None

    @property
    def code_points(self) -> tuple[int, int, int, int] | None:
        """Primaries, transfer, matrix and full range of [2]_ that cICP states."""
        stated = self.chunks.get(b"cICP", b"")
        return (stated[0], stated[1], stated[2], stated[3]) if len(stated) == 4 else None


def tagged(png: bytes) -> bytes:
    """A PNG with the chunk sRGB [1]_ after its header; it must have none.

    >>> from mistline.core.media.plate import encode_png
    >>> import numpy as np
    >>> tagged(encode_png(np.zeros((2, 2, 3), np.uint8)))[33:46]
    b'\\x00\\x00\\x00\\x01sRGB\\x00\\xae\\xce\\x1c\\xe9'
    """
    chunk = b"sRGB\0"
    return b"".join(
        [png[:HEADER], struct.pack(">I", 1), chunk, struct.pack(">I", zlib.crc32(chunk)), png[HEADER:]]
    )


def read_chunks(name: str, path: Path) -> PngFacts:
    """Walk the chunks [1]_ to the end marker; every checksum must be right.

    Raises
    ------
    BadMedia
        If a checksum is wrong.
    EOFError
        If the end marker never comes.
    """
    facts = PngFacts()
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
                return facts
            if kind == b"IHDR" and length == 13:
                facts.bit_depth = data[8]
            facts.chunks.setdefault(kind, data[:LARGEST_KEPT])
