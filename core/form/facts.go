// Package form turns what is known of a device into the text of its gear's own language, and such text into what is known of a
// device: by a form, which is that text with slots in place of values, written by a user or learnt from a text.
package form

// Kind is the kind of thing a line of a form may be about.
type Kind uint8

// The kinds of things; the device is what all others lie in.
const (
	Device Kind = iota
	VLAN
	Interface
	Route
	Address      // of an interface
	TaggedVLAN   // one VLAN that a port carries tagged
	UntaggedPort // one port that carries a VLAN untagged
	TaggedPort   // one port that carries a VLAN tagged
	Neighbour    // an address whose MAC is known
	Learned      // a MAC seen behind a port
	Link         // who says that it is at the other end of a cable
	kinds        // how many there are
)

func (k Kind) String() string { return kindNames[k] }

var kindNames = [kinds]string{"device", "vlan", "interface", "route", "address", "tagged-vlan", "untagged-port", "tagged-port", "neighbour",
	"learned-mac", "link"}

// parents say what a thing of each kind lies in; the device in nothing.
var parents = [kinds]Kind{Device, Device, Device, Device, Interface, Interface, VLAN, VLAN, Device, Device, Device}

// under tells whether things of a kind are, or lie in, those of another.
func (k Kind) under(of Kind) bool {
	for k != of {
		if k == Device {
			return false
		}
		k = parents[k]
	}
	return true
}

// child is the kind on the way from a kind down to this one, just below it.
func (k Kind) child(of Kind) Kind {
	for parents[k] != of {
		k = parents[k]
	}
	return k
}

// Type is what the values of a fact are.
type Type uint8

// The types of values.
const (
	Name    Type = iota // a word without blanks
	Number              // of decimal digits
	Text                // any words
	Addr                // an address
	Length              // the length of a prefix
	Words               // one of the fact's few values
	Names               // a list of names
	Numbers             // a list of numbers
	MAC                 // an address of IEEE 802
	Speed               // bits a second
)

// Fact is one thing that may be known of a thing of a kind. A slot of a form has its name.
type Fact struct {
	Name  string
	Of    Kind
	Type  Type
	Key   bool     // it tells a thing from others of its kind
	Words []string // of Words: the values it may have
	Unset string   // the value that holds where nothing is said; "" where there is none
	Must  bool     // a line that does not say it is not written of what has another value than Unset: it would say another thing
	Means string
}

