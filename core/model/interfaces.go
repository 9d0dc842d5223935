package model

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

func sorted(words []string) []string {
	slices.Sort(words)
	return words
}

// largestRange is how many ports one range may stand for.
const largestRange = 4096

// portName is what the only port of a device with 'at' is called.
const portName = "port"

// loopbackName is what the interface with a device's loopback addresses is
// called.
const loopbackName = "loopback"

// devices makes the devices with their interfaces: those written, those of
// ranges, the port of 'at', the loopback, and the ports that are only known
// from their subinterfaces and cables.
func (r *resolver) devices() {
	cabled := r.cabledPorts()
	count := 0
	for i := range r.doc.Devices {
		count += len(r.doc.Devices[i].Interfaces) + 1
	}
	r.spec.Interfaces = make([]Interface, 0, count)
	r.written = make([]written, 0, count)
	r.spec.Devices = make([]Device, 0, len(r.doc.Devices))
	for i := range r.doc.Devices {
		d := &r.doc.Devices[i]
		device := Device{
			Name: d.Name.Value, Kind: kindOf(d.Is.Value), Note: d.Note.Value, Place: d.Name.Place,
			First: InterfaceID(len(r.spec.Interfaces)), Beyond: r.prefixes(d.Beyond, d.Name.Value), Manage: None,
		}
		switch device.Kind {
		case Router, Firewall, World:
			device.Forwards = true
		case SwitchDevice:
			device.Forwards = d.RoutesSaid.Value
		}
		device.Forwards = d.Forwards.Or(device.Forwards)
		r.outOfPlace(d, device.Kind)

		b := &builder{resolver: r, id: DeviceID(i), device: d, byName: make(map[string]int, len(d.Interfaces)+1)}
		b.interfaces = make([]Interface, 0, len(d.Interfaces)+1)
		b.written = make([]written, 0, len(d.Interfaces)+1)
		for j := range d.Interfaces {
			b.declare(&d.Interfaces[j])
		}
		if d.At.Written() {
			port := b.fresh(portName, Port, true, d.At.Place)
			port.AdminDown = b.downAtFirst(&plan.Interface{})
			b.add(port, written{device: d, addresses: d.Addresses, segment: d.At})
		}
		switch {
		case d.LoopbackOn.Value:
			device.From = r.from(d.From, d.LoopbackOn.Place, d.Name.Value)
			b.add(b.fresh(loopbackName, Loopback, true, d.LoopbackOn.Place), written{device: d})
		case len(d.Loopback) > 0:
			b.add(b.fresh(loopbackName, Loopback, true, d.Loopback[0].Place), written{device: d})
		}
		b.parents(cabled[d.Name.Value])
		device.Count = len(b.interfaces)
		r.spec.Interfaces = append(r.spec.Interfaces, b.interfaces...)
		r.written = append(r.written, b.written...)
		r.spec.Devices = append(r.spec.Devices, device)
	}
}

func kindOf(word string) Kind {
	return Kind(max(0, slices.Index(plan.Kinds, word)))
}

// outOfPlace reports keys that say nothing about this kind of device.
func (r *resolver) outOfPlace(d *plan.Device, kind Kind) {
	if len(d.Beyond) > 0 && kind != World {
		r.report(finding.New(finding.KeyOutOfPlace, d.Beyond[0].Place, "%s is a %s, and only the world answers for what is beyond",
			d.Name.Value, kind).
			About(d.Name.Value).Mend("say 'is: world', or remove 'beyond'"))
	}
	if len(d.From) > 0 && !d.LoopbackOn.Value {
		r.report(finding.New(finding.KeyOutOfPlace, d.From[0].Place, "%s takes nothing from a block unless it has 'loopback: true'",
			d.Name.Value).About(d.Name.Value))
	}
	if d.At.Written() && len(d.Interfaces) > 0 {
		r.report(finding.New(finding.KeyOutOfPlace, d.At.Place, "%s has interfaces, and 'at' is for a device with one port only", d.Name.Value).
			About(d.Name.Value).Mend("write the cable under 'cables'"))
	}
	if d.Segment.Written() && !d.At.Written() {
		r.report(finding.New(finding.KeyOutOfPlace, d.Segment.Place, "%s has no port to be on %s", d.Name.Value, d.Segment.Value).
			About(d.Name.Value).Mend("add 'at: DEVICE:PORT', or say 'segment' of an interface"))
	}
	if len(d.Addresses) > 0 && !d.At.Written() {
		r.report(finding.New(finding.KeyOutOfPlace, d.Addresses[0].Place, "%s has an address and no port to put it on", d.Name.Value).
			About(d.Name.Value).Mend("add 'at: DEVICE:PORT', or put the address on an interface"))
	}
}

