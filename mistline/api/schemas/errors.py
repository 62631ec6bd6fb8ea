"""An error on the wire."""

from pydantic import BaseModel

__all__ = ["Problem"]


class Problem(BaseModel):
    """An error, as a problem document (RFC 9457); `detail` is the sentence for people."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
