package compare

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/model"
)

// AddFrom adds to a comparison of a plan with another, from which one starts, what is set on
// devices and no list of them tells: permits, translations, tags and the like. It returns
// what the two say otherwise and nothing can be set for.
func (r *Result) AddFrom(one, from *model.Spec) []Difference {
	plain, all := one, r.Net.Spec // and what only the other has
	if len(all.Interfaces) > len(one.Interfaces) {
		one = all
	}
	there := map[model.InterfaceID]bool{}
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
			f.watchesGone(model.DeviceID(d), id)
		}
	}
	for id, to := range f.to {
		if to != model.None {
			f.iface(to, &from.Interfaces[id], one.Interfaces[to].Gone)
			there[to] = true
		}
	}
	for id := range one.Interfaces { // and those that are to be made
		if i := &one.Interfaces[id]; !there[model.InterfaceID(id)] && i.Kind != model.Port {
			if _, both := from.DeviceNamed(one.Devices[i.Device].Name); both {
				f.iface(model.InterfaceID(id),
					&model.Interface{Device: i.Device, Parent: model.None, Segment: model.None, Group: model.None, Borrow: model.None}, true)
			}
		}
	}
	slices.SortStableFunc(f.added, func(a, b Difference) int {
		return strings.Compare(a.Device+" "+a.Subject+string(a.What), b.Device+" "+b.Subject+string(b.What))
	})
	r.Differences = append(r.Differences, f.added...)
	both := &Result{Net: r.Net, Differences: r.Differences}
	both.Facts(plain, from)
	return slices.DeleteFunc(both.Differences[len(r.Differences):], func(d Difference) bool {
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
			f.added = append(f.added, Difference{Kind: Different, What: what, Device: d.Name, Subject: subject, Planned: planned, Found: found,
				Place: d.Place, device: &deviceChange{id, change}})
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
	if !f.entries(id, "permits", list(f.one, d.Permits), list(f.one, through), func(x *model.Device) *[]model.Permit { return &x.Permits }) {
		add(OfPermit, "permits", f.permits(d.Permits), f.permits(through), func(x *model.Device) { x.Permits = through })
	}
	if !f.entries(id, "own-permits", list(f.one, d.OwnPermits), list(f.one, own),
		func(x *model.Device) *[]model.Permit { return &x.OwnPermits }) {
		add(OfPermit, "own-permits", f.permits(d.OwnPermits), f.permits(own), func(x *model.Device) { x.OwnPermits = own })
	}
	for _, k := range model.DeviceKeys {
		value := k.Says(was)
		add(What(cmp.Or(k.What, k.Name)), k.Name, k.Says(d), value, func(x *model.Device) { _ = k.Set(x, value) })
	}
	translates := slices.Clone(was.Translates)
	for i := range translates {
		translates[i].Beyond = f.at(translates[i].Beyond)
	}
	add(OfTranslation, "translates", meanings(d.Translates), meanings(was.Translates), func(x *model.Device) { x.Translates = translates })
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
	first, end := f.from.StaticsOf(was)
	for n := own; n < last; n++ {
		s := &f.one.Statics[n]
		o := model.Static{} // one that is new is set without its watch
		if m := slices.IndexFunc(f.from.Statics[first:end], func(o model.Static) bool {
			return o.Table == s.Table && o.To == s.To && o.Via == s.Via && o.Distance == s.Distance
		}); m >= 0 {
			o = f.from.Statics[first+m]
		}
		if o.Watched() == s.Watched() || s.Discard {
			continue
		}
		key, via, distance := routeKey{s.Table, s.To}, s.Via, s.Distance
		f.added = append(f.added, Difference{
			Kind: Different, What: OfWatch, Device: f.one.Devices[id].Name, Subject: strings.TrimSpace(key.words() + " via " + via.String()),
			Planned: s.Watched(), Found: o.Watched(), Place: s.Place,
			statics: func(all []model.Static) {
				for i := range all {
					if x := &all[i]; x.Device == id && x.Table == key.table && x.To == key.to && x.Via == via && x.Distance == distance {
						x.Watch, x.WatchFrom = o.Watch, o.WatchFrom
					}
				}
			},
		})
	}
}

// watchesGone tells of what routes watch that only the other plan has: it is taken away before they are.
func (f *fromPlan) watchesGone(id, was model.DeviceID) {
	first, end := f.from.StaticsOf(was)
	own, last := f.one.StaticsOf(id)
	for m := first; m < end; m++ {
		o := &f.from.Statics[m]
		is := func(s model.Static) bool {
			return o.Table == s.Table && o.To == s.To && o.Via == s.Via && o.Distance == s.Distance
		}
		if !o.Watch.IsValid() || slices.ContainsFunc(f.one.Statics[own:last], is) {
			continue
		}
		f.added = append(f.added, Difference{
			Kind: Extra, What: OfWatch, Device: f.one.Devices[id].Name, Subject: strings.TrimSpace(routeKey{o.Table, o.To}.words() + " via " +
				o.Via.String()),
			Found: o.Watched(), Place: f.one.Devices[id].Place,
			statics: func(all []model.Static) {
				for i := range all {
					if x := &all[i]; x.Device == id && is(*x) {
						x.Watch, x.WatchFrom = o.Watch, o.WatchFrom
					}
				}
			},
		})
	}
}

// permits is permits in words, with what they stand for where that tells them apart.
func (f *fromPlan) permits(all []model.Permit) string {
	return strings.Join(permitWords(f.one, all), "; ")
}

// permitWords are permits in words, each with what it stands for.
func permitWords(spec *model.Spec, all []model.Permit) []string {
	var words []string
	for i, s := range permits(spec, nil, all) {
		words = append(words, fmt.Sprintf("%s (%s to %s)", s.text, sideWords(all[i].From), sideWords(all[i].To)))
	}
	return words
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

// iface compares what is set on an interface and no list tells; made is that it was not there, or is no longer to be.
func (f *fromPlan) iface(id model.InterfaceID, was *model.Interface, made bool) {
	i := &f.one.Interfaces[id]
	add := func(what What, planned, found string, change func(*model.Interface)) {
		if planned != found {
			f.added = append(f.added, Difference{Kind: Different, What: what, Device: f.one.Devices[i.Device].Name, Subject: i.Name,
				Planned: planned, Found: found, Place: i.Place, change: func(all []model.Interface) { change(&all[id]) }})
		}
	}
	for _, k := range model.InterfaceKeys {
		if k.Is && made || k.Name == "priority" && !slices.ContainsFunc(i.Addresses, func(a model.Address) bool { return a.Virtual }) {
			continue
		}
		planned, value := k.Says(f.one, i), k.Says(f.from, was)
		if planned != "" && (value != "" || made) && isTold(What(k.Name)) {
			continue // a device tells of these
		}
		add(What(k.Name), planned, value, func(x *model.Interface) { _ = k.Set(f.one, x, value) })
	}
}
