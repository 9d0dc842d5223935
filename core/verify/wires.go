package verify

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// wires checks what is plugged into what: the two ends of every cable against
// each other, and what the broadcast domains make of the segments.
func (c *checker) wires() {
	for id := range c.spec.Cables {
		c.cable(&c.spec.Cables[id])
	}
	c.groups()
	c.unplugged()
	c.sharedPorts()
	c.loops()
	c.islands()
	c.leaks()
	c.meetings()
	c.tags()
	c.deadVLANInterfaces()
	c.mtus()
	c.duplexes()
	c.masters()
	c.followed()
}

func (c *checker) state() *network.State { return c.net.State }

// end is what frames at one end of a cable belong to: the group of a port that
// is in one.
func (c *checker) end(id model.InterfaceID) *model.Interface {
	if g := c.spec.Interfaces[id].Group; g != model.None {
		id = g
	}
	return &c.spec.Interfaces[id]
}

func (c *checker) cable(x *model.Cable) {
	a, b := c.end(x.Ends[0]), c.end(x.Ends[1])
	for n, i := range []*model.Interface{a, b} {
		if c.inNothing(x.Ends[n], i) {
			c.report(finding.New(finding.PortInNothing, x.Place, "%s is cabled, and in no segment or VLAN",
				c.spec.Label(x.Ends[n])).About(c.spec.Label(x.Ends[n])).
				Mend("say 'access:', 'tagged:' or 'segment:' for it, or remove the cable").With(i.Place))
			return
		}
	}
	c.serialLine(x)
	switch {
	case a.Switched && b.Switched:
		c.switchCable(x, a, b)
	case a.Switched:
		c.tagsOf(x, x.Ends[1], a)
	case b.Switched:
		c.tagsOf(x, x.Ends[0], b)
	}
}

// sharedPorts says once of a port that several hosts are plugged into it.
func (c *checker) sharedPorts() {
	told := map[model.InterfaceID]bool{}
	for i := range c.spec.Cables {
		x := &c.spec.Cables[i]
		if port := x.Ends[1]; x.Shares && !told[port] {
			told[port] = true
			c.report(finding.New(finding.PortShared, x.Place, "%s and %s are both plugged into %s: a wireless link or a hub is taken to be there",
				c.spec.Label(c.state().Peer(port)), c.spec.Label(x.Ends[0]), c.spec.Label(port)).
				About(c.spec.Label(port)))
		}
	}
}

// unplugged finds ports that are plugged into nothing, on segments whose other members are
// cabled: a cable was forgotten.
func (c *checker) unplugged() {
	told := map[model.InterfaceID]bool{}
	for n := range c.spec.Interfaces {
		id := model.InterfaceID(n)
		ports := c.bare(id)
		if len(ports) == 0 || told[ports[0]] {
			continue
		}
		told[ports[0]] = true
		segment := c.spec.Interfaces[id].Segment
		label, fellow := c.spec.Label(ports[0]), "others on it are cabled"
		if cabled := c.cabledOn(segment); cabled != model.None {
			fellow = c.spec.Label(cabled) + " is cabled"
		} else if c.spec.Interfaces[id].Serial {
			fellow = "a serial line is a cable"
		}
		f := finding.New(finding.CableMissing, c.spec.Interfaces[ports[0]].Place, "%s is on %s, and plugged into nothing; %s", label,
			c.spec.Segments[segment].Name, fellow).About(label)
		if far, ok := c.plugFor(ports[0], id); ok {
			f = c.mends(f, model.AddCable{Ends: [2]model.InterfaceID{ports[0], far}})
		}
		c.report(f)
	}
}

