"""Meshes and painted textures that the rendered plates are built from; z is up, lengths are metres."""

import mitsuba as mi
import numpy as np
from PIL import Image, ImageDraw, ImageFont
from scipy import ndimage

FONTS = "/usr/share/fonts/truetype/dejavu/"


def font(name: str, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(f"{FONTS}{name}.ttf", size)


def cloud(shape: tuple[int, int], scale: float, seed: int) -> np.ndarray:
    """Smooth noise, zero mean, unit deviation, features about `scale` pixels wide; wraps around."""
    field = np.random.default_rng(seed).standard_normal(shape)
    field = ndimage.gaussian_filter(field, scale, mode="wrap")
    return field / field.std()


def fractal(shape: tuple[int, int], seed: int, largest: float = 64, fall: float = 0.6) -> np.ndarray:
    total, weight, scale = np.zeros(shape), 1.0, largest
    while scale >= 0.7:
        total += weight * cloud(shape, scale, seed + int(scale * 10))
        weight, scale = weight * fall, scale / 2
    return total / total.std()


def texture(rgb: np.ndarray, repeat: tuple[float, float] = (1, 1)) -> dict:
    """A bitmap texture from an (H, W, 3) sRGB array in 0..1."""
    flipped = np.ascontiguousarray(np.clip(rgb, 0, 1)[::-1].astype(np.float32))
    linear = np.where(flipped <= 0.04045, flipped / 12.92, ((flipped + 0.055) / 1.055) ** 2.4)
    return {
        "type": "bitmap",
        "bitmap": mi.Bitmap(linear.astype(np.float32)),
        "raw": True,
        "to_uv": mi.ScalarTransform4f().scale([repeat[0], repeat[1], 1]),
    }


def tint(base: tuple[float, float, float], field: np.ndarray, amount: float) -> np.ndarray:
    return np.asarray(base)[None, None] * (1 + amount * field[..., None])


def brick(seed: int) -> np.ndarray:
    height, width, rows = 1024, 1024, 16
    y, x = np.mgrid[0:height, 0:width]
    row = y * rows // height
    shifted = (x + (row % 2) * 64) % width
    mortar = ((y * rows / height) % 1 < 0.1) | ((shifted % 128) < 7)
    shade = np.random.default_rng(seed).normal(0, 0.13, (rows, 9))[row, shifted // 128]
    clay = tint((0.50, 0.27, 0.20), shade + 0.12 * fractal((height, width), seed, 8), 1.0)
    lime = tint((0.52, 0.50, 0.46), fractal((height, width), seed + 1, 8), 0.08)
    return np.where(mortar[..., None], lime, clay)


def concrete(seed: int) -> np.ndarray:
    field = fractal((1024, 1024), seed, 128, 0.75)
    stains = np.clip(cloud((1024, 1024), 60, seed + 9), 0, 2)
    return tint((0.40, 0.39, 0.37), field, 0.12) * (1 - 0.2 * stains[..., None])


def planks(seed: int, base: tuple[float, float, float] = (0.42, 0.23, 0.11), boards: int = 6) -> np.ndarray:
    size = 1024
    grain = ndimage.gaussian_filter(
        np.random.default_rng(seed).standard_normal((size, size)), (30, 0.8), mode="wrap"
    )
    wave = np.sin(np.mgrid[0:size, 0:size][1] / 9 + 3 * cloud((size, size), 90, seed + 2))
    x = np.mgrid[0:size, 0:size][1]
    board = x * boards // size
    shade = np.random.default_rng(seed + 3).normal(0, 0.1, boards)[board]
    gap = (x * boards / size) % 1 < 0.025
    wood = tint(base, grain / grain.std() * 0.10 + wave * 0.10 + shade, 1.0)
    return np.where(gap[..., None], wood * 0.25, wood)


def moquette(seed: int) -> np.ndarray:
    """Woven seat cloth: diamonds and dots in three colours with a visible thread."""
    size = 1024
    y, x = np.mgrid[0:size, 0:size]
    u, v = (x % 64) / 64 - 0.5, (y % 64) / 64 - 0.5
    diamond = np.abs(u) + np.abs(v)
    cloth = np.empty((size, size, 3))
    cloth[:] = (0.42, 0.07, 0.09)
    cloth[diamond < 0.36] = (0.10, 0.18, 0.20)
    cloth[diamond < 0.26] = (0.72, 0.55, 0.25)
    cloth[diamond < 0.12] = (0.42, 0.07, 0.09)
    cloth[(np.abs(u) > 0.44) & (np.abs(v) > 0.44)] = (0.72, 0.55, 0.25)
    thread = 0.16 * np.sin(x * np.pi / 2) * np.cos(y * np.pi / 2) + 0.10 * fractal((size, size), seed, 6)
    return cloth * (1 + thread[..., None])


def lettered(size: tuple[int, int], ground: tuple[float, ...], lines: list[tuple], seed: int) -> np.ndarray:
    """Hand-painted lines `(text, font, size, centre x, centre y, colour)` on a ground, with brush wobble."""
    width, height = size
    image = np.empty((height, width, 3))
    image[:] = ground
    dx, dy = 1.6 * cloud((height, width), 14, seed), 1.6 * cloud((height, width), 14, seed + 1)
    rows, cols = np.mgrid[0:height, 0:width].astype(float)
    for text, face, points, cx, cy, colour in lines:
        mask = Image.new("L", size)
        ImageDraw.Draw(mask).text((cx, cy), text, font=font(face, points), fill=255, anchor="mm")
        wobble = min(1.0, points / 110)
        ink = ndimage.map_coordinates(
            np.asarray(mask, float) / 255, [rows + wobble * dy, cols + wobble * dx], order=1
        )
        stroke = (
            1
            + 0.05
            * ndimage.gaussian_filter(
                np.random.default_rng(seed + points).standard_normal((height, width)), (0.8, 9)
            )
            * 8
        )
        image = image * (1 - ink[..., None]) + ink[..., None] * np.asarray(colour) * stroke[..., None]
    return image * (1 + 0.03 * fractal((height, width), seed + 5, 32)[..., None])


def mesh(name: str, points: np.ndarray, faces: np.ndarray, uv: np.ndarray, bsdf: dict) -> mi.Mesh:
    props = mi.Properties()
    props["bsdf"] = mi.load_dict(bsdf)
    shape = mi.Mesh(name, len(points), len(faces), has_vertex_texcoords=True, props=props)
    params = mi.traverse(shape)
    params["vertex_positions"] = points.astype(np.float32).ravel()
    params["faces"] = faces.astype(np.uint32).ravel()
    params["vertex_texcoords"] = uv.astype(np.float32).ravel()
    params.update()
    return shape


def sheet(name: str, grid: np.ndarray, bsdf: dict, repeat: tuple[float, float] = (1, 1)) -> mi.Mesh:
    """A surface through an (M, N, 3) grid of points."""
    m, n = grid.shape[:2]
    index = np.arange(m * n).reshape(m, n)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    faces = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
    v, u = np.meshgrid(np.linspace(0, repeat[1], m), np.linspace(0, repeat[0], n), indexing="ij")
    return mesh(name, grid.reshape(-1, 3), faces, np.stack([u, v], -1).reshape(-1, 2), bsdf)


def tubes(name: str, paths: list[np.ndarray], radius: float, bsdf: dict, sides: int = 8) -> mi.Mesh:
    """Round wires along paths of (K, 3) points, all in one mesh."""
    points, faces, start = [], [], 0
    angle = np.linspace(0, 2 * np.pi, sides, endpoint=False)
    for path in paths:
        along = np.gradient(path, axis=0)
        along /= np.linalg.norm(along, axis=1, keepdims=True)
        helper = np.where(np.abs(along[:, 2:3]) < 0.9, [[0.0, 0, 1]], [[1.0, 0, 0]])
        side = np.cross(along, helper)
        side /= np.linalg.norm(side, axis=1, keepdims=True)
        up = np.cross(side, along)
        ring = np.cos(angle)[None, :, None] * side[:, None] + np.sin(angle)[None, :, None] * up[:, None]
        points.append((path[:, None] + radius * ring).reshape(-1, 3))
        k = np.arange(len(path) - 1)[:, None] * sides + start
        i, j = np.arange(sides)[None], (np.arange(sides)[None] + 1) % sides
        faces.append(np.stack([k + i, k + j, k + sides + j], -1).reshape(-1, 3))
        faces.append(np.stack([k + i, k + sides + j, k + sides + i], -1).reshape(-1, 3))
        start += len(path) * sides
    allpoints = np.concatenate(points)
    return mesh(name, allpoints, np.concatenate(faces), np.zeros((len(allpoints), 2)), bsdf)


def leaves(name: str, centres: np.ndarray, size: float, seed: int, bsdf: dict) -> mi.Mesh:
    """Small diamond leaves with random directions at the given centres."""
    rng = np.random.default_rng(seed)
    length = rng.standard_normal((len(centres), 3)) + [0, 0, -0.3]
    length /= np.linalg.norm(length, axis=1, keepdims=True)
    across = np.cross(length, rng.standard_normal((len(centres), 3)))
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    scale = size * rng.uniform(0.6, 1.3, (len(centres), 1))
    corners = np.stack(
        [
            centres,
            centres + scale * (0.5 * length + 0.32 * across),
            centres + scale * length,
            centres + scale * (0.5 * length - 0.32 * across),
        ],
        1,
    )
    base = np.arange(len(centres))[:, None] * 4
    faces = np.concatenate([base + [0, 1, 2], base + [0, 2, 3]])
    return mesh(name, corners.reshape(-1, 3), faces, np.zeros((len(centres) * 4, 2)), bsdf)


def box(low: tuple[float, ...], high: tuple[float, ...], bsdf: dict, **more) -> dict:
    low, high = np.asarray(low, float), np.asarray(high, float)
    place = mi.ScalarTransform4f().translate(list((low + high) / 2)).scale(list((high - low) / 2))
    return {"type": "cube", "to_world": place, "bsdf": bsdf, **more}


def matt(colour) -> dict:
    reflectance = {"type": "rgb", "value": list(colour)} if isinstance(colour, tuple) else colour
    return {"type": "twosided", "bsdf": {"type": "diffuse", "reflectance": reflectance}}


def gloss(colour, rough: float = 0.15) -> dict:
    reflectance = {"type": "rgb", "value": list(colour)} if isinstance(colour, tuple) else colour
    return {
        "type": "twosided",
        "bsdf": {"type": "roughplastic", "diffuse_reflectance": reflectance, "alpha": rough},
    }


def metal(kind: str, rough: float = 0.15) -> dict:
    return {"type": "twosided", "bsdf": {"type": "roughconductor", "material": kind, "alpha": rough}}


def glow(colour: tuple[float, float, float], power: float) -> dict:
    return {"type": "area", "radiance": {"type": "rgb", "value": [power * c for c in colour]}}
