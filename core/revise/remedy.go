package revise

import (
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/ask"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/source"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
)

// Advice is a change that was tried, in words and, where the plan can be
// edited for it, as an edit of the plan.
type Advice struct {
	Text   string
	Device string // that changes
	Edit   plan.Edit
	InPlan bool // Edit is the change
}

// Mend looks for changes that make a failing ping work, all tried together in
// a copy. It is false where none was found.
func Mend(x *workspace.Workspace, t ask.Trial) ([]Advice, bool) {
	w := reviser{x}
	r, ok := verify.Mend(w.Network, t.Exchange, t.FixedSource, t.Out)
	if !ok {
		return nil, false
	}
	var all []Advice
	for _, s := range oneByOne(r.Changes) {
		all = append(all, w.advise(s))
	}
	if !w.holdsAsTyped(t, r, all) {
		return nil, false
	}
	return all, true
}

// oneByOne takes changes that belong together apart.
func oneByOne(all []verify.Applied) []verify.Applied {
	var each []verify.Applied
	for _, s := range all {
		together, ok := s.Change.(model.Together)
		if !ok {
			each = append(each, s)
			continue
		}
		before := s.Before
		for _, c := range together {
			each = append(each, verify.Applied{Change: c, Before: before})
			before = c.Apply(before)
		}
	}
	return each
}

// largestTyped is up to how large a plan, in bytes, it is read again to try a remedy as it
// would be typed; a larger one takes seconds, and the change alone is tried.
const largestTyped = 1 << 20

// size is how many bytes the plan's files have.
func (w reviser) size() int {
	size := 0
	for _, f := range w.Document.Files() {
		size += len(f.Text)
	}
	return size
}

// holdsAsTyped tells whether a failing ping works in the plan with its remedy typed into it,
// as the text is read again. What is told in words only, and what is tried of a network that
// is not the plan's, was tried as changes.
func (w reviser) holdsAsTyped(t ask.Trial, r verify.Remedy, all []Advice) bool {
	from, to := t.FixedSource, t.Target
	for _, s := range r.Changes {
		from, to = verify.Followed(s.Change, from), verify.Followed(s.Change, to)
	}
	var edits []plan.Edit
	for _, a := range all {
		if !a.InPlan {
			return true
		}
		edits = append(edits, a.Edit)
	}
	if w.Found || w.Trying || w.size() > largestTyped {
		return true
	}
	n := w.Edited(w.LedgerText(), edits...)
	if !n.Usable() || len(n.Slips()) > len(w.Slips()) {
		return false
	}
	net := n.Predict().Network
	if failures := w.Network.State.Failures(); len(failures) > 0 {
		net = net.Update(net.State.With(failures...))
	}
	return forward.PingBy(net, t.From, from, to, t.Out, t.Probe).Verdict() == forward.Works
}

