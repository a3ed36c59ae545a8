"""Paths in, inventory out: runs the layers in order."""

import gc
from collections.abc import Callable, Iterable
from pathlib import Path

import msgspec

from mappu.frameworks import frameworks
from mappu.frameworks.base import Framework, Service
from mappu.inventory.model import Inventory, Place, Unfollowed
from mappu.inventory.model import Service as ServiceRecord
from mappu.pipeline.assemble import assemble
from mappu.pipeline.evidence import RouteEvidence, Scan
from mappu.pipeline.languages import LANGUAGES, Language
from mappu.sources import manifests, settings, text, walk
from mappu.symbols.program import Program, Scope
from mappu.syntax.nodes import Module
from mappu.vocabularies.shape import Reader

Progress = Callable[[str], None]
MAX_LINE = 20_000


class _Files:
    """The files of one language: which hold words of interest, and how each becomes a module."""

    def __init__(self, tree: walk.Tree, language: Language) -> None:
        self.language = language
        self.tree = tree
        self.problems: list[Unfollowed] = []
        self.unreadable = 0
        self.names = language.names(tree)
        written = self.names.own_files(p for p in tree.files if p.endswith(language.front_end.suffixes))
        own = {p: tree.files[p] for p in sorted(written)}
        self.files: dict[str, object] = dict(own)
        self.matching: list[str] = []
        self.modules: list[Module] = []
        self._bytes: dict[str, bytes] = {}
        mine = [f for f in frameworks() if f.language == language.front_end.language]
        tokens = tuple(dict.fromkeys(t for f in mine for t in f.tokens))
        paths = [found for f in mine if (found := getattr(f, "paths", None)) is not None]
        for path, file in own.items():
            data, problem = text.load(file)
            if problem is not None:
                self.problems.append(problem)
            if data is None:
                self.unreadable += 1
            elif _is_packed(data):
                self.problems.append(Unfollowed(path, 1, "not read: packed by a build, not source"))
            elif any(token in data for token in tokens) or any(found.search(path) for found in paths):
                self.matching.append(path)
                self._bytes[path] = data

    def load(self, path: str) -> Module | None:
        """Read and parse one file; what is wrong with it is noted."""
        data = self._bytes.pop(path, None)
        if data is None:
            data, _ = text.load(self.tree.files[path])
        if data is None:
            return None
        data, problem = text.as_utf8(path, data)
        if problem is not None:
            self.problems.append(problem)
        module = self.language.front_end.parse(path, data)
        self.modules.append(module)
        return module

    def damaged(self) -> list[Unfollowed]:
        """The first damage of every file that was parsed, once everything was lowered that anybody asked for."""
        return [Unfollowed(m.path, m.damage[0].line, m.damage[0].what) for m in self.modules if m.damage]


def _is_packed(data: bytes) -> bool:
    """True for what a build makes of source: hardly any lines."""
    return len(data) > MAX_LINE and data.count(b"\n") * MAX_LINE < len(data) * 20


def scan(paths: Iterable[Path], config: settings.Settings | None = None, progress: Progress | None = None) -> Scan:
    """Read the services below the paths and return what was found, gaps not yet judged.

    `config` overrides the settings file. Raises UsageError for a path that does not exist and SettingsError for settings
    that cannot be understood; everything wrong with the source itself is in the inventory's `unfollowed`.
    """
    collecting = gc.isenabled()
    # Trees are never cycles: looking for those among millions of nodes, again and again, finds nothing.
    gc.disable()
    try:
        return _scan(list(paths), config, progress or (lambda _: None))
    finally:
        if collecting:
            gc.enable()


