"""Makes the `recorded.json` of each service beside it anew: builds it with Maven, once for each version, starts it and sends every
request of its `cases.json`, the accepted ones also with each field left out.

    python tests/recorded/jvm/record.py [SERVICE ...]     (needs Maven and a JDK, and the packages from Maven's own repository)
"""

import json
import shutil
import subprocess
import sys
import tempfile
import urllib.parse
from pathlib import Path
from typing import Any

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent))
from sending import ask, requests, wait  # noqa: E402

PORT = 8123
JERSEY = "org.glassfish.jersey"
SPRING = """package app;
@org.springframework.boot.autoconfigure.SpringBootApplication
public class App {{
    public static void main(String[] args) {{ org.springframework.boot.SpringApplication.run(App.class, "--server.port={port}"); }}
}}
"""
MICRONAUT = """package app;
public class App {{
    public static void main(String[] args) {{ io.micronaut.runtime.Micronaut.run(App.class, "-micronaut.server.port={port}"); }}
}}
"""
JAXRS = """package app;
public class App {{
    public static void main(String[] args) throws Exception {{
        org.glassfish.jersey.jdkhttp.JdkHttpServerFactory.createHttpServer(java.net.URI.create("http://127.0.0.1:{port}/"),
            new org.glassfish.jersey.server.ResourceConfig(Resources.class, Resources.Mapper.class));
        Thread.currentThread().join();
    }}
}}
"""
# A form has no request of its own here: each is filled field by field, as the browser does, and then written.
FORMS = """package app;
import com.sun.net.httpserver.HttpServer;
import com.vaadin.flow.component.HasValue;
import elemental.json.*;
public class App {{
    public static void main(String[] args) throws Exception {{
        HttpServer server = HttpServer.create(new java.net.InetSocketAddress("127.0.0.1", {port}), 0);
        for (Class<?> view : Views.class.getDeclaredClasses()) {{
            var route = view.getAnnotation(com.vaadin.flow.router.Route.class);
            if (route != null) server.createContext("/" + route.value(), exchange -> {{
                int status = 500;
                try {{ status = filled(view, new String(exchange.getRequestBody().readAllBytes())) ? 200 : 400; }}
                catch (Exception e) {{ e.printStackTrace(); }}
                exchange.sendResponseHeaders(status, -1);
                exchange.close();
            }});
        }}
        server.start();
    }}
    @SuppressWarnings("unchecked")
    static boolean filled(Class<?> type, String sent) throws Exception {{
        Object view = type.getConstructor().newInstance();
        JsonObject values = Json.parse(sent);
        for (String name : values.keys()) {{
            HasValue<?, Object> field = (HasValue<?, Object>) type.getMethod("field", String.class).invoke(view, name);
            JsonValue value = values.get(name);
            field.setValue(value.getType() == JsonType.NUMBER ? (Object) (int) value.asNumber() : value.asString());
        }}
        return (boolean) type.getDeclaredMethod("write").invoke(view);
    }}
}}
"""
# service -> (versions, parent, dependencies, the class that starts it, what the compiler has to run)
SERVICES: dict[str, tuple[tuple[str, ...], str | None, tuple[str, ...], str, tuple[str, ...]]] = {
    "spring": (
        ("3.3.5", "3.1.12"), "org.springframework.boot:spring-boot-starter-parent",
        ("org.springframework.boot:spring-boot-starter-web", "org.springframework.boot:spring-boot-starter-validation"), SPRING, (),
    ),
    "kotlin": (
        ("3.3.5",), "org.springframework.boot:spring-boot-starter-parent",
        ("org.springframework.boot:spring-boot-starter-web", "org.springframework.boot:spring-boot-starter-validation",
         "com.fasterxml.jackson.module:jackson-module-kotlin", "org.jetbrains.kotlin:kotlin-reflect",
         "org.jetbrains.kotlin:kotlin-stdlib"), SPRING, (),
    ),
    "stored": (
        ("3.3.5",), "org.springframework.boot:spring-boot-starter-parent",
        ("org.springframework.boot:spring-boot-starter-web", "org.springframework.boot:spring-boot-starter-validation",
         "org.springframework.boot:spring-boot-starter-data-jpa", "com.h2database:h2"), SPRING, (),
    ),
    "jaxrs": (
        ("3.1.9",), None,
        (f"{JERSEY}.containers:jersey-container-jdk-http", f"{JERSEY}.inject:jersey-hk2",
         f"{JERSEY}.media:jersey-media-json-jackson", f"{JERSEY}.ext:jersey-bean-validation"), JAXRS, (),
    ),
    "micronaut": (
        ("4.10.36",), None,
        ("io.micronaut:micronaut-http-server-netty", "io.micronaut:micronaut-jackson-databind",
         "io.micronaut.validation:micronaut-validation:4.12.0"), MICRONAUT,
        ("io.micronaut:micronaut-inject-java", "io.micronaut.validation:micronaut-validation-processor:4.12.0"),
    ),
    "forms": (
        ("24.5.4",), None,
        ("com.vaadin:flow-data", "com.vaadin:vaadin-text-field-flow", "org.hibernate.validator:hibernate-validator:8.0.1.Final",
         "org.glassfish.expressly:expressly:5.0.0", "org.slf4j:slf4j-nop:2.0.9"), FORMS, (),
    ),
}  # fmt: skip
PLUGINS = """<plugin><artifactId>maven-compiler-plugin</artifactId><version>3.11.0</version>
<configuration><release>17</release><parameters>true</parameters>{}</configuration></plugin>
<plugin><groupId>org.codehaus.mojo</groupId><artifactId>exec-maven-plugin</artifactId><version>3.4.1</version>
<configuration><mainClass>app.App</mainClass></configuration></plugin>"""


