package forward

import (
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/policy"
)

// Treatment is what permits and translation do with a packet at a device.
type Treatment struct {
	Judged      policy.Judgement
	Translation *model.Translation // that made another address of one of its; nil where none did
	Undone      bool               // a translation of what it answers was undone
}

// order is the one in which a device does things with a packet that it passes on:
// undo the translation of a reply, or translate the destination; look up; lower
// the TTL; see whether it fits; judge it, its destination translated and its source
// not yet; translate the source.

// arrive does what comes before the lookup, and finds what the device remembers
// of the flow, nil where nothing.
func (w *walker) arrive(n int) *Passage {
	node := &w.graph.Nodes[n]
	if !w.policy.Touches(node.Device) {
		return nil
	}
	f := &w.graph.Flow
	if known := f.remembered(w.net.Spec, node); known != nil {
		if known.Came.Source != known.Left.Source {
			node.To, node.Treated = known.Came.Source, &Treatment{Undone: true, Judged: policy.Judgement{By: policy.ByNothing}}
		}
		return known
	}
	if first := w.earlier(node); first != nil {
		node.To, node.For = first.To, first.For // it knows the flow: what was not translated then is not translated now
		return nil
	}
	if node.In != model.None && f.begins() {
		if to, over, t := w.policy.Inward(node.Device, node.In, node.Destination, node.Over); t != nil {
			node.To, node.For, node.Treated = to, over, &Treatment{Translation: t, Judged: policy.Judgement{By: policy.ByNothing}}
		}
	}
	return nil
}

// earlier finds where the same packet came to the same device before, on its path here; nil where
// it did not.
func (w *walker) earlier(n *Node) *Node {
	for _, i := range w.path {
		if p := &w.graph.Nodes[i]; p.Device == n.Device && p.Header == n.Header && p.Over == n.Over {
			return p
		}
	}
	return nil
}

// begins tells whether a device that does not know the flow takes the packet for
// the first of one: a reply over UDP looks like any packet.
func (f *Flow) begins() bool {
	return f.Kind == policy.Request || f.Kind == policy.Reply && f.Service.Protocol == model.UDP
}

// remembered finds the passage that a reply or error belongs to: by the device itself, or by one with the same table of states.
func (f *Flow) remembered(spec *model.Spec, n *Node) *Passage {
	for i := range f.Passed {
		p := &f.Passed[i]
		switch {
		case !spec.OneState(p.Device, n.Device):
		case f.Kind == policy.Reply && p.Left == Header{n.Destination, n.Source} && p.LeftFor == n.Over,
			f.Kind == policy.Error && p.Left == n.Inner:
			return p
		}
	}
	return nil
}

// leave does what comes between the lookup and the link. It is false, with how
// the way ends, where the packet does not leave.
func (w *walker) leave(n int, e *Edge, inner *Header, known *Passage) (Outcome, bool) {
	node, f := &w.graph.Nodes[n], &w.graph.Flow
	x := policy.Packet{Source: e.Sent.Source, Destination: node.To, Service: node.For, Kind: f.Kind}
	t := &Treatment{}
	if node.In == model.None {
		t.Judged = w.policy.FromItself(node.Device, e.Hop.Out, &x, known != nil)
	} else {
		t.Judged = w.policy.Through(node.Device, node.In, e.Hop.Out, &x, known != nil)
	}
	if t.Judged.By != policy.ByNothing {
		e.Treated = t
	}
	if o, ok := outcomeOf(t.Judged.Ruling); !ok {
		return o, false
	}
	switch {
	case known != nil:
		if f.Kind == policy.Error {
			*inner = known.Came
		}
		if known.Came.Destination != known.Left.Destination || known.CameFor != known.LeftFor {
			e.Left.Source, t.Undone, e.Treated = known.Came.Destination, true, t
		}
		if f.Kind == policy.Reply {
			e.Over = known.CameFor
		}
	case f.begins():
		from, by, ok := w.policy.Outward(node.Device, e.Hop.Out, e.Sent.Source)
		if by != nil {
			t.Translation, e.Treated = by, t
		}
		if !ok {
			return NoneLeft, false
		}
		e.Left.Source = from
	}
	return Delivered, true
}

func outcomeOf(r model.Ruling) (Outcome, bool) {
	switch r {
	case model.Drop:
		return Filtered, false
	case model.Refuse:
		return Refused, false
	}
	return Delivered, true
}

// deliver judges what is for the device itself, and sees whether a reply is what
// its asker waits for.
func (w *walker) deliver(n int, known *Passage) Outcome {
	node, f := &w.graph.Nodes[n], &w.graph.Flow
	if w.policy.Touches(node.Device) && node.In != model.None {
		x := policy.Packet{Source: node.Source, Destination: node.To, Service: node.For, Kind: f.Kind}
		j := w.policy.ToItself(node.Device, node.In, &x, known != nil)
		if j.By != policy.ByNothing {
			if node.Treated == nil {
				node.Treated = &Treatment{}
			}
			node.Treated.Judged = j
		}
		if o, ok := outcomeOf(j.Ruling); !ok {
			return o
		}
	}
	if w.policy != nil && len(f.Origin) > 0 {
		inner := node.Inner
		if known != nil {
			inner = known.Came
		}
		if !slices.Contains(f.Origin, inner) {
			return Unexpected // it is about a packet that its asker never sent
		}
	}
	if w.policy != nil && f.Asked.IsValid() && (node.Source != f.Asked || node.Device != f.Asker) {
		return Unexpected
	}
	if f.Kind == policy.Request && f.Source.IsValid() && !f.RoutesOnly && !(f.AnyPort && f.Service.Protocol != model.ICMP) &&
		!w.net.Spec.Devices[node.Device].Serves(node.For) {
		return Unserved
	}
	return Delivered
}
