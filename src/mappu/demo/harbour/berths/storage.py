"""The harbour's database."""

from collections.abc import Iterator

from sqlmodel import Field, Session, SQLModel, create_engine

from settings import settings

engine = create_engine(settings.database_url)


class Berth(SQLModel, table=True):
    id: int | None = Field(default=None, primary_key=True)
    quay: str
    length_m: float


class Stay(SQLModel, table=True):
    id: int | None = Field(default=None, primary_key=True)
    berth_id: int
    vessel: str
    arrival: str
    departure: str
    persons: int
    remark: str | None = None


class VesselRow(SQLModel, table=True):
    mmsi: str = Field(primary_key=True)
    name: str
    flag: str | None = None
    call_sign: str | None = None
    owner: str | None = None


class Tariff(SQLModel, table=True):
    id: int | None = Field(default=None, primary_key=True)
    code: str = Field(min_length=2, max_length=8)
    per_metre: float = Field(gt=0, le=400)


def session() -> Iterator[Session]:
    with Session(engine) as opened:
        yield opened
