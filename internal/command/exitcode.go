package command

import (
	"errors"
	"fmt"
)

// exitCode ends the program as another that ran in its place.
type exitCode int

func (e exitCode) Error() string { return fmt.Sprintf("it ended with code %d", int(e)) }

// endedWith is the exit code of a program that ran in the place of this one; false where none did.
func endedWith(err error) (int, bool) {
	var code exitCode
	ok := errors.As(err, &code)
	return int(code), ok
}
