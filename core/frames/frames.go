// Package frames tells an exchange frame by frame: what passes which port when,
// with the asking for neighbours before it, as a capture there would show it.
package frames

import (
	"cmp"
	"hash/fnv"
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
)

// Frame is what passes one interface once.
type Frame struct {
	Nanos    int64 // since the exchange began
	At       model.InterfaceID
	In       bool       // it comes in there; else it goes out
	Tag      model.VLAN // 0: untagged
	Line     bool       // on a serial line, which has no addresses of its own
	From, To MAC
	Ask      *Ask    // who has an address, or the answer
	Packet   *Packet // else
}

// MAC is a MAC address.
type MAC [6]byte

// Ask is ARP (RFC 826), or for IPv6 neighbour discovery (RFC 4861).
type Ask struct {
	Answer                bool
	Address               netip.Addr // asked for
	By                    netip.Addr // who asks; invalid where it has no address there
	AskerMAC, AnswererMAC MAC        // the second is known in an answer only
}

// Packet is an IP packet as it is on one link.
type Packet struct {
	forward.Header
	TTL      int
	Service  model.Service
	Kind     policy.Kind
	Payload  int // bytes behind the header of ICMP, TCP or UDP
	Whole    bool
	MTUs     []int        // what it was cut to on its path, in order
	ICMP     forward.ICMP // of an error
	MTU      int          // that a 'too big' tells of
	Inner    *Packet      // that an error is about
	Sequence int
}

// usualPayload is how much a ping carries that does not say.
const usualPayload = 56

// story is an exchange under way.
type story struct {
	net   *forward.Network
	now   int64
	known map[neighbour]bool
	asked []Resolution
	all   []Frame
}

// neighbour is an address known on a link.
type neighbour struct {
	out     model.InterfaceID
	address netip.Addr
}

// Of tells an exchange: the request there by the first path that arrives, else that
// fails; what comes back of it. Each interface that frames pass is in it, routed
// ones that are not ports as well.
func Of(net *forward.Network, x *forward.Exchange) []Frame { return tell(net, x).all }

// tell is Of with what else there is to say.
func tell(net *forward.Network, x *forward.Exchange) *story {
	if !x.Source.IsValid() {
		return &story{}
	}
	s := &story{net: net, known: map[neighbour]bool{}}
	payload := usualPayload
	if x.There.Flow.Service.Protocol != model.ICMP {
		payload = 0 // what a service would say is its own affair
	}
	if x.Probe.Size > 0 {
		payload = x.Probe.Size - forward.HeaderBytes(prefix.FamilyOf(x.Target))
	}
	request := Packet{TTL: x.Probe.TTL, Service: x.There.Flow.Service, Payload: payload, Whole: x.Probe.Whole, Sequence: 1}
	end, came := s.follow(x.There, request)
	if end.Outcome != forward.Delivered {
		s.complain(x.There, end, came)
	}
	for _, back := range x.Back {
		if end.Outcome != forward.Delivered || back.Nodes[0].Device != x.There.Nodes[end.Node].Device {
			continue
		}
		reply := Packet{TTL: forward.DefaultTTL, Service: back.Flow.Service, Kind: policy.Reply, Payload: payload, Sequence: 1}
		if lost, came := s.follow(back, reply); lost.Outcome != forward.Delivered {
			s.complain(back, lost, came)
		}
		break
	}
	slices.SortStableFunc(s.all, func(a, b Frame) int { return cmp.Compare(a.Nanos, b.Nanos) })
	return s
}

// complain sends the error about a packet that ended somewhere, if there is one.
func (s *story) complain(g *forward.Graph, end forward.Ending, came Packet) {
	back, m, ok := forward.ErrorBack(s.net, g, end)
	if !ok {
		return
	}
	e := Packet{TTL: forward.DefaultTTL, Service: model.Echo, Kind: policy.Error, ICMP: m, Inner: &came, Sequence: 1}
	if end.Outcome == forward.TooBig {
		e.MTU = forward.MTU(s.net.Spec, g.Nodes[end.Node].Edges[end.Edge].Hop.Out)
	}
	s.follow(back, e)
}

