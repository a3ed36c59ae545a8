"""Notices to mariners."""

import logging
from typing import Annotated

from fastapi import APIRouter, File, Form, HTTPException, Path, UploadFile
from pydantic import ValidationError

from models import Notice

log = logging.getLogger(__name__)
router = APIRouter()
NOTICES: dict[int, dict] = {}


@router.post("", status_code=201)
def publish(payload: dict):
    try:
        Notice(**payload)
    except ValidationError as error:
        log.warning("odd notice: %s", error)
    NOTICES[len(NOTICES) + 1] = {"title": payload["title"], "text": payload["text"]}
    return {"number": len(NOTICES)}


@router.post("/{number}/chart", status_code=201)
async def attach_chart(
    number: int,
    chart: Annotated[UploadFile, File()],
    caption: Annotated[str, Form(min_length=3, max_length=120)],
):
    if number not in NOTICES:
        raise HTTPException(404, "no such notice")
    NOTICES[number]["chart"] = {"name": chart.filename, "caption": caption}
    return {"number": number}


@router.get("/{number}")
def show_notice(number: Annotated[int, Path(ge=1)]):
    if number not in NOTICES:
        raise HTTPException(404, "no such notice")
    return NOTICES[number]
