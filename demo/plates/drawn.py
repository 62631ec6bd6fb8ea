"""Draw the plates that are not photographs: a hoarding poster and a screen recording (Pillow only).

python demo/plates/drawn.py OUT
"""

import argparse
import math
import random
from pathlib import Path

from PIL import Image, ImageDraw, ImageFont

FONTS = "/usr/share/fonts/truetype/dejavu/"
INK, CREAM, SUN, SEA, BRICK, LEAF = "#1d2430", "#f3e7c9", "#f0b63f", "#5aa6a6", "#c2512f", "#4f7a46"


def font(name: str, size: float) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(f"{FONTS}{name}.ttf", round(size))


def poster(width: int = 6000, height: int = 4000, over: int = 2) -> Image.Image:
    """24 megapixels in a drawn style: flat areas, hard edges, hatching, dots and lettering."""
    w, h = width * over, height * over
    image = Image.new("RGB", (w, h), CREAM)
    draw = ImageDraw.Draw(image)
    u = w / 6000
    cx, cy = 0.66 * w, 0.56 * h
    for ray in range(36):
        a, b = math.tau * ray / 36, math.tau * (ray + 0.5) / 36
        reach = 1.2 * w
        draw.polygon(
            [
                (cx, cy),
                (cx + reach * math.cos(a), cy + reach * math.sin(a)),
                (cx + reach * math.cos(b), cy + reach * math.sin(b)),
            ],
            fill="#f7d98c",
        )
    draw.ellipse([cx - 900 * u, cy - 900 * u, cx + 900 * u, cy + 900 * u], fill=SUN)
    for level, colour in enumerate(("#8fb8a8", SEA, LEAF)):
        base = h * (0.60 + 0.09 * level)
        line = [
            (
                x,
                base + 150 * u * math.sin(x / (520 * u) + level * 2) + 60 * u * math.sin(x / (170 * u) + level),
            )
            for x in range(0, w + 40, 40)
        ]
        draw.polygon([(0, h), *line, (w, h)], fill=colour)
    draw.rectangle([0, 0.86 * h, w, h], fill=INK)
    for x in range(-200, 6400, 46):
        draw.line([(x * u, 0.86 * h), ((x - 260) * u, h)], fill="#2f3a4b", width=round(9 * u))
    for rail in (0.885, 0.945):
        draw.rectangle([0, rail * h, w, rail * h + 26 * u], fill="#9fb0b8")
    left, top, right, bottom = 3000 * u, 1500 * u, 5560 * u, 3500 * u
    draw.rounded_rectangle([left, top, right, bottom], 260 * u, fill=BRICK, outline=INK, width=round(34 * u))
    draw.rounded_rectangle(
        [left + 60 * u, top - 190 * u, right - 60 * u, top + 90 * u],
        120 * u,
        fill="#e9dcc0",
        outline=INK,
        width=round(34 * u),
    )
    draw.rectangle([left + 17 * u, 2560 * u, right - 17 * u, 2660 * u], fill=SUN)
    for pane in range(3):
        x = left + (190 + pane * 760) * u
        draw.rounded_rectangle(
            [x, 1780 * u, x + 660 * u, 2480 * u], 70 * u, fill="#bfe0dc", outline=INK, width=round(26 * u)
        )
        for stripe in range(5):
            s = x + (90 + stripe * 110) * u
            draw.line([(s + 130 * u, 1830 * u), (s - 20 * u, 2430 * u)], fill="#dff0ee", width=round(14 * u))
    draw.rounded_rectangle([left + 500 * u, 1540 * u, right - 500 * u, 1740 * u], 40 * u, fill=INK)
    draw.text(
        ((left + right) / 2, 1640 * u),
        "HOLLOWGATE LOOP",
        font=font("DejaVuSans-Bold", 138 * u),
        fill=SUN,
        anchor="mm",
    )
    for lamp in (left + 430 * u, right - 430 * u):
        draw.ellipse(
            [lamp - 190 * u, 2860 * u, lamp + 190 * u, 3240 * u],
            fill="#fdf4d6",
            outline=INK,
            width=round(34 * u),
        )
        draw.ellipse([lamp - 110 * u, 2940 * u, lamp + 110 * u, 3160 * u], outline=SUN, width=round(20 * u))
    draw.text(
        ((left + right) / 2, 3050 * u),
        "31",
        font=font("DejaVuSerif-Bold", 380 * u),
        fill=CREAM,
        anchor="mm",
        stroke_width=round(12 * u),
        stroke_fill=INK,
    )
    draw.line(
        [((left + right) / 2, top - 190 * u), (4050 * u, 560 * u), (4700 * u, 240 * u)],
        fill=INK,
        width=round(22 * u),
    )
    draw.line([(0, 300 * u), (w, 190 * u)], fill=INK, width=round(12 * u))
    for row in range(24):
        for column in range(60 - row):
            r = (15 - 0.5 * row) * u
            x, y = (90 + 46 * column + (row % 2) * 23) * u, (3270 - 40 * row) * u
            draw.ellipse([x - r, y - r, x + r, y + r], fill="#355a39")
    for line, (text, size, colour) in enumerate((("RIDE", 700, BRICK), ("THE LOOP", 470, INK))):
        draw.text(
            (220 * u, (930 + 640 * line) * u),
            text,
            font=font("DejaVuSans-Bold", size * u),
            fill=colour,
            anchor="ls",
        )
    draw.text(
        (240 * u, 1790 * u),
        "A century of brass, cloth and sparks",
        font=font("DejaVuSerif", 128 * u),
        fill=INK,
        anchor="ls",
    )
    small = "Ostrander Tramway Trust. Exhibition in the old hall, spring to first frost. Printed on the Trust's own press."
    draw.text((240 * u, 1930 * u), small, font=font("DejaVuSans", 47 * u), fill=INK, anchor="ls")
    return image.resize((width, height), Image.Resampling.BOX)


