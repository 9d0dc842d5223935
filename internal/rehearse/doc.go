// Package rehearse makes a plan's network of the kernel's own forwarding: a network
// namespace for each device, wires between them, addresses, routes, permits and
// translations, and probes that work its watches. Nothing of it has a name in the
// system: it is gone with the program, however that ends.
package rehearse

import "errors"

// MostDevices is how many devices are made at most.
const MostDevices = 500

// ErrNotPossible is that this system cannot make the network.
var ErrNotPossible = errors.New("a rehearsal is not possible here")
