package command

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"ropeswing/core/ask"
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/reach"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
	"ropeswing/internal/draw"
	"ropeswing/internal/files"
	"ropeswing/internal/report"
	"ropeswing/internal/view"
)

// What a page holds, so that it opens at once: up to so many devices what each cable's failure
// takes, so many boxes in a picture, so many rows in a table.
const (
	mostSwept = 300
	mostDrawn = 400
	mostRows  = 20000
)

func (a *app) reportPage() *cobra.Command {
	var file, state string
	cmd := &cobra.Command{
		Use:     "report",
		Short:   "One page to hand over: health, pictures, tables, paths to ask for",
		GroupID: groupLook,
		Long: "Write one HTML file that works from disk, with no network: health and requirements with\ntheir proof, pictures, " +
			"tables of everything, and the predicted path between any two\ndevices. With --observed also what differs from it, and the steps " +
			"to the plan.",
		Example:           "  ropeswing report\n  ropeswing report -w handover.html --observed observed",
		Args:              noArgs,
		ValidArgsFunction: cobra.NoFileCompletions,
		RunE:              func(*cobra.Command, []string) error { return a.reported(file, state) },
	}
	cmd.Flags().StringVarP(&file, "write", "w", "report.html", "the `FILE` to write, ending in .html")
	cmd.Flags().StringVar(&state, "observed", "", "also how the observed state in the folder `STATE` differs, and the steps")
	return cmd
}

// reported writes the page.
func (a *app) reported(file, state string) error {
	if e := strings.ToLower(filepath.Ext(file)); e != ".html" && e != ".htm" {
		return fmt.Errorf("%s: a report ends in .html", file)
	}
	n, err := a.open()
	if err != nil {
		return err
	}
	if n, err = a.used(n); err != nil {
		return err
	}
	w := a.predict(n)
	v := a.checkedOf(n, w)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	c := &report.Content{
		Name: planName(w), Basis: w.Basis, Headline: v.Headline(), Well: finding.Count(v.All, finding.Warning) == 0, Summary: v.Summary,
		Made: fmt.Sprintf("made by ropeswing %s on %s", Version, time.Now().Format("2006-01-02 15:04")),
	}
	if c.Sections, err = a.reportSections(ctx, w, v, state); err != nil {
		return err
	}
	c.Paths = report.NewPaths(w.Network)
	var b bytes.Buffer
	if err := report.Write(&b, c); err != nil {
		return err
	}
	if ctx.Err() != nil {
		return errInterrupted
	}
	if err := files.Put(a.at(file), b.Bytes(), a.tell, files.Page); err != nil {
		return notWritten(file, err)
	}
	fmt.Fprintf(a.out, "%s\nthe report is in %s: %s, %d kB\n", view.Clean(c.Headline), view.Clean(file),
		view.Count(len(c.Sections), "section"), (b.Len()+999)/1000)
	return nil
}

// reportSections are the parts of the page, what matters most first.
func (a *app) reportSections(ctx context.Context, w *workspace.Workspace, v view.Findings, state string) ([]report.Section, error) {
	net, spec, st := w.Network, w.Spec, w.Network.State
	var devices []model.DeviceID
	for d := range spec.Devices {
		devices = append(devices, model.DeviceID(d))
	}
	add := func(all []report.Section, id, title string, t view.Table) []report.Section {
		if len(t.Rows) == 0 {
			return all
		}
		s := report.Section{ID: id, Title: title, Table: t}
		if n := len(t.Rows); n > mostRows {
			s.Table.Rows, s.Note = t.Rows[:mostRows], fmt.Sprintf("The first %d of %d rows; 'ropeswing show %s -o csv' lists all.", mostRows, n,
				id)
		}
		return append(all, s)
	}
	findings := v.Short()
	findings.Empty = "nothing wrong was found"
	all := []report.Section{{ID: "health", Title: "Findings", Table: findings}}
	if len(spec.Must) > 0 {
		all = append(all, report.Section{ID: "requirements", Title: "Requirements",
			Note:  "Each is proved by predicted pings; shown is the first that contradicts it, or else the first it covers.",
			Table: view.Proofs(verify.Proofs(net))})
	}
	failures, marks, err := a.reportFailures(ctx, w)
	if err != nil {
		return nil, err
	}
	pictures := report.Section{ID: "pictures", Title: "Pictures",
		Note: "Click a device, a subnet or a cable to see what is told of it; name two devices to see the predicted path, which is drawn " +
			"into the subnets."}
	if n := draw.Boxes(net); n > mostDrawn {
		pictures.Note = fmt.Sprintf("The network is %d boxes even folded by site, too many for one picture; 'ropeswing draw subnets NAME…' "+
			"draws a part.", n)
	} else {
		pictures.Figures = []report.Figure{
			{ID: "subnets", Sheet: draw.Subnets(net, draw.Asked{Title: "Routers and subnets", About: w.Basis})},
			{ID: "wires", Sheet: draw.Wires(net, draw.Asked{Title: "Devices and cables", About: w.Basis}, nil)},
		}
	}
	if marks != nil {
		pictures.Figures = append(pictures.Figures,
			report.Figure{ID: "failing", Sheet: draw.Wires(net,
				draw.Asked{Title: "What each cable's failure takes", About: w.Basis + ", pairs of LANs and loopbacks, in each family"}, marks)})
	}
	if n := len(spec.Blocks); n > 0 && n <= mostDrawn/4 {
		pictures.Figures = append(pictures.Figures,
			report.Figure{ID: "space", Sheet: draw.Blocks(spec, draw.Asked{Title: "Address space", About: "each block to a scale of its own"})})
	}
	all = append(all, pictures)
	if state != "" {
		found, err := a.reportFound(w, state)
		if err != nil {
			return nil, err
		}
		all = append(all, found...)
	}
	all = append(all, failures)
	table := func(_ any, t view.Table) view.Table { return t }
	all = add(all, "devices", "Devices", table(view.Devices(st, devices)))
	all = add(all, "blocks", "Blocks", table(view.Blocks(spec, nil)))
	all = add(all, "segments", "Segments", table(view.Segments(st, devices)))
	all = add(all, "addresses", "Addresses", table(view.Addresses(st, devices)))
	all = add(all, "interfaces", "Interfaces", table(view.Interfaces(st, devices, view.Filter{})))
	all = add(all, "cables", "Cables", table(view.Cables(st, devices)))
	all = add(all, "vlans", "VLANs", table(view.VLANs(st, devices)))
	routes := 0
	for _, d := range devices {
		for _, v := range net.Of(d) {
			routes += len(v.Entries())
		}
	}
	if routes > mostRows {
		all = append(all, report.Section{ID: "routes", Title: "Routes",
			Note: fmt.Sprintf("%d routes are too many for a page; 'ropeswing show routes -o csv' lists them, 'ropeswing show routes DEVICE' "+
				"those of one device.", routes)})
	} else {
		all = add(all, "routes", "Routes", table(view.Routes(net, devices, view.RouteFilter{})))
	}
	all = add(all, "permits", "Permits", table(view.Permits(spec, verify.CountedPermits(net, devices), devices)))
	all = add(all, "translations", "Translations", table(view.Translations(net, devices)))
	return add(all, "managed", "Management", table(view.Management(net, verify.Management(net), devices))), nil
}

