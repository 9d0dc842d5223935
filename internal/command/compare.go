package command

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"ropeswing/core/compare"
	"ropeswing/core/observed"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/live"
	"ropeswing/internal/view"
)

func (a *app) compare() *cobra.Command {
	var o comparison
	cmd := &cobra.Command{
		Use:     "compare [STATE|PLAN]",
		Short:   "How what was found differs from the plan, and what it breaks",
		GroupID: groupReal,
		Long: "Compare the plan with a state: a folder that 'observe -w' made, 'observed' beside\n" +
			"the plan unless named. What differs is told with the slip that was likely made\n" +
			"and what it breaks by itself, the worst first. Exit code 1 if anything differs.\n" +
			"With --before the state is compared with an earlier one, with --saved what runs\n" +
			"with what is saved.\n" +
			"Where another plan is named, or with --since, two plans are: the change is judged\n" +
			"as a whole, as a colleague would ask. Which pairs, requirements and devices are\n" +
			"lost or won, what a failure takes that none took before, which paths change, what\n" +
			"check finds, then every change and how many steps it is. Exit code 1 if anything\n" +
			"gets worse; as SARIF or JUnit only that is written, as Markdown a page for a merge\n" +
			"request.",
		Example: "  ropeswing compare\n  ropeswing compare --progress\n  ropeswing compare --saved\n  ropeswing compare " +
			"bad-morning/observed\n  ropeswing compare after --before before\n  ropeswing compare bad-morning/skerry.plan.yaml\n  ropeswing compare --since main -o markdown",
		Args: func(cmd *cobra.Command, args []string) error {
			switch {
			case o.on && (len(args) > 0 || o.before != "" || o.saved):
				return errors.New("--live is the state: it goes with neither a state, nor --before, nor --saved")
			case len(args) > 1:
				return fmt.Errorf("compare takes one state, and there are %d names", len(args))
			case o.since != "" && (len(args) > 0 || o.on || o.before != "" || o.saved || o.progress || o.done):
				return errors.New("--since compares the plan with itself as it was: it goes with nothing else")
			case len(args) == 1 && isPlan(args[0]) && (o.before != "" || o.saved):
				return errors.New("--before and --saved go with a state, not with another plan")
			case (o.progress || o.done) && (o.before != "" || o.saved || o.progress && o.done || len(args) == 1 && isPlan(args[0])):
				return errors.New("--progress and --done are each about a state and the plan, and go with nothing else")
			case o.before != "" && o.saved:
				return errors.New("--before and --saved are two comparisons; take one after the other")
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if len(args) > 0 {
				o.with = args[0]
			}
			if o.since != "" || isPlan(o.with) {
				return a.review(&o)
			}
			if o.on {
				if err := a.askFirst(&o.asking); err != nil {
					return err
				}
			}
			if o.progress || o.done {
				return a.howFar(&o)
			}
			w, result, err := a.compared(&o)
			if err != nil {
				return err
			}
			v := view.NewComparison(result, o.basis, o.words)
			v.Heard = a.heard
			next := ""
			if all := result.Differences; len(all) > 0 && all[0].Lost > 0 && o.words == wordsOfPlan { // the worst comes first
				next = fmt.Sprintf("%s ping %s %s --observed %s", a.self(), view.ShellWord(all[0].From), view.ShellWord(all[0].To),
					view.ShellWord(o.with))
			}
			if next != "" && a.asked != nil { // there is no state to ask about
				next = a.self() + " push" + accessWords(o.access)
			}
			if done, err := a.report(func() view.Report { return v.Report(w.Document.Name.Value, Version) }); err != nil {
				return err
			} else if !done {
				if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width, a.wide, next) }); err != nil {
					return err
				}
			}
			switch {
			case len(v.Differences) > 0:
				return errWrong
			case v.Compared == 0:
				return notAsked{errors.New("nothing was understood of what could be compared, so that nothing is known")}
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&o.since,
		"since", "", "judge what changed in the plan since `REVISION` of the git repository it is in, as a whole")
	cmd.Flags().BoolVar(&o.saved, "saved", false, "compare what runs with what is saved: what a restart would change")
	cmd.Flags().StringVar(&o.before, "before", "", "compare with the earlier state `STATE` instead of the plan")
	cmd.Flags().BoolVar(&o.progress, "progress", false, "a row a device: how much is in place, what is left, which is next")
	cmd.Flags().BoolVar(&o.done, "done", false, "list what is as planned")
	a.askingFlags(cmd, &o.asking)
	a.withFlag(cmd)
	a.wideFlag(cmd)
	a.reportFlags(cmd)
	return cmd
}

