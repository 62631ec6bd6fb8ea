"""Headers of downloads: file names keep their letters (RFC 6266, RFC 8187)."""

import re
from urllib.parse import quote

__all__ = ["as_file"]


def as_file(name: str) -> dict[str, str]:
    """The header that offers a download under a name of any letters.

    >>> as_file("Straße 5.png")["Content-Disposition"]
    "attachment; filename=\"Stra_e 5.png\"; filename*=UTF-8''Stra%C3%9Fe%205.png"
    """
    plain = re.sub(r"[^\w. -]", "_", name, flags=re.ASCII)
    encoded = quote(name.encode("utf-8", "replace"), safe="")
    return {"Content-Disposition": f"attachment; filename=\"{plain}\"; filename*=UTF-8''{encoded}"}