// cabledPorts lists by device the names of the ports that cables and 'at'
// lead to.
func (r *resolver) cabledPorts() map[string][]string {
	all := map[string][]string{}
	note := func(t plan.Text) {
		if device, port, ok := strings.Cut(t.Value, ":"); ok {
			all[device] = append(all[device], port)
		}
	}
	for _, c := range r.doc.Cables {
		note(c.Ends[0])
		note(c.Ends[1])
	}
	for _, d := range r.doc.Devices {
		note(d.At)
	}
	return all
}

// builder gathers the interfaces of one device.
type builder struct {
	*resolver
	id         DeviceID
	device     *plan.Device
	interfaces []Interface
	written    []written
	byName     map[string]int
	parentName map[int]plan.Text
}

// fresh is an interface of the device that hangs on no other. Own is that the plan has
// an entry for it.
func (b *builder) fresh(name string, kind InterfaceKind, own bool, place source.Place) Interface {
	return Interface{Name: name, Kind: kind, Device: b.id, Parent: None, Segment: None, Group: None, Borrow: None, Own: own, Place: place}
}

func (b *builder) add(i Interface, w written) {
	if at, ok := b.byName[i.Name]; ok {
		first := &b.interfaces[at]
		switch {
		case i.Own == first.Own:
			b.report(finding.New(finding.NameTaken, i.Place, "%s has an interface %s already, %s", b.device.Name.Value, i.Name,
				first.Place.From(i.Place)).
				About(b.device.Name.Value + ":" + i.Name).With(first.Place))
		case i.Own:
			*first = i
			b.written[at] = w
		}
		return
	}
	b.byName[i.Name] = len(b.interfaces)
	b.interfaces = append(b.interfaces, i)
	b.written = append(b.written, w)
}

// declare makes the interface, or the range of ports, that an entry stands
// for.
func (b *builder) declare(w *plan.Interface) {
	i := b.fresh(w.Name.Value, Port, true, w.Name.Place)
	i.AdminDown, i.MAC, i.Note = b.downAtFirst(w), b.mac(w), w.Note.Value
	i.MTU, i.Bandwidth, i.Serial, i.Clocks, i.Negotiates = w.MTU.Value, b.bandwidth(w), w.Line.Value == "serial", w.Clock.Written(),
		w.Negotiates.Value
	i.Duplex = w.Duplex.Value
	i.Table, i.Priority, i.Advertises = w.Table.Value, 100, w.Advertises.Value
	if w.Priority.Written() {
		i.Priority = uint8(w.Priority.Value)
	}
	if w.Clock.Written() && !i.Serial {
		b.report(finding.New(finding.KeyOutOfPlace, w.Clock.Place, "%s is no serial line, which alone is clocked", w.Name.Value).
			About(b.device.Name.Value + ":" + w.Name.Value).Mend("add 'line: serial'"))
	}
	if w.Negotiates.Value && len(w.Members) == 0 {
		b.report(finding.New(finding.KeyOutOfPlace, w.Negotiates.Place, "%s is no group, and only groups negotiate their members",
			w.Name.Value).About(b.device.Name.Value + ":" + w.Name.Value).Mend("say 'members:'"))
	}
	if len(w.Members) > 0 {
		i.Kind = Group
	}
	b.attach(&i, w)
	b.defaultVLAN(&i, w)
	names, isRange := b.expand(w.Name)
	if !isRange {
		if w.Parent.Written() || w.Tag.Written() {
			i.Kind = Subinterface
			i.Tag = VLAN(w.Tag.Value)
			if b.parentName == nil {
				b.parentName = map[int]plan.Text{}
			}
			if w.Parent.Written() {
				b.parentName[len(b.interfaces)] = w.Parent
			}
		}
		on := w.Segment
		if w.VLAN.Written() {
			on = w.VLAN
		}
		b.add(i, written{device: b.device, addresses: w.Addresses, secondary: w.Secondary, linkLocal: w.LinkLocal, entry: w, segment: on})
		return
	}
	i.Own = false
	if len(w.Addresses) > 0 {
		b.report(finding.New(finding.KeyOutOfPlace, w.Addresses[0].Place, "%s is a range of ports, which cannot share an address",
			w.Name.Value).
			About(b.device.Name.Value + ":" + w.Name.Value))
	}
	for _, name := range names {
		i.Name = name
		b.add(i, written{device: b.device})
	}
}

// downAtFirst tells whether an interface is administratively down: by its own
// word, else by how ports start.
func (b *builder) downAtFirst(w *plan.Interface) bool {
	if w.Admin.Written() {
		return w.Admin.Value == "down"
	}
	kind, s := b.device.Is.Value, &b.doc.Settings
	if kind == "host" || kind == "world" {
		return false
	}
	if of, ok := s.PortsStartOf[kind]; ok {
		return of.Value == "down"
	}
	return s.PortsStart.Value == "down"
}

