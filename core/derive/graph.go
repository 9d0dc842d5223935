package derive

import (
	"fmt"
	"hash/fnv"
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/parallel"
	"ropeswing/core/prefix"
)

// Indexes into the lists of a graph.
type (
	stepID    int32
	failureID int32
)

const none = -1

// link leads from one forwarding device to the next: out of an interface,
// to the far end's address on the link.
type link struct {
	from, to model.DeviceID
	out, in  model.InterfaceID
	via      netip.Addr // invalid on a line without addresses
	cost     int32
	// of paths that cost the same that with the least sum is taken: that over the fewest devices, then by the ports' addresses; the
	// same in both directions
	tie int64
}

// hopTie is what each device counts for a tie: more than what all ports on a path count.
const hopTie = 1 << 32

// tieOf is a number that two ports have together: their devices', told apart by their loopbacks, which stay when links
// are renumbered, and less than that the ports' own addresses.
func (g *graph) tieOf(a, b model.InterfaceID) int64 {
	hash := func(key func(model.InterfaceID) string) int64 {
		x, y := key(a), key(b)
		if x > y {
			x, y = y, x
		}
		h := fnv.New32a()
		_, _ = h.Write([]byte(x + " " + y))
		return int64(h.Sum32())
	}
	devices := hash(func(id model.InterfaceID) string { return fmt.Sprint(g.keys[g.spec.Interfaces[id].Device]) })
	ports := hash(func(id model.InterfaceID) string {
		i := &g.spec.Interfaces[id]
		if all := own(i); len(all) > 0 {
			return fmt.Sprint(all)
		}
		return i.Name
	})
	return hopTie + devices>>14<<6 + ports>>26
}

// graph is how forwarding devices can hand on packets of one family, and what
// each failure does to that.
type graph struct {
	net      *forward.Network
	spec     *model.Spec
	keys     []netip.Addr // by device: what it is told apart by
	family   prefix.Family
	steps    []link
	to       []model.DeviceID // by step: where it leads
	beyond   []bool           // by device: it is of the world
	leaving  [][]stepID       // by device
	coming   [][]stepID       // by device
	failures []failure
	breaking [][]failureID // by step: what breaks it, devices first
	cutting  [][]failureID // by step: what breaks it or the return path
	back     []stepID      // by step: that which leads back over the same link; none where none does
	unit     []int32       // by step: what it shares with whatever fails together with it
}

// failure is something that may fail, and its effect.
type failure struct {
	network.Failure
	id       failureID
	hidden   bool      // a segment that is one cable which hides its faults: nothing is derived for it alone
	required bool      // it is to be outlasted; of the others no loop may come all the same
	effect   []effect  // by step
	down     []downEnd // interfaces in subnets of several routers
	part     []int32   // by device: who can still reach whom, were all routes right
	breaks   []stepID  // the steps it breaks
	fails    model.DeviceID
}

type downEnd = model.InterfaceID

// effect is what a failure does to a step.
type effect uint8

const (
	whole  effect = iota
	seen          // broken, and the near interface is down
	unseen        // broken, and the near interface stays up
)

// newGraph lists the steps of a family.
func newGraph(net *forward.Network, family prefix.Family) *graph {
	g := &graph{net: net, spec: net.Spec, keys: deviceKeys(net.Spec), family: family}
	n := len(g.spec.Devices)
	g.leaving, g.coming = make([][]stepID, n), make([][]stepID, n)
	for d := range g.spec.Devices {
		if !g.spec.Devices[d].Forwards {
			continue
		}
		for _, out := range g.spec.InterfacesOf(model.DeviceID(d)) {
			g.addSteps(out)
		}
	}
	g.to, g.beyond = make([]model.DeviceID, len(g.steps)), make([]bool, n)
	for d := range g.spec.Devices {
		g.beyond[d] = g.spec.Devices[d].Kind == model.World
	}
	by := map[[2]model.InterfaceID]stepID{}
	for id, s := range g.steps {
		g.to[id] = s.to
		g.leaving[s.from] = append(g.leaving[s.from], stepID(id))
		g.coming[s.to] = append(g.coming[s.to], stepID(id))
		by[[2]model.InterfaceID{s.out, s.in}] = stepID(id)
	}
	g.back, g.unit = make([]stepID, len(g.steps)), make([]int32, len(g.steps))
	for id, s := range g.steps {
		g.back[id], g.unit[id] = none, -int32(id)-2
		if b, ok := by[[2]model.InterfaceID{s.in, s.out}]; ok {
			g.back[id], g.unit[id] = b, -int32(min(b, stepID(id)))-2
		}
		if i := g.spec.Interfaces[s.out].Segment; i != model.None {
			g.unit[id] = int32(i)
		}
	}
	return g
}

