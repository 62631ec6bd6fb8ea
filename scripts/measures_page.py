"""Write docs/measures.md from the measures' own docstrings and those of the tests that check them.

.venv/bin/python -m scripts.measures_page OUT
"""

import ast
import inspect
import re
import sys
from collections.abc import Iterable
from pathlib import Path

from mistline.core import measure
from mistline.core.measure import HEADINGS, MEASURES, Measure

ROOT = Path(__file__).parents[1]
HEAD = """# What is measured, how, and against what it is checked

Written by `make types` from the docstrings in `mistline/core/measure` and `tests/reference`; do not edit.

Every figure is measured on the file that was delivered (16 bit, decoded again), in luma of ITU-R BT.709 on
encoded values unless it says otherwise. *cv* are 8-bit code values: 1 cv is 1/255 of the range. Two figures
closer than the tie are not told apart. Each check runs with `make test`.
"""


def plain(text: str | None) -> str:
    """A docstring as Markdown."""
    text = re.sub(r"\[(\d)\]_", r"[\1]", inspect.cleandoc(text or ""))
    text = re.sub(r"^\.\. \[(\d)\]", r"[\1]", text, flags=re.MULTILINE)
    text = re.sub(r"^(\w+)\n-+$", r"*\1*\n", text, flags=re.MULTILINE)
    text = re.sub(r"^(>>> .*\n(?:.+\n?)*)", r"```python\n\1```\n", text + "\n", flags=re.MULTILINE)
    return re.sub(r"```\n(?=\n|$)", "```\n", text).replace("\n[", "\n\n[").rstrip()


BESIDE_INPUT = """## In a test without a truth

The result is held against the input, brought to its size by bilinear interpolation. What only a truth could tell has no
best side and is not ranked. Checked in `tests/reference/test_beside_input.py`.
"""


def table(measures: Iterable[Measure], *, has_truth: bool) -> list[str]:
    lines = ["| measure | unit | best | tie | what it says | source |", "|---" * 6 + "|"]
    for row in measures:
        best = row.better if has_truth or row.better != "nearer to the truth" else "–"
        cells = (row.name, row.unit or "1", best, f"{row.tie:g}", row.told(has_truth=has_truth), row.source)
        lines.append("| " + " | ".join(cell.replace("|", "\\|") for cell in cells) + " |")
    return [*lines, ""]


def tables() -> list[str]:
    lines = []
    for heading in HEADINGS:
        rows = [m for m in MEASURES.values() if m.heading == heading and m.meaning]
        lines += [f"## {heading.capitalize()}", "", *table(rows, has_truth=True)]
    return [*lines, BESIDE_INPUT, *table((m for m in MEASURES.values() if m.without_truth), has_truth=False)]


def checks() -> dict[str, list[str]]:
    """For each measure module, the reference tests that import it, with what they say of themselves."""
    found: dict[str, list[str]] = {}
    for path in sorted((ROOT / "tests" / "reference").glob("test_*.py")):
        tree = ast.parse(path.read_text())
        says = (ast.get_docstring(tree) or "").splitlines()[0]
        modules = {
            node.module.rsplit(".", 1)[-1]
            for node in ast.walk(tree)
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("mistline.core.measure.")
        }
        for module in modules:
            found.setdefault(module, []).append(f"- `tests/reference/{path.name}`: {says}")
    return found


def formulas() -> list[str]:
    lines, checked = ["## Formulas, ranges, edge rules, checks", ""], checks()
    for module in measure.MODULES:
        name = module.__name__.rsplit(".", 1)[-1]
        lines += [f"### `{name}`: {', '.join(m.name for m in module.MEASURES)}", "", plain(module.__doc__), ""]
        for function in (getattr(module, public) for public in module.__all__ if public != "MEASURES"):
            if inspect.isfunction(function):
                lines += [f"**`{function.__name__}`** " + plain(function.__doc__), ""]
        for row in module.MEASURES:
            if row.of.__doc__ and row.of.__name__ not in module.__all__:
                lines += [f"**{row.name}** " + plain(row.of.__doc__), ""]
        lines += ["Checked in:", "", *checked[name], ""]
    return lines


def main() -> None:
    lines = [HEAD, *tables(), *formulas()]
    Path(sys.argv[1]).write_text("\n".join(lines).rstrip() + "\n")


if __name__ == "__main__":
    main()
