// Package explain tells why things are as they are: where numbers come from, and what a
// device does with a packet.
package explain

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/ask"
	"ropeswing/core/assign"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
	"ropeswing/core/workspace"
)

// Why is where the numbers of something come from.
type Why struct {
	Subject string
	Answer  string // in one line
	State   []Step // of an interface: what state it is in, and why
	Numbers []Origin
}

// explainer explains one plan.
type explainer struct {
	*workspace.Numbers
	net *forward.Network // for lookups only
}

// Origin is where one number comes from, step by step.
type Origin struct {
	Number string
	Steps  []Step
}

// Step is one reason: what it is about, what it says, and where that stands.
type Step struct {
	About string
	Text  string
	Place source.Place // not known where nothing in a file says so
}

// Why explains a segment, block, subnet, address, device or interface
// (DEVICE:INTERFACE).
func Explain(n *workspace.Numbers, text string) (Why, error) {
	w := explainer{Numbers: n}
	if s, ok := w.Spec.SegmentNamed(text); ok {
		return w.whySegment(s), nil
	}
	if d, ok := w.Spec.DeviceNamed(text); ok {
		return w.whyInterfaces(text, w.Spec.InterfacesOf(d)), nil
	}
	for b := range w.Spec.Blocks {
		if w.Spec.Blocks[b].Name == text {
			return w.whyBlock(&w.Spec.Blocks[b]), nil
		}
	}
	if device, name, ok := strings.Cut(text, ":"); ok {
		if d, known := w.Spec.DeviceNamed(device); known {
			id, found := w.Spec.InterfaceNamed(d, name)
			if !found {
				return Why{}, ask.Unknown(fmt.Sprintf("%s has no interface called %s", device, name), name, w.Spec.InterfaceNames(d))
			}
			y := w.whyInterfaces(text, []model.InterfaceID{id})
			y.State = w.stateSteps(id)
			return y, nil
		}
	}
	p, whole, err := prefix.Parse(text)
	switch {
	case err == nil && whole:
		return w.whyAddress(p.Addr()), nil
	case err == nil:
		return w.whySubnet(p.Masked()), nil
	case strings.ContainsAny(text, "/") || strings.Count(text, ".") == 3 || strings.Count(text, ":") > 1:
		return Why{}, err
	}
	return Why{}, w.Named(text)
}

func (w explainer) whySegment(id model.SegmentID) Why {
	s := &w.Spec.Segments[id]
	y := Why{Subject: s.Name}
	var subnets []string
	for _, p := range s.Prefixes {
		subnets = append(subnets, p.Prefix.String())
		y.Numbers = append(y.Numbers, Origin{p.Prefix.String(), w.subnetSteps(id, p)})
	}
	y.Answer = strings.Join(subnets, " and ")
	if len(subnets) == 0 {
		y.Answer = "no subnet"
	}
	if s.VLAN != 0 {
		y.Answer += fmt.Sprintf(", VLAN %d", s.VLAN)
		step := Step{"fixed", "written in the plan", s.VLANPlace}
		if s.VLANGiver != model.Fixed {
			step = giverStep(s.VLANGiver, s.VLANPlace)
		}
		y.Numbers = append(y.Numbers, Origin{fmt.Sprintf("VLAN %d", s.VLAN), []Step{step}})
	}
	return y
}

// subnetSteps is where a segment's subnet comes from: need, growth, rounding,
// block, neighbours, and who remembers it.
func (w explainer) subnetSteps(id model.SegmentID, p model.Prefix) []Step {
	s := &w.Spec.Segments[id]
	var steps []Step
	family := prefix.FamilyOf(p.Addr())
	if s.Need.Said() {
		steps = append(steps, needSteps(s, family)...)
	}
	steps = append(steps, w.placeSteps(p.Prefix)...)
	if p.Giver == model.Fixed {
		return append(steps, Step{"fixed", "written in the plan", p.Place})
	}
	return append(steps, giverStep(p.Giver, p.Place))
}

