package main

import (
	"errors"
	"fmt"
	"net/http"
	"os"

	"github.com/go-playground/validator/v10"
	"github.com/labstack/echo/v4"
)

type checker struct{ inner *validator.Validate }

func (c *checker) Validate(i interface{}) error {
	if err := c.inner.Struct(i); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, err.Error())
	}
	return nil
}

type Gauge struct {
	Name  string  `json:"name" validate:"required,max=5"`
	Level float64 `json:"level" validate:"gte=0,lte=40"`
	Unit  *Unit   `json:"unit"`
	Marks []Unit  `json:"marks" validate:"max=2,dive"`
}

type Unit struct {
	Code string `json:"code" validate:"required,oneof=m ft"`
}

type Mixed struct {
	Id    int    `param:"id" validate:"min=1"`
	Limit int    `query:"limit" validate:"max=50"`
	Name  string `json:"name" validate:"required"`
	Lone  string `json:"lone"`
}

var (
	validate = validator.New()
	stored   []Gauge
)

func main() {
	e := echo.New()
	e.HideBanner = true
	e.HidePort = true
	e.Validator = &checker{inner: validator.New()}
	e.POST("/validated", validated)
	e.POST("/bound", bound)
	e.POST("/raw", raw)
	e.POST("/wrapped", wrapped)
	e.POST("/early", early)
	e.POST("/logged", logged)
	e.POST("/overwritten", overwritten)
	e.POST("/guarded", guarded)
	e.POST("/generic", generic)
	api := e.Group("/api")
	api.GET("/mixed/:id", mixed)
	api.PUT("/mixed/:id", mixed)
	api.Add("POST", "/made", made)
	api.POST("/var", single)
	e.Start("127.0.0.1:" + os.Args[1])
}

func validated(c echo.Context) error {
	var req Gauge
	if err := c.Bind(&req); err != nil {
		return err
	}
	if err := c.Validate(&req); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, req)
}

func bound(c echo.Context) error {
	req := new(Gauge)
	if err := c.Bind(req); err != nil {
		return c.JSON(http.StatusBadRequest, map[string]string{"error": err.Error()})
	}
	return c.JSON(http.StatusOK, req)
}

// The validator's own error is none that the framework answers as the client's fault.
func raw(c echo.Context) error {
	req := Gauge{}
	if err := c.Bind(&req); err != nil {
		return err
	}
	if err := validate.Struct(req); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, req)
}

func wrapped(c echo.Context) error {
	var req Gauge
	if err := c.Bind(&req); err != nil {
		return fmt.Errorf("binding: %w", err)
	}
	err := validate.Struct(&req)
	if err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, err.Error())
	}
	return c.JSON(http.StatusOK, req)
}

// Looks at an empty struct, and refuses everybody.
func early(c echo.Context) error {
	var req Unit
	if err := c.Validate(&req); err != nil {
		c.Logger().Print(err)
	}
	if err := c.Bind(&req); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, req)
}

func logged(c echo.Context) error {
	var req Unit
	if err := c.Bind(&req); err != nil {
		return err
	}
	if err := c.Validate(&req); err != nil {
		fmt.Println(err)
	}
	return c.JSON(http.StatusOK, req)
}

func overwritten(c echo.Context) error {
	var req Unit
	err := c.Bind(&req)
	err = c.Validate(&req)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, req)
}

var errDeep = errors.New("too deep")

func guarded(c echo.Context) error {
	var req Gauge
	if err := c.Bind(&req); err != nil {
		return err
	}
	switch {
	case req.Name == "":
		return echo.NewHTTPError(http.StatusBadRequest, "name")
	case req.Level > 40:
		return errDeep
	case req.Level < 0:
		return c.NoContent(http.StatusUnprocessableEntity)
	}
	return c.JSON(http.StatusOK, req)
}

func generic(c echo.Context) error {
	req, err := read[Gauge](c)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, req)
}

func read[T any](c echo.Context) (T, error) {
	var value T
	if err := c.Bind(&value); err != nil {
		return value, err
	}
	if err := c.Validate(&value); err != nil {
		return value, err
	}
	return value, nil
}

func mixed(c echo.Context) error {
	var req Mixed
	if err := c.Bind(&req); err != nil {
		return err
	}
	if err := c.Validate(&req); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, req)
}

func made(c echo.Context) error {
	var req struct {
		Code string `json:"code"`
		Name string `json:"name"`
	}
	if err := c.Bind(&req); err != nil {
		return err
	}
	unit := Unit{Code: req.Code}
	if err := c.Validate(unit); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, unit)
}

func single(c echo.Context) error {
	var req struct {
		Code string `json:"code"`
	}
	if err := c.Bind(&req); err != nil {
		return err
	}
	if err := validate.Var(req.Code, "required,max=3"); err != nil {
		return c.String(http.StatusBadRequest, err.Error())
	}
	return c.JSON(http.StatusOK, req)
}
