"""What a child process may reach: the libraries, the files that its request names, a scratch folder, and no network.

Foreign files are decoded in children, and a decoder may be deceived. Landlock of the kernel holds a child to its files,
a filter of system calls keeps it from opening sockets, and where the worker is root a child is nobody. Where a system
cannot do one of these the rest is done, and the start says what is missing.
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
# Of linux/capability.h. To reach files of others stays, which Landlock holds to those of the request. To end a child
# that is another user's, and to take over what it made, root needs more than to change users.
CAPABILITY_HEADER = (ctypes.c_uint32 * 2)(0x20080522, 0)
FILES_OF_OTHERS = 1 << 1 | 1 << 2
FOR_ANOTHER_USER = FILES_OF_OTHERS | 1 << 3 | 1 << 5 | 1 << 6 | 1 << 7  # files as their owner, kill, group, user
Capabilities = ctypes.c_uint32 * 6  # effective, permitted, inheritable, and these of the higher half
KEEP_CAPABILITIES, DUMPABLE = 8, 4  # of linux/prctl.h
NOBODY = 65534
LIBC = ctypes.CDLL(None)
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
    if os.geteuid() == 0 and not _may_become_nobody(_capabilities()):
        missing.append("a user without rights (root itself lacks the capabilities to change users)")
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


def _capabilities() -> "ctypes.Array[ctypes.c_uint32]":
    held = Capabilities()
    LIBC.capget(ctypes.byref(CAPABILITY_HEADER), ctypes.byref(held))
    return held


def _may_become_nobody(held: "ctypes.Array[ctypes.c_uint32]") -> bool:
    return held[0] & FOR_ANOTHER_USER == FOR_ANOTHER_USER


def _become_nobody() -> None:
    """Another user and group, with the capabilities of now; a container that has no such user keeps its own."""
    LIBC.prctl(KEEP_CAPABILITIES, 1, 0, 0, 0)
    try:
        os.setgroups([])
        os.setresgid(NOBODY, NOBODY, NOBODY)
        os.setresuid(NOBODY, NOBODY, NOBODY)
    except OSError:
        return
    LIBC.prctl(DUMPABLE, 1, 0, 0, 0)  # or its own files in /proc would be root's


def _drop_privileges() -> None:
    """Root becomes nobody, who may still read and write what the request names; who is not root has none to drop."""
    had = _capabilities()
    if os.geteuid() == 0 and _may_become_nobody(had):
        _become_nobody()
    keep = had[1] & FILES_OF_OTHERS
    LIBC.capset(ctypes.byref(CAPABILITY_HEADER), ctypes.byref(Capabilities(keep, keep)))


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
