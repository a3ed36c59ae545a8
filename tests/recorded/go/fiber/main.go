package main

import (
	"errors"
	"os"

	"github.com/go-playground/validator/v10"
	"github.com/gofiber/fiber/v2"
)

type Job struct {
	Kind  string `json:"kind" validate:"required,min=3,max=9"`
	Level int    `json:"level" validate:"gte=1,lte=5"`
}

type Fault struct{ Field string }

var validate = validator.New()

func faultsOf(job Job) []*Fault {
	var faults []*Fault
	err := validate.Struct(job)
	if err != nil {
		for _, each := range err.(validator.ValidationErrors) {
			var fault Fault
			fault.Field = each.StructNamespace()
			faults = append(faults, &fault)
		}
	}
	return faults
}

func listed(c *fiber.Ctx) error {
	job := new(Job)
	if err := c.BodyParser(job); err != nil {
		return c.Status(fiber.StatusBadRequest).JSON(fiber.Map{"error": err.Error()})
	}
	faults := faultsOf(*job)
	if faults != nil {
		return c.Status(fiber.StatusUnprocessableEntity).JSON(faults)
	}
	return c.JSON(job)
}

// An error that says no status is answered with 500.
func raw(c *fiber.Ctx) error {
	var job Job
	if err := c.BodyParser(&job); err != nil {
		return err
	}
	if err := validate.Struct(&job); err != nil {
		return err
	}
	return c.JSON(job)
}

func thrown(c *fiber.Ctx) error {
	var job Job
	if err := c.BodyParser(&job); err != nil {
		return fiber.ErrBadRequest
	}
	if job.Kind == "" {
		return fiber.NewError(fiber.StatusTeapot, "kind")
	}
	if job.Level > 5 {
		return errors.New("level")
	}
	return c.SendStatus(fiber.StatusOK)
}

func gathered(c *fiber.Ctx) error {
	faults := map[string]string{}
	name := c.Query("name")
	if name == "" {
		faults["name"] = "is missing"
	}
	if len(name) > 5 {
		faults["name"] = "is too long"
	}
	if len(faults) > 0 {
		return c.Status(422).JSON(faults)
	}
	return c.SendString(name)
}

func number(c *fiber.Ctx) error {
	id, err := c.ParamsInt("id")
	if err != nil || id > 99 {
		return fiber.ErrBadRequest
	}
	return c.JSON(id)
}

type search struct {
	Page int    `query:"page"`
	Word string `query:"word" validate:"max=4"`
}

func searched(c *fiber.Ctx) error {
	var q search
	if err := c.QueryParser(&q); err != nil {
		return fiber.NewError(400, err.Error())
	}
	return c.JSON(q)
}

func main() {
	app := fiber.New(fiber.Config{DisableStartupMessage: true})
	app.Post("/listed", listed)
	app.Post("/raw", raw)
	api := app.Group("/api")
	api.Post("/thrown", thrown)
	api.Get("/gathered", gathered)
	api.Get("/number/:id", number)
	api.Get("/limited/:id<int>", number)
	api.Get("/searched", searched)
	app.Listen("127.0.0.1:" + os.Args[1])
}
