package live

import (
	"errors"
	"syscall"
)

// isRefused tells whether somebody is there and nobody listens.
func isRefused(err error) bool { return errors.Is(err, syscall.ECONNREFUSED) }
