package command

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/demo"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// tour is the commands the demo runs, each with a word on what it is for.
var tour = []struct {
	about string
	args  []string
}{
	{"Is anything wrong in the plan?", []string{"check"}},
	{"What is there?", []string{"show", "devices"}},
	{"Where does a number come from?", []string{"why", "quay-staff"}},
	{"Does the operator's laptop reach the camera on the rock, and by which path?", []string{"ping", "tern-cam"}},
	{"What would traceroute show?", []string{"trace", "tern-cam"}},
	{"Nobody wrote a route. What did Rope Swing derive for the edge?", []string{"show", "routes", "--derived", "quay-edge", "-4"}},
	{"And with the beam behind the mole out of order, which the edge cannot see?",
		[]string{"ping", "desk-7", "tern-cam", "--without", "beam-b", "-4"}},
	{"And with every cable in turn?", []string{"reach", "--failures", "1"}},
	{"The log server is known by another address out there. What does the edge make of a ping to it?",
		[]string{"ping", "fibre-carrier", "198.51.100.35"}},
	{"Visitors may not get at the desks. Which sentence says so, and how could they?", []string{"ping", "tablet", "desk-7", "-4"}},
	{"The same network on a bad morning. What can be seen from the plan alone?", []string{"check", "-p", demo.BadMorning}},
	{"The camera does not answer. Why, and what would mend it?", []string{"ping", "tern-cam", "-p", demo.BadMorning}},
	{"What the devices said that morning, in five formats, is read and kept.", []string{"observe", demo.Seen, "-w", "bad-morning/observed"}},
	{"What of it is not as planned, what slip was it, and what does it break?", []string{"compare", "bad-morning/observed"}},
	{"In which order is it mended, so that nobody is cut off?", []string{"steps", "bad-morning/observed"}},
	{"On moving day a management subnet and a carrier move. What is done on the switch, and when?",
		[]string{"steps", demo.Plan, "-p", demo.MovingDay, "--device", "quay-sw1"}},
	{"The switches print a language of their own. What does one text and the plan teach of it?",
		[]string{"learn", "texts/quay-core.txt", "--to", "lamps.form", "-w"}},
	{"The text of another device, which was not learnt from, is read by that.",
		[]string{"observe", "texts/quay-edge.txt", "--form", "lamps.form", "-w", "as-printed"}},
}

func (a *app) demo() *cobra.Command {
	dir := "skerry-lights"
	cmd := &cobra.Command{
		Use:     "demo",
		Short:   "Write the Skerry Lights example to a new folder and tour it",
		GroupID: groupOther,
		Args:    noArgs,
		Example: "  ropeswing demo\n  ropeswing demo --dir /tmp/lights",
		RunE: func(cmd *cobra.Command, args []string) error {
			full := dir
			if !filepath.IsAbs(dir) {
				full = filepath.Join(a.dir, dir)
			}
			switch err := files.WriteFolder(full, demo.Files()); {
			case errors.Is(err, fs.ErrExist):
				return fmt.Errorf("%s exists already and is left alone; name a new folder: ropeswing demo --dir FOLDER", dir)
			case err != nil:
				return fmt.Errorf("cannot write the demo: %w", err)
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt)
			defer stop()
			return a.tour(ctx, dir, full)
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	cmd.Flags().StringVar(&dir, "dir", dir, "the new `FOLDER` to write to")
	return cmd
}

// liveTour are the last ones: the devices are there, as stand-ins.
var liveTour = []struct {
	about string
	args  []string
}{
	{"Stand-ins of the devices run on this machine now, as they were that morning. What do they say themselves?",
		[]string{"observe", "--live", "-w", "this-morning"}},
	{"And how is that not as planned?", []string{"compare", "--live"}},
	{"They are told, step by step; each change is confirmed only when it is as it should be.", []string{"push", "-w", "--yes"}},
	{"They are asked again.", []string{"compare", "--live"}},
}

// tour runs the commands in the folder as a user would. A command that finds
// something wrong is part of the show; one that cannot run is not.
func (a *app) tour(ctx context.Context, dir, full string) error {
	fmt.Fprintf(a.out, "Skerry Lights, an invented network, is now in %s:\n  %s   as planned\n  %s   as found on a bad morning\n  %s   "+
		"after moving day\n", view.Clean(dir), demo.Plan, demo.BadMorning, demo.MovingDay)
	inside := func() *app {
		return &app{out: a.out, raw: a.raw, in: strings.NewReader(""), err: a.err, dir: full, width: a.width,
			getenv: func(string) string { return "" }}
	}
	show := func(about string, args, hidden []string) error {
		fmt.Fprintf(a.out, "\n%s\n%s\n\n", view.Title(about), view.Prompt("ropeswing "+strings.Join(args, " ")))
		a.flush()
		if code := inside().run(append(args, hidden...)); code > ExitWrong {
			return errSaid
		}
		return nil
	}
	for _, step := range tour {
		if err := show(step.about, step.args, nil); err != nil {
			return err
		}
	}
	access, end, err := inside().standInsOf(ctx, "bad-morning/observed")
	if err != nil {
		return err
	}
	defer end()
	for _, step := range liveTour {
		if err := show(step.about, step.args, []string{"--access", access}); err != nil {
			return err
		}
	}
	fmt.Fprintf(a.out, "\n%s\n  cd %s\n  %s\n", view.Title("The files are yours to play with. Mend the bad morning, for a start:"),
		view.ShellWord(dir), "ropeswing check -p "+demo.BadMorning)
	if _, err := exec.LookPath("ropeswing"); err != nil {
		fmt.Fprintln(a.out, "\n'ropeswing' is not on your path yet: build it with 'go build ./cmd/ropeswing' and put it there.")
	}
	return nil
}