// addSteps adds the steps out of one interface.
func (g *graph) addSteps(out model.InterfaceID) {
	state := g.net.State
	near := &g.spec.Interfaces[out]
	if near.Switched || near.Table != "" || !state.IsUp(out) || near.Kind == model.Loopback {
		return
	}
	if near.Serial {
		if far := state.Peer(out); far != model.None && state.IsUp(far) && g.forwards(far) {
			via, _ := g.shared(out, far)
			if via.IsValid() || g.lends(out) && g.lends(far) {
				g.steps = append(g.steps, link{near.Device, g.spec.Interfaces[far].Device, out, far, via, g.cost(out, far), g.tieOf(out, far)})
			}
		}
		return
	}
	for _, far := range state.Neighbours(out) {
		if !g.forwards(far) || g.spec.Interfaces[far].Device == near.Device {
			continue
		}
		if via, ok := g.shared(out, far); ok {
			g.steps = append(g.steps, link{near.Device, g.spec.Interfaces[far].Device, out, far, via, g.cost(out, far), g.tieOf(out, far)})
		}
	}
}

func (g *graph) forwards(id model.InterfaceID) bool {
	i := &g.spec.Interfaces[id]
	return g.spec.Devices[i.Device].Forwards && i.Table == ""
}

// shared is the far end's own address in a subnet that both are in.
func (g *graph) shared(near, far model.InterfaceID) (netip.Addr, bool) {
	for _, a := range g.spec.Interfaces[far].Addresses {
		if !g.usual(a) || a.Secondary {
			continue
		}
		for _, b := range g.spec.Interfaces[near].Addresses {
			if g.usual(b) && b.Contains(a.Addr()) && a.Contains(b.Addr()) && a.Addr() != b.Addr() {
				return a.Addr(), true
			}
		}
	}
	return netip.Addr{}, false
}

// usual tells whether it is an address of the family that is the interface's
// alone and means something beyond its link.
func (g *graph) usual(a model.Address) bool {
	return prefix.FamilyOf(a.Addr()) == g.family && !a.OnTop() && !a.Addr().IsLinkLocalUnicast()
}

// lends tells whether an interface without an address has one of the family to
// borrow.
func (g *graph) lends(id model.InterfaceID) bool {
	b := g.spec.Interfaces[id].Borrow
	return b != model.None && slices.ContainsFunc(g.spec.Interfaces[b].Addresses, g.usual)
}

func (g *graph) cost(near, far model.InterfaceID) int32 {
	return int32(Cost(g.net.State, near, far))
}

// Cost is what it costs to send from one interface to another on its link: the
// cost of the dearer of the cables at the two ends.
func Cost(state *network.State, near, far model.InterfaceID) int {
	cost := 0
	for _, id := range []model.InterfaceID{near, far} {
		if p := state.Spec.Interfaces[id].Parent; p != model.None {
			id = p
		}
		if c := state.Cable(id); c != model.None {
			cost = max(cost, state.Spec.Cables[c].Cost)
		}
	}
	if cost == 0 {
		return model.DefaultCost
	}
	return cost
}

// port is the port an interface is on.
func (g *graph) port(id model.InterfaceID) model.InterfaceID {
	if p := g.spec.Interfaces[id].Parent; p != model.None {
		return p
	}
	return id
}

