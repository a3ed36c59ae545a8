"""Kinds of gap on small Go services: what is found, and nothing beside it. Each faulty handler has a sound twin."""

from typing import Any

import pytest

import mappu
from conftest import endpoint, field, limits

GIN = """
package main
import (
    "errors"
    "fmt"
    "net/http"
    "strconv"
    "github.com/gin-gonic/gin"
    "github.com/gin-gonic/gin/binding"
    "github.com/go-playground/validator/v10"
    "gorm.io/gorm"
)
var db *gorm.DB
var validate = validator.New()
type Item struct {
    Name string `json:"name" binding:"required,max=40"`
    Size int    `json:"size" binding:"min=1,max=9"`
}
type Row struct {
    gorm.Model
    Name string  `gorm:"size:20;not null"`
    Note *string `gorm:"not null"`
}
func main() {
    r := gin.Default()
    r.POST("/sound", func(c *gin.Context) {
        var item Item
        if err := c.ShouldBindJSON(&item); err != nil {
            c.JSON(http.StatusBadRequest, gin.H{"error": err.Error()})
            return
        }
        store(item)
        c.JSON(http.StatusOK, item)
    })
    %s
    r.Run()
}
func store(item Item) { kept = append(kept, item) }
var kept []Item
"""
ECHO = """
package main
import (
    "errors"
    "net/http"
    "github.com/labstack/echo/v4"
    "github.com/go-playground/validator/v10"
)
type Item struct {
    Name string `json:"name" validate:"required,max=40"`
}
type checker struct{ v *validator.Validate }
func (c *checker) Validate(i any) error {
    if err := c.v.Struct(i); err != nil {
        return echo.NewHTTPError(400, err.Error())
    }
    return nil
}
func main() {
    e := echo.New()
    e.Validator = &checker{v: validator.New()}
    e.POST("/sound", func(c echo.Context) error {
        item := new(Item)
        if err := c.Bind(item); err != nil {
            return err
        }
        if err := c.Validate(item); err != nil {
            return err
        }
        kept = append(kept, *item)
        return c.JSON(http.StatusOK, item)
    })
    %s
}
var kept []Item
"""
STD = """
package main
import (
    "encoding/json"
    "errors"
    "log"
    "net/http"
    "os"
    "os/exec"
    "database/sql"
    "github.com/go-playground/validator/v10"
)
var db *sql.DB
var validate = validator.New()
type Item struct {
    Name  string  `json:"name" validate:"required,max=40"`
    Marks []Mark  `json:"marks" validate:"max=3"`
}
type Mark struct { Code string `json:"code" validate:"required,len=3"` }
func main() {
    http.HandleFunc("POST /sound", func(w http.ResponseWriter, r *http.Request) {
        var mark Mark
        if err := json.NewDecoder(r.Body).Decode(&mark); err != nil {
            http.Error(w, "json", 400)
            return
        }
        if err := validate.Struct(mark); err != nil {
            http.Error(w, "mark", 400)
            return
        }
        kept["a"] = mark
        w.WriteHeader(204)
    })
    %s
    http.ListenAndServe(":1", nil)
}
var kept = map[string]Mark{}
"""
FUNC = "func(w http.ResponseWriter, r *http.Request)"

