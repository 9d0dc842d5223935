// Package steps finds an order in which what was found becomes what is planned, so that the
// operator is cut off from no device that is still to be changed, and as little as can be
// fails in between. Every state in between is judged by the predicted network.
package steps

import (
	"maps"
	"net/netip"
	"slices"

	"ropeswing/core/compare"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/parallel"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
	"ropeswing/core/verify"
)

// Helper is what a step does beside setting what is planned.
type Helper uint8

const (
	NoHelper   Helper = iota
	SetsBeside        // sets what is planned beside what is there, so that both work
	TakesAway         // takes away what is still beside what is planned
)

// Session is what becomes of the operator's login on the device of a step.
type Session uint8

const (
	Local     Session = iota // the operator sits at it
	Stays                    // it goes on
	Moves                    // it ends, and another address answers
	Ends                     // it ends, and no address of the device answers
	AtConsole                // there is none: the device is not reached before the step
	Theirs                   // there is none: somebody else runs the device, and has to be asked
	Unknown                  // it was not looked at: there is too much to set
)

func (s Session) String() string {
	return [...]string{"local", "stays", "moves", "ends", "console", "theirs", "unknown"}[s]
}

// Login is where the operator logs in.
type Login struct {
	Address  netip.Addr // invalid where there is none
	By       string     // the service; "" where none for it is answered, and only a path is known
	Through  []model.DeviceID
	Moving   bool              // it is shared between ports, of which one holds it at a time
	on       model.InterfaceID // the port it is reached on
	stateful []model.DeviceID
}

// Set is one thing that a step sets.
type Set struct {
	compare.Difference
	Helper Helper
}

// Step is what is set on one device in one go.
type Step struct {
	Device   model.DeviceID
	Sets     []Set
	Login    Login // before
	Session  Session
	Then     Login    // where to log in again, of one that moves
	Unmet    []string // requirements that hold before and after all, and do not while it is in force
	Broken   int      // pairs that work before and after all, and do not while it is in force
	First    [2]string
	Works    [2]string // the first pair that works now and did not before; "" where there is none
	Hosts    []string  // segments whose subnet changes with the step: hosts there that the plan does not know need another address before
	Notes    []string  // who keeps an old gateway, or remembers an old neighbour, beyond the step
	Together bool      // things that would each cut the device off alone are set at once
	Restart  *Restart  // of the last on a device: what its restart takes; nil where that was not asked
	Judged   bool      // what fails while it is in force was looked at
	Last     bool      // nothing is left to set on the device: what runs is to be saved

	items []moved
}

// moved is how far an item is brought.
type moved struct {
	item     int
	from, to compare.Level
}

// Worksheet is steps in their order.
type Worksheet struct {
	Steps         []Step
	Devices       int                  // how many are changed
	Otherwise     []compare.Difference // what differs and no step sets
	Left          []compare.Difference // what a worksheet that was checked leaves as it was found
	NotKnown      []string             // devices of which nothing was observed
	New           []string             // devices that the plan steps begin at does not have: they are set up before
	Partly        []compare.Partly
	Untold        []compare.Difference // what two plans say otherwise and no list of a device tells
	Before, After *forward.Network
	Whole         bool // every order was looked at that could be better
	Judged        int  // of how many steps it was looked at what fails
	Among, Of     int  // so many of so many LANs and loopbacks were asked about in between

	result *compare.Result
	items  []compare.Item
	judge  *judge
}

// Network is the predicted network once so many of the steps are done.
func (w *Worksheet) Network(done int) *forward.Network {
	levels := make([]compare.Level, len(w.items))
	for _, s := range w.Steps[:done] {
		for _, m := range s.items {
			levels[m.item] = m.to
		}
	}
	return w.result.Between(w.items, w.Otherwise, levels)
}

// Safe tells whether nothing fails in between, and nobody has to be at a console.
func (w *Worksheet) Safe() bool {
	return !slices.ContainsFunc(w.Steps, func(s Step) bool {
		return !s.Judged || s.Session == Unknown || s.Hands() || s.Broken > 0 || len(s.Unmet) > 0
	})
}

// Hands tells whether a step wants somebody at the device's console, or a timer that takes
// the step back.
func (s *Step) Hands() bool { return s.Session == Ends || s.Session == AtConsole }

// Plan makes a worksheet of a comparison of the plan with what was found. Sessions are
// where the operator is logged in, by device; the managed addresses unless said.
func Plan(r *compare.Result, sessions map[model.DeviceID]netip.Addr) *Worksheet {
	w := &Worksheet{result: r, NotKnown: r.NotKnown, New: r.New, Partly: r.Partly}
	w.items, w.Otherwise = r.Items()
	j := newJudge(w, sessions)
	path, whole := j.search()
	w.Whole = whole
	w.Before, w.After = j.at(j.start()).network(j), j.at(j.goal()).network(j)
	j.tell(path)
	return w
}

