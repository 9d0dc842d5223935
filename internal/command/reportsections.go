package command

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"ropeswing/core/ask"
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/reach"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
	"ropeswing/internal/draw"
	"ropeswing/internal/report"
	"ropeswing/internal/view"
)

// What a page holds, so that it opens at once: up to so many devices what each cable's failure takes and a sheet for each site, so many
// boxes in a picture, so many rows in a table.
const (
	mostSwept = 300
	mostDrawn = 400
	mostRows  = 20000
)

// pageOf is a page that is being put together.
type pageOf struct {
	*app
	*reporting
	w       *workspace.Workspace
	v       view.Findings
	devices []model.DeviceID // that it tells of
	own     *report.Own      // nil is everybody's page
}

// ownFindings are those about somebody's own things, which name nothing of others.
func (p *pageOf) ownFindings(v view.Findings) view.Findings {
	var all []finding.Finding
	for _, f := range v.All {
		if f.Subject != "" && !p.own.Names(f.Subject) && !p.own.Names(f.Reason) {
			all = append(all, f)
		}
	}
	return view.NewFindings(v.Plan, v.File, v.Basis, "", p.self(), true, all, nil)
}

// content is all of the page.
func (p *pageOf) content(ctx context.Context) (*report.Content, error) {
	w, v := p.w, p.v
	c := &report.Content{
		Name: planName(w), Basis: w.Basis, Headline: v.Headline(), Well: finding.Count(v.All, finding.Warning) == 0, Summary: v.Summary,
		Made: fmt.Sprintf("made by ropeswing %s on %s", Version, time.Now().Format("2006-01-02 15:04")), Own: p.own,
	}
	if p.own != nil {
		c.Name += ", " + cmp.Or(p.site, p.of)
	}
	if health, ok := strings.CutPrefix(c.Headline, planName(w)+": "); ok { // whose it is stands above it
		c.Headline = health
	}
	failures, marks, swept, err := p.failures(ctx)
	if err != nil {
		return nil, err
	}
	if c.Sections, err = p.sections(failures, marks); err != nil {
		return nil, err
	}
	c.Next, c.Numbers = p.own.Text(p.next()), p.numbers(swept)
	if draw.Boxes(w.Network) <= mostDrawn || p.own != nil {
		title := "The network, with what is wrong"
		if c.Well {
			title = "The network"
		}
		c.Look = &report.Figure{ID: "look", Sheet: draw.Wires(w.Network, p.asked(title, w.Basis), p.wrong())}
	}
	c.Paths = report.NewPaths(w.Network, reach.Cables(w.Network.State), p.own)
	return c, nil
}

// asked is what a picture of the page is to show.
func (p *pageOf) asked(title, about string) draw.Asked {
	x := draw.Asked{Title: title, About: about}
	if p.own != nil {
		x.Devices, x.Others = p.devices, p.others()
	}
	return x
}

// others is what stands in pictures in place of others' devices.
func (p *pageOf) others() string {
	if p.own == nil {
		return ""
	}
	return report.Elsewhere
}

// next is what to do first: the remedy of the worst that is wrong; "" where nothing has to be done.
func (p *pageOf) next() string {
	for _, worst := range []string{"error", "warning"} {
		for i := range p.v.Findings {
			f := &p.v.Findings[i]
			if f.Severity != worst || f.Because != nil {
				continue
			}
			text := cmp.Or(f.Remedy, f.Next, f.Reason)
			if f.Line > 0 {
				text += fmt.Sprintf(" (%s:%d)", f.File, f.Line)
			}
			return text
		}
	}
	if p.reporting.state != "" {
		return "see what was observed otherwise, and the steps to the plan, below"
	}
	return ""
}

