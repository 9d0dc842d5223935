// Package puzzle plants one slip in a network as planned, for a learner to find by looking and to mend.
package puzzle

import (
	"errors"
	"fmt"
	"math/rand/v2"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/reach"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
)

// Puzzle is a network with a slip in it, and what the learner has typed.
type Puzzle struct {
	Kind  string   // what kind of slip it is, in words
	Slip  string   // the change that was planted, in words of --with
	Typed []string // changes of the learner, the last one last
	Looks int      // how often the learner looked

	planned *workspace.Workspace // its routes are those that are there, so that nothing is worked out anew round the slip
	slipped *workspace.Workspace
	now     *workspace.Workspace
	ends    []*reach.End // hosts; or who stands for the segments, where there are none
	works   [][]bool     // by ends: as planned
}

// ErrNone is that no slip of any kind breaks anything: the network is too small, or nothing in it works.
var ErrNone = errors.New("no slip breaks anything here: a puzzle needs hosts that reach each other")

// mostTried is how many slips are tried for one that breaks something.
const mostTried = 400

// New plants a slip, by the seed: the same one makes the same puzzle.
func New(w *workspace.Workspace, seed uint64) (*Puzzle, error) {
	stand := *w
	spec := *w.Network.Spec
	spec.RoutesStand = true
	stand.Network = forward.Resolve(network.Build(&spec).State())
	stand.Spec = stand.Network.Spec
	p := &Puzzle{planned: &stand, ends: reach.Hosts(&spec)}
	if len(p.ends) == 0 {
		p.ends = reach.Ends(&spec)
	}
	p.works = p.working(p.planned)
	r := rand.New(rand.NewPCG(seed, 39))
	kinds := allSlips(&spec)
	r.Shuffle(len(kinds), func(i, j int) { kinds[i], kinds[j] = kinds[j], kinds[i] })
	for range mostTried {
		for _, k := range kinds {
			if len(k.changes) == 0 {
				continue
			}
			change := k.changes[r.IntN(len(k.changes))]
			next, err := revise.With(p.planned, change)
			if err != nil {
				continue // what is wrong by itself is no slip that a device would take
			}
			if p.slipped, p.now = next, next; len(p.Broken()) > 0 {
				p.Kind, p.Slip = k.kind, change
				return p, nil
			}
		}
	}
	return nil, ErrNone
}

// Now is the network as it is: with the slip, and with what was typed.
func (p *Puzzle) Now() *workspace.Workspace { return p.now }

// Pair is two hosts, of which the first does not reach the other in a family.
type Pair struct {
	From, To string
	IPv4     bool
}

// Broken lists the pairs of hosts that work as planned, and do not now.
func (p *Puzzle) Broken() []Pair {
	var all []Pair
	is := p.working(p.now)
	for i, from := range p.ends {
		for j, to := range p.ends {
			if p.works[i][j] && !is[i][j] {
				devices := p.planned.Spec.Devices
				all = append(all, Pair{devices[from.Device].Name, devices[to.Device].Name, to.Address.Is4()})
			}
		}
	}
	return all
}

// working asks all pairs of hosts, each by the addresses they have now.
func (p *Puzzle) working(w *workspace.Workspace) [][]bool {
	now := reach.AsNow(p.ends, w.Network.Spec)
	all := make([][]bool, len(now))
	for i, from := range now {
		all[i] = make([]bool, len(now))
		for j, to := range now {
			if i == j || from.Device == to.Device || from.Address.Is4() != to.Address.Is4() {
				continue
			}
			x := forward.PingBy(w.Network, from.Device, from.Address, to.Address, model.None, forward.Probe{Whom: forward.Only(to.Device)})
			all[i][j] = x.Verdict() == forward.Works
		}
	}
	return all
}

// Type makes a change, in words of --with, beside those that were made.
func (p *Puzzle) Type(change string) error {
	next, err := revise.With(p.now, change)
	if err != nil {
		return err
	}
	p.now, p.Typed = next, append(p.Typed, change)
	return nil
}

// Undo takes the last change back; false where there is none.
func (p *Puzzle) Undo() bool {
	if len(p.Typed) == 0 {
		return false
	}
	typed := p.Typed[:len(p.Typed)-1]
	p.now, p.Typed = p.slipped, nil
	for _, change := range typed {
		if err := p.Type(change); err != nil {
			return false
		}
	}
	return true
}

// Hint is the device that has the slip.
func (p *Puzzle) Hint() string {
	for d := range p.planned.Spec.Devices {
		if name := p.planned.Spec.Devices[d].Name; len(p.Slip) > len(name) && p.Slip[:len(name)+1] == name+":" {
			return fmt.Sprintf("look at %s: %s", name, p.Kind)
		}
	}
	return p.Kind
}
