package command

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// The formats of an answer.
const (
	formatTable    = "table"
	formatJSON     = "json"
	formatCSV      = "csv"
	formatRawCSV   = "raw-csv"
	formatMarkdown = "markdown"
)

var formats = []string{formatTable, formatJSON, formatCSV, formatRawCSV, formatMarkdown}

// cleaned is an error's text, fit for a terminal.
func cleaned(err error) string { return view.Clean(err.Error()) }

// formatFlags gives a command the choice of format.
func (a *app) formatFlags(cmd *cobra.Command) {
	cmd.Flags().StringVarP(&a.format, "format", "o", formatTable, "the `FORMAT`: "+strings.Join(formats, ", "))
	cmd.Flags().StringVar(&a.only, "only", "", "print the bare value of one `FIELD` of the JSON form")
	a.must(cmd.RegisterFlagCompletionFunc("format", cobra.FixedCompletions(formats, cobra.ShellCompDirectiveNoFileComp)))
}

// The formats of a report for machines that run checks.
const (
	formatSARIF = "sarif"
	formatJUnit = "junit"
)

// reportFlags is formatFlags of a command that makes reports too.
func (a *app) reportFlags(cmd *cobra.Command) {
	a.formatFlags(cmd)
	all := append(slices.Clone(formats), formatSARIF, formatJUnit)
	cmd.Flags().Lookup("format").Usage = "the `FORMAT`: " + strings.Join(all, ", ")
	a.reports = true
}

// report writes a report where one is asked for; false where none is.
func (a *app) report(r func() view.Report) (bool, error) {
	switch a.format {
	case formatSARIF:
		return true, a.inRepository(r()).SARIF(a.raw)
	case formatJUnit:
		return true, a.inRepository(r()).JUnit(a.raw)
	}
	return false, nil
}

// inRepository is a report whose files are named from the top of the repository they are in, as those that show reports beside the files
// want it.
func (a *app) inRepository(r view.Report) view.Report {
	for i, e := range r.Entries {
		if e.File != "" {
			r.Entries[i].File = files.InRepository(a.at(e.File), e.File)
		}
	}
	return r
}

// observedFlag lets a command be asked about the network as found.
func (a *app) observedFlag(cmd *cobra.Command) {
	cmd.Flags().StringVar(&a.observed,
		"observed", "", "about the network as found: the observed state in the folder `STATE`, or live: the devices are asked first")
}

// askedFirstFlag is short for --observed live.
func (a *app) askedFirstFlag(cmd *cobra.Command, does string) {
	cmd.Flags().BoolFunc("live", "ask the devices first, and "+does+" what they say: --observed live", func(string) error {
		a.observed = liveState
		return nil
	})
}

// withFlag lets a command be asked what would be with something set otherwise.
func (a *app) withFlag(cmd *cobra.Command) {
	cmd.Flags().StringArrayVar(&a.with, "with", nil, "try `CHANGE` in a copy first; repeat for more: "+revise.ChangeForms)
	a.must(cmd.RegisterFlagCompletionFunc("with", cobra.NoFileCompletions))
}

// withoutFlag lets a command be asked what would be if parts were out of order.
func (a *app) withoutFlag(cmd *cobra.Command, names *[]string) {
	a.observedFlag(cmd)
	cmd.Flags().Var((*partNames)(names),
		"without", "with the cable, device, segment or interface `NAME` out of order; repeatable; wire-(1..4) is four")
	a.must(cmd.RegisterFlagCompletionFunc("without", a.completeParts))
}

// overFlags let a command be asked about a service other than ping, and about
// permits that are not in force yet.
func (a *app) overFlags(cmd *cobra.Command, over *string, pending *bool) {
	cmd.Flags().StringVar(over, "over", "icmp", "for `SERVICE`, which matters to permits: icmp, tcp/443, udp/53")
	cmd.Flags().StringVar(&a.mark, "mark", "", "marked with the code point `MARK`, which matters to permits: ef, af41, cs1 or a number")
	a.must(cmd.RegisterFlagCompletionFunc("mark", cobra.FixedCompletions(model.MarkNames(), cobra.ShellCompDirectiveNoFileComp)))
	cmd.Flags().BoolVar(pending, "with-pending", false, "as if pending permits were in force")
	a.must(cmd.RegisterFlagCompletionFunc("over",
		cobra.FixedCompletions([]string{"icmp", "tcp/443", "udp/53"}, cobra.ShellCompDirectiveNoFileComp)))
}

