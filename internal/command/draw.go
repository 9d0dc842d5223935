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

	"github.com/spf13/cobra"

	"ropeswing/core/ask"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
	"ropeswing/internal/draw"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// drawing is the options of a picture.
type drawing struct {
	file    string
	without []string
	with    []string
	text    bool
	whole   bool
	pair    []*workspace.Workspace // of a path before and after a change: both
}

// textPictures are those that letters can draw.
var textPictures = []string{"wires", "path"}

// pictures are what can be drawn, with what each shows.
var pictures = []struct{ name, operands, about string }{
	{"wires", "[WHO…]", "devices and cables, with the ports at both ends"},
	{"subnets", "[WHO…]", "routers and the subnets between them, with each one's address there"},
	{"path", "[FROM] TO", "one ping, there and back, each hop with its longest match"},
	{"failures", "", "each cable by what its failure takes from LANs"},
	{"blocks", "", "address space as a map to scale"},
	{"vlan", "NAME", "the switches and cables that carry a VLAN"},
	{"ports", "DEVICE", "the front of a device: each port's VLANs, state, and what is plugged in"},
}

func (a *app) draw() *cobra.Command {
	var o drawing
	var names []string
	long := "Draw the network, as SVG, PNG or PDF by the ending of the file. WHO are devices, groups,\nsegments or blocks: these, and " +
		"what they are joined with.\n"
	for _, p := range pictures {
		names = append(names, p.name)
		long += fmt.Sprintf("  %-17s %s\n", strings.TrimSpace(p.name+" "+p.operands), p.about)
	}
	cmd := &cobra.Command{
		Use:     "draw PICTURE [WORD…]",
		Short:   "A picture: wires, subnets, a path, failures, a VLAN, ports",
		GroupID: groupLook,
		Long:    strings.TrimRight(long, "\n"),
		Example: "  ropeswing draw subnets\n  ropeswing draw wires mole --text\n  ropeswing draw path desk-7 tern-cam --without beam-b -w " +
			"path.png\n  ropeswing draw failures -w failures.pdf\n  ropeswing draw vlan 110\n  ropeswing draw ports quay-sw1 --observed " +
			"bad-morning/observed",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				return errors.New("draw what? " + strings.Join(names, ", "))
			}
			if !slices.Contains(names, args[0]) {
				if near, ok := finding.Nearest(args[0], names); ok {
					return fmt.Errorf("there is no picture %s; did you mean %s?", args[0], near)
				}
				return fmt.Errorf("there is no picture %s; there are %s", args[0], strings.Join(names, ", "))
			}
			most := map[string][2]int{"path": {1, 2}, "vlan": {1, 1}, "ports": {1, 1}, "wires": {0, 1000}, "subnets": {0, 1000}}[args[0]]
			if n := len(args) - 1; n < most[0] || n > most[1] {
				return fmt.Errorf("it is: ropeswing draw %s", strings.TrimSpace(args[0]+" "+pictures[slices.Index(names, args[0])].operands))
			}
			return nil
		},
		ValidArgsFunction: func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
			switch {
			case len(args) == 0:
				return names, noFiles
			case args[0] == "path":
				return a.completeEndpoints(cmd, args[1:], typed)
			case args[0] == "vlan":
				return a.completeSegments(cmd, nil, typed)
			}
			return a.completeDevices(cmd, args[1:], typed)
		},
		RunE: func(_ *cobra.Command, args []string) error { return a.drawn(&o, args) },
	}
	cmd.Flags().StringVarP(&o.file, "write", "w", "", "the `FILE` to write, ending in .svg, .png or .pdf; PICTURE.svg unless said")
	cmd.Flags().BoolVar(&o.text, "text", false, "draw wires or a path with letters, here")
	cmd.Flags().BoolVar(&o.whole, "whole", false, "each device by itself, however many there are")
	a.withoutFlag(cmd, &o.without)
	cmd.Flags().StringArrayVar(&o.with, "with", nil, "try `CHANGE` in a copy first; repeat for more: "+revise.ChangeForms)
	a.must(cmd.RegisterFlagCompletionFunc("with", cobra.NoFileCompletions))
	a.familyFlags(cmd)
	return cmd
}

