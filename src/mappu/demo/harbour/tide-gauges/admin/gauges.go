package admin

import (
	"log"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"saltmarsh.example/tide-gauges/store"
)

type Gauge struct {
	Code  string  `json:"code" binding:"required,len=6,uppercase"`
	Name  string  `json:"name" binding:"required,max=80"`
	Datum float64 `json:"datum" binding:"min=-10,max=10"`
	// The tag is the other validator's.
	Quay string `json:"quay" validate:"required,max=24"`
}

func (g Gauge) row() *store.GaugeRow {
	return &store.GaugeRow{Code: g.Code, Name: g.Name, Datum: g.Datum, Quay: g.Quay}
}

func (o *office) createGauge(c *gin.Context) {
	var gauge Gauge
	if err := c.ShouldBindJSON(&gauge); err != nil {
		refuse(c, err)
		return
	}
	if err := o.gauges.AddGauge(gauge.row()); err != nil {
		c.Status(http.StatusInternalServerError)
		return
	}
	c.JSON(http.StatusCreated, gauge)
}

type gaugeChange struct {
	Name string `json:"name" binding:"required,max=60"`
	Quay string `json:"quay" binding:"required,max=24"`
}

// Answers 400 by itself where the body is no good, and goes on all the same.
func (o *office) replaceGauge(c *gin.Context) {
	var change gaugeChange
	c.BindJSON(&change)
	row := &store.GaugeRow{Name: change.Name, Quay: change.Quay}
	if err := o.gauges.SaveGauge(c.Param("code"), row); err != nil {
		c.Status(http.StatusInternalServerError)
		return
	}
	c.Status(http.StatusNoContent)
}

type datumMove struct {
	By     float64 `json:"by" binding:"required,gte=-1,lte=1"`
	Reason string  `json:"reason" binding:"required,min=10,max=200"`
}

func (o *office) moveDatum(c *gin.Context) {
	var move datumMove
	if err := c.ShouldBindJSON(&move); err != nil {
		log.Printf("datum: %v", err)
	}
	row := &store.GaugeRow{Datum: move.By}
	if err := o.gauges.SaveGauge(c.Param("code"), row); err != nil {
		c.Status(http.StatusInternalServerError)
		return
	}
	c.JSON(http.StatusOK, move)
}

type gaugeAddress struct {
	Code string `uri:"code" binding:"required,len=6,uppercase"`
}

func (o *office) showGauge(c *gin.Context) {
	var wanted gaugeAddress
	if err := c.ShouldBindUri(&wanted); err != nil {
		refuse(c, err)
		return
	}
	rows, err := o.gauges.Gauges(1, wanted.Code)
	if err != nil {
		c.Status(http.StatusInternalServerError)
		return
	}
	c.JSON(http.StatusOK, rows)
}

type photograph struct {
	Taken   time.Time `json:"taken" binding:"required"`
	Address string    `json:"address" binding:"required,url,max=200"`
	Caption *string   `json:"caption" binding:"omitempty,min=1,max=80"`
}

func (o *office) addPhotograph(c *gin.Context) {
	var address gaugeAddress
	var given photograph
	if c.ShouldBindUri(&address) != nil || c.ShouldBindJSON(&given) != nil {
		c.AbortWithStatus(http.StatusBadRequest)
		return
	}
	c.JSON(http.StatusCreated, given)
}

func (o *office) listGauges(c *gin.Context) {
	limit, _ := strconv.Atoi(c.DefaultQuery("limit", "20"))
	quay := c.Query("quay")
	if len(quay) > 24 {
		c.Status(http.StatusBadRequest)
		return
	}
	rows, err := o.gauges.Gauges(limit, quay)
	if err != nil {
		c.Status(http.StatusInternalServerError)
		return
	}
	c.JSON(http.StatusOK, rows)
}
