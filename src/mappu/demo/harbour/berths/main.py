"""Saltmarsh Harbour: berths, stays and the vessels that lie in them."""

from fastapi import FastAPI

import contacts
import imports
import notices
import stays
import tariffs
import vessels

app = FastAPI(title="Berths")

for router in (imports.router, stays.router, vessels.router, tariffs.router):
    app.include_router(router)
app.include_router(notices.router, prefix="/notices")
app.include_router(contacts.router, prefix="/contacts")
