"""A clip through the pages: dropped, a part set, run, stepped, played, every pane on the same frame with exact pixels."""

import io
import re
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.api.test_clips import two_shots
from tests.conftest import as_png
from tests.core.media.clips import BITS, BLOCK, number_of, numbered, write_clip
from tests.harness import Running, until

FIRST, FRAMES = 5, 14


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_clip(tmp_path_factory.mktemp("clips") / "numbered.mkv", "ffv1", "yuv444p", 40)


def seen(page: Page) -> list[int]:
    """The frame number that the blocks in each pane tell, read from the pixels on the screen at 100 %."""
    return page.evaluate(
        """([block, bits]) => [...document.querySelectorAll('canvas')].map(canvas => {
            const left = Math.floor((canvas.width - 128) / 2), top = Math.floor((canvas.height - 96) / 2);
            const row = canvas.getContext('2d').getImageData(left, top + block / 2, 128, 1).data;
            let number = 0;
            for (let bit = 0; bit < bits; bit++) number += (row[4 * (bit * block + block / 2)] > 128) << bit;
            return number;
        })""",
        [BLOCK, BITS],
    )


def settled(page: Page, frame: int) -> None:
    expect(page.locator("canvas")).to_have_count(4)
    for canvas in page.locator("canvas").all():
        expect(canvas).to_have_attribute("data-frame", str(frame))
        expect(canvas).not_to_have_attribute("data-shown", "")


def over_time(page: Page) -> None:
    """A row through the blocks over all frames: what stands at each height tells the frame; a press goes there."""
    page.keyboard.press("o")
    for _ in range(4):
        page.keyboard.press("ArrowUp")  # to the first row of the picture, which has blocks
    expect(page.get_by_test_id("slice-place")).to_have_text("Row 0 of every frame, time going down")
    expect(page.locator("canvas:not([data-shown=''])")).to_have_count(4)
    read = """([frames, block, bits]) => [...document.querySelectorAll('canvas')].map(canvas => {
        const each = Math.floor(canvas.height / frames), left = Math.floor((canvas.width - 128) / 2);
        const from = Math.floor((canvas.height - each * frames) / 2);
        return Array.from({length: frames}, (_, frame) => {
            const y = from + Math.floor((frame + 0.5) * each);
            const row = canvas.getContext('2d').getImageData(left, y, 128, 1).data;
            let number = 0;
            for (let bit = 0; bit < bits; bit++) number += (row[4 * (bit * block + block / 2)] > 128) << bit;
            return number;
        });
    })"""
    wanted = [list(range(FIRST, FIRST + FRAMES))] * 4
    until(lambda: page.evaluate(read, [FRAMES, BLOCK, BITS]) == wanted, what="every frame's row")
    canvas = page.locator("canvas").nth(2)
    box = canvas.bounding_box()
    assert box
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] * 3.5 / FRAMES)
    expect(page.get_by_test_id("frame")).to_have_text(str(FIRST + 3))
    page.get_by_role("button", name="Show a column").click()
    expect(page.get_by_test_id("slice-place")).to_have_text("Column 64 of every frame, time going right")
    expect(page).to_have_url(re.compile(r"mode=time.*along=column|along=column.*mode=time"))
    page.keyboard.press("p")


def in_player(page: Page) -> list[int]:
    """The frame that the small player names, and the one whose number stands in its pixels."""
    return page.get_by_role("group", name="Player").evaluate(
        """(group, [block, bits]) => {
            const canvas = group.querySelector('canvas'), scale = canvas.width / 128;
            const row = canvas.getContext('2d').getImageData(0, scale * block / 2, canvas.width, 1).data;
            let number = 0;
            for (let bit = 0; bit < bits; bit++)
                number += (row[4 * Math.round(scale * (bit + 0.5) * block)] > 128) << bit;
            return [Number(canvas.dataset.frame ?? -1), number];
        }""",
        [BLOCK, BITS],
    )


