package compare

import (
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/model"
)

// AddFrom adds to a comparison of a plan with another, from which one starts, what is set on
// devices and no list of them tells: permits, translations, tags and the like. It returns
// what the two say otherwise and nothing can be set for.
func (r *Result) AddFrom(one, from *model.Spec) []Difference {
	f := fromPlan{r: r, one: one, from: from, to: map[model.InterfaceID]model.InterfaceID{}}
	for id := range from.Interfaces {
		i := &from.Interfaces[id]
		f.to[model.InterfaceID(id)] = model.None
		if d, ok := one.DeviceNamed(from.Devices[i.Device].Name); ok {
			if same, ok := one.InterfaceNamed(d, i.Name); ok {
				f.to[model.InterfaceID(id)] = same
			}
		}
	}
	for d := range one.Devices {
		if id, ok := from.DeviceNamed(one.Devices[d].Name); ok {
			f.device(model.DeviceID(d), &from.Devices[id])
			f.watches(model.DeviceID(d), id)
		}
	}
	for id, to := range f.to {
		if to != model.None {
			f.iface(to, &from.Interfaces[id])
		}
	}
	slices.SortStableFunc(f.added, func(a, b Difference) int {
		return strings.Compare(a.Device+" "+a.Subject+string(a.What), b.Device+" "+b.Subject+string(b.What))
	})
	r.Differences = append(r.Differences, f.added...)
	all := &Result{Net: r.Net, Differences: r.Differences}
	all.Facts(one, from)
	return slices.DeleteFunc(all.Differences[len(r.Differences):], func(d Difference) bool {
		switch d.What {
		case OfCable: // what sending by it costs, and whether it hides faults, is set nowhere
			return d.Kind == Different
		case OfKind, OfGateway, OfLeases, OfDevice, OfBeyond, OfAddressing, OfMAC:
			return false
		}
		return true
	})
}

// fromPlan compares two plans.
type fromPlan struct {
	r         *Result
	one, from *model.Spec
	to        map[model.InterfaceID]model.InterfaceID // of the other plan: which it is in this one
	added     []Difference
}

func (f *fromPlan) mapped(all []model.InterfaceID) []model.InterfaceID {
	var to []model.InterfaceID
	for _, id := range all {
		to = append(to, f.at(id))
	}
	return to
}

func (f *fromPlan) at(id model.InterfaceID) model.InterfaceID {
	if id == model.None {
		return model.None
	}
	return f.to[id]
}

// device compares what is set on a device as a whole.
func (f *fromPlan) device(id model.DeviceID, was *model.Device) {
	d := &f.one.Devices[id]
	add := func(what What, subject, planned, found string, change func(*model.Device)) {
		if planned != found {
			if bare(planned) != bare(found) { // what the sentences stand for need not be told
				planned, found = bare(planned), bare(found)
			}
			f.added = append(f.added, Difference{Kind: Different, What: what, Device: d.Name, Subject: subject, Planned: planned, Found: found, Place: d.Place, device: &deviceChange{id, change}})
		}
	}
	permits := func(all []model.Permit) []model.Permit {
		all = slices.Clone(all)
		for i := range all {
			all[i].In, all[i].Out = f.mapped(all[i].In), f.mapped(all[i].Out)
		}
		return all
	}
	through, own := permits(was.Permits), permits(was.OwnPermits)
	list := func(of *model.Spec, all []model.Permit) []entry {
		var entries []entry
		for i, words := range permitWords(of, all) {
			entries = append(entries, entry{text: words, bare: bare(words), permit: all[i]})
		}
		return entries
	}
	if f.entries(id, "permits", list(f.one, d.Permits), list(f.one, through), func(x *model.Device) *[]model.Permit { return &x.Permits }) {
		add(OfPermit, "permits", besides(d), besides(was), func(x *model.Device) { x.Otherwise, x.KeepsState = was.Otherwise, was.KeepsState })
	} else {
		add(OfPermit, "permits", f.permits(d, d.Permits), f.permits(was, through), func(x *model.Device) {
			x.Permits, x.Otherwise, x.KeepsState = through, was.Otherwise, was.KeepsState
		})
	}
	if !f.entries(id, "own-permits", list(f.one, d.OwnPermits), list(f.one, own), func(x *model.Device) *[]model.Permit { return &x.OwnPermits }) {
		add(OfPermit, "own-permits", f.permits(nil, d.OwnPermits), f.permits(nil, own), func(x *model.Device) { x.OwnPermits = own })
	}
	translates := slices.Clone(was.Translates)
	for i := range translates {
		translates[i].Beyond = f.at(translates[i].Beyond)
	}
	add(OfTranslation, "translates", meanings(d.Translates), meanings(was.Translates), func(x *model.Device) { x.Translates = translates })
	add(OfForwards, "", yesNo(d.Forwards), yesNo(was.Forwards), func(x *model.Device) { x.Forwards = was.Forwards })
	add(OfAnswers, "", strings.Join(d.Answers, ", "), strings.Join(was.Answers, ", "), func(x *model.Device) { x.Answers = was.Answers })
}

// bare is sentences without what they stand for.
func bare(text string) string {
	var words []string
	for _, s := range strings.Split(text, "; ") {
		s, _, _ = strings.Cut(s, " (")
		words = append(words, s)
	}
	return strings.Join(words, "; ")
}

