// Package model turns a plan as written into a Spec in which everything is
// explicit: ranges written out, references resolved, places such as 'first'
// turned into addresses.
package model

import (
	"iter"
	"maps"
	"math/big"
	"net/netip"
	"slices"
	"sort"
	"strconv"

	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// Identifiers are positions in the Spec's lists. They hold within one Spec
// only; names are what lasts.
type (
	DeviceID    int32
	InterfaceID int32
	SegmentID   int32
	CableID     int32
	StaticID    int32
	BlockID     int32
)

// None is no device, interface, segment, cable or static route.
const None = -1

// VLAN is a VLAN number from 1 to 4094 (IEEE 802.1Q); 0 is untagged, or none.
type VLAN uint16

// VLANRange is VLAN numbers from First up to Last, both in it.
type VLANRange struct{ First, Last VLAN }

// Spec is a network, wholly explicit.
type Spec struct {
	Name        string
	Operator    DeviceID // None where the plan names none
	Settings    Settings
	VLANs       []VLANRange // that 'vlan: auto' takes from
	Blocks      []Block
	Segments    []Segment
	Devices     []Device
	Interfaces  []Interface    // those of one device stand together, in the devices' order
	Retired     []Retired      // of the ledger
	Claimed     []netip.Prefix // space of addresses written out with their length, and of what lies beyond
	Cables      []Cable
	Must        []Requirement
	MustSaid    bool     // the plan has a must, though it may be empty
	Wants       *Wants   // what is to be derived; nil where nothing is
	RoutesStand bool     // whatever is wanted: the routes are those that are there, and none is derived
	Statics     []Static // those of one device stand together, in the devices' order

	devices  map[string]DeviceID
	segments map[string]SegmentID
	blocks   map[string]BlockID
	cables   map[string]CableID
}

// Settings are the behaviours in which makes of equipment differ.
type Settings struct {
	ResolveThroughDefault  bool // a next hop may be found through the default route
	AnswersWithoutLink     bool // a device answers for addresses of an interface that is switched on and has no link
	VLANInterfaceNeedsPort bool // a VLAN interface is up only while a port with its VLAN is
	ProbesByTable          bool // the probe of a watched route goes where the device's own table leads it, not by the route's next hop
	FirstSource            bool // of equally good IPv6 source addresses the one written first is taken; else any may be
	// by family: ICMP errors come from the address used towards the sender, not from the interface the packet came in by
	ErrorsTowardsSender [2]bool
	Tree                Tree
	TreeRoot            DeviceID // None: the first switch
}

// Tree is how loops of switches are blocked.
type Tree uint8

const (
	SingleTree  Tree = iota // by one tree for all VLANs
	TreePerVLAN             // by one tree for each
	NoTree                  // not at all
)

// Giver is who assigned a number.
type Giver uint8

const (
	Fixed      Giver = iota // the plan, which says it
	Remembered              // an assignment before, which the ledger remembers
	Proposed                // this assignment; nothing remembers it yet
)

// Never tells whether no VLAN goes with the number of a subnet.
func (n SubnetNumber) Never(number uint64) bool {
	if n == VLANDigits {
		v, err := strconv.ParseUint(strconv.FormatUint(number, 16), 10, 64)
		return err != nil || v < 1 || v > 4094
	}
	return number < 1 || number > 4094
}

// Prefix is an address range and where it was written.
type Prefix struct {
	netip.Prefix
	Place source.Place
	Giver Giver
}

// Block is address space the plan may use.
type Block struct {
	Name         string
	Prefixes     []Prefix
	Kept         []Prefix // what is not to be assigned
	From         []BlockID
	Need         Need   // of one taken from others: lengths and growth
	Alike        string // the word of the blocks that are laid out as this one, "" where there are none
	SubnetNumber SubnetNumber
	Note         string
	Place        source.Place
}

// SubnetNumber is which subnet of length 64 of its block a segment gets.
type SubnetNumber uint8

const (
	AnySubnet  SubnetNumber = iota // the first that is free
	VLANDigits                     // the one whose number reads, in hexadecimal, as the VLAN number does in decimal
	VLANValue                      // the one whose number is the VLAN number
)

// Of is the number of the subnet that goes with a VLAN number; false where none does.
func (n SubnetNumber) Of(v VLAN) (uint64, bool) {
	switch {
	case v == 0 || n == AnySubnet:
		return 0, false
	case n == VLANValue:
		return uint64(v), true
	}
	number, err := strconv.ParseUint(strconv.Itoa(int(v)), 16, 64)
	return number, err == nil
}

// Segment is one broadcast domain as planned.
type Segment struct {
	Name       string
	VLAN       VLAN
	VLANGiver  Giver
	VLANPlace  source.Place
	Need       Need
	From       []BlockID // where its subnets are taken from
	Prefixes   []Prefix  // without host bits
	Note       string
	Identifier string // which IPv6 identifier goes with a place, as the plan writes it
	Gateways   []Gateway
	Leases     []Lease
	Own        int64        // how many addresses its routers and switches take
	HostsThere int64        // how many its hosts in the plan take
	Lead       DeviceID     // the device named as its gateway, None where none is
	Held       []netip.Addr // addresses named as its gateway
	Lent       []Lease      // addresses that stand for others, by translation
	Place      source.Place
}

// Need is what a segment wants of its subnets.
type Need struct {
	Hosts        int64
	HostsSaid    bool
	Grow         int // percent, on top of the hosts
	PointToPoint bool
	Length4      int // 0 where none is said
	Length6      int
	Place        source.Place // of the hosts, or whatever else says that there is a need
}

// Said tells whether the segment wants subnets assigned at all.
func (n Need) Said() bool {
	return n.HostsSaid || n.PointToPoint || n.Length4 > 0 || n.Length6 > 0
}

// Wanted is how many usable addresses of a subnet the segment cannot do without,
// and how many it wants with the growth of its hosts: a percentage of a host is
// a host. Hosts count as many as are said or are there, whichever is more.
func (s *Segment) Wanted() (least, grown int64) {
	hosts := max(s.Need.Hosts, s.HostsThere)
	return hosts + s.Own, (hosts*int64(100+s.Need.Grow)+99)/100 + s.Own
}

// WantedLength is the length of the subnet the segment wants of a family; false
// where it wants none.
func (s *Segment) WantedLength(family prefix.Family) (int, bool) {
	n := s.Need
	switch {
	case family == prefix.IPv4 && n.Length4 > 0:
		return n.Length4, true
	case family == prefix.IPv6 && n.Length6 > 0:
		return n.Length6, true
	case n.PointToPoint && family == prefix.IPv4:
		return 31, true
	case n.PointToPoint:
		return 127, true
	case family == prefix.IPv6 && n.Said():
		return 64, true
	case family == prefix.IPv4 && n.HostsSaid:
		_, grown := s.Wanted()
		return prefix.LengthForHosts(prefix.IPv4, big.NewInt(grown))
	}
	return 0, false
}

// Lease is a range of addresses that hosts lease, both ends in it.
type Lease struct {
	prefix.Range
	By      DeviceID   // None where the plan does not say
	Gateway netip.Addr // what a lease gives; invalid where it gives none
	Place   source.Place

	gateway plan.Text // as written
}

// Gateway is an address hosts send through.
type Gateway struct {
	Address netip.Addr
	Place   source.Place
}

// Kind is what a device is.
type Kind uint8

const (
	Router Kind = iota
	SwitchDevice
	Firewall
	Host
	World
)

func (k Kind) String() string {
	return [...]string{"router", "switch", "firewall", "host", "world"}[k]
}

// Device is anything with ports.
type Device struct {
	Name     string
	Kind     Kind
	Note     string
	Forwards bool        // passes on packets that are not for itself
	Beyond   []Prefix    // for the world: what it answers for
	Closed   [2]bool     // by family: the plan says that it has no route out
	Manage   InterfaceID // where it is managed; None where it has no address
	Answers  []string    // the services it answers there
	Leases   bool        // it gives leases
	Servers  [3][]Server // that it is told to ask, by ServerKind
	Asked    [3]bool     // the plan names it as a server, by ServerKind: it answers as such

	Permits     []Permit // of what passes through, in order
	OwnPermits  []Permit // of what is for the device itself, or from it
	Otherwise   Ruling   // of what no permit matches
	KeepsState  bool     // replies to what passed pass, and others do not
	SharesState string   // the name of the device that it shares its table of states with; "" for none
	Translates  []Translation

	From  []BlockID // where its loopback is taken from; empty where none is wanted
	First InterfaceID
	Count int           // its interfaces are First up to First+Count
	More  []InterfaceID // and those that were found on it, and are not in the plan
	Place source.Place
}

// InterfaceKind is what an interface is.
type InterfaceKind uint8

const (
	Port InterfaceKind = iota
	Subinterface
	VLANInterface
	Loopback
	Group // of ports
)

func (k InterfaceKind) String() string {
	return [...]string{"port", "subinterface", "VLAN interface", "loopback", "group"}[k]
}

// Rank orders the kinds by how well an address on one stands for its device:
// that of a loopback best, then that of a VLAN interface; from 1 up.
func (k InterfaceKind) Rank() int {
	switch k {
	case Loopback:
		return 3
	case VLANInterface:
		return 2
	}
	return 1
}

// Interface is one interface of a device.
type Interface struct {
	Name       string
	Device     DeviceID
	Kind       InterfaceKind
	Parent     InterfaceID // of a subinterface
	Segment    SegmentID   // whose addresses it has, or which an access port serves
	Tag        VLAN        // of a subinterface on its parent; of a VLAN interface: its VLAN
	Switched   bool        // a switch port: frames are passed on by VLAN
	Untagged   VLAN        // of a switch port: where untagged frames belong, 0: nowhere
	Tagged     []VLAN      // of a switch port, in ascending order
	Addresses  []Address
	Next       [2]bool      // wants the next free address, of IPv4 and of IPv6
	NextPlace  source.Place // that says so
	MAC        string
	Note       string
	Group      InterfaceID   // of a grouped port: what it is a member of, else None
	Members    []InterfaceID // of a group
	Negotiates bool          // of a group: it agrees with the far end on its members
	Borrow     InterfaceID   // whose addresses it sends from, None where it has its own
	Priority   uint8         // for becoming master of its virtual addresses
	Follows    []Followed    // without which that priority is lower
	MTU        int           // bytes; 0 where the plan does not say
	Bandwidth  int64         // bits a second; 0 where the plan does not say
	Duplex     string        // full or half; "" where the plan does not say
	Serial     bool
	Clocks     bool // this end of a serial line clocks it
	Claims     int  // how many IPv4 addresses it is going to have
	AdminDown  bool
	Table      string    // the routing table it belongs to; "" is the main one
	Leased     bool      // it asks for its address
	Advertised bool      // it takes its IPv6 address and gateway from a router that advertises
	Advertises bool      // it advertises its IPv6 subnets and itself (RFC 4861)
	Relay      []Relayed // where it passes on what hosts ask for a lease
	Own        bool      // has an entry of its own in the plan, not one of a range or none
	Gone       bool      // it was found, and is not in the plan; but for what was found it is as if it were not there
	Place      source.Place
}

// Followed is what the priority of an interface goes by, of its own device: another interface, or an address that a route
// watches. While that is down, or not heard, the priority is lower by By; 254 is down to the lowest there is.
type Followed struct {
	Interface InterfaceID // None where it is an address
	Watch     netip.Addr  // invalid where it is an interface
	By        uint8
}

// Address is an address with its length, and where it was written.
type Address struct {
	netip.Prefix
	Place     source.Place
	Giver     Giver
	Rule      string // how it came about: a place such as 'first' or '10', 'next', an identifier, 'eui-64'; "" where it is written out
	Secondary bool
	Virtual   bool // shared with other routers; only the master answers for it
	Preferred bool // what the device sends from by this interface
}

// Varies tells whether the address is one that nobody types: leased, or made from what a
// router advertises.
func (a Address) Varies() bool { return a.Rule == LeasedRule || a.Rule == AdvertisedRule }

// OnTop tells whether the address is one that a router shares beside an address of its
// own there, from which it never sends by itself. Where the interface has no other, as
// with two ports of which one takes over from the other, the shared one is its own.
func (a Address) OnTop() bool { return a.Virtual && a.Secondary }

// Cable joins two ports.
type Cable struct {
	Shares bool   // it is a further host's, into a port that another host is plugged into: by a wireless link or a hub behind it
	Name   string // as written, or "DEVICE:PORT to DEVICE:PORT"
	Ends   [2]InterfaceID
	Hidden bool // the near port stays up when the far end fails
	Pulled bool // out of its ports: one that is tried without, or was found to be elsewhere
	Cost   int  // of sending by it, 1 to 65535, for derived routes
	Place  source.Place
}

// Origin tells why there is a static route.
type Origin uint8

const (
	Written       Origin = iota // under routes
	HostGateway                 // from a gateway the plan names
	ImpliedRouter               // from the one router on the segment
	Derived                     // from what the plan wants
	Learned                     // by the device itself, from others: of a dynamic protocol
)

// Gateway tells whether the route is a host's way out by its gateway.
func (o Origin) Gateway() bool { return o == HostGateway || o == ImpliedRouter }

// Static is a static route.
type Static struct {
	Device    DeviceID
	To        netip.Prefix
	Via       netip.Addr  // invalid where there is only an interface, or nothing
	Out       InterfaceID // None where only the next hop is given
	Discard   bool
	Distance  uint8      // 1 to 254, lower wins
	Metric    uint32     // lower wins among equal distances
	Table     string     // the routing table it is in; "" is the main one
	Watch     netip.Addr // usable only while this answers by this next hop; invalid where nothing is watched
	WatchFrom netip.Addr // where it is asked from; invalid for the address that faces the next hop
	Origin    Origin
	Place     source.Place // of the next hop
	Key       string       // the destination as written in the plan
}

// InterfacesOf lists the identifiers of a device's interfaces.
func (s *Spec) InterfacesOf(d DeviceID) []InterfaceID {
	device := &s.Devices[d]
	ids := make([]InterfaceID, 0, device.Count+len(device.More))
	for id := range s.EachInterface(d) {
		ids = append(ids, id)
	}
	return ids
}

// EachInterface visits the interfaces of a device, as InterfacesOf lists them.
func (s *Spec) EachInterface(d DeviceID) iter.Seq[InterfaceID] {
	return func(visit func(InterfaceID) bool) {
		device := &s.Devices[d]
		for i := device.First; i < device.First+InterfaceID(device.Count); i++ {
			if !visit(i) {
				return
			}
		}
		for _, i := range device.More {
			if !visit(i) {
				return
			}
		}
	}
}

// WithMore returns a copy of the network in which devices have further interfaces, behind all others. The identifiers of
// everything else stay as they are.
func (s *Spec) WithMore(more map[DeviceID][]Interface) *Spec {
	next := *s
	next.Devices, next.Interfaces = slices.Clone(s.Devices), slices.Clone(s.Interfaces)
	for _, d := range slices.Sorted(maps.Keys(more)) {
		ids := slices.Clone(s.Devices[d].More)
		for _, i := range more[d] {
			i.Device = d
			ids = append(ids, InterfaceID(len(next.Interfaces)))
			next.Interfaces = append(next.Interfaces, i)
		}
		next.Devices[d].More = ids
	}
	return &next
}

// StaticsOf is the range of a device's routes in Statics: from first up to,
// not including, last.
func (s *Spec) StaticsOf(d DeviceID) (first, last int) {
	first = sort.Search(len(s.Statics), func(i int) bool { return s.Statics[i].Device >= d })
	last = first
	for last < len(s.Statics) && s.Statics[last].Device == d {
		last++
	}
	return first, last
}

// DeviceNamed finds a device by its name.
func (s *Spec) DeviceNamed(name string) (DeviceID, bool) {
	id, ok := s.devices[name]
	return id, ok
}

// SegmentNamed finds a segment by its name.
func (s *Spec) SegmentNamed(name string) (SegmentID, bool) {
	id, ok := s.segments[name]
	return id, ok
}

// CableNamed finds a cable by its name.
func (s *Spec) CableNamed(name string) (CableID, bool) {
	id, ok := s.cables[name]
	return id, ok
}

// InterfaceNamed finds an interface of a device by its name.
func (s *Spec) InterfaceNamed(d DeviceID, name string) (InterfaceID, bool) {
	for i := range s.EachInterface(d) {
		if s.Interfaces[i].Name == name {
			return i, true
		}
	}
	return None, false
}

// Label is an interface as a person refers to it: DEVICE:INTERFACE.
func (s *Spec) Label(i InterfaceID) string {
	return s.Devices[s.Interfaces[i].Device].Name + ":" + s.Interfaces[i].Name
}

// Primary is the interface's first address that is neither secondary nor
// shared; invalid where it has none.
func (i *Interface) Primary() netip.Addr {
	for _, a := range i.Addresses {
		if !a.Secondary && !a.Addr().IsLinkLocalUnicast() {
			return a.Addr()
		}
	}
	return netip.Addr{}
}

// Has tells whether the interface has the address.
func (i *Interface) Has(a netip.Addr) bool {
	for _, own := range i.Addresses {
		if own.Addr() == a {
			return true
		}
	}
	return false
}

// Routed tells whether the interface can have addresses.
func (i *Interface) Routed() bool { return !i.Switched }

// SegmentOf finds the segment whose subnet holds the address.
func (s *Spec) SegmentOf(a netip.Addr) SegmentID {
	best, bits := SegmentID(None), -1
	for id := range s.Segments {
		for _, p := range s.Segments[id].Prefixes {
			if p.Contains(a) && p.Bits() > bits {
				best, bits = SegmentID(id), p.Bits()
			}
		}
	}
	return best
}

// MainAddress is the address a device is known by: that of where it is managed, else of a
// loopback, else of a VLAN interface, else its first; invalid where it has none of the
// family. Link-local ones do not count.
func (s *Spec) MainAddress(d DeviceID, family prefix.Family) netip.Addr {
	var best netip.Addr
	bestRank := 0
	for _, id := range s.InterfacesOf(d) {
		i := &s.Interfaces[id]
		rank := i.Kind.Rank()
		if id == s.Devices[d].Manage {
			rank = managedRank
		}
		for _, a := range i.Addresses {
			if prefix.FamilyOf(a.Addr()) == family && rank > bestRank && !a.Addr().IsLinkLocalUnicast() && !a.Secondary {
				best, bestRank = a.Addr(), rank
			}
		}
	}
	return best
}

// managedRank is above that of every kind of interface.
const managedRank = 10

// HoldersOf lists every interface that has the address, wherever it is.
func (s *Spec) HoldersOf(a netip.Addr) []InterfaceID {
	var all []InterfaceID
	for id := range s.Interfaces {
		for _, own := range s.Interfaces[id].Addresses {
			if own.Addr() == a {
				all = append(all, InterfaceID(id))
			}
		}
	}
	return all
}

// HolderLabel is an address with the interface that has it, where one has.
func (s *Spec) HolderLabel(a netip.Addr) string {
	if holders := s.HoldersOf(a); len(holders) > 0 {
		return a.String() + " (" + s.Label(holders[0]) + ")"
	}
	return a.String()
}

// WidestBlock is the shortest prefix among the blocks that holds the address.
func (s *Spec) WidestBlock(a netip.Addr) (netip.Prefix, bool) {
	var best netip.Prefix
	for _, b := range s.Blocks {
		for _, p := range b.Prefixes {
			if p.Contains(a) && (!best.IsValid() || p.Bits() < best.Bits()) {
				best = p.Prefix
			}
		}
	}
	return best, best.IsValid()
}
