"""Kinds of gap on small Spring services: what is found, and nothing beside it. Each faulty handler has a sound twin."""

import textwrap
from typing import Any

import pytest

import mappu

POM = """<project><parent><groupId>org.springframework.boot</groupId><artifactId>spring-boot-starter-parent</artifactId>
<version>{version}</version></parent><artifactId>svc</artifactId><dependencies>
<dependency><groupId>org.springframework.boot</groupId><artifactId>spring-boot-starter-web</artifactId></dependency>
{more}</dependencies></project>"""
STARTER = (
    "<dependency><groupId>org.springframework.boot</groupId>"
    "<artifactId>spring-boot-starter-validation</artifactId></dependency>"
)
HEAD = """package a;
import jakarta.persistence.*;
import jakarta.validation.*;
import jakarta.validation.constraints.*;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.springframework.boot.autoconfigure.SpringBootApplication;
import org.springframework.data.jpa.repository.JpaRepository;
import org.springframework.http.*;
import org.springframework.jdbc.core.JdbcTemplate;
import org.springframework.validation.BindingResult;
import org.springframework.validation.annotation.Validated;
import org.springframework.web.bind.annotation.*;
import org.springframework.web.server.ResponseStatusException;
@SpringBootApplication class App {}
record Pilot(@NotBlank @Size(max = 40) String name, @NotNull @Min(1) @Max(9) Integer rank) {}
interface Pilots extends JpaRepository<PilotRow, Long> {}
@Entity class PilotRow {
    @Id @GeneratedValue Long id;
    @Column(length = 40, nullable = false) String name;
    @Lob String remark;
    PilotRow(String name) { this.name = name; }
    void setName(String name) { this.name = name; }
    String getName() { return name; }
    void setRemark(String remark) { this.remark = remark; }
}
@RestController class Main {
    final Pilots pilots; final JdbcTemplate jdbc; final Validator validator;
    Main(Pilots pilots, JdbcTemplate jdbc, Validator validator) {
        this.pilots = pilots;
        this.jdbc = jdbc;
        this.validator = validator;
    }
    @PostMapping("/sound") void sound(@Valid @RequestBody Pilot pilot) { pilots.save(new PilotRow(pilot.name())); }
"""

