"""Routes of JVM services: every endpoint with the path a client calls and the method that serves it."""

import re
from typing import Any

import pytest

import mappu

SPRING = "package a;\nimport org.springframework.web.bind.annotation.*;\nimport org.springframework.http.*;\n"
REST = "package a;\nimport jakarta.ws.rs.*;\nimport jakarta.ws.rs.core.*;\n"
MICRONAUT = "package a;\nimport io.micronaut.http.annotation.*;\n"
CALLABLE = "package a;\nimport com.vaadin.hilla.BrowserCallable;\n"

# name -> (files, "METHOD path method" of every endpoint)
CASES: dict[str, tuple[dict[str, str], set[str]]] = {
    "spring: prefixes, lists, composed, any verb": (
        {
            "src/main/resources/application.yml": "server:\n  servlet:\n    context-path: /ctx\nstays:\n  path: /kept\n",
            "A.java": SPRING
            + """
            @Api("/v1")
            class A {
                static final String SUB = "/sub";
                @GetMapping({"/one", "two/"}) void listed() {}
                @RequestMapping(path = SUB + "/x", method = {RequestMethod.PUT, RequestMethod.PATCH}) void several() {}
                @RequestMapping("/any") void any() {}
                @PostMapping("/{id:\\\\d+}/{name}") void rules(@PathVariable long id) {}
                @GetMapping(path = "/told", params = "name") void byName() {}
                @GetMapping("/told") void told() {}
                void helper() {}
                @GetMapping("${stays.path}/${stays.other:more}") void set() {}
                @PutMapping("/over") void over(@RequestBody String text) {}
                @PutMapping("/over/all") void over(@RequestBody java.util.List<String> texts) {}
            }
            """,
            "Api.java": SPRING
            + """
            import org.springframework.core.annotation.AliasFor;
            @RestController
            @RequestMapping
            public @interface Api { String[] value() default {}; }
            """,
        },
        {"GET /ctx/v1/one A.listed", "GET /ctx/v1/two A.listed", "PUT /ctx/v1/sub/x A.several", "PATCH /ctx/v1/sub/x A.several",
         "ALL /ctx/v1/any A.any", "POST /ctx/v1/{id}/{name} A.rules", "GET /ctx/v1/told?name A.byName",
         "GET /ctx/v1/told A.told", "GET /ctx/v1/kept/more A.set", "PUT /ctx/v1/over A.over", "PUT /ctx/v1/over/all A.over"},
    ),
    "spring: mapped by interfaces and classes above": (
        {
            "B.java": SPRING
            + """
            interface Api { @GetMapping("/one") String one(@RequestParam String q); }
            abstract class Base { @DeleteMapping("/{id}") void drop(@PathVariable long id) {} }
            @RestController
            @RequestMapping("/b")
            class B extends Base implements Api {
                public String one(String q) { return q; }
                static class Inner {}
            }
            @RestController
            class Plain { @PutMapping void put() {} }
            class NoController { @GetMapping("/never") void never() {} }
            """
        },
        {"GET /b/one B.one", "DELETE /b/{id} B.drop", "PUT / Plain.put"},
    ),
    "spring: router functions": (
        {
            "R.java": """
            package a;
            import org.springframework.web.servlet.function.*;
            import static org.springframework.web.servlet.function.RouterFunctions.*;
            import static org.springframework.web.servlet.function.RequestPredicates.*;
            class R {
                RouterFunction<ServerResponse> one(Handler handler) {
                    return route(GET("/one").and(accept(JSON)), handler::one).andRoute(POST("/add"), handler::add);
                }
                RouterFunction<ServerResponse> two(Handler handler) {
                    return route().path("/two", b -> b.GET("/{id}", handler::one).PUT("/x", request -> ok()))
                        .DELETE("/d", handler::add).build();
                }
            }
            class Handler {
                ServerResponse one(ServerRequest r) { return null; }
                ServerResponse add(ServerRequest r) { return null; }
            }
            """
        },
        {"GET /one Handler.one", "POST /add Handler.add", "GET /two/{id} Handler.one", "PUT /two/x anonymous",
         "DELETE /d Handler.add"},
    ),
    "spring, kotlin": (
        {
            "C.kt": SPRING.replace(";", "")
            + """
            @RestController
            @RequestMapping("/c")
            class C(private val x: X) {
                @GetMapping("/{id}")
                fun one(@PathVariable id: Long) = x.one(id)

                @PostMapping
                fun add(@RequestBody body: X) {
                }
            }
            """
        },
        {"GET /c/{id} C.one", "POST /c C.add"},
    ),
    "jax-rs: below each other": (
        {
            "D.java": REST
            + """
            @ApplicationPath("/api") class App extends Application {}
            @Path("d") class D {
                @GET public String list() { return ""; }
                @POST @Path("{id: [0-9]+}/x") public void add(@PathParam("id") int id) {}
                @Path("{id}/legs") public Legs legs(@PathParam("id") int id) { return new Legs(id); }
                @Path("made") public Object made() { Other o = new Other(); return o; }
            }
            class Legs { @GET public String all() { return ""; } @DELETE @Path("{n}") public void drop() {} }
            class Other { @PUT public void put() {} }
            interface Api { @GET @Path("in") String in(); }
            @Path("e") class E implements Api { public String in() { return ""; } }
            """
        },
        {"GET /api/d D.list", "POST /api/d/{id}/x D.add", "GET /api/d/{id}/legs Legs.all",
         "DELETE /api/d/{id}/legs/{n} Legs.drop",
         "PUT /api/d/made Other.put", "GET /api/e/in E.in"},
    ),
    "micronaut": (
        {
            "F.java": MICRONAUT
            + """
            @Controller("/f") class F {
                @Get("/{id}{?page,size}") String one(long id) { return ""; }
                @Post String add(@Body String body) { return ""; }
            }
            """
        },
        {"GET /f/{id} F.one", "POST /f F.add"},
    ),
    "browser-callable": (
        {
            "G.java": CALLABLE
            + """
            @BrowserCallable public class G {
                public String greet(String name) { return name; }
                private void helper() {}
                public static void no() {}
            }
            """
        },
        {"RPC G/greet G.greet"},
    ),
    "bean-forms": (
        {
            "H.java": """
            package a; import com.vaadin.flow.data.binder.*; import com.vaadin.flow.component.textfield.*;
            import com.vaadin.flow.router.Route;
            class Bean { private String a; public String getA() { return a; } public void setA(String a) { this.a = a; } }
            @Route("stays") class H {
                private final Binder<Bean> binder; Binder<Bean> unused = new Binder<>();
                H() {
                    this.binder = new BeanValidationBinder<>(Bean.class); this.binder.bind(new TextField(), "a");
                    var more = new Binder<Bean>(Bean.class); more.forField(x).bind(Bean::getA, Bean::setA);
                }
            }
            class Panel { void show() { Binder<Bean> form = new Binder<>(); form.bind(x, b -> b.getA(), null); } }
            """
        },
        {"FORM /stays H.binder", "FORM /stays#more H.more", "FORM H.java#Panel.form Panel.form"},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_routes(name: str, workshop: Any) -> None:
    files, expected = CASES[name]
    # What a file declares at its top stands at the beginning of a line.
    plain = {name: re.sub(r"^ {12}", "", text, flags=re.M) for name, text in files.items()}
    inventory = mappu.survey(workshop.write(plain, None))
    assert {f"{e.method} {e.path} {e.handler.symbol}" for e in inventory.endpoints} == expected
    assert not inventory.unfollowed


def test_a_form_whose_binder_is_made_elsewhere_is_said_to_be_so(workshop: Any) -> None:
    files = {
        "A.java": """import com.vaadin.flow.data.binder.Binder;
        class A { Binder<A> mine; A(Binder<A> other) { mine.bind(x, "a");
            other.bind(x, "b"); } }
        class B { B(Binder<B> given) { given.bind(x, "a"); } }"""
    }
    inventory = mappu.survey(workshop.write(files, None))
    assert not inventory.endpoints
    assert [u.line for u in inventory.unfollowed] == [2, 4]
