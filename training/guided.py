"""Train the guided denoiser: python -m training.guided [THREADS]

It is told how strong the noise is at each pixel, in luma and in colour, so that strength is a control [1]_. It sees
noise of a camera (shot and read, demosaiced, 0 to 7 stops too little light), white noise, noise that is equal in the
three channels, grain, enlarged noise, and some of it through JPEG; on colour and grey pictures.

References
----------
.. [1] K. Zhang, W. Zuo, L. Zhang, "FFDNet: toward a fast and flexible solution for CNN-based image denoising", IEEE
       Trans. Image Process. 27(9), 4608-4622, 2018.
"""

import sys

import cv2
import numpy as np
import onnx
import torch
from onnx import TensorProto, helper, numpy_helper
from torch import nn
from torch.nn import functional

from training.material import made, photographs
from training.networks import OPSET, Block
from training.train import OUT, RATE, brightness, encoded, linear, optimise

NAME = "guided_denoise"
STEPS, BATCH, PATCH, EDGE = 9500, 8, 76, 8
FULL_WELL, READ_NOISE = 20_000.0, 3.0  # as mistline.core.degrade.noise
TO_YCC = np.array([[0.2126, 0.7152, 0.0722], [-0.114572, -0.385428, 0.5], [0.5, -0.454153, -0.045847]])
TO_RGB = np.linalg.inv(TO_YCC)
SPREAD = np.array([[1, 0], [0, 1], [0, 1]], np.float32)  # levels of luma and colour to the three planes
SCALE = 4.0  # the levels are fed as 4 times their sigma, so that they are of the order of the picture's values


class Guided(nn.Module):
    """Two scales: half and quarter size; the residual, in Y'CbCr, is multiplied by the levels and taken off."""

    def __init__(self, width: int = 40, deep: int = 72) -> None:
        super().__init__()
        self.head = nn.Conv2d(14, width, 3, padding=1)
        self.first = nn.Sequential(Block(width), Block(width))
        self.down = nn.Conv2d(width, deep, 3, stride=2, padding=1)
        self.middle = nn.Sequential(Block(deep), Block(deep), Block(deep))
        self.up = nn.Conv2d(deep, 4 * width, 3, padding=1)
        self.last = nn.Sequential(Block(width))
        self.tail = nn.Conv2d(width, 12, 3, padding=1)
        nn.init.normal_(self.tail.weight, std=1e-2)
        nn.init.zeros_(self.tail.bias)
        self.register_buffer("rgb", torch.from_numpy(TO_RGB.astype(np.float32)).reshape(3, 3, 1, 1))
        self.register_buffer("spread", torch.from_numpy(SPREAD).reshape(3, 2, 1, 1))

    def forward(self, x: torch.Tensor, levels: torch.Tensor) -> torch.Tensor:  # noqa: D102
        packed = torch.cat([functional.pixel_unshuffle(x, 2), SCALE * functional.avg_pool2d(levels, 2)], 1)
        fine = self.first(functional.relu(self.head(packed)))
        coarse = self.middle(functional.relu(self.down(fine)))
        joined = self.last(functional.relu(fine + functional.pixel_shuffle(self.up(coarse), 2)))
        residual = functional.pixel_shuffle(self.tail(joined), 2)
        return x - functional.conv2d(residual * functional.conv2d(levels, self.spread), self.rgb)


