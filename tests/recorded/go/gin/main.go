package main

import (
	"net/http"
	"os"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/gin-gonic/gin/binding"
	"github.com/go-playground/validator/v10"
)

type Inner struct {
	From string `json:"from" binding:"required"`
	To   string `json:"to" binding:"max=3"`
}

type Base struct {
	Based string `json:"based" binding:"required,max=3"`
}

type All struct {
	Base
	Required  string            `json:"required" binding:"required"`
	Number    int               `json:"number" binding:"required"`
	Flag      bool              `json:"flag" binding:"required"`
	Minimum   int               `json:"minimum" binding:"min=2,max=9"`
	Low       int               `json:"low" binding:"min=-5"`
	More      float64           `json:"more" binding:"gt=0,lt=2.5"`
	Text      string            `json:"text" binding:"min=2,max=5"`
	Exact     string            `json:"exact" binding:"len=3"`
	Optional  string            `json:"optional" binding:"omitempty,min=2"`
	Email     string            `json:"email" binding:"omitempty,email"`
	Url       string            `json:"url" binding:"url"`
	Uuid      string            `json:"uuid" binding:"omitempty,uuid"`
	Ip        string            `json:"ip" binding:"omitempty,ipv4"`
	Kind      string            `json:"kind" binding:"oneof=red 'dark blue'"`
	Level     int               `json:"level" binding:"oneof=1 2"`
	Alpha     string            `json:"alpha" binding:"omitempty,alphanum"`
	Numeric   string            `json:"numeric" binding:"omitempty,numeric"`
	Either    string            `json:"either" binding:"omitempty,alpha|numeric"`
	Starts    string            `json:"starts" binding:"omitempty,startswith=ab"`
	Day       string            `json:"day" binding:"omitempty,datetime=2006-01-02"`
	Same      string            `json:"same" binding:"eqfield=Required"`
	Pointer   *int              `json:"pointer" binding:"required"`
	Bound     *int              `json:"bound" binding:"min=3"`
	Loose     *string           `json:"loose" binding:"omitempty,min=3"`
	With      string            `json:"with" binding:"required_with=Optional"`
	Tags      []string          `json:"tags" binding:"max=2,dive,max=3"`
	Plain     []Inner           `json:"plain"`
	Entered   []Inner           `json:"entered" binding:"dive"`
	Single    Inner             `json:"single"`
	Needed    Inner             `json:"needed" binding:"required"`
	Maybe     *Inner            `json:"maybe"`
	Map       map[string]int    `json:"map" binding:"dive,min=2"`
	Keys      map[string]string `json:"keys" binding:"omitempty,dive,keys,max=2,endkeys,max=3"`
	Unique    []int             `json:"unique" binding:"unique"`
	When      time.Time         `json:"when"`
	Small     uint8             `json:"small"`
	Even      int               `json:"even" binding:"even"`
	Short     string            `json:"short" binding:"tiny"`
	Idle      string            `json:"idle" validate:"max=2"`
	OnlyOut   string            `json:"-" binding:"max=3"`
}

type Query struct {
	Limit int    `form:"limit,default=200" binding:"max=500"`
	Page  int    `form:"page" binding:"min=1"`
	Order string `form:"order" binding:"omitempty,oneof=up down"`
}

type Uri struct {
	Id int `uri:"id" binding:"max=99"`
}

func even(fl validator.FieldLevel) bool { return fl.Field().Int()%2 == 0 }