// defaultVLAN puts what a switch port does not say into the default VLAN, where
// the plan has one.
func (b *builder) defaultVLAN(i *Interface, w *plan.Interface) {
	v := VLAN(b.doc.Settings.DefaultVLAN.Value)
	routed := w.Segment.Written() || w.VLAN.Written() || len(w.Addresses) > 0 || w.Parent.Written() || w.Tag.Written()
	if v == 0 || routed || b.device.Is.Value != "switch" || i.Untagged != 0 {
		return
	}
	i.Switched, i.Untagged = true, v
	if named := b.byVLAN[v]; len(named) == 1 {
		i.Segment = named[0]
	}
}

// bandwidth reads how many bits a second.
func (b *builder) bandwidth(w *plan.Interface) int64 {
	t := w.Bandwidth
	if !t.Written() {
		return 0
	}
	n, err := ParseBandwidth(t.Value)
	if err != nil {
		b.report(finding.New(finding.BadValue, t.Place, "%s", err).About(b.device.Name.Value + ":" + w.Name.Value))
	}
	return n
}

// mac reads an interface's MAC address.
func (b *builder) mac(w *plan.Interface) string {
	if !w.MAC.Written() {
		return ""
	}
	mac, err := prefix.ParseMAC(w.MAC.Value)
	if err != nil {
		b.report(finding.New(finding.BadValue, w.MAC.Place, "%s", err).About(b.device.Name.Value + ":" + w.Name.Value))
	}
	return mac
}

// attach says what the interface is on: a segment as a routed interface, a
// VLAN as a switch's own interface, or VLANs as a switch port.
func (b *builder) attach(i *Interface, w *plan.Interface) {
	var ways []plan.Text
	for _, t := range []plan.Text{w.Segment, w.VLAN, w.Access} {
		if t.Written() {
			ways = append(ways, t)
		}
	}
	if len(w.Tagged) > 0 {
		ways = append(ways, w.Tagged[0])
	} else if w.Untagged.Written() {
		ways = append(ways, w.Untagged)
	}
	if len(ways) > 1 {
		b.report(finding.New(finding.KeyOutOfPlace, ways[1].Place,
			"%s is either on a segment, a VLAN interface, an access port or a tagged port, not two of them", w.Name.Value).
			About(b.device.Name.Value + ":" + w.Name.Value))
		return
	}
	switch {
	case w.Segment.Written():
		i.Segment, _ = b.segment(w.Segment)
	case w.VLAN.Written():
		i.Kind = VLANInterface
		if id, vlan, ok := b.vlan(w.VLAN); ok {
			i.Segment, i.Tag = id, vlan
		}
	case w.Access.Written():
		i.Switched = true
		if id, vlan, ok := b.vlan(w.Access); ok {
			i.Segment, i.Untagged = id, vlan
		}
	case len(w.Tagged) > 0 || w.Untagged.Written():
		i.Switched = true
		for _, t := range w.Tagged {
			i.Tagged = append(i.Tagged, b.vlans(t)...)
		}
		slices.Sort(i.Tagged)
		i.Tagged = slices.Compact(i.Tagged)
		if w.Untagged.Written() {
			i.Segment, i.Untagged, _ = b.vlan(w.Untagged)
		}
	}
	if i.Switched && b.device.Is.Value != "switch" && b.device.Is.Written() {
		b.report(finding.New(finding.KeyOutOfPlace, ways[0].Place, "%s is a %s, and only a switch has access and tagged ports",
			b.device.Name.Value, b.device.Is.Value).
			About(b.device.Name.Value + ":" + w.Name.Value).Mend("say 'segment:' for a routed port"))
	}
}

// vlan reads a VLAN by its segment's name or by its number. A number that
// several segments share, at sites apart, names no segment.
func (r *resolver) vlan(t plan.Text) (SegmentID, VLAN, bool) {
	if n, err := strconv.Atoi(t.Value); err == nil {
		if n < 1 || n > 4094 {
			r.report(finding.New(finding.BadValue, t.Place, "a VLAN number is from 1 to 4094, not %d", n))
			return None, 0, false
		}
		if named := r.byVLAN[VLAN(n)]; len(named) == 1 {
			return named[0], VLAN(n), true
		}
		return None, VLAN(n), true
	}
	id, ok := r.segment(t)
	if !ok {
		return None, 0, false
	}
	if r.spec.Segments[id].VLAN == 0 {
		r.report(finding.New(finding.NoVLANNumber, t.Place, "segment %s has no VLAN number for a switch to carry it by", t.Value).
			About(t.Value).Mend("add 'vlan:' to segment %s", t.Value).With(r.spec.Segments[id].Place))
		return None, 0, false
	}
	return id, r.spec.Segments[id].VLAN, true
}

