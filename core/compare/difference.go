// Package compare tells how the network as found differs from the network as
// planned: item by item, with the likely slip, and what each difference breaks.
package compare

import (
	"net/netip"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/source"
)

// Kind is how something differs.
type Kind uint8

const (
	Missing   Kind = iota // planned, and not found
	Extra                 // found, and not planned
	Different             // found otherwise than planned
)

func (k Kind) String() string { return [...]string{"missing", "extra", "different"}[k] }

// What is the kind of thing that differs.
type What string

const (
	OfDevice    What = "device"
	OfInterface What = "interface"
	OfAdmin     What = "admin status"
	OfOper      What = "oper status"
	OfAddress   What = "address"
	OfMTU       What = "mtu"
	OfVLAN      What = "vlan"
	OfRoute     What = "route"
	OfNextHop   What = "next hop"
	OfDistance  What = "distance"
	OfMetric    What = "metric"
	OfUse       What = "in use"
	OfOrder     What = "order" // of addresses: which is primary
	OfMAC       What = "mac"
	OfBandwidth What = "bandwidth"
	OfNote      What = "note"
	OfDuplex    What = "duplex"
	OfMembers   What = "members"

	// Of two plans only; no device tells of them.
	OfSetting     What = "setting"
	OfOperator    What = "operator"
	OfVLANNumbers What = "VLAN numbers"
	OfBlock       What = "block"
	OfKept        What = "kept"
	OfLayout      What = "layout" // of a block
	OfWants       What = "wants"
	OfSegment     What = "segment"
	OfNeed        What = "need"
	OfFrom        What = "from"
	OfIdentifier  What = "identifier"
	OfGateway     What = "gateway"
	OfLeases      What = "leases"
	OfCable       What = "cable"
	OfKind        What = "kind"
	OfForwards    What = "forwards"
	OfBeyond      What = "beyond"
	OfManage      What = "manage"
	OfAnswers     What = "answers" // this and the next are keys of a device: model.DeviceKeys
	OfNames       What = "name-servers"
	OfTimes       What = "time-servers"
	OfLogs        What = "log-servers"
	OfWatch       What = "watch"
	OfPrefer      What = "prefer"
	OfLinkLocal   What = "link-local"
	OfTag         What = "tag"        // this and others are keys of an interface: model.InterfaceKeys
	OfAddressing  What = "addressing" // leased, or as advertised
	OfMeaning     What = "meaning"    // of a sentence: what its words stand for
	OfPermit      What = "permit"
	OfTranslation What = "translation"
	OfRequirement What = "requirement"
)

// Listed tells whether the lists of a device tell of such a thing, as the standard models and forms have it.
func (w What) Listed() bool {
	switch w {
	case OfAdmin, OfAddress, OfMTU, OfNote, OfVLAN, OfRoute, OfNextHop, OfDistance, OfMetric, OfMembers, OfInterface:
		return true
	}
	return false
}

// Formed tells whether a form may say such a thing, of which the standard models have nothing.
func (w What) Formed() bool { return w == OfTag || w == OfOrder || w == OfDuplex }

// Difference is one thing found otherwise than planned.
type Difference struct {
	Kind           Kind
	What           What
	Device         string
	Subject        string   // the interface, or the destination of a route
	Planned, Found string   // "" where there is nothing
	Entry          string   // of one entry of a list: where in it that stands
	Slip           Slip     // what was likely done
	Lost           int      // how many paths between hosts it takes by itself, both families
	From, To       string   // the hosts of the first of them; "" where there is none
	Unmet          []string // requirements that do not hold with it, by itself
	Unmanaged      []string // devices that the operator does not reach with it, by itself
	Place          source.Place

	change  func([]model.Interface) // makes the planned interfaces so; nil where that changes nothing
	both    func([]model.Interface) // gives them what was found and what is planned beside one another; nil where that cannot be
	routes  *routesFound            // or a device's routes to one destination
	failure *network.Failure        // or puts this out of order
	device  *deviceChange           // or makes a device so
	statics func([]model.Static)    // or makes the routes so
	cable   *cableFound             // or plugs these into one another
	Stays   bool                    // what was found stays, and is to stand by
	Beside  bool                    // there are others to the same destination, which stay
	follows bool                    // from another difference
	hop     netip.Addr              // the next hop found
	to      netip.Prefix
}

// deviceChange makes a device as it was found.
type deviceChange struct {
	at     model.DeviceID
	change func(*model.Device)
}

// Result is what comes of a comparison.
type Result struct {
	Differences []Difference
	Compared    int      // things
	InPlace     int      // of them: as planned
	NotKnown    []string // devices of the plan of which nothing was observed
	New         []string // or, of two plans: those that the other does not have
	Partly      []Partly
	Untold      []What           // what the plan says of the devices, and no list of a device tells
	Untried     int              // differences of which it was not worked out what they break: the network is too large
	Net         *forward.Network // as planned
	Done        []Done           // what is as planned, where that was asked for

	silent  []Difference // what was found where the plan says nothing
	varying []Difference // what is as planned, and is in truth another address than the plan reckons with
	Among   int          // hosts that stand for all where what differences break is worked out; 0 where all are asked
}

// Done is a thing found as planned.
type Done struct {
	What            What
	Device, Subject string
	Value           string
}

// Partly is a device of which some part is not known.
type Partly struct {
	Device  string
	Unknown []string // such as "IPv4 routes"
}