// usableOver reads the plan for answers about a service.
func (a *app) usableOver(over string, pending bool) (*workspace.Workspace, model.Service, error) {
	service, err := model.ParseService(over)
	if err != nil {
		return nil, service, fmt.Errorf("--over: %w", err)
	}
	if a.mark != "" {
		if service.Mark, err = model.ParseMark(a.mark); err != nil {
			return nil, service, fmt.Errorf("--mark: %w", err)
		}
	}
	w, err := a.usable()
	if err != nil {
		return nil, service, err
	}
	if service != model.Echo {
		about := *w
		about.Basis += ", over " + service.String()
		w = &about
	}
	if pending {
		w = revise.WithPending(w)
	}
	return w, service, nil
}

// listFlags are the options of every list.
func (a *app) listFlags(cmd *cobra.Command) {
	a.wideFlag(cmd)
	a.matchFlag(cmd)
}

func (a *app) matchFlag(cmd *cobra.Command) {
	cmd.Flags().StringVar(&a.match, "match", "", "only rows with `TEXT` in what is known of them")
}

func (a *app) wideFlag(cmd *cobra.Command) {
	cmd.Flags().BoolVar(&a.wide, "wide", false, "more columns")
}

func (a *app) explainFlag(cmd *cobra.Command, what string) {
	cmd.Flags().BoolVar(&a.explain, "explain", false, what)
}

func (a *app) familyFlags(cmd *cobra.Command) {
	cmd.Flags().BoolVarP(&a.only4, "ipv4", "4", false, "IPv4 only")
	cmd.Flags().BoolVarP(&a.only6, "ipv6", "6", false, "IPv6 only")
}

// families is what -4 and -6 ask for.
func (a *app) families() (prefix.Only, error) {
	switch {
	case a.only4 && a.only6:
		return prefix.Both, errors.New("-4 and -6 exclude each other; without either both are taken")
	case a.only4:
		return prefix.Only4, nil
	case a.only6:
		return prefix.Only6, nil
	}
	return prefix.Both, nil
}

// familyWords is the option of the family asked for, as typed.
func (a *app) familyWords() string {
	switch {
	case a.only4:
		return " -4"
	case a.only6:
		return " -6"
	}
	return ""
}

// print writes an answer in the format asked for: text by its own function,
// JSON from data, the others from the table.
func (a *app) print(data any, table view.Table, text func()) error {
	if a.only != "" {
		return view.Only(a.out, data, a.only)
	}
	switch a.format {
	case formatTable:
		text()
	case formatJSON:
		return view.JSON(a.out, data)
	case formatCSV:
		return table.CSV(a.out)
	case formatRawCSV:
		return table.RawCSV(a.out)
	case formatMarkdown:
		view.Markdown(a.out, data, table)
	default:
		if near, ok := finding.Nearest(a.format, formats); ok {
			return fmt.Errorf("there is no format %s; did you mean %s?", a.format, near)
		}
		return fmt.Errorf("there is no format %s; there are %s", a.format, strings.Join(formats, ", "))
	}
	return nil
}

// checkFormat refuses a format there is not before any work is done.
func (a *app) checkFormat() error {
	if slices.Contains(formats, a.format) || a.reports && (a.format == formatSARIF || a.format == formatJUnit) {
		return nil
	}
	return a.print(nil, view.Table{}, nil)
}

// tell says something beside the answer while it is worked out.
func (a *app) tell(text string) { fmt.Fprintln(a.err, view.Clean(text)) }

// findToWrite is find, and where the plan is to be written the writer of its folder, which
// is locked until it is closed; else nil.
func (a *app) findToWrite(write bool) (files.Found, *files.Writer, error) {
	found, err := a.find()
	if err != nil || !write {
		return found, nil, err
	}
	w, err := files.NewWriter(filepath.Dir(found.Path), a.tell)
	if err != nil {
		return found, nil, err
	}
	return found, w, nil
}

// editing is a plan that may be written: its writer is nil where it is only shown what would change.
type editing struct {
	files.Found
	*workspace.Numbers
	writer *files.Writer
}

func (e *editing) close() {
	if e.writer != nil {
		e.writer.Close()
	}
}

// toEdit opens the plan, and where it is to be written locks its folder until it is closed.
func (a *app) toEdit(write bool) (*editing, error) {
	found, writer, err := a.findToWrite(write)
	if err != nil {
		return nil, err
	}
	e := &editing{found, nil, writer}
	if e.Numbers, err = a.used(workspace.Open(found.FS, found.Name, found.Shown)); err != nil {
		e.close()
		return nil, err
	}
	return e, nil
}

