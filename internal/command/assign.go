package command

import (
	"bytes"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"ropeswing/core/assign"
	"ropeswing/core/model"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// assignOptions are what an assignment is to do.
type assignOptions struct {
	write, check bool
	grow         []string
	renumber     []string
	keep         []string
	release      []string
	releaseAll   bool
	older        string
}

func (a *app) assign() *cobra.Command {
	var o assignOptions
	cmd := &cobra.Command{
		Use:     "assign",
		Short:   "Assign the numbers the plan leaves open, and remember them",
		GroupID: groupPlan,
		Long: "Assign VLAN numbers, subnets, loopbacks and addresses where the plan leaves\n" +
			"them open, and keep them in the ledger beside the plan. What was given stays\n" +
			"given. Without -w it only shows what would change.",
		Example: "  ropeswing assign\n  ropeswing assign -w\n  ropeswing assign --grow quay-staff\n  ropeswing assign --release old-cam -w\n" +
			"  ropeswing assign --check",
		Args: noArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if o.check && o.write {
				return errors.New("--check only looks, and --write writes; leave out one")
			}
			found, writer, err := a.findToWrite(o.write)
			if err != nil {
				return err
			}
			if writer != nil {
				defer writer.Close()
			}
			return a.runAssign(found, writer, o)
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	cmd.Flags().BoolVarP(&o.write, "write", "w", false, "write the ledger")
	cmd.Flags().BoolVar(&o.check, "check", false, "exit with 1 where the ledger is behind")
	cmd.Flags().StringSliceVar(&o.grow,
		"grow", nil, "make `SEGMENT-OR-BLOCK` larger, if it is too small: where it lies, or else another; repeatable")
	cmd.Flags().StringSliceVar(&o.renumber,
		"renumber", nil, "give `NAME`, a segment, a block, or a device for its loopback, another number; repeatable")
	cmd.Flags().StringSliceVar(&o.keep, "keep", nil,
		"after a merge of two branches: `NAME` keeps its numbers, and others that have the same get others; NAME* for several, "+
			"NAME=NUMBER where it has two; repeatable")
	cmd.Flags().StringSliceVar(&o.release, "release", nil, "let the retired numbers of `NAME` be given to others; repeatable")
	cmd.Flags().StringVar(&o.older, "older", "",
		"with --release or --release-all: only what was retired so long ago: `AGE` such as 30d, 6m or 1y")
	cmd.Flags().BoolVar(&o.releaseAll, "release-all", false, "let all retired numbers be given to others")
	a.must(cmd.RegisterFlagCompletionFunc("grow", a.completeGiven))
	a.must(cmd.RegisterFlagCompletionFunc("renumber", a.completeGiven))
	a.must(cmd.RegisterFlagCompletionFunc("keep", a.completeGiven))
	a.must(cmd.RegisterFlagCompletionFunc("release", a.completeRetired))
	a.formatFlags(cmd)
	a.wideFlag(cmd)
	return cmd
}

func (a *app) runAssign(found files.Found, writer *files.Writer, o assignOptions) error {
	w, err := a.used(workspace.OpenTo(found.FS, found.Name, found.Shown, assign.Ask{Grow: o.grow, Renumber: o.renumber,
		Merge: true, Keep: o.keep, Today: today()}))
	if err != nil {
		return err
	}
	for _, word := range o.keep {
		if w.Ledger == nil || !w.Ledger.Has(word) {
			return fmt.Errorf("the ledger has nothing of %s", word)
		}
	}
	if len(o.keep) > 0 && len(w.Ledger.Dropped) == 0 {
		a.tell("nothing in the ledger contradicts: --keep had nothing to decide")
	}
	var before *workspace.Numbers
	if len(o.grow)+len(o.renumber) > 0 {
		before = workspace.Open(found.FS, found.Name, found.Shown)
		if err := notChanged(w, before); err != nil {
			return err
		}
	}
	kept, was := 0, (*model.Spec)(nil)
	if w.Next != nil {
		kept = len(w.Next.Entries)
	}
	if before != nil {
		was = before.Spec
	}
	v := view.NewAssignment(workspace.LedgerName(found.Shown), kept, w.Changes, was, w.Spec, w.Unmet())
	if o.older != "" && !o.releaseAll && len(o.release) == 0 {
		return errors.New("--older goes with --release or --release-all")
	}
	if o.releaseAll || len(o.release) > 0 {
		if err := a.release(w, o, &v); err != nil {
			return err
		}
	}
	tidied := w.Ledger != nil && w.Next != nil && !bytes.Equal(w.Ledger.File.Text, w.Next.Text()) // a merge left more than changes tell
	if o.write && (len(v.Changes) > 0 || tidied && bytes.Contains(w.Ledger.File.Text, []byte("\n<<<<<<<"))) {
		if err := writer.Commit(ledgerChange(found, w.Ledger, w.Next)); err != nil {
			return notWritten("the ledger", err)
		}
		v.Written = true
	}
	behind := len(v.Changes) > 0 && !v.Written
	next := ""
	if behind {
		next = a.self() + " assign" + o.words() + " -w"
	}
	if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width, a.wide, next) }); err != nil {
		return err
	}
	if len(v.Findings) > 0 || o.check && behind {
		return errWrong
	}
	return nil
}

