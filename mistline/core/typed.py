"""The base of what people and programs send: numbers are numbers, and switches true or false."""

from typing import get_args

from pydantic import BaseModel, ValidationInfo, field_validator

__all__ = ["Typed"]


class Typed(BaseModel):
    """A model that does not take true for 1, nor 0 for false, as pydantic does.

    >>> class Asked(Typed):
    ...     frame: int = 0
    ...     loop: bool | None = None
    >>> Asked(frame=3, loop=True)
    Asked(frame=3, loop=True)
    >>> Asked(frame=True)  # doctest: +IGNORE_EXCEPTION_DETAIL
    Traceback (most recent call last):
    pydantic.ValidationError: write no true or false here
    """

    @field_validator("*", mode="before")
    @classmethod
    def _as_meant(cls, value: object, info: ValidationInfo) -> object:
        wanted = cls.model_fields[info.field_name or ""].annotation
        switch = bool in (wanted, *get_args(wanted))
        if value is not None and isinstance(value, bool) != switch:
            raise ValueError("write true or false" if switch else "write no true or false here")
        return value