// bare lists the ports of an interface on a segment, where cables are needed for it and
// none is in any of them.
func (c *checker) bare(id model.InterfaceID) []model.InterfaceID {
	i := &c.spec.Interfaces[id]
	ports := []model.InterfaceID{id}
	switch {
	case i.Segment == model.None || !i.Routed() || c.state().IsWire(i.Segment) && !i.Serial || i.AdminDown:
		return nil
	case i.Kind == model.Subinterface && i.Parent != model.None:
		ports[0] = i.Parent
	case i.Kind == model.Group:
		ports = i.Members
	case i.Kind != model.Port || i.Group != model.None:
		return nil
	}
	if len(ports) > 0 && i.Kind == model.Subinterface && c.spec.Interfaces[ports[0]].Kind == model.Group {
		ports = c.spec.Interfaces[ports[0]].Members
	}
	if slices.ContainsFunc(ports, func(p model.InterfaceID) bool { return c.state().Cable(p) != model.None }) {
		return nil
	}
	return ports
}

// plugFor is what a port of an interface may be plugged into: a free switch port of the
// segment's VLAN, else a port of another device on the segment that is bare as well.
func (c *checker) plugFor(port, id model.InterfaceID) (model.InterfaceID, bool) {
	i := &c.spec.Interfaces[id]
	if free := c.freePort(i.Segment, i.Kind == model.Subinterface); free != model.None {
		return free, true
	}
	for n := range c.spec.Interfaces {
		x := &c.spec.Interfaces[n]
		if x.Segment != i.Segment || x.Device == i.Device {
			continue
		}
		if ports := c.bare(model.InterfaceID(n)); len(ports) > 0 {
			return ports[0], true
		}
	}
	return model.None, false
}

// cabledOn is the first member of a segment that is cabled.
func (c *checker) cabledOn(s model.SegmentID) model.InterfaceID {
	for id := range c.spec.Interfaces {
		i := &c.spec.Interfaces[id]
		port := model.InterfaceID(id)
		if i.Parent != model.None {
			port = i.Parent
		}
		if i.Segment == s && c.state().Cable(port) != model.None {
			return port
		}
	}
	return model.None
}

// freePort is a switch port of a segment's VLAN that nothing is plugged into, of those that carry it tagged or of the
// others; None where there is none.
func (c *checker) freePort(s model.SegmentID, tagged bool) model.InterfaceID {
	if s == model.None {
		return model.None
	}
	for id := range c.spec.Interfaces {
		i := &c.spec.Interfaces[id]
		fits := i.Segment == s && i.Untagged != 0
		if tagged {
			fits = slices.Contains(i.Tagged, c.spec.Segments[s].VLAN)
		}
		if i.Switched && fits && !i.AdminDown && i.Group == model.None && c.state().Cable(model.InterfaceID(id)) == model.None {
			return model.InterfaceID(id)
		}
	}
	return model.None
}

// inNothing tells whether a port is on no segment, in no VLAN, has no address
// and no subinterface.
func (c *checker) inNothing(id model.InterfaceID, i *model.Interface) bool {
	if i.Switched || i.Segment != model.None || len(i.Addresses) > 0 || i.Borrow != model.None {
		return false
	}
	for _, sub := range c.spec.InterfacesOf(i.Device) {
		if p := c.spec.Interfaces[sub].Parent; p == id || p != model.None && &c.spec.Interfaces[p] == i {
			return false
		}
	}
	return c.spec.Devices[i.Device].Kind != model.Host
}

func (c *checker) serialLine(x *model.Cable) {
	a, b := &c.spec.Interfaces[x.Ends[0]], &c.spec.Interfaces[x.Ends[1]]
	if !a.Serial && !b.Serial {
		return
	}
	near, far := c.spec.Label(x.Ends[0]), c.spec.Label(x.Ends[1])
	reason := ""
	switch {
	case a.Serial != b.Serial:
		reason = fmt.Sprintf("%s and %s are the two ends of one line, and only one of them is serial", near, far)
	case !a.Clocks && !b.Clocks:
		reason = fmt.Sprintf("neither %s nor %s clocks the serial line", near, far)
	case a.Clocks && b.Clocks:
		reason = fmt.Sprintf("both %s and %s clock the serial line", near, far)
	default:
		return
	}
	var mend model.Change
	for n := range x.Ends {
		if all := lineSlip(c.spec, x.Ends[n], x.Ends[1-n]); mend == nil && len(all) > 0 {
			mend = all[0]
		}
	}
	c.report(c.mends(finding.New(finding.SerialClock, x.Place, "%s", reason).About(near), mend))
}

