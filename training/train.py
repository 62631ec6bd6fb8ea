"""Train one of the shipped networks: python -m training.train NAME

Writes mistline/core/models/NAME.onnx. Steps, seeds and schedule are counted in steps, so that two runs on the
same machine give the same weights. Figures are added to the card by `python -m training.evaluate`.
"""

import math
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import onnx
import torch
from onnx import numpy_helper
from torch.nn import functional

from training.material import crisp_wallpapers, made, more_photographs, photographs, wallpapers
from training.networks import Network, to_onnx

OUT = Path(__file__).parents[1] / "mistline" / "core" / "models"
FASTEST = 8  # truth pixels that a picture moves from frame to frame, each way
CUTS = 0.05  # share of neighbours that show something else
RATE = 1e-3
AVERAGE = 0.999
EDGE = 7  # input pixels
WEIGHTS_OF_LUMA = np.array([0.2126, 0.7152, 0.0722])
LUMA = 1.0  # weight of the error in luma beside that in R, G and B


Loss = Callable[[torch.Tensor, torch.Tensor], torch.Tensor]


def absolute(result: torch.Tensor, wanted: torch.Tensor) -> torch.Tensor:
    """L1, and once more in luma."""
    in_luma = functional.l1_loss(brightness(result), brightness(wanted))
    return functional.l1_loss(result, wanted) + LUMA * in_luma


def with_slopes(result: torch.Tensor, wanted: torch.Tensor) -> torch.Tensor:
    """`absolute`, and L1 of the slopes."""
    return absolute(result, wanted) + functional.l1_loss(slopes(result), slopes(wanted))


def _charbonnier(error: torch.Tensor) -> torch.Tensor:
    return torch.sqrt(error * error + 1e-5).mean()


def with_squares(result: torch.Tensor, wanted: torch.Tensor) -> torch.Tensor:
    """Charbonnier and ten times the mean square."""
    error = result - wanted
    return _charbonnier(error) + 10 * (error * error).mean()


def with_decibels(result: torch.Tensor, wanted: torch.Tensor) -> torch.Tensor:
    """Charbonnier and the logarithm of each patch's mean square: what PSNR counts, calm patches as much as rough ones."""
    error = result - wanted
    return _charbonnier(error) + 0.003 * torch.log((error * error).mean((1, 2, 3)) + 1e-5).mean()


@dataclass(frozen=True)
class Plan:
    """One round: what is trained, on which inputs, for how long; a further round begins with the weights so far."""

    factor: int
    width: int
    blocks: int
    steps: int
    patch: int
    inputs: str
    planes: int = 3  # 1: luma alone
    start_from: str = ""
    crisp: float = 0.0
    frames: int = 1  # consecutive ones of a clip, the middle one is wanted
    loss: Loss = absolute
    rate: float = RATE
    patches: int = 16  # in a step
    photographs: float = 0.65  # share of the patches; the others are made
    wide: bool = False  # photographs shrunk and sharpened by other ways than area, too
    linear: float = 0.5  # share of the clean inputs that are shrunk in linear light
    keep: float = 0.0  # share of the weights that a further round begins with in what comes of it
    seed: int = 1


PLANS = {
    "faithful_x2": (
        Plan(2, 32, 4, 16000, 44, "clean", planes=1),
        Plan(2, 32, 6, 7250, 44, "clean", 1, loss=with_squares, rate=5e-4, photographs=0.85, seed=2),
        Plan(2, 32, 6, 6000, 64, "clean", 1, loss=with_decibels, rate=5e-4, patches=8, photographs=0.85, seed=3),
        Plan(2, 32, 8, 5000, 64, "clean", 1, loss=with_decibels, rate=4e-4, patches=8, photographs=0.85, seed=4),
        Plan(2, 32, 8, 4000, 64, "clean", 1, loss=with_decibels, rate=4e-4, patches=8, photographs=0.88, seed=6,
             wide=True, linear=0.68, keep=1 / 3),
    ),
    "moving_x2": (Plan(2, 32, 6, 1800, 36, "clean", 1, start_from="faithful_x2", frames=3, rate=RATE / 2),),
    "crisp_x2": (
        Plan(2, 32, 2, 1500, 40, "clean", start_from="faithful_x2", crisp=1.2, loss=with_slopes, rate=RATE / 2),
    ),
    "faithful_x4": (Plan(4, 32, 3, 4500, 32, "clean"),),
    "blind_denoise": (Plan(1, 48, 3, 7000, 64, "noise"),),
    "mixed_x2": (Plan(2, 48, 4, 6000, 40, "mixed"),),
}  # fmt: skip


def linear(codes: np.ndarray) -> np.ndarray:
    """Linear light from sRGB codes in 0..1 (IEC 61966-2-1)."""
    return np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4)


def encoded(light: np.ndarray) -> np.ndarray:
    """sRGB codes from linear light (IEC 61966-2-1)."""
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 0) ** (1 / 2.4) - 0.055)


