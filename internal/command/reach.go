package command

import (
	"context"
	"errors"
	"os"
	"os/signal"

	"github.com/spf13/cobra"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
	"ropeswing/core/workspace"
	"ropeswing/internal/view"
)

// reachOptions say which ways to ask.
type reachOptions struct {
	from, to string
	lost     bool
	without  []string
	failures int
	devices  bool
	over     string
	pending  bool
}

func (a *app) reach() *cobra.Command {
	var o reachOptions
	cmd := &cobra.Command{
		Use:     "reach",
		Short:   "Who reaches whom, segment by segment; and what each failure takes",
		GroupID: groupProve,
		Long: "Predict a ping from every segment to every other: from a host of the one to a\n" +
			"host of the other, or to a router where it has none. With --failures 1 every\n" +
			"cable is taken out of order in turn, with --devices every device too.",
		Example:           "  ropeswing reach\n  ropeswing reach --from quay-staff --without beam-a\n  ropeswing reach --lost -4\n  ropeswing reach --failures 1",
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
			for _, name := range []string{o.from, o.to} {
				if _, ok := w.Spec.SegmentNamed(name); name != "" && !ok {
					return w.Named(name)
				}
			}
			if w, err = w.Without(o.without...); err != nil {
				return err
			}
			var ends []*reach.End
			for _, e := range reach.Ends(w.Spec) {
				if families.Has(prefix.FamilyOf(e.Address)) {
					ends = append(ends, e)
				}
			}
			if o.failures > 0 {
				return a.sweep(w, ends, over, o)
			}
			return a.everyone(w, ends, over, o)
		},
	}
	cmd.Flags().StringVar(&o.from, "from", "", "only from `SEGMENT`")
	cmd.Flags().StringVar(&o.to, "to", "", "only to `SEGMENT`")
	cmd.Flags().BoolVar(&o.lost, "lost", false, "list only what does not work, and exit with 1 if anything does not")
	cmd.Flags().IntVar(&o.failures, "failures", 0, "make every single failure in turn, where `N` is 1, or every pair, where it is 2")
	cmd.Flags().BoolVar(&o.devices, "devices", false, "with --failures: of devices too")
	a.must(cmd.RegisterFlagCompletionFunc("from", a.completeSegments))
	a.must(cmd.RegisterFlagCompletionFunc("to", a.completeSegments))
	a.withoutFlag(cmd, &o.without)
	a.overFlags(cmd, &o.over, &o.pending)
	a.familyFlags(cmd)
	a.formatFlags(cmd)
	return cmd
}

// everyone asks every way.
func (a *app) everyone(w *workspace.Workspace, ends []*reach.End, over model.Service, o reachOptions) error {
	segments := map[string]bool{}
	for _, e := range ends {
		segments[w.Spec.Segments[e.Segment].Name] = true
	}
	v := view.NewReach(w.Basis, o.without, len(segments))
	all := !o.lost && a.format != "table"
	m := reach.AllOver(w.Network, ends, over)
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
	named := func(name string) func(*reach.End) bool {
		return func(e *reach.End) bool { return name == "" || w.Spec.Segments[e.Segment].Name == name }
	}
	if all || o.from != "" || o.to != "" {
		m.Between(named(o.from), named(o.to), add)
	} else {
		m.Lost(add)
		v.Asked, v.Work = m.Count()
	}
	if o.from == "" && o.to == "" {
		v.OneWay()
	}
	if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width) }); err != nil {
		return err
	}
	if o.lost && v.Work < v.Asked {
		return errWrong
	}
	return nil
}

// sweep makes every failure in turn; Ctrl-C stops it with what it has.
func (a *app) sweep(w *workspace.Workspace, ends []*reach.End, over model.Service, o reachOptions) error {
	failures := reach.Cables(w.Spec)
	if o.devices {
		failures = append(failures, reach.Devices(w.Spec)...)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	together := reach.Together(failures, o.failures)
	v := &view.Sweep{Basis: w.Basis, Together: o.failures, Losses: []view.SweepLoss{}}
	v.Stopped = reach.Sweep(ctx, w.Network, ends, over, together, func(l reach.Loss) {
		v.Add(w.Network, l)
		a.progress(v.Failures, len(together))
	}) != nil
	v.Sort()
	next := ""
	if len(v.Losses) > 0 {
		next = a.self() + " reach --lost"
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
	case o.lost && len(v.Losses) > 0:
		return errWrong
	}
	return nil
}

// mostExplained is for how many ways that do not work the reason is looked for.
const mostExplained = 20000
