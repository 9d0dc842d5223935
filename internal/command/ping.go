package command

import (
	"errors"
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"ropeswing/core/ask"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
	"ropeswing/internal/view"
)

// journey is what ping and trace have in common: from where, to where, and
// with what out of order.
type journey struct {
	mark    *string // what is sent is marked with
	over    string
	pending bool
	capture string
	at      []string
	without []string
	with    []string
	source  string
	probe   forward.Probe
}

// overWords is the options that ask about the same service and permits again.
func (j *journey) overWords() string {
	text := ""
	over := j.probe.Over
	mark := over.Mark
	if over.Mark = 0; over != model.Echo {
		text += " --over " + over.String()
	}
	if mark != 0 {
		text += " --mark " + mark.String()
	}
	if j.pending {
		text += " --with-pending"
	}
	return text
}

// usual tells whether nothing is said of a journey but where it goes.
func (j *journey) usual() bool {
	return len(j.with)+len(j.without) == 0 && j.source == "" && j.probe.Size == 0 && !j.probe.Whole && !j.pending &&
		(j.over == "" || j.over == "icmp") && *j.mark == "" && j.probe.TTL == forward.DefaultTTL
}

func (a *app) journeyFlags(cmd *cobra.Command, j *journey) {
	j.probe.TTL = forward.DefaultTTL
	a.withoutFlag(cmd, &j.without)
	cmd.Flags().StringArrayVar(&j.with, "with", nil, "try `CHANGE` in a copy first; repeat for more: "+revise.ChangeForms)
	a.overFlags(cmd, &j.over, &j.pending)
	j.mark = &a.mark
	cmd.Flags().StringVar(&j.source, "source", "", "send from this `ADDRESS` or interface of the sender")
	cmd.Flags().IntVar(&j.probe.Size, "size", 0, "`BYTES` of payload; the headers of IP and ICMP come on top")
	cmd.Flags().BoolVar(&j.probe.Whole, "no-fragment", false, "the request may not be fragmented")
	a.must(cmd.RegisterFlagCompletionFunc("with", cobra.NoFileCompletions))
	a.must(cmd.RegisterFlagCompletionFunc("source", cobra.NoFileCompletions))
	a.formatFlags(cmd)
	a.familyFlags(cmd)
	a.explainFlag(cmd, "show at each device which routes match and which decides")
	cmd.Args = func(cmd *cobra.Command, args []string) error {
		switch {
		case len(args) == 0:
			return fmt.Errorf("%s where to? %s [FROM] TO", cmd.Name(), cmd.CommandPath())
		case len(args) > 2:
			return fmt.Errorf("%s goes from one place to one other, and there are %d names", cmd.Name(), len(args))
		}
		return nil
	}
	cmd.ValidArgsFunction = a.completeEndpoints
}

// trials reads the plan and predicts the pings of a command line.
func (a *app) trials(j *journey, args []string) (w *workspace.Workspace, x ask.Pinged, err error) {
	if err = a.checkFormat(); err != nil {
		return
	}
	families, err := a.families()
	if err != nil {
		return
	}
	if j.probe.TTL < 1 || j.probe.TTL > 255 {
		err = fmt.Errorf("--ttl is from 1 to 255, not %d", j.probe.TTL)
		return
	}
	if j.probe.Size < 0 || j.probe.Size > mostPayload {
		err = fmt.Errorf("--size is from 0 to %d bytes of payload, not %d", mostPayload, j.probe.Size)
		return
	}
	if w, j.probe.Over, err = a.usableOver(j.over, j.pending); err != nil {
		return
	}
	if j.probe.Size > 0 {
		sized := *w
		sized.Basis += fmt.Sprintf(", with %d bytes of payload", j.probe.Size)
		if j.probe.Whole {
			sized.Basis += ", not to be fragmented"
		}
		w = &sized
	}
	plain := w
	if w, err = revise.With(w, j.with...); err != nil {
		return
	}
	if w, err = w.Without(j.without...); err != nil {
		return
	}
	if len(args) == 2 {
		x.From, err = w.Endpoint(args[0])
	} else {
		x.From, err = w.Operator()
	}
	if err != nil {
		return
	}
	if j.source != "" {
		if x.From, err = w.SentFrom(x.From, j.source); err != nil {
			return
		}
	}
	if x.To, err = w.Endpoint(args[len(args)-1]); err != nil {
		return
	}
	x.Net, x.Basis, x.Without = w.Network, w.Basis, j.without
	if x.Trials, x.Passed, err = ask.Pings(w.Network, x.From, x.To, families, j.probe); err == nil && len(j.with) > 0 {
		a.tellIdle(plain, x, families, j)
	}
	return
}

// tellIdle tells of a change that is tried, and alters nothing for the packets in question.
func (a *app) tellIdle(plain *workspace.Workspace, x ask.Pinged, families prefix.Only, j *journey) {
	plain, err := plain.Without(j.without...)
	if err != nil {
		return
	}
	before, _, err := ask.Pings(plain.Network, x.From, x.To, families, j.probe)
	if err != nil || !slices.EqualFunc(before, x.Trials, func(b, t ask.Trial) bool { return b.SamePath(t.Exchange) }) {
		return // there and then an address, not now
	}
	text := "what is tried alters nothing here: without it the packets take the same path"
	if len(x.Trials) > 0 {
		for _, table := range x.Trials[0].TablesOn(x.Net) {
			text += fmt.Sprintf("; %s looks them up in its table %s", table[0], table[1])
		}
	}
	a.tell(text)
}

