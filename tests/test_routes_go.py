"""Routes of Go services: every endpoint with the path a client calls and the function that serves it."""

from typing import Any

import pytest

import mappu

GIN = 'package main\nimport (\n"net/http"\n"github.com/gin-gonic/gin"\n)\n'
ECHO = 'package main\nimport (\n"net/http"\n"github.com/labstack/echo/v4"\n)\n'
CHI = 'package main\nimport (\n"net/http"\n"github.com/go-chi/chi/v5"\n)\n'
MUX = 'package main\nimport (\n"net/http"\n"github.com/gorilla/mux"\n)\n'
FIBER = 'package main\nimport "github.com/gofiber/fiber/v2"\n'
STD = 'package main\nimport "net/http"\n'
HANDLERS = "func {0}(w http.ResponseWriter, r *http.Request) {{}}\n"
PLAIN = "".join(HANDLERS.format(x) for x in ("one", "two", "three", "four", "five"))

# name -> (files, "METHOD path function" of every endpoint)
CASES: dict[str, tuple[dict[str, str], set[str]]] = {
    "gin: groups, nested, in other functions, structs and files": (
        {
            "go.mod": "module example.com/a\n",
            "main.go": GIN.replace(")\n", '"example.com/a/api"\n)\n')
            + """
            func main() {
                r := gin.Default()
                r.Use(gin.Logger())
                r.GET("/", root)
                v1 := r.Group("/v1", check)
                {
                    v1.POST("/items", create)
                    inner := v1.Group("/inner")
                    inner.Handle(http.MethodPut, "/:id", put)
                    inner.Any("/*rest", root)
                }
                api.Register(v1.Group("/api"))
                s := &server{router: r}
                s.routes()
                r.Run()
            }
            type server struct { router *gin.Engine }
            func (s *server) routes() {
                s.router.DELETE("/kept/:id", s.remove)
                s.router.Match([]string{"GET", "POST"}, "/both", func(c *gin.Context) {})
            }
            func (s *server) remove(c *gin.Context) {}
            func root(c *gin.Context) {}
            func check(c *gin.Context) {}
            func create(c *gin.Context) {}
            func put(c *gin.Context) {}
            """,
            "api/api.go": """
            package api
            import "github.com/gin-gonic/gin"
            func Register(rg *gin.RouterGroup) {
                h := New()
                rg.GET("/list", h.list)
                deeper(rg)
            }
            func deeper(routes gin.IRoutes) { routes.PATCH("/deep", made("x")) }
            func made(x string) gin.HandlerFunc { return func(c *gin.Context) { c.String(200, x) } }
            """,
            "api/handler.go": """
            package api
            import "github.com/gin-gonic/gin"
            type handler struct{}
            func New() *handler { return &handler{} }
            """,
            "api/list.go": """
            package api
            import "github.com/gin-gonic/gin"
            func (h *handler) list(c *gin.Context) {}
            """,
        },
        {"GET / root", "POST /v1/items create", "PUT /v1/inner/{id} put", "ALL /v1/inner/{rest} root", "DELETE /kept/{id} remove",
         "GET /both anonymous", "POST /both anonymous", "GET /v1/api/list list", "PATCH /v1/api/deep anonymous"},
    ),
    "echo: groups, Add, handler before what stands in front": (
        {
            "main.go": ECHO
            + """
            const base = "/api"
            func main() {
                e := echo.New()
                g := e.Group(base + "/v1")
                g.GET("/items/:id", show, guard)
                g.Add("POST", "/items", create)
                mount(e)
                e.Any("/any", show)
            }
            func mount(e *echo.Echo) { e.PUT("/put", create) }
            func show(c echo.Context) error { return nil }
            func create(c echo.Context) error { return nil }
            func guard(next echo.HandlerFunc) echo.HandlerFunc { return next }
            """,
        },
        {"GET /api/v1/items/{id} show", "POST /api/v1/items create", "PUT /put create", "ALL /any show"},
    ),
    "chi: Route, Group, With, Mount, handed on by an interface of the service's own": (
        {
            "main.go": CHI
            + PLAIN
            + """
            type routes interface { Method(method, pattern string, h http.Handler) }
            type part struct{}
            func (p *part) Hang(r routes) { r.Method("POST", "/own", http.HandlerFunc(five)) }
            func main() {
                r := chi.NewRouter()
                r.Get("/", one)
                r.Route("/a", func(r chi.Router) {
                    r.With(quiet).Post("/{id:[0-9]+}", two)
                    r.Group(func(r chi.Router) { r.Put("/grouped", three) })
                    r.Mount("/sub", sub())
                    p := &part{}
                    p.Hang(r)
                })
                http.ListenAndServe(":1", r)
            }
            func sub() chi.Router {
                r := chi.NewRouter()
                r.Delete("/x", four)
                return r
            }
            func quiet(next http.Handler) http.Handler { return next }
            """,
        },
        {"GET / one", "POST /a/{id} two", "PUT /a/grouped three", "DELETE /a/sub/x four", "POST /a/own five"},
    ),
    "mux: subrouters, methods, tables, wrappers of the service's own": (
        {
            "main.go": MUX
            + PLAIN
            + """
            type route struct {
                method, pattern string
                handler         http.HandlerFunc
            }
            type table []route
            var listed = table{{"GET", "/listed", one}, route{"PUT", "/put/{id}", two}}
            type app struct{ router *mux.Router }
            func (a *app) get(path string, h http.HandlerFunc) { a.router.HandleFunc("/app"+path, h).Methods("GET") }
            func main() {
                r := mux.NewRouter()
                sub := r.PathPrefix("/sub").Subrouter()
                sub.HandleFunc("/{id:[a-z]+}", three).Methods("GET", http.MethodPost)
                r.Methods("DELETE").Path("/gone").HandlerFunc(four)
                for _, each := range listed {
                    r.HandleFunc(each.pattern, each.handler).Methods(each.method)
                }
                a := &app{router: r}
                a.get("/five", five)
                http.ListenAndServe(":1", http.StripPrefix("/front", r))
            }
            """,
        },
        {"GET /front/sub/{id} three", "POST /front/sub/{id} three", "DELETE /front/gone four", "GET /front/listed one",
         "PUT /front/put/{id} two", "GET /front/app/five five"},
    ),
    "fiber: groups, Route, Add": (
        {
            "main.go": FIBER
            + """
            func main() {
                app := fiber.New()
                api := app.Group("/api")
                api.Get("/:id", show)
                api.Add("PUT", "/put", show)
                app.Route("/deep", func(r fiber.Router) { r.Post("/er", show) })
            }
            func show(c *fiber.Ctx) error { return nil }
            """,
        },
        {"GET /api/{id} show", "PUT /api/put show", "POST /deep/er show"},
    ),
    "net/http: patterns with methods, handlers that tell them apart, values that serve": (
        {
            "main.go": STD
            + PLAIN
            + """
            type page struct{}
            func (p page) ServeHTTP(w http.ResponseWriter, r *http.Request) {}
            func either(w http.ResponseWriter, r *http.Request) {
                switch r.Method {
                case http.MethodGet:
                case "POST":
                default:
                    w.WriteHeader(405)
                }
            }
            func only(w http.ResponseWriter, r *http.Request) {
                if r.Method != http.MethodPut {
                    http.Error(w, "no", 405)
                    return
                }
            }
            func logged(next http.HandlerFunc) http.HandlerFunc {
                return func(w http.ResponseWriter, r *http.Request) { next(w, r) }
            }
            func main() {
                top := http.NewServeMux()
                top.HandleFunc("GET /a/{id}", one)
                top.Handle("POST /b/{rest...}", http.HandlerFunc(two))
                top.HandleFunc("/either", either)
                top.HandleFunc("/only", only)
                top.Handle("/page", page{})
                top.HandleFunc("PUT /logged", logged(three))
                inner := http.NewServeMux()
                inner.HandleFunc("GET /x", four)
                top.Handle("/inner/", http.StripPrefix("/inner", inner))
                top.Handle("/files/", http.FileServer(http.Dir(".")))
                http.HandleFunc("/default", five)
            }
            """,
        },
        {"GET /a/{id} one", "POST /b/{rest} two", "GET /either either", "POST /either either", "PUT /only only",
         "ALL /page ServeHTTP", "PUT /logged three", "GET /inner/x four", "ALL /default five"},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_routes(name: str, workshop: Any) -> None:
    files, expected = CASES[name]
    inventory = mappu.survey(workshop.write({"go.mod": "module example.com/a\n", **files}, manifest=None))
    assert {f"{e.method} {e.path} {e.handler.symbol}" for e in inventory.endpoints} == expected
    assert not inventory.unfollowed


def test_what_cannot_be_followed_is_said(workshop: Any) -> None:
    source = (
        MUX
        + PLAIN
        + 'func Hang(r *mux.Router, base string) { r.HandleFunc(base+"/x", one); r.Handle("/y", kept["y"]) }\n'
    )
    inventory = mappu.survey(workshop.write({"go.mod": "module a\n", "main.go": source}, manifest=None))
    said = {u.what for u in inventory.unfollowed}
    assert "part of a path is built at run time: base" in said
    assert "the handler here could not be followed" in said
    assert any("prefix may be incomplete" in x for x in said)
    assert {e.path for e in inventory.endpoints} == {"<base>/x", "/y"}