# name -> (methods of the controller, classes beside it, gaps as (kind, method and path or None, place, field))
CASES: dict[str, tuple[str, str, set[tuple[str, str | None, str | None, str | None]]]] = {
    "bare-input": (
        """
        @GetMapping("/query") List<?> query(@RequestParam String n) {
            return jdbc.queryForList("select * from t where n = '" + n + "'");
        }
        @GetMapping("/bound") List<?> bound(@RequestParam String n) {
            return jdbc.queryForList("select * from t where n = ?", n);
        }
        @GetMapping("/limited") List<?> limited(@RequestParam @Pattern(regexp = "[a-z]{1,9}") String n) {
            return jdbc.queryForList("select * from t where n = '" + n + "'");
        }
        @PostMapping("/map") void map(@RequestBody Map<String, Object> body) {
            pilots.save(new PilotRow((String) body.get("name")));
        }
        """,
        "",
        {("bare-input", "GET /query", "query", "n"), ("bare-input", "POST /map", "body", "name")},
    ),
    "written late": (
        """
        @PostMapping("/late") void late(@RequestBody Boat boat) { boats.save(boat); }
        @PostMapping("/looked-at") void lookedAt(@Valid @RequestBody Boat boat) { boats.save(boat); }
        Boats boats;
        """,
        """
        interface Boats extends JpaRepository<Boat, Long> {}
        @Entity class Boat { @Id @GeneratedValue Long id; @Size(max = 9) public String name; @Max(9) public Integer rank; }
        @RestController class Other {
            Boats boats;
            @PostMapping("/mapped") void mapped(@RequestBody Boat boat) { boats.save(boat); }
            @ExceptionHandler(ConstraintViolationException.class) @ResponseStatus(HttpStatus.BAD_REQUEST) void violated() {}
        }
        """,
        {("server-error", "POST /late", "body", "*")}
        | {("storage-bound", f"POST /{x}", "body", "*") for x in ("late", "looked-at", "mapped")},
    ),
    "idle-rules": (
        """
        @PostMapping("/idle") void idle(@RequestBody Pilot pilot) {}
        @PostMapping("/named") void named(@Validated @RequestBody Pilot pilot) {}
        @PostMapping("/group") void group(@Validated(Late.class) @RequestBody Pilot pilot) {}
        @PostMapping("/list") void list(@RequestBody List<@Valid Pilot> pilots) {}
        """,
        "interface Late {}",
        {("idle-rules", "POST /idle", "body", "*"), ("idle-rules", "POST /group", "body", "*")},
    ),
    "ignored-outcome": (
        """
        @PostMapping("/asked") ResponseEntity<?> asked(@Valid @RequestBody Pilot pilot, BindingResult result) {
            return result.hasErrors() ? ResponseEntity.badRequest().build() : ResponseEntity.ok().build();
        }
        @PostMapping("/acted") ResponseEntity<?> acted(@Valid @RequestBody Pilot pilot, BindingResult result) {
            if (result.hasErrors()) { return ResponseEntity.badRequest().build(); }
            return ResponseEntity.ok().build();
        }
        @PostMapping("/unasked") void unasked(@Valid @RequestBody Pilot pilot, BindingResult result) {}
        @PostMapping("/hand") void hand(@RequestBody Pilot pilot) {
            validator.validate(pilot);
            pilots.save(new PilotRow(pilot.name()));
        }
        @PostMapping("/thrown") void thrown(@RequestBody Pilot pilot) {
            Set<ConstraintViolation<Pilot>> found = validator.validate(pilot);
            if (!found.isEmpty()) { throw new ResponseStatusException(HttpStatus.BAD_REQUEST); }
        }
        """,
        "",
        {("ignored-outcome", "POST /unasked", "body", "*"), ("ignored-outcome", "POST /hand", "body", "*")},
    ),
    "shallow-check": (
        """
        @PostMapping("/shallow") void shallow(@Valid @RequestBody Crew crew) {}
        """,
        """
        record Crew(@NotNull Pilot lead, @Valid @NotNull Pilot mate, @NotNull @Size(max = 9) List<Pilot> all,
                    @NotNull @Size(max = 9) List<@Valid Pilot> rest, @Size(max = 9) List<Object> any) {}
        """,
        {("shallow-check", "POST /shallow", "body", "lead"), ("shallow-check", "POST /shallow", "body", "all"),
         ("shallow-check", "POST /shallow", "body", "any")},
    ),
    "server-error": (
        """
        @PostMapping("/wrong") void wrong(@Valid @RequestBody Wrong wrong) {}
        @PostMapping("/guard") void guard(@RequestBody Count count) {
            if (count.n() > 9) { throw new IllegalArgumentException("n"); }
        }
        @PostMapping("/mapped") void mapped(@RequestBody Count count) { if (count.n() > 9) { throw new TooMany(); } }
        @PostMapping("/advised") void advised(@RequestBody Count count) { if (count.n() > 9) { throw new Advised(); } }
        @GetMapping("/found/{id}") PilotRow found(@PathVariable @Max(9) long id) {
            return pilots.findById(id).orElseThrow(TooMany::new);
        }
        @GetMapping("/lost/{id}") PilotRow lost(@PathVariable @Max(9) long id) { return pilots.findById(id).orElseThrow(); }
        """,
        """
        record Wrong(@Size(max = 3) Integer n) {}
        record Count(int n) {}
        @ResponseStatus(HttpStatus.CONFLICT) class TooMany extends RuntimeException {}
        class Advised extends RuntimeException {}
        @RestControllerAdvice class Advice {
            @ExceptionHandler ResponseEntity<?> answer(Advised error) {
                return ResponseEntity.status(HttpStatus.BAD_REQUEST).build();
            }
        }
        @RestController @Validated class Intercepted {
            @GetMapping("/intercepted") void get(@RequestParam @Max(9) int n) {}
        }
        """,
        {("server-error", "POST /wrong", "body", "n"), ("server-error", "POST /guard", "body", "n"),
         ("server-error", "GET /lost/{id}", "path", "id"), ("server-error", "GET /intercepted", "query", "n")},
    ),
    "rules run by an interceptor of the class that is called": (
        """
        @PostMapping("/deep") void deep(@RequestBody Pilot pilot) { service.store(pilot); }
        @PostMapping("/plain") void plain(@RequestBody Pilot pilot) { other.store(pilot); }
        Service service;
        Other other;
        """,
        """
        @Validated interface Service { void store(@NotNull @Valid Pilot pilot); }
        class RealService implements Service { public void store(Pilot pilot) {} }
        class Other { void store(@Valid Pilot pilot) {} }
        @RestControllerAdvice class Advice {
            @ExceptionHandler(ConstraintViolationException.class)
            ResponseEntity<?> answer() { return ResponseEntity.badRequest().build(); }
        }
        """,
        {("idle-rules", "POST /plain", "body", "*")},
    ),
    "no-effect": (
        """
        @PostMapping("/primitive") void primitive(@Valid @RequestBody Odd odd) {}
        """,
        "record Odd(@NotNull @Max(9) int n, @NotNull @Max(9) Integer boxed) {}",
        {("no-effect", "POST /primitive", "body", "n")},
    ),
    "storage-bound, storage-drift": (
        """
        @PostMapping("/entity") void entity(@RequestBody PilotRow row) { pilots.save(row); }
        @PostMapping("/wide") void wide(@Valid @RequestBody Wide wide) {
            PilotRow row = new PilotRow("x");
            row.setName(wide.name());
            row.setRemark(wide.remark());
            pilots.save(row);
        }
        """,
        "record Wide(@NotBlank @Size(max = 90) String name, @Size(max = 9000) String remark) {}",
        {("storage-bound", "POST /entity", "body", "*"), ("storage-drift", "POST /wide", "body", "name")},
    ),
    "sibling-drift": (
        """
        @PostMapping("/pilots") void create(@Valid @RequestBody Pilot pilot) {}
        @PutMapping("/pilots/{id}") void replace(@PathVariable @Max(9) long id, @Valid @RequestBody Change change) {}
        """,
        "record Change(@NotBlank @Size(max = 40) String name, @NotNull @Max(99) Integer rank) {}",
        {("sibling-drift", "PUT /pilots/{id}", "body", "rank")},
    ),
    "late-settings": (
        "",
        """
        @org.springframework.boot.context.properties.ConfigurationProperties("a") record Idle(@NotBlank String folder) {}
        @org.springframework.boot.context.properties.ConfigurationProperties("b") @Validated
        record Run(@NotBlank String folder) {}
        """,
        {("late-settings", "SETTINGS Main.java#Idle", None, None)},
    ),
}  # fmt: skip


