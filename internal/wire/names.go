// Package wire speaks the formats of the outside world.
package wire

import (
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strings"
	"sync"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Named is an address and the names it goes by.
type Named struct {
	Address netip.Prefix // with its length
	Name    string       // within the domain
	Main    bool         // the address its device is known by
}

// Names gives every address of the plan's own devices a name: the address a
// device is known by has the device's, the others INTERFACE.DEVICE. Names are
// made of letters, digits and hyphens (RFC 952, RFC 1123 §2.1). It is an error
// where two devices, or two interfaces of one, come to the same name.
// What is leased or made of what a router advertises is only likely, and has no name: those who are left out are listed.
func Names(spec *model.Spec) (all []Named, likely []string, err error) {
	owners := map[string]string{}
	claim := func(name, owner string) error {
		if first, taken := owners[name]; taken && first != owner {
			return fmt.Errorf("%s and %s would both be called %s; rename one of them", first, owner, name)
		}
		owners[name] = owner
		return nil
	}
	for d := range spec.Devices {
		device := &spec.Devices[d]
		if device.Kind == model.World {
			continue // whose machines are not ours to name
		}
		name := hostLabel(device.Name)
		if err := claim(name, device.Name); err != nil {
			return nil, nil, err
		}
		main := [2]netip.Addr{spec.MainAddress(model.DeviceID(d), prefix.IPv4), spec.MainAddress(model.DeviceID(d), prefix.IPv6)}
		for _, id := range spec.InterfacesOf(model.DeviceID(d)) {
			i := &spec.Interfaces[id]
			for _, a := range i.Addresses {
				if a.Addr().IsLinkLocalUnicast() {
					continue
				}
				if a.Varies() {
					if !slices.Contains(likely, device.Name) {
						likely = append(likely, device.Name)
					}
					continue
				}
				if a.Addr() == main[0] || a.Addr() == main[1] {
					all = append(all, Named{a.Prefix, name, true})
					continue
				}
				own := hostLabel(i.Name) + "." + name
				if err := claim(own, spec.Label(id)); err != nil {
					return nil, nil, err
				}
				all = append(all, Named{a.Prefix, own, false})
			}
		}
	}
	return all, likely, nil
}

// label is one part of a domain's name: letters, digits, hyphens within, and the underscores
// that some domains have (RFC 1123 §2.1, RFC 8552).
var label = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[A-Za-z0-9_]([A-Za-z0-9_-]{0,61}[A-Za-z0-9_])?$`) })

// CheckDomain refuses what is no domain's name.
func CheckDomain(name string) error {
	bare := strings.TrimSuffix(name, ".")
	if len(bare) > 253 || slices.ContainsFunc(strings.Split(bare, "."), func(l string) bool { return !label().MatchString(l) }) {
		return fmt.Errorf("%q is no domain name; write one such as skerry.example", name)
	}
	return nil
}

// hostLabel is a name with everything that a host name may not hold turned into
// hyphens.
func hostLabel(name string) string {
	own := strings.Map(func(c rune) rune {
		switch {
		case c >= 'a' && c <= 'z', c >= '0' && c <= '9', c == '-':
			return c
		case c >= 'A' && c <= 'Z':
			return c - 'A' + 'a'
		}
		return '-'
	}, name)
	if own = strings.Trim(own, "-"); own == "" {
		own = "x"
	}
	return own
}
