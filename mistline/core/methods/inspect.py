"""Look into an ONNX file that somebody dropped in: what it takes, what it does, and whether it can be run.

Only ever called in a child process with limits of memory and time; nothing in the file is trusted.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import cv2
import numpy as np
import onnx

from mistline.core.frame import Array, Size, luma
from mistline.core.measure.registration import placement
from mistline.core.methods.network import Layout, ModelCard, Run, feed, in_tiles, session
from mistline.core.plain import plain
from mistline.core.resample import resize
from mistline.errors import BadModel

__all__ = ["inspect_model"]

LARGEST_FILE = 200 * 2**20
SIDE = 64
MULTIPLES = (1, 2, 4, 8, 16, 32)
MOST_FACTOR = 8
UNLIKE = 0.25
SHIFTED = 0.05
WIDEST_OVERLAP = 64
RANGES: tuple[Literal[1, 255], ...] = (1, 255)
OWN_DOMAINS = ("", "ai.onnx")
KINDS = {number: word.lower() for word, number in onnx.TensorProto.DataType.items()}
STACKS = (3, 5, 7, 9)  # frames that may lie one behind the other in the channels
FREE_FRAMES = 5  # of a model that takes any number of frames
STEP = 3  # pixels that the tried picture moves from frame to frame


def _probe(height: int, width: int, channels: int) -> Array:
    """A made picture in 0..1 with shading, soft texture and edges: what a model is tried on."""
    rng = np.random.default_rng(5)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    texture = cv2.GaussianBlur(rng.normal(0, 1, (height, width)).astype(np.float32), (0, 0), 1.2)
    plane = 0.35 + 0.2 * x / width + 0.15 * np.sin(y / 5) + 0.08 * texture + 0.2 * (x + 0.6 * y > 0.8 * width)
    tints = np.array([1.0, 0.9, 0.8], np.float32)[:channels]
    return np.clip(plane[..., None] * tints, 0, 1).astype(np.float32)


@dataclass(frozen=True)
class _Door:
    """The shape of the model's input as the file declares it; None is free. Its layouts with channels and frames."""

    height: int | None
    width: int | None
    layouts: tuple[tuple[Layout, Literal[1, 3], int], ...]


def _read(path: Path, name: str) -> onnx.ModelProto:
    if path.stat().st_size > LARGEST_FILE:
        raise BadModel(f"{name} is larger than 200 MiB; export a smaller model.")
    try:
        model = onnx.load(str(path), load_external_data=False)
        graph = model.graph
        nodes = list(graph.node)
    except Exception:
        raise BadModel(f"{name} is not an ONNX model; export it in that format and drop it in again.") from None
    if not nodes or not graph.input:
        raise BadModel(f"{name} is not an ONNX model; export it in that format and drop it in again.")
    if any(tensor.data_location == onnx.TensorProto.EXTERNAL for tensor in _tensors(model)):
        raise BadModel(f"{name} keeps its weights in another file; export it as one file.")
    inner = [node for each in _graphs(graph) for node in each.node]
    foreign = {node.op_type for node in inner if node.domain not in OWN_DOMAINS}
    foreign |= {function.name for function in model.functions}
    if foreign:
        named = ", ".join(plain(each, 40) for each in sorted(foreign)[:3])
        raise BadModel(f"{name} needs operators of its own ({named}); export it with standard ones.")
    return model


def _graphs(graph: onnx.GraphProto) -> Iterator[onnx.GraphProto]:
    """A graph and those of its branches and loops, however deep."""
    waiting = [graph]
    while waiting:
        each = waiting.pop()
        yield each
        for node in each.node:
            for attribute in node.attribute:
                waiting += [*attribute.graphs, *([attribute.g] if attribute.HasField("g") else [])]


def _tensors(model: onnx.ModelProto) -> Iterator[onnx.TensorProto]:
    """Every tensor that a model holds: weights, sparse ones, constants of nodes, of branches and of functions."""
    nodes = [node for function in model.functions for node in function.node]
    for graph in _graphs(model.graph):
        yield from graph.initializer
        for sparse in graph.sparse_initializer:
            yield from (sparse.values, sparse.indices)
        nodes += graph.node
    for attribute in (attribute for node in nodes for attribute in node.attribute):
        yield from attribute.tensors
        yield attribute.t
        for sparse in (*attribute.sparse_tensors, attribute.sparse_tensor):
            yield from (sparse.values, sparse.indices)