// drawn draws what is asked for, and writes it.
func (a *app) drawn(o *drawing, args []string) error {
	if _, err := a.families(); err != nil {
		return err
	}
	file := o.file
	if file == "" {
		file = args[0] + ".svg"
	}
	ending := strings.ToLower(filepath.Ext(file))
	if !slices.Contains([]string{".svg", ".png", ".pdf"}, ending) {
		return fmt.Errorf("%s: a picture ends in .svg, .png or .pdf", file)
	}
	if o.text && o.file != "" {
		return errors.New("--text draws here, -w into a file; say one of them")
	}
	if o.text && !slices.Contains(textPictures, args[0]) {
		return fmt.Errorf("letters draw %s only; write a file with -w", forward.And(textPictures))
	}
	before, after, err := a.beforeAndAfter(o)
	if err != nil {
		return err
	}
	if o.text {
		return a.drawnText(after, o, args)
	}
	if before != nil {
		o.pair = []*workspace.Workspace{before, after}
	}
	var sheet *draw.Sheet
	if args[0] == "ports" {
		sheet, err = a.portsSheet(before, after, args[1])
	} else {
		sheet, err = a.sheet(after, o, args)
	}
	if err != nil {
		return err
	}
	if args[0] == "path" && before != nil {
		was, err := a.sheet(before, o, args)
		if err != nil {
			return err
		}
		sheet = draw.Pair("before: "+was.Title+"; after: "+sheet.Title, "left: "+before.Basis+" · right: "+after.Basis, was, sheet)
	}
	var text []byte
	switch ending {
	case ".png":
		text, err = sheet.PNG()
	case ".pdf":
		text, err = sheet.PDF()
	default:
		text = sheet.SVG()
	}
	if err != nil {
		return err
	}
	if err := files.Put(a.at(file), text, a.tell, files.Picture); err != nil {
		return notWritten(file, err)
	}
	fmt.Fprintf(a.out, "%s, in %s: %.0f by %.0f, %s\n", view.Clean(sheet.Title), view.Clean(file), sheet.Width, sheet.Height,
		view.Count(sheet.Crossings, "crossing"))
	return nil
}

// beforeAndAfter is the network as planned and as asked about; before is nil where these are the
// same, or where there is no plan.
func (a *app) beforeAndAfter(o *drawing) (before, after *workspace.Workspace, err error) {
	if after, err = a.usable(); err != nil {
		return nil, nil, err
	}
	if before = after; a.observed != "" {
		found := a.observed
		a.observed = ""
		before, err = a.usable()
		a.observed = found
		if errors.Is(err, errNoPlan) {
			before, err = nil, nil
		}
		if err != nil {
			return nil, nil, err
		}
	}
	if a.observed == "" && len(o.with)+len(o.without) == 0 {
		before = nil
	}
	if after, err = revise.With(after, o.with...); err != nil {
		return nil, nil, err
	}
	if after, err = after.Without(o.without...); err != nil || len(o.without) == 0 {
		return before, after, err
	}
	said := *after
	said.Basis += ", without " + forward.And(o.without)
	return before, &said, nil
}

// drawnText draws with letters.
func (a *app) drawnText(w *workspace.Workspace, o *drawing, args []string) error {
	lines, head := []string(nil), planName(w)+": devices and cables"
	if args[0] == "path" {
		t, title, err := a.pathAsked(w, args[1:])
		if err != nil {
			return err
		}
		head, lines = title, draw.PathText(w.Network, t.Exchange)
	} else {
		who, err := a.drawnDevices(w, args[1:])
		if err != nil {
			return err
		}
		if lines, err = draw.WiresText(w.Network, draw.Asked{Devices: who, Whole: o.whole}); err != nil {
			return err
		}
	}
	fmt.Fprintf(a.out, "%s · %s\n", view.Title(head), view.Clean(w.Basis))
	for _, l := range lines {
		fmt.Fprintln(a.out, view.Clean(l))
	}
	return nil
}

// drawnDevices are the devices that words mean; nil where there are no words. A block means the
// devices of its site.
func (a *app) drawnDevices(w *workspace.Workspace, words []string) ([]model.DeviceID, error) {
	var all []model.DeviceID
	for _, word := range words {
		if b, ok := w.Spec.BlockNamed(word); ok {
			for d, site := range w.Spec.Sites() {
				if site != model.None && (site == b || w.Spec.Within(site, b)) {
					all = append(all, model.DeviceID(d))
				}
			}
			if len(all) > 0 {
				continue
			}
		}
		devices, err := w.DevicesMeant(word)
		if err != nil {
			return nil, err
		}
		all = append(all, devices...)
	}
	return all, nil
}

func planName(w *workspace.Workspace) string { return cmp.Or(w.Spec.Name, w.Document.File.Name) }

