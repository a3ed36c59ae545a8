module saltmarsh.example/tide-gauges

go 1.22

require (
	github.com/gin-gonic/gin v1.10.0
	github.com/go-playground/validator/v10 v10.22.0
	github.com/labstack/echo/v4 v4.12.0
	gorm.io/driver/sqlite v1.5.6
	gorm.io/gorm v1.25.11
)
