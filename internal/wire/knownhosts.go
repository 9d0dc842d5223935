package wire

import "golang.org/x/crypto/ssh/knownhosts"

// KnownHost is the line of a file of known hosts for a key at an address, which may have a port.
func KnownHost(address, key string) string { return knownhosts.Normalize(address) + " " + key }
