// Package demo holds the Skerry Lights scenario: a small invented network, as
// planned and as found on a bad morning.
package demo

import (
	"embed"
	"io/fs"
)

//go:embed skerry-lights
var files embed.FS

// Plan, BadMorning and MovingDay are the plans' paths in Files: as planned, as found, and as
// it is to be once a subnet and a carrier have moved.
const (
	Plan       = "skerry.plan.yaml"
	BadMorning = "bad-morning/skerry.plan.yaml"
	MovingDay  = "moving-day/skerry.plan.yaml"
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
