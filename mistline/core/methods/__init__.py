"""All methods by id; adding one is one file and a line here."""

from mistline.core.methods import denoise, enlarge, grain, sharpen
from mistline.core.methods.method import Limits, Method, Traits

__all__ = ["METHODS", "Limits", "Method", "Traits"]

METHODS: dict[str, Method] = {
    method.id: method for family in (enlarge, denoise, sharpen, grain) for method in family.METHODS
}
