"""Text that comes from files and names, made fit for a page."""

import re
import unicodedata

__all__ = ["plain"]


def plain(text: object, most: int = 80) -> str:
    """One short line without control characters, invisible marks and direction changes.

    >>> plain("sRGB\\x00\\u202e by\\nnobody")
    'sRGB by nobody'
    >>> len(plain("x" * 5000))
    80
    """
    kept = "".join(
        " " if c.isspace() else c for c in str(text) if c.isspace() or unicodedata.category(c)[0] != "C"
    )
    line = re.sub(r" +", " ", kept).strip()
    return line if len(line) <= most else line[: most - 1] + "…"