// words is the options that say what to do, as typed.
func (o assignOptions) words() string {
	text := ""
	for _, n := range o.grow {
		text += " --grow " + view.ShellWord(n)
	}
	for _, n := range o.renumber {
		text += " --renumber " + view.ShellWord(n)
	}
	for _, n := range o.keep {
		text += " --keep " + view.ShellWord(n)
	}
	for _, n := range o.release {
		text += " --release " + view.ShellWord(n)
	}
	if o.releaseAll {
		text += " --release-all"
	}
	if o.older != "" {
		text += " --older " + view.ShellWord(o.older)
	}
	return text
}

// notChanged is the error of having asked something to grow or to have another number that
// has no reason to, or nothing that was assigned.
func notChanged(w, before *workspace.Numbers) error {
	if len(w.NotChanged) == 0 {
		return nil
	}
	name := w.NotChanged[0]
	if b, ok := w.Spec.BlockNamed(name); ok {
		block := &before.Spec.Blocks[b]
		if len(block.From) == 0 {
			return fmt.Errorf("%s is fixed in the plan; change it there", name)
		}
		var has []string
		for _, p := range block.Prefixes {
			has = append(has, p.Prefix.String())
		}
		return fmt.Errorf("%s has room enough: it has %s", name, strings.Join(has, " and "))
	}
	s, ok := w.Spec.SegmentNamed(name)
	if !ok {
		if _, device := w.Spec.DeviceNamed(name); device {
			return fmt.Errorf("%s has no loopback that was assigned", name)
		}
		return w.Named(name)
	}
	segment := &before.Spec.Segments[s]
	switch {
	case !segment.Need.Said():
		return fmt.Errorf("%s does not say what it needs; add 'hosts:' to it", name)
	case len(segment.Prefixes) > 0 && segment.Prefixes[0].Giver == 0:
		return fmt.Errorf("%s: the subnet of %s is fixed in the plan; change it there", segment.Prefixes[0].Place, name)
	}
	_, grown := segment.Wanted()
	var subnets []string
	for _, p := range segment.Prefixes {
		subnets = append(subnets, p.Prefix.String())
	}
	return fmt.Errorf("%s has room enough: it needs %d addresses and has %s; raise its 'hosts' first", name, grown,
		strings.Join(subnets, " and "))
}

// release takes retired numbers out of the ledger to come.
func (a *app) release(w *workspace.Numbers, o assignOptions, v *view.Assignment) error {
	until := ""
	if o.older != "" {
		day, err := ago(time.Now(), o.older)
		if err != nil {
			return err
		}
		until = day.Format(time.DateOnly)
	}
	undated := 0
	names := [][]string{nil}
	if !o.releaseAll {
		names = nil
		for _, n := range o.release {
			names = append(names, []string{n})
		}
	}
	for _, of := range names {
		changes, n := w.Next.Release(until, of...)
		if undated += n; len(changes) == 0 && len(of) > 0 && until == "" {
			return fmt.Errorf("the ledger has nothing retired of %s", of[0])
		}
		v.Add(changes)
	}
	if undated > 0 {
		a.tell(fmt.Sprintf("%s retired, since when is not known: release by name, without --older", view.Count(undated, "number")))
	}
	return nil
}

// ago is the day an age before another: so many days, weeks, months or years.
func ago(now time.Time, age string) (time.Time, error) {
	n, err := strconv.Atoi(strings.TrimRight(age, "dwmy"))
	if err != nil || n < 0 || n > 10000 || len(age) < 2 {
		return now, fmt.Errorf("--older is an age such as 30d, 8w, 6m or 1y, not %s", age)
	}
	switch age[len(age)-1] {
	case 'd':
		return now.AddDate(0, 0, -n), nil
	case 'w':
		return now.AddDate(0, 0, -7*n), nil
	case 'm':
		return now.AddDate(0, -n, 0), nil
	case 'y':
		return now.AddDate(-n, 0, 0), nil
	}
	return now, fmt.Errorf("--older is an age such as 30d, 8w, 6m or 1y, not %s", age)
}

// today is the day, as the ledger notes it.
func today() string { return time.Now().Format(time.DateOnly) }
