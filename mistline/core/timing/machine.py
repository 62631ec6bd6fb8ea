"""What machine a timing was taken on; times compare only for one clip on one machine."""

import hashlib
import json
import os
import platform
from dataclasses import asdict, dataclass
from functools import cache
from importlib.metadata import version
from pathlib import Path

import cv2
import psutil
from threadpoolctl import threadpool_info

__all__ = ["Machine", "this_machine"]

LIBRARIES = ("numpy", "scipy", "opencv-contrib-python-headless", "scikit-image", "onnxruntime")


@dataclass(frozen=True)
class Machine:
    """Profile of a machine: processor, cores, memory, library versions, thread counts."""

    processor: str
    cores: int
    memory_bytes: int
    system: str
    libraries: dict[str, str]
    threads: dict[str, int]

    @property
    def id(self) -> str:
        """Same profile, same id."""
        return hashlib.sha256(json.dumps(asdict(self), sort_keys=True).encode()).hexdigest()[:16]


@cache
def this_machine() -> Machine:
    """Read the profile of the machine this runs on, once."""
    cpuinfo = Path("/proc/cpuinfo").read_text() if Path("/proc/cpuinfo").exists() else ""
    names = [line.split(":", 1)[1].strip() for line in cpuinfo.splitlines() if line.startswith("model name")]
    threads = {"opencv": int(cv2.getNumThreads())}
    for pool in threadpool_info():
        threads[str(pool["internal_api"])] = int(pool["num_threads"])
    return Machine(
        processor=names[0] if names else platform.processor() or platform.machine(),
        cores=os.cpu_count() or 1,
        memory_bytes=psutil.virtual_memory().total,
        system=f"{platform.system()} {platform.machine()}, Python {platform.python_version()}",
        libraries={name: version(name) for name in LIBRARIES},
        threads=threads,
    )
