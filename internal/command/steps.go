package command

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/compare"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/revise"
	"ropeswing/core/steps"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// stepsOptions are where the operator is, and what to show.
type stepsOptions struct {
	standing string
	sessions []string
	device   string
	since    string
	check    string
	template string
	form     string
	factory  string
	restart  bool
	to       exportOptions
	next     bool
}

func (a *app) steps() *cobra.Command {
	var o stepsOptions
	cmd := &cobra.Command{
		Use:     "steps [STATE|PLAN]",
		Short:   "From what is there to what is planned, cutting nobody off",
		GroupID: groupReal,
		Long: "The ordered steps from a state, a folder that 'observe -w' made, or from another\n" +
			"plan or revision, to this plan: 'observed' beside the plan unless named. No login is lost\n" +
			"while its device has steps left, no requirement and as few pairs as can be fail\n" +
			"in between, with the fewest logins; every state in between is predicted. Exit\n" +
			"code 1 where something fails in between, hands are needed, or no step sets it.",
		Example: "  ropeswing steps\n  ropeswing steps bad-morning/observed\n  ropeswing steps last-week/skerry.plan.yaml -o markdown\n  " +
			"ropeswing steps --since HEAD~1\n  ropeswing steps --form lamps.form\n  ropeswing steps --session quay-sw1=10.48.1.98 " +
			"--only-next\n  ropeswing steps --check sheet.json\n  ropeswing steps --factory 192.0.2.253/24 quay-sw1\n  ropeswing steps " +
			"--standing-at desk-7 --device mole-rtr",
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) > 1 || len(args) == 1 && o.since != "" {
				return errors.New("steps begin at one state, plan or revision")
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			return a.runSteps(args, o)
		},
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return nil, cobra.ShellCompDirectiveDefault
		},
	}
	a.withFlag(cmd)
	cmd.Flags().StringVar(&o.standing, "standing-at", "", "the `HOST` of the plan that you sit at; its operator unless said")
	cmd.Flags().StringSliceVar(&o.sessions,
		"session", nil, "where you are logged in: `DEVICE=ADDRESS`; where the device is managed unless said; repeatable")
	cmd.Flags().StringVar(&o.since, "since", "", "from the plan as it was at `REVISION` of the git repository it is in")
	cmd.Flags().StringVar(&o.device, "device", "", "only the steps of `DEVICE`")
	cmd.Flags().StringVar(&o.check, "check",
		"", "prove the worksheet in `FILE`, as -o json writes it, perhaps changed by hand; - is standard input")
	cmd.Flags().StringVar(&o.factory, "factory",
		"", "the device named is new, and comes with `ADDRESS/LENGTH`: what to set on the laptop, on the device, and to put back")
	cmd.Flags().BoolVar(&o.restart, "restart", false, "each device restarts once all of it is set and saved: what that takes while it lasts")
	cmd.Flags().StringVar(&o.template, "template", "", "fill the template in `FILE` once for each visit to a device")
	cmd.Flags().StringVar(&o.form, "form", "", "say each step in your gear's own language too, by the form `FILE`")
	cmd.Flags().StringVar(&o.to.to, "to", "", "with --template: put a file for each visit into `FOLDER` instead of printing it")
	cmd.Flags().BoolVarP(&o.to.write, "write", "w", false, "with --to: write; without, only say what would change")
	cmd.Flags().BoolVar(&o.next, "only-next", false, "only the next step")
	a.must(cmd.RegisterFlagCompletionFunc("standing-at", a.completeDevices))
	a.must(cmd.RegisterFlagCompletionFunc("device", a.completeDevices))
	a.formatFlags(cmd)
	return cmd
}

func (a *app) runSteps(args []string, o stepsOptions) error {
	w, err := a.usable()
	if err != nil {
		return err
	}
	if o.standing != "" {
		d, err := w.Device(o.standing)
		if err != nil {
			return err
		}
		w = w.StandingAt(d)
	}
	if w.Spec.Operator == model.None && o.factory == "" {
		return errors.New("where do you sit? name the host: --standing-at HOST, or 'operator:' in the plan")
	}
	if o.factory != "" {
		return a.newDevice(w, o.factory, args)
	}
	if o.device != "" {
		if _, err := w.Device(o.device); err != nil {
			return err
		}
	}
	sessions, err := sessionsOf(w, o.sessions)
	if err != nil {
		return err
	}
	result, untold, basis, err := a.stepsFrom(w, args, o.since)
	if err != nil {
		return err
	}
	sheet, err := a.worksheet(result, sessions, o.check)
	if err != nil {
		return err
	}
	if d, at, is := sheet.NotThere(); is {
		name, how := w.Spec.Devices[d].Name, "leave --session out"
		if len(at) > 0 {
			how = fmt.Sprintf("it is at --session %s=%s", name, at[0].Address)
		}
		return fmt.Errorf("%s is not reached at %s before the first step; %s", name, sessions[d], how)
	}
	sheet.Untold = untold
	if o.restart {
		sheet.AddRestarts()
	}
	v := view.NewWorksheet(sheet, basis)
	if o.form != "" {
		if err := a.typeSteps(v, sheet, o.form); err != nil {
			return err
		}
	}
	safe := sheet.Safe() && len(sheet.Otherwise)+len(sheet.Untold)+len(sheet.Left) == 0
	v.Only(o.device, o.next)
	if o.template != "" {
		if err := a.putVisits(v, o); err != nil {
			return err
		}
	} else if a.format == formatMarkdown && a.only == "" {
		v.Markdown(a.out)
	} else if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width, "") }); err != nil {
		return err
	}
	if !safe {
		return errWrong
	}
	return nil
}