// numbers are five figures of the network, at a glance.
func (p *pageOf) numbers(swept *view.Sweep) []report.Number {
	segments := map[model.SegmentID]bool{}
	for _, d := range p.devices {
		for _, i := range p.w.Spec.InterfacesOf(d) {
			if s := p.w.Spec.Interfaces[i].Segment; s != model.None {
				segments[s] = true
			}
		}
	}
	all := []report.Number{{Value: fmt.Sprint(len(p.devices)), What: "devices"}, {Value: fmt.Sprint(len(segments)), What: "subnets"},
		{Value: fmt.Sprintf("%d · %d", p.v.Errors, p.v.Warnings), What: "errors · warnings", Ill: p.v.Errors+p.v.Warnings > 0}}
	if n := len(p.w.Spec.Must); n > 0 && p.own == nil {
		hold := 0
		for _, x := range verify.Proofs(p.w.Network) {
			if x.Holds {
				hold++
			}
		}
		all = append(all, report.Number{Value: fmt.Sprintf("%d of %d", hold, n), What: "requirements hold", Ill: hold < n})
	}
	if swept != nil && swept.Failures > 0 {
		all = append(all, report.Number{Value: fmt.Sprintf("%d of %d", swept.Whole, swept.Failures),
			What: "cables may fail, and nothing is lost"})
	}
	return all
}

// wrong marks the devices, cables and wires that something wrong is told of.
func (p *pageOf) wrong() draw.Marks {
	marks := draw.Marks{}
	spec := p.w.Spec
	for i := range p.v.Findings {
		f := &p.v.Findings[i]
		if f.Severity == "advice" || f.Because != nil {
			continue
		}
		of := network.NoFailure
		owner, port, _ := strings.Cut(f.Subject, ":")
		if d, ok := spec.DeviceNamed(owner); ok {
			of.Device = d
		} else if c := slices.IndexFunc(spec.Cables, func(c model.Cable) bool { return c.Name == f.Subject }); c >= 0 {
			of.Cable = model.CableID(c)
		} else if s, ok := spec.SegmentNamed(f.Subject); ok {
			of.Segment = s
		} else {
			continue
		}
		text := strings.ReplaceAll(f.Name, "-", " ")
		if port != "" {
			text = port + ": " + text
		}
		if m, there := marks[of]; there {
			text = m.Text
			if !strings.HasSuffix(text, " …") {
				text += " …"
			}
		}
		marks[of] = draw.Mark{Text: text, Class: draw.Bad}
	}
	return marks
}

// sections are the parts of the page, what matters most first.
func (p *pageOf) sections(failures report.Section, marks draw.Marks) ([]report.Section, error) {
	w, net, spec := p.w, p.w.Network, p.w.Spec
	findings := p.v.Short()
	findings.Empty = "nothing wrong was found"
	all := []report.Section{{ID: "health", Title: "What is wrong", Table: findings}}
	if len(spec.Must) > 0 {
		s := report.Section{ID: "requirements", Title: "What was promised",
			Note:  "Each requirement is proved by predicted pings; shown is the first that contradicts it, or else the first it covers.",
			Table: view.Proofs(verify.Proofs(net))}
		if p.own != nil {
			s.Table.Rows = slices.DeleteFunc(s.Table.Rows, func(row []string) bool { return p.own.Names(row[0]) })
		}
		if len(s.Table.Rows) > 0 {
			all = append(all, s)
		}
	}
	if marks != nil {
		failures.Figures = append(failures.Figures, report.Figure{ID: "failing", Sheet: draw.Wires(net,
			p.asked("What each cable's failure takes", w.Basis+", pairs of LANs and loopbacks, in each family"), marks)})
	}
	all = append(all, failures, p.pictures())
	if p.reporting.state != "" {
		found, err := p.found()
		if err != nil {
			return nil, err
		}
		all = append(all, found...)
	}
	if s := p.sites(); len(s.Sheets) > 0 || s.Note != "" {
		all = append(all, s)
	}
	return append(all, p.tables()...), nil
}

// pictures are the network as routers and subnets, as devices and cables, and its address space.
func (p *pageOf) pictures() report.Section {
	net, spec := p.w.Network, p.w.Spec
	s := report.Section{ID: "pictures", Title: "Pictures and paths",
		Note: "Click a device, a subnet or a cable to see what is told of it, and what cutting it takes; name two devices to see the " +
			"predicted path, which is drawn into the subnets."}
	if n := draw.Boxes(net); n > mostDrawn && p.own == nil {
		s.Note = fmt.Sprintf("The network is %d boxes even folded by site, too many for one picture; 'ropeswing draw subnets NAME…' "+
			"draws a part.", n)
	} else {
		s.Figures = []report.Figure{
			{ID: "subnets", Sheet: draw.Subnets(net, p.asked("Routers and subnets", p.w.Basis))},
			{ID: "wires", Sheet: draw.Wires(net, p.asked("Devices and cables", p.w.Basis), nil)},
		}
	}
	if n := len(spec.Blocks); n > 0 && n <= mostDrawn/4 && p.own == nil {
		s.Figures = append(s.Figures,
			report.Figure{ID: "space", Sheet: draw.Blocks(spec, draw.Asked{Title: "Address space", About: "each block to a scale of its own"})})
	}
	return s
}

