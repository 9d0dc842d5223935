//go:build !linux

package command

import "os"

// isClosed tells whether an output was closed by whoever started the program.
func isClosed(f *os.File) bool {
	_, err := f.Stat()
	return err != nil
}