// follow sends a packet along one way of a graph and tells how that ends, and the
// packet as it came there.
func (s *story) follow(g *forward.Graph, p Packet) (forward.Ending, Packet) {
	end := g.Endings[0]
	for _, e := range g.Endings {
		if e.Outcome == forward.Delivered {
			end = e
			break
		}
	}
	way := g.Path(end.Node)
	for i := 0; end.Outcome == forward.Looped && len(way) <= p.TTL; i++ {
		way = append(way, end.Loop[(i+1)%len(end.Loop)])
	}
	if end.Outcome == forward.Expired || end.Outcome == forward.Looped {
		way = way[:min(len(way), p.TTL+1)]
		end.Node = way[len(way)-1]
	}
	for i := 0; i+1 < len(way); i++ {
		n := &g.Nodes[way[i]]
		e := n.Edges[slices.IndexFunc(n.Edges, func(e forward.Edge) bool { return e.To == way[i+1] })]
		next := &g.Nodes[way[i+1]]
		if i > 0 {
			p.TTL--
		}
		p.Header, p.Service = e.Left, e.Over
		if p.Kind == policy.Error {
			inner := *p.Inner
			inner.Header = next.Inner
			p.Inner = &inner
		}
		s.step(e, next.In, &p)
	}
	last := &g.Nodes[end.Node]
	p.Header = last.Header
	if end.Outcome == forward.Unanswered {
		e := last.Edges[end.Edge]
		for range 3 {
			s.ask(e.Hop.Out, e.Address, model.None)
			s.now += 1e9
		}
	}
	return end, p
}

// handling is how long a device takes to pass on a packet, and propagation how long
// a frame is on its path, in nanoseconds: of no device in particular.
const (
	handling    = 15_000
	propagation = 5_000
)

// usualBandwidth is how many bits a second a link takes that does not say.
const usualBandwidth = 1e9

// step sends a packet over one link.
func (s *story) step(e forward.Edge, in model.InterfaceID, p *Packet) {
	spec := s.net.Spec
	out := e.Hop.Out
	if mtu := forward.MTU(spec, out); p.size() > mtu && (len(p.MTUs) == 0 || mtu < slices.Min(p.MTUs)) {
		p.MTUs = append(slices.Clip(p.MTUs), mtu)
	}
	if !spec.Interfaces[out].Serial && !s.known[neighbour{out, e.Address}] {
		s.ask(out, e.Address, in)
	}
	packet := *p
	s.cross(out, in, Frame{At: model.None, From: MACOf(spec, out), To: holderMAC(spec, in, e.Address), Packet: &packet}, p.size())
	s.now += handling
}

// size is how many bytes the packet has with its IP header.
func (p *Packet) size() int {
	switch {
	case p.Kind == policy.Error:
		return 576
	case p.Destination.Is4():
		return 28 + p.Payload
	}
	return 48 + p.Payload
}

// ask asks a link for who has an address, and has whoever it is answer.
func (s *story) ask(out model.InterfaceID, a netip.Addr, holder model.InterfaceID) {
	spec := s.net.Spec
	if spec.Interfaces[out].Serial {
		return
	}
	s.asked = append(s.asked, Resolution{out, a, holder != model.None})
	asker := ownOn(&spec.Interfaces[out], a)
	ask := Ask{Address: a, By: asker, AskerMAC: MACOf(spec, out)}
	everybody := MAC{0xff, 0xff, 0xff, 0xff, 0xff, 0xff}
	if a.Is6() {
		last := prefix.SolicitedNode(a).As16() // RFC 2464 §7
		everybody = MAC{0x33, 0x33, last[12], last[13], last[14], last[15]}
	}
	// All on the link hear it; each port once.
	seen := map[network.Leg]bool{}
	start, latest := s.now, s.now
	for _, n := range s.net.State.Neighbours(out) {
		s.now = start
		request := ask
		s.crossOnce(out, n, Frame{At: model.None, From: ask.AskerMAC, To: everybody, Ask: &request}, 28, seen)
		if n == holder {
			latest = s.now
		}
	}
	s.now = latest
	if holder == model.None {
		return
	}
	s.now += handling
	answer := ask
	answer.Answer, answer.AnswererMAC = true, holderMAC(spec, holder, a)
	s.cross(holder, out, Frame{At: model.None, From: answer.AnswererMAC, To: ask.AskerMAC, Ask: &answer}, 28)
	s.known[neighbour{out, a}] = true
	if asker.IsValid() {
		s.known[neighbour{holder, asker}] = true // who is asked learns who asked
	}
}

