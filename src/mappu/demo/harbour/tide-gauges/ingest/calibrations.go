package ingest

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v4"
)

type Calibration struct {
	Gauge  string  `json:"gauge" validate:"gauge"`
	Offset float64 `json:"offset" validate:"gte=-2,lte=2"`
	By     string  `json:"by" validate:"required,max=40"`
	Site   Site    `json:"site" validate:"required"`
}

type Site struct {
	Quay string `json:"quay" validate:"required,max=24"`
}

// The validator's error goes back as it is, which echo takes for a fault of its own.
func (h *handler) calibrate(c echo.Context) error {
	var wanted Calibration
	if err := c.Bind(&wanted); err != nil {
		return err
	}
	if err := h.bare.Struct(wanted); err != nil {
		return fmt.Errorf("calibration: %w", err)
	}
	return c.JSON(http.StatusAccepted, wanted)
}

type Alarm struct {
	Gauge string  `json:"gauge" validate:"omitempty,len=6,uppercase"`
	Above float64 `json:"above" validate:"gte=-5,lte=25"`
	Phone string  `json:"phone" validate:"omitempty,e164"`
}

// Looks at the alarm before there is anything in it, and finds nothing wrong with that.
func (h *handler) raiseAlarm(c echo.Context) error {
	var alarm Alarm
	if err := c.Validate(&alarm); err != nil {
		return err
	}
	if err := c.Bind(&alarm); err != nil {
		return err
	}
	return c.JSON(http.StatusAccepted, alarm)
}
