package main

import "errors"

var errFar = errors.New("too far")

func (i *Inner) check() error {
	if i.From == i.To {
		return errors.New("the same place")
	}
	if len(i.From) > 6 {
		return errFar
	}
	return nil
}