// NotThere tells the first device, in the plan's order, that is not reached at the start
// where the operator is said to be logged in, and where it is reached.
func (w *Worksheet) NotThere() (d model.DeviceID, at []Login, is bool) {
	for _, d := range slices.Sorted(maps.Keys(w.judge.sessions)) {
		all := w.judge.loginsAt(w.Before, d)
		if _, reached := find(all, w.judge.sessions[d]); !reached {
			return d, all, true
		}
	}
	return model.None, nil, false
}

// judge judges the states in between.
type judge struct {
	*Worksheet
	spec     *model.Spec // as planned
	sessions map[model.DeviceID]netip.Addr
	devices  []model.DeviceID // that are changed
	ends     []*reach.End
	world    []netip.Addr // that stand for what lies beyond
	pairs    [][2]int     // that work before and after all
	met      []int        // requirements that hold before and after all
	known    map[string]*state
	links    []bool // by segment, once asked for
	asked    int
	most     int // how many may be judged before an order is found straight on

	needs [][]int // by item: those that have to be done before it
	depth []int   // by item: how long a chain of such leads to it
}

// state is a state in between, judged.
type state struct {
	levels []compare.Level
	broken []int // of the pairs
	unmet  []int // of those that hold before and after; see unmetIn
	asked  bool  // unmet was looked at
	logins map[model.DeviceID][]Login

	// What it was judged by: made when it is asked for, and forgotten where many are judged.
	net    *forward.Network
	ends   []*reach.End // with the addresses they have
	matrix *reach.Matrix
}

// network is the predicted network of a state.
func (s *state) network(j *judge) *forward.Network {
	if s.net == nil {
		s.net = j.result.Between(j.items, j.Otherwise, s.levels)
		s.ends = reach.AsNow(j.ends, s.net.Spec)
		s.matrix = reach.All(s.net, s.ends)
	}
	return s.net
}

// settle drops what a state was judged by, where there are many.
func (j *judge) settle(s *state) {
	if len(j.items) > few && j.pairs != nil {
		s.net, s.ends, s.matrix = nil, nil, nil
	}
}

func newJudge(w *Worksheet, sessions map[model.DeviceID]netip.Addr) *judge {
	j := &judge{Worksheet: w, spec: w.result.Net.Spec, sessions: sessions, known: map[string]*state{}}
	for _, i := range w.items {
		if !slices.Contains(j.devices, i.Device) {
			j.devices = append(j.devices, i.Device)
		}
	}
	w.Devices, w.judge = len(j.devices), j
	j.findNeeds()
	all := append(slices.Clip(reach.WithoutLinks(j.spec, reach.Ends(j.spec))), reach.Loopbacks(j.spec)...)
	for i := 0; i < len(all); i += 1 + len(all)/mostEnds {
		j.ends = append(j.ends, all[i])
	}
	w.Among, w.Of = len(j.ends), len(all)
	j.world = Beyond(j.spec)
	before, after := j.at(j.start()), j.at(j.goal())
	j.each(func(a, b int) bool {
		if before.works(j, a, b) && after.works(j, a, b) {
			j.pairs = append(j.pairs, [2]int{a, b})
		}
		return true
	})
	for n := range j.spec.Must {
		if !slices.Contains(j.unmetIn(before), n) && !slices.Contains(j.unmetIn(after), n) {
			j.met = append(j.met, n)
		}
	}
	for _, s := range []*state{before, after} {
		s.unmet, s.broken = nil, nil
	}
	return j
}

// mostEnds is how many LANs and loopbacks are asked about in each state.
const mostEnds = 400

// Beyond is an address for each prefix that the world answers for.
func Beyond(spec *model.Spec) []netip.Addr {
	var all []netip.Addr
	for d := range spec.Devices {
		for _, p := range spec.Devices[d].Beyond {
			if a := prefix.First(p.Prefix); spec.Devices[d].Kind == model.World && !slices.Contains(all, a) {
				all = append(all, a)
			}
		}
	}
	return all
}

// each visits every pair that is asked about, until visit is false: of ends by their
// place, and of an end and what lies beyond, whose places come after those of the ends.
func (j *judge) each(visit func(a, b int) bool) {
	for a, from := range j.ends {
		for b, to := range j.ends {
			if (from.Asks(to) || from.IsNear(to)) && !visit(a, b) {
				return
			}
		}
		for b, to := range j.world {
			if from.Address.Is4() == to.Is4() && j.spec.Devices[from.Device].Kind != model.World && !visit(a, len(j.ends)+b) {
				return
			}
		}
	}
}

