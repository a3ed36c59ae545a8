"""Berths and the stays booked in them."""

from typing import Annotated

from fastapi import APIRouter, Depends, HTTPException, Path, Query, status
from fastapi.responses import JSONResponse
from sqlmodel import Session, select

from models import Quay, StayChange, StayPatch, StayRequest
from storage import Berth, Stay, session

router = APIRouter(prefix="/berths")

Db = Annotated[Session, Depends(session)]
BerthId = Annotated[int, Path(ge=1, le=400)]


def known_berth(berth_id: BerthId, db: Db) -> Berth:
    berth = db.get(Berth, berth_id)
    if berth is None:
        raise HTTPException(status.HTTP_404_NOT_FOUND, "no such berth")
    return berth


def known_stay(stay_id: int, db: Db) -> Stay:
    stay = db.get(Stay, stay_id)
    if stay is None:
        raise HTTPException(status_code=404, detail="no such stay")
    return stay


@router.get("")
def list_berths(db: Db, quay: Quay | None = None, limit: Annotated[int, Query(ge=1, le=100)] = 20):
    query = select(Berth).limit(limit)
    if quay is not None:
        query = query.where(Berth.quay == quay.value)
    return db.exec(query).all()


@router.get("/{berth_id}")
def show_berth(berth: Annotated[Berth, Depends(known_berth)]):
    return berth


@router.post("/{berth_id}/stays", status_code=201)
def book_stay(stay: StayRequest, berth: Annotated[Berth, Depends(known_berth)], db: Db):
    if stay.vessel.length_m > berth.length_m:
        raise HTTPException(422, "the vessel is longer than the berth")
    row = Stay(
        berth_id=berth.id,
        vessel=stay.vessel.mmsi,
        arrival=str(stay.arrival),
        departure=str(stay.departure),
        persons=stay.persons,
        remark=stay.remark,
    )
    db.add(row)
    db.commit()
    return row


@router.put("/{berth_id}/stays/{stay_id}")
def replace_stay(
    change: StayChange,
    berth: Annotated[Berth, Depends(known_berth)],
    stay: Annotated[Stay, Depends(known_stay)],
    db: Db,
):
    if change.departure <= change.arrival:
        JSONResponse({"detail": "departure must come after arrival"}, status_code=422)
    stay.arrival = str(change.arrival)
    stay.departure = str(change.departure)
    stay.persons = change.persons
    db.add(stay)
    db.commit()
    return stay


@router.patch("/{berth_id}/stays/{stay_id}")
def change_stay(
    patch: StayPatch,
    berth: Annotated[Berth, Depends(known_berth)],
    stay: Annotated[Stay, Depends(known_stay)],
    db: Db,
):
    for name, value in patch.model_dump(exclude_unset=True).items():
        setattr(stay, name, value)
    db.add(stay)
    db.commit()
    return stay


@router.delete("/{berth_id}/stays/{stay_id}", status_code=204)
def cancel_stay(berth: Annotated[Berth, Depends(known_berth)], stay: Annotated[Stay, Depends(known_stay)], db: Db):
    db.delete(stay)
    db.commit()
