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

// Ruling is what becomes of a packet.
type Ruling uint8

const (
	Pass   Ruling = iota
	Drop          // silently
	Refuse        // its sender is told (ICMP type 3 code 13; ICMPv6 type 1 code 1)
)

func (r Ruling) String() string { return [...]string{"pass", "drop", "refuse"}[r] }

// Permit is a sentence of what a device lets pass, or does not.
type Permit struct {
	Text     string // as written
	Ruling   Ruling
	Answers  bool // it covers replies only
	From, To Side
	Over     []Service     // empty is any
	In, Out  []InterfaceID // empty is any
	Pending  bool          // written, and not in force
	Note     string
	Place    source.Place
}

// Side is one side of a permit: addresses, or the device itself.
type Side struct {
	Anyone, Itself bool
	Prefixes       []netip.Prefix // merged and in order
}

// Contains tells whether an address is on the side.
func (s *Side) Contains(a netip.Addr) bool {
	if s.Anyone {
		return true
	}
	i, found := slices.BinarySearchFunc(s.Prefixes, a, func(p netip.Prefix, a netip.Addr) int { return p.Addr().Compare(a) })
	return found || i > 0 && s.Prefixes[i-1].Contains(a)
}

// Covers tells whether every address of another side is on this one.
func (s *Side) Covers(o *Side) bool {
	if s.Anyone || s.Itself && o.Itself {
		return true
	}
	return !o.Anyone && !o.Itself && !s.Itself && !slices.ContainsFunc(o.Prefixes, func(p netip.Prefix) bool {
		return len(prefix.Without(p, s.Prefixes)) > 0
	})
}

// Overlaps tells whether some address is on both sides.
func (s *Side) Overlaps(o *Side) bool {
	switch {
	case s.Itself || o.Itself:
		return s.Itself && o.Itself || s.Anyone || o.Anyone
	case s.Anyone || o.Anyone:
		return true
	}
	return slices.ContainsFunc(o.Prefixes, func(p netip.Prefix) bool { return slices.ContainsFunc(s.Prefixes, p.Overlaps) })
}

const permitForms = "'A may reach B', 'A may not reach B', 'A is refused B' or 'A may answer B', with 'over SERVICE' behind it, " +
	"and behind that 'marked ef' where the mark matters"

// permits resolves what devices let pass.
func (r *resolver) permits() {
	for i := range r.doc.Devices {
		d := &r.doc.Devices[i]
		device := &r.spec.Devices[i]
		firewall := device.Kind == Firewall
		device.KeepsState = d.KeepsState.Or(firewall)
		if firewall {
			device.Otherwise = Drop
		}
		if d.SharesState.Written() {
			r.sharesState(DeviceID(i), d.SharesState)
		}
		if d.Otherwise.Written() {
			device.Otherwise = map[string]Ruling{"pass": Pass, "drop": Drop, "refuse": Refuse}[d.Otherwise.Value]
		}
		for _, t := range d.Permits {
			if p, ok := r.permit(DeviceID(i), t, false); ok {
				device.Permits = append(device.Permits, p)
			}
		}
		for _, t := range d.OwnPermits {
			if p, ok := r.permit(DeviceID(i), t, true); ok {
				device.OwnPermits = append(device.OwnPermits, p)
			}
		}
	}
}

// permit resolves one sentence.
func (r *resolver) permit(d DeviceID, t plan.Permit, own bool) (Permit, bool) {
	p := Permit{Text: t.Sentence.Value, Pending: t.Pending.Value, Note: t.Note.Value, Place: t.Sentence.Place}
	words := t.Sentence.Words()
	said := make([]string, len(words))
	for i, w := range words {
		said[i] = w.Value
	}
	is := func(verb ...string) bool { return len(said) > len(verb)+1 && slices.Equal(said[1:len(verb)+1], verb) }
	verb := 2
	switch {
	case is("may", "not", "reach"):
		p.Ruling, verb = Drop, 3
	case is("may", "reach"):
	case is("may", "answer"):
		p.Answers = true
	case is("is", "refused"):
		p.Ruling = Refuse
	default:
		r.report(finding.New(finding.BadValue, t.Sentence.Place, "a permit is %s, not %s", permitForms, t.Sentence.Value))
		return p, false
	}
	rest := words[verb+2:]
	for len(rest) > 0 {
		if len(rest) < 2 || rest[0].Value != "over" {
			r.report(finding.New(finding.BadValue, rest[0].Place, "a permit is %s, not %s", permitForms, t.Sentence.Value))
			return p, false
		}
		// A space may stand behind a comma.
		services, used := rest[1], 2
		for strings.HasSuffix(services.Value, ",") && used < len(rest) {
			services.Value += rest[used].Value
			used++
		}
		over, ok := r.services(services)
		if !ok {
			return p, false
		}
		if len(rest) > used+1 && rest[used].Value == "marked" {
			mark, err := ParseMark(rest[used+1].Value)
			if err != nil {
				r.report(finding.New(finding.BadValue, rest[used+1].Place, "%s", err))
				return p, false
			}
			for i := range over {
				over[i].Mark = mark
			}
			used += 2
		}
		p.Over = append(p.Over, over...)
		rest = rest[used:]
	}
	from, ok1 := r.side(words[0])
	to, ok2 := r.side(words[verb+1])
	in, ok3 := r.own(d, t.In)
	out, ok4 := r.own(d, t.Out)
	p.From, p.To, p.In, p.Out = from, to, in, out
	if !ok1 || !ok2 || !ok3 || !ok4 {
		return p, false
	}
	name := r.spec.Devices[d].Name
	switch itself := p.From.Itself || p.To.Itself; {
	case itself && !own:
		r.report(finding.New(finding.BadValue, t.Sentence.Place,
			"under 'permits' is what passes through %s; 'itself' belongs under 'own-permits'", name).About(name))
		return p, false
	case !itself && own, p.From.Itself && p.To.Itself:
		r.report(finding.New(finding.BadValue, t.Sentence.Place, "under 'own-permits' one side of each sentence is 'itself', meaning %s",
			name).About(name))
		return p, false
	case p.From.Itself && len(p.In) > 0, p.To.Itself && len(p.Out) > 0:
		r.report(finding.New(finding.BadValue, t.Sentence.Place,
			"what comes from %s itself comes in by no interface, and what is for it leaves by none", name).About(name))
		return p, false
	}
	return p, true
}

