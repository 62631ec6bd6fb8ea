"""What a child process may reach: the libraries, the files that its request names, a scratch folder, and no network.

Foreign files are decoded in children, and a decoder may be deceived. Landlock of the kernel holds a child to its files,
a filter of system calls keeps it from opening sockets, and root's privileges are dropped. Where a system cannot do one
of these the rest is done, and the start says what is missing.
"""

import ctypes
import errno
import os
import sys
import tempfile
from collections.abc import Iterable, Iterator
from pathlib import Path

from landlock import FSAccess, Ruleset, landlock_abi_version
from pydantic import BaseModel

from mistline.store.settings import ROOT

try:
    import pyseccomp
except (ImportError, OSError, RuntimeError):  # the system's library is missing
    pyseccomp = None

__all__ = ["confine", "not_possible"]

LIBRARIES = (
    "/usr",
    "/lib",
    "/lib64",
    "/bin",
    "/etc/ld.so.cache",
    "/etc/localtime",
    "/proc",
    "/sys",
    sys.prefix,
    sys.base_prefix,
    str(ROOT / "mistline"),
)
WRITABLE = ("/dev/null", "/dev/zero", "/dev/urandom", "/dev/random", "/proc/self/clear_refs")
READ = FSAccess.READ_FILE | FSAccess.READ_DIR | FSAccess.EXECUTE
# Of linux/capability.h: a version, then effective, permitted and inheritable ones; to read files of others stays, which
# Landlock holds to those of the request.
CAPABILITY_VERSION, FILES_OF_OTHERS = 0x20080522, 0b110
CAPABILITIES = (ctypes.c_uint32 * 6)(FILES_OF_OTHERS, FILES_OF_OTHERS)
REFUSED_CALLS = ("socket", "io_uring_setup", "ptrace", "process_vm_readv", "process_vm_writev")


def not_possible() -> list[str]:
    """What this system cannot hold children to, in words."""
    missing = []
    try:
        landlock_abi_version()
    except OSError:
        missing.append("their own files (the kernel has no Landlock)")
    if pyseccomp is None:
        missing.append("no network (libseccomp is missing)")
    return missing


def _paths(value: object, name: str = "") -> Iterator[tuple[str, Path]]:
    """The paths that a request names, each with the name of its field."""
    if isinstance(value, Path):
        yield name, value
    elif isinstance(value, BaseModel):
        for field in type(value).model_fields:
            yield from _paths(getattr(value, field), field)
    elif isinstance(value, dict):
        yield from _paths(list(value.values()), name)
    elif isinstance(value, list | tuple):
        for each in value:
            yield from _paths(each, name)


def _hold_to_files(read: Iterable[Path], write: Iterable[Path]) -> None:
    try:
        rules = Ruleset()
    except OSError:
        return
    for path in read:
        if path.exists():
            rules.allow(path, rules=READ if path.is_dir() else READ & FSAccess.all_file())
    for path in write:
        if path.exists():
            rules.allow(path, rules=FSAccess.all() if path.is_dir() else FSAccess.all_file())
    rules.apply()


def _drop_privileges() -> None:
    """Root's are dropped; who is nobody special has none."""
    header = (ctypes.c_uint32 * 2)(CAPABILITY_VERSION, 0)
    ctypes.CDLL(None).capset(ctypes.byref(header), ctypes.byref(CAPABILITIES))


def _refuse_calls() -> None:
    if pyseccomp is None:
        return
    held = pyseccomp.SyscallFilter(pyseccomp.ALLOW)
    for call in REFUSED_CALLS:
        held.add_rule(pyseccomp.ERRNO(errno.EACCES), call)
    held.load()


def confine(request: BaseModel, scratch: Path) -> None:
    """Hold this process, before it has threads, to what a request names; fields `out` and `lane` may be written to."""
    tempfile.tempdir = os.environ["TMPDIR"] = str(scratch)
    named = list(_paths(request))
    outs = [path if path.is_dir() else path.parent for name, path in named if name == "out"]
    lanes = [path for name, path in named if name == "lane"]
    for lane in lanes:
        lane.touch()
    _hold_to_files(
        [*map(Path, LIBRARIES), *(path for name, path in named if name not in ("out", "lane"))],
        [scratch, *outs, *lanes, *map(Path, WRITABLE)],
    )
    _drop_privileges()
    _refuse_calls()
