package command

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/assign"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
	"ropeswing/internal/wire"
)

// exportOptions say where an export goes.
type exportOptions struct {
	to    string
	write bool
}

// output is one file of an export.
type output struct {
	name string
	text []byte
}

func (a *app) export() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "export FORMAT",
		Short:   "Put the plan out: hosts, zones, CSV, YANG, your gear's language",
		GroupID: groupPlan,
		Long: "Print the plan in another form, or with --to put it into files: without -w it\n" +
			"only says which would change.",
		Example: "  ropeswing export hosts\n  ropeswing export zones --domain skerry.example --server log-server --to zones -w\n  ropeswing " +
			"export csv >addresses.csv\n  ropeswing export template interfaces.tmpl quay-edge\n  ropeswing export form lamps.form quay-edge",
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				return unknownCommand(cmd, args[0])
			}
			return errors.New("export as what? hosts, zones, csv, json, models, form, schema or template")
		},
	}
	cmd.AddCommand(a.exportHosts(), a.exportZones(), a.exportCSV(), a.exportJSON(), a.exportModels(), a.exportForm(), a.exportSchema(),
		a.exportTemplate())
	return cmd
}

// exported is one 'export' command: it reads the plan and makes files of it.
// Whole is what one file holds when it is printed, else all of them are.
func (a *app) exported(use, short, file string, make func(w *workspace.Numbers, args []string) ([]output, error)) *cobra.Command {
	var o exportOptions
	cmd := &cobra.Command{
		Use: use, Short: short, ValidArgsFunction: a.completeDevices,
		RunE: func(cmd *cobra.Command, args []string) error {
			found, err := a.find()
			if err != nil {
				return err
			}
			w, err := a.used(workspace.Open(found.FS, found.Name, found.Shown))
			if err != nil {
				return err
			}
			if w.Spec.Wants != nil {
				w = &a.predict(w).Numbers // the routes that are derived go with the others
			}
			all, err := make(w, args)
			if err != nil {
				return err
			}
			if a.ledger != nil && o.write && o.to != "" { // before what it counts: no number stands for two things
				if err := a.keepLedger(found, ledgerChange(found, w.Ledger, a.ledger)); err != nil {
					return err
				}
			}
			return a.put(all, o)
		},
	}
	cmd.Flags().StringVar(&o.to, "to", "", "put it into `"+file+"` instead of printing it")
	cmd.Flags().BoolVarP(&o.write, "write", "w", false, "with --to: write; without, only say what would change")
	return cmd
}

// keepLedger writes a plan's ledger, where it is another.
func (a *app) keepLedger(found files.Found, c files.Change) error {
	if bytes.Equal(c.Was, c.Text) {
		return nil
	}
	writer, err := files.NewWriter(filepath.Dir(found.Path), a.tell)
	if err != nil {
		return notWritten("the ledger", err)
	}
	defer writer.Close()
	if err := writer.Commit(c); err != nil {
		return notWritten("the ledger", err)
	}
	return nil
}

// put prints what was made, or writes it where it is to go. A single output
// without a name of its own goes into the very file named.
func (a *app) put(all []output, o exportOptions) error {
	if o.to == "" {
		if o.write {
			return errors.New("-w writes to a place named with --to; name one")
		}
		for _, x := range all {
			view.Raw(a.out, x.text)
		}
		return nil
	}
	if !o.write {
		return a.compareOutputs(all, o.to)
	}
	folder := a.at(o.to)
	if len(all) == 1 && all[0].name == "" {
		folder = filepath.Dir(folder)
	}
	if err := os.MkdirAll(folder, 0o777); err != nil { // as the umask says
		return notWritten(o.to, err)
	}
	writer, err := files.NewWriter(folder, a.tell)
	if err != nil {
		return notWritten(o.to, err)
	}
	defer writer.Close()
	var changes []files.Change
	states := make([]string, len(all))
	for i, x := range all {
		path := filepath.Join(o.to, x.name)
		c, err := files.Replacing(a.at(path), x.text, files.Other)
		if err != nil {
			return notWritten(path, err)
		}
		if states[i] = stateOf(c); states[i] != "as it is" {
			changes = append(changes, c)
		}
	}
	if len(changes) > 0 {
		if err := writer.Commit(changes...); err != nil {
			return notWritten(o.to, err)
		}
	}
	for i, x := range all {
		view.FileText(a.out, filepath.Join(o.to, x.name), states[i])
	}
	return nil
}