def _gaps(workshop: Any, methods: str, beside: str, version: str = "3.3.5", more: str = STARTER) -> Any:
    source = HEAD + textwrap.dedent(methods) + "}\n" + textwrap.dedent(beside)
    inventory = mappu.survey(
        workshop.write({"Main.java": source, "pom.xml": POM.format(version=version, more=more)}, None)
    )
    assert not inventory.unfollowed
    return inventory


@pytest.mark.parametrize("name", CASES)
def test_gaps(name: str, workshop: Any) -> None:
    methods, beside, expected = CASES[name]
    gaps = _gaps(workshop, methods, beside).gaps
    found = {(g.kind, g.endpoint and g.endpoint.removeprefix("svc "), g.place, g.field) for g in gaps}
    assert {g for g in found if g[0] != "unbounded"} == expected


# What a rule on a plain parameter comes to, by version and by what is in the build: (version, packages, class mark, status).
RUNS = [
    ("3.3.5", STARTER, "", "runs"), ("3.1.2", STARTER, "", "idle"), ("3.1.2", STARTER, "@Validated", "breaks"),
    ("3.3.5", STARTER, "@Validated", "breaks"), ("${boot}", STARTER, "", "unknown"), ("3.3.5", "", "", "idle"),
    ("3.3.5", "<dependency><groupId>own</groupId><artifactId>base</artifactId></dependency>", "", "runs"),
]  # fmt: skip


@pytest.mark.parametrize(("version", "packages", "mark", "status"), RUNS)
def test_rules_on_parameters(version: str, packages: str, mark: str, status: str, workshop: Any) -> None:
    beside = f'{mark} @RestController class Other {{ @GetMapping("/n") void n(@RequestParam @Max(9) int n) {{}} }}'
    inventory = _gaps(workshop, "", beside, version, packages)
    endpoint = next(e for e in inventory.endpoints if e.path == "/n")
    assert [c.status for c in endpoint.fields[0].constraints] == [status]