// services reads services with commas between them.
func (r *resolver) services(t plan.Text) ([]Service, bool) {
	var all []Service
	for word := range strings.SplitSeq(t.Value, ",") {
		s, err := ParseService(word)
		if err != nil {
			r.report(finding.New(finding.BadValue, t.Place, "%s", err))
			return nil, false
		}
		all = append(all, s)
	}
	return all, true
}

// own resolves interfaces of a device.
func (r *resolver) own(d DeviceID, texts []plan.Text) ([]InterfaceID, bool) {
	var all []InterfaceID
	for _, t := range texts {
		id, ok := r.spec.InterfaceNamed(d, t.Value)
		if !ok {
			r.unknown(t, "interface of "+r.spec.Devices[d].Name, func() []string {
				var names []string
				for _, i := range r.spec.InterfacesOf(d) {
					names = append(names, r.spec.Interfaces[i].Name)
				}
				return names
			})
			return nil, false
		}
		all = append(all, id)
	}
	return all, true
}

// side resolves one side of a permit or translation.
func (r *resolver) side(t plan.Text) (Side, bool) {
	switch t.Value {
	case "anyone":
		return Side{Anyone: true}, true
	case "itself":
		return Side{Itself: true}, true
	}
	all, ok := r.addressesOf(t, nil)
	return Side{Prefixes: prefix.Merge(all)}, ok
}

// addressesOf is the addresses a word stands for. Above is the groups it is
// looked up from.
func (r *resolver) addressesOf(t plan.Text, above []string) ([]netip.Prefix, bool) {
	var all []netip.Prefix
	add := func(prefixes []Prefix) {
		for _, p := range prefixes {
			all = append(all, p.Prefix)
		}
	}
	if id, ok := r.spec.blocks[t.Value]; ok {
		add(r.spec.Blocks[id].Prefixes)
		return all, true
	}
	if strings.Contains(t.Value, "/") {
		p, ok := r.prefixOf(t, t.Value)
		return []netip.Prefix{p.Prefix}, ok
	}
	if g, ok := r.groupNamed(t.Value); ok {
		if slices.Contains(above, t.Value) {
			return nil, false // that was said where it is written
		}
		leaves, ok := r.leaves(g)
		if !ok {
			return nil, false
		}
		for _, of := range leaves {
			some, ok := r.addressesOf(of, append(above, t.Value))
			if !ok {
				return nil, false
			}
			all = append(all, some...)
		}
		return all, true
	}
	parties, ok := r.parties(t, above)
	for _, p := range parties {
		switch {
		case p.Address.IsValid():
			all = append(all, single(p.Address))
		case p.Device != None:
			all = append(all, r.spec.Own(p.Device)...)
		default:
			add(r.spec.Segments[p.Segment].Prefixes)
		}
	}
	return all, ok
}

func single(a netip.Addr) netip.Prefix { return netip.PrefixFrom(a, a.BitLen()) }

// Own is every address of a device, and what it answers for beyond.
func (s *Spec) Own(d DeviceID) []netip.Prefix {
	var all []netip.Prefix
	for _, id := range s.InterfacesOf(d) {
		for _, a := range s.Interfaces[id].Addresses {
			if !a.Addr().IsLinkLocalUnicast() {
				all = append(all, single(a.Addr()))
			}
		}
	}
	for _, p := range s.Devices[d].Beyond {
		all = append(all, p.Prefix)
	}
	return all
}
