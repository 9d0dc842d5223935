package revise

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/source"
	"ropeswing/core/workspace"
)

// Pinned is derived routes as edits of the plan that make them written ones.
type Pinned struct {
	Edits  []plan.Edit
	Files  []*source.File // those that change
	Routes int
}

// Pin makes the edits that write the derived routes of devices into the plan.
// They are tried in a copy: there, nothing is derived for these devices.
func Pin(x *workspace.Workspace, devices []model.DeviceID) (*Pinned, error) {
	w := reviser{x}
	if w.Spec.Wants == nil {
		return nil, errors.New("the plan has no 'wants', and so no route is derived")
	}
	p := &Pinned{}
	for _, d := range devices {
		routes := w.derivedOf(d)
		if len(routes) == 0 {
			return nil, fmt.Errorf("no route of %s is derived", w.Spec.Devices[d].Name)
		}
		device := w.written(d)
		edits, ok := []plan.Edit(nil), false
		if device.Made {
			if edits, ok = entryOfItsOwn(device, routes); !ok {
				return nil, fmt.Errorf("%s is made from a pattern that is not laid out in lines, and has no entry of its own for its routes",
					device.Name.Value)
			}
		} else {
			edits, ok = w.pinEdits(device, routes)
		}
		if !ok {
			return nil, fmt.Errorf("the plan is written so that there is no one place for the routes of %s", device.Name.Value)
		}
		p.Edits = append(p.Edits, edits...)
		for _, r := range routes {
			p.Routes += len(r.hops)
		}
	}
	for _, f := range w.Document.Files() {
		for _, e := range p.Edits {
			if e.Place.File == f && (len(p.Files) == 0 || p.Files[len(p.Files)-1] != f) {
				p.Files = append(p.Files, f)
			}
		}
	}
	return p, w.tryPin(p)
}

// pinnedRoute is one destination with its next hops as they are written.
type pinnedRoute struct {
	to   string
	hops []string
}

// derivedOf lists the derived routes of a device by destination, best first.
func (w reviser) derivedOf(d model.DeviceID) []pinnedRoute {
	var all []pinnedRoute
	first, last := w.Spec.StaticsOf(d)
	var before netip.Prefix
	for _, s := range w.Spec.Statics[first:last] {
		if s.Origin != model.Derived {
			continue
		}
		if s.To != before {
			key := s.To.String()
			if s.To.Addr().Is6() {
				key = `"` + key + `"`
			}
			all = append(all, pinnedRoute{to: key})
			before = s.To
		}
		r := &all[len(all)-1]
		r.hops = append(r.hops, w.pinnedHop(s))
	}
	return all
}

// pinnedHop is a next hop in the words of the plan.
func (w reviser) pinnedHop(s model.Static) string {
	var parts []string
	if s.Discard {
		return "{discard: true}"
	}
	if s.Via.IsValid() {
		parts = append(parts, "next-hop: "+quoted(s.Via))
	}
	parts = append(parts, "out: "+plan.Word(w.Spec.Interfaces[s.Out].Name))
	if s.Watch.IsValid() {
		parts = append(parts, "watch: "+quoted(s.Watch))
		if s.WatchFrom.IsValid() {
			parts = append(parts, "watch-from: "+quoted(s.WatchFrom))
		}
	}
	return "{" + strings.Join(parts, ", ") + "}"
}

func (r pinnedRoute) value() string {
	if len(r.hops) == 1 {
		return r.hops[0]
	}
	return "[" + strings.Join(r.hops, ", ") + "]"
}