// needSteps is how a segment's need became a length.
func needSteps(s *model.Segment, family prefix.Family) []Step {
	n := s.Need
	length, ok := s.WantedLength(family)
	if !ok {
		return nil
	}
	if family == prefix.IPv6 || !n.HostsSaid || n.Length4 > 0 {
		return []Step{{"need", fmt.Sprintf("length %d: %s", length, assign.BecauseOf(s, family)), n.Place}}
	}
	hosts := max(n.Hosts, s.HostsThere)
	_, grown := s.Wanted()
	steps := []Step{{"need", fmt.Sprintf("%d hosts", hosts), n.Place}}
	if s.HostsThere > n.Hosts {
		steps[0].Text += fmt.Sprintf(", since there are more than the %d it says", n.Hosts)
	}
	if n.Grow > 0 {
		steps = append(steps, Step{About: "growth", Text: fmt.Sprintf("%d %% more: %d", n.Grow, grown-s.Own)})
	}
	if s.Own > 0 {
		steps = append(steps, Step{About: "its own", Text: fmt.Sprintf("%d of routers and switches: %d addresses", s.Own, grown)})
	}
	p, _ := netip.IPv4Unspecified().Prefix(length)
	return append(steps, Step{About: "rounding", Text: fmt.Sprintf("the smallest subnet with so many usable addresses has length %d, and %s", length, prefix.Usable(p))})
}

// placeSteps is in which block a subnet lies, and between what.
func (w explainer) placeSteps(p netip.Prefix) []Step {
	var steps []Step
	best, home := -1, ""
	var around netip.Prefix
	var place source.Place
	for _, b := range w.Spec.Blocks {
		for _, q := range b.Prefixes {
			if prefix.Covers(q.Prefix, p) && q.Bits() > best {
				best, home, around, place = q.Bits(), b.Name, q.Prefix, q.Place
			}
		}
	}
	if best < 0 {
		return []Step{{About: "block", Text: "in none of the plan's"}}
	}
	steps = append(steps, Step{"block", fmt.Sprintf("%s, %s", home, around), place})
	all := w.Spec.Stretches(around)
	at := slices.IndexFunc(all, func(s model.Stretch) bool { return s.Prefix == p && s.InUse() })
	if at < 0 {
		return steps
	}
	before, after := "at the start of the block", "at its end"
	if at > 0 {
		before = "behind " + w.stretchLabel(all, at-1, -1)
	}
	if at+1 < len(all) {
		after = "before " + w.stretchLabel(all, at+1, +1)
	}
	return append(steps, Step{About: "beside", Text: before + ", " + after})
}

// stretchLabel says what a stretch is; free ones in a row as one.
func (w explainer) stretchLabel(all []model.Stretch, at, step int) string {
	s := all[at]
	switch {
	case s.Segment != model.None:
		return fmt.Sprintf("%s (%s)", w.Spec.Segments[s.Segment].Name, s.Prefix)
	case s.Interface != model.None:
		return fmt.Sprintf("%s (%s)", w.Spec.Label(s.Interface), s.Prefix.Addr())
	case s.Kept:
		return fmt.Sprintf("%s, which is kept", s.Prefix)
	case s.Retired != "":
		return fmt.Sprintf("%s, which %s had", s.Prefix, s.Retired)
	}
	end := at
	for end+step >= 0 && end+step < len(all) && all[end+step].Free {
		end += step
	}
	first, last := all[min(at, end)].Prefix.Addr(), prefix.Top(all[max(at, end)].Prefix)
	low, high := netip.PrefixFrom(first, 64), netip.PrefixFrom(last, 64)
	if first.Is6() && low == low.Masked() && prefix.Top(high) == last {
		return fmt.Sprintf("free space (%s to %s)", low, high.Masked())
	}
	return fmt.Sprintf("free space (%s to %s)", first, last)
}

// giverStep is who gave out a number.
func giverStep(g model.Giver, place source.Place) Step {
	if g == model.Remembered {
		return Step{"ledger", "given before, and so it stays", place}
	}
	return Step{"ledger", "given just now; 'assign -w' keeps it", place}
}

func (w explainer) whyInterfaces(subject string, ids []model.InterfaceID) Why {
	y := Why{Subject: subject}
	var numbers []string
	for _, id := range ids {
		i := &w.Spec.Interfaces[id]
		for _, a := range i.Addresses {
			numbers = append(numbers, a.Prefix.String())
			number := a.Prefix.String()
			if len(ids) > 1 {
				number = i.Name + " " + number
			}
			y.Numbers = append(y.Numbers, Origin{number, w.addressSteps(id, a, len(ids) > 1)})
		}
	}
	y.Answer = strings.Join(numbers, ", ")
	if len(numbers) == 0 {
		y.Answer = "no address"
		if len(ids) == 1 && w.Spec.Interfaces[ids[0]].Switched {
			y.Answer = "no address: it is a switch port"
		}
	}
	return y
}

