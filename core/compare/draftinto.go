package compare

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/plan"
)

// Into is what was found, laid over a plan.
type Into struct {
	Edits    []plan.Edit
	Devices  []string // that only were found, and are added; likewise below
	Segments []string
	Cables   []string
	Notes    []string // DEVICE:INTERFACE that get the description they have
	Ports    []string // DEVICE:INTERFACE that the plan lacks
	Routes   int      // of devices that both have, to where the plan has none
	Known    []Alias
	NotFound []string // devices of the plan that were not found
	Left     []string // what could not be laid over the plan, each with why
}

// Alias is a device that was found under another name than the plan's.
type Alias struct{ Found, Plan, By string }

// DraftInto lays what was found over a plan: devices are matched by name, by the addresses they have and by who says that they are
// at the other end; what only was found is added, in the plan's names; descriptions are kept. Nothing that is planned is changed.
func DraftInto(doc *plan.Document, net *forward.Network, devices []*observed.Device) *Into {
	x := &Into{}
	l := &layer{doc: doc, net: net, into: x, names: map[string]string{}}
	l.match(devices)
	d := &draft{cabled: len(doc.Cables) > 0}
	for _, f := range devices {
		c := f.Clone()
		c.Name = l.names[f.Name]
		for i := range c.Links {
			if name, ok := l.names[c.Links[i].Device]; ok {
				c.Links[i].Device = name
			}
		}
		d.devices = append(d.devices, c)
	}
	slices.SortFunc(d.devices, func(a, b *observed.Device) int { return cmp.Compare(a.Name, b.Name) })
	d.segments()
	fresh := l.segments(d)
	if !l.section([]string{"segments"}, fresh) {
		x.Segments = nil
	}
	var blocks []string
	for _, f := range d.devices {
		id, planned := net.Spec.DeviceNamed(f.Name)
		if planned {
			l.known(d, f, id)
			continue
		}
		var b strings.Builder
		d.device(&b, f)
		blocks = append(blocks, strings.TrimPrefix(strings.TrimSuffix(b.String(), "\n"), "  "))
		x.Devices = append(x.Devices, f.Name)
	}
	if !l.section([]string{"devices"}, blocks) {
		x.Devices = nil
	}
	l.cables(d)
	for i := range net.Spec.Devices {
		name := net.Spec.Devices[i].Name
		if !slices.ContainsFunc(d.devices, func(o *observed.Device) bool { return o.Name == name }) {
			x.NotFound = append(x.NotFound, name)
		}
	}
	return x
}

type layer struct {
	doc   *plan.Document
	net   *forward.Network
	into  *Into
	names map[string]string // of what was found: its name in the plan, or its own
}

// match finds which device of the plan each one is.
func (l *layer) match(devices []*observed.Device) {
	taken := map[string]bool{}
	for _, f := range devices {
		if _, ok := l.net.Spec.DeviceNamed(f.Name); ok {
			l.names[f.Name], taken[f.Name] = f.Name, true
		}
	}
	take := func(f *observed.Device, id model.DeviceID, by string) {
		name := l.net.Spec.Devices[id].Name
		if l.names[f.Name] == "" && !taken[name] {
			l.names[f.Name], taken[name] = name, true
			l.into.Known = append(l.into.Known, Alias{f.Name, name, by})
		}
	}
	for _, f := range devices {
		if id, a, ok := l.byAddress(f); ok {
			take(f, id, a.String())
		}
	}
	for _, from := range devices {
		for _, link := range from.Links {
			n := slices.IndexFunc(devices, func(o *observed.Device) bool { return strings.EqualFold(o.Name, link.Device) })
			if n < 0 {
				continue
			}
			if id, ok := l.net.Spec.DeviceNamed(l.names[from.Name]); ok {
				if port, ok := l.net.Spec.InterfaceNamed(id, link.Interface); ok {
					if far := l.net.State.Peer(port); far != model.None {
						take(devices[n], l.net.Spec.Interfaces[far].Device, "what "+l.net.Spec.Label(port)+" hears")
					}
				}
			}
		}
	}
	for _, f := range devices {
		if l.names[f.Name] == "" {
			l.names[f.Name] = f.Name
		}
	}
}

