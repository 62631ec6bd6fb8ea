"""What a process tells: lines of JSON in files that are turned over, and warnings in words on the console."""

import json
import logging
from collections.abc import Iterator
from pathlib import Path

import pytest

from mistline.store import logs
from mistline.store.settings import settings

log = logging.getLogger("mistline.test")


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    monkeypatch.setenv("MISTLINE_DATA", str(tmp_path))
    settings.cache_clear()
    root = logging.getLogger()
    before, level = root.handlers[:], root.level
    yield tmp_path / "logs"
    for handler in root.handlers:
        handler.close()
    root.handlers, root.level = before, level
    settings.cache_clear()


def lines(path: Path) -> list[dict]:
    return [json.loads(line) for line in path.read_text().splitlines()]


def test_each_line_is_json_with_its_facts(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    logs.start_logs("made", "made: %(message)s")
    log.info("kept", extra={"take": "0f", "seconds": 1.5})
    try:
        raise ValueError("two\nlines")
    except ValueError:
        log.exception("it failed")
    kept, failed = lines(folder / "made.log")
    assert (kept["message"], kept["take"], kept["seconds"], kept["level"]) == ("kept", "0f", 1.5, "INFO")
    assert failed["level"] == "ERROR" and "two\nlines" in failed["exc_info"] and failed["time"] >= kept["time"]
    told = capsys.readouterr().err
    assert "made: it failed" in told and "kept" not in told


def test_logs_are_turned_over(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(logs, "FILE_BYTES", 2000)
    logs.start_logs("made")
    for number in range(200):
        log.info("line %s", number)
    kept = sorted(folder.iterdir())
    assert len(kept) == logs.OLD_FILES + 1
    assert all(path.stat().st_size <= 2000 for path in kept)
    assert lines(folder / "made.log")[-1]["message"] == "line 199"


def test_where_no_file_can_be_written_the_console_still_tells(
    folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    folder.write_text("no folder")
    logs.start_logs("made")
    log.warning("little space")
    assert "little space" in capsys.readouterr().err