def plays_small(page: Page) -> None:
    """In and out are set by keys at the small player's playhead, and it loops through what lies between."""
    player = page.get_by_role("group", name="Player")
    player.focus()
    for key in ("ArrowRight", "ArrowRight", "ArrowLeft", "i"):
        player.press(key)
    expect(page.get_by_label("In: frame number")).to_have_value(str(FIRST + 1))
    page.get_by_label("In: frame number").fill(str(FIRST))
    until(lambda: in_player(page) == [FIRST, FIRST], what="the in point shown")
    player.focus()
    player.press("Space")
    shown: set[int] = set()

    def looped() -> bool:
        frame, number = in_player(page)
        assert frame == number
        shown.add(number)
        return len(shown) > FRAMES / 2

    until(looped, what="the part as it moves")
    assert min(shown) >= FIRST and max(shown) < FIRST + FRAMES
    player.press("Space")


def test_a_clip_goes_from_the_shelf_to_the_verdict(page: Page, app: Running, clip: Path) -> None:
    page.goto("/shelf")
    page.set_input_files("input[type=file]", clip)
    card = page.get_by_test_id("source").filter(has_text="numbered.mkv")
    expect(card).to_contain_text("40 frames, 1.60 s")
    expect(card).to_contain_text("25 frames/s, progressive")
    card.get_by_role("link", name="Set up a trial").click()
    page.get_by_label("In: frame number").fill(str(FIRST))
    page.get_by_label("Out: frame number").fill(str(FIRST + FRAMES - 1))
    page.get_by_label("In: timecode").fill("0:04")
    page.get_by_label("In: timecode").press("Enter")
    expect(page.get_by_label("In: frame number")).to_have_value("4")
    page.get_by_label("In: timecode").fill(f"00:00:00:{FIRST:02}")
    page.get_by_label("In: timecode").blur()
    expect(page.get_by_text(f"{FRAMES} of 40 frames, 0.56 s")).to_be_visible()
    plays_small(page)
    page.get_by_role("radio", name="same size").check()
    page.get_by_role("switch", name="Blur").click()
    page.get_by_role("button", name="None").click()
    page.get_by_role("checkbox", name="Unsharp mask").check()
    page.reload()
    expect(page.get_by_label("In: frame number")).to_have_value(str(FIRST))
    page.get_by_role("button", name="None").click()
    page.get_by_role("checkbox", name="Unsharp mask").check()
    expect(page.get_by_text(f"of {FRAMES} frames")).to_be_visible()
    page.get_by_role("button", name="Run the trial").click()
    expect(page.get_by_test_id("entry-A")).to_have_attribute("data-state", "done")
    page.get_by_role("link", name="Look", exact=True).click()
    settled(page, 0)
    page.keyboard.press("g")
    expect(page.locator("canvas[data-zoom='1']")).to_have_count(4)
    settled(page, 0)
    assert seen(page) == [FIRST] * 4
    page.get_by_role("button", name="Forward").click()
    page.keyboard.press("ArrowRight")
    settled(page, 2)
    assert seen(page) == [FIRST + 2] * 4 and page.get_by_test_id("frame").inner_text() == str(FIRST + 2)
    page.keyboard.press("Shift+I")
    page.get_by_label("Frame", exact=True).fill("9")
    page.get_by_role("button", name="Out").click()
    frames = page.get_by_role("region", name="Frames")
    page.locator("canvas").first.click()
    page.keyboard.press("Space")
    expect(frames.get_by_role("status")).to_contain_text("frames/s shown")
    told = set()

    def all_seen() -> bool:
        now = seen(page)
        assert len(set(now)) == 1, "panes show different frames"
        told.add(now[0] - FIRST)
        page.keyboard.press("1" if len(told) % 2 else "2")  # flip while it plays
        return len(told) >= 5

    until(all_seen, what="five frames of the loop")
    assert told <= set(range(2, 10))
    page.keyboard.press("Space")
    trace = page.get_by_role("img", name="SSIM over the frames")
    box = trace.bounding_box()
    assert box
    page.mouse.click(box["x"] + box["width"] * 12.5 / FRAMES, box["y"] + 20)
    settled(page, 12)
    assert seen(page)[0] == FIRST + 12
    expect(page).to_have_url(re.compile(r"frame=12\b"))
    page.reload()
    settled(page, 12)
    over_time(page)
    page.get_by_role("link", name="Scores", exact=True).click()
    expect(page.get_by_role("row", name="PSNR, RGB")).to_be_visible()