var errNoPlan = fmt.Errorf("there is no %s here or in a folder above; name one with -p FILE, or try 'ropeswing demo'", files.PlanPattern)

// find finds the plan: the one named, else the only one near.
func (a *app) find() (files.Found, error) {
	path := a.plan
	if path == "" {
		path = a.getenv("ROPESWING_PLAN")
	}
	found, err := files.Found{}, error(nil)
	if path != "" {
		found = files.At(a.dir, path)
	} else if found, err = files.FindPlan(a.dir); errors.Is(err, fs.ErrNotExist) {
		return found, errNoPlan
	}
	if err == nil {
		err = found.Err
	}
	if err == nil {
		err = files.Settle(filepath.Dir(found.Path), a.tell)
	}
	return found, err
}

// open finds and reads the plan. A plan with slips is opened too: Usable tells.
func (a *app) open() (*workspace.Numbers, error) {
	found, err := a.find()
	if err != nil {
		return nil, err
	}
	return workspace.Open(found.FS, found.Name, found.Shown), nil
}

// usable opens the plan, and tells of its slips where it cannot be used.
func (a *app) usable() (*workspace.Workspace, error) {
	if a.given != nil {
		return a.given, nil
	}
	found, err := a.find()
	if errors.Is(err, errNoPlan) && a.observed != "" {
		return a.asFound()
	}
	if err != nil {
		return nil, err
	}
	n, err := a.used(workspace.Open(found.FS, found.Name, found.Shown))
	if err != nil {
		return nil, err
	}
	w := a.predict(n)
	if a.observed != "" {
		devices, _, basis, err := a.state(a.observed)
		if err != nil {
			return nil, err
		}
		w = w.Observed(devices, basis)
	}
	return revise.With(w, a.with...)
}

// predict works out what packets do, and tells on a terminal that it does.
func (a *app) predict(n *workspace.Numbers) *workspace.Workspace {
	defer a.busy("working out the routes")()
	return n.Predict()
}

// asFound is the network as found where there is no plan: that of the draft of it.
func (a *app) asFound() (*workspace.Workspace, error) {
	devices, _, basis, err := a.state(a.observed)
	if err != nil {
		return nil, err
	}
	a.planless = true
	w, slips := workspace.AsFound("draft of "+a.observed, devices, basis+", with no plan")
	if len(slips) > 0 {
		return nil, fmt.Errorf("what was observed makes no whole network: %s; 'ropeswing draft %s' shows the draft", slips[0].Reason,
			view.ShellWord(a.observed))
	}
	return w, nil
}

// observedWords are the words that ask about the same state again.
func (a *app) observedWords() string {
	if a.observed == "" {
		return ""
	}
	return " --observed " + view.ShellWord(a.observed)
}

// numbers opens the plan for what can be told without following packets, and tells of
// its slips where it cannot be used.
func (a *app) numbers() (*workspace.Numbers, error) {
	n, err := a.open()
	if err != nil {
		return nil, err
	}
	return a.used(n)
}

// used is the plan, where it is of use; else its slips are told.
func (a *app) used(w *workspace.Numbers) (*workspace.Numbers, error) {
	if w.Usable() {
		return w, nil
	}
	slips := w.Slips()
	for _, f := range slips {
		view.FindingText(a.err, f, a.self(), a.width, a.explain)
	}
	if len(slips) > 1 {
		fmt.Fprintf(a.err, "%d errors; the plan cannot be used until they are mended\n", len(slips))
	}
	return nil, errSaid
}

// self is how the program is called with the same plan again: the start of any
// command it suggests.
func (a *app) self() string {
	if a.plan == "" {
		return "ropeswing"
	}
	return "ropeswing -p " + view.ShellWord(a.plan)
}

// partNames are the names of an option that may be said several times, with
// commas between, and as a pattern.
type partNames []string

// Set implements pflag.Value.
func (p *partNames) Set(text string) error {
	for name := range strings.SplitSeq(text, ",") {
		all, err := plan.Written(name)
		if err != nil {
			return err
		}
		*p = append(*p, all...)
	}
	return nil
}

// Type implements pflag.Value.
func (p *partNames) Type() string { return "strings" }

// String implements pflag.Value.
func (p *partNames) String() string { return strings.Join(*p, ",") }

// flush puts out what is held back: before what another program writes, and for what goes on for long.
func (a *app) flush() {
	if b, ok := a.raw.(interface{ Flush() error }); ok {
		_ = b.Flush()
	}
}
