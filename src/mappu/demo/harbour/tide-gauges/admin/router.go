// Package admin is for those who look after the gauges.
package admin

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"saltmarsh.example/tide-gauges/store"
)

type office struct {
	gauges *store.Store
}

func NewRouter(gauges *store.Store) *gin.Engine {
	r := gin.New()
	r.Use(gin.Recovery())
	o := &office{gauges: gauges}
	api := r.Group("/admin")
	o.gaugeRoutes(api.Group("/gauges"))
	o.keeperRoutes(api)
	return r
}

func (o *office) gaugeRoutes(g *gin.RouterGroup) {
	g.GET("", o.listGauges)
	g.POST("", o.createGauge)
	g.PUT("/:code", o.replaceGauge)
	g.PATCH("/:code/datum", o.moveDatum)
	g.GET("/:code", o.showGauge)
	g.POST("/:code/photographs", o.addPhotograph)
}

func (o *office) keeperRoutes(g *gin.RouterGroup) {
	g.GET("/keepers", o.findKeepers)
	g.POST("/keepers", o.createKeeper)
	g.POST("/visits", o.recordVisit)
	g.PUT("/keepers/:badge", o.renameKeeper)
}

func refuse(c *gin.Context, err error) {
	c.AbortWithStatusJSON(http.StatusBadRequest, gin.H{"error": err.Error()})
}