// sheet is the picture that is asked for.
func (a *app) sheet(w *workspace.Workspace, o *drawing, args []string) (*draw.Sheet, error) {
	asked := draw.Asked{About: w.Basis, Whole: o.whole}
	asked.Families, _ = a.families()
	name := planName(w)
	var err error
	switch args[0] {
	case "wires", "subnets":
		if asked.Devices, err = a.drawnDevices(w, args[1:]); err != nil {
			return nil, err
		}
		if args[0] == "wires" {
			asked.Title = name + ": devices and cables"
			return draw.Wires(w.Network, asked, nil), nil
		}
		asked.Title = name + ": routers and subnets"
		return draw.Subnets(w.Network, asked), nil
	case "blocks":
		asked.Title, asked.About = name+": address space", "from the plan, each block to a scale of its own"
		return draw.Blocks(w.Spec, asked), nil
	case "vlan":
		v, label, err := vlanNamed(w, args[1])
		if err != nil {
			return nil, err
		}
		asked.Title = fmt.Sprintf("%s: VLAN %d%s", name, v, label)
		return draw.VLAN(w.Network, v, asked), nil
	case "failures":
		asked.Title = name + ": what each cable's failure takes"
		return a.failuresSheet(w, asked)
	}
	t, title, err := a.pathAsked(w, args[1:])
	if err != nil {
		return nil, err
	}
	asked.Title = title
	asked.About += " · there: → and solid lines; back: ← and dashed lines"
	if t.Verdict() != forward.Works {
		remedies, _ := revise.Mend(w, t)
		for _, r := range remedies {
			asked.Remedies = append(asked.Remedies, r.Text)
		}
	}
	for _, other := range o.pair {
		if t, _, err := a.pathAsked(other, args[1:]); err == nil {
			asked.Keep = append(asked.Keep, devicesBy(t)...)
		}
	}
	return draw.Path(w.Network, t.Exchange, asked), nil
}

// devicesBy are the devices that a ping goes by.
func devicesBy(t ask.Trial) []model.DeviceID {
	all := []model.DeviceID{t.Exchange.From}
	for _, g := range append([]*forward.Graph{t.There}, t.Back...) {
		for i := range g.Nodes {
			all = append(all, g.Nodes[i].Device)
		}
	}
	return all
}

// vlanNamed is a VLAN by its number, or by a segment that has it, and all segments that have it: sites may
// use one number each for their own.
func vlanNamed(w *workspace.Workspace, word string) (model.VLAN, string, error) {
	var v model.VLAN
	if s, ok := w.Spec.SegmentNamed(word); ok {
		if v = w.Spec.Segments[s].VLAN; v == 0 {
			return 0, "", fmt.Errorf("the segment %s has no VLAN", word)
		}
	}
	var names []string
	for _, s := range w.Spec.Segments {
		if s.VLAN > 0 && (s.VLAN == v || fmt.Sprint(s.VLAN) == word) {
			v = s.VLAN
			names = append(names, s.Name)
		}
	}
	label := ""
	switch n := len(names); {
	case n > 4:
		label = fmt.Sprintf(", in %d segments: %s and %d more", n, strings.Join(names[:3], ", "), n-3)
	case n > 0:
		label = ", " + forward.And(names)
	}
	if v == 0 {
		return 0, "", fmt.Errorf("there is no VLAN %s; name its number, or its segment", word)
	}
	return v, label, nil
}

// portsSheet draws the front of a device; where it is asked about as found, or with a change, beside what is planned.
func (a *app) portsSheet(before, after *workspace.Workspace, word string) (*draw.Sheet, error) {
	d, err := after.Device(word)
	if err != nil {
		return nil, err
	}
	asked := draw.Asked{Title: "the ports of " + after.Spec.Devices[d].Name, About: after.Basis}
	if before == nil {
		return draw.Ports(after.Network, nil, d, asked), nil
	}
	if d, err = before.Device(word); err != nil {
		return nil, err
	}
	return draw.Ports(before.Network, after.Network, d, asked), nil
}

// failuresSheet draws what each cable's failure takes.
func (a *app) failuresSheet(w *workspace.Workspace, asked draw.Asked) (*draw.Sheet, error) {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	losses, _, err := a.losses(ctx, w, nil)
	if err != nil {
		return nil, err
	}
	asked.About += ", pairs of LANs and loopbacks, in each family"
	return draw.Wires(w.Network, asked, marksOf(losses)), nil
}

// pathAsked is the ping to draw, and what to write above it: of several families the first that
// fails, for that is what one wants to see.
func (a *app) pathAsked(w *workspace.Workspace, words []string) (t ask.Trial, title string, err error) {
	var from ask.Endpoint
	if len(words) == 1 {
		from, err = w.Operator()
	} else {
		from, err = w.Endpoint(words[0])
	}
	if err != nil {
		return t, "", err
	}
	to, err := w.Endpoint(words[len(words)-1])
	if err != nil {
		return t, "", err
	}
	families, err := a.families()
	if err != nil {
		return t, "", err
	}
	trials, passed, err := ask.Pings(w.Network, from, to, families, forward.Probe{})
	if err != nil {
		return t, "", err
	}
	if len(trials) == 0 {
		return t, "", errors.New(strings.Join(passed, "; "))
	}
	t = trials[0]
	for _, x := range trials {
		if x.Verdict() == forward.Fails {
			t = x
			break
		}
	}
	verb := map[forward.Verdict]string{forward.Works: "reaches", forward.Fails: "does not reach"}[t.Verdict()]
	if verb == "" {
		verb = "by some paths only reaches"
	}
	return t, fmt.Sprintf("%s %s %s in %s", from.Text, verb, to.Text, forward.FamilyOf(t.Target)), nil
}
