"""Berths read in from the surveyor's list."""

from fastapi import APIRouter, Depends, Request
from sqlmodel import Session

from storage import Berth, session

router = APIRouter(prefix="/berths/import")


@router.post("", status_code=202)
async def import_berths(request: Request, db: Session = Depends(session)):
    rows = await request.json()
    for row in rows:
        db.add(Berth(**row))
    db.commit()
    return {"taken": len(rows)}
