package admin

import (
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"saltmarsh.example/tide-gauges/store"
)

// The row itself is what a client sends: its number and its dates with it.
func (o *office) createKeeper(c *gin.Context) {
	var keeper store.KeeperRow
	if err := c.ShouldBindJSON(&keeper); err != nil {
		refuse(c, err)
		return
	}
	if err := o.gauges.AddKeeper(&keeper); err != nil {
		c.Status(http.StatusInternalServerError)
		return
	}
	c.JSON(http.StatusCreated, keeper)
}

type keeperQuery struct {
	Name  string `form:"name" binding:"omitempty,max=60"`
	Limit int    `form:"limit,default=20" binding:"min=1,max=100"`
	Order string `form:"order" binding:"omitempty,oneof=name badge"`
}

func (o *office) findKeepers(c *gin.Context) {
	var wanted keeperQuery
	if err := c.ShouldBindQuery(&wanted); err != nil {
		refuse(c, err)
		return
	}
	c.JSON(http.StatusOK, wanted)
}

type renaming struct {
	Name string `json:"name" binding:"required,max=60"`
}

func (o *office) renameKeeper(c *gin.Context) {
	var wanted renaming
	if err := c.BindJSON(&wanted); err != nil {
		return
	}
	badge := c.Param("badge")
	if len(badge) > 12 {
		c.AbortWithStatus(http.StatusNotFound)
		return
	}
	c.JSON(http.StatusOK, gin.H{"badge": badge, "name": wanted.Name})
}

type visit struct {
	Badge string    `json:"badge" binding:"required,max=12,alphanum"`
	Gauge string    `json:"gauge" binding:"required,len=6"`
	From  time.Time `json:"from" binding:"required"`
	Until time.Time `json:"until" binding:"required,gtfield=From"`
	Pumps int       `json:"pumps" binding:"required,min=0,max=9"`
	Work  []string  `json:"work" binding:"required,max=5,dive,oneof=clean paint repair"`
}

// The error inside is another one than that which is asked for.
func (o *office) recordVisit(c *gin.Context) {
	var wanted visit
	var err error
	if c.ContentType() == "application/json" {
		err := c.ShouldBindJSON(&wanted)
		if err == nil {
			c.Header("X-Badge", wanted.Badge)
		}
	}
	if err != nil {
		refuse(c, err)
		return
	}
	c.JSON(http.StatusCreated, wanted)
}
