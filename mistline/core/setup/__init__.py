"""Test set-ups, one file a kind of test; `Setup` is any of them."""

from collections.abc import Mapping
from typing import Annotated, Any

from pydantic import Discriminator, Tag, TypeAdapter

from mistline.core.setup.base import AnySetup, Damage
from mistline.core.setup.native import NativeSetup
from mistline.core.setup.no_truth import NoTruthSetup
from mistline.core.setup.sizes import Plan, crop_part
from mistline.core.setup.truth import CHAIN_VERSION, TruthSetup

__all__ = [
    "CHAIN_VERSION", "AnySetup", "Damage", "NativeSetup", "NoTruthSetup", "Plan", "Setup", "TruthSetup", "crop_part",
    "read_setup",
]  # fmt: skip


def _kind(value: Any) -> str | None:
    if isinstance(value, Mapping):
        return str(value.get("test", "truth"))
    return value.test if isinstance(value, AnySetup) else None


_Any = TruthSetup | NoTruthSetup | NativeSetup
Setup = Annotated[
    Annotated[TruthSetup, Tag("truth")]
    | Annotated[NoTruthSetup, Tag("no truth")]
    | Annotated[NativeSetup, Tag("native")],
    Discriminator(_kind),
]
_READER: TypeAdapter[_Any] = TypeAdapter(Setup)


def read_setup(fields: Mapping[str, Any]) -> _Any:
    """A set-up from its fields, as they are stored; without the word `test` it is a truth test.

    >>> read_setup({"test": "no truth", "factor": 2}).has_truth, read_setup({"factor": 2}).has_truth
    (False, True)
    """
    return _READER.validate_python(fields)