def to_onnx(network: Guided) -> bytes:
    """The network as an ONNX graph with the inputs `input` (1, 3, H, W) and `levels` (1, 2, H, W)."""
    weights = {key: value.detach().numpy().copy() for key, value in network.state_dict().items()}
    # SpaceToDepth puts the offset first and the colour second; training had the colour first.
    order = [*np.arange(12).reshape(3, 2, 2).transpose(1, 2, 0).ravel(), 12, 13]
    weights["head.weight"] = weights["head.weight"][:, order]
    weights["head.weight"][:, 12:] *= SCALE
    nodes: list[onnx.NodeProto] = []

    def node(kind: str, inputs: list[str], output: str, **attributes: object) -> str:
        nodes.append(helper.make_node(kind, inputs, [output], **attributes))
        return output

    def convolution(layer: str, source: str, **attributes: object) -> str:
        return node(
            "Conv", [source, f"{layer}.weight", f"{layer}.bias"], f"{layer}.out", pads=[1, 1, 1, 1], **attributes
        )

    def blocks(part: str, x: str) -> str:
        for number in range(len(getattr(network, part))):
            layer = f"{part}.{number}"
            inner = node("Relu", [convolution(f"{layer}.first", x)], f"{layer}.relu")
            x = node(
                "Relu", [node("Add", [x, convolution(f"{layer}.second", inner)], f"{layer}.sum")], f"{layer}.end"
            )
        return x

    packed = node("SpaceToDepth", ["input"], "packed", blocksize=2)
    small = node("AveragePool", ["levels"], "small", kernel_shape=[2, 2], strides=[2, 2])
    both = node("Concat", [packed, small], "both", axis=1)
    fine = blocks("first", node("Relu", [convolution("head", both)], "head.relu"))
    coarse = blocks("middle", node("Relu", [convolution("down", fine, strides=[2, 2])], "down.relu"))
    up = node("DepthToSpace", [convolution("up", coarse)], "up.wide", blocksize=2, mode="CRD")
    joined = blocks("last", node("Relu", [node("Add", [fine, up], "joined.sum")], "joined"))
    residual = node("DepthToSpace", [convolution("tail", joined)], "residual", blocksize=2, mode="CRD")
    scaled = node("Mul", [residual, node("Conv", ["levels", "spread"], "wide")], "scaled")
    node("Sub", ["input", node("Conv", [scaled, "rgb"], "noise")], "output")
    tensor = helper.make_tensor_value_info
    graph = helper.make_graph(
        nodes, NAME,
        [tensor("input", TensorProto.FLOAT, [1, 3, "height", "width"]),
         tensor("levels", TensorProto.FLOAT, [1, 2, "height", "width"])],
        [tensor("output", TensorProto.FLOAT, [1, 3, "height", "width"])],
        [numpy_helper.from_array(np.ascontiguousarray(value), key) for key, value in weights.items()],
    )  # fmt: skip
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", OPSET)], producer_name="mistline")
    model.ir_version = 8
    onnx.checker.check_model(model)
    return model.SerializeToString()


def camera(truth: np.ndarray, stops: float, rng: np.random.Generator) -> np.ndarray:
    """The noise of `mistline.core.degrade.noise.exposure_noise`, the mosaic in a phase of its own."""
    light, white = linear(truth), FULL_WELL / 2**stops
    noise = np.sqrt(light * white + READ_NOISE**2) / white * rng.standard_normal(truth.shape[:2])[..., None]
    y, x = rng.integers(0, 2, 2)
    rows, columns = (np.arange(truth.shape[0]) + y) % 2, (np.arange(truth.shape[1]) + x) % 2
    red = (rows == 0)[:, None] & (columns == 0)
    blue = (rows == 1)[:, None] & (columns == 1)
    planes = []
    for channel, sites in enumerate((red, ~(red | blue), blue)):
        kernel = np.array([[0, 0.25, 0], [0.25, 1, 0.25], [0, 0.25, 0]]) if channel == 1 else np.array(
            [[0.25, 0.5, 0.25], [0.5, 1, 0.5], [0.25, 0.5, 0.25]])  # fmt: skip
        planes.append(cv2.filter2D(noise[..., channel] * sites, -1, kernel))
    return encoded(np.clip(light + np.stack(planes, -1), 0, None))


def shape(level: np.ndarray, stops: float) -> np.ndarray:
    """Sigma of encoded values against brightness for a camera, but for a factor."""
    light, step = linear(np.clip(level, 0, 1)), 1e-3
    slope = (encoded(light + step) - encoded(light)) / step
    return np.sqrt(light * FULL_WELL / 2**stops + READ_NOISE**2) * slope


