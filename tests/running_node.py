"""Small JavaScript services run for real: the requests sent to them, what they answered, and whether they stored anything."""

import http.client
import json
import os
import shutil
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

NODE = Path(__file__).parent / "node"
MODULES = NODE / "node_modules"

# Every case stores through this: a line a record, so that what was stored is seen from outside.
DB = """
const fs = require("fs");
const keep = (row) => { fs.appendFileSync(process.env.STORED, JSON.stringify(row ?? null) + "\\n"); return row; };
exports.db = { rows: { insert: keep, update: (id, row) => keep(row), save: keep } };
"""


def missing() -> str | None:
    """Say why the services cannot be run here; None where they can."""
    if shutil.which("node") is None:
        return "node is not installed"
    return None if (MODULES / "express").is_dir() else "the frameworks are not installed: npm install in tests/node"


class Running:
    """One service while it runs."""

    def __init__(self, port: int, stored: Path) -> None:
        self.port, self.stored = port, stored

    def send(self, method: str, path: str, body: Any = None, **headers: str) -> tuple[int, int]:
        """Send a request; return the status (599 where no answer came) and how many records were stored for it."""
        before = self._count()
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=2)
        data = None if body is None else json.dumps(body).encode()
        if data is not None:
            headers["content-type"] = "application/json"
        try:
            connection.request(method, path, data, headers)
            status = connection.getresponse().status
        except (TimeoutError, http.client.HTTPException, ConnectionError):
            status = 599
        finally:
            connection.close()
        # What is done after the answer was sent counts as well.
        time.sleep(0.03)
        return status, self._count() - before

    def _count(self) -> int:
        return self.stored.read_bytes().count(b"\n")


@contextmanager
def running(folder: Path, main: str) -> Iterator[Running]:
    """Start the service of a folder and stop it again."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    stored = folder / "stored.txt"
    stored.write_bytes(b"")
    environment = os.environ | {"PORT": str(port), "STORED": str(stored), "NODE_PATH": str(MODULES), "NO_COLOR": "1"}
    command = ["node", "-r", str(NODE / "typescript.cjs"), main]
    process = subprocess.Popen(command, cwd=folder, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
    try:
        for _ in range(200):
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", port)) == 0:
                    break
            if process.poll() is not None:
                assert process.stderr is not None
                raise AssertionError(process.stderr.read().decode())
            time.sleep(0.05)
        yield Running(port, stored)
    finally:
        process.kill()
        process.communicate()