// compareOutputs says how files stand, and writes none.
func (a *app) compareOutputs(all []output, to string) error {
	changed, folder := false, a.at(to)
	if len(all) == 1 && all[0].name == "" {
		folder = filepath.Dir(folder)
	}
	if err := files.Settle(folder, a.tell); err != nil {
		return err
	}
	for _, x := range all {
		path := filepath.Join(to, x.name)
		c, err := files.Replacing(a.at(path), x.text, files.Other)
		if err != nil {
			return notWritten(path, err)
		}
		state := stateOf(c)
		changed = changed || state != "as it is"
		view.FileText(a.out, path, state)
	}
	if changed {
		fmt.Fprintln(a.out, "nothing is written yet; the same with -w writes")
	}
	return nil
}

// stateOf says how a file stands to what is to be written.
func stateOf(c files.Change) string {
	switch {
	case !c.There:
		return "new"
	case bytes.Equal(c.Was, c.Text):
		return "as it is"
	}
	return "changed"
}

func (a *app) exportHosts() *cobra.Command {
	domain := ""
	cmd := a.exported("hosts", "A hosts file: every address with its name", "FILE",
		func(w *workspace.Numbers, args []string) ([]output, error) {
			all, err := a.names(w)
			if err != nil {
				return nil, err
			}
			if domain != "" {
				if err := wire.CheckDomain(domain); err != nil {
					return nil, err
				}
			}
			var b bytes.Buffer
			wire.Hosts(&b, all, domain)
			return []output{{"", b.Bytes()}}, nothingElse("hosts", args)
		})
	cmd.Flags().StringVar(&domain, "domain", "", "the `DOMAIN` the names are in")
	return cmd
}

func (a *app) exportZones() *cobra.Command {
	var o wire.ZoneOptions
	cmd := a.exported("zones", "DNS zones, forward and reverse (RFC 1035)", "FOLDER",
		func(w *workspace.Numbers, args []string) ([]output, error) {
			if o.Domain == "" || o.Server == "" {
				return nil, errors.New("name the domain and its name server: ropeswing export zones --domain skerry.example --server log-server")
			}
			all, err := a.names(w)
			if err != nil {
				return nil, err
			}
			if o.Serial == 0 {
				a.ledger = assign.WithSerials(w.Ledger)
				o.SerialOf = func(zone string, text []byte) uint32 { return a.ledger.Numbered(zone, text, today()) }
			}
			zones, err := wire.Zones(w.Spec, all, o)
			if err != nil {
				return nil, err
			}
			var outputs []output
			for _, z := range zones {
				outputs = append(outputs, output{strings.ReplaceAll(z.Name, "/", "-") + ".zone", z.Text})
			}
			return outputs, nothingElse("zones", args)
		})
	cmd.Flags().StringVar(&o.Domain, "domain", "", "the `DOMAIN` of the forward zone")
	cmd.Flags().StringVar(&o.Server, "server", "", "the name `SERVER` of the zones: a device of the plan, or a name in full")
	cmd.Flags().StringVar(&o.Mail, "mail", "", "the hostmaster's `ADDRESS`; hostmaster of the domain unless set")
	cmd.Flags().Uint32Var(&o.Serial, "serial", 0,
		"the zones' serial `NUMBER`; else each has one of its own, by day and number, which the ledger keeps with -w, and which counts "+
			"where the zone has changed")
	cmd.Flags().Uint32Var(&o.TTL, "ttl", 3600, "how many `SECONDS` an answer may be kept")
	return cmd
}

// nothingElse is the error of naming something that an export does not take.
func nothingElse(what string, args []string) error {
	if len(args) > 0 {
		return fmt.Errorf("ropeswing export %s takes nothing behind it, and %q is", what, args[0])
	}
	return nil
}

