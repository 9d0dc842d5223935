package forward

import (
	"fmt"
	"net/netip"
	"path"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/policy"
	"ropeswing/core/source"
)

// Sentence quotes a sentence of the plan with where it stands.
func Sentence(text string, place source.Place) string {
	if !place.Known() {
		return "'" + text + "'"
	}
	line, _ := place.Position()
	return fmt.Sprintf("'%s', %s:%d", text, path.Base(place.File.Name), line)
}

// JudgedBy says by what a device decided about a packet: "permit 3: '…'".
func JudgedBy(spec *model.Spec, d model.DeviceID, j policy.Judgement) string {
	list, name := spec.Devices[d].Permits, "permit"
	if j.Own {
		list, name = spec.Devices[d].OwnPermits, "own permit"
	}
	switch j.By {
	case policy.ByOtherwise:
		return "none of its " + name + "s speaks of it, and the rest it " + [...]string{model.Pass: "passes", model.Drop: "drops", model.Refuse: "refuses"}[j.Ruling]
	case policy.ByState:
		return "it belongs to what passed before"
	case policy.ByNoState:
		return "it never saw the request that this belongs to"
	case policy.ByNothing:
		return "nothing is judged there"
	}
	p := &list[j.By]
	return fmt.Sprintf("its %s %d, %s", name, j.By+1, Sentence(p.Text, p.Place))
}

// filtered: a permit, or that there is none, drops it.
func (e explainer) filtered(f *Failure, n Node) {
	j := policy.Judgement{}
	if e.end.Edge >= 0 {
		j = n.Edges[e.end.Edge].Treated.Judged
	} else {
		j = n.Treated.Judged
	}
	f.Name = finding.FilteredOut
	verb := "drops"
	if j.Ruling == model.Refuse {
		f.Name, verb = finding.RefusedByPermit, "refuses"
	}
	if j.By == policy.ByNoState {
		f.Name = finding.StateUnknown
	}
	f.Reason = fmt.Sprintf("%s %s %s from %s to %s: %s", e.name(n.Device), verb, e.what(), n.Source, n.To, JudgedBy(e.spec, n.Device, j))
	f.Brief = fmt.Sprintf("%s %s %s: %s", e.name(n.Device), verb, e.what(), JudgedBy(e.spec, n.Device, j))
	if p := e.pending(n, j); p != nil {
		f.Reason += fmt.Sprintf("; %s, would let it pass, and is pending", Sentence(p.Text, p.Place))
	}
}

// what is what the packet is.
func (e explainer) what() string {
	switch e.g.Flow.Kind {
	case policy.Reply:
		return "the reply over " + e.g.Flow.Service.String()
	case policy.Error:
		return "the error"
	}
	return e.g.Flow.Service.String()
}

// pending is the first permit that would let the packet pass if it were in force,
// nil where none would.
func (e explainer) pending(n Node, j policy.Judgement) *model.Permit {
	if j.Own || e.end.Edge < 0 {
		return nil
	}
	x := policy.Packet{Source: n.Source, Destination: n.To, Service: e.g.Flow.Service, Kind: e.g.Flow.Kind}
	all := e.spec.Devices[n.Device].Permits
	if i, ok := policy.Pending(all, n.In, n.Edges[e.end.Edge].Hop.Out, &x); ok && (j.By < 0 || i < j.By) {
		return &all[i]
	}
	return nil
}

// unexpected: a reply that its asker does not take for one.
func (e explainer) unexpected(f *Failure, n Node) {
	f.Name = finding.ReplyFromElsewhere
	if n.Device != e.g.Flow.Asker {
		f.Reason = fmt.Sprintf("it gets to %s, which did not ask", e.name(n.Device))
		return
	}
	f.Reason = fmt.Sprintf("it comes from %s, not from %s, which was asked: what translated the request does not see the reply", n.Source, e.g.Flow.Asked)
}

// standsFor: nobody answers here for an address that stands for another, by
// translation, somewhere else.
func (e explainer) standsFor(f *Failure, a netip.Addr) bool {
	for d := range e.spec.Devices {
		for i := range e.spec.Devices[d].Translates {
			t := &e.spec.Devices[d].Translates[i]
			if t.ByInterface || a.Less(t.First) || t.Last.Less(a) {
				continue
			}
			label := e.spec.Label(t.Beyond)
			if t.Kind == model.OneToOne {
				f.Reason = fmt.Sprintf("%s stands for another address only for what comes in by %s (%s)", a, label, Sentence(t.Text, t.Place))
			} else {
				f.Reason = fmt.Sprintf("%s is what others send from beyond %s (%s); nothing that begins there gets in by it", a, label, Sentence(t.Text, t.Place))
			}
			return true
		}
	}
	return false
}
