"""Makes the `recorded.json` of each service beside it anew: builds it, starts it and sends every request of its `cases.json`, the
accepted ones also with each field left out.

    python tests/recorded/go/record.py [SERVICE ...]     (needs Go, and the packages from Go's own module proxy)
"""

import json
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent))
from sending import requests, send, wait  # noqa: E402

PORT = 8124
# service -> the packages that it asks for
SERVICES: dict[str, tuple[str, ...]] = {
    "gin": ("github.com/gin-gonic/gin v1.10.0", "github.com/go-playground/validator/v10 v10.22.0"),
    "echo": ("github.com/labstack/echo/v4 v4.12.0", "github.com/go-playground/validator/v10 v10.22.0"),
    "tags": ("github.com/go-playground/validator/v10 v10.22.0",),
    "fiber": ("github.com/gofiber/fiber/v2 v2.52.5", "github.com/go-playground/validator/v10 v10.22.0"),
    "standard": ("github.com/go-chi/chi/v5 v5.1.0", "github.com/gorilla/mux v1.8.1",
                 "github.com/go-playground/validator/v10 v10.22.0", "github.com/go-ozzo/ozzo-validation/v4 v4.3.0"),
}  # fmt: skip


def module(service: str) -> str:
    """The module file of a service."""
    return "module example.com/app\n\ngo 1.22\n\n" + "".join(f"require {p}\n" for p in SERVICES[service])


def built(folder: str, service: str) -> None:
    """Build a service in a folder."""
    for file in (HERE / service).glob("*.go"):
        shutil.copy(file, folder)
    (Path(folder) / "go.mod").write_text(module(service))
    subprocess.run(["go", "mod", "tidy"], cwd=folder, check=True)
    subprocess.run(["go", "build", "-o", "app", "."], cwd=folder, check=True)


def answers(service: str) -> dict[str, dict[str, int]]:
    """Build and start a service, and return the status of every request."""
    cases = json.loads((HERE / service / "cases.json").read_text())
    with tempfile.TemporaryDirectory() as folder:
        built(folder, service)
        running = subprocess.Popen([str(Path(folder) / "app"), str(PORT)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        try:
            wait(lambda: send(f"GET /{service}", {}, PORT))
            return {
                endpoint: {name: send(endpoint, values, PORT) for name, values in requests(case)
                           if not any(f"{{{x}}}" in endpoint and x not in values for x in ("id", "code"))}
                for endpoint, case in cases.items()
            }  # fmt: skip
        finally:
            running.terminate()
            running.wait()


def refused() -> list[bool]:
    """Build the program that holds values against tags, and return what it says of each."""
    sys.path.insert(0, str(HERE.parent.parent))
    from test_agrees_with_struct_tags import triples

    with tempfile.TemporaryDirectory() as folder:
        built(folder, "tags")
        done = subprocess.run([str(Path(folder) / "app")], input=json.dumps(triples()).encode(), stdout=subprocess.PIPE, check=True)
    return list(json.loads(done.stdout))


def main() -> None:
    for service in sys.argv[1:] or SERVICES:
        found = refused() if service == "tags" else answers(service)
        (HERE / service / "recorded.json").write_text(json.dumps(found, indent=None if service == "tags" else 1) + "\n")


if __name__ == "__main__":
    main()
