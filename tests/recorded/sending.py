"""What every recorder of running services shares: the requests of a case, and waiting for a service that starts."""

import json
import time
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Callable
from typing import Any

HOST = "http://127.0.0.1"


def requests(case: dict[str, Any]) -> list[tuple[str, Any]]:
    """Every request of a case, by a name of its own."""
    accepted = case["accepted"]
    found: list[tuple[str, Any]] = []
    if accepted is not None:
        found.append(("accepted", accepted))
    for i, (changes, _, _) in enumerate(case["broken"]):
        found.append((f"broken {i}", changes if not isinstance(accepted, dict) else accepted | changes))
    if isinstance(accepted, dict):
        found.extend((f"without {name}", {k: v for k, v in accepted.items() if k != name}) for name in accepted)
    return found


def ask(method: str, url: str, body: bytes | None = None, headers: dict[str, str] | None = None) -> int:
    """Send a request and return the status; raises OSError where nobody listens."""
    request = urllib.request.Request(url, body, headers or {}, method=method)
    try:
        with urllib.request.urlopen(request, timeout=20) as answer:
            return int(answer.status)
    except urllib.error.HTTPError as error:
        return error.code


def send(endpoint: str, values: Any, port: int) -> int:
    """Send values the way the endpoint ("METHOD /path") takes them: in its path, its query, as a form, as JSON."""
    method, _, path = endpoint.partition(" ")
    rest = dict(values) if isinstance(values, dict) else values
    for name in [x.partition("}")[0] for x in path.split("{")[1:]]:
        path = path.replace(f"{{{name}}}", urllib.parse.quote(str(rest.pop(name))))
    url = f"{HOST}:{port}{path}"
    if method in ("GET", "DELETE"):
        return ask(method, f"{url}?{urllib.parse.urlencode(rest)}" if rest else url)
    if path.startswith("/form"):
        return ask(method, url, urllib.parse.urlencode(rest).encode())
    return ask(method, url, json.dumps(rest).encode(), {"Content-Type": "application/json"})


def wait(first: Callable[[], object]) -> None:
    """Wait, two minutes at most, until a service answers."""
    for _ in range(240):
        time.sleep(0.5)
        try:
            first()
            return
        except OSError:
            continue
