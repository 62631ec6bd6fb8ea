"""Run one step in a child process with memory and time limits, and hear of its progress.

Children are forked from a process that has loaded the libraries already, so that a step begins at once. The
child answers with JSON messages: progress, then a result or an error sentence. It dies with its parent. Media
files and all heavy computation are only ever opened there.
"""

import asyncio
import importlib
import json
import multiprocessing
import signal
from collections.abc import AsyncIterator, Callable
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from typing import Any

from mistline.errors import BadMedia, BadModel, MistlineError, OutOfLimits, ProcessingFailed

__all__ = ["Progress", "run_child", "warm_up"]

Progress = Callable[[str, float], None]
CHILD = "mistline.work.child"
FORKS = multiprocessing.get_context("forkserver")
FORKS.set_forkserver_preload([CHILD])
RAISED: dict[str, type[MistlineError]] = {kind.__name__: kind for kind in (BadMedia, BadModel, OutOfLimits)}


def warm_up() -> None:
    """Start loading the libraries now, beside what this process does, so that the first child begins at once."""
    forkserver.ensure_running()


def _serve(pipe: Connection, memory_bytes: int, request: dict[str, Any]) -> None:
    """In the child: its libraries are loaded there only."""
    importlib.import_module(CHILD).serve(pipe, memory_bytes, request)


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
    except EOFError:
        return
    finally:
        loop.remove_reader(pipe.fileno())


async def run_child(
    request: dict[str, Any],
    *,
    what: str,
    memory_bytes: int,
    seconds: float,
    report: Progress = lambda stage, share: None,
    remedy: str = "try a smaller picture",
) -> dict[str, Any]:
    """Run `mistline.work.child` on a request; return its result.

    Parameters
    ----------
    request : dict
        Must hold "step" and "name"; see `mistline.work.child`.
    what : str
        What people call the thing worked on; used in error sentences.
    report : callable
        Called with (stage, share done).
    remedy : str
        What to do if the step takes longer than `seconds`.

    Raises
    ------
    MistlineError
        With the child's sentence, or one on what ended it.
    asyncio.CancelledError
        When the job is cancelled; the child is killed first.
    """
    pipe, other_end = FORKS.Pipe(duplex=False)
    child = FORKS.Process(target=_serve, args=(other_end, memory_bytes, request), daemon=True)
    await asyncio.to_thread(child.start)
    other_end.close()
    answer: dict[str, Any] = {}
    try:
        async with asyncio.timeout(seconds):
            async for message in _messages(pipe):
                if "share" in message:
                    report(message["stage"], message["share"])
                else:
                    answer = message
    except TimeoutError:
        raise ProcessingFailed(f"{what} took longer than {seconds:.0f} s and was stopped; {remedy}.") from None
    finally:
        if not answer:
            child.kill()
        await asyncio.shield(asyncio.to_thread(child.join))
        pipe.close()
    if "result" in answer:
        result: dict[str, Any] = answer["result"]
        return result
    if answer.get("kind") == "Crashed":
        raise ProcessingFailed(f"{what}: the process failed ({answer['error']}); run it again.")
    if answer:
        raise RAISED.get(answer["kind"], ProcessingFailed)(answer["error"])
    code = child.exitcode or 0
    ended = f"signal {signal.Signals(-code).name}" if code < 0 else f"code {code}"
    raise ProcessingFailed(f"{what}: the process ended with {ended}; run it again.")