// switchCable compares the VLANs at the two ends of a cable between switches.
func (c *checker) switchCable(x *model.Cable, a, b *model.Interface) {
	near, far := c.trunk(x.Ends[0]), c.trunk(x.Ends[1])
	if a.Untagged != b.Untagged && a.Untagged != 0 && b.Untagged != 0 {
		name := finding.UntaggedDiffer
		if len(a.Tagged) == 0 && len(b.Tagged) == 0 {
			name = finding.AccessDiffer
		}
		c.reportTrunk(c.eitherMends(finding.New(name, x.Place, "untagged frames are in %s at %s and in %s at %s", c.vlanLabel(a.Untagged), near,
			c.vlanLabel(b.Untagged), far).About(near).With(a.Place, b.Place), untaggedSlips(c.spec, x)))
	}
	c.missing(x, x.Ends[1])
	c.missing(x, x.Ends[0])
}

// missing reports the VLANs that the other end of a trunk carries and this one
// does not.
func (c *checker) missing(x *model.Cable, end model.InterfaceID) {
	at, vlans, port := c.trunk(end), c.state().Missing(end), carrierID(c.spec, end)
	if len(vlans) == 0 {
		return
	}
	for _, v := range vlans {
		c.said.dropped[v] = at
	}
	var labels []string
	for _, v := range vlans[:min(len(vlans), 5)] {
		labels = append(labels, c.vlanLabel(v))
	}
	if len(vlans) > len(labels) {
		labels = append(labels, fmt.Sprintf("%d more", len(vlans)-len(labels)))
	}
	c.reportTrunk(finding.New(finding.VLANMissing, x.Place, "%s does not carry %s, which the other end sends", at,
		strings.Join(labels, ", ")).About(at).
		Mend("add it to 'tagged' of %s, or take it away at the other end", at).By(c.carrying(port, vlans)))
}

// carrying has a port carry some VLANs too; nil where some of them is no segment's: then the other end is as likely wrong.
func (c *checker) carrying(port model.InterfaceID, vlans []model.VLAN) any {
	var all []Applied
	spec := c.spec
	for _, v := range vlans {
		if spec.SegmentOfVLAN(v) == model.None {
			return nil
		}
		change := model.AddTagged{Port: port, VLAN: v}
		all = append(all, Applied{change, spec})
		spec = change.Apply(spec)
	}
	return all
}

// tagsOf checks that a switch port carries the tags of the subinterfaces at the
// other end.
func (c *checker) tagsOf(x *model.Cable, routed model.InterfaceID, port *model.Interface) {
	end := x.Ends[0]
	if end == routed {
		end = x.Ends[1]
	}
	at, missing := c.trunk(end), c.state().Missing(end)
	carrier := routed
	if g := c.spec.Interfaces[routed].Group; g != model.None {
		carrier = g
	}
	for _, id := range c.spec.InterfacesOf(c.spec.Interfaces[routed].Device) {
		i := &c.spec.Interfaces[id]
		if i.Parent != carrier || i.Tag == 0 {
			continue
		}
		if slices.Contains(missing, i.Tag) {
			c.said.dropped[i.Tag] = at
			f := finding.New(finding.VLANMissing, i.Place, "%s sends its frames with tag %d, and %s drops them", c.spec.Label(id), i.Tag,
				at).About(at).With(port.Place)
			f = f.Mend("add %s to 'tagged' of %s", c.vlanLabel(i.Tag), at)
			for _, slip := range tagSlips(c.spec, routed, end) {
				if t, ok := slip.(model.SetKey); ok && t.Interface == id {
					f = c.mends(f, slip) // its segment's VLAN is carried there
				}
			}
			c.reportTrunk(f)
		}
	}
}

