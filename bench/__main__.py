"""Speed and memory as ratios against a reference in one run; writes docs/bench.md.

make bench
"""

import platform
from datetime import date
from pathlib import Path

from bench import api, clips, measures, process, start, viewer
from mistline.core.timing.machine import this_machine
from mistline.store.settings import ROOT

HEAD = """# Benchmarks

Made by `make bench` on {day}: {processor}, {cores} cores, {memory:.0f} GiB, {system}. Each figure is the median of
its repeats with the range in brackets; what counts are the ratios, taken in one run.

| what | Mistline | reference | ratio | aim |
|---|---|---|---|---|
"""


def main() -> None:
    machine = this_machine()
    rows = []
    for part in (measures, process, clips, start, api, viewer):
        for row in part.rows():
            print(" | ".join(row), flush=True)
            rows.append(row)
    text = HEAD.format(
        day=date.today().isoformat(), processor=machine.processor, cores=machine.cores,
        memory=machine.memory_bytes / 2**30, system=f"{platform.system()}, Python {platform.python_version()}",
    )  # fmt: skip
    text += "".join(f"| {' | '.join(row)} |\n" for row in rows)
    Path(ROOT / "docs" / "bench.md").write_text(text)


if __name__ == "__main__":
    main()
