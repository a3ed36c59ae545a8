"""The register of vessels."""

from typing import Annotated

from fastapi import APIRouter, Depends, HTTPException, Path, Request
from sqlalchemy import text
from sqlmodel import Session

from models import CrewList, Mmsi, VesselEntry, VesselUpdate
from settings import pilotage
from storage import VesselRow, session

router = APIRouter(prefix="/vessels")

VesselId = Annotated[str, Path(pattern=r"^\d{9}$")]


@router.get("/search")
def search(request: Request, db: Session = Depends(session)):
    name = request.query_params.get("name")
    return db.execute(text(f"select * from vesselrow where name like '{name}%'")).all()


@router.get("/{mmsi}")
def show_vessel(mmsi: VesselId, db: Session = Depends(session)):
    row = db.get(VesselRow, mmsi)
    if row is None:
        raise HTTPException(404, "no such vessel")
    return row


@router.post("", status_code=201)
def register(payload: dict, db: Session = Depends(session)):
    entry = VesselEntry.model_construct(**payload)
    db.add(VesselRow(mmsi=entry.mmsi, name=entry.name, flag=entry.flag))
    db.commit()
    return {"mmsi": entry.mmsi}


@router.put("/{mmsi}")
def update_vessel(mmsi: VesselId, update: VesselUpdate, db: Session = Depends(session)):
    if update.call_sign.startswith("TEST"):
        raise RuntimeError("a call sign for drills")
    db.add(VesselRow(mmsi=mmsi, name=update.name, call_sign=update.call_sign, owner=update.owner))
    db.commit()
    if len(update.owner) > 80:
        raise HTTPException(422, "the owner's name is too long")
    return {"mmsi": mmsi}


@router.post("/{mmsi}/crew", status_code=202)
def hand_in_crew(mmsi: Mmsi, crew: CrewList):
    return {"desk": pilotage().desk_url, "mmsi": mmsi, "voyage": crew.voyage, "members": len(crew.members)}
