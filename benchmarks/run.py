"""How fast a cold scan is, against parsing every file once and against a plain text search, in the same run.

    python benchmarks/run.py                  builds the tree (about two million lines) below benchmarks/tree, then measures
    python benchmarks/run.py --language javascript   the same of packages that npm brings (needs npm)
    python benchmarks/run.py --language go           the same of modules that go brings (needs go)
    python benchmarks/run.py --tree FOLDER    measures a folder of your own

The tree is made of whatever the packages below ship; nothing in it is run. Every figure is of a process of its own: wall
seconds, and the peak of its memory. The files are those that a scan looks at (tests and build output are left out), for
all three.
"""

import argparse
import json
import os
import re
import shutil
import subprocess
import sys
import tarfile
import time
import zipfile
from pathlib import Path

HERE = Path(__file__).parent
# Servers written with FastAPI, and the libraries that lie around them in a checkout of many services, until there are lines
# enough.
PACKAGES = ("fief-server", "chromadb", "khoj", "apache-airflow-core", "sympy", "django", "transformers", "sqlalchemy", "pandas",
            "scikit-learn", "scipy", "numpy", "matplotlib", "networkx", "ansible-core", "botocore", "azure-mgmt-network",
            "azure-mgmt-compute", "kubernetes", "google-ads", "plotly", "sphinx", "twisted", "faker")  # fmt: skip
# Servers in JavaScript and TypeScript that ship their source, and libraries.
NPM = ("ghost", "ep_etherpad-lite@1.8.14", "@node-red/editor-api", "@solidstarters/solid-core", "@dxheroes/local-mcp-backend",
       "generator-nest-js-boilerplate", "@medusajs/medusa", "rxjs", "three", "typescript", "date-fns", "lodash", "antd", "ethers",
       "core-js", "mathjs", "echarts", "webpack", "eslint", "sequelize", "typeorm", "mongoose", "next", "googleapis",
       "@mui/material", "aws-sdk", "babylonjs", "highcharts", "ag-grid-community")  # fmt: skip
# Servers in Go, and libraries, as modules with their versions.
GO = ("code.gitea.io/gitea@v1.27.3", "github.com/traefik/traefik/v3@v3.7.13", "github.com/pocketbase/pocketbase@v0.22.20",
      "github.com/dapr/dapr@v1.14.0", "k8s.io/kubernetes@v1.30.0", "google.golang.org/api@v0.190.0")  # fmt: skip
LINES = 2_000_000
SUFFIXES = {
    "go": (".go",),
    "python": (".py",),
    "javascript": (".js", ".mjs", ".cjs", ".jsx", ".ts", ".mts", ".cts", ".tsx"),
}

PARSE = {
    "python": """
import sys
import tree_sitter, tree_sitter_python
parser = tree_sitter.Parser(tree_sitter.Language(tree_sitter_python.language()))
for line in sys.stdin:
    with open(line.rstrip("\\n"), "rb") as file:
        parser.parse(file.read())
""",
    "go": """
import sys
import tree_sitter, tree_sitter_go
parser = tree_sitter.Parser(tree_sitter.Language(tree_sitter_go.language()))
for line in sys.stdin:
    with open(line.rstrip("\\n"), "rb") as file:
        parser.parse(file.read())
""",
    "javascript": """
import sys
import tree_sitter, tree_sitter_typescript as t
typed = tree_sitter.Parser(tree_sitter.Language(t.language_typescript()))
other = tree_sitter.Parser(tree_sitter.Language(t.language_tsx()))
for line in sys.stdin:
    with open(line.rstrip("\\n"), "rb") as file:
        (typed if line.rstrip().endswith("ts") else other).parse(file.read())
""",
}
SEARCH = """
import re, sys
verbs = rb"get|post|put|patch|delete|head|options|api_route"
route = re.compile(rb"(?:@[\\w.]+|app|router)\\.(?:%b)\\(|@(?:Get|Post|Put|Patch|Delete)\\(" % verbs)
found = 0
for line in sys.stdin:
    with open(line.rstrip("\\n"), "rb") as file:
        found += len(route.findall(file.read()))
print(found)
"""


def build(tree: Path, language: str) -> None:
    """Download the packages one after another and unpack them, until there are lines enough."""
    for package in {"python": PACKAGES, "javascript": NPM, "go": GO}[language]:
        if lines(files(tree, language)) >= LINES:
            return
        target = tree / re.sub(r"\W+", "_", package)
        if target.exists():
            continue
        if language == "python":
            _wheel(package, tree.parent / "wheels" / package, target)
        elif language == "go":
            _module(package, target)
        else:
            _npm(package, target)


