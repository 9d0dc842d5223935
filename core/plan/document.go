// Package plan reads the plan file, the one thing the engineer writes, into a
// Document that remembers where in the file everything stands, and edits the
// file's bytes so that layout and comments survive.
package plan

import (
	"slices"

	"ropeswing/core/source"
)

// Version is the version of the plan format this package reads.
const Version = 1

// Text is a word of the plan and where it stands. Its value is the text as
// written, never what YAML would make of it: a device may be called 10.10.
type Text struct {
	Value string
	Place source.Place
}

// Written tells whether the word stands in the plan at all.
func (t Text) Written() bool { return t.Place.Known() }

// Number is a whole number of the plan and where it stands.
type Number struct {
	Value int
	Place source.Place
}

// Written tells whether the number stands in the plan at all.
func (n Number) Written() bool { return n.Place.Known() }

// Switch is a true or false of the plan and where it stands.
type Switch struct {
	Value bool
	Place source.Place
}

// Or is the switch's value, or the given one where it is not written.
func (s Switch) Or(otherwise bool) bool {
	if s.Place.Known() {
		return s.Value
	}
	return otherwise
}

// Document is a plan as written: words and places, nothing worked out yet.
// Everything is in the order of the file.
type Document struct {
	File       *source.File // the plan's own; places may be in files it includes
	Name       Text
	Operator   Text
	Settings   Settings
	VLANs      []Text // ranges that 'vlan: auto' takes from
	Blocks     []Block
	Segments   []Segment
	Devices    []Device
	Cables     []Cable
	Wants      Wants
	Groups     []Group
	Accepts    []Accept
	Access     []Access
	KnownHosts Text    // a file
	Servers    Servers // of all devices that say no others
	MustSaid   Switch  // a must is there, though it may be empty
	Must       []Text  // sentences such as 'desk-7 reaches tern-cam'

	parts []part // the plan's own file, then those it includes
}

// Files lists the plan's own file and those it includes.
func (d *Document) Files() []*source.File {
	var all []*source.File
	for _, p := range d.parts {
		all = append(all, p.file)
	}
	return all
}

// Settings are the behaviours in which makes of equipment differ.
type Settings struct {
	ResolveThroughDefault  Switch
	VLANInterfaceNeedsPort Switch
	AnswersWithoutLink     Switch
	ProbesByTable          Switch
	FirstSource            Switch
	ErrorSource            Text            // of both families
	ErrorSourceOf          map[string]Text // by family, as the plan writes it
	SpanningTree           Text
	TreeRoot               Text
	PortsStart             Text
	PortsStartOf           map[string]Text // by kind of device
	DefaultVLAN            Number
}

// Servers are those that devices are told to ask, each a device or an address: for names, for the time, and to be sent logs.
type Servers struct{ Names, Times, Logs []Text }

// All are all of them.
func (s *Servers) All() []Text { return slices.Concat(s.Names, s.Times, s.Logs) }

// Group is a name for several segments, devices, addresses or other groups.
type Group struct {
	Name Text
	Of   []Text
	Made bool // from a pattern
}

// Wants is what static routes are to be derived for.
type Wants struct {
	Place     source.Place // known where the plan wants anything derived
	Reach     []Text       // 'all', or sentences such as 'quay-staff to tern-watch'
	World     []Text       // 'all', 'none', or segments
	Carriers  []Text       // devices of the world, the preferred first
	Protect   Text         // 'none', 'own', 'links' or 'devices'
	Stretch   Text         // a whole number
	Links     Switch
	Summarise Switch
	LeaveOut  []Text // devices that keep to what is written
}

// Block is address space the plan may use.
type Block struct {
	Name         Text
	Prefixes     []Text
	From         []Text // the blocks it is taken from
	Lengths      []Number
	Grow         Number // percent
	Alike        Text
	SubnetNumber Text
	Keep         []Text // what of it is not to be assigned yet
	Servers      Servers
	Note         Text
	Made         bool // from a pattern
}

// Segment is one broadcast domain. What it needs stands beside what it has.
type Segment struct {
	Name         Text
	VLAN         Number
	VLANAuto     Switch
	Prefixes     []Text
	Hosts        Number
	Grow         Number // percent
	PointToPoint Switch
	Lengths      []Number
	From         []Text
	Identifier   Text
	Gateway      []Text
	Leases       []Lease
	Note         Text
	Made         bool // from a pattern
}

// Lease is a range of addresses that hosts lease.
type Lease struct {
	Range   Text
	By      Text
	Gateway Text
}

// Device is anything with ports.
type Device struct {
	Name        Text
	Is          Text
	At          Text
	Segment     Text // of a device with At: which it is meant for
	Addresses   []Text
	Gateway     []Text
	RoutesSaid  Switch // routes are there, though they may be none
	Loopback    []Text
	LoopbackOn  Switch // 'loopback: true'
	From        []Text
	Forwards    Switch
	Beyond      []Text
	Manage      Text
	Answers     []Text
	Silent      Text // 'silent', where nobody answers there
	Until       Text // the last day of it, YYYY-MM-DD; "" is always
	Interfaces  []Interface
	Routes      []Route
	Tables      []RouteTable
	Permits     []Permit // of what passes through
	OwnPermits  []Permit // of what is for the device itself, or from it
	Otherwise   Text     // what becomes of what no permit matches
	KeepsState  Switch
	SharesState Text   // the device that it shares its table of states with
	Translates  []Text // sentences such as 'quay-staff shares wan0'
	Servers     Servers
	Note        Text
	Made        bool // from a pattern
}

// Permit is one sentence of what a device lets pass.
type Permit struct {
	Sentence Text // such as 'quay-staff may reach log-server over tcp/443'
	In, Out  []Text
	Pending  Switch
	Note     Text
}

// Interface is one interface of a device, or a range of switch ports.
type Interface struct {
	Name       Text
	Made       bool // from a pattern
	Segment    Text
	VLAN       Text
	Access     Text
	Tagged     []Text
	Untagged   Text
	Addresses  []Text
	Secondary  []Text
	LinkLocal  Text
	MAC        Text
	Borrow     Text
	Prefer     Text
	Virtual    []Text
	Priority   Number
	Follows    []Text
	Table      Text
	Members    []Text
	Negotiates Switch
	MTU        Number
	Bandwidth  Text
	Duplex     Text
	Line       Text
	Clock      Text
	Parent     Text
	Tag        Number
	Admin      Text
	Relay      []Text
	Advertises Switch
	Note       Text
}

// Route is one destination with its next hops in order of preference.
type Route struct {
	To   Text
	Hops []Hop
	Made bool // from a pattern
}

// Hop is one way to a destination.
type Hop struct {
	Whole     source.Place // of one in its long form, on one line: all of it
	Place     source.Place
	NextHop   Text
	Out       Text
	Discard   Switch
	Distance  Number
	Metric    Number
	Watch     Text
	WatchFrom Text
}

// RouteTable is the routes of one further routing table of a device.
type RouteTable struct {
	Name   Text
	Routes []Route
}

// Cable joins two ports.
type Cable struct {
	Name  Text // not written where the cable has none
	Ends  [2]Text
	Fault Text
	Cost  Number
	Place source.Place
}