// byAddress is the one device of the plan that has the most of the addresses of one that was found.
func (l *layer) byAddress(f *observed.Device) (model.DeviceID, netip.Addr, bool) {
	votes, first := map[model.DeviceID]int{}, map[model.DeviceID]netip.Addr{}
	for _, i := range f.Interfaces {
		for _, a := range i.Addresses {
			holders := l.net.State.HoldersOf(a.Addr())
			if len(holders) != 1 || a.Addr().IsLinkLocalUnicast() {
				continue
			}
			id := l.net.Spec.Interfaces[holders[0]].Device
			if votes[id]++; votes[id] == 1 {
				first[id] = a.Addr()
			}
		}
	}
	best, most, tie := model.DeviceID(model.None), 0, false
	for id, n := range votes {
		switch {
		case n > most:
			best, most, tie = id, n, false
		case n == most:
			tie = true
		}
	}
	return best, first[best], most > 0 && !tie
}

// segments calls the segments that were found as the plan does, and lists those that it has not.
func (l *layer) segments(d *draft) (fresh []string) {
	for _, s := range d.all {
		known := false
		for _, p := range s.prefixes {
			for id := range l.net.Spec.Segments {
				has := &l.net.Spec.Segments[id]
				if !known && slices.ContainsFunc(has.Prefixes, func(q model.Prefix) bool { return q.Prefix == p }) {
					s.name, known = has.Name, true
				}
			}
		}
		if !known {
			fresh = append(fresh, s.line())
			l.into.Segments = append(l.into.Segments, s.name)
		}
	}
	return fresh
}

// section adds entries to the end of a map of the plan, each as it stands there without its indentation. It is false where the map
// cannot be written.
func (l *layer) section(path []string, entries []string) bool {
	if len(entries) == 0 {
		return true
	}
	keyOf := func(entry string) string {
		key, _, _ := strings.Cut(entry, ": ")
		return strings.Trim(strings.TrimSuffix(strings.SplitN(key, "\n", 2)[0], ":"), `"`)
	}
	key := keyOf(entries[0])
	e, ok := l.doc.Put(append(slices.Clip(path), key), "")
	start := strings.TrimLeft(e.Text, "\r\n")
	switch {
	case !ok || start == e.Text && strings.Contains(strings.Join(entries, ""), "\n"):
		l.into.Left = append(l.into.Left, strings.Join(path, " ")+": it cannot be added to there; write its entries in lines, and try again")
		return false
	case start == e.Text: // in braces, one behind the other
		text := e.Text[:strings.LastIndex(e.Text, plan.Word(key))]
		e.Text = text + strings.Join(entries, ", ") + strings.TrimLeft(e.Text[strings.LastIndex(e.Text, ":")+1:], " ")
		l.into.Edits = append(l.into.Edits, e)
		return true
	}
	newline := e.Text[:len(e.Text)-len(start)]
	at := strings.LastIndex(start, plan.Word(key)+":")
	head, indent := newline+start[:at], start[strings.LastIndexByte(start[:at], '\n')+1:at]
	var all []string
	for _, x := range entries {
		for i, line := range strings.Split(x, "\n") {
			if i > 0 {
				line = indent + strings.TrimPrefix(line, "  ")
			} else if len(all) > 0 {
				line = indent + line
			}
			all = append(all, line)
		}
	}
	e.Text = head + strings.Join(all, newline)
	l.into.Edits = append(l.into.Edits, e)
	return true
}

