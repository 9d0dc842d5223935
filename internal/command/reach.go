package command

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"slices"

	"github.com/spf13/cobra"

	"ropeswing/core/ask"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
	"ropeswing/core/workspace"
	"ropeswing/internal/view"
)

// reachOptions say which paths to ask.
type reachOptions struct {
	from, to string
	lost     bool
	without  []string
	failures int
	devices  bool
	over     string
	pending  bool
	links    bool
}

func (a *app) reach() *cobra.Command {
	var o reachOptions
	cmd := &cobra.Command{
		Use:     "reach",
		Short:   "Who reaches whom, segment by segment; and what each failure takes",
		GroupID: groupProve,
		Long: "Predict a ping from every LAN and loopback to every other: from a host of the one\n" +
			"to a host of the other, or to a router where it has none. The links between\n" +
			"routers are asked with --links, or where the plan wants them. With --failures 1\n" +
			"every cable is taken out of order in turn (a segment without cables counts as\n" +
			"one), with --devices every device too.\n" +
			"--from and --to narrow both down, to segments, devices, groups, blocks or\n" +
			"addresses.",
		Example: "  ropeswing reach\n  ropeswing reach --from quay-staff --without beam-a\n  ropeswing reach --from cameras --to " +
			"log-server --failures 1\n  ropeswing reach --lost -4\n  ropeswing reach --failures 1",
		Args:              noArgs,
		ValidArgsFunction: cobra.NoFileCompletions,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			families, err := a.families()
			if err != nil {
				return err
			}
			if o.failures < 0 || o.failures > 2 {
				return errors.New("--failures is 1, every single failure in turn, or 2, every pair")
			}
			w, over, err := a.usableOver(o.over, o.pending)
			if err != nil {
				return err
			}
			if o.devices && o.failures == 0 {
				return errors.New("--devices goes with --failures")
			}
			q := question{reachOptions: o, over: over}
			if err := q.find(w, families); err != nil {
				return err
			}
			if w, err = w.Without(o.without...); err != nil {
				return err
			}
			if o.failures > 0 {
				return a.sweep(w, q)
			}
			return a.everyone(w, q)
		},
	}
	cmd.Flags().StringVar(&o.from, "from", "", "only from `WHO`: a segment, device, group, block, address or everyone")
	cmd.Flags().StringVar(&o.to, "to", "", "only to `WHO`, the same")
	cmd.Flags().BoolVar(&o.lost, "lost", false, "list only what does not work, and exit with 1 if anything does not")
	cmd.Flags().IntVar(&o.failures, "failures", 0, "make every single failure in turn, where `N` is 1, or every pair, where it is 2")
	cmd.Flags().BoolVar(&o.links, "links", false, "from and to the links between routers too")
	cmd.Flags().BoolVar(&o.devices, "devices", false, "with --failures: of devices too")
	a.must(cmd.RegisterFlagCompletionFunc("from", a.completeParties))
	a.must(cmd.RegisterFlagCompletionFunc("to", a.completeParties))
	a.withoutFlag(cmd, &o.without)
	a.withFlag(cmd)
	a.overFlags(cmd, &o.over, &o.pending)
	a.familyFlags(cmd)
	a.formatFlags(cmd)
	return cmd
}

// question is between whom it is asked.
type question struct {
	reachOptions
	ends []*reach.End          // all of them
	of   [2]map[reach.End]bool // those it is asked from, and to; nil is all
	over model.Service

	linksLeft int // links that are not asked
}

