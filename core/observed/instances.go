package observed

import "net/netip"

// Instance is an instance of the static routing protocol as a device has it set (RFC 8349 §6), by the name it has there: what is set or
// taken away of its routes has to name it.
type Instance struct {
	Name             string
	Table            string // "" is the main one
	Distance, Metric int    // of all its routes; 1 and 0 where nothing is said
	To               []netip.Prefix
}