// vlans reads a VLAN, or a range of numbers such as 100..199.
func (r *resolver) vlans(t plan.Text) []VLAN {
	low, high, isRange := cutRange(t.Value)
	first, err1 := strconv.Atoi(low)
	last, err2 := strconv.Atoi(high)
	if !isRange || err1 != nil || err2 != nil {
		if _, vlan, ok := r.vlan(t); ok {
			return []VLAN{vlan}
		}
		return nil
	}
	if first < 1 || last > 4094 || first > last {
		r.report(finding.New(finding.BadValue, t.Place, "%s is no range of VLAN numbers, which are from 1 to 4094", t.Value))
		return nil
	}
	var all []VLAN
	for v := first; v <= last; v++ {
		all = append(all, VLAN(v))
	}
	return all
}

// mostInterfaces is how many interfaces a plan may have: they take 300 MB. The largest one planned for has a quarter of that.
const mostInterfaces = 220_000

// fitsInterfaces reports where the plan gets more interfaces than it may have.
func (r *resolver) fitsInterfaces() bool {
	total := 0
	for i := range r.doc.Devices {
		d := &r.doc.Devices[i]
		for j := range d.Interfaces {
			total += rangeSize(d.Interfaces[j].Name.Value)
			if total > mostInterfaces {
				name := d.Interfaces[j].Name
				r.report(finding.New(finding.PlanTooLarge, name.Place, "with %s of %s the plan has more than %d interfaces", name.Value,
					d.Name.Value, mostInterfaces).About(d.Name.Value).
					Mend("make a plan of a part of it, or leave out ports that nothing is said of"))
				return false
			}
		}
	}
	return true
}

// rangeSize is how many interfaces a name stands for.
func rangeSize(name string) int {
	if !strings.Contains(name, "..") {
		return 1
	}
	m := rangePattern().FindStringSubmatch(name)
	if m == nil {
		return 1
	}
	low, err1 := strconv.Atoi(m[2])
	high, err2 := strconv.Atoi(m[4])
	if err1 != nil || err2 != nil || high < low || high-low >= largestRange {
		return 1 // which is told
	}
	return high - low + 1
}

var rangePattern = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^(.*?)(\d+)\.\.(.*?)(\d+)$`) })

// expand writes out a range of ports: p1..p12.
func (b *builder) expand(name plan.Text) ([]string, bool) {
	m := rangePattern().FindStringSubmatch(name.Value)
	if m == nil {
		return nil, false
	}
	low, err1 := strconv.Atoi(m[2])
	high, err2 := strconv.Atoi(m[4])
	if err1 != nil || err2 != nil || m[3] != "" && m[3] != m[1] || high < low || high-low >= largestRange {
		b.report(finding.New(finding.BadValue,
			name.Place, "%s is no range of ports; write it as p1..p12, the lower number first, %d ports at most", name.Value, largestRange).
			About(b.device.Name.Value + ":" + name.Value))
		return nil, true
	}
	names := make([]string, 0, high-low+1)
	for n := low; n <= high; n++ {
		names = append(names, m[1]+strconv.Itoa(n))
	}
	return names, true
}

// parents finds what each subinterface is a part of. A name with a dot is a
// subinterface only where what stands before the last dot is an interface of
// the device or is cabled.
func (b *builder) parents(cabled []string) {
	for n := 0; n < len(b.interfaces); n++ {
		i := b.interfaces[n]
		if i.Switched || i.Kind == VLANInterface || i.Kind == Loopback || i.Kind == Group {
			continue
		}
		parent, tag := "", ""
		if t, said := b.parentName[n]; said {
			parent = t.Value
			if _, ok := b.byName[parent]; !ok && !slices.Contains(cabled, parent) {
				b.unknown(t, "interface of "+b.device.Name.Value, keysOf(b.byName))
				continue
			}
		} else if dot := strings.LastIndexByte(i.Name, '.'); dot > 0 {
			before := i.Name[:dot]
			_, exists := b.byName[before]
			if exists || slices.Contains(cabled, before) {
				parent, tag = before, i.Name[dot+1:]
			}
		}
		if parent == "" {
			continue
		}
		at, ok := b.byName[parent]
		if !ok {
			b.add(b.fresh(parent, Port, false, i.Place), written{device: b.device})
			at = b.byName[parent]
		}
		i.Kind, i.Parent = Subinterface, InterfaceID(len(b.spec.Interfaces)+at)
		if i.Tag == 0 {
			if number, err := strconv.Atoi(tag); err == nil && number >= 1 && number <= 4094 {
				i.Tag = VLAN(number)
			} else if i.Segment != None {
				i.Tag = b.spec.Segments[i.Segment].VLAN
			}
		}
		b.interfaces[n] = i
	}
}
