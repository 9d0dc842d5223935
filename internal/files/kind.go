package files

import (
	"bytes"
	"strings"
)

// Kind is what a file of ours holds.
type Kind string

// The kinds of files that ropeswing writes, and Other for what is none of them.
const (
	PlanFile    Kind = "a plan"
	LedgerFile  Kind = "a ledger"
	StateFile   Kind = "a state"
	AnswersFile Kind = "kept answers"
	CaptureFile Kind = "a capture"
	MapFile     Kind = "a column map"
	Picture     Kind = "a picture"
	Page        Kind = "a report"
	ManualPage  Kind = "a page of the manual"
	Other       Kind = "another file"
)

// KindOf tells by its beginning, and by its name, what a file holds.
func KindOf(name string, text []byte) Kind {
	start := text[:min(len(text), 4096)]
	line := func(key string) bool {
		return bytes.HasPrefix(start, []byte(key)) || bytes.Contains(start, []byte("\n"+key))
	}
	switch {
	case bytes.HasPrefix(start, []byte("\x0a\x0d\x0d\x0a")):
		return CaptureFile
	case bytes.HasPrefix(start, []byte("\x89PNG")), bytes.HasPrefix(start, []byte("<svg")), bytes.HasPrefix(start, []byte("%PDF")):
		return Picture
	case bytes.Contains(start, []byte(".TH")) && (strings.HasSuffix(name, ".1") || strings.HasSuffix(name, ".7")):
		return ManualPage
	case bytes.HasPrefix(start, []byte("<!DOCTYPE html>")) && bytes.Contains(start, []byte(": report</title>")):
		return Page
	case bytes.HasPrefix(start, []byte("ropeswing-ledger")) || strings.HasSuffix(name, ".ledger"):
		return LedgerFile
	case line("ropeswing-map:"):
		return MapFile
	case line("ropeswing:") || strings.HasSuffix(name, ".plan.yaml"):
		return PlanFile
	case bytes.Contains(start, []byte(`"ropeswing_observed"`)):
		return StateFile
	case bytes.Contains(start, []byte(`"ropeswing_answers"`)):
		return AnswersFile
	}
	return Other
}
