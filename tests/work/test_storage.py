"""When too little of the disk is left is said: a share of a small disk, and no more than is needed of a large one."""

from types import SimpleNamespace

import pytest

from mistline.work import storage

GB = 2**30


@pytest.mark.parametrize(
    ("free", "whole", "low"),
    [(3 * GB, 20 * GB, False), (1 * GB, 20 * GB, True), (9 * GB, 200 * GB, True), (11 * GB, 200 * GB, False),
     (30 * GB, 10_000 * GB, False), (19 * GB, 10_000 * GB, True), (None, None, False)],
)  # fmt: skip
def test_little_space_is_said(
    monkeypatch: pytest.MonkeyPatch, free: int | None, whole: int | None, low: bool
) -> None:
    disk = SimpleNamespace(free_bytes=lambda: free, all_bytes=lambda: whole)
    monkeypatch.setattr(storage, "media", lambda: disk)
    assert storage.low_disk() == (free if low else None)
