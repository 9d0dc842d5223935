package verify

import (
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
)

// PermitUse is what one permit decides about.
type PermitUse struct {
	Device   model.DeviceID
	Own      bool // it stands in the list of what is for the device itself
	Index    int  // its place in that list
	Permit   *model.Permit
	HiddenBy int   // the place of an earlier one that matches all that it does; -1 where none does
	Must     []int // the requirements of the plan whose packets it decides about
	Unused   bool  // nothing that anyone in the plan sends is decided by it
	Tally    Tally // only where it was counted
}

// Tally is of how many pairs of addresses that a permit matches it decides about some
// packet; the others an earlier one decides, or they never come by.
type Tally struct {
	Decides, Pairs int
	Cut            bool // there are more pairs, which were not tried
}

// mostAddressed is up to how many interfaces each may begin a way that is tried.
const mostAddressed = 400

// permitKey is one permit.
type permitKey struct {
	device model.DeviceID
	own    bool
	index  int
}

// Up to how many packets are followed for one permit: before it is taken that it may
// decide about some, and where it is counted.
const (
	mostWalks   = 4000
	mostCounted = 20000
)

// CountedPermits is Permits, with the pairs counted for those of some devices.
func CountedPermits(net *forward.Network, devices []model.DeviceID) []PermitUse {
	c := &checker{net: net, spec: net.Spec}
	all := c.permitUses()
	inForce, ends := c.withPending(), c.everybody()
	for n := range all {
		if u := &all[n]; slices.Contains(devices, u.Device) {
			on := net
			if u.Permit.Pending {
				on = inForce
			}
			u.Tally = c.tally(on, u, ends, mostCounted, false)
		}
	}
	return all
}

// withPending is the network with every pending permit in force.
func (c *checker) withPending() *forward.Network {
	if !c.spec.Pending() {
		return c.net
	}
	return forward.Resolve(network.Build(c.spec.WithPending()).State(c.net.State.Failures()...))
}

// Permits lists all permits with what they decide about. Pending ones are tried as
// if all pending ones were in force.
func Permits(net *forward.Network) []PermitUse {
	return (&checker{net: net, spec: net.Spec}).permitUses()
}

func (c *checker) permitUses() []PermitUse {
	net, spec := c.net, c.spec
	inForce := c.withPending()
	must := c.decidedInMust(net, inForce)
	var all []PermitUse
	ends := c.everybody()
	for d := range spec.Devices {
		for _, own := range []bool{false, true} {
			list := spec.Devices[d].Permits
			if own {
				list = spec.Devices[d].OwnPermits
			}
			for i := range list {
				u := PermitUse{Device: model.DeviceID(d), Own: own, Index: i, Permit: &list[i], HiddenBy: hiddenBy(list, i),
					Must: must[permitKey{model.DeviceID(d), own, i}]}
				net := net
				if list[i].Pending {
					net = inForce
				}
				u.Unused = u.HiddenBy < 0 && len(u.Must) == 0 && !c.decides(net, &u, ends)
				all = append(all, u)
			}
		}
	}
	return all
}

// hiddenBy finds an earlier permit that covers everything one does.
func hiddenBy(list []model.Permit, i int) int {
	p := &list[i]
	for j := range i {
		q := &list[j]
		covers := !q.Pending && (!q.Answers || p.Answers) && q.From.Covers(&p.From) && q.To.Covers(&p.To) && within(p.In, q.In) &&
			within(p.Out, q.Out)
		if !covers {
			continue
		}
		if len(q.Over) == 0 || len(p.Over) > 0 && !slices.ContainsFunc(p.Over, func(s model.Service) bool {
			return !slices.ContainsFunc(q.Over, func(o model.Service) bool { return o.Covers(s) })
		}) {
			return j
		}
	}
	return -1
}

// within tells whether some interfaces are all among others, none being all.
func within(some, others []model.InterfaceID) bool {
	return len(others) == 0 || len(some) > 0 &&
		!slices.ContainsFunc(some, func(i model.InterfaceID) bool { return !slices.Contains(others, i) })
}

// decidedInMust lists for each permit the requirements whose packets it decides
// about.
func (c *checker) decidedInMust(net, inForce *forward.Network) map[permitKey][]int {
	all := map[permitKey][]int{}
	if net.Policy == nil {
		return all
	}
	for i := range c.spec.Must {
		r := &c.spec.Must[i]
		for _, a := range c.ends(r.From, true) {
			for _, b := range c.ends(r.To, false) {
				if a.device == b.device && a.device != model.None || a.address.Is4() != b.address.Is4() {
					continue
				}
				for _, net := range []*forward.Network{net, inForce} {
					for _, k := range c.judged(sentBy{net, a, b.address, r.Over}) {
						if !slices.Contains(all[k], i) {
							all[k] = append(all[k], i)
						}
					}
					if net == inForce {
						break
					}
				}
			}
		}
	}
	return all
}

// eachJudgement visits what devices decide about the packets of an exchange.
func eachJudgement(x *forward.Exchange, visit func(model.DeviceID, policy.Judgement)) {
	for _, g := range append([]*forward.Graph{x.There}, x.Back...) {
		for _, n := range g.Nodes {
			if n.Treated != nil {
				visit(n.Device, n.Treated.Judged)
			}
			for _, e := range n.Edges {
				if e.Treated != nil {
					visit(n.Device, e.Treated.Judged)
				}
			}
		}
	}
}

