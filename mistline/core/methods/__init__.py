"""All methods by id; adding one is one file and a line here. Dropped-in models are added by `register`."""

from pathlib import Path

from mistline.core.methods import denoise, enlarge, fit, grain, learned, repair, several, sharpen, temporal
from mistline.core.methods.method import Limits, Method, Traits, Window, alone
from mistline.core.methods.network import ModelCard

__all__ = ["METHODS", "Limits", "Method", "ModelCard", "Traits", "Window", "alone", "register"]

METHODS: dict[str, Method] = {
    method.id: method
    for family in (enlarge, several, learned, denoise, temporal, repair, sharpen, grain, fit)
    for method in family.METHODS
}


def register(card: ModelCard, path: Path | None = None) -> None:
    """Make a dropped-in model a method; with its file where it is going to run."""
    METHODS[card.id] = learned.method_of(card, path)