def test_the_picture_follows_the_pointer_along_the_strip(page: Page, app: Running, clip: Path) -> None:
    source = app.read("numbered.mkv", clip.read_bytes())
    page.goto("/shelf")
    picture = page.get_by_test_id("source").filter(has_text="numbered.mkv").locator("img")
    box = picture.locator("..").bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * 0.99, box["y"] + box["height"] / 2)
    last = source["facts"]["strip"][-1]
    expect(picture).to_have_attribute("src", f"/api/pictures/{source['picture_id']}/frames/{last}/thumbnail")
    small = app.http.get(f"/api/pictures/{source['picture_id']}/frames/{last}/thumbnail").content
    assert number_of(np.asarray(Image.open(io.BytesIO(small))).astype(np.uint16) * 257) == last


def test_numbered_files_become_one_clip_or_so_many_stills(page: Page, app: Running) -> None:
    def frames(stem: str) -> list[dict]:
        return [
            {"name": f"{stem}_{number:03d}.png", "mimeType": "image/png", "buffer": as_png(numbered(number))}
            for number in (1, 2, 3, 5)
        ]

    page.goto("/shelf")
    page.set_input_files("input[type=file]", frames("lamp")[::-1])
    asked = page.get_by_test_id("numbered-frames")
    expect(asked).to_contain_text("4 numbered files, lamp_001.png to lamp_005.png")
    asked.get_by_label("frames/s").select_option("25")
    asked.get_by_role("button", name="One clip").click()
    card = page.get_by_test_id("source").filter(has_text="lamp_001-005.png")
    expect(card).to_contain_text("4 frames, 0.16 s")
    expect(card).to_contain_text("Frame 4 is missing")
    source = next(one for one in app.http.get("/api/sources").json()["items"] if one["name"] == "lamp_001-005.png")
    content = app.http.get(f"/api/pictures/{source['picture_id']}/frames/3/plate").content
    assert np.array_equal(np.asarray(Image.open(io.BytesIO(content)).convert("RGB")), numbered(5))
    page.set_input_files("input[type=file]", frames("lamp"))
    asked.get_by_label("frames/s").select_option("25")
    asked.get_by_role("button", name="One clip").click()
    expect(page.get_by_text("is there already, as lamp_001-005.png")).to_be_visible()
    page.set_input_files("input[type=file]", frames("board"))
    asked.get_by_role("button", name="4 stills").click()
    expect(page.get_by_test_id("source").filter(has_text="board_005.png")).to_be_visible()
    page.set_input_files("input[type=file]", frames("other"))
    asked.get_by_role("button", name="Leave out").click()
    expect(asked).to_have_count(0)


def test_parts_worth_trying_and_cuts_are_shown_where_a_part_is_set(
    page: Page, app: Running, tmp_path: Path
) -> None:
    path = write_clip(tmp_path / "cut.mkv", "ffv1", "yuv444p", 140, picture=two_shots)
    source = app.read("cut.mkv", path.read_bytes())
    until(lambda: app.http.get(f"/api/sources/{source['id']}").json()["facts"]["shots"], what="the shots")
    page.goto("/shelf")
    card = page.get_by_test_id("source").filter(has_text="cut.mkv")
    expect(card.get_by_text("2 shots")).to_have_attribute("title", "They begin at 00:00:00:00, 00:00:02:20")
    card.get_by_role("link", name="Set up a trial").click()
    page.get_by_label("In: frame number").fill("60")
    page.get_by_label("Out: frame number").fill("80")
    expect(page.get_by_text("It spans a cut, at frame 70")).to_be_visible()
    page.get_by_role("button", name=re.compile("most movement")).click()
    expect(page.get_by_text("It spans a cut")).to_have_count(0)
    expect(page.get_by_text(re.compile("50 of 140 frames"))).to_be_visible()
