package command

import (
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"ropeswing/core/observed"
	"ropeswing/core/workspace"
	"ropeswing/internal/view"
)

func (a *app) compare() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "compare [STATE]",
		Short:   "How the network as found differs from the plan, and what that breaks",
		GroupID: groupReal,
		Long: "Compare the plan with a state: a folder that 'observe -w' made, 'observed' beside\n" +
			"the plan unless named. What differs is told with the slip that was likely made\n" +
			"and what it breaks by itself, the worst first. Exit code 1 if anything differs.",
		Example: "  ropeswing compare\n  ropeswing compare bad-morning/observed\n  ropeswing compare -o json",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			w, err := a.usable()
			if err != nil {
				return err
			}
			dir := ""
			if len(args) > 0 {
				dir = args[0]
			}
			devices, dir, basis, err := a.state(dir)
			if err != nil {
				return err
			}
			v := view.NewComparison(w.Compare(devices), basis)
			next := ""
			for _, d := range v.Differences {
				if d.Lost > 0 {
					var from, to string
					if n, _ := fmt.Sscanf(d.Such, "%s cannot reach %s", &from, &to); n == 2 {
						next = fmt.Sprintf("%s ping %s %s --observed %s", a.self(), from, to, view.ShellWord(dir))
					}
					break
				}
			}
			if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width, a.wide, next) }); err != nil {
				return err
			}
			if len(v.Differences) > 0 {
				return errWrong
			}
			return nil
		},
	}
	a.wideFlag(cmd)
	a.formatFlags(cmd)
	return cmd
}

// state reads an observed state; with no name, the folder 'observed' beside the plan.
// The basis says when it was taken.
func (a *app) state(dir string) (devices []*observed.Device, name, basis string, err error) {
	full := a.at(dir)
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
	devices, err = workspace.ReadState(os.DirFS(full))
	if err != nil {
		return nil, "", "", fmt.Errorf("%s: %w", dir, err)
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
		return fmt.Sprintf(" between %s and %s ago", duration(now.Sub(first)), duration(now.Sub(last)))
	}
	return " " + duration(now.Sub(last)) + " ago"
}

// duration is a time in the largest whole unit.
func duration(d time.Duration) string {
	switch {
	case d < 2*time.Minute:
		return fmt.Sprintf("%d s", max(0, int(d.Seconds())))
	case d < 2*time.Hour:
		return fmt.Sprintf("%d min", int(d.Minutes()))
	case d < 48*time.Hour:
		return fmt.Sprintf("%d h", int(d.Hours()))
	}
	return fmt.Sprintf("%d days", int(d.Hours()/24))
}
