"""Speed and memory as ratios against a reference in one run; writes docs/bench.md.

make bench, or `.venv/bin/python -m bench clips viewer` to renew some of its parts.
"""

import platform
import re
import sys
from datetime import date

from bench import api, clips, looking, measures, playing, process, start, viewer
from mistline.core.timing.machine import this_machine
from mistline.store.settings import ROOT

PARTS = {
    "Measures": measures, "Recorded times": process, "Clips": clips, "Playing": playing, "Start": start, "Pages": api,
    "Viewer": viewer, "Spots and parts": looking,
}  # fmt: skip
PAGE = ROOT / "docs" / "bench.md"
HEAD = """# Benchmarks

Made by `make bench`. Each figure is the median of its repeats with the range in brackets; what counts are the ratios,
taken in one run of a part.
"""
TABLE = """
## {name}

{day}: {processor}, {cores} cores, {memory:.0f} GiB, {system}.

| what | Mistline | reference | ratio | aim |
|---|---|---|---|---|
"""


def _section(name: str) -> str:
    """Run a part and tell what it found."""
    machine, found = this_machine(), []
    for row in PARTS[name].rows():
        print(" | ".join(row), flush=True)
        found.append(f"| {' | '.join(row)} |\n")
    return TABLE.format(
        name=name, day=date.today().isoformat(), processor=machine.processor, cores=machine.cores,
        memory=machine.memory_bytes / 2**30, system=f"{platform.system()}, Python {platform.python_version()}",
    ) + "".join(found)  # fmt: skip


def main(wanted: list[str]) -> None:
    """Renew the parts whose modules are named, or all."""
    kept = dict(re.findall(r"(?ms)^## ([^\n]+)\n(.*?)(?=^## |\Z)", PAGE.read_text()))
    for name, module in PARTS.items():
        if not wanted or module.__name__.removeprefix("bench.") in wanted:
            kept[name] = _section(name).partition("\n## " + name + "\n")[2]
            told = "".join(f"\n## {each}\n\n{kept[each].strip()}\n" for each in PARTS if each in kept)
            PAGE.write_text(HEAD + told)


if __name__ == "__main__":
    main(sys.argv[1:])
