package forward

import (
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/routing"
)

// Exchange is a ping: an echo request there and its reply back.
type Exchange struct {
	From   model.DeviceID
	Source netip.Addr // invalid where the sender has no address of the family
	Target netip.Addr
	There  *Graph
	Back   []*Graph // one for each device that may answer; more than one is a duplicate address
}

// Ping predicts an echo request from a device to a target and its reply. An
// invalid source is chosen as the device would.
func Ping(t *routing.Tables, from model.DeviceID, source, target netip.Addr, out model.InterfaceID) *Exchange {
	return PingTTL(t, from, source, target, out, DefaultTTL)
}

// PingTTL is Ping with a TTL of its own for the request.
func PingTTL(t *routing.Tables, from model.DeviceID, source, target netip.Addr, out model.InterfaceID, ttl int) *Exchange {
	x := &Exchange{From: from, Source: source, Target: target}
	if !source.IsValid() {
		x.Source, _ = chooseSource(t, from, target, out)
	}
	f := Flow{Source: x.Source, Destination: target, Out: out}
	x.There = WalkTTL(t, At{from, model.None}, f, ttl)
	x.answer(t)
	return x
}

// answer follows the replies of those the request gets to.
func (x *Exchange) answer(t *routing.Tables) {
	if !x.Source.IsValid() {
		return
	}
	var answered []model.DeviceID
	for _, e := range x.There.Ends {
		if e.Outcome != Delivered {
			continue
		}
		n := x.There.Nodes[e.Node]
		if contains(answered, n.Device) {
			continue
		}
		answered = append(answered, n.Device)
		back := Flow{Source: x.Target, Destination: x.Source, Out: model.None}
		if x.Target.IsLinkLocalUnicast() || x.Source.IsLinkLocalUnicast() {
			back.Out = n.In
		}
		x.Back = append(x.Back, Walk(t, At{n.Device, model.None}, back))
	}
}

// chooseSource is the source of a packet whose outgoing interface may be
// given.
func chooseSource(t *routing.Tables, from model.DeviceID, target netip.Addr, out model.InterfaceID) (netip.Addr, bool) {
	if out != model.None {
		return sourceOut(t, from, routing.Hop{Out: out, Via: target}, target)
	}
	return Source(t, from, target)
}

func contains(all []model.DeviceID, d model.DeviceID) bool {
	for _, x := range all {
		if x == d {
			return true
		}
	}
	return false
}

// Verdict is whether the reply comes back.
func (x *Exchange) Verdict() Verdict {
	if !x.Source.IsValid() {
		return Fails
	}
	there := x.There.Verdict()
	if there == Fails {
		return Fails
	}
	works, fails := 0, 0
	for _, b := range x.Back {
		switch b.Verdict() {
		case Works:
			works++
		case Fails:
			fails++
		}
	}
	switch {
	case there == Works && works == len(x.Back):
		return Works
	case fails == len(x.Back):
		return Fails
	}
	return Depends
}

// Failing is the walk that fails first and where it does: there before back.
// It is false where every way works.
func (x *Exchange) Failing() (g *Graph, end End, back bool, failing bool) {
	if e, ok := x.There.Failing(); ok {
		return x.There, e, false, true
	}
	for _, b := range x.Back {
		if e, ok := b.Failing(); ok {
			return b, e, true, true
		}
	}
	return nil, End{}, false, false
}
