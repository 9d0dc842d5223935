package compare

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// fact is one thing that a plan says, and no list of a device tells.
type fact struct {
	what    What
	device  string // "" where it is of no device
	subject string // the interface, route, segment and so on
	to      string // of a route: its destination
	value   string // "" where nothing is said
	place   source.Place
}

// facts are the facts of one plan, those of one thing together.
type facts struct {
	spec *model.Spec
	all  []fact
}

func (f *facts) add(what What, device, subject string, place source.Place, value string) {
	f.all = append(f.all, fact{what, device, subject, "", value, place})
}

// factsOf are all of a plan.
func factsOf(spec *model.Spec) []fact {
	f := &facts{spec: spec}
	f.whole()
	for i := range spec.Segments {
		f.segment(&spec.Segments[i])
	}
	for d := range spec.Devices {
		f.device(model.DeviceID(d))
	}
	for _, c := range spec.Cables {
		f.add(OfCable, "", f.ends(c), c.Place, fmt.Sprintf("cost %d%s", c.Cost, map[bool]string{true: ", hides faults"}[c.Hidden]))
	}
	return f.all
}

// ends names a cable by its ends, whichever is written first.
func (f *facts) ends(c model.Cable) string {
	ends := []string{f.spec.Label(c.Ends[0]), f.spec.Label(c.Ends[1])}
	slices.Sort(ends)
	return ends[0] + " to " + ends[1]
}

func yesNo(is bool) string { return map[bool]string{true: "true", false: "false"}[is] }

func joined[T any](all []T, word func(T) string) string {
	words := make([]string, len(all))
	for i, x := range all {
		words[i] = word(x)
	}
	return strings.Join(words, ", ")
}

func (f *facts) deviceName(d model.DeviceID) string {
	if d == model.None {
		return ""
	}
	return f.spec.Devices[d].Name
}

func (f *facts) segmentName(s model.SegmentID) string { return f.spec.Segments[s].Name }

// whole is what is said of the plan as a whole.
func (f *facts) whole() {
	none, s := source.Place{}, f.spec
	tree := [...]string{"single", "per-vlan", "none"}[s.Settings.Tree]
	for _, x := range []struct{ name, value string }{
		{"resolve-through-default", yesNo(s.Settings.ResolveThroughDefault)},
		{"answers-without-link", yesNo(s.Settings.AnswersWithoutLink)},
		{"probes-by-table", yesNo(s.Settings.ProbesByTable)},
		{"first-source", yesNo(s.Settings.FirstSource)},
		{"vlan-interface-needs-port", yesNo(s.Settings.VLANInterfaceNeedsPort)},
		{"error-source", errorSource(s.Settings, prefix.IPv4)}, {"error-source in IPv6", errorSource(s.Settings, prefix.IPv6)},
		{"spanning-tree", tree}, {"tree-root", f.deviceName(s.Settings.TreeRoot)},
	} {
		f.add(OfSetting, "", x.name, none, x.value)
	}
	f.add(OfOperator, "", "", none, f.deviceName(s.Operator))
	f.add(OfVLANNumbers, "", "", none, joined(s.VLANs, func(r model.VLANRange) string { return fmt.Sprintf("%d..%d", r.First, r.Last) }))
	for _, b := range s.Blocks {
		f.add(OfBlock, "", b.Name, b.Place, f.prefixes(b.Prefixes))
		f.add(OfKept, "", b.Name, b.Place, f.prefixes(b.Kept))
		f.add(OfNeed, "", b.Name, b.Place, needWords(b.Need))
		f.add(OfFrom, "", b.Name, b.Place, joined(b.From, func(b model.BlockID) string { return s.Blocks[b].Name }))
		f.add(OfLayout, "", b.Name, b.Place, layoutWords(&b))
	}
	for i := range s.Must {
		m := &s.Must[i]
		f.add(OfMeaning, "", m.Text, m.Place, joined(m.From, f.party)+" to "+joined(m.To, f.party))
	}
	f.add(OfWants, "", "", none, yesNo(s.Wants != nil))
	if w := s.Wants; w != nil {
		reach := "all"
		if !w.All {
			end := func(e model.WantedEnd) string {
				if e.Device != model.None {
					return f.deviceName(e.Device)
				}
				return f.segmentName(e.Segment)
			}
			reach = joined(w.Pairs, func(p model.Pair) string { return end(p.From) + " to " + end(p.To) })
		}
		f.add(OfWants, "", "reach", w.Place, reach)
		f.add(OfWants, "", "world", w.Place, joined(w.World, f.segmentName))
		f.add(OfWants, "", "carriers", w.Place, joined(w.Carriers, f.deviceName))
		f.add(OfWants, "", "protect", w.Place, w.Protect.String())
		f.add(OfWants, "", "stretch", w.Place, strconv.Itoa(w.Stretch))
		f.add(OfWants, "", "links", w.Place, yesNo(w.Links))
		f.add(OfWants, "", "summarise", w.Place, yesNo(w.Summarise))
		f.add(OfWants, "", "leave-out", w.Place, joined(w.LeaveOut, f.deviceName))
	}
}

