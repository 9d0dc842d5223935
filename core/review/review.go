// Package review judges a change of a plan as a whole: what it means for those who use the network, whatever parts it is made of.
package review

import (
	"context"

	"ropeswing/core/compare"
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/source"
	"ropeswing/core/workspace"
)

// Pair is who asks whom, by the names that both plans have.
type Pair struct {
	From, To string // segments, hosts, or addresses of the world
	IPv4     bool
	Over     model.Service
	Why      string       // why it does not work after the change; "" where it works, or that was not worked out
	Finding  finding.Name // the kind of failure that is, with Why
	Place    source.Place // of whom is asked, in the plan after
	Wanted   string       // the requirement by which it must not work; "" where none says so
}

// Risk is a failure that takes pairs which no single failure took before.
type Risk struct {
	Without string // what fails
	New     bool   // it is only there after the change
	Pairs   []Pair
}

// PathChange is pairs that work before and after, by other devices. The paths are the devices on the way, without the two ends.
type PathChange struct {
	From, To      string // the first of the pairs
	IPv4          bool
	Before, After []string
	Pairs         int
}

// Numbers is what the change does to the numbers that are given: how many stay, and which do not, each as its line in the ledger.
type Numbers struct {
	Kept           int
	Given, Retired []string
}

// Review is what a change means.
type Review struct {
	Before, After *workspace.Workspace

	Asked         int // pairs that both plans have and that were asked, of each service for itself
	HostsLeft     int // hosts that were not asked one by one, since there are too many; their segments were
	Services      []model.Service
	ServicesLeft  []model.Service // that were not asked, since there are too many
	Lost          []Pair          // worked before, and do not after
	Refused       []Pair          // the same, and a requirement wants it
	Gained        []Pair          // did not work before, and do after
	Gone, New     []string        // segments and hosts that only the one or the other plan has
	Unmet         []string        // requirements that do not hold after, and held before or are new
	Met           []string        // requirements that hold after, and did not hold before
	Dropped       []string        // requirements that are asked for no longer
	Added         []string        // requirements that are new, and hold
	Unmanaged     []string        // devices that the operator does not reach any more
	Risks         []Risk
	PathsLeft     bool // it was not looked at which paths change, since there are too many pairs
	PairsCut      bool // a failure takes so many pairs that not all of them were compared
	Failures      int  // how many single failures of the plan after were made
	Rerouted      []PathChange
	Found, Mended []finding.Finding // what 'check' finds only after, and only before
	Numbers       Numbers
	Compared      *compare.Result // item by item; what each breaks by itself is not worked out
}

// Worse tells whether anything that worked or held does not, or something is wrong that was not: what a colleague has to decide on.
func (r *Review) Worse() bool {
	for _, f := range r.Found {
		if f.Severity() >= finding.Warning {
			return true
		}
	}
	return len(r.Lost)+len(r.Unmet)+len(r.Unmanaged)+len(r.Risks) > 0
}

// Of judges the change from one plan to another. It stops with an error only where the context ends.
func Of(ctx context.Context, before, after *workspace.Workspace) (*Review, error) {
	r := &Review{Before: before, After: after, Compared: before.ComparePlan(after)}
	a, b := newSide(before), newSide(after)
	r.HostsLeft = max(a.hostsLeft, b.hostsLeft)
	r.Gone, r.New = names(a, b), names(b, a)
	r.services()
	common := meet(a, b)
	for _, over := range r.Services {
		r.pairs(a, b, common, over)
	}
	r.promises()
	r.paths(a, b, common)
	r.found()
	r.numbers()
	if err := r.risks(ctx, a, b, common); err != nil {
		return nil, err
	}
	return r, nil
}
