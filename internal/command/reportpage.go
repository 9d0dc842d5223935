package command

import (
	"bytes"
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

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/report"
	"ropeswing/internal/view"
)

// reporting is what is to be on the page.
type reporting struct {
	file, state string
	site, of    string // whose page it is
}

func (a *app) reportPage() *cobra.Command {
	var o reporting
	cmd := &cobra.Command{
		Use:     "report",
		Short:   "One page to hand over: health, pictures, tables, paths to ask for",
		GroupID: groupLook,
		Long: "Write one HTML file that works from disk, with no network. First is health in one sentence,\nwhat to do, and the network with " +
			"what is wrong marked; then what was promised, what happens\nif something fails, pictures, a sheet for each site, tables of " +
			"everything. Click a cable to\ncut it; name two devices for the predicted path. With --observed also what differs from it,\n" +
			"and the steps to the plan. With --site or --for it is a page for others: only what is theirs,\nand nothing of others is named.",
		Example: "  ropeswing report\n  ropeswing report -w handover.html --observed observed\n  ropeswing report --site mole -w mole.html\n" +
			"  ropeswing report --for cameras -w cameras.html",
		Args:              noArgs,
		ValidArgsFunction: cobra.NoFileCompletions,
		RunE:              func(*cobra.Command, []string) error { return a.reported(&o) },
	}
	cmd.Flags().StringVarP(&o.file, "write", "w", "report.html", "the `FILE` to write, ending in .html")
	cmd.Flags().StringVar(&o.state, "observed", "", "also how the observed state in the folder `STATE` differs, and the steps")
	cmd.Flags().StringVar(&o.site, "site", "", "only what is of the site `SITE`: the devices that most subnets of that block are at")
	cmd.Flags().StringVar(&o.of, "for", "", "only what is of `WHO`, a device, a group, or all on a segment; nothing of others is named")
	a.must(cmd.RegisterFlagCompletionFunc("for", a.completeDevices))
	a.must(cmd.RegisterFlagCompletionFunc("site", a.completeBlocks))
	return cmd
}

// owners are the devices whose page it is; nil is everybody's.
func (o *reporting) owners(w *workspace.Workspace) ([]model.DeviceID, error) {
	switch {
	case o.site != "" && o.of != "":
		return nil, errors.New("--site and --for each say whose page it is: say one of them")
	case o.of != "":
		return w.DevicesMeant(o.of)
	case o.site == "":
		return nil, nil
	}
	var devices []model.DeviceID
	var names []string
	for d, b := range w.Spec.Sites() {
		if b == model.None {
			continue
		}
		name := w.Spec.Blocks[b].Name
		if name == o.site {
			devices = append(devices, model.DeviceID(d))
		}
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	if len(devices) == 0 {
		slices.Sort(names)
		if near, ok := finding.Nearest(o.site, names); ok {
			return nil, fmt.Errorf("there is no site %s; did you mean %s?", o.site, near)
		}
		return nil, fmt.Errorf("there is no site %s; a site is a block that devices have most of their subnets in: %s", o.site,
			cmp.Or(strings.Join(names, ", "), "the plan has none"))
	}
	return devices, nil
}

// reported writes the page.
func (a *app) reported(o *reporting) error {
	if e := strings.ToLower(filepath.Ext(o.file)); e != ".html" && e != ".htm" {
		return fmt.Errorf("%s: a report ends in .html", o.file)
	}
	n, err := a.open()
	if err != nil {
		return err
	}
	if n, err = a.used(n); err != nil {
		return err
	}
	w := a.predict(n)
	devices, err := o.owners(w)
	if err != nil {
		return err
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	p := &pageOf{app: a, reporting: o, w: w, v: a.checkedOf(n, w), devices: devices}
	if devices == nil {
		for d := range w.Spec.Devices {
			p.devices = append(p.devices, model.DeviceID(d))
		}
	} else {
		p.own = report.NewOwn(w.Spec, devices)
		p.v = p.ownFindings(p.v)
	}
	c, err := p.content(ctx)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := report.Write(&b, c); err != nil {
		return err
	}
	if ctx.Err() != nil {
		return errInterrupted
	}
	if err := files.Put(a.at(o.file), b.Bytes(), a.tell, files.Page); err != nil {
		return notWritten(o.file, err)
	}
	fmt.Fprintf(a.out, "%s\nthe report is in %s: %s, %d kB\n", view.Clean(c.Name+": "+c.Headline), view.Clean(o.file),
		view.Count(len(c.Sections), "section"), (b.Len()+999)/1000)
	return nil
}