// askFirst asks all devices, whose answers are then the state; who does not answer is told.
func (a *app) askFirst(o *asking) error {
	about := a.observed
	a.observed = "" // whom to ask is what the plan says
	w, err := a.usable()
	a.observed = about
	if err != nil {
		return err
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	v, running, _, err := a.askLive(ctx, w, o, nil, false)
	switch {
	case err != nil:
		return err
	case ctx.Err() != nil:
		return errInterrupted
	case len(v.Failed) == 0 && len(running) == 0: // all of them are silent by plan
		return notAsked{errors.New("no device answered; the plan expects all of them to be silent")}
	case len(running) == 0:
		return notAsked{fmt.Errorf("no device answered: %s", v.Failed[0].Why)}
	}
	a.tellSilent(v)
	a.asked = running
	return nil
}

// howFar tells how far each device is, or what of it is done. It is an error as long as
// something is to do.
func (a *app) howFar(o *comparison) error {
	w, err := a.usable()
	if err != nil {
		return err
	}
	devices, with, basis, err := a.state(o.with)
	if err != nil {
		return err
	}
	var saved []*observed.Device
	if a.asked == nil {
		if saved, err = workspace.ReadSaved(os.DirFS(a.at(with))); err != nil {
			return fmt.Errorf("%s: %w", with, err)
		}
	}
	all, done := w.Progress(devices, saved)
	if o.done {
		list := view.NewDone(done)
		t := view.DoneTable(list)
		return a.print(list, t, func() { t.Text(a.out, a.width, "", a.wide) })
	}
	v := view.NewProgress(all, basis)
	if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width, a.wide) }); err != nil {
		return err
	}
	if v.Left() > 0 {
		return errWrong
	}
	return nil
}

// comparison is what is compared with what.
type comparison struct {
	with   string // the state, or the other plan
	before string // an earlier state
	since  string // the revision that the plan is compared with
	saved  bool   // what runs with what is saved

	progress bool // a row a device, how far it is
	done     bool // what is as planned

	basis string    // what the answer stands on
	words [2]string // what the two sides are

	asking
}

var wordsOfPlan = [2]string{"planned", "found"}

// compared makes a comparison. The state that is the default, what it stands on and the
// words for its two sides are noted.
func (a *app) compared(o *comparison) (*workspace.Workspace, *compare.Result, error) {
	if _, err := a.find(); errors.Is(err, errNoPlan) && (o.before != "" || o.saved && o.with != "") {
		a.observed = cmp.Or(o.before, o.with) // two words of the same devices need no plan
	}
	w, err := a.usable()
	if err != nil {
		return nil, nil, err
	}
	var devices []*observed.Device
	if devices, o.with, o.basis, err = a.state(o.with); err != nil {
		return nil, nil, err
	}
	switch {
	case o.before != "":
		o.words = [2]string{"before", "after"}
		earlier, _, _, err := a.state(o.before)
		if err != nil {
			return nil, nil, err
		}
		return w, w.Between(earlier, devices), nil
	case o.saved:
		o.words = [2]string{"running", "saved"} // what a restart makes of it
		kept, err := workspace.ReadSaved(os.DirFS(a.at(o.with)))
		switch {
		case err != nil:
			return nil, nil, fmt.Errorf("%s: %w", o.with, err)
		case len(kept) == 0:
			return nil, nil, fmt.Errorf("%s has nothing that is saved; keep it there: ropeswing observe FILE… --saved -w %s", o.with,
				view.ShellWord(o.with))
		}
		return w, w.Between(devices, kept), nil
	}
	o.words = wordsOfPlan
	return w, w.Compare(devices), nil
}