// sites is a sheet for each site, to print and to hang into its cabinet.
func (p *pageOf) sites() report.Section {
	s := report.Section{ID: "sites", Title: "Site by site"}
	spec, st := p.w.Spec, p.w.Network.State
	by := map[model.BlockID][]model.DeviceID{}
	var order []model.BlockID
	sites := spec.Sites()
	for _, d := range p.devices {
		b := sites[d]
		if b == model.None {
			continue
		}
		if by[b] == nil {
			order = append(order, b)
		}
		by[b] = append(by[b], d)
	}
	if len(order) < 2 && p.own == nil { // the page is of the one site
		return s
	}
	if len(p.devices) > mostSwept {
		s.Note = fmt.Sprintf("The network has %d sites, too many for one page; 'ropeswing report --site NAME' writes the page of one.",
			len(order))
		return s
	}
	for _, b := range order {
		devices, block := by[b], &spec.Blocks[b]
		sheet := report.SiteSheet{ID: "site-" + block.Name, Title: block.Name}
		for _, x := range block.Prefixes {
			sheet.Title += ", " + x.Prefix.String()
		}
		if block.Note != "" {
			sheet.Notes = append(sheet.Notes, block.Note)
		}
		for _, d := range devices {
			if note := spec.Devices[d].Note; note != "" {
				sheet.Notes = append(sheet.Notes, spec.Devices[d].Name+": "+note)
			}
		}
		sheet.Figure = &report.Figure{ID: "site-" + fmt.Sprint(int(b)), Sheet: draw.Wires(p.w.Network,
			draw.Asked{Title: block.Name + ": devices and cables", About: p.w.Basis, Devices: devices, Others: p.others()}, nil)}
		_, ports := view.Interfaces(st, devices, view.Filter{})
		_, addresses := view.Addresses(st, devices)
		_, routes := view.Routes(p.w.Network, devices, view.RouteFilter{})
		for _, t := range []report.Titled{{Title: "Ports", Table: ports}, {Title: "Addresses", Table: addresses}, {Title: "Routes",
			Table: routes}} {
			if len(t.Table.Rows) > 0 {
				sheet.Tables = append(sheet.Tables, t)
			}
		}
		s.Sheets = append(s.Sheets, sheet)
	}
	return s
}

// tables are tables of everything.
func (p *pageOf) tables() []report.Section {
	net, spec, st, devices := p.w.Network, p.w.Spec, p.w.Network.State, p.devices
	var all []report.Section
	add := func(id, title string, t view.Table) {
		if len(t.Rows) == 0 {
			return
		}
		s := report.Section{ID: id, Title: title, Table: t}
		if n := len(t.Rows); n > mostRows {
			s.Table.Rows, s.Note = t.Rows[:mostRows], fmt.Sprintf("The first %d of %d rows; 'ropeswing show %s -o csv' lists all.", mostRows, n,
				id)
		}
		all = append(all, s)
	}
	table := func(_ any, t view.Table) view.Table { return t }
	own := func(t view.Table) view.Table { // of what is listed whole
		if p.own != nil {
			t.Rows = slices.DeleteFunc(t.Rows, func(row []string) bool { return p.own.Names(row[0]) })
		}
		return t
	}
	add("devices", "Devices", table(view.Devices(st, devices)))
	add("blocks", "Blocks", own(table(view.Blocks(spec, nil))))
	add("segments", "Segments", own(table(view.Segments(st, devices))))
	add("addresses", "Addresses", table(view.Addresses(st, devices)))
	add("interfaces", "Interfaces", table(view.Interfaces(st, devices, view.Filter{})))
	add("cables", "Cables", table(view.Cables(st, devices)))
	add("vlans", "VLANs", table(view.VLANs(st, devices)))
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
		add("routes", "Routes", table(view.Routes(net, devices, view.RouteFilter{})))
	}
	add("permits", "Permits", table(view.Permits(spec, verify.CountedPermits(net, devices), devices)))
	add("translations", "Translations", table(view.Translations(net, devices)))
	add("managed", "Management", table(view.Management(net, verify.Management(net), devices)))
	return all
}