// known lays an interface that the plan lacks, and descriptions that it does not have, over a device of it.
func (l *layer) known(d *draft, f *observed.Device, id model.DeviceID) {
	spec := l.net.Spec
	var missing, labels []string
	for n := range f.Interfaces {
		i := &f.Interfaces[n]
		label := f.Name + ":" + i.Name
		planned, ok := spec.InterfaceNamed(id, i.Name)
		switch {
		case !ok && !isLoopback(i) && d.of(f.Name, i.Name) != nil:
			missing = append(missing, plan.Word(i.Name)+": {"+strings.Join(d.keys(f, i), ", ")+"}")
			labels = append(labels, label)
		case ok && i.Description != "" && spec.Interfaces[planned].Note == "":
			e, put := plan.Edit{}, false
			if l.written(f.Name) && spec.Interfaces[planned].Own {
				e, put = l.doc.Put([]string{"devices", f.Name, "interfaces", i.Name, "note"}, plan.Word(i.Description))
			}
			if !put {
				l.into.Left = append(l.into.Left,
					fmt.Sprintf("the description of %s, %q: the plan has no entry of its own for it", label, i.Description))
				continue
			}
			l.into.Notes, l.into.Edits = append(l.into.Notes, label), append(l.into.Edits, e)
		}
	}
	if l.add(f.Name, "interfaces", missing) {
		l.into.Ports = append(l.into.Ports, labels...)
	}
	l.routes(d, f, id)
}

// written tells whether a device stands in the plan by itself, and comes of no pattern.
func (l *layer) written(name string) bool {
	return slices.ContainsFunc(l.doc.Devices, func(x plan.Device) bool { return x.Name.Value == name && !x.Made })
}

// add writes entries into a map of a device. It is false where they cannot be written.
func (l *layer) add(device, key string, all []string) bool {
	if l.written(device) {
		return l.section([]string{"devices", device, key}, all)
	}
	if len(all) > 0 {
		l.into.Left = append(l.into.Left, fmt.Sprintf("%s of %s: the plan has no entry of its own for the device", key, device))
	}
	return false
}

// routes lays the routes to where the plan has none over a device.
func (l *layer) routes(d *draft, f *observed.Device, id model.DeviceID) {
	spec := l.net.Spec
	c := f.Clone()
	c.Routes = slices.DeleteFunc(c.Routes, func(r observed.Route) bool {
		return r.Table != "" || slices.ContainsFunc(spec.Statics, func(s model.Static) bool {
			return s.Device == id && s.To == r.To && s.Table == ""
		})
	})
	var b strings.Builder
	d.routes(&b, c)
	var all []string
	for line := range strings.Lines(b.String()) {
		if entry := strings.TrimSpace(line); entry != "" && entry != "routes:" && !strings.HasPrefix(entry, "#") {
			all = append(all, entry)
		}
	}
	if l.add(f.Name, "routes", all) {
		l.into.Routes += len(all)
	}
}

// there tells whether the plan has the port at a cable's end, or gets it.
func (l *layer) there(end [2]string) bool {
	if slices.Contains(l.into.Devices, end[0]) || slices.Contains(l.into.Ports, end[0]+":"+end[1]) {
		return true
	}
	id, ok := l.net.Spec.DeviceNamed(end[0])
	if ok {
		_, ok = l.net.Spec.InterfaceNamed(id, end[1])
	}
	return ok
}

// cables adds those between ports of which the plan has none.
func (l *layer) cables(d *draft) {
	cabled := func(end [2]string) bool {
		id, ok := l.net.Spec.DeviceNamed(end[0])
		if !ok {
			return false
		}
		port, ok := l.net.Spec.InterfaceNamed(id, end[1])
		return ok && l.net.State.Cable(port) != model.None
	}
	var items []string
	for _, c := range d.cables() {
		if !cabled(c[0]) && !cabled(c[1]) && l.there(c[0]) && l.there(c[1]) {
			items = append(items, c.item())
		}
	}
	l.into.Cables = items
	if len(l.doc.Cables) == 0 && len(items) > 0 {
		if e, ok := l.doc.Put([]string{"cables"}, "\n  - "+strings.Join(items, "\n  - ")); ok {
			e.Text = strings.Replace(e.Text, ": \n", ":\n", 1)
			l.into.Edits = append(l.into.Edits, e)
		}
		return
	}
	for _, item := range items {
		if e, ok := l.doc.Insert([]string{"cables"}, len(l.doc.Cables), item); ok {
			l.into.Edits = append(l.into.Edits, e)
		}
	}
}
