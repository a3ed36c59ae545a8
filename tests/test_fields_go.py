"""What Go handlers take: every way of reading it, with the place, the name, the type and the limits that it has there."""

from typing import Any

import pytest

import mappu
from conftest import limits

GIN = (
    'package main\nimport (\n"io"\n"encoding/json"\n"strconv"\n"time"\n'
    '"github.com/gin-gonic/gin"\n"github.com/google/uuid"\n)\n'
)
ECHO = 'package main\nimport "github.com/labstack/echo/v4"\n'
STD = (
    'package main\nimport (\n"io"\n"encoding/json"\n"net/http"\n"regexp"\n"slices"\n"strconv"\n"strings"\n"unicode/utf8"\n'
    '"github.com/gorilla/mux"\n)\n'
)
SERVE = 'func main() {{\n    r := gin.Default()\n    r.{0}("{1}", func(c *gin.Context) {{\n{2}\n    }})\n}}\n'


def gin(method: str, path: str, body: str, beside: str = "") -> str:
    return GIN + SERVE.format(method, path, body) + beside


def std(pattern: str, body: str, beside: str = "") -> str:
    return (
        STD
        + f'func main() {{ http.HandleFunc("{pattern}", func(w http.ResponseWriter, r *http.Request) {{\n{body}\n}}) }}\n'
        + beside
    )


