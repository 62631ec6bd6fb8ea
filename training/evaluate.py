"""Write the model cards: held-out figures of every shipped network, by the application's own code.

.venv/bin/python -m training.evaluate [NAME ...]

Without names all of them. Held out are four photographs that no network was trained on (scikit-image: astronaut, camera, chelsea, coffee;
CC0 or public domain). Figures are luma PSNR in dB over their 8-bit results, mean of the four, beside methods of
the application on the same input.
"""

import sys
from pathlib import Path
from statistics import mean

import numpy as np
import onnx
import skimage.data

from mistline.core.frame import Frame, luma, to_frame
from mistline.core.measure import measure_traits
from mistline.core.measure.psnr import psnr
from mistline.core.media.plate import quantise
from mistline.core.methods import METHODS, alone
from mistline.core.methods.learned import method_of
from mistline.core.methods.network import Figure, ModelCard
from mistline.core.setup import TruthSetup, crop_part
from training.material import HELD_OUT, rgb

MODELS = Path(__file__).parents[1] / "mistline" / "core" / "models"
DATA = (
    "Photographs inside registry packages: rocket, brick, grass, gravel, retina, hubble_deep_field (scikit-image, "
    "public domain or CC0), china, flower (scikit-learn, CC BY 2.0); and made pictures of leaves, shapes, text and "
    "textures."
)
CLEAN = "Inputs shrunk by area in linear or encoded light, nothing else: on other inputs it is often worse than "
TRIED = {
    "area, linear light": {},
    "area, encoded values": {"light": "encoded"},
    "Lanczos 3": {"kernel": "lanczos3"},
    "area, noise 8 cv": {"noise": 8},
    "area, noise 20 cv": {"noise": 20},
    "area, JPEG 60": {"jpeg": 60},
    "blurred by 1.2 px of the truth": {"blur": 1.2},
}
NOISE = {
    "noise 10 cv": {"noise": 10}, "noise 25 cv": {"noise": 25}, "noise 50 cv": {"noise": 50},
    "sensor noise, 4 stops": {"underexposed": 4}, "sensor noise, 6 stops": {"underexposed": 6},
    "noise 10 cv, JPEG 80": {"noise": 10, "jpeg": 80},
}  # fmt: skip
SHI = "sub-pixel convolution (Shi et al. 2016) added to a Catmull-Rom enlargement"
ZHANG = "the noise is predicted and taken off (Zhang et al. 2017), on 2 x 2 pixels at a time"
ABOUT = {
    "faithful_x2": ("Faithful network, 2x", "Closest to the truth on clean inputs; no more detail than is likely.",
                    f"Luma alone, 8 residual blocks of 32 channels, {SHI}; colour by bicubic.", CLEAN + "bicubic.",
                    "Adam, 4 blocks: L1, 16000 steps of 16 patches of 44 x 44; 6 blocks: Charbonnier and squares, 7250 of the "
                    "same, and Charbonnier and decibels, 6000 of 8 patches of 64 x 64; 8 blocks: 5000 of these, and 4000 on "
                    "photographs shrunk by other kernels too, 68 % in linear light, of whose weights two thirds count; "
                    "seeds 1 to 4 and 6."),
    "crisp_x2": ("Crisp network, 2x", "Visibly sharper, measurably less faithful: rims and invented texture.",
                 f"2 residual blocks of 32 channels, {SHI}.", CLEAN + "bicubic.",
                 "From the faithful one to an over-sharpened target (unsharp 1.2), L1 and slopes, 1500 steps."),
    "faithful_x4": ("Faithful network, 4x", "Closest to the truth on clean inputs at 4 times.",
                    f"3 residual blocks of 32 channels, {SHI}.", CLEAN + "bicubic.",
                    "L1 loss, Adam, 4500 steps of 16 patches of 32 x 32, seed 1."),
    "guided_denoise": ("Guided noise reduction", "Told how strong the noise is at each brightness, in luma and in colour; "
                       "the choice for camera noise.",
                       "Half and quarter size, 6 residual blocks of 40 and 72 channels; the residual is multiplied by the "
                       "noise level and taken off (Zhang et al. 2018).",
                       "Sensor noise of 0 to 7.2 stops, white, equal and soft noise of 1.5 to 55 cv, 15 % through JPEG.",
                       "L1 on RGB and luma, Adam, 9500 steps of 8 patches of 76 x 76, seed 1."),
    "mixed_x2": ("Sturdy network, 2x", "Takes noise, blur and JPEG off while it enlarges; softer on clean inputs.",
                 f"4 residual blocks of 48 channels, {SHI}.",
                 "Inputs shrunk by area or Gauss, 85 % with noise up to 25 cv, half with JPEG from 50 to 95.",
                 "L1 loss, Adam, 6000 steps of 16 patches of 40 x 40, seed 1."),
    "blind_denoise": ("Learned noise reduction", "Finds the noise by itself; softens clean pictures a little.",
                      f"3 residual blocks of 48 channels; {ZHANG}.",
                      "Gaussian noise of 2 to 55 cv.", "L1 loss, Adam, 7000 steps of 16 patches of 64 x 64, seed 1."),
}  # fmt: skip
VERSION = {"faithful_x2": 5}
MORE_DATA = {
    "faithful_x2": " Also coins, moon, page, text, immunohistochemistry, microaneurysms, clock (scikit-image) and 39 "
    "photographs of Debian's packages of wallpapers (licences as in each package)."
}
REACH = {
    "faithful_x2": 18,
    "guided_denoise": 48,
    "crisp_x2": 6,
    "faithful_x4": 8,
    "mixed_x2": 10,
    "blind_denoise": 16,
}


