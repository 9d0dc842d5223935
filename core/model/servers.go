package model

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// ServerKind is what a server is asked for.
type ServerKind uint8

// The kinds of servers that a device is told.
const (
	NameServers ServerKind = iota
	TimeServers
	LogServers
)

// ServerKinds are all of them.
var ServerKinds = [...]ServerKind{NameServers, TimeServers, LogServers}

// Key is the key of the plan that says which servers of a kind a device is told.
func (k ServerKind) Key() string {
	return [...]string{"name-servers", "time-servers", "log-servers"}[k]
}

// Service is what such a server is asked over: DNS (RFC 1035), NTP (RFC 5905), syslog (RFC 5426).
func (k ServerKind) Service() Service {
	port := [...]uint16{53, 123, 514}[k]
	return Service{Protocol: UDP, First: port, Last: port}
}

// Server is a server that a device is told, by its address.
type Server struct {
	netip.Addr
	Place source.Place // where the plan says so; not known of one that was found
}

// servers works out which servers each device is told: its own, else those of the blocks it takes its loopback from,
// else those of the plan.
// Hosts are told only what stands at themselves.
func (r *resolver) servers() {
	pick := func(s *plan.Servers, k ServerKind) []plan.Text { return [...][]plan.Text{s.Names, s.Times, s.Logs}[k] }
	for n := range r.spec.Devices {
		d, written := &r.spec.Devices[n], &r.doc.Devices[n]
		for _, kind := range ServerKinds {
			words := pick(&written.Servers, kind)
			if len(words) == 0 && d.Kind != Host && d.Kind != World {
				for _, b := range d.From {
					if i := slices.IndexFunc(r.doc.Blocks, func(x plan.Block) bool { return x.Name.Value == r.spec.Blocks[b].Name }); i >= 0 {
						words = append(slices.Clone(words), pick(&r.doc.Blocks[i].Servers, kind)...)
					}
				}
				if len(words) == 0 {
					words = pick(&r.doc.Servers, kind)
				}
			}
			for _, t := range words {
				a, ok := r.server(t, kind)
				same := func(s Server) bool { return s.Addr == a }
				if ok && !r.spec.owns(DeviceID(n), a) && !slices.ContainsFunc(d.Servers[kind], same) {
					d.Servers[kind] = append(d.Servers[kind], Server{a, t.Place})
				}
			}
		}
	}
}

// server is the address of a server: of a device the IPv4 address it is known by, or where it has none the IPv6 one.
func (r *resolver) server(t plan.Text, kind ServerKind) (netip.Addr, bool) {
	if d, ok := r.spec.devices[t.Value]; ok {
		r.spec.Devices[d].Asked[kind] = true
		for _, family := range prefix.Families {
			if a := r.spec.MainAddress(d, family); a.IsValid() {
				return a, true
			}
		}
		r.report(finding.New(finding.BadValue, t.Place, "%s has no address to be asked at", t.Value).About(t.Value).
			Mend("give %s an address, or name another", t.Value))
		return netip.Addr{}, false
	}
	a, err := prefix.ParseAddress(t.Value)
	if err != nil || a.Zone() != "" {
		f := finding.New(finding.UnknownName, t.Place, "%s is neither a device nor an address", t.Value).About(kind.Key())
		if near, ok := finding.Nearest(t.Value, keysOf(r.spec.devices)()); ok {
			f = f.Mend("did you mean %s?", near)
		}
		r.report(f)
		return a, false
	}
	return a, true
}

// owns tells whether an address is one of a device.
func (s *Spec) owns(d DeviceID, a netip.Addr) bool {
	return slices.ContainsFunc(s.InterfacesOf(d), func(id InterfaceID) bool { return s.Interfaces[id].Has(a) })
}

// serverKey is the servers of a kind as a key of a device.
func serverKey(kind ServerKind) DeviceKey {
	return DeviceKey{
		Name: kind.Key(), List: true,
		Says: func(d *Device) string {
			words := make([]string, len(d.Servers[kind]))
			for i, s := range d.Servers[kind] {
				words[i] = s.String()
			}
			return strings.Join(words, ", ")
		},
		Set: func(d *Device, value string) error {
			var all []Server
			for _, word := range listOf(value) {
				a, err := netip.ParseAddr(word)
				if err != nil {
					return fmt.Errorf("%s is no address", word)
				}
				all = append(all, Server{Addr: a})
			}
			d.Servers[kind] = all
			return nil
		},
	}
}
