// Package observed holds what devices say of themselves: interfaces, addresses,
// routes, neighbours. What is not known is never taken to be absent.
package observed

import (
	"net/netip"
	"slices"

	"ropeswing/core/prefix"
)

// Part is a kind of thing a source tells of a device. What no source told of is not
// known.
type Part string

const (
	Interfaces Part = "interfaces" // which there are, and their state
	Addresses4 Part = "addresses4" // of IPv4
	Addresses6 Part = "addresses6" // of IPv6
	VLANs      Part = "vlans"      // which ports carry which
	Routes4    Part = "routes4"    // of IPv4, all tables that are listed
	Routes6    Part = "routes6"    // of IPv6
	Standby    Part = "standby"    // which routes stand by, beside those in use
	Neighbours Part = "neighbours" // ARP and neighbour entries
	MACs       Part = "macs"       // which MAC is behind which port
	Links      Part = "links"      // which device says that it is at the other end of a cable
)

// Parts lists every part, in the order in which they are told.
var Parts = []Part{Interfaces, Addresses4, Addresses6, VLANs, Routes4, Routes6, Standby, Neighbours, MACs, Links}

// Device is what one device says of itself, from one or several sources.
type Device struct {
	Name       string      `json:"device"`
	Sources    []Source    `json:"sources"`
	Known      []Part      `json:"known"` // what the sources told of, wholly
	Interfaces []Interface `json:"interfaces,omitempty"`
	Routes     []Route     `json:"routes,omitempty"`
	Neighbours []Neighbour `json:"neighbours,omitempty"`
	MACs       []MACEntry  `json:"macs,omitempty"`
	Links      []Link      `json:"links,omitempty"`

	Started    string `json:"started,omitempty"`     // when it started last, RFC 3339; "" where it does not tell
	ClockAhead int64  `json:"clock_ahead,omitempty"` // seconds by which its clock is ahead of the one of who asked; less than 0 behind

	MainTableOnly bool `json:"main_table_only,omitempty"` // the routes that are known are those of the main table

	Instances []Instance `json:"-"` // of static routes, where the source names them

	index   map[string]int // of the interfaces, by name; of a device with many
	doubted []Part         // something of these was not understood
}

// Source is where something was read from.
type Source struct {
	File   string `json:"file"`
	Format string `json:"format"`
	Taken  string `json:"taken,omitempty"` // RFC 3339; "" where it is not known
	Saved  bool   `json:"saved,omitempty"` // the saved configuration, not the running one
}

// Status is up, down, or "" where it is not known.
type Status string

const (
	Up   Status = "up"
	Down Status = "down"
)

// Interface is one interface as found. Empty fields are not known.
type Interface struct {
	Name        string    `json:"name"`
	Admin       Status    `json:"admin_status,omitempty"`
	Oper        Status    `json:"oper_status,omitempty"`
	Type        string    `json:"type,omitempty"`
	MTU         int       `json:"mtu,omitempty"` // bytes
	MAC         string    `json:"mac,omitempty"`
	Description string    `json:"description,omitempty"`
	Speed       int64     `json:"speed,omitempty"`  // bits a second
	Duplex      string    `json:"duplex,omitempty"` // full or half
	Addresses   []Address `json:"addresses,omitempty"`
	Untagged    *int      `json:"untagged,omitempty"` // VLAN of untagged frames; 0 is none
	Tagged      []int     `json:"tagged,omitempty"`
	Group       *string   `json:"group,omitempty"`  // that the port is a member of; "" is none
	VLAN        int       `json:"vlan,omitempty"`   // of a subinterface or VLAN interface; 0 where it is not told
	Parent      string    `json:"parent,omitempty"` // of a subinterface; "" where it is not told

	has map[netip.Prefix]bool // its addresses, once there are many
}

// Address is an address with its length.
type Address struct {
	netip.Prefix
	Origin    string // such as static, dhcp, link-layer; "" where it is not known
	Secondary bool
}