// findFailures works out what each cable, segment and device takes away when it
// fails. Those that break no step and part no subnet are left out, and of those
// that do the same to all, all but the first. Several are the interfaces in
// subnets that several routers are in.
func (g *graph) findFailures(several []model.InterfaceID, protect model.Protection) {
	onSegment := make([][]stepID, len(g.spec.Segments))
	onPort := map[model.InterfaceID][]stepID{}
	for id, s := range g.steps {
		if i := g.spec.Interfaces[s.out].Segment; i != model.None {
			onSegment[i] = append(onSegment[i], stepID(id))
		}
		onPort[g.port(s.out)] = append(onPort[g.port(s.out)], stepID(id))
	}
	for id := range g.spec.Devices {
		d := model.DeviceID(id)
		if g.spec.Devices[d].Forwards && len(g.coming[d]) > 0 {
			f := network.NoFailure
			f.Device = d
			g.addFailure(g.fromState(f, several), protect == model.ProtectDevices || g.spec.Devices[d].Kind == model.World)
		}
	}
	for id, c := range g.spec.Cables {
		f := network.NoFailure
		f.Cable = model.CableID(id)
		a, b := &g.spec.Interfaces[c.Ends[0]], &g.spec.Interfaces[c.Ends[1]]
		switch {
		case g.spec.Devices[a.Device].Kind == model.Host || g.spec.Devices[b.Device].Kind == model.Host:
		case a.Switched || b.Switched || a.Group != model.None || b.Group != model.None:
			g.addFailure(g.fromState(f, several), true)
		default:
			x := failure{Failure: f, fails: f.Device, effect: make([]effect, len(g.steps))}
			what := seen
			if c.Hidden {
				what = unseen
			}
			for _, end := range c.Ends {
				for _, s := range onPort[end] {
					x.effect[s] = what
				}
			}
			g.addFailure(x, true)
		}
	}
	for id, steps := range onSegment {
		f := network.NoFailure
		f.Segment = model.SegmentID(id)
		x := failure{Failure: f, fails: f.Device, effect: make([]effect, len(g.steps))}
		for _, s := range steps {
			x.effect[s] = seen
		}
		for _, i := range several {
			if g.spec.Interfaces[i].Segment == f.Segment {
				x.down = append(x.down, i)
			}
		}
		g.addFailure(x, true)
	}
	parallel.Each(len(g.failures), func(f int) { g.failures[f].part = g.parts(&g.failures[f]) })
	g.breaking = make([][]failureID, len(g.steps))
	for f := range g.failures {
		for _, s := range g.failures[f].breaks {
			g.breaking[s] = append(g.breaking[s], failureID(f))
		}
	}
	g.cutting = make([][]failureID, len(g.steps))
	for s := range g.steps {
		both := slices.Clone(g.breaking[s])
		if b := g.back[s]; b != none {
			both = append(both, g.breaking[b]...)
		}
		slices.Sort(both)
		g.cutting[s] = slices.Compact(both)
	}
}

// fromState is the effect of a failure as the state of the network has it.
func (g *graph) fromState(f network.Failure, several []model.InterfaceID) failure {
	state := g.net.State.With(f)
	x := failure{Failure: f, fails: f.Device, effect: make([]effect, len(g.steps))}
	for id := range g.steps {
		s := &g.steps[id]
		switch {
		case !state.IsUp(s.out):
			x.effect[id] = seen
		case !state.IsUp(s.in), !g.spec.Interfaces[s.out].Serial && state.Domain(s.out) != state.Domain(s.in):
			x.effect[id] = unseen
		}
	}
	for _, i := range several {
		if !state.IsUp(i) {
			x.down = append(x.down, i)
		}
	}
	return x
}

func (g *graph) addFailure(x failure, required bool) {
	x.id, x.required, x.fails = failureID(len(g.failures)), required, x.Device
	for id, e := range x.effect {
		if e != whole {
			x.breaks = append(x.breaks, stepID(id))
		}
	}
	if len(x.breaks) == 0 && len(x.down) == 0 {
		return
	}
	for i := range g.failures {
		if y := &g.failures[i]; y.required && x.required && slices.Equal(y.breaks, x.breaks) && slices.Equal(y.effect, x.effect) &&
			slices.Equal(y.down, x.down) {
			return
		}
	}
	x.hidden = x.Segment != model.None && slices.ContainsFunc(g.failures, func(y failure) bool {
		return y.Cable != model.None && slices.Equal(y.breaks, x.breaks) && !slices.Contains(y.effect, seen)
	})
	g.failures = append(g.failures, x)
}

// parts finds who could reach whom, were all routes right.
func (g *graph) parts(x *failure) []int32 {
	part := make([]int32, len(g.leaving))
	for d := range part {
		part[d] = none
	}
	var queue []model.DeviceID
	for d := range part {
		if part[d] != none || !g.spec.Devices[d].Forwards || g.spec.Devices[d].Kind == model.World || model.DeviceID(d) == x.fails {
			continue
		}
		part[d] = int32(d)
		queue = append(queue[:0], model.DeviceID(d))
		for len(queue) > 0 {
			at := queue[0]
			queue = queue[1:]
			for _, id := range g.leaving[at] {
				to := g.steps[id].to
				if x.effect[id] == whole && part[to] == none && g.spec.Devices[to].Kind != model.World {
					part[to] = int32(d)
					queue = append(queue, to)
				}
			}
		}
	}
	return part
}