def _scan(given: list[Path], config: settings.Settings | None, say: Progress) -> Scan:
    decided = config if config is not None else settings.load(Path(given[0]).absolute())
    wanted = (*manifests.WANTED, *(s for language in LANGUAGES for s in language.front_end.suffixes))
    tree = walk.find(given, wanted, decided.leave_out, decided.take_in)
    say(f"{len(tree.files):,} files")
    roots, problems = manifests.service_roots(tree)
    problems = [*tree.problems, *problems]
    unreadable = len(problems)
    documents = _documents(tree, roots)
    evidence: list[RouteEvidence] = []
    services: list[Service] = []
    for language in LANGUAGES:
        files = _Files(tree, language)
        if not files.files:
            continue
        say(
            f"{len(files.matching):,} of {len(files.files):,} {language.front_end.language} files hold words of interest"
        )
        program = Program(files.files, files.load, files.names)
        inside: dict[str, list[str]] = {}
        for path in files.files:
            inside.setdefault(manifests.root_of(path, roots).path, []).append(path)
        by_root: dict[str, list[Scope]] = {}
        for path in files.matching:
            scope = program.module_scope(path)
            if scope is not None:
                by_root.setdefault(manifests.root_of(path, roots).path, []).append(scope)
        by_path = {r.path: r for r in roots.values()}
        for path, scopes in sorted(by_root.items()):
            reader = Reader(program, by_path[path], decided.rule, documents.get(path, ()), language.erased)
            service = Service(
                by_path[path], program, tuple(inside[path]), tuple(scopes), reader, decided, language.front_end.language
            )
            found = _endpoints(service, language.front_end.language)
            if found:
                say(f"{service.root.name}: {len(found)} endpoints")
            services.append(service)
            evidence.extend(found)
        damaged = files.damaged()
        problems.extend((*files.problems, *damaged))
        unreadable += files.unreadable + len(damaged)
    return _finish(evidence, services, problems, decided, unreadable)


def _documents(tree: walk.Tree, roots: dict[str, manifests.ServiceRoot]) -> dict[str, tuple[walk.SourceFile, ...]]:
    """The files that say something of a service without being its source, by the service's folder."""
    found: dict[str, tuple[walk.SourceFile, ...]] = {}
    for path, file in sorted(tree.files.items()):
        if path.endswith(manifests.DOCUMENTS):
            folder = manifests.root_of(path, roots).path
            found[folder] = (*found.get(folder, ()), file)
    return found


def _endpoints(service: Service, language: str) -> list[RouteEvidence]:
    found: list[RouteEvidence] = []
    for framework in frameworks():
        if framework.language == language:
            found.extend(_with(framework, service))
    return found


def _with(framework: Framework, service: Service) -> list[RouteEvidence]:
    try:
        routes = list(framework.routes(service))
    except RecursionError:
        service.note_place(Place(service.root.path, 0), f"{framework.name}: too deeply nested to follow its routes")
        return []
    return assemble(framework, service, routes, framework.words(service)) if routes else []


def _finish(
    evidence: list[RouteEvidence], services: list[Service], problems: list[Unfollowed], decided: settings.Settings,
    unreadable: int,
) -> Scan:  # fmt: skip
    evidence = _told_apart(evidence)
    evidence.sort(key=lambda e: _order(e))
    records = []
    for service in services:
        own = [e for e in evidence if e.service is service]
        if own:
            used = tuple(sorted({e.route.framework for e in own}))
            languages = tuple(sorted({f.language for f in frameworks() if f.name in used}))
            records.append(ServiceRecord(own[0].endpoint.service, service.root.path, languages, used))
    unfollowed = {(u.file, u.line, u.what): u for u in (*problems, *(u for s in services for u in s.unfollowed))}
    inventory = Inventory(
        services=tuple(sorted(records, key=lambda r: (r.name, r.path))),
        endpoints=tuple(e.endpoint for e in evidence),
        unfollowed=tuple(unfollowed[k] for k in sorted(unfollowed)),
    )
    return Scan(inventory, tuple(evidence), tuple(services), decided, tuple(problems), unreadable)


def _told_apart(evidence: list[RouteEvidence]) -> list[RouteEvidence]:
    """Services of one name in several folders are told apart by their folder."""
    folders: dict[str, set[str]] = {}
    for each in evidence:
        folders.setdefault(each.endpoint.service, set()).add(each.service.root.path)
    found = []
    for each in evidence:
        name = each.endpoint.service
        if len(folders[name]) > 1:
            name = each.service.root.path
            id_ = f"{name} {each.endpoint.method} {each.endpoint.path}"
            each = msgspec.structs.replace(each, endpoint=msgspec.structs.replace(each.endpoint, service=name, id=id_))
        found.append(each)
    return found


def _order(evidence: RouteEvidence) -> tuple[str, bool, str, str]:
    endpoint = evidence.endpoint
    return endpoint.service, endpoint.surface == "settings", endpoint.path, endpoint.method