# The version is the parent's.
KOTLIN = """<plugin><groupId>org.jetbrains.kotlin</groupId><artifactId>kotlin-maven-plugin</artifactId><executions><execution>
<id>kotlin</id><phase>process-sources</phase><goals><goal>compile</goal></goals>
<configuration><sourceDirs><d>src/main/java</d></sourceDirs></configuration></execution></executions></plugin>"""


def sources(service: str) -> list[Path]:
    """The source files of a service, but for the class that starts it."""
    return sorted(p for p in (HERE / service).iterdir() if p.suffix in (".java", ".kt"))


def pom(service: str, version: str) -> str:
    """The build file of a service."""
    _, parent, wanted, _, processors = SERVICES[service]

    def named(name: str, with_version: bool) -> str:
        group, artifact, own = (*name.split(":"), version)[:3]
        told = f"<version>{own}</version>" if with_version else ""
        return f"<groupId>{group}</groupId><artifactId>{artifact}</artifactId>{told}"

    above = f"<parent>{named(parent, True)}</parent>" if parent else ""
    listed = "".join(f"<dependency>{named(x, parent is None)}</dependency>" for x in wanted)
    paths = "".join(f"<path>{named(x, True)}</path>" for x in processors)
    run = PLUGINS.format(f"<annotationProcessorPaths>{paths}</annotationProcessorPaths>" if paths else "")
    run += KOTLIN if any(p.suffix == ".kt" for p in sources(service)) else ""
    return (
        f'<project xmlns="http://maven.apache.org/POM/4.0.0"><modelVersion>4.0.0</modelVersion>{above}<groupId>app</groupId>'
        f"<artifactId>app</artifactId><version>1</version><dependencies>{listed}</dependencies>"
        f"<build><plugins>{run}</plugins></build></project>"
    )


def send(path: str, values: Any) -> int:
    """Send one request the way its path asks for, and return the status."""
    base, body = f"http://127.0.0.1:{PORT}", None
    headers: dict[str, str] = {}
    if path in ("/query", "/filter", "/filter-idle", "/intercepted", "/implicit"):
        url, method = f"{base}{path}?{urllib.parse.urlencode(values)}", "GET"
    elif "{id}" in path:
        url, method = base + path.replace("{id}", str(values["id"])), "GET"
    elif path == "/form":
        url, method, body = base + path, "POST", urllib.parse.urlencode(values).encode()
    else:
        url, method, body, headers = base + path, "POST", json.dumps(values).encode(), {"Content-Type": "application/json"}
    return ask(method, url, body, headers)


def answers(service: str, version: str) -> dict[str, dict[str, int]]:
    """Build and start a service, and return the status of every request."""
    cases = json.loads((HERE / service / "cases.json").read_text())
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "src/main/java/app"
        source.mkdir(parents=True)
        (Path(folder) / "pom.xml").write_text(pom(service, version))
        (source / "App.java").write_text(SERVICES[service][3].format(port=PORT))
        for file in sources(service):
            shutil.copy(file, source)
        subprocess.run(["mvn", "-q", "-B", "compile"], cwd=folder, check=True)
        running = subprocess.Popen(["mvn", "-q", "-B", "exec:java"], cwd=folder, stdout=subprocess.DEVNULL)
        try:
            wait(lambda: send(next(iter(cases)), {}))
            return {
                path: {name: send(path, values) for name, values in requests(case) if "{id}" not in path or "id" in values}
                for path, case in cases.items()
            }
        finally:
            running.terminate()
            running.wait()


def main() -> None:
    for service in sys.argv[1:] or SERVICES:
        recorded = {version: answers(service, version) for version in SERVICES[service][0]}
        (HERE / service / "recorded.json").write_text(json.dumps(recorded, indent=1) + "\n")


if __name__ == "__main__":
    main()
