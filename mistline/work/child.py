"""The child process: gets one request, works on local files only, answers in JSON."""

import ctypes
import errno
import json
import os
import resource
import signal
import traceback
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from mistline.core.methods import register
from mistline.errors import MistlineError
from mistline.work.confine import confine
from mistline.work.requests import Request
from mistline.work.steps import STEPS

__all__ = ["keep_freed_memory", "serve"]

M_TRIM_THRESHOLD, M_MMAP_THRESHOLD = -1, -3  # of malloc.h, GNU C library


def _die_with(parent: int) -> None:
    """End with the fork server, which ends with the worker only if no child holds the pipe that tells it so."""
    os.close(forkserver._forkserver._forkserver_alive_fd)  # type: ignore[attr-defined]
    ctypes.CDLL(None, use_errno=True).prctl(1, signal.SIGKILL)
    if os.getppid() != parent:
        os._exit(1)


def keep_freed_memory() -> None:
    """Have the allocator use freed memory again instead of giving it back: each return costs a page fault a page."""
    libc = ctypes.CDLL(None)
    libc.mallopt(M_MMAP_THRESHOLD, 32 * 2**20)
    libc.mallopt(M_TRIM_THRESHOLD, 256 * 2**20)


def serve(pipe: Connection, memory_bytes: int, request: Request[Any], scratch: Path) -> None:
    """Carry out a request within a limit of memory and its own files; tell progress and answer through the pipe."""

    def say(**message: Any) -> None:
        pipe.send_bytes(json.dumps(message, allow_nan=False).encode())

    def report(stage: str, share: float) -> None:
        say(stage=stage, share=round(share, 4))

    parent = os.getppid()
    keep_freed_memory()
    resource.setrlimit(resource.RLIMIT_AS, (memory_bytes, memory_bytes))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    confine(request, scratch)
    _die_with(parent)  # a change of user would take it back
    try:
        for model in request.models:
            register(model.card, model.path)
        say(result=STEPS[type(request)](request, report).model_dump(mode="json"))
    except MistlineError as error:
        say(kind=type(error).__name__, error=str(error))
    except MemoryError:
        what = request.name
        say(kind="OutOfLimits", error=f"{what} needs more memory than a job may use; use a smaller one.")
    except Exception as error:
        if isinstance(error, OSError) and error.errno == errno.ENOSPC:
            say(
                kind="ProcessingFailed",
                error="The disk of the media store is full; free some space and run it again.",
            )
            return
        traceback.print_exc()
        say(kind="Crashed", error=f"{type(error).__name__}: {error}")