// works tells whether a pair works in a state.
func (s *state) works(j *judge, a, b int) bool {
	net := s.network(j)
	if b < len(j.ends) {
		return s.matrix.Works(a, b)
	}
	e := s.ends[a]
	return forward.PingBy(net, e.Device, e.Address, j.world[b-len(j.ends)], model.None, forward.Probe{}).Verdict() == forward.Works
}

func (j *judge) start() []compare.Level { return make([]compare.Level, len(j.items)) }

func (j *judge) goal() []compare.Level {
	all := make([]compare.Level, len(j.items))
	for i := range all {
		all[i] = compare.AsPlanned
	}
	return all
}

// at judges the state in which items are as far as levels say.
func (j *judge) at(levels []compare.Level) *state { return j.atOnce(levels, false) }

// atOnce is at, with the requirements that do not hold, which are asked about beside all else.
func (j *judge) atOnce(levels []compare.Level, promises bool) *state {
	key := keyOf(levels)
	if s := j.known[key]; s != nil {
		return s
	}
	j.asked++
	s := &state{levels: slices.Clone(levels), logins: map[model.DeviceID][]Login{}}
	net := s.network(j)
	logins := make([][]Login, len(j.devices))
	parts := []func(){ // which do not depend on one another
		func() {
			for n, p := range j.pairs {
				if !s.works(j, p[0], p[1]) {
					s.broken = append(s.broken, n)
				}
			}
		},
		func() {
			for i, d := range j.devices {
				logins[i] = j.loginsAt(net, d)
			}
		},
	}
	if promises {
		parts = append([]func(){func() { j.unmetIn(s) }}, parts...)
	}
	parallel.Each(len(parts), func(i int) { parts[i]() })
	for i, d := range j.devices {
		s.logins[d] = logins[i]
	}
	j.known[key] = s
	return s
}

// unmetIn is the requirements that do not hold in a state. They take longest to look at, with all that may fail, and are looked at last.
func (j *judge) unmetIn(s *state) []int {
	if !s.asked {
		s.asked = true
		for _, n := range verify.PromisesOf(s.network(j)).Unmet {
			if j.met == nil || slices.Contains(j.met, n) {
				s.unmet = append(s.unmet, n)
			}
		}
	}
	return s.unmet
}

func keyOf(levels []compare.Level) string {
	b := make([]byte, len(levels))
	for i, l := range levels {
		b[i] = byte(l)
	}
	return string(b)
}

// loginsAt lists where the operator can log in on a device: where it is managed first.
func (j *judge) loginsAt(net *forward.Network, d model.DeviceID) []Login {
	spec := net.Spec
	if spec.Operator == model.None || d == spec.Operator || spec.Devices[d].Kind == model.World {
		return nil
	}
	device := &spec.Devices[d]
	by, over := "", model.Echo
	for _, word := range model.Logins {
		if slices.Contains(device.Answers, word) {
			by, over = word, model.ServiceOf(word)
			break
		}
	}
	var all []Login
	try := func(a netip.Addr, moving bool) {
		if slices.ContainsFunc(all, func(l Login) bool { return l.Address == a }) || len(all) >= mostLogins {
			return
		}
		x := forward.PingBy(net, spec.Operator, netip.Addr{}, a, model.None, forward.Probe{Over: over})
		if x.Verdict() != forward.Works {
			return
		}
		l := Login{Address: a, By: by, Moving: moving, on: x.There.Nodes[x.There.Endings[0].Node].In}
		for _, n := range x.There.Path(x.There.Endings[0].Node) {
			at := x.There.Nodes[n].Device
			l.Through = append(l.Through, at)
			if spec.Devices[at].KeepsState && at != d {
				l.stateful = append(l.stateful, at)
			}
		}
		if last := x.There.Nodes[x.There.Endings[0].Node].Device; last == d {
			all = append(all, l)
		}
	}
	if a, ok := j.sessions[d]; ok {
		try(a, isMoving(spec, d, a))
	}
	own := spec.InterfacesOf(d)
	if device.Manage != model.None {
		own = append([]model.InterfaceID{device.Manage}, own...)
	}
	for _, moving := range []bool{false, true} {
		for _, id := range own {
			for _, a := range spec.Interfaces[id].Addresses {
				if !a.Addr().IsLinkLocalUnicast() && a.Virtual == moving {
					try(a.Addr(), moving)
				}
			}
		}
	}
	return all
}

// isMoving tells whether an address of a device is shared between ports.
func isMoving(spec *model.Spec, d model.DeviceID, a netip.Addr) bool {
	return slices.ContainsFunc(spec.InterfacesOf(d), func(id model.InterfaceID) bool {
		return slices.ContainsFunc(spec.Interfaces[id].Addresses, func(x model.Address) bool { return x.Addr() == a && x.Virtual })
	})
}

// mostLogins is how many addresses of a device are looked for.
const mostLogins = 4