def control_desk(width: int = 1920, height: int = 1080) -> Image.Image:
    """A screen recording of the made-up control desk: small type, thin lines, flat colour."""
    rng = random.Random(7)
    image = Image.new("RGB", (width, height), "#10181c")
    draw = ImageDraw.Draw(image)
    draw.rectangle([0, 0, width, 42], fill="#1c2a30")
    draw.text((18, 21), "LOOP CONTROL DESK", font=font("DejaVuSans-Bold", 18), fill="#d7e3e0", anchor="lm")
    draw.text(
        (width - 18, 21), "Depot Yard  06:14:07", font=font("DejaVuSansMono", 16), fill="#8fb3ac", anchor="rm"
    )
    stops = [
        "Depot Yard",
        "Tannery Row",
        "Market Cross",
        "Thornmere",
        "Ferry Steps",
        "Signal Lane",
        "Old Hall",
        "Kiln Bank",
    ]
    points = [
        (690 + 520 * math.cos(math.tau * i / 8 - 1.9), 400 + 270 * math.sin(math.tau * i / 8 - 1.9))
        for i in range(8)
    ]
    loop = [(690 + 520 * math.cos(t / 100 - 1.9), 400 + 270 * math.sin(t / 100 - 1.9)) for t in range(630)]
    draw.line(loop, fill="#3f6b66", width=7)
    draw.line(loop, fill="#79c7b7", width=1)
    for (x, y), stop in zip(points, stops, strict=True):
        draw.ellipse([x - 9, y - 9, x + 9, y + 9], fill="#10181c", outline="#e2efe9", width=3)
        draw.text((x, y - 22), stop, font=font("DejaVuSans", 15), fill="#d7e3e0", anchor="mm")
        draw.text(
            (x, y + 22),
            f"plat {rng.randint(1, 3)}  +{rng.randint(0, 4)} min",
            font=font("DejaVuSansMono", 11),
            fill="#8fb3ac",
            anchor="mm",
        )
    for car in range(5):
        x, y = loop[(car * 137 + 60) % 630]
        draw.rounded_rectangle([x - 24, y - 12, x + 24, y + 12], 4, fill="#d98b3a", outline="#ffe1b8")
        draw.text(
            (x, y),
            str(rng.choice([5, 9, 17, 24, 31])),
            font=font("DejaVuSans-Bold", 13),
            fill="#20140a",
            anchor="mm",
        )
    draw.rectangle([1320, 62, 1900, 1060], outline="#35505a")
    draw.text((1336, 84), "Departures", font=font("DejaVuSans-Bold", 16), fill="#d7e3e0", anchor="lm")
    for row in range(44):
        y = 112 + row * 21
        if row % 2:
            draw.rectangle([1322, y - 10, 1898, y + 10], fill="#152127")
        minute = 374 + row * 4
        text = f"{minute // 60:02d}:{minute % 60:02d}  car {rng.choice([5, 9, 17, 24, 31]):>2}  {stops[row % 8]:<14} {rng.choice(['on time', 'held 1 min', 'early', 'reversing'])}"
        draw.text(
            (1336, y),
            text,
            font=font("DejaVuSansMono", 13),
            fill="#b9d2cc" if row % 5 else "#f0c27a",
            anchor="lm",
        )
    draw.rectangle([20, 740, 1300, 1060], outline="#35505a")
    for line in range(9):
        draw.line([(70, 770 + 32 * line), (1280, 770 + 32 * line)], fill="#22343a")
        draw.text(
            (62, 770 + 32 * line),
            str(640 - 10 * line),
            font=font("DejaVuSansMono", 11),
            fill="#8fb3ac",
            anchor="rm",
        )
    for colour, phase in (("#79c7b7", 0.0), ("#d98b3a", 1.4), ("#c9d36a", 2.6)):
        trace = [
            (70 + x, 900 + 70 * math.sin(x / 90 + phase) + 14 * math.sin(x / 13 + phase) + rng.gauss(0, 3))
            for x in range(0, 1210, 3)
        ]
        draw.line(trace, fill=colour, width=1)
    draw.text((30, 755), "Line voltage, V", font=font("DejaVuSans", 12), fill="#d7e3e0", anchor="lm")
    return image


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("out", type=Path)
    out = parser.parse_args().out
    out.mkdir(parents=True, exist_ok=True)
    poster().save(out / "poster.png", optimize=True)
    control_desk().save(out / "control_desk.png", optimize=True)


if __name__ == "__main__":
    main()
