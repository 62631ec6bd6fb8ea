"""Processes of Mistline for the tests, forked from one that has loaded its libraries already: python -m tests.forking

Each line that it reads names a module and the environment; it answers with the number of the process that runs the
module. That process' fork server is forked, too, as long as it is the first one. All of them end with this one, and it
ends when whoever started it does.
"""

import json
import os
import runpy
import signal
import subprocess
import sys
from collections.abc import Sequence
from functools import cache
from multiprocessing import forkserver, util
from pathlib import Path
from unittest.mock import patch

import psutil

from mistline.store.settings import ROOT


@cache
def _started() -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "tests.forking"], cwd=ROOT, text=True, stdin=subprocess.PIPE, stdout=subprocess.PIPE
    )


def start(module: str, environment: dict[str, str]) -> psutil.Process:
    """Run a module as `python -m` does, without its second of loading."""
    server = _started()
    assert server.stdin and server.stdout
    print(json.dumps({"module": module, "environment": environment}), file=server.stdin, flush=True)
    return psutil.Process(int(server.stdout.readline()))


def _spawn(path: str, arguments: Sequence[str], descriptors: Sequence[int]) -> int:
    """What `multiprocessing` starts a program of Python with, but forked."""
    child = os.fork()
    if child:
        return child
    *_, program = arguments
    Path("/proc/self/comm").write_text("forkserver" if "forkserver" in program else "tracker")
    below = 3
    for kept in [*sorted(descriptors), os.sysconf("SC_OPEN_MAX")]:
        os.closerange(below, kept)
        below = kept + 1
    try:
        exec(program, {})
    finally:
        os._exit(0)


def _become(module: str, environment: dict[str, str]) -> None:
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    os.dup2(sys.stderr.fileno(), sys.stdout.fileno())
    os.dup2(os.open(os.devnull, os.O_RDONLY), sys.stdin.fileno())
    os.environ.clear()
    os.environ.update(environment)
    sys.argv = [module]
    with patch.object(util, "spawnv_passfds", _spawn):
        forkserver.ensure_running()
    runpy.run_module(module, run_name="__main__")


def _serve() -> None:
    import mistline.api.app
    import mistline.work.loaded
    import mistline.work.worker  # noqa: F401

    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody waits for them
    running: list[int] = []
    while asked := sys.stdin.readline():
        child = os.fork()
        if not child:
            return _become(**json.loads(asked))
        running.append(child)
        print(child, flush=True)
    for child in running:
        try:
            os.kill(child, signal.SIGKILL)
        except ProcessLookupError:
            continue


if __name__ == "__main__":
    _serve()