func (f *facts) party(p model.Party) string {
	switch {
	case p.Segment != model.None:
		return f.segmentName(p.Segment)
	case p.Device != model.None:
		return f.deviceName(p.Device)
	}
	return p.Address.String()
}

func (f *facts) prefixes(all []model.Prefix) string {
	return joined(all, func(p model.Prefix) string { return p.Prefix.String() })
}

func (f *facts) segment(s *model.Segment) {
	f.add(OfSegment, "", s.Name, s.Place, f.prefixes(s.Prefixes))
	vlan := ""
	if s.VLAN != 0 {
		vlan = fmt.Sprint(s.VLAN)
	}
	f.add(OfVLAN, "", s.Name, s.Place, vlan)
	f.add(OfNeed, "", s.Name, s.Place, needWords(s.Need))
	f.add(OfFrom, "", s.Name, s.Place, joined(s.From, func(b model.BlockID) string { return f.spec.Blocks[b].Name }))
	f.add(OfIdentifier, "", s.Name, s.Place, s.Identifier)
	f.add(OfGateway, "", s.Name, s.Place, joined(s.Gateways, func(g model.Gateway) string { return g.Address.String() }))
	f.add(OfLeases, "", s.Name, s.Place, joined(s.Leases, func(l model.Lease) string {
		text := l.Range.String()
		if l.By != model.None {
			text += " by " + f.deviceName(l.By)
		}
		if l.Gateway.IsValid() {
			text += ", gateway " + l.Gateway.String()
		}
		return text
	}))
}

// layoutWords is how what lies in a block is laid out.
func layoutWords(b *model.Block) string {
	var words []string
	if b.Alike != "" {
		words = append(words, "alike: "+b.Alike)
	}
	switch b.SubnetNumber {
	case model.VLANDigits:
		words = append(words, "subnet-number: vlan")
	case model.VLANValue:
		words = append(words, "subnet-number: vlan-value")
	}
	return strings.Join(words, ", ")
}

func needWords(n model.Need) string {
	var words []string
	if n.HostsSaid {
		words = append(words, fmt.Sprintf("%d hosts", n.Hosts))
	}
	if n.Grow > 0 {
		words = append(words, fmt.Sprintf("%d %% more", n.Grow))
	}
	if n.PointToPoint {
		words = append(words, "point-to-point")
	}
	for _, length := range []int{n.Length4, n.Length6} {
		if length > 0 {
			words = append(words, fmt.Sprintf("length %d", length))
		}
	}
	return strings.Join(words, ", ")
}

func (f *facts) device(id model.DeviceID) {
	d := &f.spec.Devices[id]
	add := func(what What, value string) { f.add(what, d.Name, "", d.Place, value) }
	add(OfKind, d.Kind.String())
	add(OfForwards, yesNo(d.Forwards))
	add(OfBeyond, f.prefixes(d.Beyond))
	manage := ""
	if d.Manage != model.None {
		manage = f.spec.Interfaces[d.Manage].Name
	}
	add(OfManage, manage)
	for _, k := range model.DeviceKeys {
		if k.List {
			add(What(k.Name), k.Says(d))
		}
	}
	add(OfFrom, joined(d.From, func(b model.BlockID) string { return f.spec.Blocks[b].Name }))
	for _, i := range f.spec.InterfacesOf(id) {
		f.iface(d.Name, &f.spec.Interfaces[i])
	}
	first, last := f.spec.StaticsOf(id)
	for n := first; n < last; n++ {
		s := &f.spec.Statics[n]
		watch := s.Watched()
		to := routeKey{s.Table, s.To}.words()
		subject := to
		if s.Via.IsValid() {
			subject += " via " + s.Via.String()
		}
		f.all = append(f.all, fact{OfWatch, d.Name, subject, to, watch, s.Place})
	}
	for _, p := range slices.Concat(d.Permits, d.OwnPermits) {
		f.add(OfMeaning, d.Name, p.Text, p.Place, sideWords(p.From)+" to "+sideWords(p.To))
	}
	for _, t := range d.Translates {
		f.add(OfMeaning, d.Name, t.Text, t.Place, sideWords(t.Inside)+" is "+joined(t.Outside, netip.Prefix.String)+t.Range.String())
	}
}

func sideWords(s model.Side) string {
	switch {
	case s.Anyone:
		return "anyone"
	case s.Itself:
		return "itself"
	}
	return joined(s.Prefixes, netip.Prefix.String)
}