// find finds who is meant.
func (q *question) find(w *workspace.Workspace, families prefix.Only) error {
	all := reach.Ends(w.Spec)
	everyone := all
	if !q.links && (w.Spec.Wants == nil || !w.Spec.Wants.Links) {
		everyone = reach.WithoutLinks(w.Spec, all)
	}
	everyone = append(slices.Clip(everyone), reach.Loopbacks(w.Spec)...)
	if _, links, _ := reach.Places(w.Spec, all); len(everyone) < len(all) && q.from == "" && q.to == "" {
		_, asked, _ := reach.Places(w.Spec, everyone)
		q.linksLeft = links - asked
	}
	here := map[reach.End]bool{}
	take := func(ends []*reach.End, into map[reach.End]bool) {
		for _, e := range ends {
			if !families.Has(prefix.FamilyOf(e.Address)) {
				continue
			}
			if into != nil {
				into[*e] = true
			}
			if !here[*e] {
				here[*e] = true
				q.ends = append(q.ends, e)
			}
		}
	}
	for i, name := range []string{q.from, q.to} {
		if name == "" {
			take(everyone, nil)
			continue
		}
		if name == "everyone" {
			q.of[i] = map[reach.End]bool{}
			take(everyone, q.of[i])
			continue
		}
		ends, err := w.Ends(name, all)
		if err != nil {
			return err
		}
		q.of[i] = map[reach.End]bool{}
		take(ends, q.of[i])
	}
	for _, from := range q.ends {
		for _, to := range q.ends {
			if q.asks(from, to) && from.Asks(to) {
				return nil
			}
		}
	}
	if q.from == "" && q.to == "" {
		return nil // a plan with one segment
	}
	return fmt.Errorf("there is no pair to ask %s: they are one and the same, or have no addresses of one family", ask.Words(q.from, q.to))
}

// asks tells whether a pair is asked for.
func (q *question) asks(from, to *reach.End) bool {
	return (q.of[0] == nil || q.of[0][*from]) && (q.of[1] == nil || q.of[1][*to])
}

// places counts what is asked of.
func (q *question) places(w *workspace.Workspace) view.Places {
	p := view.Places{LinksLeft: q.linksLeft}
	p.LANs, p.Links, p.Devices = reach.Places(w.Spec, q.ends)
	return p
}

// everyone asks every pair.
func (a *app) everyone(w *workspace.Workspace, q question) error {
	v := view.NewReach(w.Basis, q.without, q.places(w))
	v.Between = ask.Words(q.from, q.to)
	if q.from == "" || q.to == "" {
		v.NotAsked = append(v.NotAsked, reach.Unaddressed(w.Spec)...)
	}
	all := !q.lost && a.format != "table"
	m := reach.AllOver(w.Network, q.ends, q.over)
	explained := 0
	add := func(x reach.Pair) bool {
		works := x.Verdict == forward.Works
		if !works && explained < mostExplained {
			x = m.Explain(x)
			explained++
		}
		v.Add(w.Network, x, all || !works)
		return true
	}
	one := func(set map[reach.End]bool) func(*reach.End) bool {
		return func(e *reach.End) bool { return set == nil || set[*e] }
	}
	if all || v.Between != "" {
		m.Between(one(q.of[0]), one(q.of[1]), add)
	} else {
		m.Lost(add)
		v.Asked, v.Work = m.Count()
	}
	if v.Between == "" {
		v.OneWay()
	}
	if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width) }); err != nil {
		return err
	}
	if q.lost && v.Work < v.Asked {
		return errWrong
	}
	return nil
}

// sweep makes every failure in turn; Ctrl-C stops it with what it has.
func (a *app) sweep(w *workspace.Workspace, q question) error {
	failures := reach.Cables(w.Network.State)
	if q.devices {
		failures = append(failures, reach.Devices(w.Spec)...)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	together := reach.Together(failures, q.failures)
	asked := reach.Asked{Ends: q.ends, Over: q.over}
	if q.from != "" || q.to != "" {
		asked.Of = q.asks
	}
	v := &view.Sweep{Places: q.places(w), Basis: w.Basis, Together: q.failures, Between: ask.Words(q.from, q.to), Losses: []view.SweepLoss{}}
	v.Stopped = reach.Sweep(ctx, w.Network, asked, together, func(l reach.Loss) {
		v.Add(w.Network, l)
		a.progress(v.Failures, len(together))
	}) != nil
	v.Sort()
	next := ""
	if len(v.Losses) > 0 {
		next = a.self() + " reach --lost"
		for _, x := range [][2]string{{" --from ", q.from}, {" --to ", q.to}} {
			if x[1] != "" {
				next += x[0] + view.ShellWord(x[1])
			}
		}
		for _, name := range v.Losses[0].Without {
			next += " --without " + view.ShellWord(name)
		}
	}
	if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width, next) }); err != nil {
		return err
	}
	switch {
	case v.Stopped:
		return errInterrupted
	case q.lost && len(v.Losses) > 0:
		return errWrong
	}
	return nil
}

// mostExplained is for how many paths that do not work the reason is looked for.
const mostExplained = 20000
