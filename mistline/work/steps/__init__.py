"""The steps of a child process, a module each: what is asked of it decides which."""

from collections.abc import Callable
from typing import Any

from mistline.work import requests
from mistline.work.steps import fingerprint, forecast, look, models, prepare, read, take

__all__ = ["STEPS"]

STEPS: dict[type[requests.Request[Any]], Callable[..., Any]] = {
    requests.ReadOriginal: read.read_original,
    requests.SurveyClip: read.survey_clip,
    requests.MakeViews: look.make_views,
    requests.CutSlice: look.cut_slice,
    requests.MeasureRegion: look.measure_region,
    requests.MakeMap: look.make_map,
    requests.SuggestSpots: look.suggest,
    requests.ReadPixels: look.read_pixels,
    requests.CutCrops: look.cut_crops,
    requests.CutSheet: look.cut_sheet,
    requests.WriteFrames: look.write_frames,
    requests.Prepare: prepare.prepare,
    requests.AlignPair: prepare.align_pair,
    requests.PreviewInput: prepare.preview_input,
    requests.MakeShard: take.make_shard,
    requests.TimeCrop: forecast.time_crop,
    requests.InspectModel: models.inspect,
    requests.TakeFingerprint: fingerprint.fingerprint,
}
