"""Cursors of lists that are read newest first: the place after the last row seen."""

import base64
import binascii
from datetime import datetime
from uuid import UUID

from mistline.errors import OutOfLimits
from mistline.store.database import Row

__all__ = ["after", "next_cursor"]


def after(cursor: str | None) -> Row:
    """Query values for the rows after a cursor; None starts at the top."""
    if cursor is None:
        return {"after_time": None, "after_id": None}
    try:
        time, identity = base64.urlsafe_b64decode(cursor.encode()).decode().split("|")
        return {"after_time": datetime.fromisoformat(time), "after_id": str(UUID(identity))}
    except (ValueError, binascii.Error):
        raise OutOfLimits("This place in the list is not known; start from its first page.") from None


def next_cursor(rows: list[Row], limit: int) -> str | None:
    """Cursor after the last row, or None when the page was not full."""
    if len(rows) < limit:
        return None
    last = rows[-1]
    return base64.urlsafe_b64encode(f"{last['created_at'].isoformat()}|{last['id']}".encode()).decode()