// iface is what is said of an interface beside what a device lists of it.
func (f *facts) iface(device string, i *model.Interface) {
	add := func(what What, value string) { f.add(what, device, i.Name, i.Place, value) }
	label := func(id model.InterfaceID) string {
		if id == model.None {
			return ""
		}
		return f.spec.Interfaces[id].Name
	}
	var virtual, preferred, linkLocal []string
	for _, a := range i.Addresses {
		if a.Virtual {
			virtual = append(virtual, a.Addr().String())
		}
		if a.Preferred {
			preferred = append(preferred, a.Addr().String())
		}
		if a.Addr().Is6() && a.Addr().IsLinkLocalUnicast() {
			linkLocal = append(linkLocal, a.Addr().String())
		}
	}
	add(OfPrefer, strings.Join(preferred, ", "))
	add(OfLinkLocal, strings.Join(linkLocal, ", "))
	for _, family := range prefix.Families {
		all := slices.DeleteFunc(slices.Clone(i.Addresses), func(a model.Address) bool { return !isCompared(a, family) })
		add(OfOrder, joined(all, func(a model.Address) string {
			return a.Prefix.String() + map[bool]string{true: " secondary"}[a.Secondary]
		}))
	}
	var addressing []string
	for of, yes := range map[string]bool{model.LeasedRule: i.Leased, model.AdvertisedRule: i.Advertised} {
		if yes {
			addressing = append(addressing, of)
		}
	}
	slices.Sort(addressing)
	add(OfAddressing, strings.Join(addressing, ", "))
	add(OfMembers, joined(i.Members, label))
	for _, k := range model.InterfaceKeys {
		if k.Name != "priority" || len(virtual) > 0 {
			add(What(k.Name), k.Says(f.spec, i))
		}
	}
}

// Devices adds to a comparison of two plans the devices that only one of them has.
func (r *Result) Devices(one, other *model.Spec) {
	for i := range r.Differences {
		if d := &r.Differences[i]; d.What == OfDevice && d.Kind == Extra {
			if id, ok := other.DeviceNamed(d.Device); ok {
				d.Found = other.Devices[id].Kind.String()
			}
		}
	}
	for _, name := range r.NotKnown {
		if id, ok := one.DeviceNamed(name); ok {
			x := &one.Devices[id]
			r.Compared++
			r.Differences = append(r.Differences,
				Difference{Kind: Missing, What: OfDevice, Device: name, Planned: x.Kind.String(), Place: x.Place})
		}
	}
	r.NotKnown = nil
}

// Once leaves out of a comparison what stands in it twice: what devices tell of themselves is a key of the plan too.
func (r *Result) Once() {
	type id struct {
		what                            What
		device, subject, planned, found string
	}
	seen := map[id]bool{}
	r.Differences = slices.DeleteFunc(r.Differences, func(d Difference) bool {
		k := id{d.What, d.Device, d.Subject, d.Planned, d.Found}
		twice := seen[k] && d.Entry == ""
		seen[k] = true
		if twice {
			r.Compared--
		}
		return twice
	})
}

// Facts adds to a comparison of two plans what no device tells.
func (r *Result) Facts(one, other *model.Spec) {
	gone, addressed, routed := map[string]bool{}, map[string]bool{}, map[string]bool{} // of what it is told already
	for _, d := range r.Differences {
		switch about := d.Device + " " + d.Subject; d.What {
		case OfDevice, OfInterface:
			gone[about] = true
		case OfAddress, OfOrder:
			addressed[about] = true
		case OfRoute, OfNextHop:
			routed[about] = true
		}
	}
	a, order := keyedFacts(one)
	b, more := keyedFacts(other)
	for _, k := range append(order, slices.DeleteFunc(more, func(k factKey) bool { _, both := a[k]; return both })...) {
		x, here := a[k]
		y, there := b[k]
		whole := k.device == "" && (k.what == OfSegment || k.what == OfBlock || k.what == OfCable)
		switch {
		case k.device != "" && (gone[k.device+" "] || gone[k.device+" "+k.subject]), k.what == OfWatch && routed[k.device+" "+k.to],
			(k.what == OfOrder || k.what == OfLinkLocal) && addressed[k.device+" "+k.subject]:
			continue
		case here != there && !whole:
			continue // it is told of what it belongs to
		case here && there && x.value == y.value:
			if x.value != "" {
				r.Compared, r.InPlace = r.Compared+1, r.InPlace+1
			}
			continue
		}
		if k.what == OfMTU && x.value != "" && y.value != "" {
			continue // a device tells of it
		}
		d := Difference{Kind: Different, What: k.what, Device: k.device, Subject: k.subject, Planned: x.value, Found: y.value, Place: x.place}
		switch {
		case !there || y.value == "":
			d.Kind = Missing
		case !here || x.value == "":
			d.Kind = Extra
		}
		r.Compared++
		r.Differences = append(r.Differences, d)
	}
}

// factKey is what tells a fact from others; nth is among several alike.
type factKey struct {
	what                What
	device, subject, to string
	nth                 int
}

// keyedFacts are the facts of a plan by what they are about, and in their order.
func keyedFacts(spec *model.Spec) (map[factKey]fact, []factKey) {
	all, order := map[factKey]fact{}, []factKey(nil)
	for _, f := range factsOf(spec) {
		k := factKey{f.what, f.device, f.subject, f.to, 0}
		for _, there := all[k]; there; _, there = all[k] {
			k.nth++
		}
		all[k] = f
		order = append(order, k)
	}
	return all, order
}

func errorSource(s model.Settings, family prefix.Family) string {
	return map[bool]string{true: "towards-sender", false: "incoming"}[s.ErrorsTowardsSender[family]]
}