def _door(model: onnx.ModelProto, name: str) -> _Door:
    given = {tensor.name for tensor in model.graph.initializer}
    inputs = [value for value in model.graph.input if value.name not in given]
    if len(inputs) != 1:
        raise BadModel(f"{name} wants {len(inputs)} inputs; a method has one: a picture.")
    tensor = inputs[0].type.tensor_type
    if tensor.elem_type != onnx.TensorProto.FLOAT:
        kind = KINDS.get(tensor.elem_type, "other")
        raise BadModel(f"{name} takes {kind} values; export it with 32-bit float input.")
    dims = [dim.dim_value if dim.HasField("dim_value") and dim.dim_value > 0 else None for dim in tensor.shape.dim]
    if len(dims) not in (4, 5):
        raise BadModel(
            f"{name} takes {len(dims)} dimensions; a picture has four: 1, 3, height, width; frames of a clip five: "
            "1, frames, 3, height, width."
        )
    if dims[0] not in (None, 1):
        raise BadModel(f"{name} takes {dims[0]} pictures at once; export it for one.")
    layouts = _of_frames(dims) if len(dims) == 5 else _of_pictures(dims)
    if not layouts:
        raise BadModel(
            f"{name} takes neither 1 nor 3 channels, nor 3 to 9 frames of them; a picture has one or the other."
        )
    first, second = (dims[1], dims[2]) if layouts[0][0] == "NHWC" else (dims[-2], dims[-1])
    if first != second and None not in (first, second):
        raise BadModel(f"{name} takes only pictures of {second} x {first}; export it with free or square sides.")
    return _Door(first, second, tuple(layouts))


def _of_frames(dims: list[int | None]) -> list[tuple[Layout, Literal[1, 3], int]]:
    """What five dimensions can mean."""
    found: list[tuple[Layout, Literal[1, 3], int]] = []
    ways = (("NTCHW", 2, 1), ("NCTHW", 1, 2))
    for layout, at, along in sorted(ways, key=lambda way: dims[way[1]] is None):  # a declared channel first
        frames = dims[along] or FREE_FRAMES
        for channels in (3, 1):
            if dims[at] in (None, channels) and frames <= STACKS[-1]:
                found.append((layout, channels, frames))  # type: ignore[arg-type]
    return found


def _of_pictures(dims: list[int | None]) -> list[tuple[Layout, Literal[1, 3], int]]:
    """What four dimensions can mean: one picture, or frames one behind the other in its channels."""
    found: list[tuple[Layout, Literal[1, 3], int]] = []
    for layout, at, other in (("NCHW", 1, 3), ("NHWC", 3, 1)):
        for channels in (3, 1):
            if dims[at] == channels or (dims[at] is None and dims[other] is None):
                found.append((layout, channels, 1))  # type: ignore[arg-type]
            found += [(layout, channels, frames) for frames in STACKS if dims[at] == channels * frames]  # type: ignore[misc]
    single = [door for door in found if door[2] == 1]
    return single or found


def _ran(run: Run, pixels: Array) -> Array | None:
    try:
        result = run(pixels)
    except MemoryError:
        raise
    except Exception as error:
        if "allocate" in str(error).lower():
            raise MemoryError from None
        return None
    good = result.ndim == 3 and np.isfinite(result).all() and result.shape[0] >= pixels.shape[0]
    return result if good else None


def _whole_factor(before: Array, after: Array) -> int | None:
    down, across = after.shape[0] / before.shape[0], after.shape[1] / before.shape[1]
    fits = down == across and down == int(down) and 1 <= down <= MOST_FACTOR
    return int(down) if fits and after.shape[2] == before.shape[2] else None


def _likeness(before: Array, after: Array) -> float:
    """RMS distance between a picture and its result brought back to the same size."""
    small = resize(after, Size(before.shape[1], before.shape[0]), "area")
    return float(np.sqrt(np.mean(np.square(small - before))))


