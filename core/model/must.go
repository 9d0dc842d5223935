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

// Requirement is a sentence of the plan that must hold.
type Requirement struct {
	Text     string // as written
	From, To []Party
	Names    [2]string   // the two as a permit would name them; "" where it has no one word for it
	Not      bool        // it must not reach
	Without  []plan.Text // what is out of order meanwhile
	AnyOne   AnyOne      // and then each of these in turn
	Through  []DeviceID  // by which it must go, there and back
	Over     Service     // what for; Echo unless said
	Place    source.Place
}

// AnyOne is what is put out of order in turn.
type AnyOne uint8

const (
	NoOne AnyOne = iota
	AnyOneCable
	AnyOneDevice
)

// Party is who a requirement covers: a segment, a device, or an address; the
// others are None and invalid.
type Party struct {
	Segment SegmentID
	Device  DeviceID
	Address netip.Addr
}

// must resolves the sentences under 'must'.
func (r *resolver) must() {
	r.spec.MustSaid = r.doc.MustSaid.Value
	for _, t := range r.doc.Must {
		if x, ok := r.requirement(t); ok {
			r.spec.Must = append(r.spec.Must, x)
		}
	}
}

const sentences = "'A reaches B' or 'A does not reach B', of several 'A, B and C reach D', with 'over SERVICE', 'without NAME', " +
	"'without any one cable' (or device) or 'through DEVICE' behind it"