// trunk names what the VLANs of a port are written at: its group, or itself.
func (c *checker) trunk(id model.InterfaceID) string {
	if g := c.spec.Interfaces[id].Group; g != model.None {
		id = g
	}
	return c.spec.Label(id)
}

// eitherMends is a finding with changes as its remedy, of which one is enough.
func (c *checker) eitherMends(f finding.Finding, all []model.Change) finding.Finding {
	words := make([]string, len(all))
	for i, change := range all {
		words[i] = change.Describe(c.spec)
	}
	if len(all) == 0 {
		return f
	}
	return f.Mend("%s", strings.Join(words, ", or ")).By([]Applied{{all[0], c.spec}})
}

// reportTrunk reports once what each cable of a group would say.
func (c *checker) reportTrunk(f finding.Finding) {
	if !c.said.trunks[f.Reason] {
		c.said.trunks[f.Reason] = true
		c.report(f)
	}
}

// vlanLabel is a VLAN by its segment's name, where one alone has the number.
func (c *checker) vlanLabel(v model.VLAN) string {
	name := ""
	for _, s := range c.spec.Segments {
		if s.VLAN == v {
			if name != "" {
				return fmt.Sprintf("VLAN %d", v)
			}
			name = s.Name
		}
	}
	if name == "" {
		return fmt.Sprintf("VLAN %d", v)
	}
	return fmt.Sprintf("%s (VLAN %d)", name, v)
}

// loops tells of cables that close loops of switches, and of VLANs that have no
// other way than one the tree blocks.
func (c *checker) loops() {
	said := map[model.CableID]bool{}
	for _, l := range c.state().Lost() {
		said[l.Cable] = true
	}
	for _, l := range c.state().Loops() {
		if said[l.Cable] {
			continue // what follows from it is said below
		}
		x := &c.spec.Cables[l.Cable]
		name := c.spec.Devices[c.spec.Interfaces[x.Ends[0]].Device].Name + " and " + c.spec.Devices[c.spec.Interfaces[x.Ends[1]].Device].Name
		if l.Blocked {
			c.report(finding.New(finding.Layer2Loop, x.Place, "the cable closes a loop of switches at %s; the spanning tree is taken to block it",
				name).About(x.Name))
		} else {
			c.report(finding.New(finding.Layer2Storm, x.Place, "the cable closes a loop of switches at %s, and no spanning tree blocks it",
				name).About(x.Name))
		}
	}
	for _, l := range c.state().Lost() {
		x := &c.spec.Cables[l.Cable]
		c.report(finding.New(finding.VLANBlocked, x.Place, "%s has no other way than this cable, which the spanning tree blocks",
			c.vlanLabel(l.VLAN)).About(x.Name).
			Mend("let the other cables of the loop carry it too, or say 'spanning-tree: per-vlan'"))
	}
}

// islands finds segments whose members do not all hear one another.
func (c *checker) islands() {
	first := map[model.SegmentID]model.InterfaceID{}
	told := map[model.SegmentID]bool{}
	for n := range c.spec.Interfaces {
		id := model.InterfaceID(n)
		i := &c.spec.Interfaces[id]
		if i.Segment == model.None || told[i.Segment] || !i.Routed() || len(i.Addresses) == 0 || c.state().Domain(id) == network.NoDomain {
			continue
		}
		other, seen := first[i.Segment]
		if !seen {
			first[i.Segment] = id
			continue
		}
		if c.state().Domain(other) != c.state().Domain(id) {
			told[i.Segment], c.said.split[i.Segment] = true, true
			s := &c.spec.Segments[i.Segment]
			f := finding.New(finding.SegmentSplit, s.Place, "%s is in pieces: %s and %s do not hear each other", s.Name, c.spec.Label(other),
				c.spec.Label(id)).About(s.Name).With(i.Place)
			if at, ok := c.said.dropped[s.VLAN]; ok && s.VLAN != 0 {
				f = f.Mend("%s does not carry it: begin there", at)
			}
			c.report(f)
		}
	}
}

