package standin

import _ "embed"

// Gear is the file by which the lists of a stand-in are asked for and read.
//
//go:embed lists.gear.yaml
var Gear []byte
