package command

import (
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
	"ropeswing/core/reach"
	"ropeswing/core/workspace"
	"ropeswing/internal/draw"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// drawing is the options of a picture.
type drawing struct {
	file    string
	without []string
}

// pictures are what can be drawn, with what each shows.
var pictures = []struct{ name, operands, about string }{
	{"wires", "", "devices and cables, with the ports at both ends"},
	{"subnets", "", "routers and the subnets between them, with each one's address there"},
	{"path", "[FROM] TO", "one ping, there and back, each hop with its longest match"},
	{"failures", "", "each cable by what its failure takes from LANs"},
	{"blocks", "", "address space as a map to scale"},
	{"vlan", "NAME", "the switches and cables that carry a VLAN"},
}

func (a *app) draw() *cobra.Command {
	var o drawing
	var names []string
	long := "Draw the network, as SVG, PNG or PDF by the ending of the file:\n"
	for _, p := range pictures {
		names = append(names, p.name)
		long += fmt.Sprintf("  %-16s %s\n", strings.TrimSpace(p.name+" "+p.operands), p.about)
	}
	cmd := &cobra.Command{
		Use:     "draw PICTURE [WORD…]",
		Short:   "A picture: wires, subnets, a path, failures, blocks, a VLAN",
		GroupID: groupLook,
		Long:    strings.TrimRight(long, "\n"),
		Example: "  ropeswing draw subnets\n  ropeswing draw path desk-7 tern-cam --without beam-b -w path.png\n  ropeswing draw failures -w failures.pdf\n  ropeswing draw vlan 110",
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
			most := map[string][2]int{"path": {1, 2}, "vlan": {1, 1}}[args[0]]
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
			return nil, noFiles
		},
		RunE: func(_ *cobra.Command, args []string) error { return a.drawn(&o, args) },
	}
	cmd.Flags().StringVarP(&o.file, "write", "w", "", "the `FILE` to write, ending in .svg, .png or .pdf; PICTURE.svg unless said")
	a.withoutFlag(cmd, &o.without)
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
	w, err := a.usable()
	if err != nil {
		return err
	}
	if w, err = w.Without(o.without...); err != nil {
		return err
	}
	sheet, err := a.sheet(w, o, args)
	if err != nil {
		return err
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
	fmt.Fprintf(a.out, "%s, in %s: %.0f by %.0f, %s\n", view.Clean(sheet.Title), view.Clean(file), sheet.Width, sheet.Height, view.Count(sheet.Crossings, "crossing"))
	return nil
}

// sheet is the picture that is asked for.
func (a *app) sheet(w *workspace.Workspace, o *drawing, args []string) (*draw.Sheet, error) {
	name := w.Spec.Name
	if name == "" {
		name = w.Document.File.Name
	}
	about := w.Basis
	if len(o.without) > 0 {
		about += ", without " + forward.And(o.without)
	}
	switch args[0] {
	case "wires":
		return draw.Wires(w.Network, name+": devices and cables", about, nil), nil
	case "subnets":
		return draw.Subnets(w.Network, name+": routers and subnets", about, !a.only6, !a.only4), nil
	case "blocks":
		return draw.Blocks(w.Spec, name+": address space", "from the plan, each block to a scale of its own"), nil
	case "vlan":
		v, label, err := vlanNamed(w, args[1])
		if err != nil {
			return nil, err
		}
		return draw.VLAN(w.Network, v, fmt.Sprintf("%s: VLAN %d%s", name, v, label), about), nil
	case "failures":
		return a.failuresSheet(w, name, about)
	}
	return a.pathSheet(w, about, args[1:])
}

// vlanNamed is a VLAN by its number, or by the segment that has it.
func vlanNamed(w *workspace.Workspace, word string) (model.VLAN, string, error) {
	if s, ok := w.Spec.SegmentNamed(word); ok {
		if w.Spec.Segments[s].VLAN == 0 {
			return 0, "", fmt.Errorf("the segment %s has no VLAN", word)
		}
		return w.Spec.Segments[s].VLAN, ", " + word, nil
	}
	for s := range w.Spec.Segments {
		if v := w.Spec.Segments[s].VLAN; v > 0 && fmt.Sprint(v) == word {
			return v, ", " + w.Spec.Segments[s].Name, nil
		}
	}
	return 0, "", fmt.Errorf("there is no VLAN %s; name its number, or its segment", word)
}

// failuresSheet draws what each cable's failure takes.
func (a *app) failuresSheet(w *workspace.Workspace, name, about string) (*draw.Sheet, error) {
	q := question{over: model.Echo}
	if err := q.find(w, 0); err != nil {
		return nil, err
	}
	cables := reach.Cables(w.Spec)
	marks := map[model.CableID]draw.Mark{}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	done := 0
	err := reach.Sweep(ctx, w.Network, reach.Asked{Ends: q.ends, Over: q.over}, reach.Together(cables, 1), func(l reach.Loss) {
		m := draw.Mark{Text: "nothing is lost", Class: draw.Good}
		if l.Lost > 0 {
			m = draw.Mark{Text: fmt.Sprintf("takes %s", view.Count(l.Lost, "pair")), Class: draw.Bad}
			if l.Cannot == l.Lost {
				m.Text += ": no way round"
			}
		}
		marks[l.Failures[0].Cable] = m
		done++
		a.progress(done, len(cables))
	})
	if err != nil {
		return nil, errInterrupted
	}
	return draw.Wires(w.Network, name+": what each cable's failure takes", about+", pairs of LANs and loopbacks, in each family", marks), nil
}

// pathSheet draws one ping.
func (a *app) pathSheet(w *workspace.Workspace, about string, words []string) (*draw.Sheet, error) {
	var from ask.Endpoint
	var err error
	if len(words) == 1 {
		from, err = w.Operator()
	} else {
		from, err = w.Endpoint(words[0])
	}
	if err != nil {
		return nil, err
	}
	to, err := w.Endpoint(words[len(words)-1])
	if err != nil {
		return nil, err
	}
	families, err := a.families()
	if err != nil {
		return nil, err
	}
	trials, passed, err := ask.Pings(w.Network, from, to, families, forward.Probe{})
	if err != nil {
		return nil, err
	}
	if len(trials) == 0 {
		return nil, errors.New(strings.Join(passed, "; "))
	}
	t := trials[0]
	for _, x := range trials { // what fails is what one wants to see
		if x.Verdict() == forward.Fails {
			t = x
			break
		}
	}
	verb := map[forward.Verdict]string{forward.Works: "reaches", forward.Fails: "does not reach"}[t.Verdict()]
	if verb == "" {
		verb = "by some paths only reaches"
	}
	return draw.Path(w.Network, t.Exchange, fmt.Sprintf("%s %s %s in %s", from.Text, verb, to.Text, forward.FamilyOf(t.Target)), about+" · there: → and solid lines; back: ← and dashed lines"), nil
}