// inPieces tells whether an address is one of the link's own segment, and that
// is in pieces: then that is said, and what follows from it need not be.
func (c *checker) inPieces(link model.InterfaceID, a netip.Addr) bool {
	s := c.spec.Interfaces[link].Segment
	if s == model.None || !c.said.split[s] {
		return false
	}
	return slices.ContainsFunc(c.state().HoldersOf(a), func(id model.InterfaceID) bool { return c.spec.Interfaces[id].Segment == s })
}

// leaks finds broadcast domains in which two segments meet.
func (c *checker) leaks() {
	told := map[[2]model.SegmentID]bool{}
	for _, members := range c.state().Domains() {
		first := model.InterfaceID(model.None)
		for _, id := range members {
			s := c.spec.Interfaces[id].Segment
			if s == model.None {
				continue
			}
			if first == model.None {
				first = id
				continue
			}
			other := c.spec.Interfaces[first].Segment
			key := [2]model.SegmentID{min(s, other), max(s, other)}
			sameNumber := c.spec.Segments[s].VLAN != 0 && c.spec.Segments[s].VLAN == c.spec.Segments[other].VLAN // said by itself
			if other != s && !told[key] && !sameNumber {
				told[key] = true
				c.report(finding.New(finding.SegmentsLeak, c.spec.Segments[s].Place, "%s and %s are on one wire: %s hears %s",
					c.spec.Segments[other].Name, c.spec.Segments[s].Name, c.spec.Label(first), c.spec.Label(id)).
					About(c.spec.Segments[s].Name).With(c.spec.Segments[other].Place, c.spec.Interfaces[id].Place))
			}
		}
	}
}

// meetings finds VLAN numbers that two segments have, where switches carry both
// as one.
func (c *checker) meetings() {
	first := map[int32]model.InterfaceID{}
	told := map[[2]model.SegmentID]bool{}
	for n := range c.spec.Interfaces {
		id := model.InterfaceID(n)
		i := &c.spec.Interfaces[id]
		wire, ok := c.state().Wire(id)
		if !ok || i.Segment == model.None {
			continue
		}
		other, seen := first[wire]
		if !seen {
			first[wire] = id
			continue
		}
		a, b := &c.spec.Segments[c.spec.Interfaces[other].Segment], &c.spec.Segments[i.Segment]
		key := [2]model.SegmentID{c.spec.Interfaces[other].Segment, i.Segment}
		if a != b && a.VLAN == b.VLAN && a.VLAN != 0 && !told[key] {
			told[key] = true
			c.report(finding.New(finding.VLANShared, b.Place, "%s and %s both have the VLAN number %d, and meet: %s, %s", a.Name, b.Name, a.VLAN,
				c.spec.Label(other), c.spec.Label(id)).
				About(b.Name).Mend("give one of them another number").With(a.Place))
		}
	}
}

