package ingest

import (
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v4"

	"saltmarsh.example/tide-gauges/store"
)

type Reading struct {
	Gauge  string    `json:"gauge" validate:"gauge"`
	Level  float64   `json:"level" validate:"gte=-5,lte=25"`
	Unit   string    `json:"unit" validate:"required,oneof=m ft"`
	Minute int       `json:"minute" validate:"min=0,max=59,quarter"`
	Taken  time.Time `json:"taken" validate:"required"`
	Wind   *Wind     `json:"wind"`
}

type Wind struct {
	Knots   float64 `json:"knots" validate:"gte=0,lte=150"`
	Bearing int     `json:"bearing" validate:"gte=0,lt=360"`
}

func (r *Reading) row() *store.ReadingRow {
	return &store.ReadingRow{Gauge: r.Gauge, Level: r.Level, Unit: r.Unit, Taken: r.Taken}
}

func (h *handler) createReading(c echo.Context) error {
	var reading Reading
	if err := c.Bind(&reading); err != nil {
		return err
	}
	if err := c.Validate(&reading); err != nil {
		return err
	}
	if err := h.gauges.AddReading(reading.row()); err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, reading)
}

type replacement struct {
	ID string `param:"id" json:"-"`
	Reading
}

// The rules are in Reading, and nobody asks for them here.
func (h *handler) replaceReading(c echo.Context) error {
	var wanted replacement
	if err := c.Bind(&wanted); err != nil {
		return err
	}
	if err := h.gauges.SaveReading(wanted.ID, wanted.row()); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

type Batch struct {
	Station  string    `json:"station" validate:"required,max=20,alphanum"`
	Readings []Reading `json:"readings" validate:"required,max=96"`
}

func (h *handler) createBatch(c echo.Context) error {
	batch := new(Batch)
	if err := c.Bind(batch); err != nil {
		return err
	}
	if err := c.Validate(batch); err != nil {
		return err
	}
	rows := make([]store.ReadingRow, 0, len(batch.Readings))
	for _, reading := range batch.Readings {
		rows = append(rows, *reading.row())
	}
	if err := h.gauges.AddReadings(rows); err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, map[string]int{"kept": len(rows)})
}

type remark struct {
	Gauge string   `param:"gauge" json:"-" validate:"gauge"`
	Text  string   `json:"text" validate:"required,min=3,max=300"`
	Flags []string `json:"flags" validate:"max=4,unique,dive,oneof=ice surge fouled"`
}

func (h *handler) remark(c echo.Context) error {
	var given remark
	if err := h.read(c, &given); err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, given)
}

// What every handler does first that has rules.
func (h *handler) read(c echo.Context, into any) error {
	if err := c.Bind(into); err != nil {
		return err
	}
	return c.Validate(into)
}

func (h *handler) removeReading(c echo.Context) error {
	id, err := strconv.ParseUint(c.Param("id"), 10, 32)
	if err != nil || id == 0 {
		return echo.NewHTTPError(http.StatusBadRequest, "a reading's number")
	}
	if err := h.gauges.RemoveReading(uint(id)); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

type latestQuery struct {
	Gauge string `param:"gauge" validate:"gauge"`
	Hours int    `query:"hours" validate:"omitempty,min=1,max=48"`
}

func (h *handler) latest(c echo.Context) error {
	var wanted latestQuery
	if err := c.Bind(&wanted); err != nil {
		return err
	}
	if err := c.Validate(wanted); err != nil {
		return err
	}
	rows, err := h.gauges.Latest(wanted.Gauge)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, rows)
}