BAD = "{ c.Status(400); return }"
NO = '{ http.Error(w, "no", 400); return }'
INNER = """
type Base struct {
    ID   int    `json:"id" binding:"min=1"`
    Kind string `json:"kind"`
}
type Other struct { Note string `json:"note" binding:"max=9"` }
type Page[T any] struct { Items []T `json:"items" binding:"max=3,dive"`; Next *T `json:"next"` }
type Level int
type Own = Other
"""
# name -> (source, {place.path: (type, required, nullable, standing, limits)})
Told = tuple[str, bool, bool, str, set[tuple[str, object, str]]]
CASES: dict[str, tuple[str, dict[str, Told]]] = {
    "embedded, pointers to them, named ones, hidden ones": (
        gin(
            "POST", "/x",
            f"""
            var in struct {{
                Base
                *Other
                Named Base `json:"named"`
                Kind  int  `json:"kind" binding:"max=3"`
                skip  string
                Out   string `json:"-"`
                Dash  string `json:"-,"`
                Plain bool
            }}
            if err := c.ShouldBindJSON(&in); err != nil {BAD}
            """,
            INNER,
        ),
        {
            "body.id": ("integer", True, False, "enforced", {("minimum", 1, "runs")}),
            "body.kind": ("integer", False, True, "enforced", {("maximum", 3, "runs")}),
            "body.note": ("string", False, True, "enforced", {("maxLength", 9, "runs")}),
            "body.named": ("object", True, False, "enforced", set()),
            "body.named.id": ("integer", True, False, "enforced", {("minimum", 1, "runs")}),
            "body.named.kind": ("string", False, True, "shape-only", set()),
            "body.-": ("string", False, True, "shape-only", set()),
            "body.Plain": ("boolean", False, True, "enforced", set()),
        },
    ),
    "generics, aliases, defined types, maps, any": (
        gin(
            "POST", "/x",
            f"""
            var in Page[Own]
            if err := c.ShouldBindJSON(&in); err != nil {BAD}
            var more struct {{
                Level Level                  `json:"level" binding:"oneof=1 2"`
                Map   map[string]int         `json:"map"`
                Free  map[string]interface{{}} `json:"free"`
                Any   any                    `json:"any"`
                When  *time.Time             `json:"when"`
                Id    uuid.UUID              `json:"id"`
                Raw   json.RawMessage        `json:"raw"`
                Data  []byte                 `json:"data"`
            }}
            if err := c.ShouldBindJSON(&more); err != nil {BAD}
            """,
            INNER,
        ),
        {
            "body.items": ("array", False, True, "enforced", {("maxItems", 3, "runs")}),
            "body.items[].note": ("string", False, True, "enforced", {("maxLength", 9, "runs")}),
            "body.next": ("object", False, True, "enforced", set()),
            "body.next.note": ("string", False, True, "enforced", {("maxLength", 9, "runs")}),
            "body.level": ("integer", True, False, "enforced", {("enum", (1, 2), "runs")}),
            "body.map": ("object", False, True, "shape-only", set()),
            "body.map{}": ("integer", False, True, "shape-only", set()),
            "body.free": ("object", False, True, "shape-only", set()),
            "body.free{}": ("any", False, True, "bare", set()),
            "body.any": ("any", False, True, "bare", set()),
            "body.when": ("string", False, True, "enforced", {("format", "date-time", "runs")}),
            "body.id": ("string", False, True, "enforced", {("format", "uuid", "runs")}),
            "body.raw": ("any", False, True, "bare", set()),
            "body.data": ("string", False, True, "shape-only", set()),
        },
    ),
    "gin: query, path, header, form and file by hand": (
        gin(
            "POST", "/x/:id",
            f"""
            id, err := uuid.Parse(c.Param("id"))
            if err != nil {BAD}
            name, ok := c.GetQuery("name")
            if !ok || len(name) > 8 {BAD}
            if agent := c.GetHeader("X-Agent"); agent != "a" && agent != "b" {BAD}
            if c.PostForm("kind") == "" {BAD}
            file, err := c.FormFile("photo")
            if err != nil {BAD}
            on, err := strconv.ParseBool(c.DefaultQuery("on", "true"))
            if err != nil {BAD}
            c.JSON(200, gin.H{{"id": id, "file": file, "on": on}})
            """,
        ),
        {
            "path.id": ("string", True, False, "enforced", {("format", "uuid", "runs")}),
            "query.name": ("any", True, False, "enforced", {("required", None, "runs"), ("maxLength", 8, "runs")}),
            "query.on": ("boolean", False, False, "enforced", {("type", "boolean", "runs")}),
            "header.x-agent": ("string", True, False, "enforced", {("enum", ("a", "b"), "runs")}),
            "form.kind": ("any", True, False, "shape-only", {("required", None, "runs")}),
            "form.photo": ("file", True, False, "shape-only", {("required", None, "runs")}),
        },
    ),
    "gin: one struct from several places": (
        gin(
            "PUT", "/x/:id",
            f"""
            var in struct {{
                ID    int    `uri:"id" json:"-" binding:"min=1"`
                Dry   bool   `form:"dry" json:"-"`
                Agent string `header:"X-Agent" json:"-" binding:"max=5"`
            }}
            if err := c.ShouldBindUri(&in); err != nil {BAD}
            var q struct {{ Page int `form:"page,default=1" binding:"min=1,max=9"` }}
            if err := c.ShouldBindQuery(&q); err != nil {BAD}
            var h struct {{ Agent string `header:"X-Agent" binding:"required,max=5"` }}
            if err := c.ShouldBindHeader(&h); err != nil {BAD}
            """,
        ),
        {
            "path.id": ("integer", True, False, "enforced", {("minimum", 1, "runs")}),
            "path.Dry": ("boolean", True, False, "enforced", set()),
            "path.Agent": ("string", True, False, "enforced", {("maxLength", 5, "runs")}),
            "query.page": ("integer", False, False, "enforced", {("minimum", 1, "runs"), ("maximum", 9, "runs")}),
            "header.x-agent": ("string", True, False, "enforced", {("required", True, "runs"), ("maxLength", 5, "runs")}),
        },
    ),
    "gin: made by a generic function in front, and taken up behind it": (
        GIN
        + """
        type In struct { Name string `json:"name" binding:"required,max=20"`; Size int `json:"size"` }
        func body[T any](key string) gin.HandlerFunc {
            return func(c *gin.Context) {
                var in T
                if err := c.ShouldBindJSON(&in); err != nil { c.AbortWithStatus(400); return }
                c.Set(key, in)
                c.Next()
            }
        }
        func main() {
            r := gin.Default()
            r.POST("/x", body[In]("in"), func(c *gin.Context) {
                in := c.MustGet("in").(In)
                if in.Size > 10 { c.Status(422); return }
                c.JSON(200, in)
            })
        }
        """,
        {
            "body.name": ("string", True, False, "enforced", {("required", True, "runs"), ("maxLength", 20, "runs")}),
            "body.size": ("integer", False, True, "enforced", {("maximum", 10, "runs")}),
        },
    ),
    "echo: the places that Bind reads, by method": (
        ECHO
        + """
        type In struct {
            ID    int    `param:"id"`
            Page  int    `query:"page"`
            Name  string `json:"name"`
        }
        func main() {
            e := echo.New()
            e.GET("/x/:id", func(c echo.Context) error {
                var in In
                if err := c.Bind(&in); err != nil { return err }
                if in.Page > 9 { return echo.NewHTTPError(400, "page") }
                if c.QueryParam("q") == "" { return echo.ErrBadRequest }
                return c.JSON(200, in)
            })
        }
        """,
        {
            "path.id": ("integer", True, False, "shape-only", set()),
            "query.page": ("integer", False, False, "enforced", {("maximum", 9, "runs")}),
            "query.q": ("any", True, False, "shape-only", {("required", None, "runs")}),
        },
    ),
    "net/http: decoders, all of it read at once, helpers of the service's own": (
        std(
            "POST /x",
            f"""
            data, err := io.ReadAll(http.MaxBytesReader(w, r.Body, 1024))
            if err != nil {NO}
            var in In
            if err := json.Unmarshal(data, &in); err != nil {NO}
            if err := in.ok(); err != nil {NO}
            """,
            """
            type In struct {
                Name string   `json:"name"`
                Kind string   `json:"kind"`
                Size *float64 `json:"size"`
                Tags []string `json:"tags"`
                Deep struct { X int `json:"x"` } `json:"deep"`
            }
            var word = regexp.MustCompile("^[a-z]+$")
            var kinds = []string{"a", "b"}
            func (in In) ok() error {
                if n := utf8.RuneCountInString(in.Name); n < 2 || n > 9 || !word.MatchString(in.Name) { return errName }
                if !slices.Contains(kinds, in.Kind) { return errName }
                if in.Size == nil { return errName }
                for i, tag := range in.Tags { if len(tag) > 4 { return fmt.Errorf("%d", i) } }
                if in.Deep.X <= 0 { return errName }
                if strings.HasPrefix(in.Name, "x") { return errName }
                return nil
            }
            var errName = errors.New("name")
            """.replace('"errors"', ""),
        ).replace('"io"\n', '"io"\n"errors"\n"fmt"\n'),
        {
            "body.name": ("string", True, False, "enforced", {("minLength", 2, "runs"), ("maxLength", 9, "runs"),
                                                              ("pattern", "^[a-z]+$", "runs"),
                                                              ("custom", 'strings.HasPrefix(in.Name, "x")', "runs")}),
            "body.kind": ("string", True, False, "enforced", {("enum", ("a", "b"), "runs")}),
            "body.size": ("number", True, False, "shape-only", {("notNull", None, "runs")}),
            "body.tags": ("array", False, True, "shape-only", set()),
            "body.tags[]": ("string", False, True, "enforced", {("maxLength", 4, "runs")}),
            "body.deep": ("object", False, True, "enforced", set()),
            "body.deep.x": ("integer", True, False, "enforced", {("exclusiveMinimum", 0, "runs")}),
        },
    ),
    "net/http: values of the query, the form and the path": (
        std(
            "/x/{id}",
            f"""
            if r.Method != http.MethodPost {{ w.WriteHeader(405); return }}
            q := r.URL.Query()
            if !q.Has("all") && q.Get("one") == "" {NO}
            n, err := strconv.ParseInt(q.Get("n"), 10, 64)
            if err != nil || n < 1 {NO}
            kind := strings.ToLower(r.FormValue("kind"))
            switch kind {{
            case "a", "b":
            default:
                {NO}
            }}
            if len(r.PathValue("id")) != 4 {NO}
            token, err := r.Cookie("theme")
            if err != nil {NO}
            w.Write([]byte(token.Value))
            """,
        ),
        {
            "path.id": ("string", True, False, "enforced", {("minLength", 4, "runs"), ("maxLength", 4, "runs")}),
            "query.n": ("integer", True, False, "enforced", {("type", "integer", "runs"), ("minimum", 1, "runs")}),
            "query.one": ("any", False, False, "enforced", {("custom", '!q.Has("all") && q.Get("one") == ""', "runs")}),
            "form.kind": ("string", True, False, "enforced", {("enum", ("a", "b"), "runs")}),
            "cookie.theme": ("any", True, False, "shape-only", {("required", None, "runs")}),
        },
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_fields(name: str, workshop: Any) -> None:
    source, expected = CASES[name]
    inventory = mappu.survey(workshop.write({"go.mod": "module svc\n", "main.go": source}, manifest=None))
    (found,) = inventory.endpoints
    said = {f"{f.place}.{f.path}": (f.type, f.required, f.nullable, f.standing, limits(f)) for f in found.fields}
    assert said == expected
    assert not inventory.unfollowed