// Route is one route as found.
type Route struct {
	Table     string       `json:"table,omitempty"` // "" is the main one
	To        netip.Prefix `json:"destination"`
	NextHop   netip.Addr   `json:"next_hop,omitzero"`
	Interface string       `json:"interface,omitempty"`
	Discard   bool         `json:"discard,omitempty"`
	Source    string       `json:"source,omitempty"` // direct, local, static, learned; or "" where it is not known
	Distance  *int         `json:"distance,omitempty"`
	Metric    *int         `json:"metric,omitempty"`
	Active    *bool        `json:"active,omitempty"` // in use
}

// Neighbour is an address that a device knows the MAC of.
type Neighbour struct {
	Address   netip.Addr `json:"address"`
	MAC       string     `json:"mac,omitempty"`
	Interface string     `json:"interface,omitempty"`
}

// MACEntry is a MAC that a switch has seen behind a port.
type MACEntry struct {
	MAC       string `json:"mac"`
	Interface string `json:"interface"`
	VLAN      int    `json:"vlan,omitempty"`
}

// Link is who says that it is at the other end of the cable of a port (IEEE 802.1AB).
type Link struct {
	Interface string `json:"interface"`
	Device    string `json:"device"` // as it calls itself
	Port      string `json:"port,omitempty"`
}

// Clone is a copy that shares nothing with the device.
func (d *Device) Clone() *Device {
	c := *d
	c.index, c.Sources, c.Known, c.doubted = nil, slices.Clone(d.Sources), slices.Clone(d.Known), slices.Clone(d.doubted)
	c.Routes, c.Neighbours, c.MACs, c.Links = slices.Clone(d.Routes), slices.Clone(d.Neighbours), slices.Clone(d.MACs), slices.Clone(d.Links)
	c.Interfaces = slices.Clone(d.Interfaces)
	for i := range c.Interfaces {
		x := &c.Interfaces[i]
		x.Addresses, x.Tagged, x.has = slices.Clone(x.Addresses), slices.Clone(x.Tagged), nil
	}
	return &c
}

// Knows tells whether a part was told of.
func (d *Device) Knows(p Part) bool { return slices.Contains(d.Known, p) }

// Saved tells whether all that is known of it is its saved configuration.
func (d *Device) Saved() bool {
	return len(d.Sources) > 0 && !slices.ContainsFunc(d.Sources, func(s Source) bool { return !s.Saved })
}

// Renews tells whether it is read from all the files again that another word of the
// device was read from: then nothing of that is left.
func (d *Device) Renews(o *Device) bool {
	return !slices.ContainsFunc(o.Sources, func(s Source) bool {
		return !slices.ContainsFunc(d.Sources, func(x Source) bool { return x.File == s.File && x.Saved == s.Saved })
	})
}

// Learn notes that a part was told of.
func (d *Device) Learn(parts ...Part) {
	for _, p := range parts {
		if !d.Knows(p) && !slices.Contains(d.doubted, p) {
			d.Known = append(d.Known, p)
		}
	}
	slices.SortFunc(d.Known, func(a, b Part) int { return slices.Index(Parts, a) - slices.Index(Parts, b) })
}

// Doubt notes that something of a part was told, and not understood: the part is not
// known wholly, whatever else tells of it.
func (d *Device) Doubt(parts ...Part) {
	d.doubted = append(d.doubted, parts...)
	d.Known = slices.DeleteFunc(d.Known, func(p Part) bool { return slices.Contains(parts, p) })
}

// ForgetRoutes takes back what was told of routes: another source tells more of them.
func (d *Device) ForgetRoutes() {
	d.Routes = nil
	parts := []Part{Routes4, Routes6, Standby}
	gone := func(p Part) bool { return slices.Contains(parts, p) }
	d.Known, d.doubted = slices.DeleteFunc(d.Known, gone), slices.DeleteFunc(d.doubted, gone)
}

// Tells tells whether a part was told of, wholly or not.
func (d *Device) Tells(p Part) bool { return d.Knows(p) || slices.Contains(d.doubted, p) }

// fewInterfaces are so few that going through them is quicker than an index.
const fewInterfaces = 32