// edit is the edit of the plan that makes a change; false where the plan is
// written in a way that leaves no one obvious place for it.
func (w reviser) edit(s verify.Applied) (plan.Edit, bool) {
	switch c := s.Change.(type) {
	case model.AddRoute:
		return w.editAdd(s.Before, c.Static)
	case model.SetNextHop:
		return w.editNextHop(s.Before, c)
	case model.AddPermit:
		list := "permits"
		if c.Own {
			list = "own-permits"
		}
		return w.Document.Insert([]string{"devices", s.Before.Devices[c.Device].Name, list}, c.Before, c.Permit.Text)
	case model.PutInForce:
		return plan.Edit{Place: w.written(c.Device).Permits[c.Permit].Pending.Place, Text: "false"}, true
	case model.SetAccess:
		if x := w.portWritten(s.Before, c.Port); x != nil && x.Access.Written() {
			return plan.Edit{Place: x.Access.Place, Text: s.Before.VLANName(c.VLAN)}, true
		}
	case model.AddTagged:
		if x := w.portWritten(s.Before, c.Port); x != nil && len(x.Tagged) > 0 {
			return w.Document.Insert([]string{"devices", s.Before.Devices[c.On(s.Before)].Name, "interfaces", x.Name.Value, "tagged"},
				len(x.Tagged), s.Before.VLANName(c.VLAN))
		}
	case model.MoveAddress:
		return w.editAddress(s.Before, c)
	case model.SetKey:
		return w.putAt(s.Before, c.Interface, c.Key, c.Value)
	case model.SetUntagged:
		return w.putAt(s.Before, c.Port, "untagged", s.Before.VLANName(c.VLAN))
	case model.PutOn:
		return w.putAt(s.Before, c.Interface, "vlan", s.Before.VLANName(c.VLAN))
	case model.SetTagged:
		if x := w.portWritten(s.Before, c.Port); x != nil && len(x.Tagged) == 0 && x.Access.Written() && !x.Made {
			return w.Document.Rekey([]string{"devices", s.Before.Devices[c.On(s.Before)].Name, "interfaces", x.Name.Value, "access"}, "tagged",
				c.Words(s.Before))
		}
		return w.putAt(s.Before, c.Port, "tagged", c.Words(s.Before))
	case model.SetDestination:
		return w.editDestination(s.Before, c)
	case model.DropPermit:
		list := s.Before.Devices[c.Device].Permits
		if c.Own {
			list = s.Before.Devices[c.Device].OwnPermits
		}
		return plan.WholeLine(list[c.Permit].Place)
	case model.WidenService:
		p := s.Before.Devices[c.Device].Permits[c.Permit]
		if p.Place.Known() {
			return plan.Edit{Place: p.Place, Text: plan.Word(c.Words(p.Text))}, true
		}
	case model.SetBeyond:
		t := s.Before.Devices[c.Device].Translates[c.Translation]
		return plan.Edit{Place: t.Place, Text: c.Sentence(s.Before)}, t.Place.Text() == t.Text
	case model.SetLine:
		if i := &s.Before.Interfaces[c.Interface]; c.Serial && i.Serial && c.Clocks {
			return w.putAt(s.Before, c.Interface, "clock", "here")
		} else if c.Serial && !i.Serial && !c.Clocks {
			return w.putAt(s.Before, c.Interface, "line", "serial")
		}
	case model.LetForward:
		return w.Document.Put([]string{"devices", s.Before.Devices[c.Device].Name, "forwards"}, "true")
	case model.LetAnswer:
		return w.Document.Insert([]string{"devices", s.Before.Devices[c.Device].Name, "answers"}, len(s.Before.Devices[c.Device].Answers),
			c.Word)
	case model.ShareAddress:
		d := c.On(s.Before)
		return w.Document.Insert([]string{"devices", s.Before.Devices[d].Name, "translates"}, len(s.Before.Devices[d].Translates),
			c.Sentence(s.Before))
	case model.ShareAddresses:
		d := c.On(s.Before)
		return w.Document.Insert([]string{"devices", s.Before.Devices[d].Name, "translates"}, len(s.Before.Devices[d].Translates),
			c.Sentence(s.Before))
	case model.AddCable:
		return w.Document.Insert([]string{"cables"}, len(s.Before.Cables), c.Words(s.Before))
	case model.DropWatch:
		return w.editWatch(s.Before, c)
	case model.BringUp:
		if x := w.portWritten(s.Before, c.Interface); x != nil && !x.Admin.Written() { // it starts so
			return w.Document.Put([]string{"devices", s.Before.Devices[c.On(s.Before)].Name, "interfaces", x.Name.Value, "admin"}, "up")
		}
		i := &s.Before.Interfaces[c.Interface]
		for _, d := range w.Document.Devices {
			for _, x := range d.Interfaces {
				if d.Name.Value == s.Before.Devices[i.Device].Name && x.Name.Value == i.Name && x.Admin.Written() {
					return plan.Edit{Place: x.Admin.Place, Text: "up"}, true
				}
			}
		}
	}
	return plan.Edit{}, false
}