def shrink(patch: np.ndarray, factor: int, kind: str) -> np.ndarray:
    """Shrink a float patch in 0..1 by area in linear or encoded light, by Gauss and decimation, or by nothing."""
    height, width = patch.shape[0] // factor, patch.shape[1] // factor
    if kind == "nearest":
        return patch[factor // 2 :: factor, factor // 2 :: factor]
    if kind == "gauss":
        patch = cv2.GaussianBlur(patch, (0, 0), 0.5 * factor)
    source = linear(patch) if kind == "linear" else patch
    small = source.reshape(height, factor, width, factor, 3).mean((1, 3))
    return encoded(small) if kind == "linear" else small


def degraded(truth: np.ndarray, plan: Plan, rng: np.random.Generator, light: str) -> np.ndarray:
    """The network's input for a truth patch in 0..1, rounded to 8 bits; clean ones are shrunk in this light."""
    if plan.inputs == "noise":
        sigma = rng.uniform(2, 55) / 255
        return (truth + rng.normal(0, sigma, truth.shape)).astype(np.float32)
    if plan.inputs == "clean":
        return np.round(shrink(truth, plan.factor, light) * 255) / 255
    small = shrink(truth, plan.factor, rng.choice(["linear", "linear", "encoded", "gauss"]))
    if rng.random() < 0.85:
        noise = rng.normal(0, 1, small.shape)
        if rng.random() < 0.3:
            noise = cv2.GaussianBlur(noise, (0, 0), 0.5)
            noise /= noise.std()
        small = small + noise * rng.uniform(0, 25) / 255
    codes = np.clip(np.round(small * 255), 0, 255).astype(np.uint8)
    if rng.random() < 0.5:
        quality = int(rng.integers(50, 96))
        _, packed = cv2.imencode(".jpg", codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])
        codes = cv2.imdecode(packed, cv2.IMREAD_COLOR)[..., ::-1]
    return codes / 255


def moving(picture: np.ndarray, plan: Plan, rng: np.random.Generator) -> list[np.ndarray]:
    """Patches of consecutive frames under an even motion with some unrest; the middle one is wanted."""
    side, reach = plan.patch * plan.factor, plan.frames // 2
    room = reach * (FASTEST + 2)
    height, width = picture.shape[:2]
    place = rng.integers(room, [height - side - room + 1, width - side - room + 1])
    speed = rng.integers(-FASTEST, FASTEST + 1, 2) if rng.random() < 0.85 else np.zeros(2, int)
    found = []
    for number in range(-reach, reach + 1):
        away = number * speed + (rng.integers(-1, 2, 2) if number and speed.any() else 0)
        y, x = rng.integers(0, [height - side, width - side]) if number and rng.random() < CUTS else place + away
        found.append(picture[y : y + side, x : x + side])
    return found


Pool = list[tuple[float, list[np.ndarray]]]  # groups of pictures, each with its share of the patches


def pool_of(plan: Plan) -> Pool:
    """The pictures of a round."""
    there, drawn = plan.photographs, (1 - plan.photographs, made(240, 7))
    if not plan.wide:
        return [(there, photographs() + wallpapers()), drawn]
    small = photographs() + more_photographs()
    return [(0.4 * there, small), (0.25 * there, wallpapers()), (0.35 * there, crisp_wallpapers()), drawn]