// watches compares what the routes of a device watch, of those that are in both plans.
func (f *fromPlan) watches(id, was model.DeviceID) {
	own, last := f.one.StaticsOf(id)
	for n := own; n < last; n++ {
		s := &f.one.Statics[n]
		first, end := f.from.StaticsOf(was)
		for m := first; m < end; m++ {
			o := &f.from.Statics[m]
			if o.Table != s.Table || o.To != s.To || o.Via != s.Via || o.Distance != s.Distance || o.Watched() == s.Watched() {
				continue
			}
			d := Difference{Kind: Different, What: OfWatch, Device: f.one.Devices[id].Name, Subject: strings.TrimSpace(routeKey{s.Table, s.To}.words() + " via " + s.Via.String()), Planned: s.Watched(), Found: o.Watched(), Place: s.Place}
			key, via, distance := routeKey{s.Table, s.To}, s.Via, s.Distance
			d.statics = func(all []model.Static) {
				for i := range all {
					if x := &all[i]; x.Device == id && x.Table == key.table && x.To == key.to && x.Via == via && x.Distance == distance {
						x.Watch, x.WatchFrom = o.Watch, o.WatchFrom
					}
				}
			}
			f.added = append(f.added, d)
		}
	}
}

// permits is permits in words, with what they stand for where that tells them apart.
func (f *fromPlan) permits(d *model.Device, all []model.Permit) string {
	words := permitWords(f.one, all)
	if d != nil && besides(d) != "" {
		words = append(words, besides(d))
	}
	return strings.Join(words, "; ")
}

// permitWords are permits in words, each with what it stands for.
func permitWords(spec *model.Spec, all []model.Permit) []string {
	var words []string
	for i, s := range permits(spec, nil, all) {
		words = append(words, fmt.Sprintf("%s (%s to %s)", s.text, sideWords(all[i].From), sideWords(all[i].To)))
	}
	return words
}

// besides is what else decides about packets than permits.
func besides(d *model.Device) string {
	var words []string
	for _, s := range permits(nil, d, nil) {
		words = append(words, s.text)
	}
	return strings.Join(words, "; ")
}

func meanings(all []model.Translation) string {
	var words []string
	for _, t := range all {
		words = append(words, fmt.Sprintf("%s (%s is %s%s)", t.Text, sideWords(t.Inside), joinedPrefixes(t), t.Range))
	}
	return strings.Join(words, "; ")
}

func joinedPrefixes(t model.Translation) string {
	var words []string
	for _, p := range t.Outside {
		words = append(words, p.String())
	}
	return strings.Join(words, ", ")
}

// iface compares what is set on an interface and no list tells.
func (f *fromPlan) iface(id model.InterfaceID, was *model.Interface) {
	i := &f.one.Interfaces[id]
	name := func(spec *model.Spec, id model.InterfaceID) string {
		if id == model.None {
			return ""
		}
		return spec.Interfaces[id].Name
	}
	add := func(what What, planned, found string, change func(*model.Interface)) {
		if planned != found {
			f.added = append(f.added, Difference{Kind: Different, What: what, Device: f.one.Devices[i.Device].Name, Subject: i.Name, Planned: planned, Found: found, Place: i.Place, change: func(all []model.Interface) { change(&all[id]) }})
		}
	}
	add(OfTag, numberOr(int(i.Tag)), numberOr(int(was.Tag)), func(x *model.Interface) { x.Tag = was.Tag })
	add(OfParent, name(f.one, i.Parent), name(f.from, was.Parent), func(x *model.Interface) { x.Parent = f.at(was.Parent) })
	line := func(i *model.Interface) string {
		return fmt.Sprintf("serial %s, clocked here %s", yesNo(i.Serial), yesNo(i.Clocks))
	}
	add(OfLine, line(i), line(was), func(x *model.Interface) { x.Serial, x.Clocks = was.Serial, was.Clocks })
	add(OfBorrow, name(f.one, i.Borrow), name(f.from, was.Borrow), func(x *model.Interface) { x.Borrow = f.at(was.Borrow) })
	add(OfTable, i.Table, was.Table, func(x *model.Interface) { x.Table = was.Table })
	relays := func(i *model.Interface) string {
		return joined(i.Relay, func(r model.Relayed) string { return r.To.String() })
	}
	add(OfRelay, relays(i), relays(was), func(x *model.Interface) { x.Relay = was.Relay })
	add(OfAdvertises, yesNo(i.Advertises), yesNo(was.Advertises), func(x *model.Interface) { x.Advertises = was.Advertises })
	virtual := func(i *model.Interface) []model.Address {
		return slices.DeleteFunc(slices.Clone(i.Addresses), func(a model.Address) bool { return !a.Virtual })
	}
	if len(virtual(i)) > 0 {
		add(OfPriority, fmt.Sprint(i.Priority), fmt.Sprint(was.Priority), func(x *model.Interface) { x.Priority = was.Priority })
	}
	words := func(i *model.Interface) string {
		return joined(virtual(i), func(a model.Address) string { return a.Prefix.String() })
	}
	add(OfVirtual, words(i), words(was), func(x *model.Interface) {
		x.Addresses = append(slices.DeleteFunc(slices.Clone(x.Addresses), func(a model.Address) bool { return a.Virtual }), virtual(was)...)
	})
}
