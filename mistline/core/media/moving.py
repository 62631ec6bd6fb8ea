"""What has more frames than one: a clip, or a numbered sequence of stills."""

from pathlib import Path

from mistline.core.colour import ReadAs
from mistline.core.media.archive import MARK
from mistline.core.media.clip import Clip, looks_like_clip, read_clip
from mistline.core.media.sequence import Sequence, read_sequence

__all__ = ["open_moving", "read_moving"]


def _is_archive(path: Path) -> bool:
    with path.open("rb") as file:
        return file.read(len(MARK)) == MARK


def open_moving(path: Path, name: str, read_as: ReadAs | None = None) -> Clip | Sequence:
    """The frames of an original that was read before."""
    return Sequence(path, name) if _is_archive(path) else Clip(path, name, read_as)


def read_moving(path: Path, name: str, read_as: ReadAs | None = None) -> Clip | Sequence | None:
    """Look into an original; None where it is a still, or nothing that could be read."""
    if _is_archive(path):
        return read_sequence(path, name)
    return read_clip(path, name, read_as) if looks_like_clip(path) else None
