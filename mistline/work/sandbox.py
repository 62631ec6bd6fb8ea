"""Run one step in a child process with memory and time limits, and hear of its progress.

Children are forked from a process that has loaded the libraries already, so that a step begins at once. The
child answers with JSON messages: progress, then a result or an error sentence. It dies with its parent. Media
files and all heavy computation are only ever opened there.
"""

import asyncio
import contextlib
import importlib
import json
import logging
import multiprocessing
import signal
from collections.abc import AsyncIterator, Iterator
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel

from mistline.errors import BadMedia, BadModel, ChildDied, MistlineError, OtherSize, OutOfLimits, ProcessingFailed
from mistline.store.files import media
from mistline.work.requests import Progress, Request

__all__ = ["at_work", "noted", "run_child", "warm_up"]

log = logging.getLogger("mistline.work")
A = TypeVar("A", bound=BaseModel)
CHILD = "mistline.work.child"
FORKS = multiprocessing.get_context("forkserver")
FORKS.set_forkserver_preload(["mistline.work.loaded"])
FROM_OUTSIDE = {signal.SIGKILL, signal.SIGTERM}
TRIES, TRIES_AFTER_A_CRASH = 50, 2
LONGEST_PAUSE = 2.0
AT_WORK: list[str] = []
UNKNOWN_END = 255  # what is told of a child whose fork server was killed, and the child with it
RAISED: dict[str, type[MistlineError]] = {
    kind.__name__: kind for kind in (BadMedia, BadModel, OtherSize, OutOfLimits)
}


def warm_up() -> None:
    """Start loading the libraries now, beside what this process does, so that the first child begins at once."""
    forkserver.ensure_running()


def _serve(pipe: Connection, memory_bytes: int, request: Request[Any], scratch: Path) -> None:
    """In the child: its libraries are loaded there only."""
    importlib.import_module(CHILD).serve(pipe, memory_bytes, request, scratch)


async def _messages(pipe: Connection) -> AsyncIterator[dict[str, Any]]:
    """What the child says, until it ends."""
    loop, readable = asyncio.get_running_loop(), asyncio.Event()
    loop.add_reader(pipe.fileno(), readable.set)
    try:
        while True:
            await readable.wait()
            readable.clear()
            while pipe.poll():
                yield json.loads(pipe.recv_bytes())
    except (EOFError, OSError):
        return
    finally:
        loop.remove_reader(pipe.fileno())


async def run_child(
    request: Request[A],
    *,
    what: str,
    memory_bytes: int,
    seconds: float,
    report: Progress = lambda stage, share: None,
    remedy: str = "try a smaller picture",
) -> A:
    """Have a child process carry out a request; return its answer.

    Parameters
    ----------
    request : Request
        Its type says which step; see `mistline.work.steps`.
    what : str
        What people call the thing worked on; used in error sentences.
    report : callable
        Called with (stage, share done).
    remedy : str
        What to do if the step takes longer than `seconds`.

    Raises
    ------
    MistlineError
        With the child's sentence, or one on what ended it (`ChildDied`), after it was tried again.
    asyncio.CancelledError
        When the job is cancelled; the child is killed first.
    """
    with noted(what):
        tries, short_of_memory = 0, _kills_for_memory()
        while True:
            try:
                with media().workspace() as scratch:
                    found = await _once(request, what, memory_bytes, seconds, report, remedy, scratch)
                return request.answer().model_validate(found)
            except ChildDied as death:
                tries += 1
                if _kills_for_memory() > short_of_memory:
                    raise OutOfLimits(
                        f"{what}: this machine ran out of memory; close something or {remedy}."
                    ) from None
                if tries >= (TRIES if death.signal in FROM_OUTSIDE else TRIES_AFTER_A_CRASH):
                    raise
                log.warning("%s It is tried again.", death)
                await asyncio.sleep(min(LONGEST_PAUSE, 0.2 * tries))


@contextlib.contextmanager
def noted(what: str) -> Iterator[None]:
    """Have something told as what this process works on."""
    AT_WORK.append(what)
    try:
        yield
    finally:
        AT_WORK.remove(what)


def at_work() -> list[str]:
    """What the children of this process work on now."""
    return list(AT_WORK)


def _kills_for_memory() -> int:
    """How many processes the system has killed for want of memory since it started."""
    try:
        counts = dict(line.split() for line in Path("/proc/vmstat").read_text().splitlines())
    except (OSError, ValueError):
        return 0
    return int(counts.get("oom_kill", 0))


async def _once(
    request: Request[Any],
    what: str,
    memory_bytes: int,
    seconds: float,
    report: Progress,
    remedy: str,
    scratch: Path,
) -> dict[str, Any]:
    pipe, other_end = FORKS.Pipe(duplex=False)
    child = FORKS.Process(target=_serve, args=(other_end, memory_bytes, request, scratch), daemon=True)
    answer: dict[str, Any] = {}
    starting = asyncio.ensure_future(asyncio.to_thread(child.start))
    try:
        try:
            await asyncio.shield(starting)
        except (OSError, EOFError):  # the fork server was killed in this moment; the next try starts another
            raise ChildDied(f"{what}: the process could not be started; run it again.", signal.SIGKILL) from None
        finally:
            await asyncio.wait([starting])  # also where this is cancelled, or nobody would end the child
            other_end.close()
        async with asyncio.timeout(seconds):
            async for message in _messages(pipe):
                if "share" in message:
                    report(message["stage"], message["share"])
                else:
                    answer = message
    except TimeoutError:
        raise ProcessingFailed(f"{what} took longer than {seconds:.0f} s and was stopped; {remedy}.") from None
    finally:
        if child.pid is not None:
            if not answer:
                child.kill()
            await asyncio.shield(asyncio.to_thread(child.join))
        pipe.close()
    if "result" in answer:
        result: dict[str, Any] = answer["result"]
        return result
    if answer.get("kind") == "Crashed":
        log.error("%s: %s", what, answer["error"])
        raise ProcessingFailed(f"{what}: Mistline itself failed here; run it again, and report it if it stays.")
    if answer:
        raise RAISED.get(answer["kind"], ProcessingFailed)(answer["error"])
    code = child.exitcode or 0
    if code == UNKNOWN_END:
        code = -signal.SIGKILL
    ended = f"signal {signal.Signals(-code).name}" if code < 0 else f"code {code}"
    raise ChildDied(f"{what}: the process ended with {ended}; run it again.", -code)
