package view

import (
	"bytes"
	"io"
)

// Plain is a writer without looks: it drops the control sequences that select
// them. No others reach it, since Clean lets none through.
type Plain struct{ W io.Writer }

// Write implements io.Writer. A sequence must not be cut between two writes.
func (p Plain) Write(b []byte) (int, error) {
	rest := b
	for len(rest) > 0 {
		start := bytes.IndexByte(rest, 0x1b)
		if start < 0 {
			start = len(rest)
		}
		if _, err := p.W.Write(rest[:start]); err != nil {
			return 0, err
		}
		rest = rest[start:]
		if end := bytes.IndexByte(rest, 'm'); end >= 0 {
			rest = rest[end+1:]
		} else {
			break
		}
	}
	return len(b), nil
}