def batch(pool: Pool, plan: Plan, rng: np.random.Generator) -> tuple[torch.Tensor, torch.Tensor]:
    """Random patches, flipped and turned; the input and what is wanted of it."""
    inputs, wanted = [], []
    side, shares = plan.patch * plan.factor, [share for share, _ in pool]
    while len(inputs) < plan.patches:
        _, group = pool[rng.choice(len(pool), p=shares)]
        picture = group[rng.integers(len(group))]
        if min(picture.shape[:2]) < side + 2 * (plan.frames // 2) * (FASTEST + 2) + 1:
            continue
        patches = moving(picture, plan, rng)
        if patches[plan.frames // 2].std() < 3 and rng.random() < 0.7:
            continue
        turned, way = rng.integers(4), rng.choice([-1, 1])
        truths = [np.rot90(patch, turned)[:, ::way].astype(np.float64) / 255 for patch in patches]
        truth = truths[plan.frames // 2]
        aim = truth + plan.crisp * (truth - cv2.GaussianBlur(truth, (0, 0), 1.0)) if plan.crisp else truth
        kind = rng.choice(["linear", "encoded"], p=[plan.linear, 1 - plan.linear])
        frames = [degraded(each, plan, rng, kind) for each in truths]
        if plan.planes == 1:
            frames, aim = (
                [(each @ WEIGHTS_OF_LUMA)[..., None] for each in frames],
                (aim @ WEIGHTS_OF_LUMA)[..., None],
            )
        pair = np.concatenate(frames, axis=2), aim
        inputs.append(pair[0])
        wanted.append(pair[1])

    def tensor(patches: list[np.ndarray]) -> torch.Tensor:
        stacked = torch.from_numpy(np.stack(patches).transpose(0, 3, 1, 2).astype(np.float32))
        return stacked.contiguous(memory_format=torch.channels_last)

    return tensor(inputs), tensor(wanted)


def brightness(x: torch.Tensor) -> torch.Tensor:
    """Luma of (N, 3, H, W) by the BT.709 weights; of (N, 1, H, W) itself."""
    if x.shape[1] == 1:
        return x[:, 0]
    return 0.2126 * x[:, 0] + 0.7152 * x[:, 1] + 0.0722 * x[:, 2]


def slopes(x: torch.Tensor) -> torch.Tensor:
    """Differences to the right and to below, in one tensor."""
    return torch.cat([x[..., :-1, 1:] - x[..., :-1, :-1], x[..., 1:, :-1] - x[..., :-1, :-1]], 1)


def optimise(
    name: str, network: torch.nn.Module, steps: int, rate: float, loss_of: Callable[[], torch.Tensor]
) -> None:
    """Adam with a cosine schedule; the weights become their running average."""
    average = {key: value.clone() for key, value in network.state_dict().items()}
    optimiser = torch.optim.Adam(network.parameters(), rate)
    schedule = torch.optim.lr_scheduler.LambdaLR(
        optimiser, lambda step: 0.5 * (1 + math.cos(math.pi * step / steps))
    )
    begun, shown = time.monotonic(), []
    for step in range(1, steps + 1):
        loss = loss_of()
        shown.append(float(loss.detach()))
        optimiser.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(network.parameters(), 1.0)
        optimiser.step()
        schedule.step()
        keep = min(AVERAGE, (1 + step) / (10 + step))
        for key, value in network.state_dict().items():
            average[key].mul_(keep).add_(value, alpha=1 - keep) if value.is_floating_point() else None
        if step % 250 == 0:
            print(f"{name} {step}/{steps} loss {np.mean(shown):.5f} {time.monotonic() - begun:.0f} s", flush=True)
            shown = []
    network.load_state_dict(average)


def weights_of(name: str) -> dict[str, torch.Tensor]:
    """The weights of an enlarger that was trained before, as its ONNX file holds them."""
    graph = onnx.load(OUT / f"{name}.onnx").graph
    weights = {tensor.name: torch.from_numpy(numpy_helper.to_array(tensor).copy()) for tensor in graph.initializer}
    return {key: value for key, value in weights.items() if key.startswith(("head", "body", "tail"))}


def begun(plan: Plan, known: dict[str, torch.Tensor]) -> Network:
    """The network of a plan with the weights that are known; blocks beyond begin as identities."""
    network = Network(plan.factor, plan.width, plan.blocks, plan.planes, plan.frames)
    if known:
        wanted = network.state_dict()
        for key, value in wanted.items():
            if key.startswith("body") and key in known:
                value.copy_(known[key])
            elif ".second." in key:
                value.zero_()
        head, planes = known["head.weight"], known["head.weight"].shape[1]
        if planes < plan.planes:  # luma alone: what it adds to luma is added to R, G and B
            head = head * torch.from_numpy(WEIGHTS_OF_LUMA).float()[:, None, None]
        middle = plan.frames // 2 * plan.planes
        wanted["head.weight"].zero_()
        wanted["head.weight"][:, middle : middle + plan.planes] = head
        wanted["head.bias"].copy_(known["head.bias"])
        for key in ("tail.weight", "tail.bias"):
            wanted[key].copy_(torch.cat([known[key]] * (plan.planes // planes)))
        network.load_state_dict(wanted)
    return network.to(memory_format=torch.channels_last)


def trained(name: str, plan: Plan, known: dict[str, torch.Tensor]) -> Network:
    """The network after one round."""
    torch.manual_seed(1)
    rng, network, pool = np.random.default_rng(plan.seed), begun(plan, known), pool_of(plan)
    # The edge of a patch has no surroundings; inside a picture every pixel has, so only those count.
    edge = slice(EDGE * plan.factor, -EDGE * plan.factor)

    def loss_of() -> torch.Tensor:
        given, wanted = batch(pool, plan, rng)
        return plan.loss(network(given)[..., edge, edge], wanted[..., edge, edge])

    optimise(name, network, plan.steps, plan.rate, loss_of)
    return network


def train(name: str) -> None:
    """Train by the rounds of a plan and write the ONNX file."""
    torch.use_deterministic_algorithms(True)
    first, *further = PLANS[name]
    network = trained(name, first, weights_of(first.start_from) if first.start_from else {})
    for plan in further:
        before = begun(plan, network.state_dict()).state_dict()
        network = trained(name, plan, before)
        if plan.keep:  # the mean of two networks of one basin is better than either (Wortsman et al. 2022)
            after = network.state_dict()
            network.load_state_dict(
                {key: torch.lerp(value, before[key], plan.keep) for key, value in after.items()}
            )
    (OUT / f"{name}.onnx").write_bytes(to_onnx(network, name))


if __name__ == "__main__":
    torch.set_num_threads(int(sys.argv[2]) if len(sys.argv) > 2 else 2)
    train(sys.argv[1])