// requirement resolves one sentence.
func (r *resolver) requirement(t plan.Text) (Requirement, bool) {
	x := Requirement{Text: t.Value, Over: Echo, Place: t.Place}
	bad := func() (Requirement, bool) {
		r.report(finding.New(finding.BadValue, t.Place, "a requirement is %s, not %s", sentences, t.Value))
		return x, false
	}
	from, rest, ok := several(t.Words())
	if !ok {
		return bad()
	}
	said := func(verb ...string) bool {
		is := len(rest) > len(verb)
		for i, v := range verb {
			is = is && rest[i].Value == v
		}
		if is {
			rest = rest[len(verb):]
		}
		return is
	}
	many := len(from) > 1
	switch {
	case said("reaches"), many && said("reach"):
	case said("does", "not", "reach"), many && said("do", "not", "reach"):
		x.Not = true
	default:
		return bad()
	}
	to, rest, ok := several(rest)
	if !ok {
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
			if len(rest) > 3 && rest[2].Value == "marked" {
				if x.Over.Mark, err = ParseMark(rest[3].Value); err != nil {
					r.report(finding.New(finding.BadValue, rest[3].Place, "%s", err))
					return x, false
				}
				rest = rest[2:]
			}
		case "without":
			if rest[1].Value == "any" && len(rest) >= 4 && rest[2].Value == "one" {
				switch rest[3].Value {
				case "cable":
					x.AnyOne = AnyOneCable
				case "device":
					x.AnyOne = AnyOneDevice
				default:
					return bad()
				}
				rest = rest[2:]
				break
			}
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
	okFrom, okTo := false, false
	x.From, okFrom = r.together(from)
	x.To, okTo = r.together(to)
	for i, names := range [][]plan.Text{from, to} {
		_, notAddress := prefix.ParseAddress(names[0].Value)
		if len(names) == 1 && (notAddress == nil || !strings.Contains(names[0].Value, ":")) {
			x.Names[i] = names[0].Value
		}
	}
	return x, okFrom && okTo
}

// several takes the names from the beginning of some words, with commas or 'and' between; false where they do not
// begin with one.
func several(words []plan.Text) (names, rest []plan.Text, ok bool) {
	for more := true; more; {
		if len(words) == 0 || words[0].Value == "and" {
			return nil, nil, false
		}
		name := words[0]
		more = strings.HasSuffix(name.Value, ",")
		names, words = append(names, name.WithoutComma()), words[1:]
		if len(words) > 0 && words[0].Value == "and" {
			more, words = true, words[1:]
		}
	}
	return names, words, true
}

// together resolves the names on one side of a sentence.
func (r *resolver) together(names []plan.Text) ([]Party, bool) {
	var all []Party
	whole := true
	for _, name := range names {
		some, ok := r.parties(name, nil)
		for _, p := range some {
			if !slices.Contains(all, p) {
				all = append(all, p)
			}
		}
		whole = whole && ok
	}
	return all, whole
}

// inItself is the finding of a group that leads back to itself.
func (r *resolver) inItself(group plan.Text, above []string) finding.Finding {
	return finding.New(finding.BadValue, group.Place, "the group %s is in itself, by %s", group.Value,
		strings.Join(above, ", ")).About(group.Value)
}

// interfaceParties are the addresses of an interface, written DEVICE:INTERFACE; false where
// it is no such word. What is wrong with it is reported.
func (r *resolver) interfaceParties(t plan.Text) ([]Party, bool) {
	device, name, ok := strings.Cut(t.Value, ":")
	d, known := r.spec.devices[device]
	if !ok || !known {
		return nil, false
	}
	id, found := r.spec.InterfaceNamed(d, name)
	if !found {
		r.unknown(plan.Text{Value: name, Place: t.Place}, "interface of "+device, func() []string { return r.spec.InterfaceNames(d) })
		return nil, true
	}
	var all []Party
	for _, a := range r.spec.Interfaces[id].Addresses {
		if !a.Addr().IsLinkLocalUnicast() {
			all = append(all, Party{None, None, a.Addr()})
		}
	}
	if len(all) == 0 {
		r.report(finding.New(finding.BadValue, t.Place, "%s has no address", t.Value).About(t.Value))
	}
	return all, true
}

// means tells whether a word stands for anything that may be in a group.
func (r *resolver) means(t plan.Text) bool {
	_, segment := r.spec.segments[t.Value]
	_, device := r.spec.devices[t.Value]
	_, block := r.spec.blocks[t.Value]
	_, err := prefix.ParseAddress(t.Value)
	of, _, ok := strings.Cut(t.Value, ":")
	_, iface := r.spec.devices[of]
	_, group := r.groupNamed(t.Value)
	return segment || device || block || group || err == nil || ok && iface || t.Value == "everyone" || strings.Contains(t.Value, "/")
}

// groupsByName are the plan's groups; of several of one name, which is told
// elsewhere, the first.
func (r *resolver) groupsByName() map[string]*plan.Group {
	if r.grouped == nil {
		r.grouped = map[string]*plan.Group{}
		for i := len(r.doc.Groups) - 1; i >= 0; i-- {
			r.grouped[r.doc.Groups[i].Name.Value] = &r.doc.Groups[i]
		}
	}
	return r.grouped
}

func (r *resolver) groupNamed(name string) (*plan.Group, bool) {
	g, ok := r.groupsByName()[name]
	return g, ok
}

// leaves are the words that a group stands for, those of the groups in it included and each once, whatever number of ways lead there; false
// where a group leads back to itself.
func (r *resolver) leaves(g *plan.Group) ([]plan.Text, bool) {
	name := g.Name.Value
	if known, ok := r.stands[name]; ok {
		return known.words, known.whole
	}
	if r.stands == nil {
		r.stands = map[string]standing{}
	}
	r.stands[name] = standing{} // while it is looked up: who comes here again is in a circle
	x, seen := standing{whole: true}, map[string]bool{}
	add := func(words ...plan.Text) {
		for _, w := range words {
			if !seen[w.Value] {
				seen[w.Value] = true
				x.words = append(x.words, w)
			}
		}
	}
	for _, of := range g.Of {
		next, isGroup := r.groupNamed(of.Value)
		if !isGroup || r.isOther(of) {
			add(of)
			continue
		}
		words, ok := r.leaves(next)
		x.whole = x.whole && ok
		add(words...)
	}
	r.stands[name] = x
	return x.words, x.whole
}

// standing is what a group stands for.
type standing struct {
	words []plan.Text
	whole bool
}

// isOther tells whether a word is a segment, a device or a block, which a group of that name does not hide.
func (r *resolver) isOther(t plan.Text) bool {
	_, segment := r.spec.segments[t.Value]
	_, device := r.spec.devices[t.Value]
	_, block := r.spec.blocks[t.Value]
	return segment || device || block
}

// groups checks every group where it is written, used or not: what is in it is there, and
// none leads back to itself.
func (r *resolver) groups() {
	byName, circled := r.groupsByName(), map[string]bool{}
	for i := range r.doc.Groups {
		g := &r.doc.Groups[i]
		for _, of := range g.Of {
			switch {
			case !r.means(of):
				r.unknown(of, "segment, device, block, address or group", func() []string {
					return slices.Concat(keysOf(r.spec.segments)(), keysOf(r.spec.devices)(), keysOf(r.spec.blocks)(), keysOf(byName)())
				})
			case strings.Contains(of.Value, "/"):
				r.prefixOf(of, "group "+g.Name.Value)
			}
		}
		var path []string
		dead := map[string]bool{} // that do not lead there
		var leads func(g *plan.Group) bool
		leads = func(at *plan.Group) bool {
			path = append(path, at.Name.Value)
			for _, of := range at.Of {
				if of.Value == g.Name.Value {
					return true
				}
				if next := byName[of.Value]; next != nil && !dead[of.Value] && !slices.Contains(path, of.Value) && leads(next) {
					return true
				}
			}
			path, dead[at.Name.Value] = path[:len(path)-1], true
			return false
		}
		if !circled[g.Name.Value] && leads(g) {
			for _, name := range path {
				circled[name] = true // one circle is told once
			}
			r.report(r.inItself(g.Name, path))
		}
	}
}

// parties resolves one side of a sentence. Above is the groups it is looked up
// from, which a group must not lead back to.
func (r *resolver) parties(t plan.Text, above []string) ([]Party, bool) {
	if t.Value == "everyone" {
		var all []Party
		links := r.spec.Links()
		for id := range r.spec.Segments {
			if r.spec.Wants != nil && !r.spec.Wants.Links && links[id] {
				continue // nobody is to reach it
			}
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
	if all, ok := r.interfaceParties(t); ok {
		return all, len(all) > 0
	}
	if len(above) > 0 && !r.means(t) {
		return nil, false // that was said where the group is written
	}
	if g, ok := r.groupNamed(t.Value); ok {
		if slices.Contains(above, t.Value) {
			return nil, false // that was said where it is written
		}
		leaves, ok := r.leaves(g)
		if !ok {
			return nil, false
		}
		var all []Party
		for _, of := range leaves {
			some, ok := r.parties(of, append(above, t.Value))
			if !ok {
				return nil, false
			}
			all = append(all, some...)
		}
		return all, true
	}
	r.unknown(t, "segment, device, address or group", func() []string {
		return slices.Concat(keysOf(r.spec.segments)(), keysOf(r.spec.devices)(), []string{"everyone"}, keysOf(r.groupsByName())())
	})
	return nil, false
}
