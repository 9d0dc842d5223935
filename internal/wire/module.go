package wire

import _ "embed"

//go:embed yang/ropeswing-device@2026-11-29.yang
var deviceYANG string

// Module is the text of a YANG module of this program's own, by its name.
func Module(name string) (text string, ok bool) {
	return deviceYANG, name == deviceModule
}