// putAt puts a key into the entry of an interface.
func (w reviser) putAt(spec *model.Spec, id model.InterfaceID, key, value string) (plan.Edit, bool) {
	x := w.portWritten(spec, id)
	if x == nil || x.Made {
		return plan.Edit{}, false
	}
	return w.Document.Put([]string{"devices", spec.Devices[spec.Interfaces[id].Device].Name, "interfaces", x.Name.Value, key}, value)
}

// editAddress writes another address in place of one that is written out as one word.
func (w reviser) editAddress(spec *model.Spec, c model.MoveAddress) (plan.Edit, bool) {
	i := &spec.Interfaces[c.Interface]
	n := slices.IndexFunc(i.Addresses, func(a model.Address) bool { return a.Prefix == c.Old })
	if n < 0 || w.written(i.Device).Made {
		return plan.Edit{}, false
	}
	a := i.Addresses[n]
	word := c.New.String()
	if a.Addr().Is6() {
		word = `"` + word + `"`
	}
	if a.Rule != "" { // it stands for an address of each family
		if len(i.Addresses) > 1 || a.Giver != model.Fixed {
			return plan.Edit{}, false
		}
	} else if !strings.Contains(a.Place.Text(), c.Old.Addr().String()) {
		return plan.Edit{}, false
	}
	return plan.Edit{Place: a.Place, Text: word}, a.Place.Known()
}

// editWatch writes a next hop without what it watches, where it says nothing else.
func (w reviser) editWatch(spec *model.Spec, c model.DropWatch) (plan.Edit, bool) {
	s := spec.Statics[c.Static]
	for _, r := range w.written(s.Device).Routes {
		for _, h := range r.Hops {
			if h.Place == s.Place && h.Whole.Known() && h.NextHop.Written() && !h.Out.Written() && !h.Distance.Written() && !h.Metric.Written() {
				return plan.Edit{Place: h.Whole, Text: h.NextHop.Place.Text()}, true
			}
		}
	}
	return plan.Edit{}, false
}

// portWritten is a port as the plan has it, in an entry of its own; nil where it stands in
// one of several.
func (w reviser) portWritten(spec *model.Spec, id model.InterfaceID) *plan.Interface {
	i := &spec.Interfaces[id]
	d := w.written(i.Device)
	for n := range d.Interfaces {
		if d.Interfaces[n].Name.Value == i.Name {
			return &d.Interfaces[n]
		}
	}
	return nil
}

// written is the device as the plan has it.
func (w reviser) written(d model.DeviceID) *plan.Device { return &w.Document.Devices[d] }

func (w reviser) editAdd(spec *model.Spec, s model.Static) (plan.Edit, bool) {
	device := w.written(s.Device)
	hop := hopWord(spec, s.Device, s.Via)
	if s.Origin.Gateway() {
		if len(device.Gateway) == 1 && device.Gateway[0].Value == "none" {
			return plan.Edit{Place: device.Gateway[0].Place, Text: hop}, true
		}
		if len(device.Gateway) > 0 {
			return plan.Edit{}, false
		}
		return w.Document.Put([]string{"devices", device.Name.Value, "gateway"}, hop)
	}
	for _, r := range device.Routes {
		if r.To.Value != s.Key {
			continue
		}
		if len(r.Hops) == 1 && r.Hops[0].NextHop.Place == r.Hops[0].Place && s.Distance > 1 {
			old := r.Hops[0].Place
			return plan.Edit{Place: old, Text: "[" + old.Text() + ", " + hop + "]"}, true
		}
		return plan.Edit{}, false
	}
	return w.Document.Put([]string{"devices", device.Name.Value, "routes", s.Key}, hop)
}

