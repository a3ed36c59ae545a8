"""What a metre of berth costs."""

from fastapi import APIRouter, Depends
from sqlmodel import Session

from storage import Tariff, session

router = APIRouter(prefix="/tariffs")


@router.post("", status_code=201)
def add_tariff(tariff: Tariff, db: Session = Depends(session)):
    db.add(tariff)
    db.commit()
    return tariff