def held_out() -> list[Frame]:
    """The four photographs no network has seen."""
    return [to_frame(rgb(getattr(skimage.data, name)())) for name in HELD_OUT]


def _given(setup: TruthSetup, picture: Frame) -> tuple[Frame, Frame]:
    """Truth and input, the input rounded to 8 bits as a trial does."""
    sizes = setup.plan(picture.size)
    truth = crop_part(picture, sizes)
    codes, _ = quantise(next(setup.inputs([truth], sizes)), 8)
    return truth, to_frame(codes)


def _score(method: str, settings: dict[str, object], pairs: list[tuple[Frame, Frame]]) -> float:
    chosen, found = METHODS[method], []
    for truth, given in pairs:
        traits = measure_traits(quantise(given, 8)[0])
        result = chosen.run(alone(given), chosen.resolve(settings, traits), truth.size)
        codes, _ = quantise(result, 8)
        found.append(psnr(luma(truth.pixels), luma(to_frame(codes).pixels)))
    return round(mean(found), 2)


def _equal(picture: Frame, grey: Frame, noisy: Frame) -> Frame:
    codes, _ = quantise(picture.with_pixels(picture.pixels + noisy.pixels - grey.pixels), 8)
    return to_frame(codes)


def figures(card: ModelCard) -> list[Figure]:
    """Luma PSNR of the model and its rivals on every test that suits it."""
    pictures, rows = held_out(), []
    if card.task == "enlarge":
        for words, damage in TRIED.items():
            setup = TruthSetup.model_validate({"factor": card.factor, **damage})
            pairs = [_given(setup, picture) for picture in pictures]
            rivals = {"Bicubic": _score("bicubic", {}, pairs), "Lanczos 3": _score("lanczos", {}, pairs)}
            once, often = (_score(card.id, {"ways": ways}, pairs) for ways in (1, 8))
            rows.append(Figure(test=words, model=once, eight_ways=often, beside=rivals))
        return rows
    tests = {
        words: [_given(TruthSetup.model_validate({"factor": 1, **d}), p) for p in pictures]
        for words, d in NOISE.items()
    }
    grey = [picture.with_pixels(luma(picture.pixels)[..., None]) for picture in pictures]
    tests["grey, noise 25 cv"] = [_given(TruthSetup(factor=1, noise=25), picture) for picture in grey]
    # The same noise in the three channels, as of a film that was scanned in grey and tinted.
    tests["equal noise 25 cv in R, G and B"] = [(p, _equal(p, g, n)) for p, g, (_, n) in
                                                zip(pictures, grey, tests["grey, noise 25 cv"], strict=True)]  # fmt: skip
    for words, pairs in tests.items():
        rivals = {METHODS[key].name: _score(key, {}, pairs) for key in ("non_local_means", "sliding_dct")}
        rows.append(Figure(test=words, model=_score(card.id, {}, pairs), beside=rivals))
    clean = [(picture, picture) for picture in pictures]
    if not card.levels:  # told that there is no noise, it changes nothing
        rows.append(Figure(test="clean input", model=_score(card.id, {}, clean), beside={}))
    return rows


def main() -> None:
    """Write a card beside every network, or beside those named."""
    for path in sorted(MODELS.glob("*.onnx")):
        if path.stem not in (sys.argv[1:] or [path.stem]):
            continue
        model = onnx.load(str(path))
        name, summary, architecture, trained_on, training = ABOUT[path.stem]
        factor = {"x2": 2, "x4": 4}.get(path.stem[-2:], 1)
        card = ModelCard(
            id=path.stem, version=VERSION.get(path.stem, 1), name=name, summary=summary, task="enlarge" if factor > 1 else "reduce noise", factor=factor,
            reference="Shi et al. 2016" if factor > 1 else "Zhang et al. 2017, 2018",
            multiple=1 if factor > 1 else 4 if len(model.graph.input) > 1 else 2, levels=len(model.graph.input) > 1,
            channels=model.graph.input[0].type.tensor_type.shape.dim[1].dim_value,
            overlap=REACH[path.stem], opset=model.opset_import[0].version, architecture=architecture,
            parameters=int(sum(np.prod(t.dims) for t in model.graph.initializer if t.name not in ("phases", "pads"))),
            file_bytes=path.stat().st_size, data=f"{DATA}{MORE_DATA.get(path.stem, '')} {trained_on}", training=training, tile=None,
        )  # fmt: skip
        METHODS[card.id] = method_of(card, path)
        card = card.model_copy(update={"figures": figures(card)})
        path.with_suffix(".json").write_text(card.model_dump_json(indent=2) + "\n")
        print(card.name, *(f"\n  {row.test}: {row.model} beside {row.beside}" for row in card.figures))


if __name__ == "__main__":
    main()