// pinEdits adds the routes to a device's entry: as lines of their own where it is
// laid out in lines.
func (w reviser) pinEdits(device *plan.Device, routes []pinnedRoute) ([]plan.Edit, bool) {
	path := []string{"devices", device.Name.Value, "routes"}
	if len(device.Routes) > 0 {
		var edits []plan.Edit
		for _, r := range routes {
			e, ok := w.Document.Put(append(path, strings.Trim(r.to, `"`)), r.value())
			if !ok {
				return nil, false
			}
			edits = append(edits, e)
		}
		return edits, true
	}
	e, ok := w.Document.Put(path, "")
	if !ok {
		return nil, false
	}
	if !strings.Contains(e.Text, "\n") {
		var all []string
		for _, r := range routes {
			all = append(all, r.to+": "+r.value())
		}
		e.Text += "{" + strings.Join(all, ", ") + "}"
		return []plan.Edit{e}, true
	}
	key := e.Text[strings.LastIndexByte(e.Text, '\n')+1:]
	indent := strings.Repeat(" ", len(key)-len(strings.TrimLeft(key, " "))+2)
	newline := "\n"
	if strings.Contains(e.Text, "\r\n") {
		newline = "\r\n"
	}
	e.Text = strings.TrimRight(e.Text, " ")
	for _, r := range routes {
		e.Text += newline + indent + r.to + ": " + r.value()
	}
	return []plan.Edit{e}, true
}

// entryOfItsOwn writes out, after the pattern that a device is made from, what the pattern says of it, with routes: an
// exact name overrides a pattern. It is false where the pattern's entry does not stand in lines of its own, or has routes.
func entryOfItsOwn(device *plan.Device, routes []pinnedRoute) ([]plan.Edit, bool) {
	key := device.Name.Place
	text := string(key.File.Text)
	start := strings.LastIndexByte(text[:key.Start], '\n') + 1
	indent := text[start:key.Start]
	if strings.Trim(indent, " ") != "" || len(device.Routes) > 0 {
		return nil, false
	}
	end := len(text)
	for at := start; at < len(text); {
		next := len(text)
		if n := strings.IndexByte(text[at:], '\n'); n >= 0 {
			next = at + n + 1
		}
		line := strings.TrimRight(text[at:next], "\r\n")
		if at > start && strings.TrimSpace(line) != "" && !strings.HasPrefix(line, indent+" ") {
			end = at
			break
		}
		at = next
	}
	written := strings.TrimRight(text[start:end], " \r\n")
	pattern := strings.Trim(key.Text(), `"'`)
	own, ok := plan.Spelled(pattern, device.Name.Value, written)
	if !ok {
		return nil, false
	}
	var all []string
	for _, r := range routes {
		all = append(all, r.to+": "+r.value())
	}
	if body := strings.TrimRight(own, " "); strings.HasSuffix(body, "}") && !strings.Contains(body, "\n") {
		own = strings.TrimSuffix(body, "}") + ", routes: {" + strings.Join(all, ", ") + "}}"
	} else {
		deeper := indent + "  "
		if lines := strings.Split(own, "\n"); len(lines) > 1 {
			deeper = lines[1][:len(lines[1])-len(strings.TrimLeft(lines[1], " "))]
		}
		own += "\n" + deeper + "routes:"
		for _, x := range all {
			own += "\n" + deeper + "  " + x
		}
	}
	at := start + len(written)
	return []plan.Edit{{Place: source.Place{File: key.File, Start: at, End: at}, Text: "\n" + own}}, true
}

// tryPin reads the plan with the edits made: the routes must be those that were derived.
func (w reviser) tryPin(p *Pinned) error {
	again := w.Edited(w.LedgerText(), p.Edits...)
	if !again.Usable() {
		return fmt.Errorf("the plan could not be read with the routes in it: %s", again.Slips()[0].Reason)
	}
	before, after := pinnedMeaning(w.Spec), pinnedMeaning(again.Predict().Spec)
	if other, differs := firstOther(before, after); differs {
		return fmt.Errorf("the plan would say something else with the routes in it: %s", other)
	}
	return nil
}

// pinnedMeaning is the routes of a network, whether derived or written, in an order that
// does not depend on that.
func pinnedMeaning(spec *model.Spec) []string {
	var all []string
	for n := range spec.Statics {
		all = append(all, routeMeaning(spec, &spec.Statics[n], same))
	}
	slices.Sort(all)
	return all
}
