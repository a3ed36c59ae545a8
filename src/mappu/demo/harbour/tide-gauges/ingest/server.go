// Package ingest takes in what the gauges send.
package ingest

import (
	"net/http"

	"github.com/go-playground/validator/v10"
	"github.com/labstack/echo/v4"
	"github.com/labstack/echo/v4/middleware"

	"saltmarsh.example/tide-gauges/store"
)

type requestValidator struct {
	validate *validator.Validate
}

func (v *requestValidator) Validate(i interface{}) error {
	if err := v.validate.Struct(i); err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, err.Error())
	}
	return nil
}

type handler struct {
	gauges *store.Store
	bare   *validator.Validate
}

func NewServer(gauges *store.Store) *echo.Echo {
	validate := validator.New()
	validate.RegisterAlias("gauge", "required,len=6,uppercase")
	validate.RegisterValidation("quarter", onTheQuarter)

	e := echo.New()
	e.Validator = &requestValidator{validate: validate}
	e.Use(middleware.BodyLimit("1M"))
	h := &handler{gauges: gauges, bare: validate}

	readings := e.Group("/readings")
	readings.POST("", h.createReading)
	readings.PUT("/:id", h.replaceReading)
	readings.POST("/batch", h.createBatch)
	readings.GET("/:gauge/latest", h.latest)
	readings.POST("/:gauge/remarks", h.remark)
	readings.DELETE("/:id", h.removeReading)
	e.POST("/calibrations", h.calibrate)
	e.POST("/alarms", h.raiseAlarm)
	return e
}

// Gauges report on the quarter of an hour.
func onTheQuarter(field validator.FieldLevel) bool {
	return field.Field().Int()%15 == 0
}