// stateSteps is what state an interface is in and why: its own, and that of
// what it hangs on.
func (w explainer) stateSteps(id model.InterfaceID) []Step {
	s := network.Build(w.Spec).State()
	i := &w.Spec.Interfaces[id]
	text := s.Status(id).Oper.String()
	if why := s.Why(id); why != "" {
		text += ": " + why
	}
	steps := []Step{{"state", text, i.Place}}
	if c := s.Cable(id); c != model.None {
		far := s.Peer(id)
		text := fmt.Sprintf("%s, which is %s", w.Spec.Label(far), s.Status(far).Oper)
		if w.Spec.Cables[c].Hidden {
			text += "; the cable hides faults, so it stays up whatever the far end does"
		}
		steps = append(steps, Step{"cabled to", text, w.Spec.Cables[c].Place})
	}
	if i.Parent != model.None {
		steps = append(steps, Step{"part of", fmt.Sprintf("%s, which is %s", w.Spec.Label(i.Parent), s.Status(i.Parent).Oper), w.Spec.Interfaces[i.Parent].Place})
	}
	if i.Routed() && s.IsUp(id) {
		var names []string
		for _, n := range s.Neighbours(id) {
			names = append(names, w.Spec.Label(n))
		}
		if len(names) == 0 {
			names = []string{"nobody"}
		}
		steps = append(steps, Step{About: "hears", Text: strings.Join(names, ", ")})
	}
	return steps
}

// addressSteps is where an interface's address comes from: its segment's
// subnet, the rule, and who remembers it; in brief without why the subnet is as
// it is.
func (w explainer) addressSteps(id model.InterfaceID, a model.Address, brief bool) []Step {
	i := &w.Spec.Interfaces[id]
	var steps []Step
	if i.Segment != model.None {
		for _, p := range w.Spec.Segments[i.Segment].Prefixes {
			if p.Prefix == a.Masked() {
				s := &w.Spec.Segments[i.Segment]
				steps = append(steps, Step{"segment", fmt.Sprintf("%s, %s", s.Name, p.Prefix), s.Place})
				for _, x := range w.subnetSteps(i.Segment, p) {
					if x.About != "beside" && !brief {
						steps = append(steps, x)
					}
				}
			}
		}
	}
	if i.Kind == model.Loopback && a.Rule != "" {
		steps = append(steps, w.placeSteps(netip.PrefixFrom(a.Addr(), a.Addr().BitLen()))...)
	}
	rule := Step{About: "rule", Place: a.Place}
	switch a.Rule {
	case "":
		rule.Text = "written in the plan"
	case "next":
		rule = Step{"rule", "the next free address", i.NextPlace}
	case "given":
		rule = Step{"rule", "a loopback, given out of the block", i.Place}
	case "eui-64":
		rule.Text = "made from the MAC " + i.MAC + " (RFC 4291, appendix A)"
	default:
		rule.Text = w.placeRule(a)
	}
	if a.Secondary {
		rule.Text += "; secondary"
	}
	steps = append(steps, rule)
	if a.Giver != model.Fixed {
		steps = append(steps, giverStep(a.Giver, a.Place))
	}
	return steps
}

// placeRule says what a place such as 10 or first stands for.
func (w explainer) placeRule(a model.Address) string {
	if n, ok := prefix.Position(a.Prefix, a.Addr()); ok && len(n.String()) < 10 {
		return fmt.Sprintf("'%s': the %s usable%s", a.Rule, prefix.Ordinal(n.Int()), ofHowMany(a.Prefix))
	}
	return fmt.Sprintf("'%s' in %s", a.Rule, a.Masked())
}

// ofHowMany is ' of 62', where that is no number of twenty digits.
func ofHowMany(p netip.Prefix) string {
	if p.Addr().Is6() && p.Bits() < 100 {
		return ""
	}
	return " of " + prefix.Usable(p).String()
}

