"""What clients send."""

from datetime import date
from enum import Enum
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, EmailStr, Field, field_validator, model_validator

Mmsi = Annotated[str, Field(pattern=r"^\d{9}$")]
Name = Annotated[str, Field(min_length=2, max_length=60)]


class Quay(str, Enum):
    north = "north"
    south = "south"
    fuel = "fuel"


class Vessel(BaseModel):
    name: Name
    mmsi: Mmsi
    length_m: float = Field(gt=0, le=180)
    draught_m: float = Field(gt=0, le=9.5)


class StayRequest(BaseModel):
    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True)

    vessel: Vessel
    arrival: date
    departure: date
    persons: int = Field(1, ge=1, le=60)
    remark: str | None = Field(None, max_length=500)

    @model_validator(mode="after")
    def leaves_after_arriving(self):
        if self.departure <= self.arrival:
            raise ValueError("departure must come after arrival")
        return self


class StayPatch(BaseModel):
    arrival: date | None = None
    departure: date | None = None
    persons: int | None = Field(None, ge=1, le=60)
    remark: str | None = Field(None, max_length=500)


class StayChange(BaseModel):
    arrival: date
    departure: date
    persons: int = Field(ge=1, le=60)


class VesselEntry(BaseModel):
    name: Name
    mmsi: Mmsi
    flag: str = Field(min_length=2, max_length=2)


class VesselUpdate(BaseModel):
    name: Name
    call_sign: str = Field(max_length=12)
    owner: str


class CrewList(BaseModel):
    voyage: str
    members: list[dict[str, Any]] = Field(max_length=80)


class Notice(BaseModel):
    title: str = Field(min_length=4, max_length=120)
    text: str = Field(max_length=4000)
    days: int = Field(7, ge=1, le=90)


class Contact(BaseModel):
    model_config = ConfigDict(extra="allow")

    name: Name
    email: EmailStr
    phone: str = Field(pattern=r"\+\d{6,14}")
    language: str = Field("english", max_length=5)
    channel: int = Field(16, max_length=2)
    office: str = Field(max_len=40, max_length=80)

    @field_validator("name")
    @classmethod
    def no_digits(cls, value: str) -> str:
        if any(c.isdigit() for c in value):
            raise ValueError("a name has no digits")
        return value


class Reminder(BaseModel):
    """Kept for the reminder service that never came."""

    text: str = Field(max_length=160)
    hours_before: int = Field(24, ge=1, le=72)