# name -> (service, routes and what stands beside main, gaps as (kind, endpoint, place, field))
CASES: dict[str, tuple[str, str, set[tuple[str, str, str | None, str | None]]]] = {
    "idle-rules: the other validator's tag": (
        GIN,
        """
        type Tagged struct { Name string `json:"name" validate:"required,max=4"` }
        r.POST("/idle", func(c *gin.Context) {
            var in Tagged
            if c.ShouldBindJSON(&in) != nil { c.Status(400); return }
            c.JSON(200, in)
        })
        r.POST("/by-hand", func(c *gin.Context) {
            var in Tagged
            if err := c.ShouldBindJSON(&in); err != nil { c.Status(400); return }
            if err := validate.Struct(in); err != nil { c.Status(400); return }
            c.JSON(200, in)
        })
        """,
        {("idle-rules", "POST /idle", "body", "name")},
    ),
    "ignored, logged, shadowed, overwritten": (
        GIN,
        """
        r.POST("/ignored", func(c *gin.Context) { var in Item; _ = c.ShouldBindJSON(&in); store(in) })
        r.POST("/logged", func(c *gin.Context) {
            var in Item
            if err := c.ShouldBindJSON(&in); err != nil { fmt.Println(err) }
            store(in)
        })
        r.POST("/shadowed", func(c *gin.Context) {
            var in Item
            var err error
            if c.ContentType() != "" { err := c.ShouldBindJSON(&in); fmt.Println(err) }
            if err != nil { c.Status(400); return }
            store(in)
        })
        r.POST("/overwritten", func(c *gin.Context) {
            var in Item
            err := c.ShouldBindJSON(&in)
            err = db.Create(&Row{Name: in.Name[:3]}).Error
            if err != nil { c.Status(400); return }
        })
        r.POST("/success-first", func(c *gin.Context) {
            var in Item
            if err := c.ShouldBindJSON(&in); err == nil {
                store(in)
                c.JSON(200, in)
                return
            }
            c.JSON(400, gin.H{})
        })
        r.GET("/number", func(c *gin.Context) {
            n, _ := strconv.Atoi(c.Query("n"))
            m, _ := strconv.Atoi(c.DefaultQuery("m", "1"))
            if m < 1 || m > 9 { m = 1 }
            c.JSON(200, gin.H{"n": n, "m": m})
        })
        """,
        {("ignored-outcome", f"POST /{x}", "body", "*") for x in ("ignored", "logged", "shadowed", "overwritten")}
        | {("ignored-outcome", "GET /number", "query", "n")},
    ),
    "no-stop": (
        GIN,
        """
        r.POST("/bind", func(c *gin.Context) { var in Item; c.BindJSON(&in); store(in) })
        r.POST("/left", func(c *gin.Context) { var in Item; if c.BindJSON(&in) != nil { return }; store(in) })
        r.POST("/guard", func(c *gin.Context) {
            var in Item
            if err := c.ShouldBindJSON(&in); err != nil { c.AbortWithStatus(400); return }
            if in.Name == "x" { c.JSON(422, gin.H{}) }
            store(in)
        })
        """,
        {("no-stop", "POST /bind", "body", "*"), ("no-stop", "POST /guard", "body", "name")},
    ),
    "no-stop: functions in front that do not abort": (
        GIN,
        """
        check := func(c *gin.Context) {
            if c.GetHeader("X-Kind") != "a" { c.JSON(403, gin.H{}); return }
        }
        stop := func(c *gin.Context) {
            if c.GetHeader("X-Kind") != "a" { c.JSON(403, gin.H{}); c.Abort(); return }
            if c.GetHeader("X-Other") != "b" { c.AbortWithStatus(403) }
        }
        r.GET("/open", check, func(c *gin.Context) { c.JSON(200, gin.H{}) })
        r.GET("/shut", stop, func(c *gin.Context) { c.JSON(200, gin.H{}) })
        """,
        {("no-stop", "GET /open", "header", "x-kind")},
    ),
    "declarations: contradiction, no-effect, shallow-check": (
        GIN,
        """
        type Odd struct {
            Zero  int    `json:"zero" binding:"required,min=0,max=9"`
            Fine  *int   `json:"fine" binding:"required,min=0,max=9"`
            Clash string `json:"clash" binding:"min=5,max=2"`
            Never string `json:"never" binding:"omitempty,required,max=3"`
            Plain Item   `json:"plain" binding:"required"`
            Good  *Item  `json:"good" binding:"required"`
            Flat  []Item `json:"flat" binding:"max=2"`
            Deep  []Item `json:"deep" binding:"max=2,dive"`
            Kept  Item   `json:"kept" binding:"structonly"`
        }
        r.POST("/odd", func(c *gin.Context) {
            var in Odd
            if err := c.ShouldBindJSON(&in); err != nil { c.Status(400); return }
            c.JSON(200, in)
        })
        """,
        {("contradiction", "POST /odd", "body", "zero"), ("contradiction", "POST /odd", "body", "clash"),
         ("no-effect", "POST /odd", "body", "never"), ("no-effect", "POST /odd", "body", "plain"),
         ("shallow-check", "POST /odd", "body", "flat"), ("shallow-check", "POST /odd", "body", "kept")},
    ),
    "storage": (
        GIN,
        """
        r.POST("/bound", func(c *gin.Context) {
            var row Row
            if err := c.ShouldBindJSON(&row); err != nil { c.Status(400); return }
            db.Create(&row)
        })
        r.POST("/drift", func(c *gin.Context) {
            var in struct {
                Name string  `json:"name" binding:"required,max=30"`
                Note *string `json:"note" binding:"omitempty,max=9"`
            }
            if err := c.ShouldBindJSON(&in); err != nil { c.Status(400); return }
            db.Create(&Row{Name: in.Name, Note: in.Note})
        })
        r.POST("/map", func(c *gin.Context) {
            var in map[string]any
            if err := c.BindJSON(&in); err != nil { return }
            db.Model(&Row{}).Create(in)
        })
        r.GET("/text", func(c *gin.Context) {
            var rows []Row
            db.Raw("select * from rows where name = '" + c.Query("name") + "'").Scan(&rows)
            db.Raw("select * from rows where name = ?", c.Query("other")).Scan(&rows)
        })
        """,
        {("storage-bound", "POST /bound", "body", "*"), ("storage-drift", "POST /drift", "body", "name"),
         ("storage-drift", "POST /drift", "body", "note"), ("bare-input", "POST /map", "body", "*"),
         ("whole-write", "POST /map", "body", "*"), ("bare-input", "GET /text", "query", "name"),
         ("bare-input", "GET /text", "query", "other")},
    ),
    "server-error: assertions that panic": (
        GIN,
        """
        r.POST("/panics", func(c *gin.Context) {
            var in map[string]interface{}
            if err := c.ShouldBindJSON(&in); err != nil { c.Status(400); return }
            size := in["size"].(float64)
            if size < 1 || size > 9 { c.Status(400); return }
            c.JSON(200, size)
        })
        r.POST("/asks", func(c *gin.Context) {
            var in map[string]interface{}
            if err := c.ShouldBindJSON(&in); err != nil { c.Status(400); return }
            size, ok := in["size"].(float64)
            if !ok || size < 1 || size > 9 { c.Status(400); return }
            c.JSON(200, size)
        })
        """,
        {("server-error", "POST /panics", "body", "*")},
    ),
    "echo: validated too early, raw errors, bound only": (
        ECHO,
        """
        e.POST("/early", func(c echo.Context) error {
            var in Item
            if err := c.Validate(&in); err != nil { return err }
            if err := c.Bind(&in); err != nil { return err }
            return c.JSON(200, in)
        })
        v := validator.New()
        e.POST("/raw", func(c echo.Context) error {
            var in Item
            if err := c.Bind(&in); err != nil { return err }
            if err := v.Struct(&in); err != nil { return err }
            return c.JSON(200, in)
        })
        e.POST("/only", func(c echo.Context) error {
            var in Item
            if err := c.Bind(&in); err != nil { return err }
            return c.JSON(200, in)
        })
        e.POST("/direct", func(c echo.Context) error {
            var in Item
            if err := c.Bind(&in); err != nil { return err }
            return c.Validate(in)
        })
        e.POST("/stops", func(c echo.Context) error {
            var in Item
            if err := c.Bind(&in); err != nil { return err }
            if err := c.Validate(in); err != nil { c.JSON(400, "no") }
            kept = append(kept, in)
            return errors.New("x")
        })
        """,
        {("late-check", "POST /early", "body", "*"), ("server-error", "POST /raw", "body", "*"),
         ("idle-rules", "POST /only", "body", "name"),
         ("no-stop", "POST /stops", "body", "*")},
    ),
    "net/http: decoders, files and commands": (
        STD,
        f"""
        http.HandleFunc("POST /dropped", {FUNC} {{ var m Mark; json.NewDecoder(r.Body).Decode(&m); kept["b"] = m }})
        http.HandleFunc("POST /deep", {FUNC} {{
            var in Item
            if err := json.NewDecoder(r.Body).Decode(&in); err != nil {{ http.Error(w, "json", 400); return }}
            if err := validate.Struct(in); err != nil {{ http.Error(w, "item", 400); return }}
        }})
        http.HandleFunc("GET /file", {FUNC} {{ data, _ := os.ReadFile("files/" + r.URL.Query().Get("name")); w.Write(data) }})
        http.HandleFunc("POST /run", {FUNC} {{ exec.Command(r.FormValue("what")).Run() }})
        http.HandleFunc("GET /late", {FUNC} {{
            id := r.PathValue("id")
            name := r.URL.Query().Get("name")
            db.Exec("insert into t (name) values (?)", name)
            if len(name) > 10 {{ http.Error(w, id, 400); return }}
        }})
        """,
        {("ignored-outcome", "POST /dropped", "body", "*"), ("idle-rules", "POST /dropped", "body", "code"),
         ("shallow-check", "POST /deep", "body", "marks"), ("bare-input", "GET /file", "query", "name"),
         ("bare-input", "POST /run", "form", "what"), ("late-check", "GET /late", "query", "name")},
    ),
}  # fmt: skip


