"""Mistline's own pictures: exact round trips and exact tiles."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from mistline.core.frame import Frame, Region, Size
from mistline.core.media import plate
from mistline.core.media.plate import (
    TILE,
    Plate,
    ShardWriter,
    levels,
    quantise,
    to_eight_bit,
    write_view,
)
from mistline.errors import BadMedia

RNG = np.random.default_rng(9)


@pytest.mark.parametrize("top", [255, 65535])
@pytest.mark.parametrize("channels", [1, 3])
def test_a_plate_comes_back_exactly(tmp_path: Path, top: int, channels: int) -> None:
    codes = RNG.integers(0, top + 1, (30, 50, channels)).astype(np.uint8 if top == 255 else np.uint16)
    with ShardWriter(tmp_path / "shard.zip") as shard:
        shard.add(0, codes)
    back = Plate([tmp_path / "shard.zip"]).frame()
    again, clipped = quantise(back, back.bit_depth)
    assert np.array_equal(again, codes) and clipped == 0


def test_what_cannot_be_packed_comes_back_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Pure noise of 16 bits, odd sizes, many bands, several frames in two shards."""
    monkeypatch.setattr(plate, "BAND", 4096)
    frames = [
        RNG.integers(0, 65536, (*RNG.integers(1, 240, 2), RNG.choice([1, 3]))).astype(np.uint16) for _ in range(30)
    ]
    for name, numbers in (("a", range(12)), ("b", range(12, 30))):
        with ShardWriter(tmp_path / name) as shard:
            for number in numbers:
                shard.add(number, frames[number])
    kept = Plate([tmp_path / "b", tmp_path / "a"])
    assert all(np.array_equal(kept.codes(number), frames[number]) for number in range(30))
    assert [codes.shape for codes in kept.stream(10, 4)] == [frame.shape for frame in frames[10:14]]
    for number, frame in enumerate(frames):
        (top, bottom), (left, right) = (np.sort(RNG.integers(0, length + 1, 2)) for length in frame.shape[:2])
        if bottom > top and right > left:
            part = Region(int(left), int(top), int(right - left), int(bottom - top))
            assert np.array_equal(kept.cut(number, part), frame[top:bottom, left:right])
    with pytest.raises(BadMedia, match="does not hold frame 30"):
        kept.cut(30, Region(0, 0, 1, 1))


@pytest.mark.parametrize("place", [60, 900, -30])
def test_a_damaged_shard_is_never_a_picture(tmp_path: Path, place: int) -> None:
    with ShardWriter(tmp_path / "shard.zip") as shard:
        shard.add(0, RNG.integers(0, 256, (30, 50, 3)).astype(np.uint8))
    content = bytearray((tmp_path / "shard.zip").read_bytes())
    content[place] ^= 16
    (tmp_path / "shard.zip").write_bytes(content)
    with pytest.raises(BadMedia, match=r"damaged|does not hold"):
        Plate([tmp_path / "shard.zip"]).codes()


def test_clipping_is_counted() -> None:
    pixels = np.full((10, 10, 1), 0.5, np.float32)
    pixels[:2] = 1.2
    pixels[2] = -0.2
    codes, clipped = quantise(Frame(pixels, 8), 16)
    assert clipped == pytest.approx(0.3) and codes.max() == 65535 and codes.min() == 0


def test_every_8_bit_value_survives_16_bits() -> None:
    every = np.arange(256, dtype=np.uint8).reshape(16, 16, 1)
    assert np.array_equal(to_eight_bit(every.astype(np.uint16) * 257), every)
    deep = RNG.integers(0, 65536, (64, 64, 1)).astype(np.uint16)
    assert np.array_equal(to_eight_bit(deep), np.round(deep / 257).astype(np.uint8))


def test_level_0_tiles_hold_exactly_the_picture(tmp_path: Path) -> None:
    codes = RNG.integers(0, 256, (TILE + 70, 2 * TILE + 11, 3)).astype(np.uint8)
    assert write_view(tmp_path, codes) == 3 == levels(Size(2 * TILE + 11, TILE + 70))
    rows = [
        np.concatenate([np.asarray(Image.open(tmp_path / "0" / f"{column}_{row}.png")) for column in range(3)], 1)
        for row in range(2)
    ]
    assert np.array_equal(np.concatenate(rows, 0), codes)
    assert Image.open(tmp_path / "2" / "0_0.png").size == (259, 146)
    assert max(Image.open(tmp_path / "thumbnail.png").size) <= 360