// mostEchoes is how many echoes are told of.
const mostEchoes = 1000

func (a *app) ping() *cobra.Command {
	var j journey
	all := false
	var real livePing
	count := 0
	cmd := &cobra.Command{
		Use:     "ping [FROM] TO",
		Short:   "Predict a ping both ways; if it fails, why, and what mends it",
		GroupID: groupProve,
		Example: "  ropeswing ping tern-cam\n  ropeswing ping desk-7 2001:db8:ffff::9\n  ropeswing ping mole-rtr:beam0 log-server --without " +
			"beam-a\n  ropeswing ping desk-7 tern-cam --explain\n  ropeswing ping --live log-server tern-cam",
		RunE: func(cmd *cobra.Command, args []string) error {
			if all {
				return a.allPairs(&j)
			}
			if real.on {
				return a.pingLive(&j, &real, args)
			}
			w, x, err := a.trials(&j, args)
			if err != nil {
				return err
			}
			if j.capture != "" {
				if err := a.capture(w, j.capture, j.at, x.Trials); err != nil {
					return err
				}
			} else if len(j.at) > 0 {
				return errors.New("--at goes with --capture FILE")
			}
			remedies := make([][]revise.Advice, len(x.Trials))
			for i, t := range x.Trials {
				remedies[i], _ = revise.Mend(w, t)
			}
			p := view.NewPing(x, remedies, a.self())
			if count > 0 {
				p.Count(w.Network, count)
			}
			if p.Next != "" && a.observed != "" {
				if p.Next = ""; !a.planless {
					p.Next = a.self() + " compare " + view.ShellWord(a.observed) // what is not as planned is the likelier cause
				}
			}
			if err := a.print(p, p.Hops(w.Network), func() { p.Text(a.out, w.Network, a.width, a.explain) }); err != nil {
				return err
			}
			if !p.Works() {
				return errWrong
			}
			return nil
		},
	}
	a.journeyFlags(cmd, &j)
	named := cmd.Args
	cmd.Args = func(cmd *cobra.Command, args []string) error {
		switch {
		case count < 0 || count > mostEchoes:
			return fmt.Errorf("--count is how many echoes, from 1 to %d", mostEchoes)
		case count > 0 && (real.on || all):
			return errors.New("--count goes with one predicted ping, not with --live or --all-pairs")
		case real.on && len(args) == 0:
			return errors.New("ping whom? name the targets: ropeswing ping --live TO…")
		case real.on && (all || j.capture != "" || !j.usual()):
			return errors.New("--live sends real pings: it goes with --standing-at, --observed, --save, --baseline, -4 and -6 only")
		case real.on:
			return nil
		case real.standing != "" || real.save != "" || real.baseline != "":
			return errNoLive
		case !all:
			return named(cmd, args)
		case len(args) > 0:
			return errors.New("--all-pairs pings every host from every other; name nobody with it")
		case j.source != "" || j.probe.Size > 0 || j.capture != "":
			return errors.New("--all-pairs goes with --with, --without, --over, --with-pending, -4 and -6 only")
		}
		return nil
	}
	cmd.Flags().BoolVar(&all, "all-pairs", false, "from every host to every other; what fails is listed")
	cmd.Flags().IntVar(&count, "count", 0, "tell of `N` echoes which neighbours each waits for, where nobody knows anybody yet")
	cmd.Flags().IntVar(&j.probe.TTL, "ttl", j.probe.TTL, "the request's TTL or hop limit, `N` from 1 to 255")
	a.liveFlags(cmd, &real, "send real pings")
	a.answersFlags(cmd, &real, "live")
	cmd.Flags().StringVar(&j.capture, "capture", "", "write the exchange to `FILE` as packets (pcapng)")
	cmd.Flags().StringSliceVar(&j.at, "at", nil, "capture only at `DEVICE:INTERFACE`; repeatable")
	a.must(cmd.RegisterFlagCompletionFunc("at", a.completeEndpoints))
	return cmd
}

// mostPayload is the largest payload of a ping: that of an IPv4 packet of 65,535
// bytes.
const mostPayload = 65507

// allPairs pings every host from every other.
func (a *app) allPairs(j *journey) error {
	if err := a.checkFormat(); err != nil {
		return err
	}
	families, err := a.families()
	if err != nil {
		return err
	}
	w, over, err := a.usableOver(j.over, j.pending)
	if err != nil {
		return err
	}
	if w, err = revise.With(w, j.with...); err != nil {
		return err
	}
	if w, err = w.Without(j.without...); err != nil {
		return err
	}
	ends := slices.DeleteFunc(reach.Hosts(w.Spec), func(e *reach.End) bool {
		return e.Address.IsValid() && !families.Has(prefix.FamilyOf(e.Address))
	})
	hosts := map[model.DeviceID]bool{}
	for _, e := range ends {
		hosts[e.Device] = true
	}
	v := view.NewPairs(w.Basis, j.without, len(hosts))
	m := reach.AllOver(w.Network, ends, over)
	m.DevicePairs(func(x reach.Pair) bool {
		works := x.Verdict == forward.Works
		if !works && v.Asked-v.Work < mostExplained {
			x = m.Explain(x)
		}
		v.Add(w.Network, x, !works || a.format != "table")
		return true
	})
	if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width) }); err != nil {
		return err
	}
	if v.Work < v.Asked {
		return errWrong
	}
	return nil
}