ENT = """
package schema
import ("entgo.io/ent"; "entgo.io/ent/schema/field")
type Reading struct { ent.Schema }
func (Reading) Fields() []ent.Field {
    return []ent.Field{field.String("gauge_code").MaxLen(8), field.Enum("unit").Values("m", "ft"), field.Int("level").Optional()}
}
"""
BUILT = """
package main
import (
    "a.example/svc/ent"
    "github.com/gin-gonic/gin"
    "github.com/go-openapi/validate"
)
var client *ent.Client
type In struct {
    Gauge string `json:"gauge" binding:"required,max=20"`
    Unit  string `json:"unit" binding:"required,oneof=m ft yd"`
    Level *int   `json:"level"`
}
func (in *In) Validate() error {
    var faults []error
    if err := validate.Required("level", "body", in.Level); err != nil {
        faults = append(faults, err)
    }
    if err := validate.MaximumInt("level", "body", *in.Level, 25, false); err != nil {
        faults = append(faults, err)
    }
    if len(faults) > 0 {
        return errors.Join(faults...)
    }
    return nil
}
func main() {
    r := gin.Default()
    r.POST("/x", func(c *gin.Context) {
        var in In
        if err := c.ShouldBindJSON(&in); err != nil { c.Status(400); return }
        if err := in.Validate(); err != nil { c.Status(422); return }
        if _, err := client.Reading.Create().SetGaugeCode(in.Gauge).SetUnit(in.Unit).SetLevel(*in.Level).Save(c); err != nil {
            c.Status(500)
        }
    })
}
"""


