package push

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/compare"
	"ropeswing/core/form"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/steps"
	"ropeswing/internal/access"
	"ropeswing/internal/files"
	"ropeswing/internal/live"
	"ropeswing/internal/wire"
)

// way is how a device is told; false where it cannot be.
func (p *Pusher) way(d model.DeviceID) (access.Way, bool) {
	ways := p.Ways(p.w.Spec.Devices[d].Name)
	for _, w := range ways {
		if w.By == access.NETCONF {
			return w, true
		}
	}
	for _, w := range ways {
		if w.By != access.Lists {
			continue
		}
		if g, err := p.live.Gear(w.Gear); err == nil && g.Console != nil {
			return w, true
		}
	}
	return access.Way{}, false
}

// login logs in to a device at an address, or at where it was before.
func (p *Pusher) login(ctx context.Context, d model.DeviceID, address netip.Addr, at string) (live.Told, error) {
	name := p.w.Spec.Devices[d].Name
	w, ok := p.way(d)
	if !ok {
		return nil, errors.New(noWay)
	}
	if at == "" {
		text := ""
		if address.IsValid() {
			text = address.String()
		}
		if at, ok = live.At(text, w); !ok {
			return nil, errors.New("it is managed at no address")
		}
	}
	var t live.Told
	var err error
	if w.By == access.Lists {
		t, err = live.TellConsole(ctx, name, at, w, p.live)
	} else {
		t, err = live.Tell(ctx, name, at, w, p.live)
	}
	if err != nil {
		return nil, err
	}
	if !slices.Contains(p.been[name], at) {
		p.been[name] = append(p.been[name], at)
	}
	return t, nil
}

// console is how a device is told at its console, nil where it is told by NETCONF or not at all.
func (p *Pusher) console(d model.DeviceID) *wire.Console {
	w, ok := p.way(d)
	if !ok || w.By != access.Lists {
		return nil
	}
	g, err := p.live.Gear(w.Gear)
	if err != nil {
		return nil
	}
	return g.Console
}

// edits are the change of a step and what takes it back, as the device is told; why is said where it cannot be.
// Where what is there now is known, what is sent names things as they are named there.
func (p *Pusher) edits(sheet *steps.Worksheet, n int, now *observed.Device) (edit, undo []byte, beyond bool, why string) {
	s := &sheet.Steps[n]
	before, after := p.states(sheet, n)
	c := p.console(s.Device)
	for _, set := range s.Sets {
		if what := set.Difference.What; !what.Listed() && (c == nil || !what.Formed()) {
			return nil, nil, false, fmt.Sprintf("no list or model of a device has its %s", what)
		}
	}
	if c != nil {
		a, b := form.Of(before, compare.VLANNames(p.w.Spec, s.Device)), form.Of(after, compare.VLANNames(p.w.Spec, s.Device))
		lines, err := c.Form.Typed(a, b)
		if err != nil {
			return nil, nil, false, err.Error()
		}
		back, err := c.Form.Typed(b, a)
		if err != nil {
			return nil, nil, false, "what takes it back cannot be said: " + err.Error()
		}
		return []byte(strings.Join(lines, "\n")), []byte(strings.Join(back, "\n")), false, ""
	}
	var there []observed.Instance
	if now != nil {
		there = append([]observed.Instance{}, now.Instances...)
	}
	edit, beyond = wire.Edit(before, after, there)
	undo, _ = wire.Edit(after, before, there)
	if len(edit) == 0 {
		return nil, nil, false, "the standard models have nothing of it"
	}
	return edit, undo, beyond, ""
}

// noWay is why a device cannot be told.
const noWay = "the access file says no way by NETCONF, nor a gear file that says how it is told at its console"

// canTell tells whether a step can be told, and why not.
func (p *Pusher) canTell(sheet *steps.Worksheet, n int) (bool, string) {
	s := &sheet.Steps[n]
	w, ok := p.way(s.Device)
	switch {
	case !ok:
		return false, noWay
	case s.Session == steps.Theirs:
		return false, "somebody else runs it"
	case s.Session == steps.AtConsole && !beside(w):
		return false, "it is not reached before the step"
	}
	if _, _, _, why := p.edits(sheet, n, nil); why != "" {
		return false, why
	}
	if c := p.console(s.Device); c != nil && c.Arm == "" && mayCut(s) {
		return false, "its gear has no timer that would take it back, and it may cut somebody off: type it at its console"
	}
	return true, ""
}

// mayCut tells whether a step may cut somebody off while it is in force: the operator's own session, a pair, or what a requirement asks.
func mayCut(s *steps.Step) bool {
	return s.Session == steps.Ends || s.Session == steps.Moves || s.Broken > 0 || len(s.Unmet) > 0
}

// states are the step's device as predicted before the step and behind it.
func (p *Pusher) states(sheet *steps.Worksheet, n int) (before, after *observed.Device) {
	d := sheet.Steps[n].Device
	return compare.DeviceAsObserved(sheet.Network(n), d), compare.DeviceAsObserved(sheet.Network(n+1), d)
}

// MayBeAt reports whether a device may be asked at an address: no other device of the plan has it.
func MayBeAt(spec *model.Spec, d model.DeviceID, at netip.Addr) bool {
	return !slices.ContainsFunc(spec.HoldersOf(at), func(id model.InterfaceID) bool { return spec.Interfaces[id].Device != d })
}

// believed is where a journal says that a device was told something: nobody is sent a secret there unless the device may be there.
func (p *Pusher) believed(d model.DeviceID, e files.PushEntry) error {
	w, ok := p.way(d)
	if !ok {
		return fmt.Errorf("%s: %s", e.Device, noWay)
	}
	if at, ok := live.At("", w); ok && at == e.At {
		return nil
	}
	at, err := netip.ParseAddrPort(e.At)
	if err != nil || p.atOf(d, at.Addr()) != e.At || !MayBeAt(p.w.Spec, d, at.Addr()) {
		return fmt.Errorf("the journal says that %s was told at %s: no access is said for it there, or the plan has that address for "+
			"another device. Nothing was sent there", e.Device, e.At)
	}
	return nil
}
