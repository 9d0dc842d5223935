package command

import (
	"context"
	"os"
	"os/signal"

	"ropeswing/core/assign"
	"ropeswing/core/model"
	"ropeswing/core/review"
	"ropeswing/core/revise"
	"ropeswing/core/steps"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// review judges the change from one plan to another as a whole: from an earlier revision of the plan to the plan, or from the plan to the
// one that is named. It is an error where anything gets worse.
func (a *app) review(o *comparison) error {
	w, err := a.usable()
	if err != nil {
		return err
	}
	var found files.Found
	if o.since == "" {
		found = files.At(a.dir, o.with)
	} else {
		here, err := a.find()
		if err != nil {
			return err
		}
		if found, err = files.Revision(here, o.since); err != nil {
			return err
		}
	}
	numbers, err := a.used(workspace.Open(found.FS, found.Name, found.Shown))
	if err != nil {
		return err
	}
	var renamed []assign.Rename
	if o.since != "" { // one plan at two times; of two plans none is the earlier
		numbers, renamed = revise.Aligned(numbers, w.Spec)
	}
	other := a.predict(numbers)
	before, after, words, next := w, other, [2]string{"this plan", "the other"}, ""
	if o.since != "" {
		before, after, words, next = other, w, [2]string{"before", "after"}, a.self()+" steps --since "+view.ShellWord(o.since)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	steps := make(chan string, 1) // worked out beside all else: each leaves a core idle at times
	if a.format == formatTable || a.format == formatMarkdown || a.format == formatJSON {
		go func() { steps <- stepsInALine(before, after) }()
	} else {
		steps <- ""
	}
	asked := a.busy("asking everybody in both plans")
	r, err := review.Of(ctx, before, after)
	asked()
	if err != nil {
		return errInterrupted
	}
	inALine := ""
	ordered := a.busy("working out the steps")
	select {
	case inALine = <-steps:
	case <-ctx.Done():
		err = errInterrupted
	}
	if ordered(); err != nil {
		return err
	}
	v := view.NewReview(r, "predicted from both plans", words, inALine, next)
	v.Renamed = revise.RenamedWords(renamed, w.Spec)
	done, err := a.report(func() view.Report { return v.Report(w.Document.Name.Value, Version) })
	switch {
	case err != nil:
		return err
	case done:
	case a.format == formatMarkdown && a.only == "":
		v.Markdown(a.out)
	default:
		if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width, a.wide) }); err != nil {
			return err
		}
	}
	if v.Worse {
		return errWrong
	}
	return nil
}

// mostStepped is of how many differences the steps are worked out for their line in a review.
const mostStepped = 150

// stepsInALine says how many steps lead from one plan to another, and what fails in between; "" where nobody sits anywhere, or where
// there is very much to do.
func stepsInALine(before, after *workspace.Workspace) string {
	if after.Spec.Operator == model.None {
		return ""
	}
	r, untold := after.StepsFrom(before)
	if len(r.Differences)+len(untold) > mostStepped {
		return ""
	}
	sheet := steps.Plan(r, nil)
	sheet.Untold = untold
	return view.NewWorksheet(sheet, "").Headline()
}