def _wheel(package: str, wheels: Path, target: Path) -> None:
    command = [sys.executable, "-m", "pip", "download", "--quiet", "--disable-pip-version-check", "--no-deps",
               "--only-binary", ":all:", "--dest", str(wheels), package]  # fmt: skip
    subprocess.run(command, check=True)
    for wheel in wheels.glob("*.whl"):
        with zipfile.ZipFile(wheel) as archive:
            archive.extractall(target, [n for n in archive.namelist() if n.endswith(".py")])


def _npm(package: str, target: Path) -> None:
    target.mkdir(parents=True)
    packed = subprocess.run(
        ["npm", "pack", "--silent", package], cwd=target, capture_output=True, text=True, check=True
    )
    name = target / packed.stdout.strip().splitlines()[-1]
    with tarfile.open(name) as archive:
        wanted = (*SUFFIXES["javascript"], "package.json")
        archive.extractall(target, [m for m in archive.getmembers() if m.name.endswith(wanted)], filter="data")
    name.unlink()


def _module(name: str, target: Path) -> None:
    done = subprocess.run(
        ["go", "mod", "download", "-json", name], capture_output=True, text=True, check=True, cwd=HERE
    )
    shutil.copytree(json.loads(done.stdout)["Dir"], target, ignore=shutil.ignore_patterns("*_test.go", "testdata"))


def files(tree: Path, language: str) -> list[str]:
    """The files of the language that a scan of the tree looks at."""
    from mappu.sources import walk

    return [f.real for f in walk.find([tree], SUFFIXES[language], (), ()).files.values()] if tree.exists() else []


def lines(paths: list[str]) -> int:
    return sum(Path(p).read_bytes().count(b"\n") for p in paths)


def measure(command: list[str], given: str = "") -> tuple[float, float, str]:
    """Run a command; return wall seconds, peak memory in MB, and what it printed."""
    started = time.perf_counter()
    process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    assert process.stdin is not None
    assert process.stdout is not None
    process.stdin.write(given.encode())
    process.stdin.close()
    printed = process.stdout.read().decode()
    _, status, usage = os.wait4(process.pid, 0)
    if os.waitstatus_to_exitcode(status) not in (0, 3):
        raise SystemExit(f"{' '.join(command[:4])} failed")
    return time.perf_counter() - started, usage.ru_maxrss / 1024, printed


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--tree", type=Path, help="the folder to measure")
    parser.add_argument("--language", choices=tuple(SUFFIXES), default="python", help="which files to parse")
    parser.add_argument("--runs", type=int, default=5, help="how often to parse and scan, in turn")
    options = parser.parse_args()
    if options.tree is None:
        options.tree = HERE / "tree" / options.language
        build(options.tree, options.language)
    found = files(options.tree, options.language)
    given = "".join(f"{p}\n" for p in found)
    measure([sys.executable, "-c", SEARCH], given)  # the files are then in the system's cache, for all alike
    searched, _, routes = measure([sys.executable, "-c", SEARCH], given)
    scan = [sys.executable, "-m", "mappu", "survey", str(options.tree), "--format", "json"]
    # In turn, so that a machine whose speed drifts treats both alike; the middle ratio of the pairs counts.
    pairs = [
        (measure([sys.executable, "-c", PARSE[options.language]], given), measure(scan)) for _ in range(options.runs)
    ]
    (parsed, _, _), (scanned, memory, printed) = sorted(pairs, key=lambda p: p[1][0] / p[0][0])[options.runs // 2]
    endpoints = sum(
        int(n) for part in re.findall(r'"endpoints": \{(.*?)\}', printed, re.S) for n in re.findall(r": (\d+)", part)
    )
    print(
        f"{lines(found):,} lines in {len(found):,} files; {int(routes):,} route decorators by text, {endpoints:,} endpoints"
    )
    print(f"text search      {searched:7.2f} s")
    print(f"parse every file {parsed:7.2f} s")
    print(f"cold scan        {scanned:7.2f} s   {scanned / parsed:.2f} of parsing   peak {memory:,.0f} MB")
    version, _, _ = measure([sys.executable, "-m", "mappu", "--version"])
    bare, _, _ = measure([sys.executable, "-c", "import click"])
    print(f"--version        {version:7.3f} s   {version / bare:.1f} times `import click`")


if __name__ == "__main__":
    main()
