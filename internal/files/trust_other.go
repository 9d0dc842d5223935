//go:build !unix

package files

// trusted: where the system has no modes, every plan is taken.
func trusted(dir, name string) error { return nil }
