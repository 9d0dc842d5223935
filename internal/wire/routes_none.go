//go:build !linux && !windows && !darwin && !freebsd && !netbsd && !openbsd && !dragonfly

package wire

import (
	"errors"

	"ropeswing/core/observed"
)

// systemRoutes are not told by this system.
func systemRoutes(map[int]string) ([]observed.Route, error) {
	return nil, errors.New("this system does not tell its routes")
}
