//go:build !linux

package wire

import "errors"

// ReadHere reads what this machine itself is; that is known of Linux only.
func ReadHere(string) (*Reading, error) {
	return nil, errors.New("this machine can be asked itself under Linux only; read what it lists from files")
}