// everybody is who may send, or be sent to: who stands for each segment, each host,
// and the world with an address beyond.
func (c *checker) everybody() []target {
	var all []target
	known := map[target]bool{}
	add := func(d model.DeviceID, a netip.Addr) {
		if e := (target{d, a}); a.IsValid() && !known[e] {
			known[e] = true
			all = append(all, e)
		}
	}
	for _, e := range reach.Ends(c.spec) {
		add(e.Device, e.Address)
	}
	for _, e := range reach.Hosts(c.spec) {
		add(e.Device, e.Address)
	}
	if len(c.spec.Interfaces) <= mostAddressed {
		c.each(func(id model.InterfaceID, a model.Address) {
			if !a.Virtual && !a.Addr().IsLinkLocalUnicast() {
				add(c.spec.Interfaces[id].Device, a.Addr())
			}
		})
	}
	for d := range c.spec.Devices {
		for _, p := range c.spec.Devices[d].Beyond {
			add(model.DeviceID(d), prefix.First(p.Prefix))
		}
		for _, t := range c.spec.Devices[d].Translates {
			if t.Kind == model.OneToOne {
				add(model.None, t.First)
			}
			if at := c.net.Policy.AskedAt(&t); at.IsValid() {
				add(model.None, at)
			}
		}
	}
	return all
}

// portsAt are the services that are translated where an address is asked for them, one of each translation.
func (c *checker) portsAt(a netip.Addr) []model.Service {
	var all []model.Service
	for d := range c.spec.Devices {
		for i := range c.spec.Devices[d].Translates {
			if t := &c.spec.Devices[d].Translates[i]; c.net.Policy.AskedAt(t) == a {
				all = append(all, model.Service{Protocol: t.Asked.Protocol, First: t.Asked.First, Last: t.Asked.First})
			}
		}
	}
	return all
}

// decides tries whether any packet is decided by a permit.
func (c *checker) decides(net *forward.Network, u *PermitUse, ends []target) bool {
	t := c.tally(net, u, ends, mostWalks, true)
	return t.Decides > 0 || t.Cut // too many to say
}

// sentBy is a packet that is tried, and in which network.
type sentBy struct {
	net  *forward.Network
	from target
	to   netip.Addr
	over model.Service
}

// mostKnown is up to how many packets what decides about them is kept.
const mostKnown = 1 << 18

// judged are the permits that decide about a packet, or what comes back of it: many permits cover the same packets.
func (c *checker) judged(a sentBy) []permitKey {
	if all, ok := c.byPermit[a]; ok {
		return all
	}
	var all []permitKey
	x := forward.PingBy(a.net, a.from.device, a.from.address, a.to, model.None, forward.Probe{Over: a.over})
	eachJudgement(x, func(d model.DeviceID, j policy.Judgement) {
		if k := (permitKey{d, j.Own, j.By}); j.By >= 0 && !slices.Contains(all, k) {
			all = append(all, k)
		}
	})
	if c.byPermit == nil {
		c.byPermit = map[sentBy][]permitKey{}
	}
	if len(c.byPermit) < mostKnown {
		c.byPermit[a] = all
	}
	return all
}

// tally counts the pairs of which a permit decides about some packet, or stops at the
// first. Each pair is tried from the side that begins.
func (c *checker) tally(net *forward.Network, u *PermitUse, ends []target, most int, first bool) Tally {
	p := u.Permit
	from, to := &p.From, &p.To
	if p.Answers {
		from, to = to, from
	}
	services := []model.Service{model.Echo, {Protocol: model.TCP, First: 443, Last: 443}}
	for _, s := range p.Over {
		if s.First > 0 {
			s.Last = s.First
		} else if s.Protocol != model.ICMP {
			s.First, s.Last = 443, 443
		}
		services = append(services, s)
	}
	if len(p.Over) > 0 {
		services = services[2:]
	}
	of := func(side *model.Side, e target, sends bool) bool {
		if side.Itself {
			return e.device == u.Device
		}
		return side.Contains(e.address) || !sends && e.device == model.None // translated on its path
	}
	own := []target{}
	for _, a := range c.spec.Own(u.Device) {
		if a.IsSingleIP() {
			own = append(own, target{device: u.Device, address: a.Addr()})
		}
	}
	var senders, receivers []target
	for _, e := range append(own, ends...) {
		if e.device != model.None && of(from, e, true) {
			senders = append(senders, e)
		}
		if of(to, e, false) {
			receivers = append(receivers, e)
		}
	}
	t, walks := Tally{}, 0
	for _, a := range senders {
		for _, b := range receivers {
			if a.address.Is4() != b.address.Is4() || a == b {
				continue
			}
			t.Pairs++
			over := services
			if b.device == model.None {
				over = append(c.portsAt(b.address), services...)
			}
			for _, s := range over {
				if walks++; walks > most {
					t.Pairs, t.Cut = t.Pairs-1, true
					return t
				}
				if slices.Contains(c.judged(sentBy{net, a, b.address, s}), permitKey{u.Device, u.Own, u.Index}) {
					if t.Decides++; first {
						return t
					}
					break
				}
			}
		}
	}
	return t
}