def _multiple(run: Run, factor: int, channels: int) -> int:
    """The least number that sides must be a multiple of; tried on odd multiples, which halve no further."""
    for multiple in MULTIPLES:
        side = multiple * (SIDE // multiple + 1 - SIDE // multiple % 2)
        pixels = _probe(side, side + 2 * multiple, channels)
        result = _ran(run, pixels)
        if result is not None and _whole_factor(pixels, result) == factor:
            return multiple
    return MULTIPLES[-1]


def _reach(run: Run, side: int, channels: int, factor: int) -> int:
    """How far one changed input pixel is felt, in input pixels; half as much again, to be safe."""
    before = _probe(side, side, channels)
    after = np.array(before)
    after[side // 2, side // 2] = 1 - after[side // 2, side // 2]
    change = np.abs(run(after) - run(before)).max(axis=2)
    rows, columns = np.nonzero(change > 1e-6)
    if len(rows) == 0:
        return 8
    middle = (side // 2 + 0.5) * factor
    far = max(np.abs(rows + 0.5 - middle).max(), np.abs(columns + 0.5 - middle).max()) / factor
    return int(np.ceil(far * 1.5)) + 1


def inspect_model(path: Path, name: str, identity: str) -> ModelCard:
    """Read, try and measure a model; return its card, or raise `BadModel` with one sentence."""
    try:
        return _inspected(path, name, identity)
    except (BadModel, MemoryError):
        raise
    except Exception as error:  # whatever a graph makes the libraries stumble over
        raise BadModel(
            f"{name} fails while it is tried; it is damaged or does something else; export it again."
        ) from error


def _inspected(path: Path, name: str, identity: str) -> ModelCard:
    model = _read(path, name)
    door = _door(model, name)
    try:
        session(path)
    except Exception as error:
        if "allocate" in str(error).lower():
            raise MemoryError from None
        newest = onnx.defs.onnx_opset_version()
        reason = (
            f"opset {_opset(model)}, the newest known is {newest}"
            if _opset(model) > newest
            else "its graph is not valid"
        )
        raise BadModel(f"{name} cannot be loaded ({reason}); export it again with a standard opset.") from None
    side = door.height or door.width or SIDE
    found = None
    for layout, channels, frames in door.layouts:
        pixels = _probe(side, side, channels)
        results = {top: _ran(_standing(path, layout, top, channels, frames), pixels) for top in RANGES}
        good = {top: r for top, r in results.items() if r is not None and _whole_factor(pixels, r)}
        if good:
            top = min(good, key=lambda value: _likeness(pixels, good[value]) * (1 if value == 1 else 1.02))
            found = layout, channels, frames, top, good[top]
            break
    if found is None:
        raise BadModel(
            f"{name} does not turn a {side} x {side} picture into one 1 to {MOST_FACTOR} times larger; "
            "Mistline runs models that enlarge by a whole factor or keep the size."
        )
    layout, channels, frames, top, result = found
    if _likeness(pixels, result) > UNLIKE:
        raise BadModel(f"{name} does not return the picture it was given; its values mean another thing.")
    factor = _whole_factor(pixels, result)
    assert factor is not None
    run = _standing(path, layout, top, channels, frames)
    fixed = side if door.height or door.width else None
    multiple = 1 if fixed else _multiple(run, factor, channels)
    wide = fixed or 4 * WIDEST_OVERLAP
    reach = _reach(run, wide, channels, factor)
    notes = []
    overlap = min(reach, (fixed or 4 * WIDEST_OVERLAP) // 4, WIDEST_OVERLAP)
    if reach > overlap:
        notes.append("It looks at the whole picture at once; where tiles meet, results may differ slightly.")
    at = _which(feed(path, layout, top, channels, frames, frames // 2), side, channels, frames)
    if frames > 1:
        notes.append(f"It takes {frames} frames: {at} before the one it returns and {frames - 1 - at} after it.")
    card = ModelCard(
        id=identity, name=plain(name.removesuffix(".onnx")), summary=_summary(factor, channels, frames),
        frames=frames, at=at,
        task="enlarge" if factor > 1 else "reduce noise", factor=factor, channels=channels, layout=layout, top=top,
        multiple=multiple, tile=fixed, levels=False, overlap=overlap, opset=_opset(model),
        parameters=_parameters(model), file_bytes=path.stat().st_size, notes=notes,
    )  # fmt: skip
    right, down = _shift(run, card)
    if max(abs(right), abs(down)) >= SHIFTED:
        notes.append(f"It moves the picture {right:+.2f} px across and {down:+.2f} px down.")
    return card.model_copy(update={"shift_right": right, "shift_down": down, "notes": notes})


def _standing(path: Path, layout: Layout, top: int, channels: int, frames: int) -> Run:
    """A model of several frames as one of a single picture: all its frames are the same."""
    run = feed(path, layout, top, channels, frames, frames // 2)
    return lambda pixels: run(np.tile(pixels, (1, 1, frames)))


def _which(run: Run, side: int, channels: int, frames: int) -> int:
    """Which of its frames a model returns: the one that the result is most like while a picture moves."""
    wide = _probe(side, side + STEP * (frames - 1), channels)
    moving = [wide[:, STEP * number : STEP * number + side] for number in range(frames)]
    result = run(np.concatenate(moving, axis=2))
    return min(range(frames), key=lambda number: _likeness(moving[number], result))


def _shift(run: Run, card: ModelCard) -> tuple[float, float]:
    """How far the result lies off a plain enlargement, in result pixels; from a crop that is run in tiles."""
    pixels = _probe(150, 170, card.channels)
    result = in_tiles(run, pixels, card, tile=96)
    plain = resize(pixels, Size(result.shape[1], result.shape[0]), "bicubic")
    found = placement(luma(plain), luma(result))
    return round(found.right, 2), round(found.down, 2)


def _summary(factor: int, channels: int, frames: int) -> str:
    does = f"Enlarges {factor} times" if factor > 1 else "Keeps the size"
    does += f", from {frames} frames of a clip" if frames > 1 else ""
    return f"{does}; {'colour' if channels == 3 else 'brightness only, colour by bicubic'}. A model dropped in."


def _opset(model: onnx.ModelProto) -> int:
    return max((entry.version for entry in model.opset_import if entry.domain in OWN_DOMAINS), default=0)


def _parameters(model: onnx.ModelProto) -> int:
    sizes: list[Any] = [np.prod(tensor.dims, dtype=np.int64) for tensor in model.graph.initializer]
    return int(sum(sizes))
