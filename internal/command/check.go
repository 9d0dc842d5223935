package command

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
	"ropeswing/internal/view"
)

func (a *app) check() *cobra.Command {
	failOn := finding.Error.String()
	var real livePing
	watch, whole := false, false
	cmd := &cobra.Command{
		Use:     "check",
		Short:   "Find what is wrong in the plan",
		GroupID: groupProve,
		Args:    noArgs,
		Example: "  ropeswing check\n  ropeswing check --explain\n  ropeswing check --watch\n  ropeswing check --live\n  " +
			"ropeswing check --fail-on warning -o json\n  ropeswing check -o sarif >findings.sarif",
		ValidArgsFunction: cobra.NoFileCompletions,
		RunE: func(cmd *cobra.Command, args []string) error {
			if real.on && watch || a.observed == liveState && watch {
				return errors.New("--live and --ping look once; --watch looks at the plan again and again")
			}
			if real.on && (len(a.with) > 0 || a.observed == liveState) {
				return errors.New("--ping tries the network as it is: it goes without --with and --live")
			}
			if real.on {
				return a.checkByPing(&real)
			}
			if real.standing != "" || real.save != "" || real.baseline != "" {
				return errors.New("--standing-at, --save and --baseline go with --ping: real pings from this machine")
			}
			if err := a.checkFormat(); err != nil {
				return err
			}
			least := slices.Index(finding.Severities, failOn)
			if least < 0 {
				return fmt.Errorf("--fail-on is error, warning or advice, not %s", failOn)
			}
			if watch {
				return a.watched()
			}
			v, err := a.checkedWhat()
			if err != nil {
				return err
			}
			v.Whole = whole
			all := v.All
			if done, err := a.report(func() view.Report { return v.Report(Version) }); err != nil {
				return err
			} else if !done {
				if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width, a.explain) }); err != nil {
					return err
				}
			}
			switch {
			case !v.Usable:
				return errSaid
			case finding.Count(all, finding.Severity(least)) > 0:
				return errWrong
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&real.on, "ping", false, "by real pings from this machine: the requirements that start at the host it stands in for")
	a.standingFlag(cmd, &real, "ping")
	a.answersFlags(cmd, &real, "ping")
	cmd.Flags().StringVar(&failOn, "fail-on", failOn, "exit with 1 from this `SEVERITY` on: error, warning, advice")
	a.must(cmd.RegisterFlagCompletionFunc("fail-on", cobra.FixedCompletions(finding.Severities, cobra.ShellCompDirectiveNoFileComp)))
	cmd.Flags().BoolVar(&watch, "watch", false, "check again whenever a file of the plan changes, and say only what changed")
	cmd.Flags().BoolVar(&whole, "all", false, "tell each finding in full, also where many are alike")
	a.observedFlag(cmd)
	a.askedFirstFlag(cmd, "check")
	a.withFlag(cmd)
	a.reportFlags(cmd)
	a.explainFlag(cmd, "say why each finding matters")
	return cmd
}

// checkedWhat checks the plan, or the network as found where that is asked for.
func (a *app) checkedWhat() (view.Findings, error) {
	if a.observed == "" && len(a.with) == 0 {
		w, err := a.open()
		if err != nil {
			return view.Findings{}, err
		}
		return a.checked(w), nil
	}
	w, err := a.usable()
	if err != nil {
		return view.Findings{}, err
	}
	all := w.Check()
	v := view.NewFindings(w.Document.Name.Value, w.Document.File.Name, w.Basis, summary(w.Spec, all), a.self(), true, all,
		revise.FixesOf(w, all))
	v.Heard = a.heard
	return v, nil
}

// checked puts a check's result together.
func (a *app) checked(w *workspace.Numbers) view.Findings {
	if w.Usable() {
		return a.checkedOf(w, a.predict(w))
	}
	return a.checkedOf(w, nil)
}

// checkedOf is checked with the network predicted; nil where the plan cannot be used.
func (a *app) checkedOf(w *workspace.Numbers, x *workspace.Workspace) view.Findings {
	all, spec, basis := w.Read(), w.Spec, ""
	var accepted []finding.Finding
	if x != nil {
		all, accepted = x.CheckOn(time.Now().Format(time.DateOnly))
		spec, basis = x.Spec, x.Basis
	}
	name, file := "", ""
	if w.Document != nil {
		name, file = w.Document.Name.Value, w.Document.File.Name
	} else if len(all) > 0 {
		file = all[0].Place.File.Name
	}
	about := ""
	if w.Usable() {
		about = summary(spec, append(slices.Clone(all), accepted...))
	}
	v := view.NewFindings(name, file, basis, about, a.self(), w.Usable(), all, revise.FixesOf(x, all))
	v.Accepted = len(accepted)
	if w.Document != nil {
		for _, f := range w.Document.Files() {
			v.Files = append(v.Files, f.Name)
		}
	}
	return v
}

// summary is what a plan holds, in one line.
func summary(spec *model.Spec, all []finding.Finding) string {
	written := 0
	for _, i := range spec.Interfaces {
		if len(i.Addresses) > 0 {
			written++
		}
	}
	text := fmt.Sprintf("%s, %s, %s, %s",
		view.Count(len(spec.Devices), "device"), view.Count(len(spec.Segments), "segment"),
		view.Count(written, "addressed interface"), view.Count(len(spec.Statics), "static route"))
	if n := len(spec.Must); n > 0 {
		unmet := 0
		for _, f := range all {
			if f.Name == finding.RequirementUnmet || f.Name == finding.PendingNeeded || f.Name == finding.BadFailure {
				unmet++
			}
		}
		verb := "hold"
		if n == 1 {
			verb = "holds"
		}
		text += fmt.Sprintf("; %d of %s %s", n-unmet, view.Count(n, "requirement"), verb)
	}
	return text
}
