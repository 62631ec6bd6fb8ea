"""What a method does in general: its fingerprint, measured on made charts."""

from mistline.core.fingerprint.compare import Difference, differences
from mistline.core.fingerprint.fingerprint import (
    VERSION,
    Fingerprint,
    Plates,
    Response,
    of_method,
    take_fingerprint,
    usual_factor,
)

__all__ = [
    "VERSION", "Difference", "Fingerprint", "Plates", "Response", "differences", "of_method", "take_fingerprint",
    "usual_factor",
]  # fmt: skip
