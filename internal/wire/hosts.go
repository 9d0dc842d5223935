package wire

import (
	"fmt"
	"io"
	"strings"
)

// Hosts writes the addresses as a hosts file: an address, its full name where
// there is a domain, and its short name.
func Hosts(w io.Writer, all []Named, domain string) {
	for _, n := range all {
		names := n.Name
		if domain != "" {
			names = n.Name + "." + strings.TrimSuffix(domain, ".") + " " + n.Name
		}
		fmt.Fprintf(w, "%-39s %s\n", n.Address.Addr(), names)
	}
}