// typeSteps says each step in the language of its gear.
func (a *app) typeSteps(v view.Worksheet, sheet *steps.Worksheet, path string) error {
	f, err := a.readForm(path)
	if err != nil {
		return err
	}
	for n := range sheet.Steps {
		d := sheet.Steps[n].Device
		why := ""
		for _, set := range sheet.Steps[n].Sets {
			if what := set.Difference.What; !what.Listed() && !what.Formed() {
				why = fmt.Sprintf("the form has no line for its %s", what)
			}
		}
		before, after := thingOf(sheet.Network(n), d), thingOf(sheet.Network(n+1), d)
		lines, err := f.Typed(before, after)
		if err != nil {
			v.Type(n, nil, nil, cmp.Or(why, err.Error()))
			continue
		}
		back, err := f.Typed(after, before)
		if err != nil {
			back = nil // told by the words of the step
		}
		v.Type(n, lines, back, why)
	}
	return nil
}

// newDevice tells what to do with a device as it comes from the factory.
func (a *app) newDevice(w *workspace.Workspace, comes string, args []string) error {
	if len(args) != 1 {
		return errors.New("name the device: ropeswing steps --factory 192.0.2.253/24 DEVICE")
	}
	d, err := w.Device(args[0])
	if err != nil {
		return err
	}
	box, whole, err := prefix.Parse(comes)
	switch {
	case err != nil:
		return err
	case whole && !strings.Contains(comes, "/"):
		return fmt.Errorf("%s has no prefix length; write %s/%d", comes, comes, usual(comes))
	case prefix.RoleOf(box, box.Addr()) != prefix.UsableAddress:
		return fmt.Errorf("%s is no machine's address in its subnet; name the device's own", comes)
	}
	f, ok := steps.New(w.Network, d, box)
	if !ok {
		return fmt.Errorf("%s has no other address free for the laptop", box.Masked())
	}
	v := view.NewNewDevice(w.Spec, f)
	if err := a.print(v, v.Table(), func() { v.Text(a.out, a.width) }); err != nil {
		return err
	}
	if len(v.Not) > 0 || !v.Reached {
		return errWrong
	}
	return nil
}

// putVisits fills a template for each visit.
func (a *app) putVisits(v view.Worksheet, o stepsOptions) error {
	var fillings []filling
	for _, x := range v.Visits() {
		fillings = append(fillings, filling{fmt.Sprintf("%03d-%s", x.Visit, x.Device), x.Device, x})
	}
	all, err := a.filled(o.template, fillings)
	if err != nil {
		return err
	}
	return a.put(all, o.to)
}

// mostSheet is how large a worksheet may be, in bytes.
const mostSheet = 64 << 20

// worksheet finds the steps, or proves those of a file.
func (a *app) worksheet(r *compare.Result, sessions map[model.DeviceID]netip.Addr, file string) (*steps.Worksheet, error) {
	if file == "" {
		return steps.Plan(r, sessions), nil
	}
	in := io.NopCloser(a.in)
	if file != "-" {
		opened, err := files.OpenPlain(a.at(file))
		if err != nil {
			return nil, fmt.Errorf("cannot read %s: %w", file, errors.Unwrap(err))
		}
		in = opened
	}
	defer in.Close()
	text, err := io.ReadAll(io.LimitReader(in, mostSheet+1))
	if err != nil {
		return nil, fmt.Errorf("cannot read %s: %w", file, err)
	}
	if len(text) > mostSheet {
		return nil, fmt.Errorf("%s is larger than a worksheet can be", file)
	}
	asked, err := view.ReadWorksheet(text)
	if file == "-" {
		file = "standard input"
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	sheet, err := steps.Check(r, sessions, asked)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return sheet, nil
}

// stepsFrom compares the plan with where the steps begin.
func (a *app) stepsFrom(w *workspace.Workspace, args []string, since string) (*compare.Result, []compare.Difference, string, error) {
	if since != "" || len(args) == 1 && isPlan(args[0]) {
		found, err := a.startingPlan(args, since)
		if err != nil {
			return nil, nil, "", err
		}
		other, err := a.used(workspace.Open(found.FS, found.Name, found.Shown))
		if err != nil {
			return nil, nil, "", err
		}
		other, renamed := revise.Aligned(other, w.Spec)
		for _, line := range revise.RenamedWords(renamed, w.Spec) {
			a.tell(line)
		}
		r, untold := w.StepsFrom(a.predict(other))
		return r, untold, "predicted from both plans", nil
	}
	from := ""
	if len(args) == 1 {
		from = args[0]
	}
	devices, _, basis, err := a.state(from)
	if err != nil {
		_, there := os.Stat(a.at(from))
		if _, unknown := w.Device(from); unknown == nil && there != nil {
			return nil, nil, "", fmt.Errorf("there is no state %s; it is a device: for its steps alone say --device %s", from, from)
		}
		return nil, nil, "", err
	}
	return w.Differences(devices), nil, basis, nil
}

// startingPlan is the plan that steps begin at.
func (a *app) startingPlan(args []string, since string) (files.Found, error) {
	if since == "" {
		return files.At(a.dir, args[0]), nil
	}
	found, err := a.find()
	if err != nil {
		return found, err
	}
	return files.Revision(found, since)
}

// sessionsOf reads where the operator is logged in.
func sessionsOf(w *workspace.Workspace, words []string) (map[model.DeviceID]netip.Addr, error) {
	all := map[model.DeviceID]netip.Addr{}
	for _, word := range words {
		name, text, ok := strings.Cut(word, "=")
		if !ok {
			return nil, fmt.Errorf("--session is DEVICE=ADDRESS, not %s", word)
		}
		d, err := w.Device(name)
		if err != nil {
			return nil, err
		}
		if all[d], err = prefix.ParseAddress(text); err != nil {
			return nil, err
		}
	}
	return all, nil
}