// isPlan tells whether a name is that of a plan, not of a state's folder.
func isPlan(name string) bool {
	return strings.HasSuffix(name, ".yaml") || strings.HasSuffix(name, ".yml")
}

// liveState is the state that is asked for when it is named, unless a folder is called so.
const liveState = "live"

// state reads an observed state; with no name, the folder 'observed' beside the plan.
// The basis says when it was taken.
func (a *app) state(dir string) (devices []*observed.Device, name, basis string, err error) {
	full := a.at(dir)
	if dir == liveState && a.asked == nil {
		if _, err := os.Stat(full); errors.Is(err, os.ErrNotExist) {
			if err := a.askFirst(&asking{together: live.Polite.Together}); err != nil {
				return nil, "", "", err
			}
		}
	}
	if a.asked != nil {
		if a.heard.Silent() {
			return a.asked, "", "predicted from what " + a.heard.Headline() + " live", nil
		}
		return a.asked, "", "predicted from what was asked live", nil
	}
	if dir == "" {
		found, err := a.find()
		if err != nil {
			return nil, "", "", err
		}
		full = filepath.Join(filepath.Dir(found.Path), "observed")
		dir = filepath.Join(filepath.Dir(found.Shown), "observed")
		if _, err := os.Stat(full); err != nil {
			return nil, "", "", fmt.Errorf("there is no state %s; name one, or make it: ropeswing observe FILE… -w %s", dir, dir)
		}
	}
	if _, err := os.Stat(full); errors.Is(err, os.ErrNotExist) {
		return nil, "", "", fmt.Errorf("there is no state %s; make it from what devices say: %s observe FILE… -w %s", dir, a.self(),
			view.ShellWord(dir))
	}
	if err := files.Settle(full, a.tell); err != nil {
		return nil, "", "", err
	}
	saved, err := workspace.ReadSaved(os.DirFS(full))
	if err != nil {
		return nil, "", "", fmt.Errorf("%s: %w", dir, err)
	}
	devices, err = workspace.ReadState(os.DirFS(full))
	switch {
	case errors.Is(err, workspace.ErrNoFile) && len(saved) > 0:
	case errors.Is(err, observed.ErrNotState):
		return nil, "", "", fmt.Errorf("%s: %w; what devices said is read and kept by: %s observe %s -w observed", dir, err, a.self(),
			view.ShellWord(dir))
	case err != nil:
		return nil, "", "", fmt.Errorf("%s: %w", dir, err)
	}
	for _, d := range saved { // what is saved stands for what runs where only that is known
		if !slices.ContainsFunc(devices, func(x *observed.Device) bool { return x.Name == d.Name }) {
			devices = append(devices, d)
		}
	}
	return devices, dir, "predicted from what was observed" + age(devices, time.Now()), nil
}

// age is how long ago a state was taken, or over what time.
func age(devices []*observed.Device, now time.Time) string {
	var first, last time.Time
	for _, d := range devices {
		for _, s := range d.Sources {
			t, err := time.Parse(time.RFC3339, s.Taken)
			if err != nil {
				continue
			}
			if first.IsZero() || t.Before(first) {
				first = t
			}
			if t.After(last) {
				last = t
			}
		}
	}
	switch {
	case first.IsZero():
		return ""
	case last.Sub(now) > time.Minute:
		return " (by clocks that are ahead of this one)"
	case last.Sub(first) > time.Hour:
		return fmt.Sprintf(" between %s and %s ago", view.Duration(now.Sub(first)), view.Duration(now.Sub(last)))
	}
	return " " + view.Duration(now.Sub(last)) + " ago"
}