// Interface finds an interface by name, or adds it.
func (d *Device) Interface(name string) *Interface {
	n := len(d.Interfaces)
	if n < fewInterfaces {
		for i := range d.Interfaces {
			if d.Interfaces[i].Name == name {
				return &d.Interfaces[i]
			}
		}
	} else {
		if len(d.index) != n {
			d.index = make(map[string]int, 2*n)
			for i := range d.Interfaces {
				d.index[d.Interfaces[i].Name] = i
			}
		}
		if i, ok := d.index[name]; ok {
			return &d.Interfaces[i]
		}
		d.index[name] = n
	}
	d.Interfaces = append(d.Interfaces, Interface{Name: name})
	return &d.Interfaces[n]
}

// Add adds an address, once.
func (i *Interface) Add(a Address) {
	if len(i.Addresses) < fewAddresses {
		if !slices.ContainsFunc(i.Addresses, func(b Address) bool { return a.Prefix == b.Prefix }) {
			i.Addresses = append(i.Addresses, a)
		}
		return
	}
	if len(i.has) != len(i.Addresses) {
		i.has = make(map[netip.Prefix]bool, 2*len(i.Addresses))
		for _, b := range i.Addresses {
			i.has[b.Prefix] = true
		}
	}
	if !i.has[a.Prefix] {
		i.has[a.Prefix] = true
		i.Addresses = append(i.Addresses, a)
	}
}

// fewAddresses is up to how many addresses are looked through one by one.
const fewAddresses = 16

// Merge takes in what another source says of the same device. What it tells of wholly
// replaces what was known of that; what it leaves open stays.
func (d *Device) Merge(o *Device) {
	for _, s := range o.Sources { // the same file read again takes the place of what it was
		d.Sources = slices.DeleteFunc(d.Sources, func(x Source) bool { return x.File == s.File && x.Saved == s.Saved })
		d.Sources = append(d.Sources, s)
	}
	set(&d.Started, o.Started)
	set(&d.ClockAhead, o.ClockAhead)
	for i := range o.Interfaces {
		from := &o.Interfaces[i]
		into := d.Interface(from.Name)
		set(&into.Admin, from.Admin)
		set(&into.Oper, from.Oper)
		set(&into.Type, from.Type)
		set(&into.MTU, from.MTU)
		set(&into.MAC, from.MAC)
		set(&into.Description, from.Description)
		set(&into.Speed, from.Speed)
		set(&into.Duplex, from.Duplex)
		set(&into.Group, from.Group)
		if from.Untagged != nil {
			into.Untagged, into.Tagged = from.Untagged, from.Tagged
		} else if from.Tagged != nil {
			into.Tagged = from.Tagged
		}
	}
	for _, family := range prefix.Families {
		part := Addresses6
		if family == prefix.IPv4 {
			part = Addresses4
		}
		if o.Tells(part) && d.Knows(part) {
			for i := range d.Interfaces {
				d.Interfaces[i].Addresses = slices.DeleteFunc(d.Interfaces[i].Addresses,
					func(a Address) bool { return prefix.FamilyOf(a.Addr()) == family })
			}
		}
	}
	for i := range o.Interfaces {
		for _, a := range o.Interfaces[i].Addresses {
			d.Interface(o.Interfaces[i].Name).Add(a)
		}
	}
	for _, family := range prefix.Families {
		part := Routes6
		if family == prefix.IPv4 {
			part = Routes4
		}
		if o.Tells(part) {
			d.Routes = slices.DeleteFunc(d.Routes, func(r Route) bool { return prefix.FamilyOf(r.To.Addr()) == family })
		}
	}
	d.Routes = append(d.Routes, o.Routes...)
	d.Instances = append(d.Instances, o.Instances...)
	if o.Tells(Routes4) || o.Tells(Routes6) {
		d.MainTableOnly = o.MainTableOnly
	}
	if o.Tells(Neighbours) {
		d.Neighbours = nil
	}
	d.Neighbours = append(d.Neighbours, o.Neighbours...)
	if o.Tells(MACs) {
		d.MACs = nil
	}
	d.MACs = append(d.MACs, o.MACs...)
	if o.Tells(Links) {
		d.Links = nil
	}
	d.Links = append(d.Links, o.Links...)
	d.doubted = slices.DeleteFunc(d.doubted, o.Knows) // told anew, and wholly
	d.Learn(o.Known...)
	d.Doubt(o.doubted...)
}

func set[T comparable](into *T, from T) {
	var none T
	if from != none {
		*into = from
	}
}
