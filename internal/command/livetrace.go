package command

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/internal/view"
	"ropeswing/internal/wire"
)

// overProbes is what probes by UDP go to, for the prediction.
const overProbes = "udp/33434"

// traceLive traces targets for real. Nothing is sent to an address that neither the
// user nor the plan names.
func (a *app) traceLive(j *journey, l *livePing, args []string) error {
	o := wire.PoliteTrace
	switch l.probes {
	case "":
		o.UDP = !wire.MayEcho()
	case "icmp", "udp":
		o.UDP = l.probes == "udp"
	default:
		return fmt.Errorf("--probes are icmp or udp, not %q", l.probes)
	}
	v := &view.LiveTraces{Probes: "icmp", Traces: []view.LiveTrace{}}
	if o.UDP {
		v.Probes = "udp"
		var err error
		j.probe.AnyPort = true
		if j.probe.Over, err = model.ParseService(overProbes); err != nil {
			return err
		}
	}
	w, name, targets, err := a.liveAsked(j, l, args)
	if err != nil {
		return err
	}
	v.From = name
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	traced, err := wire.TraceLive(ctx, addressesOf(targets), o, func(done, ttl int) {
		if len(targets) == 1 && ttl > 0 {
			a.progressText(fmt.Sprintf("hop %d", ttl))
		} else {
			a.progress(done, len(targets))
		}
	})
	if err != nil {
		return notAsked{err}
	}
	v.Stopped = ctx.Err() != nil
	var net *forward.Network
	if w != nil {
		net = w.Network
	}
	for i := range traced { // when interrupted, not all of them
		t := targets[i]
		x := view.LiveTraced{Address: t.address.String(), Reached: traced[i].Reached, Problem: traced[i].Word, Hops: traced[i].Hops}
		if t.trial != nil {
			x.Predicted = forward.Follow(w.Network, t.trial.Exchange)
		}
		v.Add(net, t.name, x)
	}
	if v.Next != "" {
		v.Next = a.self() + " " + v.Next + a.observedWords()
	}
	err = a.print(v, v.Table(), func() { v.Text(a.out, a.width) })
	return liveEnd(err, v.Stopped, v.Reached == v.Asked && v.Differ == 0)
}

var errNoLiveTrace = errors.New("--standing-at and --probes go with --live")
