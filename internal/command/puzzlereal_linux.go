package command

import (
	"context"
	"errors"
	"net/netip"
	"os"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/internal/rehearse"
)

// rehearsedPuzzle is a puzzle's network as a rehearsal.
type rehearsedPuzzle struct{ lab *rehearse.Lab }

// realPuzzle makes a puzzle's network in the kernel. Again is that the same command was run to its end in a namespace of the
// user's, where that is allowed.
func (a *app) realPuzzle(p *puzzler) (again bool, err error) {
	if os.Geteuid() != 0 {
		err := a.asRootOfOneself()
		if errors.As(err, new(notAsked)) {
			return false, err
		}
		return true, err
	}
	r := &rehearsedPuzzle{}
	if err := r.become(p.Now().Network); err != nil {
		return false, withNamespaceHint(err)
	}
	p.real = r
	return false, nil
}

func (r *rehearsedPuzzle) become(net *forward.Network) error {
	net, err := rehearse.AsHere(net)
	if err != nil {
		return err
	}
	r.close()
	lab, err := rehearse.Make(context.Background(), net, func(int, int) {}, nil)
	if err != nil {
		return err
	}
	r.lab = lab
	lab.Settled(settlesWithin)
	return nil
}

func (r *rehearsedPuzzle) ask(from model.DeviceID, targets []netip.Addr) (*rehearse.Answers, error) {
	all, err := r.lab.Ask(map[model.DeviceID][]netip.Addr{from: targets}, true)
	if err != nil {
		return nil, err
	}
	return all[from], nil
}

func (r *rehearsedPuzzle) close() {
	if r.lab != nil {
		r.lab.Close()
		r.lab = nil
	}
}