func main() {
	gin.SetMode(gin.ReleaseMode)
	if v, ok := binding.Validator.Engine().(*validator.Validate); ok {
		v.RegisterValidation("even", even)
		v.RegisterAlias("tiny", "max=2")
	}
	r := gin.New()
	r.Use(gin.Recovery())
	r.POST("/all", func(c *gin.Context) {
		var req All
		if err := c.ShouldBindJSON(&req); err != nil {
			c.JSON(http.StatusBadRequest, gin.H{"error": err.Error()})
			return
		}
		c.JSON(http.StatusOK, req)
	})
	g := r.Group("/more")
	g.GET("/query", query)
	g.GET("/uri/:id", byId)
	g.POST("/dropped", dropped)
	g.POST("/left", left)
	g.POST("/ignored", ignored)
	g.POST("/shadowed", shadowed)
	g.POST("/list", list)
	g.POST("/asserted", asserted)
	g.GET("/parsed", parsed)
	g.GET("/unparsed", unparsed)
	g.POST("/helped", helped)
	r.Run("127.0.0.1:" + os.Args[1])
}

func query(c *gin.Context) {
	var q Query
	if err := c.ShouldBindQuery(&q); err != nil {
		c.AbortWithStatusJSON(http.StatusBadRequest, gin.H{"error": err.Error()})
		return
	}
	c.JSON(http.StatusOK, q)
}

func byId(c *gin.Context) {
	u := Uri{}
	if err := c.ShouldBindUri(&u); err != nil {
		c.Status(http.StatusBadRequest)
		return
	}
	c.JSON(http.StatusOK, u)
}

// Answers 400 by itself, and the body that follows does not change that.
func dropped(c *gin.Context) {
	var req Inner
	c.BindJSON(&req)
	stored = append(stored, req)
	c.JSON(http.StatusOK, req)
}

func left(c *gin.Context) {
	var req Inner
	if err := c.BindJSON(&req); err != nil {
		return
	}
	c.JSON(http.StatusOK, req)
}

func ignored(c *gin.Context) {
	var req Inner
	_ = c.ShouldBindJSON(&req)
	stored = append(stored, req)
	c.JSON(http.StatusOK, req)
}

func shadowed(c *gin.Context) {
	var req Inner
	var err error
	if c.ContentType() != "" {
		err := c.ShouldBindJSON(&req)
		_ = err
	}
	if err != nil {
		c.Status(http.StatusBadRequest)
		return
	}
	c.JSON(http.StatusOK, req)
}

func list(c *gin.Context) {
	var req []Inner
	if c.ShouldBindJSON(&req) != nil {
		c.Status(http.StatusBadRequest)
		return
	}
	c.JSON(http.StatusOK, req)
}

func asserted(c *gin.Context) {
	var body map[string]any
	if err := c.ShouldBindJSON(&body); err != nil {
		c.Status(http.StatusBadRequest)
		return
	}
	name, ok := body["name"].(string)
	if !ok || name == "" {
		c.Status(http.StatusUnprocessableEntity)
		return
	}
	size := body["size"].(float64)
	c.JSON(http.StatusOK, gin.H{"name": name, "size": size})
}

func parsed(c *gin.Context) {
	n, err := strconv.Atoi(c.Query("n"))
	if err != nil || n > 10 {
		c.Status(http.StatusBadRequest)
		return
	}
	day, err := time.Parse("2006-01-02", c.DefaultQuery("day", "2020-01-01"))
	if err != nil {
		c.Status(http.StatusBadRequest)
		return
	}
	c.JSON(http.StatusOK, gin.H{"n": n, "day": day})
}

func unparsed(c *gin.Context) {
	n, _ := strconv.Atoi(c.Query("n"))
	c.JSON(http.StatusOK, gin.H{"n": n})
}

var stored []Inner

func helped(c *gin.Context) {
	var req Inner
	if !bind(c, &req) {
		return
	}
	if err := req.check(); err != nil {
		c.JSON(http.StatusUnprocessableEntity, gin.H{"error": err.Error()})
		return
	}
	c.JSON(http.StatusOK, req)
}

func bind(c *gin.Context, dst any) bool {
	if err := c.ShouldBindJSON(dst); err != nil {
		c.JSON(http.StatusBadRequest, gin.H{"error": err.Error()})
		return false
	}
	return true
}
