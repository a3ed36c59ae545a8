// Reads [type, tag, value] triples and says of each whether the validator refuses the value.
package main

import (
	"encoding/json"
	"os"

	"github.com/go-playground/validator/v10"
)

func decoded[T any](raw json.RawMessage) any {
	var value T
	if err := json.Unmarshal(raw, &value); err != nil {
		panic(err)
	}
	return value
}

var kinds = map[string]func(json.RawMessage) any{
	"string": decoded[string], "int": decoded[int], "float64": decoded[float64], "bool": decoded[bool],
	"[]string": decoded[[]string], "[]int": decoded[[]int], "map[string]int": decoded[map[string]int],
	"*string": decoded[*string], "*int": decoded[*int],
}

func main() {
	var cases [][3]json.RawMessage
	if err := json.NewDecoder(os.Stdin).Decode(&cases); err != nil {
		panic(err)
	}
	validate := validator.New(validator.WithRequiredStructEnabled())
	refused := make([]bool, 0, len(cases))
	for _, each := range cases {
		kind, tag := decoded[string](each[0]).(string), decoded[string](each[1]).(string)
		refused = append(refused, validate.Var(kinds[kind](each[2]), tag) != nil)
	}
	json.NewEncoder(os.Stdout).Encode(refused)
}