// ownOn is the address of an interface by which it asks for another.
func ownOn(i *model.Interface, a netip.Addr) netip.Addr {
	var any netip.Addr
	for _, own := range i.Addresses {
		if own.Addr().Is4() == a.Is4() && !own.OnTop() {
			if own.Contains(a) {
				return own.Addr()
			}
			if !any.IsValid() {
				any = own.Addr()
			}
		}
	}
	return any
}

func (s *story) cross(out, in model.InterfaceID, f Frame, size int) {
	s.crossOnce(out, in, f, size, map[network.Leg]bool{})
}

// crossOnce puts a frame on each port it passes that is not seen yet, and on the
// routed interfaces at both ends where these are no ports.
func (s *story) crossOnce(out, in model.InterfaceID, f Frame, size int, seen map[network.Leg]bool) {
	spec := s.net.Spec
	legs, _ := s.net.State.Crossing(out, in)
	put := func(l network.Leg) {
		if !seen[l] {
			seen[l] = true
			f.Nanos, f.At, f.In, f.Tag, f.Line = s.now, l.Port, l.In, l.Tag, spec.Interfaces[out].Serial
			s.all = append(s.all, f)
		}
	}
	if spec.Interfaces[out].Kind != model.Port {
		put(network.Leg{Port: out})
	}
	for i, l := range legs {
		if l.In {
			bits := int64(usualBandwidth)
			for _, port := range []model.InterfaceID{legs[i-1].Port, l.Port} {
				if b := spec.Interfaces[port].Bandwidth; b > 0 {
					bits = b
					break
				}
			}
			s.now += propagation + int64(size+18)*8*1e9/bits
		}
		put(l)
	}
	if spec.Interfaces[in].Kind != model.Port {
		put(network.Leg{Port: in, In: true})
	}
}

// MACOf is an interface's MAC address: its own, or one of those that anyone may
// assign (IEEE 802's locally administered ones), made from its port's name.
func MACOf(spec *model.Spec, id model.InterfaceID) MAC {
	i := &spec.Interfaces[id]
	var m MAC
	if i.MAC != "" {
		if text, err := prefix.ParseMAC(i.MAC); err == nil && parse(text, &m) {
			return m
		}
	}
	if i.Kind == model.Subinterface && i.Parent != model.None {
		return MACOf(spec, i.Parent)
	}
	h := fnv.New32a()
	h.Write([]byte(spec.Label(id)))
	n := h.Sum32()
	return MAC{0x02, 0x00, byte(n >> 24), byte(n >> 16), byte(n >> 8), byte(n)}
}

// parse reads a MAC with colons.
func parse(text string, m *MAC) bool {
	if len(text) != 17 {
		return false
	}
	for i := range m {
		v := 0
		for _, c := range []byte(text[3*i : 3*i+2]) {
			switch {
			case c >= '0' && c <= '9':
				v = v*16 + int(c-'0')
			case c >= 'a' && c <= 'f':
				v = v*16 + int(c-'a') + 10
			default:
				return false
			}
		}
		m[i] = byte(v)
	}
	return true
}

// holderMAC is the MAC that an interface answers with for an address: that of the
// virtual router for one that is shared (RFC 9568 §7.3).
func holderMAC(spec *model.Spec, id model.InterfaceID, a netip.Addr) MAC {
	for _, own := range spec.Interfaces[id].Addresses {
		if own.Addr() == a && own.OnTop() {
			if a.Is4() {
				return MAC{0x00, 0x00, 0x5e, 0x00, 0x01, 0x01}
			}
			return MAC{0x00, 0x00, 0x5e, 0x00, 0x02, 0x01}
		}
	}
	return MACOf(spec, id)
}