func (w reviser) editNextHop(spec *model.Spec, c model.SetNextHop) (plan.Edit, bool) {
	s := spec.Statics[c.Static]
	device := w.written(s.Device)
	hop := hopWord(spec, s.Device, c.Via)
	if s.Origin == model.ImpliedRouter {
		return w.Document.Put([]string{"devices", device.Name.Value, "gateway"}, hop)
	}
	if s.Origin == model.HostGateway && len(device.Gateway) == 0 {
		return plan.Edit{}, false // it is the segment's, and others use it too
	}
	place, ok := w.hopPlace(device, s.Place)
	if !ok {
		return plan.Edit{}, false
	}
	old := strings.Trim(place.Text(), `"'`)
	_, byName := spec.DeviceNamed(hop)
	if _, err := netip.ParseAddr(old); err != nil && !byName && !s.Discard && s.Via.IsValid() {
		return plan.Edit{}, false // a device's name serves both families, an address one
	}
	if !s.Via.IsValid() && byName { // as the device's other next hops are written
		byName = !slices.ContainsFunc(device.Routes, func(r plan.Route) bool {
			return slices.ContainsFunc(r.Hops, func(h plan.Hop) bool {
				_, err := netip.ParseAddr(h.NextHop.Value)
				return err == nil
			})
		})
		if !byName {
			hop = quoted(c.Via)
		}
	}
	if _, err := netip.ParseAddr(old); byName && (len(device.Gateway) > 1 || err == nil) {
		hop = quoted(c.Via) // as the others are written, and as this one was
	}
	return plan.Edit{Place: place, Text: hop}, true
}

// editDestination writes another destination for a route that is written as a prefix, with one next hop.
func (w reviser) editDestination(spec *model.Spec, c model.SetDestination) (plan.Edit, bool) {
	s := spec.Statics[c.Static]
	for _, r := range w.written(s.Device).Routes {
		if len(r.Hops) == 1 && r.Hops[0].Place == s.Place && !r.Made && r.To.Value == s.Key &&
			strings.Trim(r.To.Place.Text(), `"'`) == s.To.String() {
			word := c.To.String()
			if c.To.Addr().Is6() {
				word = `"` + word + `"`
			}
			return plan.Edit{Place: r.To.Place, Text: word}, true
		}
	}
	return plan.Edit{}, false
}

// hopPlace is where the next hop of a route itself is written, in its short
// form or its long one.
func (w reviser) hopPlace(device *plan.Device, place source.Place) (source.Place, bool) {
	for _, g := range device.Gateway {
		if g.Place == place {
			return place, true
		}
	}
	for _, r := range device.Routes {
		for _, h := range r.Hops {
			switch {
			case h.Place != place:
			case h.NextHop.Written() && h.Out.Written() && h.Whole.Known() && !h.Distance.Written() && !h.Metric.Written() && !h.Watch.Written():
				return h.Whole, true // the interface it leaves by is another, too
			case h.NextHop.Written():
				return h.NextHop.Place, true
			case h.Discard.Value, h.Out.Written():
				return h.Whole, h.Whole.Known()
			}
		}
	}
	return source.Place{}, false
}

// hopWord is how a next hop is best written: by its device, where the two
// share one segment only, else by its address.
func hopWord(spec *model.Spec, d model.DeviceID, via netip.Addr) string {
	shared := map[model.SegmentID]bool{}
	var far model.DeviceID = model.None
	for _, h := range spec.HoldersOf(via) {
		far = spec.Interfaces[h].Device
	}
	if far == model.None {
		return quoted(via)
	}
	for _, a := range spec.InterfacesOf(d) {
		for _, b := range spec.InterfacesOf(far) {
			i, j := &spec.Interfaces[a], &spec.Interfaces[b]
			if i.Segment != model.None && i.Segment == j.Segment && i.Routed() && j.Routed() {
				shared[i.Segment] = true
			}
		}
	}
	if len(shared) == 1 {
		return spec.Devices[far].Name
	}
	return quoted(via)
}

func quoted(a netip.Addr) string {
	if a.Is6() {
		return `"` + a.String() + `"`
	}
	return a.String()
}
