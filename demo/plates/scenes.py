"""The rendered plates of the Ostrander Tramway Trust: an invented world, built from numbers only."""

import mitsuba as mi
import numpy as np
from shapes import (
    box,
    brick,
    concrete,
    fractal,
    gloss,
    glow,
    leaves,
    lettered,
    matt,
    metal,
    moquette,
    planks,
    sheet,
    texture,
    tint,
    tubes,
)

WARM, COOL = (1.0, 0.72, 0.40), (0.72, 0.85, 1.0)


def camera(origin, target, fov, size, spp) -> dict:
    return {
        "type": "perspective",
        "fov": fov,
        "fov_axis": "x",
        "to_world": mi.ScalarTransform4f().look_at(origin=list(origin), target=list(target), up=[0, 0, 1]),
        "film": {
            "type": "hdrfilm",
            "width": size[0],
            "height": size[1],
            "rfilter": {"type": "box"},
        },
        "sampler": {"type": "independent", "sample_count": spp},
    }


def tram(prefix: str, x: float, y: float, number: str, place: str, livery, lit: bool, seed: int) -> dict:
    """One tram with its front at y, running away along +y, centre line at x."""
    half, length, floor, waist, roof = 1.1, 8.5, 0.55, 1.45, 2.75
    cream = gloss((0.72, 0.66, 0.50), 0.2)
    parts = {
        "body": box((x - half, y, floor), (x + half, y + length, waist), gloss(livery, 0.12)),
        "band": box(
            (x - half - 0.012, y - 0.012, waist - 0.10),
            (x + half + 0.012, y + length, waist),
            gloss((0.75, 0.55, 0.20), 0.2),
        ),
        "under": box(
            (x - half + 0.2, y + 0.4, 0.18),
            (x + half - 0.2, y + length - 0.4, floor),
            matt((0.03, 0.03, 0.03)),
        ),
        "top": box((x - half, y, roof - 0.42), (x + half, y + length, roof - 0.05), cream),
        "bumper": box((x - 0.8, y - 0.12, 0.40), (x + 0.8, y, 0.55), metal("Cr", 0.3)),
    }
    u, v = np.meshgrid(np.linspace(0, np.pi, 40), np.linspace(0, 1, 4), indexing="xy")
    vault = np.stack(
        [x + (half + 0.08) * np.cos(u), y - 0.1 + v * (length + 0.2), roof - 0.05 + 0.32 * np.sin(u)], -1
    )
    parts["vault"] = sheet("vault", vault, gloss((0.32, 0.33, 0.33), 0.25))
    front = [-1.1, -0.38, 0.38, 1.1]
    for i, at in enumerate(front):
        parts[f"pillar{i}"] = box((x + at - 0.05, y, waist), (x + at + 0.05, y + 0.10, roof - 0.4), cream)
    for i in range(8):
        for side in (-1, 1):
            at = y + 0.05 + i * (length - 0.1) / 7
            edge = x + side * half
            parts[f"post{i}{side}"] = box(
                (edge - 0.05, at - 0.05, waist), (edge + 0.05, at + 0.05, roof - 0.4), cream
            )
    inside = matt((0.55, 0.45, 0.30))
    parts["ceiling"] = box(
        (x - half + 0.05, y + 0.1, roof - 0.46), (x + half - 0.05, y + length - 0.1, roof - 0.43), inside
    )
    if lit:
        for i in range(4):
            at = y + 1.0 + 2.1 * i
            parts[f"lamp{i}"] = box(
                (x - 0.5, at - 0.06, roof - 0.52),
                (x + 0.5, at + 0.06, roof - 0.47),
                inside,
                emitter=glow(WARM, 20),
            )
        for side in (-0.62, 0.62):
            parts[f"head{side > 0}"] = {
                "type": "disk",
                "bsdf": inside,
                "emitter": glow(WARM, 30),
                "to_world": mi.ScalarTransform4f()
                .look_at([x + side, y - 0.02, 0.85], [x + side, y - 2, 0.85], [0, 0, 1])
                .scale(0.10),
            }
    for i in range(5):
        at = y + 1.3 + 1.45 * i
        parts[f"seat{i}"] = box(
            (x - 0.95, at, floor + 0.4), (x + 0.95, at + 0.12, waist + 0.35), matt((0.35, 0.08, 0.08))
        )
    sign = lettered(
        (900, 220),
        (0.03, 0.03, 0.035),
        [(place, "DejaVuSans-Bold", min(120, 1150 // len(place)), 450, 112, (0.95, 0.88, 0.65))],
        seed,
    )
    plate = {"type": "rectangle", "bsdf": gloss(texture(sign), 0.2)}
    front_facing = mi.ScalarTransform4f().look_at([x, y - 0.03, roof - 0.22], [x, y - 2, roof - 0.22], [0, 0, 1])
    parts["sign"] = {**plate, "to_world": front_facing.scale([0.72, 0.176, 1])}
    fleet = lettered(
        (300, 300), livery, [(number, "DejaVuSerif-Bold", 150, 150, 150, (0.85, 0.70, 0.30))], seed + 7
    )
    low = mi.ScalarTransform4f().look_at([x, y - 0.015, 1.02], [x, y - 2, 1.02], [0, 0, 1])
    parts["number"] = {"type": "rectangle", "bsdf": gloss(texture(fleet), 0.12), "to_world": low.scale(0.26)}
    return {f"{prefix}_{key}": part for key, part in parts.items()}


def hall(day: bool) -> dict:
    """The depot hall: brick walls, steel roof, pits and rails; lamps by night, roof lights by day."""
    steel = gloss((0.10, 0.14, 0.13), 0.25)
    scene = {
        "type": "scene",
        "integrator": {"type": "path", "max_depth": 5},
        "floor": {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().translate([0, 15, 0]).scale([8, 20, 1]),
            "bsdf": gloss(texture(concrete(3), (5, 12)), 0.22),
        },
        "back": {
            "type": "rectangle",
            "bsdf": matt(texture(brick(5), (5, 2.6))),
            "to_world": mi.ScalarTransform4f().look_at([0, 27, 3.2], [0, 0, 3.2], [0, 0, 1]).scale([8, 4.2, 1]),
        },
    }
    for side in (-1, 1):
        scene[f"wall{side}"] = {
            "type": "rectangle",
            "bsdf": matt(texture(brick(8 + side), (12, 2.6))),
            "to_world": mi.ScalarTransform4f()
            .look_at([side * 7.0, 12, 3.2], [0, 12, 3.2], [0, 0, 1])
            .scale([18, 4.2, 1]),
        }
        scene[f"roof{side}"] = {
            "type": "rectangle",
            "bsdf": matt(texture(planks(2, (0.30, 0.26, 0.20), 24), (1, 4))),
            "to_world": mi.ScalarTransform4f()
            .look_at([side * 4.0, 12, 6.6], [side * 3.0, 12, 3.0], [0, 1, 0])
            .scale([4.4, 20, 1]),
        }
    for track in (-2.6, 2.6):
        for rail in (-0.55, 0.55):
            scene[f"rail{track > 0}{rail > 0}"] = box(
                (track + rail - 0.035, -4, 0), (track + rail + 0.035, 26, 0.03), metal("Cr", 0.2)
            )
    wires = []
    for i in range(9):
        at = -1 + 3.2 * i
        wires += [
            np.array([[-7, at, 5.3], [7, at, 5.3]]),
            np.array([[-7, at, 5.3], [0, at, 7.2], [7, at, 5.3]]),
        ]
        for k in range(-6, 7, 2):
            wires.append(
                np.array(
                    [[k, at, 5.3], [k + (1 if k < 0 else -1), at, 7.2 - 0.27 * abs(k + (1 if k < 0 else -1))]]
                )
            )
    scene["truss"] = tubes(
        "truss", [np.linspace(p[0], p[-1], 2) if len(p) == 2 else p for p in wires], 0.045, steel, 8
    )
    cables = [np.array([[t, y, 4.75] for y in np.linspace(-4, 26, 40)]) for t in (-2.6, 2.6)]
    scene["cable"] = tubes("cable", cables, 0.012, metal("Cu", 0.3), 6)
    if day:
        for i in range(5):
            at = 0.5 + 5.2 * i
            scene[f"skylight{i}"] = box(
                (-1.6, at, 6.55),
                (1.6, at + 2.6, 6.6),
                matt((0.8, 0.8, 0.8)),
                emitter=glow((0.86, 0.94, 1.0), 9),
            )
        scene["door"] = {
            "type": "rectangle",
            "emitter": glow((1.0, 0.96, 0.88), 2.5),
            "bsdf": matt((0.0, 0.0, 0.0)),
            "to_world": mi.ScalarTransform4f().look_at([0, -6, 3], [0, 10, 2], [0, 0, 1]).scale([7, 3, 1]),
        }
    else:
        for i in range(4):
            for x in (-4.6, 0.0, 4.6):
                at = 1.5 + 5.5 * i
                scene[f"bulb{i}_{x:.0f}"] = {
                    "type": "sphere",
                    "center": [x, at, 4.3],
                    "radius": 0.16,
                    "emitter": glow(WARM, 70),
                }
                shade = mi.ScalarTransform4f().translate([x, at, 4.44]).scale(0.36)
                scene[f"shade{i}_{x:.0f}"] = {
                    "type": "disk",
                    "to_world": shade,
                    "bsdf": gloss((0.05, 0.14, 0.10), 0.2),
                }
        scene["moon"] = {
            "type": "rectangle",
            "emitter": glow((0.35, 0.5, 1.0), 0.22),
            "bsdf": matt((0.0, 0.0, 0.0)),
            "to_world": mi.ScalarTransform4f().look_at([0, -6, 3], [0, 10, 2], [0, 0, 1]).scale([7, 3, 1]),
        }
    scene["bench"] = box((4.9, 5.0, 0), (6.6, 7.6, 0.9), matt(texture(planks(12), (1, 1))))
    for i in range(7):
        x, y = 5.2 + 0.22 * (i % 4), 5.3 + 0.31 * i
        paint = gloss(((0.6, 0.1, 0.08), (0.1, 0.25, 0.5), (0.7, 0.6, 0.1))[i % 3], 0.1)
        scene[f"tin{i}"] = {
            "type": "cylinder",
            "p0": [x, y, 0.9],
            "p1": [x, y, 1.15],
            "radius": 0.09,
            "bsdf": paint,
        }
    ladder = [np.array([[-6.4, 6 + s, 0], [-6.85, 6 + s, 3.6]]) for s in (0, 0.5)]
    ladder += [
        np.array([[-6.4 - 0.45 * k / 12, 6, 3.6 * k / 12], [-6.4 - 0.45 * k / 12, 6.5, 3.6 * k / 12]])
        for k in range(1, 12)
    ]
    scene["ladder"] = tubes("ladder", ladder, 0.03, matt((0.55, 0.42, 0.22)), 8)
    return scene


def depot_at_night(size, spp) -> dict:
    scene = hall(day=False)
    scene |= tram("t1", -2.6, 5.0, "17", "HOLLOWGATE LOOP", (0.20, 0.03, 0.04), True, 21)
    scene |= tram("t2", 2.6, 9.0, "24", "DEPOT", (0.04, 0.12, 0.10), False, 33)
    scene["sensor"] = camera((0.6, -2.4, 1.75), (-0.5, 9, 1.75), 58, size, spp)
    return scene


def tram_hall(size, spp) -> dict:
    scene = hall(day=True)
    scene |= tram("t1", -2.6, 9.5, "9", "THORNMERE", (0.05, 0.16, 0.30), True, 41)
    scene |= tram("t2", 2.6, 4.0, "31", "MARKET CROSS", (0.42, 0.16, 0.03), True, 52)
    scene["sensor"] = camera((-3.2, -3.0, 2.3), (1.4, 10, 1.7), 62, size, spp)
    return scene


def archive_ride(size, spp) -> dict:
    scene = hall(day=True)
    scene |= tram("t1", -2.6, 3.2, "5", "FERRY STEPS", (0.20, 0.20, 0.22), False, 61)
    scene["sensor"] = camera((1.6, -2.6, 1.6), (-2.4, 6, 1.5), 50, size, spp)
    return scene


def destination_board(size, spp) -> dict:
    cream, gold, red = (0.90, 0.84, 0.66), (0.80, 0.60, 0.22), (0.62, 0.12, 0.09)
    rows = [
        ("OSTRANDER TRAMWAYS", "DejaVuSerif-Bold", 146, 1200, 170, gold),
        ("HOLLOWGATE LOOP", "DejaVuSans-Bold", 196, 1200, 430, cream),
        ("via Thornmere & the Ferry Steps", "DejaVuSerif", 96, 1200, 610, cream),
        ("every 12 minutes", "DejaVuSerif", 84, 1200, 740, red),
    ]
    stops = [
        "Depot Yard .... 6.04",
        "Tannery Row ... 6.09",
        "Market Cross .. 6.15",
        "Thornmere ... 6.22",
        "Ferry Steps ... 6.31",
        "Signal Lane ... 6.38",
    ]
    for i, stop in enumerate(stops):
        rows.append((stop, "DejaVuSansMono", 50, 640 if i < 3 else 1760, 920 + 92 * (i % 3), cream))
    rows.append(
        (
            "Passengers are kindly asked to have their coppers ready. Do not speak to the driver.",
            "DejaVuSerif",
            38,
            1200,
            1240,
            gold,
        )
    )
    painted = lettered((2400, 1340), (0.035, 0.055, 0.10), rows, 71)
    scratch = np.abs(fractal((1340, 2400), 72, 24, 0.8)) < 0.012
    painted = np.where(scratch[..., None], painted * 0.6 + 0.12, painted)
    for inset, colour in ((40, gold), (54, red)):
        painted[inset : inset + 6, inset:-inset] = painted[-inset - 6 : -inset, inset:-inset] = colour
        painted[inset:-inset, inset : inset + 6] = painted[inset:-inset, -inset - 6 : -inset] = colour
    wood = matt(texture(planks(75), (1, 1)))
    scene = {
        "type": "scene",
        "integrator": {"type": "path", "max_depth": 5},
        "board": {
            "type": "rectangle",
            "bsdf": gloss(texture(painted), 0.18),
            "to_world": mi.ScalarTransform4f().look_at([0, 0, 0], [0, -1, 0], [0, 0, 1]).scale([1.79, 1, 1]),
        },
        "wall": {
            "type": "rectangle",
            "bsdf": matt(texture(brick(77), (3, 2))),
            "to_world": mi.ScalarTransform4f().look_at([0, 0.2, 0], [0, -1, 0], [0, 0, 1]).scale([4, 2.6, 1]),
        },
        "sun": {
            "type": "rectangle",
            "emitter": glow((1, 0.93, 0.8), 14),
            "to_world": mi.ScalarTransform4f().look_at([-4.5, -4, 4.2], [0, 0, 0], [0, 0, 1]).scale(0.9),
        },
        "sky": {"type": "constant", "radiance": {"type": "rgb", "value": [0.33, 0.38, 0.46]}},
        "sensor": camera((0.55, -4.2, -0.35), (0.02, 0, 0.0), 52, size, spp),
    }
    for i, (low, high) in enumerate(
        (
            ((-1.9, -0.07, 1.0), (1.9, 0.05, 1.12)),
            ((-1.9, -0.07, -1.12), (1.9, 0.05, -1.0)),
            ((-1.9, -0.07, -1.0), (-1.79, 0.05, 1.0)),
            ((1.79, -0.07, -1.0), (1.9, 0.05, 1.0)),
        )
    ):
        scene[f"frame{i}"] = box(low, high, wood)
    for i, (x, z) in enumerate(((-1.84, 1.06), (1.84, 1.06), (-1.84, -1.06), (1.84, -1.06))):
        scene[f"bolt{i}"] = {
            "type": "sphere",
            "center": [x, -0.07, z],
            "radius": 0.028,
            "bsdf": metal("Cu", 0.2),
        }
    return scene


def saloon(size, spp) -> dict:
    panel, cloth = texture(planks(81, (0.36, 0.17, 0.07), 5), (3, 1)), texture(moquette(82), (2, 1))
    brass = {
        "type": "twosided",
        "bsdf": {
            "type": "roughconductor",
            "alpha": 0.12,
            "specular_reflectance": {"type": "rgb", "value": [0.90, 0.68, 0.30]},
        },
    }
    scene = {
        "type": "scene",
        "integrator": {"type": "path", "max_depth": 6},
        "floor": {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().scale([3, 4, 1]),
            "bsdf": matt(texture(planks(83, (0.30, 0.24, 0.17), 30), (1, 2))),
        },
        "dado": box((-2.3, 1.5, 0), (2.3, 1.62, 1.0), gloss(panel, 0.12)),
        "rail": box(
            (-2.3, 1.42, 1.0),
            (2.3, 1.62, 1.06),
            gloss(texture(planks(84, (0.45, 0.22, 0.09), 1), (1, 4)), 0.1),
        ),
        "header": box((-2.3, 1.5, 1.85), (2.3, 1.62, 2.4), gloss(panel, 0.12)),
        "left": box((-2.2, -3, 0), (-2.1, 1.6, 2.4), gloss(panel, 0.15)),
        "right": box((2.1, -3, 0), (2.2, 1.6, 2.4), gloss(panel, 0.15)),
        "ceiling": box((-2.3, -3, 2.4), (2.3, 1.7, 2.45), matt((0.78, 0.74, 0.62))),
        "window": {
            "type": "rectangle",
            "bsdf": matt((0.0, 0.0, 0.0)),
            "emitter": {
                "type": "area",
                "radiance": texture(np.clip(tint((0.80, 0.86, 0.90), fractal((256, 1024), 86, 90), 0.14), 0, 1)),
            },
            "to_world": mi.ScalarTransform4f()
            .look_at([0, 1.75, 1.5], [0, -1, 1.5], [0, 0, 1])
            .scale([2.3, 0.6, 1]),
        },
        "fill": {
            "type": "rectangle",
            "emitter": glow((1, 0.88, 0.70), 16),
            "to_world": mi.ScalarTransform4f()
            .look_at([0.2, -2.4, 2.3], [0, 0.6, 0.8], [0, 1, 0])
            .scale([1.3, 0.5, 1]),
        },
        "sensor": camera((-1.25, -2.15, 1.42), (0.25, 1.0, 0.78), 60, size, spp),
    }
    for i in range(5):
        x = -2.1 + 1.05 * i
        scene[f"mullion{i}"] = box((x - 0.05, 1.48, 1.0), (x + 0.05, 1.62, 1.9), gloss(panel, 0.12))
    u, v = np.meshgrid(np.linspace(0, 1, 120), np.linspace(0, 1, 60))
    for i in range(3):
        x0 = -1.95 + 1.32 * i
        puff = 0.10 * (1 - (2 * u - 1) ** 6) * (1 - (2 * v - 1) ** 6)
        for tuft_u in (0.25, 0.5, 0.75):
            for tuft_v in (0.35, 0.7):
                puff -= 0.05 * np.exp(-(((u - tuft_u) / 0.05) ** 2 + ((v - tuft_v) / 0.09) ** 2))
        scene[f"seat{i}"] = sheet("seat", np.stack([x0 + 1.26 * u, 0.62 + 0.72 * v, 0.46 + puff], -1), matt(cloth))
        scene[f"seatbase{i}"] = box((x0, 0.64, 0), (x0 + 1.26, 1.4, 0.46), gloss(panel, 0.15))
        scene[f"backrest{i}"] = sheet(
            "back", np.stack([x0 + 1.26 * u, 1.40 - puff + 0.1 * (1 - v), 0.5 + 0.62 * v], -1), matt(cloth)
        )
        for k, (tu, tv) in enumerate([(a, b) for a in (0.25, 0.5, 0.75) for b in (0.35, 0.7)]):
            scene[f"button{i}{k}"] = {
                "type": "sphere",
                "center": [x0 + 1.26 * tu, 1.40 - 0.05 + 0.1 * (1 - tv), 0.5 + 0.62 * tv],
                "radius": 0.018,
                "bsdf": brass,
            }
    poles = [
        np.array([[x, y, z] for z in np.linspace(0, 2.4, 6)])
        for x, y in ((-0.62, 0.50), (0.70, 0.50), (1.5, -0.2))
    ]
    poles.append(np.array([[x, 0.50, 2.02] for x in np.linspace(-2.1, 2.1, 6)]))
    scene["poles"] = tubes("poles", poles, 0.022, brass, 24)
    for i in range(9):
        x = -1.8 + 0.45 * i
        strap = np.stack(
            [
                x + 0.05 * np.sin(np.linspace(0, 2 * np.pi, 40)),
                np.full(40, 0.5),
                1.70 + 0.07 * np.cos(np.linspace(0, 2 * np.pi, 40)),
            ],
            -1,
        )
        scene[f"strap{i}"] = tubes(
            "strap",
            [strap, np.array([[x, 0.5, 1.77], [x, 0.5, 2.02]])],
            0.010,
            gloss((0.16, 0.07, 0.03), 0.25),
            10,
        )
    return scene


def netting(size, spp) -> dict:
    rng = np.random.default_rng(91)
    scene = {
        "type": "scene",
        "integrator": {"type": "path", "max_depth": 4},
        "ground": {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().scale([8, 8, 1]),
            "bsdf": matt(texture(tint((0.42, 0.38, 0.30), fractal((1024, 1024), 92, 10, 0.9), 0.25), (6, 6))),
        },
        "sky": {"type": "constant", "radiance": {"type": "rgb", "value": [0.55, 0.68, 0.90]}},
        "sun": {
            "type": "directional",
            "direction": [0.5, 0.8, -0.75],
            "irradiance": {"type": "rgb", "value": [3.4, 3.0, 2.4]},
        },
        "core": box((-5, 1.72, 0), (5, 2.2, 1.92), matt((0.02, 0.035, 0.012))),
        "sensor": camera((-0.5, -2.3, 1.25), (0.15, 1.2, 1.12), 50, size, spp),
    }
    greens = [
        (0.10, 0.22, 0.04),
        (0.16, 0.30, 0.06),
        (0.07, 0.16, 0.05),
        (0.24, 0.33, 0.08),
        (0.30, 0.22, 0.07),
    ]
    for i, green in enumerate(greens):
        count = 40000 if i < 4 else 5000
        centres = np.stack(
            [
                rng.uniform(-3.6, 3.6, count),
                1.45 + 0.28 * np.abs(rng.standard_normal(count)),
                rng.uniform(0.02, 2.05, count),
            ],
            -1,
        )
        centres[:, 1] += 0.13 * np.sin(centres[:, 0] * 2.3) * np.sin(centres[:, 2] * 2.9)
        scene[f"leaves{i}"] = leaves("leaves", centres, 0.06, 93 + i, matt(green))
    pitch, wires = 0.10, []
    for k in range(-34, 35):
        steps = np.arange(0, 38)
        zig = np.where(steps % 2 == 0, 0.0, pitch / 2)
        path = np.stack(
            [k * pitch + zig * 1.02, np.where(steps % 2 == 0, 0.004, -0.004), 0.06 + steps * pitch / 2], -1
        )
        mirrored = path.copy()
        mirrored[:, 0] = (k + 1) * pitch - zig * 1.02
        wires += [path, mirrored]
    scene["net"] = tubes("net", wires, 0.0035, metal("Cr", 0.35), 6)
    for i, x in enumerate((-2.4, 0.05, 2.5)):
        scene[f"post{i}"] = tubes(
            "post", [np.array([[x, 0.03, 0], [x, 0.03, 2.05]])], 0.035, gloss((0.18, 0.28, 0.20), 0.3), 20
        )
    rails = [np.array([[-4, 0.0, z], [4, 0.0, z]]) for z in (0.07, 1.93)]
    scene["rails"] = tubes("rails", rails, 0.016, gloss((0.18, 0.28, 0.20), 0.3), 12)
    return scene
