package model

import (
	"net/netip"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// Requirement is a sentence of the plan that must hold.
type Requirement struct {
	Text     string // as written
	From, To []Party
	Not      bool        // it must not reach
	Without  []plan.Text // what is out of order meanwhile
	Through  []DeviceID  // by which it must go, there and back
	Over     Service     // what for; Echo unless said
	Place    source.Place
}

// Party is who a requirement speaks of: a segment, a device, or an address; the
// others are None and invalid.
type Party struct {
	Segment SegmentID
	Device  DeviceID
	Address netip.Addr
}

// must resolves the sentences under 'must'.
func (r *resolver) must() {
	for _, t := range r.doc.Must {
		if x, ok := r.requirement(t); ok {
			r.spec.Must = append(r.spec.Must, x)
		}
	}
}

const sentences = "'A reaches B' or 'A does not reach B', with 'over SERVICE', 'without NAME' or 'through DEVICE' behind it"

// requirement resolves one sentence.
func (r *resolver) requirement(t plan.Text) (Requirement, bool) {
	x := Requirement{Text: t.Value, Over: Echo, Place: t.Place}
	words := t.Words()
	bad := func() (Requirement, bool) {
		r.report(finding.New(finding.BadValue, t.Place, "a requirement is %s, not %s", sentences, t.Value))
		return x, false
	}
	rest := words
	switch {
	case len(words) >= 3 && words[1].Value == "reaches":
		rest = words[3:]
	case len(words) >= 5 && words[1].Value == "does" && words[2].Value == "not" && words[3].Value == "reach":
		x.Not = true
		rest = words[5:]
	default:
		return bad()
	}
	for len(rest) > 0 {
		if len(rest) < 2 {
			return bad()
		}
		switch rest[0].Value {
		case "over":
			over, err := ParseService(rest[1].Value)
			if err != nil {
				r.report(finding.New(finding.BadValue, rest[1].Place, "%s", err))
				return x, false
			}
			x.Over = over
		case "without":
			x.Without = append(x.Without, rest[1])
		case "through":
			d, ok := r.device(rest[1])
			if !ok {
				return x, false
			}
			x.Through = append(x.Through, d)
		default:
			return bad()
		}
		rest = rest[2:]
	}
	to := words[2]
	if x.Not {
		to = words[4]
	}
	okFrom, okTo := false, false
	x.From, okFrom = r.parties(words[0], nil)
	x.To, okTo = r.parties(to, nil)
	return x, okFrom && okTo
}

// inItself is the finding of a group that leads back to itself.
func (r *resolver) inItself(group plan.Text, above []string) finding.Finding {
	return finding.New(finding.BadValue, group.Place, "the group %s is in itself, by %s", group.Value, strings.Join(above, ", ")).About(group.Value)
}

// parties resolves one side of a sentence. Above is the groups it is looked up
// from, which a group must not lead back to.
func (r *resolver) parties(t plan.Text, above []string) ([]Party, bool) {
	if t.Value == "everyone" {
		var all []Party
		for id := range r.spec.Segments {
			all = append(all, Party{SegmentID(id), None, netip.Addr{}})
		}
		return all, true
	}
	if id, ok := r.spec.segments[t.Value]; ok {
		return []Party{{id, None, netip.Addr{}}}, true
	}
	if id, ok := r.spec.devices[t.Value]; ok {
		return []Party{{None, id, netip.Addr{}}}, true
	}
	if a, err := prefix.ParseAddress(t.Value); err == nil {
		return []Party{{None, None, a}}, true
	}
	names := append(append(keysOf(r.spec.segments)(), keysOf(r.spec.devices)()...), "everyone")
	for _, g := range r.doc.Groups {
		if g.Name.Value != t.Value {
			names = append(names, g.Name.Value)
			continue
		}
		for _, name := range above {
			if name == t.Value {
				r.report(r.inItself(g.Name, above))
				return nil, false
			}
		}
		var all []Party
		for _, of := range g.Of {
			some, ok := r.parties(of, append(above, t.Value))
			if !ok {
				return nil, false
			}
			all = append(all, some...)
		}
		return all, true
	}
	r.unknown(t, "segment, device, address or group", func() []string { return names })
	return nil, false
}