def test_builders_and_schemas(workshop: Any) -> None:
    files = {"go.mod": "module a.example/svc\n", "main.go": BUILT, "ent/schema/reading.go": ENT}
    inventory = mappu.survey(workshop.write(files, manifest=None))
    assert {(g.kind, g.field) for g in inventory.gaps} == {("storage-drift", "gauge"), ("storage-drift", "unit")}
    level = field(inventory.endpoints[0], "level")
    assert limits(level) == {("required", True, "runs"), ("maximum", 25, "runs")}
    assert level.required


def _service(source: str, routes: str) -> str:
    return source % routes


@pytest.mark.parametrize("name", CASES)
def test_gaps(name: str, workshop: Any) -> None:
    source, routes, expected = CASES[name]
    inventory = mappu.survey(
        workshop.write({"go.mod": "module svc\n", "main.go": _service(source, routes)}, manifest=None)
    )
    found = {
        (g.kind, (g.endpoint or "").removeprefix("svc "), g.place, g.field)
        for g in inventory.gaps
        if g.severity != "low"
    }
    assert found == expected
    assert not inventory.unfollowed


TAGS = """
r.POST("/x", func(c *gin.Context) {
    v := binding.Validator.Engine().(*validator.Validate)
    v.SetTagName("check")
    v.RegisterAlias("short", "required,max=3")
    v.RegisterValidation("even", isEven)
    v.RegisterStructValidation(whole, In{})
    %s
})
type In struct {
    A string   `json:"a" check:"short" binding:"max=9"`
    B int      `json:"b" check:"even,gt=2"`
    C []string `json:"c" check:"min=1,unique,dive,startswith=x"`
    D string   `json:"d,omitempty" check:"required_if=A y,oneof='a b' c"`
    E string   `json:"e" check:"email|e164,excludes=0x2C"`
    F string   `json:"-" check:"max=1"`
    g string   `json:"g" check:"max=1"`
    H Own      `json:"h"`
    I float64  `json:"i,string"`
}
type Own struct { x int }
func (o *Own) UnmarshalJSON(data []byte) error { return nil }
func whole(sl validator.StructLevel) { sl.ReportError(sl.Current().Interface().(In).B, "b", "B", "sum", "") }
"""


def test_what_is_registered_and_read_from_another_tag(workshop: Any) -> None:
    body = "var in In\nif err := c.ShouldBindJSON(&in); err != nil { c.Status(400); return }\nc.JSON(200, in)"
    main, _, beside = TAGS.partition("\ntype In")
    source = _service(GIN, main % body) + "type In" + beside
    found = endpoint(
        mappu.survey(workshop.write({"go.mod": "module svc\n", "main.go": source}, manifest=None)), "POST /x"
    )
    assert {f.path: limits(f) for f in found.fields} == {
        "a": {("required", True, "runs"), ("maxLength", 3, "runs"), ("maxLength", 9, "idle")},
        "b": {("custom", "isEven", "runs"), ("exclusiveMinimum", 2, "runs"), ("custom", "whole", "runs")},
        "c": {("minItems", 1, "runs"), ("uniqueItems", True, "runs")},
        "c[]": {("pattern", "^x", "runs")},
        "d": {("requiredIf", "if A y", "runs"), ("enum", ("a b", "c"), "runs")},
        "e": {("custom", "email|e164", "runs"), ("pattern", "^(?!.*,)", "runs")},
        "h": {("custom", "Own.UnmarshalJSON", "runs")},
        "i": {("pattern", r"^-?\d+(\.\d+)?$", "runs")},
    }
    assert field(found, "a").required
    assert field(found, "d").required
    assert field(found, "i").type == "string"
