"""Frames of a picture, wherever they come from; and pictures as the media store takes them."""

import shutil
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path

from mistline.core.frame import Codes, Size
from mistline.core.media.clip import Clip
from mistline.core.media.moving import open_moving
from mistline.core.media.plate import SHARD, Plate, ShardWriter, levels, shard_name, write_view
from mistline.core.media.sequence import Sequence
from mistline.work.requests import Footage, MadePicture

__all__ = ["PictureWriter", "fresh", "made", "open_footage", "rate_text", "write_still"]


def fresh(folder: Path) -> Path:
    """An empty folder, also where an attempt that was killed left one."""
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    return folder


def open_footage(footage: Footage) -> Plate | Clip | Sequence:
    """The frames of a picture."""
    if footage.original:
        return open_moving(footage.original, footage.name, footage.read_as)
    return Plate(footage.shards)


class PictureWriter:
    """Writes the frames of a picture one after another into a folder: shards, and the view of the first frame."""

    def __init__(self, folder: Path, rate: Fraction | None = None) -> None:
        self.folder, self.rate = fresh(folder), rate
        self._count, self._shard = 0, ExitStack()

    def add(self, codes: Codes) -> None:
        """Write the next frame, (H, W, 1 or 3) integers."""
        if self._count % SHARD == 0:
            self._shard.close()
            self._writer = self._shard.enter_context(ShardWriter(self.folder / shard_name(self._count)))
        if self._count == 0:
            write_view(self.folder / "view" / "0", codes)
            self._made = made(Size(*codes.shape[1::-1]), codes.dtype.itemsize * 8)
        self._writer.add(self._count, codes)
        self._count += 1

    def close(self) -> MadePicture:
        """End the last shard; return the facts of the picture."""
        self._shard.close()
        return self._made.model_copy(update={"frames": self._count, "rate": rate_text(self.rate)})


def rate_text(rate: Fraction | None) -> str | None:
    """An exact rate as text.

    >>> rate_text(Fraction(24000, 1001)), rate_text(None)
    ('24000/1001', None)
    """
    return None if rate is None else f"{rate.numerator}/{rate.denominator}"


def made(size: Size, bit_depth: int) -> MadePicture:
    """The facts of a picture of one frame."""
    return MadePicture(width=size.width, height=size.height, bit_depth=bit_depth, levels=levels(size))


def write_still(folder: Path, codes: Codes) -> MadePicture:
    """Write a picture of one frame with its view; return its facts."""
    picture = PictureWriter(folder)
    picture.add(codes)
    return picture.close()
