"""Open a result that was made elsewhere: of the right size and length, with as many channels as are wanted."""

from mistline.core.choose.arrival import Finding, boxed
from mistline.core.frame import Codes, Frame, Size, to_frame, with_channels
from mistline.core.media.moving import read_moving
from mistline.core.media.still import read_still
from mistline.core.media.still_colour import UNTAGGED
from mistline.core.resample import resize
from mistline.errors import BadMedia, OtherSize, OutOfLimits
from mistline.work.requests import Delivered

__all__ = ["Arrived"]

KERNEL = "lanczos3"


class Arrived:
    """The frames of a result that was made elsewhere, and what its file tells.

    Raises
    ------
    OtherSize
        If it has another size than wanted, and may not be resampled.
    OutOfLimits
        If it has other frames than wanted.
    BadMedia
        If it cannot be read.
    """

    def __init__(self, delivered: Delivered, target: Size, frames: int, channels: int) -> None:
        self._target, self._channels = target, channels
        self._moving = read_moving(delivered.path, delivered.name)
        count = self._moving.count if self._moving else 1
        if count != frames:
            raise OutOfLimits(
                f"{delivered.name} has {count} frame{'s'[: count != 1]} and this trial {frames}; make it of the input "
                "that the trial gives out."
            )
        if self._moving:
            known = self._moving.facts
            if known.refused:
                raise BadMedia(known.refused)
            self._still, notes, size = None, known.notes, known.size
        else:
            still = read_still(delivered.path, delivered.name)
            self._still, notes, size = still.codes, still.notes, still.size
            if still.colour == UNTAGGED:
                notes = [*notes, "It carries no colour tag and was read as sRGB, as the input is tagged."]
        if size != target and not delivered.resample:
            raise OtherSize(
                f"{delivered.name} is {size} pixels and the results of this trial are {target}; deliver that size, or "
                "let it be resampled."
            )
        self.notes = [Finding(note) for note in notes]
        if size != target:
            self.notes.insert(0, Finding(f"It came as {size} and was resampled to {target} by Lanczos 3."))
        first = self.codes(0)
        if first.shape[2] == 1 < channels:
            self.notes.append(Finding("It is grey and the input has colours."))
        if first.shape[2] == 3 > channels and (first != first[..., :1]).any():
            self.notes.append(Finding("It has colours and the input is grey; its luma was taken."))
        self.boxed = boxed(first) and (self._moving is None or self._moving.facts.bit_depth > 8)

    def codes(self, number: int) -> Codes:
        """A frame as it came, (H, W, C) integers."""
        if self._still is not None:
            return self._still
        assert self._moving is not None
        return self._moving.codes(number)

    def frame(self, number: int) -> Frame:
        """A frame of the size and with the channels wanted."""
        frame = with_channels(to_frame(self.codes(number)), self._channels)
        if frame.size == self._target:
            return frame
        return frame.with_pixels(resize(frame.pixels, self._target, KERNEL))