func (a *app) exportCSV() *cobra.Command {
	return a.exported("csv [DEVICE…]", "Every address with its interface, mask and gateway, as CSV", "FILE",
		func(w *workspace.Numbers, args []string) ([]output, error) {
			devices, err := devicesNamed(w.Who, args)
			if err != nil {
				return nil, err
			}
			var b bytes.Buffer
			err = view.ExportedTable(view.NewExported(w.Spec, devices)).CSV(&b)
			return []output{{"", b.Bytes()}}, err
		})
}

func (a *app) exportJSON() *cobra.Command {
	return a.exported("json [DEVICE…]", "Every device with all that the plan says of it, as JSON", "FILE",
		func(w *workspace.Numbers, args []string) ([]output, error) {
			devices, err := devicesNamed(w.Who, args)
			if err != nil {
				return nil, err
			}
			var b bytes.Buffer
			err = view.JSON(&b, view.NewExported(w.Spec, devices))
			return []output{{"", b.Bytes()}}, err
		})
}

func (a *app) exportTemplate() *cobra.Command {
	whole := false
	cmd := a.exported("template FILE [DEVICE…]", "Through a template of your own, one file a device", "FOLDER",
		func(w *workspace.Numbers, args []string) ([]output, error) {
			if len(args) == 0 {
				return nil, errors.New("name the template: ropeswing export template FILE [DEVICE…]")
			}
			if whole {
				if len(args) > 1 {
					return nil, errors.New("--whole makes one text of all: it goes with no device")
				}
				name := w.Document.Name.Value
				return a.filled(args[0], []filling{{cmp.Or(name, "plan"), "the plan", view.NewExportedPlan(name, w.Spec)}})
			}
			devices, err := devicesNamed(w.Who, args[1:])
			if err != nil {
				return nil, err
			}
			var all []filling
			for _, x := range view.NewExported(w.Spec, devices) {
				all = append(all, filling{x.Device, x.Device, x})
			}
			return a.filled(args[0], all)
		})
	cmd.Long = "Fill a template (Go's text/template) once for each device. It is given what\n" +
		"'export json' prints of the device, by the same keys: {{.device}}, or\n" +
		"{{range .interfaces}}{{.interface}}{{end}}. Beside the usual functions there are\n" +
		"join, lower, upper and replace. A file is called by its device, with what the\n" +
		"template's name has behind its first dot, but for '.tmpl'."
	cmd.Flags().BoolVar(&whole, "whole", false, "fill it once for the whole plan: {{.plan}}, {{range .devices}}, .segments and .cables")
	cmd.ValidArgsFunction = func(c *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
		if len(args) == 0 {
			return nil, cobra.ShellCompDirectiveDefault
		}
		return a.completeDevices(c, args, word)
	}
	return cmd
}

// largestTemplate is how large a template may be, in bytes.
const largestTemplate = 16 << 20

// filling is what a template is given, and the name of the file that comes of it.
type filling struct {
	file, device string
	data         any
}

// filled is a template filled with each.
func (a *app) filled(path string, fillings []filling) ([]output, error) {
	file, err := a.opened(path)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	text, err := io.ReadAll(io.LimitReader(file, largestTemplate))
	if err != nil {
		return nil, fmt.Errorf("cannot read %s: %w", path, errors.Unwrap(err))
	}
	t, err := view.NewTextTemplate(filepath.Base(path), string(text))
	if err != nil {
		return nil, err
	}
	_, ending, _ := strings.Cut(strings.TrimSuffix(filepath.Base(path), ".tmpl"), ".")
	if ending != "" {
		ending = "." + ending
	}
	var all []output
	for _, x := range fillings {
		filled, err := t.Fill(x.device, x.data)
		if err != nil {
			return nil, err
		}
		name := x.file + ending
		if !filepath.IsLocal(name) || name == "." || strings.ContainsAny(name, `/\`) {
			return nil, fmt.Errorf("%s makes no name for a file", x.file)
		}
		all = append(all, output{name, filled})
	}
	return all, nil
}

// names are the addresses of the plan with their names, and says whose are left out.
func (a *app) names(w *workspace.Numbers) ([]wire.Named, error) {
	all, likely, err := wire.Names(w.Spec)
	if len(likely) > 0 {
		a.tell("left out, since they are leased or made of what is advertised, and so only likely: addresses of " + view.Some(likely, 12))
	}
	return all, err
}
