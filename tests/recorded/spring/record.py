"""Makes `recorded.json` anew: builds the service of this folder with Maven, once for each version, starts it and sends every
request of `cases.json`, the accepted ones also with each field left out.

    python tests/recorded/spring/record.py        (needs Maven and a JDK, and the packages from Maven's own repository)
"""

import json
import shutil
import subprocess
import tempfile
import time
import urllib.error
import urllib.parse
import urllib.request
from pathlib import Path
from typing import Any

HERE = Path(__file__).parent
VERSIONS = ("3.3.5", "3.1.12")
POM = """<project xmlns="http://maven.apache.org/POM/4.0.0">
  <modelVersion>4.0.0</modelVersion>
  <parent>
    <groupId>org.springframework.boot</groupId><artifactId>spring-boot-starter-parent</artifactId><version>{version}</version>
  </parent>
  <groupId>app</groupId><artifactId>app</artifactId><version>1</version>
  <properties><java.version>17</java.version></properties>
  <dependencies>
    <dependency><groupId>org.springframework.boot</groupId><artifactId>spring-boot-starter-web</artifactId></dependency>
    <dependency><groupId>org.springframework.boot</groupId><artifactId>spring-boot-starter-validation</artifactId></dependency>
  </dependencies>
  <build><plugins><plugin>
    <groupId>org.springframework.boot</groupId><artifactId>spring-boot-maven-plugin</artifactId>
  </plugin></plugins></build>
</project>
"""
APP = """package app;
@org.springframework.boot.autoconfigure.SpringBootApplication
public class App {
    public static void main(String[] args) { org.springframework.boot.SpringApplication.run(App.class, args); }
}
"""
PORT = 8123


def send(path: str, values: Any) -> int:
    """Send one request the way its path asks for, and return the status."""
    base, body, headers = f"http://127.0.0.1:{PORT}", None, {}
    if path in ("/query", "/filter", "/filter-idle", "/intercepted"):
        url, method = f"{base}{path}?{urllib.parse.urlencode(values)}", "GET"
    elif "{id}" in path:
        url, method = base + path.replace("{id}", str(values["id"])), "GET"
    elif path == "/form":
        url, method, body = base + path, "POST", urllib.parse.urlencode(values).encode()
    else:
        url, method, body, headers = base + path, "POST", json.dumps(values).encode(), {"Content-Type": "application/json"}
    request = urllib.request.Request(url, body, headers, method=method)
    try:
        with urllib.request.urlopen(request, timeout=20) as answer:
            return int(answer.status)
    except urllib.error.HTTPError as error:
        return error.code


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


def main() -> None:
    cases = json.loads((HERE / "cases.json").read_text())
    recorded: dict[str, dict[str, dict[str, int]]] = {}
    for version in VERSIONS:
        with tempfile.TemporaryDirectory() as folder:
            source = Path(folder) / "src/main/java/app"
            source.mkdir(parents=True)
            (Path(folder) / "pom.xml").write_text(POM.format(version=version))
            (source / "App.java").write_text(APP)
            for file in HERE.glob("*.java"):
                shutil.copy(file, source)
            subprocess.run(["mvn", "-q", "-B", "package"], cwd=folder, check=True)
            service = subprocess.Popen(["java", "-jar", "target/app-1.jar", f"--server.port={PORT}"], cwd=folder,
                                       stdout=subprocess.DEVNULL)  # fmt: skip
            try:
                for _ in range(120):
                    time.sleep(0.5)
                    try:
                        urllib.request.urlopen(f"http://127.0.0.1:{PORT}/none", timeout=1)
                    except urllib.error.HTTPError:
                        break
                    except OSError:
                        continue
                recorded[version] = {
                    path: {name: send(path, values) for name, values in requests(case) if not ("{id}" in path and "id" not in values)}
                    for path, case in cases.items()
                }
            finally:
                service.terminate()
                service.wait()
    (HERE / "recorded.json").write_text(json.dumps(recorded, indent=1) + "\n")


if __name__ == "__main__":
    main()
