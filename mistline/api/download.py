"""Downloads: file names keep their letters (RFC 6266, RFC 8187), large files go out in pieces."""

import re
from collections.abc import Iterator
from contextlib import ExitStack
from typing import BinaryIO
from urllib.parse import quote

__all__ = ["as_file", "in_pieces"]

PIECE = 1 << 20


def as_file(name: str) -> dict[str, str]:
    """The header that offers a download under a name of any letters.

    >>> print(as_file("Straße 5.png")["Content-Disposition"])
    attachment; filename="Stra_e 5.png"; filename*=UTF-8''Stra%C3%9Fe%205.png
    """
    plain = re.sub(r"[^\w. -]", "_", name, flags=re.ASCII)
    encoded = quote(name.encode("utf-8", "replace"), safe="")
    return {"Content-Disposition": f"attachment; filename=\"{plain}\"; filename*=UTF-8''{encoded}"}


def in_pieces(file: BinaryIO, kept: ExitStack | None = None) -> Iterator[bytes]:
    """A file piece by piece; it is closed at the end, and then what was kept for it is let go."""
    with kept or ExitStack(), file:
        while piece := file.read(PIECE):
            yield piece
