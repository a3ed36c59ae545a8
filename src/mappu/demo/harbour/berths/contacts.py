"""Whom to call about a vessel."""

from fastapi import APIRouter

from models import Contact

router = APIRouter()
CONTACTS: list[dict] = []


@router.post("", status_code=201)
def add_contact(contact: Contact):
    CONTACTS.append({"name": contact.name, "email": contact.email, "phone": contact.phone, "office": contact.office})
    return {"count": len(CONTACTS)}
