package model

import (
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// Resolve makes everything in the document explicit. The findings are all
// references that lead nowhere and all values that cannot be; the Spec holds
// what could be resolved.
//
// Numbers the plan leaves open are assigned by numbering; with none, they
// stay open.
func Resolve(doc *plan.Document, numbering Numbering) (*Spec, []finding.Finding) {
	r := &resolver{doc: doc, spec: &Spec{
		Name:     doc.Name.Value,
		Operator: None,
		devices:  map[string]DeviceID{},
		segments: map[string]SegmentID{},
		blocks:   map[string]BlockID{},
		cables:   map[string]CableID{},
	}}
	r.settings()
	r.errorSource()
	r.names()
	r.blocks()
	r.vlanRanges()
	r.segments()
	if numbering == nil {
		numbering = noNumbering{}
	}
	numbering.VLANs(r.spec)
	r.vlanNumbers()
	if !r.fitsInterfaces() {
		// Nothing can be said of a part of it: identifiers count on the whole.
		empty := Spec{Name: r.spec.Name, Operator: None, devices: map[string]DeviceID{}, segments: map[string]SegmentID{},
			blocks: map[string]BlockID{}, cables: map[string]CableID{}}
		empty.Settings.TreeRoot = None
		return &empty, r.found
	}
	r.devices()
	r.cables()
	r.hostSegments()
	r.claims()
	numbering.Subnets(r.spec)
	r.leases()
	r.addresses()
	r.gatewayHints()
	r.lent()
	numbering.Addresses(r.spec)
	r.links()
	r.managed()
	r.gateways()
	r.relays()
	r.servers()
	r.routes()
	r.operator()
	r.wants()
	r.groups()
	r.must()
	r.permits()
	r.translations()
	return r.spec, r.found
}

// Numbering assigns numbers that a plan leaves open, as resolving comes to
// them.
type Numbering interface {
	// VLANs gives a number to each segment that wants one given.
	VLANs(*Spec)
	// Subnets gives subnets to the segments that need some, and loopbacks.
	// What interfaces there are, and on which segments, is known.
	Subnets(*Spec)
	// Addresses gives the next free address to the interfaces that want it.
	// Every other address is known.
	Addresses(*Spec)
}

type noNumbering struct{}

func (noNumbering) VLANs(*Spec)     {}
func (noNumbering) Subnets(*Spec)   {}
func (noNumbering) Addresses(*Spec) {}

// resolver holds what is at hand while a document is resolved.
type resolver struct {
	doc   *plan.Document
	spec  *Spec
	found []finding.Finding

	written []written                   // by interface: what the plan says of it
	byVLAN  map[VLAN][]SegmentID        // the segments that have a number
	told    map[slip][]string           // of whom, and why
	grouped map[string]*plan.Group      // the groups by name, once asked for
	stands  map[string]standing         // what groups stand for, as far as it was asked
	on      map[SegmentID][]InterfaceID // the routed interfaces on a segment

	lastLease map[source.Place]netip.Addr // by range of leases: the last address an interface leases
}

// written is what the plan says of an interface.
type written struct {
	device    *plan.Device
	addresses []plan.Text
	secondary []plan.Text
	linkLocal plan.Text
	entry     *plan.Interface // nil where the interface has none of its own
	segment   plan.Text       // as named, whether it was found or not
}

// mostSlips is how many slips of one plan are worth telling.
const mostSlips = 200

// mostAtOnePlace is how many of one kind are told of one place, so that those a
// pattern makes leave room for others.
const mostAtOnePlace = 20

func (r *resolver) report(f finding.Finding) {
	at := slip{f.Name, f.Place}
	told := f.Subject + " " + f.Reason
	if slices.Contains(r.told[at], told) || f.Place.Known() && len(r.told[at]) >= mostAtOnePlace || len(r.found) >= mostSlips {
		return
	}
	if r.told == nil {
		r.told = map[slip][]string{}
	}
	r.told[at] = append(r.told[at], told)
	r.found = append(r.found, f)
}

// slip is what is wrong, and where.
type slip struct {
	name  finding.Name
	place source.Place
}

func (r *resolver) settings() {
	r.spec.Settings = Settings{
		ResolveThroughDefault:  r.doc.Settings.ResolveThroughDefault.Or(false),
		AnswersWithoutLink:     r.doc.Settings.AnswersWithoutLink.Or(false),
		ProbesByTable:          r.doc.Settings.ProbesByTable.Or(false),
		FirstSource:            r.doc.Settings.FirstSource.Or(false),
		VLANInterfaceNeedsPort: r.doc.Settings.VLANInterfaceNeedsPort.Or(true),
		ErrorsTowardsSender:    [2]bool{prefix.IPv6: true},
		Tree:                   map[string]Tree{"per-vlan": TreePerVLAN, "none": NoTree}[r.doc.Settings.SpanningTree.Value],
		TreeRoot:               None,
	}
}

// errorSource resolves where errors come from, by family.
func (r *resolver) errorSource() {
	s := &r.doc.Settings
	for family, word := range map[prefix.Family]string{prefix.IPv4: "ipv4", prefix.IPv6: "ipv6"} {
		for _, t := range []plan.Text{s.ErrorSource, s.ErrorSourceOf[word]} {
			if t.Written() {
				r.spec.Settings.ErrorsTowardsSender[family] = t.Value == "towards-sender"
			}
		}
	}
}

// names assigns the identifiers and sees to it that one name means one
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
			r.report(finding.New(finding.NameTaken, name.Place, "%s is already the name of %s %s", name.Value, first.what,
				first.place.From(name.Place)).
				About(name.Value).With(first.place))
			return
		}
		taken[name.Value] = owner{what, name.Place}
	}
	for i, b := range r.doc.Blocks {
		claim(b.Name, "a block")
		r.spec.blocks[b.Name.Value] = BlockID(i)
	}
	for i, s := range r.doc.Segments {
		claim(s.Name, "a segment")
		r.spec.segments[s.Name.Value] = SegmentID(i)
	}
	for i, d := range r.doc.Devices {
		claim(d.Name, "a device")
		r.spec.devices[d.Name.Value] = DeviceID(i)
	}
	for _, g := range r.doc.Groups {
		claim(g.Name, "a group")
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
		r.report(finding.New(prefix.FindingOf(err), t.Place, "%s", err).About(subject))
		return Prefix{}, false
	case whole && !strings.Contains(t.Value, "/"):
		r.report(finding.New(finding.NoPrefixLength, t.Place, "%s has no prefix length", p.Addr()).About(subject).
			Mend("write %s/%d", p.Addr(), likelyLength(p.Addr())))
		return Prefix{}, false
	case p.Addr() != p.Masked().Addr():
		r.report(finding.New(finding.HostBitsSet, t.Place, "%s is an address in a subnet, and a subnet is meant", p).About(subject).
			Mend("write %s", p.Masked()))
	}
	return Prefix{Prefix: p.Masked(), Place: t.Place}, true
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

func (r *resolver) operator() {
	if t := r.doc.Operator; t.Written() {
		if id, ok := r.device(t); ok {
			r.spec.Operator = id
		}
	}
	if t := r.doc.Settings.TreeRoot; t.Written() {
		if id, ok := r.device(t); ok {
			r.spec.Settings.TreeRoot = id
		}
	}
	for _, a := range r.doc.Access {
		r.parties(a.For, nil) // only that it is somebody: who it is, is found out when they are asked
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
		all := names()
		if near, ok := finding.Nearest(t.Value, all); ok {
			f = f.Mend("did you mean %s?", near)
		} else if len(all) == 1 {
			f = f.Mend("did you mean %s?", all[0])
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
