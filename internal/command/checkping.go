package command

import (
	"context"
	"fmt"
	"net/netip"
	"os"
	"os/signal"
	"slices"

	"ropeswing/core/verify"
	"ropeswing/internal/view"
	"ropeswing/internal/wire"
)

// checkByPing runs the requirements that start at the host this machine stands in for.
func (a *app) checkByPing(l *livePing) error {
	if err := a.checkFormat(); err != nil {
		return err
	}
	before, err := a.answeredBefore(l)
	if err != nil {
		return err
	}
	if _, err := a.find(); err != nil {
		return err // requirements are the plan's
	}
	w, from, err := a.standing(l)
	if err != nil {
		return err
	}
	d, host := from.Device, w.Spec.Devices[from.Device].Name
	asked := verify.StartingAt(w.Network, d)
	if len(asked) == 0 {
		return fmt.Errorf("no requirement of the plan starts at %s", host)
	}
	var targets []netip.Addr
	for _, x := range asked {
		for _, t := range x.Targets {
			if x.Passed == "" && !slices.Contains(targets, t) {
				targets = append(targets, t)
			}
		}
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	replied := map[netip.Addr]bool{}
	v := view.NewLiveCheck(host)
	if len(targets) > 0 {
		echoes, err := wire.PingLive(ctx, targets, wire.PoliteEcho, func(done int) { a.progress(done, len(targets)) })
		a.progress(len(targets), len(targets))
		if err != nil {
			return notAsked{err}
		}
		for _, e := range echoes {
			replied[e.Target] = e.Replied
		}
		v.Silenced = silenced(before, echoes, func(i int) string { return w.Spec.HolderLabel(targets[i]) })
		if err := a.keepAnswers(l, echoes); err != nil {
			return err
		}
	}
	for _, x := range asked {
		var against []string
		for _, t := range x.Targets {
			if replied[t] == x.Requirement.Not {
				against = append(against, w.Spec.HolderLabel(t))
			}
		}
		v.Add(x.Requirement.Text, x.Requirement.Not, x.Passed, len(x.Targets), against)
	}
	if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width) }); err != nil {
		return err
	}
	switch {
	case ctx.Err() != nil:
		return errInterrupted
	case v.Hold < v.Measured, v.Measured == 0: // nothing found out is not well
		return errWrong
	}
	return nil
}
