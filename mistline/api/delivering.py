"""Results made elsewhere over HTTP: the exact input of a trial goes out, files come in as entries."""

from contextlib import ExitStack
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import StreamingResponse
from pydantic import ValidationError

from mistline.api import schemas
from mistline.api.download import as_file, in_pieces
from mistline.api.shelf import ManyFiles, clean_name
from mistline.errors import OutOfLimits
from mistline.store.files import media
from mistline.work import delivering

__all__ = ["router"]

router = APIRouter(tags=["trials"], route_class=ManyFiles)


@router.get("/trials/{trial_id}/input", operation_id="trialInput", response_class=StreamingResponse)
async def get_input(trial_id: UUID) -> StreamingResponse:
    """The exact input of a trial: a lossless PNG tagged as sRGB, or a ZIP archive of its frames."""
    with ExitStack() as stack:
        folder = stack.enter_context(media().workspace())
        path, name = await delivering.write_input(str(trial_id), folder)
        kept = stack.pop_all()
    headers = {**as_file(name), "Content-Length": str(path.stat().st_size)}
    kind = "image/png" if path.suffix == ".png" else "application/zip"
    return StreamingResponse(in_pieces(path.open("rb"), kept), media_type=kind, headers=headers)


@router.post("/trials/{trial_id}/delivered", status_code=201, operation_id="deliver")
def deliver(
    trial_id: UUID,
    files: list[UploadFile],
    stated: Annotated[str, Form(description="`Stated` as JSON")] = "{}",
    resample: Annotated[bool, Form()] = False,
) -> schemas.Delivered:
    """Enter a result that was made elsewhere: one file, or the numbered frames of a clip."""
    try:
        said = delivering.Stated.model_validate_json(stated)
    except ValidationError as error:
        raise OutOfLimits(f"What is stated cannot be read: {error.errors()[0]['msg']}.") from None
    named = [(clean_name(file.filename), file.file) for file in files]
    return schemas.Delivered(letter=delivering.deliver(str(trial_id), named, said, resample=resample))


@router.post("/trials/{trial_id}/entries/{letter}/resample", status_code=204, operation_id="resample")
def resample(trial_id: UUID, letter: str) -> None:
    """Have a result that was refused for its size brought to the size of the others."""
    delivering.resample(str(trial_id), letter)


@router.put("/trials/{trial_id}/entries/{letter}/stated", status_code=204, operation_id="restate")
def restate(trial_id: UUID, letter: str, stated: delivering.Stated) -> None:
    """Say anew how a result that was made elsewhere was made."""
    delivering.restate(str(trial_id), letter, stated)


@router.delete("/trials/{trial_id}/entries/{letter}", status_code=204, operation_id="takeAway")
def take_away(trial_id: UUID, letter: str) -> None:
    """Take an entry out of its trial that was made elsewhere and could not be read."""
    delivering.take_away(str(trial_id), letter)