// Facts lists all facts, by the kind of thing. All that is written, read and learnt walks this table.
var Facts = []Fact{
	{Name: "device", Of: Device, Key: true, Means: "The device's name."},

	{Name: "vlan", Of: VLAN, Type: Number, Key: true, Means: "A VLAN's number."},
	{Name: "vlan-name", Of: VLAN, Means: "The VLAN's name: the segment's, in the plan. It is written, and not compared."},
	{Name: "untagged-ports", Of: VLAN, Type: Names, Means: "The ports that carry the VLAN untagged, as a list."},
	{Name: "tagged-ports", Of: VLAN, Type: Names, Means: "The ports that carry the VLAN tagged, as a list."},
	{Name: "untagged-port", Of: UntaggedPort, Key: true, Means: "One port that carries the VLAN untagged; a line for each."},
	{Name: "tagged-port", Of: TaggedPort, Key: true, Means: "One port that carries the VLAN tagged; a line for each."},

	{Name: "interface", Of: Interface, Key: true, Means: "An interface's name."},
	{Name: "kind", Of: Interface, Type: Words, Words: []string{"port", "loopback", "vlan", "subinterface", "group", "serial"},
		Means: "What kind of interface it is."},
	{Name: "note", Of: Interface, Type: Text, Means: "The interface's note."},
	{Name: "admin", Of: Interface, Type: Words, Words: []string{"up", "down"}, Means: "Whether it is set to be up."},
	{Name: "oper", Of: Interface, Type: Words, Words: []string{"up", "down"}, Means: "Whether it is up."},
	{Name: "mtu", Of: Interface, Type: Number, Means: "The largest packet in bytes."},
	{Name: "mac", Of: Interface, Type: MAC, Means: "Its MAC address."},
	{Name: "speed", Of: Interface, Type: Speed, Means: "Its speed in bits a second; `{speed in M}`: in millions of them."},
	{Name: "duplex", Of: Interface, Type: Words, Words: []string{"full", "half"}, Means: "Whether both ends may send at once."},
	{Name: "group", Of: Interface, Means: "The group a port is a member of."},
	{Name: "members", Of: Interface, Type: Names, Means: "The members of a group, as a list."},
	{Name: "tag", Of: Interface, Type: Number, Means: "The VLAN of a VLAN interface or subinterface."},
	{Name: "parent", Of: Interface, Means: "The interface that a subinterface is of."},
	{Name: "untagged", Of: Interface, Type: Number, Means: "The VLAN that a port carries untagged."},
	{Name: "tagged", Of: Interface, Type: Numbers, Means: "The VLANs that a port carries tagged, as a list."},
	{Name: "tagged-vlan", Of: TaggedVLAN, Type: Number, Key: true, Means: "One VLAN that a port carries tagged; a line for each."},

	{Name: "address", Of: Address, Type: Addr, Key: true, Means: "An address of the interface."},
	{Name: "length", Of: Address, Type: Length, Means: "Its prefix length; `{mask}` is the same as a mask, `{inverse}` as an inverse mask."},
	{Name: "family", Of: Address, Type: Words, Words: []string{"ipv4", "ipv6"}, Means: "The family of the address."},
	{Name: "secondary", Of: Address, Type: Words, Words: []string{"no", "yes"}, Unset: "no",
		Means: "Whether another address of the interface and family stands before it."},

	{Name: "destination", Of: Route, Type: Addr, Key: true, Means: "The network address a route leads to."},
	{Name: "length", Of: Route, Type: Length, Means: "The destination's prefix length; `{mask}` and `{inverse}` as of an address."},
	{Name: "family", Of: Route, Type: Words, Words: []string{"ipv4", "ipv6"}, Means: "The family of the destination."},
	{Name: "next-hop", Of: Route, Type: Addr, Means: "The next hop's address."},
	{Name: "out", Of: Route, Means: "The interface a route leaves by."},
	{Name: "discard", Of: Route, Type: Words, Words: []string{"no", "yes"}, Unset: "no",
		Means: "Whether what the route matches is thrown away."},
	{Name: "distance", Of: Route, Type: Number, Unset: "1", Must: true, Means: "The route's administrative distance."},
	{Name: "metric", Of: Route, Type: Number, Unset: "0", Means: "The route's metric."},
	{Name: "table", Of: Route, Must: true, Means: "The table the route stands in; none is the main one."},
	{Name: "source", Of: Route, Type: Words, Words: []string{"static", "direct", "local", "learned"},
		Means: "Where the device has the route from."},
	{Name: "active", Of: Route, Type: Words, Words: []string{"no", "yes"}, Means: "Whether the route is in use."},

	{Name: "neighbour", Of: Neighbour, Type: Addr, Key: true, Means: "An address that the device knows the MAC address of."},
	{Name: "mac", Of: Neighbour, Type: MAC, Means: "The neighbour's MAC address."},
	{Name: "out", Of: Neighbour, Means: "The interface the neighbour is behind."},
	{Name: "learned-mac", Of: Learned, Type: MAC, Key: true, Means: "A MAC address seen behind a port."},
	{Name: "out", Of: Learned, Means: "The port it was seen behind."},
	{Name: "in-vlan", Of: Learned, Type: Number, Means: "The VLAN it was seen in."},
	{Name: "link-port", Of: Link, Key: true, Means: "The port at whose cable a neighbour says that it is."},
	{Name: "far-device", Of: Link, Means: "What that neighbour calls itself."},
	{Name: "far-port", Of: Link, Means: "What it calls its port."},
}

// factNamed finds a fact of a kind, nil where it has none of that name.
func factNamed(of Kind, name string) *Fact {
	for i := range Facts {
		if Facts[i].Of == of && Facts[i].Name == name {
			return &Facts[i]
		}
	}
	return nil
}

// keys are the facts that tell things of a kind apart.
var keys = func() (all [kinds]*Fact) {
	for i := range Facts {
		if Facts[i].Key {
			all[Facts[i].Of] = &Facts[i]
		}
	}
	return all
}()