func (w explainer) whyAddress(a netip.Addr) Why {
	if holders := w.Spec.HoldersOf(a); len(holders) > 0 {
		y := Why{Subject: a.String()}
		var labels []string
		for _, id := range holders {
			labels = append(labels, w.Spec.Label(id))
			for _, x := range w.Spec.Interfaces[id].Addresses {
				if x.Addr() == a {
					y.Numbers = append(y.Numbers, Origin{w.Spec.Label(id), w.addressSteps(id, x, false)})
				}
			}
		}
		y.Answer = "of " + strings.Join(labels, " and ")
		return y
	}
	y := Why{Subject: a.String(), Answer: "nobody's"}
	if s := w.Spec.SegmentOf(a); s != model.None {
		segment := &w.Spec.Segments[s]
		y.Answer = fmt.Sprintf("nobody's, in %s", segment.Name)
		for _, p := range segment.Prefixes {
			if p.Contains(a) {
				y.Numbers = append(y.Numbers, Origin{a.String(), append([]Step{{"subnet", fmt.Sprintf("%s of %s", p.Prefix, segment.Name), p.Place}}, standing(p.Prefix, a)...)})
			}
		}
		for _, l := range segment.Leases {
			if l.Contains(a) {
				y.Answer = "for hosts to lease, in " + segment.Name
			}
		}
	}
	for _, r := range w.Spec.Retired {
		if r.Prefix.Contains(a) {
			y.Answer = "retired, was of " + r.Owner
			y.Numbers = append(y.Numbers, Origin{r.Prefix.String(), []Step{{"ledger", fmt.Sprintf("'assign --release %s -w' lets it be given to others", r.Owner), r.Place}}})
		}
	}
	if len(y.Numbers) == 0 {
		scope := prefix.ScopeOf(a)
		y.Numbers = []Origin{{a.String(), append(w.placeSteps(netip.PrefixFrom(a, a.BitLen())), Step{About: "scope", Text: scope.Use + " (" + scope.RFC + ")"})}}
	}
	return y
}

// standing is where an address stands in its subnet.
func standing(p netip.Prefix, a netip.Addr) []Step {
	text := map[prefix.Role]string{
		prefix.SubnetAddress: "the subnet itself, and no machine's", prefix.BroadcastRole: "its broadcast address", prefix.RouterAnycast: "the address of all its routers (RFC 4291 §2.6.1)", prefix.ReservedAnycast: "reserved for anycast (RFC 2526)",
	}[prefix.RoleOf(p, a)]
	if n, ok := prefix.Position(p, a); ok {
		text = fmt.Sprintf("the %s usable%s", prefix.Ordinal(n.Int()), ofHowMany(p))
	}
	return []Step{{About: "place", Text: text}}
}

func (w explainer) whySubnet(p netip.Prefix) Why {
	for id := range w.Spec.Segments {
		for _, q := range w.Spec.Segments[id].Prefixes {
			if q.Prefix == p {
				y := w.whySegment(model.SegmentID(id))
				y.Subject, y.Answer = p.String(), "of "+w.Spec.Segments[id].Name
				y.Numbers = slices.DeleteFunc(y.Numbers, func(o Origin) bool { return o.Number != p.String() })
				return y
			}
		}
	}
	y := Why{Subject: p.String(), Answer: "no segment's"}
	var steps []Step
	for id := range w.Spec.Segments {
		for _, q := range w.Spec.Segments[id].Prefixes {
			if q.Overlaps(p) {
				steps = append(steps, Step{"overlaps", fmt.Sprintf("%s of %s", q.Prefix, w.Spec.Segments[id].Name), q.Place})
			}
		}
	}
	for _, r := range w.Spec.Retired {
		if r.Prefix.Overlaps(p) {
			steps = append(steps, Step{"retired", fmt.Sprintf("%s, which %s had", r.Prefix, r.Owner), r.Place})
		}
	}
	if len(steps) == 0 {
		y.Answer = "free"
	}
	y.Numbers = []Origin{{p.String(), append(w.placeSteps(p), steps...)}}
	return y
}

func (w explainer) whyBlock(b *model.Block) Why {
	y := Why{Subject: b.Name}
	var prefixes []string
	for _, p := range b.Prefixes {
		prefixes = append(prefixes, p.Prefix.String())
		all := w.Spec.Stretches(p.Prefix)
		steps := []Step{{"fixed", "written in the plan", p.Place}, {About: "in use", Text: fmt.Sprintf("%s of %s addresses", model.Taken(p.Prefix, all), prefix.Addresses(p.Prefix))}}
		for _, k := range b.Kept {
			if p.Overlaps(k.Prefix) {
				steps = append(steps, Step{"kept", k.Prefix.String(), k.Place})
			}
		}
		y.Numbers = append(y.Numbers, Origin{p.Prefix.String(), steps})
	}
	y.Answer = strings.Join(prefixes, " and ")
	return y
}
