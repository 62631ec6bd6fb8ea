"""The two architectures and their ONNX graphs, built from the weights alone.

References
----------
.. [1] W. Shi et al., "Real-time single image and video super-resolution using an efficient sub-pixel
       convolutional neural network", CVPR 2016.
.. [2] K. Zhang, W. Zuo, Y. Chen, D. Meng, L. Zhang, "Beyond a Gaussian denoiser: residual learning of deep
       CNN for image denoising", IEEE Trans. Image Process. 26(7), 3142-3155, 2017.
.. [3] K. He, X. Zhang, S. Ren, J. Sun, "Deep residual learning for image recognition", CVPR 2016.
"""

import numpy as np
import onnx
import torch
from onnx import TensorProto, helper, numpy_helper
from torch import nn
from torch.nn import functional

OPSET = 13


def bicubic_phases(factor: int, planes: int, frames: int = 1) -> np.ndarray:
    """Catmull-Rom enlargement of the middle frame as a convolution, in the order of a pixel shuffle.

    (planes factor^2, frames planes, 5, 5).
    """

    def weight(x: float) -> float:
        x = abs(x)
        return 1.5 * x**3 - 2.5 * x**2 + 1 if x < 1 else -0.5 * x**3 + 2.5 * x**2 - 4 * x + 2 if x < 2 else 0.0

    taps = np.array(
        [[weight(tap - ((phase + 0.5) / factor - 0.5)) for tap in range(-2, 3)] for phase in range(factor)]
    )
    kernel = np.zeros((planes, factor, factor, frames * planes, 5, 5), np.float32)
    for channel in range(planes):
        at = frames // 2 * planes + channel
        kernel[channel, :, :, at] = taps[:, None, :, None] * taps[None, :, None, :]
    return kernel.reshape(planes * factor * factor, frames * planes, 5, 5)


class Block(nn.Module):
    """Convolution, ReLU, convolution, added to its input, ReLU [3]_."""

    def __init__(self, width: int) -> None:
        super().__init__()
        self.first = nn.Conv2d(width, width, 3, padding=1)
        self.second = nn.Conv2d(width, width, 3, padding=1)

    def forward(self, x: torch.Tensor) -> torch.Tensor:  # noqa: D102
        return functional.relu(x + self.second(functional.relu(self.first(x))))


class Network(nn.Module):
    """Enlarger (factor 2 or 4): bicubic plus a learned residual by sub-pixel convolution [1]_.

    Of several frames, one behind the other in the channels, the middle one is enlarged. Denoiser (factor 1): works on 2 x 2 pixels at a time and takes the learned noise off [2]_.
    """

    def __init__(self, factor: int, width: int, blocks: int, planes: int = 3, frames: int = 1) -> None:
        super().__init__()
        self.factor, self.planes, self.frames = factor, planes, frames
        channels = 12 if factor == 1 else planes * frames
        self.head = nn.Conv2d(channels, width, 3, padding=1)
        self.body = nn.Sequential(*[Block(width) for _ in range(blocks)])
        self.tail = nn.Conv2d(width, 12 if factor == 1 else planes * factor**2, 3, padding=1)
        nn.init.normal_(self.tail.weight, std=1e-3)
        nn.init.zeros_(self.tail.bias)
        if factor > 1:
            self.register_buffer("phases", torch.from_numpy(bicubic_phases(factor, planes, frames)))

    def forward(self, x: torch.Tensor) -> torch.Tensor:  # noqa: D102
        if self.factor == 1:
            packed = functional.pixel_unshuffle(x, 2)
            noise = self.tail(self.body(functional.relu(self.head(packed))))
            return x - functional.pixel_shuffle(noise, 2)
        base = functional.conv2d(functional.pad(x, (2, 2, 2, 2), mode="replicate"), self.phases)
        residual = self.tail(self.body(functional.relu(self.head(x))))
        return functional.pixel_shuffle(base + residual, self.factor)


def to_onnx(network: Network, name: str) -> bytes:
    """The network as an ONNX file: input and output `(1, 3, H, W)` float32 in 0..1, no path or date in it."""
    weights = {key: value.detach().cpu().numpy() for key, value in network.state_dict().items()}
    nodes = []

    def node(operator: str, inputs: list[str], output: str, **attributes: object) -> str:
        nodes.append(helper.make_node(operator, inputs, [output], **attributes))
        return output

    def convolution(layer: str, source: str) -> str:
        return node("Conv", [source, f"{layer}.weight", f"{layer}.bias"], f"{layer}.out", pads=[1, 1, 1, 1])

    start = "input"
    if network.factor == 1:
        start = node("SpaceToDepth", ["input"], "packed", blocksize=2)
    x = node("Relu", [convolution("head", start)], "head.relu")
    for number in range(len(network.body)):
        inner = node("Relu", [convolution(f"body.{number}.first", x)], f"body.{number}.relu")
        total = node("Add", [x, convolution(f"body.{number}.second", inner)], f"body.{number}.sum")
        x = node("Relu", [total], f"body.{number}.out")
    x = convolution("tail", x)
    if network.factor == 1:
        # SpaceToDepth puts the offset first and the colour second; training had the colour first.
        order = np.arange(12).reshape(3, 2, 2).transpose(1, 2, 0).ravel()
        weights["head.weight"] = weights["head.weight"][:, order]
        noise = node("DepthToSpace", [x], "noise", blocksize=2, mode="CRD")
        node("Sub", ["input", noise], "output")
    else:
        weights["pads"] = np.array([0, 0, 2, 2, 0, 0, 2, 2], np.int64)
        padded = node("Pad", ["input", "pads"], "padded", mode="edge")
        base = node("Conv", [padded, "phases"], "base")
        node("DepthToSpace", [node("Add", [base, x], "sum")], "output", blocksize=network.factor, mode="CRD")
    graph = helper.make_graph(
        nodes, name,
        [helper.make_tensor_value_info("input", TensorProto.FLOAT, [1, network.frames * network.planes, "height", "width"])],
        [helper.make_tensor_value_info("output", TensorProto.FLOAT, [1, network.planes, "height_out", "width_out"])],
        [numpy_helper.from_array(np.ascontiguousarray(value), key) for key, value in weights.items()],
    )  # fmt: skip
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", OPSET)], producer_name="mistline")
    model.ir_version = 8
    onnx.checker.check_model(model)
    content: bytes = model.SerializeToString()
    return content