var numberAtEnd = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\.(\d+)$`) })

// tags tells of subinterfaces whose number is not their tag.
func (c *checker) tags() {
	for n := range c.spec.Interfaces {
		i := &c.spec.Interfaces[n]
		if i.Kind != model.Subinterface || i.Tag == 0 {
			continue
		}
		m := numberAtEnd().FindStringSubmatch(i.Name)
		if m == nil {
			continue
		}
		if number, err := strconv.Atoi(m[1]); err == nil && model.VLAN(number) != i.Tag {
			c.report(finding.New(finding.TagDiffers, i.Place, "%s has the tag %d", c.spec.Label(model.InterfaceID(n)),
				i.Tag).About(c.spec.Label(model.InterfaceID(n))))
		}
	}
}

// deadVLANInterfaces finds VLAN interfaces that are down for want of a live
// port.
func (c *checker) deadVLANInterfaces() {
	for n := range c.spec.Interfaces {
		id := model.InterfaceID(n)
		if c.state().Status(id).Cause == network.NoLivePort && len(c.spec.Interfaces[id].Addresses) > 0 {
			c.report(finding.New(finding.VLANInterfaceDead, c.spec.Interfaces[id].Place, "%s is down: %s", c.spec.Label(id),
				c.state().Why(id)).About(c.spec.Label(id)))
		}
	}
}

// mtus finds interfaces of one wire with different MTUs, where one says what it is: an interface that says nothing
// has the usual one. The odd one is of the fewest, else the one that says.
func (c *checker) mtus() {
	for _, members := range c.state().Domains() {
		of := map[int][]model.InterfaceID{}
		said := false
		for _, id := range members {
			m := forward.MTU(c.spec, id)
			of[m] = append(of[m], id)
			said = said || c.spec.Interfaces[id].MTU > 0
		}
		if len(of) < 2 || !said {
			continue
		}
		sizes := slices.SortedFunc(maps.Keys(of), func(a, b int) int {
			says := func(m int) int { return map[bool]int{true: 0, false: 1}[c.spec.Interfaces[of[m][0]].MTU > 0] }
			return cmp.Or(cmp.Compare(len(of[a]), len(of[b])), cmp.Compare(says(a), says(b)), cmp.Compare(of[b][0], of[a][0]))
		})
		usual := sizes[len(sizes)-1]
		for _, m := range sizes[:len(sizes)-1] {
			id, other := of[m][0], of[usual][0]
			more := ""
			if n := len(of[m]) - 1; n > 0 {
				more = fmt.Sprintf(", and so have %d more", n)
			}
			silent := ""
			if c.spec.Interfaces[other].MTU == 0 {
				silent = ", since nothing is said of it"
			}
			f := finding.New(finding.MTUDiffers, c.spec.Interfaces[id].Place, "%s has an MTU of %d%s, and %s on the same wire of %d%s",
				c.spec.Label(id), m, more, c.spec.Label(other), usual, silent).
				About(c.spec.Label(id)).With(c.spec.Interfaces[other].Place)
			c.report(c.mends(f, model.SetKey{Interface: id, Key: "mtu", Value: fmt.Sprint(usual)}))
		}
	}
}

// duplexes finds cables of which one end says that it sends and hears at once, and the other that it does not.
func (c *checker) duplexes() {
	for _, cable := range c.spec.Cables {
		a, b := cable.Ends[0], cable.Ends[1]
		x, y := &c.spec.Interfaces[a], &c.spec.Interfaces[b]
		if cable.Pulled || x.Duplex == "" || y.Duplex == "" || x.Duplex == y.Duplex {
			continue
		}
		if x.Duplex == "full" {
			a, b, x, y = b, a, y, x
		}
		f := finding.New(finding.DuplexDiffers, x.Place, "%s is set to half duplex, and %s at the far end to full", c.spec.Label(a),
			c.spec.Label(b)).About(c.spec.Label(a)).With(y.Place)
		c.report(c.mends(f, model.SetKey{Interface: a, Key: "duplex", Value: "full"}))
	}
}

// masters finds shared gateway addresses that nobody answers for, or several
// do since they do not hear one another.
func (c *checker) masters() {
	type shared struct {
		first   model.Address
		of      model.InterfaceID
		masters []model.InterfaceID
	}
	var order []string
	all := map[string]*shared{}
	c.each(func(id model.InterfaceID, a model.Address) {
		if !a.Virtual {
			return
		}
		key := a.Addr().String()
		if all[key] == nil {
			all[key] = &shared{first: a, of: id}
			order = append(order, key)
		}
		if c.state().IsUp(id) && c.state().Holds(id, a) {
			all[key].masters = append(all[key].masters, id)
		}
	})
	for _, key := range order {
		s := all[key]
		switch {
		case len(s.masters) == 0:
			c.report(finding.New(finding.VirtualMaster, s.first.Place, "nobody is master of %s: none of the interfaces that share it is up",
				key).About(c.spec.Label(s.of)))
		case len(s.masters) > 1:
			c.report(finding.New(finding.VirtualMaster, s.first.Place, "%s and %s are both master of %s, since they do not hear each other",
				c.spec.Label(s.masters[0]), c.spec.Label(s.masters[1]), key).About(c.spec.Label(s.of)))
		}
	}
}
