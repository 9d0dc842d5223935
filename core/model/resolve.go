package model

import (
	"net/netip"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// Resolve makes everything in the document explicit. The findings are all
// references that lead nowhere and all values that cannot be; the Spec holds
// what could be resolved.
func Resolve(doc *plan.Document) (*Spec, []finding.Finding) {
	r := &resolver{doc: doc, spec: &Spec{
		Name:     doc.Name.Value,
		Operator: None,
		devices:  map[string]DeviceID{},
		segments: map[string]SegmentID{},
		blocks:   map[string]int{},
		cables:   map[string]CableID{},
	}}
	r.settings()
	r.names()
	r.blocks()
	r.segments()
	r.devices()
	r.cables()
	r.hostSegments()
	r.addresses()
	r.gateways()
	r.routes()
	r.operator()
	return r.spec, r.found
}

// resolver holds what is at hand while a document is resolved.
type resolver struct {
	doc   *plan.Document
	spec  *Spec
	found []finding.Finding

	written []written                   // by interface: what the plan says of it
	byVLAN  map[VLAN][]SegmentID        // the segments that have a number
	on      map[SegmentID][]InterfaceID // the routed interfaces on a segment
}

// written is what the plan says of an interface.
type written struct {
	device    *plan.Device
	addresses []plan.Text
	segment   plan.Text // as named, whether it was found or not
}

// mostSlips is how many slips of one plan are worth telling.
const mostSlips = 200

func (r *resolver) report(f finding.Finding) {
	if len(r.found) < mostSlips {
		r.found = append(r.found, f)
	}
}

func (r *resolver) settings() {
	r.spec.Settings = Settings{
		ResolveThroughDefault:  r.doc.Settings.ResolveThroughDefault.Or(false),
		VLANInterfaceNeedsPort: r.doc.Settings.VLANInterfaceNeedsPort.Or(true),
		ErrorsTowardsSender:    r.doc.Settings.ErrorSource.Value == "towards-sender",
	}
}

// names gives out the identifiers and sees to it that one name means one
// thing: sentences and options name devices, segments, blocks and cables
// alike.
func (r *resolver) names() {
	type owner struct {
		what  string
		place source.Place
	}
	taken := map[string]owner{}
	claim := func(name plan.Text, what string) {
		if first, ok := taken[name.Value]; ok {
			line, _ := first.place.Position()
			r.report(finding.New(finding.NameTaken, name.Place, "%s is already the name of %s on line %d", name.Value, first.what, line).
				About(name.Value).With(first.place))
			return
		}
		taken[name.Value] = owner{what, name.Place}
	}
	for i, b := range r.doc.Blocks {
		claim(b.Name, "a block")
		r.spec.blocks[b.Name.Value] = i
	}
	for i, s := range r.doc.Segments {
		claim(s.Name, "a segment")
		r.spec.segments[s.Name.Value] = SegmentID(i)
	}
	for i, d := range r.doc.Devices {
		claim(d.Name, "a device")
		r.spec.devices[d.Name.Value] = DeviceID(i)
	}
	for _, c := range r.doc.Cables {
		if c.Name.Written() {
			claim(c.Name, "a cable")
		}
	}
}

// prefixOf reads an address range; host bits are reported and dropped.
func (r *resolver) prefixOf(t plan.Text, subject string) (Prefix, bool) {
	p, whole, err := prefix.Parse(t.Value)
	switch {
	case err != nil:
		r.report(finding.New(finding.BadAddress, t.Place, "%s", err).About(subject))
		return Prefix{}, false
	case whole && !strings.Contains(t.Value, "/"):
		r.report(finding.New(finding.BadAddress, t.Place, "%s has no prefix length", p.Addr()).About(subject).
			Mend("write %s/%d", p.Addr(), likelyLength(p.Addr())))
		return Prefix{}, false
	case p.Addr() != p.Masked().Addr():
		r.report(finding.New(finding.HostBitsSet, t.Place, "%s is an address in a subnet, and a subnet is meant", p).About(subject).
			Mend("write %s", p.Masked()))
	}
	return Prefix{p.Masked(), t.Place}, true
}

// likelyLength is the length most subnets of the family have.
func likelyLength(a netip.Addr) int {
	if a.Is4() {
		return 24
	}
	return 64
}

func (r *resolver) prefixes(texts []plan.Text, subject string) []Prefix {
	var all []Prefix
	for _, t := range texts {
		if p, ok := r.prefixOf(t, subject); ok {
			all = append(all, p)
		}
	}
	return all
}

func (r *resolver) blocks() {
	for _, b := range r.doc.Blocks {
		r.spec.Blocks = append(r.spec.Blocks, Block{b.Name.Value, r.prefixes(b.Prefixes, b.Name.Value), b.Name.Place})
	}
}

func (r *resolver) segments() {
	for _, s := range r.doc.Segments {
		r.spec.Segments = append(r.spec.Segments, Segment{
			Name: s.Name.Value, VLAN: VLAN(s.VLAN.Value),
			Prefixes: r.prefixes(s.Prefixes, s.Name.Value), Place: s.Name.Place,
		})
	}
	r.byVLAN = map[VLAN][]SegmentID{}
	for id, s := range r.spec.Segments {
		r.byVLAN[s.VLAN] = append(r.byVLAN[s.VLAN], SegmentID(id))
	}
}

func (r *resolver) operator() {
	if t := r.doc.Operator; t.Written() {
		if id, ok := r.device(t); ok {
			r.spec.Operator = id
		}
	}
}

// device finds the device a word names, or reports it with the nearest name.
func (r *resolver) device(t plan.Text) (DeviceID, bool) {
	if id, ok := r.spec.devices[t.Value]; ok {
		return id, true
	}
	r.unknown(t, "device", keysOf(r.spec.devices))
	return None, false
}

// segment finds the segment a word names, or reports it.
func (r *resolver) segment(t plan.Text) (SegmentID, bool) {
	if id, ok := r.spec.segments[t.Value]; ok {
		return id, true
	}
	r.unknown(t, "segment", keysOf(r.spec.segments))
	return None, false
}

// unknown reports a name that nothing has, with the nearest that something
// does. Names are listed on demand: a plan may have many, and many slips.
func (r *resolver) unknown(t plan.Text, what string, names func() []string) {
	if len(r.found) >= mostSlips {
		return
	}
	f := finding.New(finding.UnknownName, t.Place, "there is no %s called %s", what, t.Value).About(t.Value)
	if len(r.found) < mostGuesses {
		if near, ok := finding.Nearest(t.Value, names()); ok {
			f = f.Mend("did you mean %s?", near)
		}
	}
	r.report(f)
}

// mostGuesses is for how many slips the nearest name is looked for: who made
// more did not mistype a name.
const mostGuesses = 20

func keysOf[V any](m map[string]V) func() []string {
	return func() []string {
		names := make([]string, 0, len(m))
		for name := range m {
			names = append(names, name)
		}
		return sorted(names)
	}
}
