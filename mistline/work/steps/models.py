"""Look into a model that was dropped in."""

import resource

import psutil

from mistline.core.methods import ModelCard
from mistline.core.methods.inspect import inspect_model
from mistline.errors import BadModel
from mistline.work.requests import InspectModel, Progress

__all__ = ["inspect"]

MODEL_ROOM = 3 * 2**30


def inspect(request: InspectModel, report: Progress) -> ModelCard:
    """Its card; it may take 3 GiB beyond what this process has."""
    room = psutil.Process().memory_info().vms + MODEL_ROOM
    resource.setrlimit(resource.RLIMIT_AS, (room, room))
    try:
        return inspect_model(request.path, request.name, request.id)
    except MemoryError:
        raise BadModel(
            f"{request.name} wants more than 3 GiB for a small picture; choose a smaller model."
        ) from None