def noisy(truth: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A noisy patch, its truth (grey now and then), and the levels (H, W, 2) that it is told with."""
    if rng.random() < 0.12:
        truth = np.repeat(truth @ TO_YCC[0][:, None], 3, axis=2)
    kind = rng.choice(["camera", "white", "equal", "grain"], p=[0.42, 0.34, 0.12, 0.12])
    sizes = (*truth.shape[:2], 3)
    stops = rng.uniform(3, 7.2) if rng.random() < 0.75 else rng.uniform(0, 3)
    sigma = np.exp(rng.uniform(np.log(1.5), np.log(55))) / 255
    if kind == "camera":
        given = camera(truth, stops, rng)
    else:
        noise = rng.standard_normal(sizes)
        if kind == "equal" or np.ptp(truth, axis=2).max() < 1e-9:
            noise = np.repeat(noise[..., :1], 3, axis=2)
        if kind == "grain":
            soft = rng.uniform(0.4, 1.3)
            noise = cv2.GaussianBlur(noise, (0, 0), soft)
            noise = noise / noise.std() * np.array([1, 1, 1])
        given = truth + sigma * noise
    if rng.random() < 0.15:
        codes = np.clip(np.round(given * 255), 0, 255).astype(np.uint8)
        _, packed = cv2.imencode(".jpg", codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(65, 97))])
        given = cv2.imdecode(packed, cv2.IMREAD_COLOR)[..., ::-1] / 255
    given = np.clip(given, 0, 1)
    if rng.random() < 0.5:
        given = np.round(given * 255) / 255
    planes = (given - truth) @ TO_YCC.T
    level = cv2.GaussianBlur(given @ TO_YCC[0], (0, 0), 2.0)
    form = shape(level, stops) if kind == "camera" else np.ones(level.shape)
    form = form / np.sqrt(np.mean(form**2))
    deviations = [np.sqrt(np.mean(planes[..., 0] ** 2)), np.sqrt(np.mean(planes[..., 1:] ** 2))]
    levels = np.stack([form * deviation * np.exp(rng.normal(0, 0.1)) for deviation in deviations], -1)
    return given, truth, levels


def main() -> None:
    """Train, and write the ONNX file."""
    torch.manual_seed(1)
    torch.use_deterministic_algorithms(True)
    rng = np.random.default_rng(1)
    pool = [photographs(), made(240, 7)]
    network = Guided().to(memory_format=torch.channels_last)
    edge = slice(EDGE, -EDGE)

    def loss_of() -> torch.Tensor:
        patches = []
        while len(patches) < BATCH:
            group = pool[0 if rng.random() < 0.6 else 1]
            picture = group[rng.integers(len(group))]
            y, x = (rng.integers(0, length - PATCH + 1) for length in picture.shape[:2])
            patch = np.rot90(picture[y : y + PATCH, x : x + PATCH], rng.integers(4))[:, :: rng.choice([-1, 1])]
            # A night shot is dark: half of the patches lose light.
            dim = rng.uniform(0.15, 1) if rng.random() < 0.5 else 1.0
            patches.append(noisy(encoded(dim * linear(patch / 255.0)), rng))
        given, truth, levels = (
            torch.from_numpy(np.stack(part).transpose(0, 3, 1, 2).astype(np.float32))
            for part in zip(*patches, strict=True)
        )
        result = network(given.contiguous(memory_format=torch.channels_last), levels)[..., edge, edge]
        truth = truth[..., edge, edge]
        return functional.l1_loss(result, truth) + functional.l1_loss(brightness(result), brightness(truth))

    optimise(NAME, network, STEPS, RATE, loss_of)
    (OUT / f"{NAME}.onnx").write_bytes(to_onnx(network))


if __name__ == "__main__":
    torch.set_num_threads(int(sys.argv[1]) if len(sys.argv) > 1 else 2)
    main()
