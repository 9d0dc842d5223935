// Package demo holds the Skerry Lights scenario: a small invented network, as
// planned and as found on a bad morning.
package demo

import (
	"embed"
	"io/fs"
)

//go:embed skerry-lights
var files embed.FS

// Plan and BadMorning are the two plans' paths in Files.
const (
	Plan       = "skerry.plan.yaml"
	BadMorning = "bad-morning/skerry.plan.yaml"
	Seen       = "bad-morning/seen" // what devices said on that morning
)

// Files is the scenario's folder.
func Files() fs.FS {
	sub, err := fs.Sub(files, "skerry-lights")
	if err != nil {
		panic(err) // the folder is part of the program
	}
	return sub
}