// failures is what each cable's failure takes, as a table and for the picture; of somebody's page, from and to his own.
func (p *pageOf) failures(ctx context.Context) (report.Section, draw.Marks, *view.Sweep, error) {
	s := report.Section{ID: "failures", Title: "If something fails"}
	if n := len(p.w.Spec.Devices); n > mostSwept {
		s.Note = fmt.Sprintf("Not worked out here: the network has %d devices, and a report asks up to %d; 'ropeswing reach --failures 1' "+
			"shows it.", n, mostSwept)
		return s, nil, nil, nil
	}
	var of func(from, to *reach.End) bool
	if p.own != nil {
		theirs := func(e *reach.End) bool {
			return e.Segment != model.None && !p.own.Names(p.w.Spec.Segments[e.Segment].Name) || e.Device != model.None && p.own.Has(e.Device)
		}
		of = func(from, to *reach.End) bool { return theirs(from) || theirs(to) }
	}
	losses, v, err := p.app.losses(ctx, p.w, of)
	if err != nil {
		return s, nil, nil, err
	}
	if p.own != nil { // of cables of others nothing is told
		v.Between = "from and to " + cmp.Or(p.site, p.of)
		losses = slices.DeleteFunc(losses, func(l reach.Loss) bool { return p.own.Names(l.Failures[0].Name(p.w.Spec)) })
	}
	for _, l := range losses {
		v.Add(p.w.Network, l)
	}
	v.Sort()
	s.Table, s.Note = v.Table(), v.Headline()
	s.Table.Empty = "no failure takes anything"
	return s, marksOf(losses), v, nil
}

// found is how what was observed differs from the plan, and the steps from it to the plan.
func (p *pageOf) found() ([]report.Section, error) {
	devices, _, basis, err := p.app.state(p.reporting.state)
	if err != nil {
		return nil, err
	}
	v := view.NewComparison(p.w.Compare(devices), basis, wordsOfPlan)
	if p.own != nil {
		v.Differences = slices.DeleteFunc(v.Differences, func(d view.Difference) bool { return p.own.Names(d.Device) })
		v.NotObserved = slices.DeleteFunc(v.NotObserved, p.own.Names)
	}
	t := v.Table()
	t.Empty = v.Headline()
	all := []report.Section{{ID: "found", Title: "What was observed otherwise", Note: v.Headline() + " · " + basis, Table: t}}
	switch {
	case p.own != nil: // the steps are of the whole network
		return all, nil
	case p.w.Spec.Operator == model.None:
		return append(all, report.Section{ID: "steps", Title: "Steps to the plan",
				Note: "The plan names no operator, so that nobody's session can be minded; 'ropeswing steps --standing-at HOST' shows the steps."}),
			nil
	}
	sessions, err := sessionsOf(p.w, nil)
	if err != nil {
		return nil, err
	}
	result, _, from, err := p.stepsFrom(p.w, []string{p.reporting.state}, "")
	if err != nil {
		return nil, err
	}
	sheet, err := p.worksheet(result, sessions, "")
	if err != nil {
		return nil, err
	}
	steps := view.NewWorksheet(sheet, from)
	return append(all, report.Section{ID: "steps", Title: "Steps to the plan", Note: steps.Headline(), Table: steps.Table()}), nil
}

// losses asks what each cable's failure takes, for a list of it; of some pairs only, where that is said.
func (a *app) losses(ctx context.Context, w *workspace.Workspace, of func(from, to *reach.End) bool) ([]reach.Loss, *view.Sweep, error) {
	q := question{over: model.Echo}
	if err := q.find(w, 0); err != nil {
		return nil, nil, err
	}
	v := &view.Sweep{Places: q.places(w), Basis: w.Basis, Together: 1, Between: ask.Words(q.from, q.to), Losses: []view.SweepLoss{}}
	cables := reach.Cables(w.Network.State)
	var all []reach.Loss
	err := reach.Sweep(ctx, w.Network, reach.Asked{Ends: q.ends, Over: q.over, Of: of}, reach.Together(cables, 1), func(l reach.Loss) {
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
