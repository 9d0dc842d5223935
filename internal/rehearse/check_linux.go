package rehearse

import (
	"cmp"
	"context"
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Tally is what came of asking, beside what was predicted.
type Tally struct {
	Pings, PingsAsPredicted, Replies int
	Traces, TracesAsPredicted        int
	NotSaid                          int // pings of which the prediction is that it depends, or cannot be told
	Differ                           []Difference
}

// Difference is one ping, or the trace to its target, that is not as predicted.
type Difference struct {
	From     model.DeviceID
	Exchange *forward.Exchange
	Comparison
	Seen []Sighting // of the request and what came of it, in the order of time
}

// mostTries is how often what differs is asked: a busy machine loses packets.
const mostTries = 3

// Check asks, and sets what comes back beside the prediction. Progress is told how many
// rounds of asking are over. Where the context ends it is what there is by then.
func (l *Lab) Check(ctx context.Context, asked map[model.DeviceID][]netip.Addr, traces bool) (Tally, error) {
	var t Tally
	net := l.Network()
	for try := range mostTries {
		wait := little
		if try == mostTries-1 {
			wait = patience
		}
		all, err := l.ask(asked, traces, wait)
		if err != nil {
			return t, err
		}
		again := map[model.DeviceID][]netip.Addr{}
		for _, d := range sorted(all) {
			for _, to := range all[d].Targets {
				x := forward.Ping(net, d, netip.Addr{}, to, model.None)
				c := Compare(net, x, all[d], traces)
				if differs := c.Outcome == Otherwise || c.Outcome == AtHop; differs && try < mostTries-1 && ctx.Err() == nil {
					again[d] = append(again[d], to)
					continue
				}
				t.add(d, x, c)
			}
		}
		if asked = again; len(asked) == 0 {
			break
		}
	}
	return t, nil
}

func sorted[V any](m map[model.DeviceID]V) []model.DeviceID {
	var all []model.DeviceID
	for d := range m {
		all = append(all, d)
	}
	slices.Sort(all)
	return all
}

func (t *Tally) add(d model.DeviceID, x *forward.Exchange, c Comparison) {
	if c.Outcome == NotSaid {
		t.NotSaid++
		return
	}
	t.Pings++
	if c.Replied {
		t.Replies++
	}
	if c.Outcome != Otherwise {
		t.PingsAsPredicted++
	}
	if traced := len(c.Agreed) > 0 || c.Outcome == AtHop; traced {
		t.Traces++
		if c.Outcome != AtHop {
			t.TracesAsPredicted++
		}
	}
	if c.Outcome != AsPredicted {
		t.Differ = append(t.Differ, Difference{From: d, Exchange: x, Comparison: c})
	}
}

// Add is both together.
func (t *Tally) Add(o Tally) {
	t.Pings, t.PingsAsPredicted, t.Replies = t.Pings+o.Pings, t.PingsAsPredicted+o.PingsAsPredicted, t.Replies+o.Replies
	t.Traces, t.TracesAsPredicted = t.Traces+o.Traces, t.TracesAsPredicted+o.TracesAsPredicted
	t.NotSaid += o.NotSaid
	t.Differ = append(t.Differ, o.Differ...)
}

// MostPings is up to how many pings go to every address there is; of more, those to each
// device's main one are asked.
const MostPings = 20000

// Everyone is who asks whom where nothing is said: every device that has an address, every
// address that somebody has. Main is that only the one address a device is known by is asked,
// in each family, as there would be too many.
func Everyone(net *forward.Network) (asked map[model.DeviceID][]netip.Addr, main bool) {
	spec := net.Spec
	var all, mains []netip.Addr
	for id := range spec.Interfaces {
		for _, a := range spec.Interfaces[id].Addresses {
			if !a.Addr().IsLinkLocalUnicast() {
				all = append(all, a.Addr())
			}
		}
	}
	var from []model.DeviceID
	for d := range spec.Devices {
		id := model.DeviceID(d)
		has := false
		for _, four := range []bool{true, false} {
			if a := spec.MainAddress(id, prefix.FamilyIf(four)); a.IsValid() {
				mains, has = append(mains, a), true
			}
		}
		if has {
			from = append(from, id)
		}
	}
	if main = len(from)*len(all) > MostPings; main {
		all = mains
	}
	several := severalHave(spec)
	all = slices.DeleteFunc(all, func(a netip.Addr) bool { return several[a] })
	slices.SortFunc(all, netip.Addr.Compare)
	all = slices.Compact(all)
	asked = map[model.DeviceID][]netip.Addr{}
	for _, d := range from {
		asked[d] = all
	}
	return asked, main
}

// Look asks again what differs, up to a few of them, and looks at every interface for what
// becomes of it.
func (l *Lab) Look(ctx context.Context, all []Difference) error {
	const few = 3
	for i := range all[:min(few, len(all))] {
		d := &all[i]
		var err error
		if d.Seen, err = l.follow(ctx, d.From, d.Exchange.Target); err != nil {
			return err
		}
		slices.SortStableFunc(d.Seen, func(a, b Sighting) int { return cmp.Compare(a.Nanos, b.Nanos) })
	}
	return nil
}
