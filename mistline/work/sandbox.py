"""Run one step in a child process with memory and time limits, and hear of its progress.

The child gets its request as JSON on standard input and answers with JSON lines: progress, then a result or
an error sentence. It dies with its parent. Media files and all heavy computation are only ever opened there.
"""

import asyncio
import json
import signal
import sys
from collections.abc import Callable
from typing import Any

from mistline.errors import BadMedia, BadModel, MistlineError, OutOfLimits, ProcessingFailed

__all__ = ["Progress", "run_child"]

Progress = Callable[[str, float], None]
RAISED: dict[str, type[MistlineError]] = {kind.__name__: kind for kind in (BadMedia, BadModel, OutOfLimits)}


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
        Must hold "step"; see `mistline.work.child`.
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
    child = await asyncio.create_subprocess_exec(
        sys.executable,
        "-m",
        "mistline.work.child",
        str(memory_bytes),
        stdin=asyncio.subprocess.PIPE,
        stdout=asyncio.subprocess.PIPE,
        stderr=asyncio.subprocess.PIPE,
        limit=2**24,
    )
    assert child.stdin and child.stdout and child.stderr
    answer: dict[str, Any] | None = None
    complaints = asyncio.create_task(child.stderr.read())
    try:
        async with asyncio.timeout(seconds):
            child.stdin.write(json.dumps(request).encode())
            child.stdin.close()
            async for line in child.stdout:
                message = json.loads(line)
                if "share" in message:
                    report(message["stage"], message["share"])
                else:
                    answer = message
            await child.wait()
    except TimeoutError:
        raise ProcessingFailed(f"{what} took longer than {seconds:.0f} s and was stopped; {remedy}.") from None
    finally:
        if child.returncode is None:
            child.kill()
            await child.wait()
    if answer and "result" in answer:
        result: dict[str, Any] = answer["result"]
        return result
    if answer:
        raise RAISED.get(answer["kind"], ProcessingFailed)(answer["error"])
    code = child.returncode or 0
    ended = f"signal {signal.Signals(-code).name}" if code < 0 else f"code {code}"
    last = (await complaints).decode(errors="replace").strip().splitlines()[-1:] or [""]
    raise ProcessingFailed(f"{what}: the process ended with {ended}; run it again. {last[0]}".strip())
