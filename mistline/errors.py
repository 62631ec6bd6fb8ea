"""Every error Mistline raises on purpose; each carries one sentence for people that names the remedy."""

__all__ = [
    "BadMedia",
    "BadModel",
    "ChildDied",
    "Conflict",
    "Damaged",
    "Forbidden",
    "Locked",
    "MistlineError",
    "NotFound",
    "OtherSize",
    "OutOfLimits",
    "ProcessingFailed",
    "SetupError",
    "ShapeMismatch",
]


class MistlineError(Exception):
    """Base of all; `str(error)` is the sentence that people read."""

    status = 400
    title = "The request cannot be carried out"


class BadMedia(MistlineError):
    """A file that cannot be read as a picture."""

    status = 422
    title = "The file cannot be read"


class BadModel(MistlineError):
    """A file that cannot be used as a model."""

    status = 422
    title = "The model cannot be used"


class OutOfLimits(MistlineError):
    """A method, test set-up or recipe asked for something outside its limits."""

    status = 422
    title = "Outside the limits"


class OtherSize(OutOfLimits):
    """A result made elsewhere has another size than the trial's; it can be resampled if people want that."""


class ShapeMismatch(MistlineError):
    """Two frames that must be registered differ in size."""

    status = 422
    title = "The frames differ in size"


class ProcessingFailed(MistlineError):
    """A child process ended without a result."""

    status = 500
    title = "Processing failed"


class ChildDied(ProcessingFailed):
    """A child process was ended from outside (killed, or for want of memory), so that a repetition may succeed."""

    def __init__(self, sentence: str, signal: int) -> None:
        super().__init__(sentence)
        self.signal = signal


class Damaged(MistlineError):
    """A picture in the media store is missing or not what was written; it can be made again from what it came from."""

    status = 503
    title = "A stored picture is damaged"

    def __init__(self, picture_id: str) -> None:
        super().__init__("A stored picture was damaged or removed; it is made again, try again in a moment.")
        self.picture_id = picture_id


class NotFound(MistlineError):
    """No such thing."""

    status = 404
    title = "Not found"


class Conflict(MistlineError):
    """The thing is not in a state that allows this."""

    status = 409
    title = "Not possible now"


class Forbidden(MistlineError):
    """A request from another site or under a foreign name."""

    status = 403
    title = "Refused"


class Locked(MistlineError):
    """A request from another machine without the key."""

    status = 401
    title = "The key is missing"


class SetupError(MistlineError):
    """Something that Mistline needs is missing on this machine."""

    status = 500
    title = "Set-up is incomplete"