// reportFailures is what each cable's failure takes, as a table and for the picture.
func (a *app) reportFailures(ctx context.Context, w *workspace.Workspace) (report.Section, draw.Marks, error) {
	s := report.Section{ID: "failures", Title: "What each failure takes"}
	if n := len(w.Spec.Devices); n > mostSwept {
		s.Note = fmt.Sprintf("Not worked out here: the network has %d devices, and a report asks up to %d; 'ropeswing reach --failures 1' "+
			"shows it.", n, mostSwept)
		return s, nil, nil
	}
	losses, v, err := a.losses(ctx, w)
	if err != nil {
		return s, nil, err
	}
	for _, l := range losses {
		v.Add(w.Network, l)
	}
	v.Sort()
	s.Table, s.Note = v.Table(), v.Headline()
	s.Table.Empty = "no failure takes anything"
	return s, marksOf(losses), nil
}

// reportFound is how what was observed differs from the plan, and the steps from it to the plan.
func (a *app) reportFound(w *workspace.Workspace, state string) ([]report.Section, error) {
	devices, _, basis, err := a.state(state)
	if err != nil {
		return nil, err
	}
	v := view.NewComparison(w.Compare(devices), basis, wordsOfPlan)
	t := v.Table()
	t.Empty = v.Headline()
	all := []report.Section{{ID: "found", Title: "What was observed otherwise", Note: v.Headline() + " · " + basis, Table: t}}
	if w.Spec.Operator == model.None {
		return append(all, report.Section{ID: "steps", Title: "Steps to the plan",
				Note: "The plan names no operator, so that nobody's session can be minded; 'ropeswing steps --standing-at HOST' shows the steps."}),
			nil
	}
	sessions, err := sessionsOf(w, nil)
	if err != nil {
		return nil, err
	}
	result, _, from, err := a.stepsFrom(w, []string{state}, "")
	if err != nil {
		return nil, err
	}
	sheet, err := a.worksheet(result, sessions, "")
	if err != nil {
		return nil, err
	}
	steps := view.NewWorksheet(sheet, from)
	return append(all, report.Section{ID: "steps", Title: "Steps to the plan", Note: steps.Headline(), Table: steps.Table()}), nil
}

// losses asks what each cable's failure takes, for a list of it.
func (a *app) losses(ctx context.Context, w *workspace.Workspace) ([]reach.Loss, *view.Sweep, error) {
	q := question{over: model.Echo}
	if err := q.find(w, 0); err != nil {
		return nil, nil, err
	}
	v := &view.Sweep{Places: q.places(w), Basis: w.Basis, Together: 1, Between: ask.Words(q.from, q.to), Losses: []view.SweepLoss{}}
	cables := reach.Cables(w.Network.State)
	var all []reach.Loss
	err := reach.Sweep(ctx, w.Network, reach.Asked{Ends: q.ends, Over: q.over}, reach.Together(cables, 1), func(l reach.Loss) {
		all = append(all, l)
		a.progress(len(all), len(cables))
	})
	if err != nil {
		return nil, nil, errInterrupted
	}
	return all, v, nil
}

// marksOf says of each cable or wire what its failure takes.
func marksOf(losses []reach.Loss) draw.Marks {
	marks := draw.Marks{}
	for _, l := range losses {
		m := draw.Mark{Text: "nothing is lost", Class: draw.Good}
		if l.Lost > 0 {
			m = draw.Mark{Text: fmt.Sprintf("takes %s", view.Count(l.Lost, "pair")), Class: draw.Bad}
			if l.Cannot == l.Lost {
				m.Text += ": no other path"
			}
		}
		marks[l.Failures[0]] = m
	}
	return marks
}
