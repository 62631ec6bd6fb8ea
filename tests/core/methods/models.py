"""Small ONNX models made on the spot, good and hostile, for tests of learned methods."""

from pathlib import Path

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper


def save(
    path: Path,
    nodes: list[onnx.NodeProto],
    weights: dict[str, np.ndarray] | None = None,
    shape: list[int | str] | None = None,
    kind: int = TensorProto.FLOAT,
    domain: str = "",
) -> Path:
    """Write a model that goes from "input" to "output"."""
    shape = shape or [1, 3, "height", "width"]
    graph = helper.make_graph(
        nodes, "test",
        [helper.make_tensor_value_info("input", kind, shape)],
        [helper.make_tensor_value_info("output", TensorProto.FLOAT, [f"d{n}" for n in range(len(shape))])],
        [numpy_helper.from_array(np.asarray(value), name) for name, value in (weights or {}).items()],
    )  # fmt: skip
    sets = [helper.make_opsetid("", 13)] + ([helper.make_opsetid(domain, 1)] if domain else [])
    model = helper.make_model(graph, opset_imports=sets)
    model.ir_version = 8
    path.write_bytes(model.SerializeToString())
    return path


def resizer(path: Path, scale: float = 2, layout: str = "NCHW", coordinates: str = "half_pixel") -> Path:
    """Bilinear enlargement; "asymmetric" coordinates shift the picture, as careless exports do."""
    scales = [1, 1, scale, scale] if layout == "NCHW" else [1, scale, scale, 1]
    shape = [1, 3, "h", "w"] if layout == "NCHW" else [1, "h", "w", 3]
    node = helper.make_node(
        "Resize", ["input", "", "scales"], ["output"], mode="linear", coordinate_transformation_mode=coordinates
    )
    return save(path, [node], {"scales": np.array(scales, np.float32)}, shape)


def blur(path: Path, radius: int = 2, side: int | None = None, bias: float = 0.0, channels: int = 3) -> Path:
    """A box blur of known reach; with a fixed side if given."""
    width = 2 * radius + 1
    kernel = np.full((channels, 1, width, width), 1 / width**2, np.float32)
    node = helper.make_node("Conv", ["input", "kernel", "bias"], ["output"], pads=[radius] * 4, group=channels)
    weights = {"kernel": kernel, "bias": np.full(channels, bias, np.float32)}
    return save(path, [node], weights, [1, channels, side or "height", side or "width"])


def hidden_operator(path: Path, depth: int = 2) -> Path:
    """A custom operator inside a branch within branches."""
    inner = helper.make_node("Secret", ["input"], ["out0"], domain="own.domain")
    for level in range(depth):
        out = helper.make_tensor_value_info(f"out{level}", TensorProto.FLOAT, None)
        branch = helper.make_graph([inner], f"branch{level}", [], [out])
        inner = helper.make_node("If", ["yes"], [f"out{level + 1}"], then_branch=branch, else_branch=branch)
    last = helper.make_node("Identity", [f"out{depth}"], ["output"])
    return save(path, [inner, last], {"yes": np.array(True)}, domain="own.domain")


def hidden_external(path: Path) -> Path:
    """Weights in another file, of a constant inside a branch."""
    tensor = numpy_helper.from_array(np.ones(4, np.float32), "far")
    tensor.ClearField("raw_data")
    tensor.data_location = TensorProto.EXTERNAL
    tensor.external_data.add(key="location", value="../../etc/passwd")
    constant = helper.make_node("Constant", [], ["out0"], value=tensor)
    branch = helper.make_graph(
        [constant], "b", [], [helper.make_tensor_value_info("out0", TensorProto.FLOAT, None)]
    )
    inner = helper.make_node("If", ["yes"], ["out1"], then_branch=branch, else_branch=branch)
    return save(path, [inner, helper.make_node("Add", ["input", "out1"], ["output"])], {"yes": np.array(True)})
