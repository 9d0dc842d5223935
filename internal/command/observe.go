package command

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"ropeswing/core/observed"
	"ropeswing/core/parallel"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
	"ropeswing/internal/wire"
)

// observation is the options of reading what devices say.
type observation struct {
	device, format, mapFile, form, try, write, taken string
	unread, saved, here                              bool
	asking
}

func (a *app) observe() *cobra.Command {
	var o observation
	cmd := &cobra.Command{
		Use:     "observe FILE… | --live [WHO…]",
		Short:   "Read what devices say of themselves, and keep it as a state",
		GroupID: groupReal,
		Long: "Read show output and other lists of interfaces, addresses, routes and neighbours.\n" +
			"The format is recognised by the content: RFC 7951 JSON, NETCONF-style XML, Linux's\n" +
			"lists (JSON or plain), CSV with a heading; any other text by a form ('learn'), or a\n" +
			"column map.\n" +
			"Whose it is, is said by the file, by --device, or by the file's name up to its\n" +
			"first dot. A text beside which a form or map of its name lies (lamps.form for\n" +
			"lamps.txt) is read by that. A folder stands for the files in it. With -w DIR\n" +
			"it is kept there, one file a device.",
		Example: "  ropeswing observe mole-rtr.addr.json mole-rtr.route.json -w observed\n  ropeswing observe texts/quay-core.txt --form " +
			"lamps.form\n  ropeswing observe --try lamps.form texts/quay-core.txt\n  ropeswing observe --here -w observed\n  ropeswing " +
			"observe --live -w observed\n  ropeswing observe --live quay-edge --every 5m",
		Args: func(cmd *cobra.Command, args []string) error {
			switch {
			case o.on && (o.here || o.try != "" || o.mapFile != "" || o.form != "" || o.format != "" || o.taken != "" || o.saved ||
				o.device != ""):
				return errors.New("--live asks devices: it goes with --access, --every, --trust-new, --together, --unread and -w only")
			case o.every != 0 && (!o.on || o.every < time.Second):
				return errors.New("--every is how often to ask again, a second or more, with --live: --every 5m")
			case o.on:
				return nil
			case o.here && len(args) > 0:
				return errors.New("--here is this machine itself, and takes no files")
			case o.here && (o.try != "" || o.mapFile != "" || o.form != "" || o.format != "" || o.taken != "" || o.saved):
				return errors.New("--here goes with --device, --unread and -w only")
			case len(args) == 0 && !o.here:
				return errors.New("observe what? name the files: ropeswing observe mole-rtr.addr.json -w observed")
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			switch {
			case o.on:
				return a.observeLive(&o, args)
			case o.here:
				return a.observeHere(&o)
			}
			return a.observeFiles(&o, args)
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.device, "device", "", "the `DEVICE`, where the files do not say it")
	f.StringVar(&o.format, "as", "", "the `FORMAT`: "+strings.Join(wire.Formats, ", ")+"; recognised by the content unless said")
	f.StringVar(&o.mapFile, "map", "", "read text tables by the column map `FILE`")
	f.StringVar(&o.form, "form", "", "read texts by the form `FILE`, as 'learn' makes them")
	f.StringVar(&o.try, "try", "", "show what the form or column map `FILE` makes of the files, value by value")
	f.StringVarP(&o.write, "write", "w", "", "keep it in the folder `DIR`")
	f.StringVar(&o.taken, "taken", "", "when it was taken, as `TIME` such as 2026-11-23T03:10:00Z; the file's own time unless said")
	f.BoolVar(&o.here, "here", false, "this machine itself, as its system tells")
	f.BoolVar(&o.unread, "unread", false, "show what was not understood, line by line")
	f.BoolVar(&o.saved, "saved", false, "it is the saved configuration, not what runs; kept beside that")
	a.askingFlags(cmd, &o.asking)
	f.DurationVar(&o.every, "every", 0, "with --live: ask again every `TIME`, such as 5m, and tell only what changed")
	a.must(cmd.RegisterFlagCompletionFunc("device", a.completeDevices))
	a.must(cmd.RegisterFlagCompletionFunc("as", cobra.FixedCompletions(wire.Formats, cobra.ShellCompDirectiveNoFileComp)))
	a.wideFlag(cmd)
	a.formatFlags(cmd)
	return cmd
}

// notRead counts what was not understood, and keeps the lines where they are asked for.
func notRead(v *view.Observation, unread []wire.Unread, lines bool) {
	v.Unread = len(unread)
	for _, u := range unread {
		if lines {
			v.Lines = append(v.Lines, view.NotRead{Line: u.Line, Text: u.Text, Why: u.Why})
		}
	}
}

// observeHere asks this machine itself.
func (a *app) observeHere(o *observation) error {
	device := o.device
	if device == "" {
		device = a.ownName()
	}
	r, err := wire.ReadHere(device)
	if err != nil {
		return notAsked{err}
	}
	d := r.Devices[0]
	d.Sources = []observed.Source{{File: "this machine", Format: r.Format, Taken: time.Now().UTC().Format(time.RFC3339)}}
	v := view.NewObservation("this machine", r.Format, d)
	notRead(&v, r.Unread, o.unread)
	return a.tellObserved(o, []view.Observation{v}, r.Devices)
}

// observeFiles reads the files, tells what was understood, and keeps it.
func (a *app) observeFiles(o *observation, args []string) error {
	var m wire.TextReader
	if path := cmp.Or(o.try, o.form, o.mapFile); path != "" {
		text, err := a.readFile(path)
		if err != nil {
			return err
		}
		if m, err = a.textReader(path, text); err != nil {
			return fmt.Errorf("%s: %w", path, err)
		}
	}
	if o.taken != "" {
		if _, err := time.Parse(time.RFC3339, o.taken); err != nil {
			return fmt.Errorf("--taken is a time such as 2026-11-23T03:10:00Z, not %s", o.taken)
		}
	}
	args, inFolder, err := a.filesOf(args)
	if err != nil {
		return err
	}
	unread := 0 // files of folders
	by := map[string]*observed.Device{}
	var all []*observed.Device
	from := map[string]string{} // which file told of a device's interfaces
	list := []view.Observation{}
	cells := []view.MapCell{}
	readings, errs := a.readAll(o, m, args)
	for n, arg := range args {
		r, err := readings[n], errs[n]
		if err != nil && inFolder[arg] && unread < len(args)-1 { // the others tell of theirs
			unread++
			a.tell(fmt.Sprintf("%s is not read: %s", arg, err))
			continue
		}
		if err != nil {
			return fmt.Errorf("%s: %w", arg, err)
		}
		for _, c := range r.Cells {
			cells = append(cells, view.MapCell{Line: c.Line, Device: c.Device, Row: c.Row, Field: c.Field, Text: c.Text, Taken: c.MadeInto})
		}
		for i, d := range r.Devices {
			v := view.NewObservation(arg, r.Format, d)
			if i == 0 {
				notRead(&v, r.Unread, o.unread || o.try != "")
			}
			list = append(list, v)
			if err := claims(from, by, d, arg); err != nil {
				return err
			}
			if before, ok := by[d.Name]; ok {
				before.Merge(d)
			} else {
				by[d.Name], all = d, append(all, d)
			}
		}
	}
	if o.try != "" {
		return a.print(cells, view.MapCells(cells), func() {
			view.MapCells(cells).Text(a.out, a.width, "", a.wide)
			view.UnreadText(a.out, list, a.width)
		})
	}
	if err := a.tellObserved(o, list, all); err != nil {
		return err
	}
	if unread > 0 {
		a.tell(view.Count(unread, "file") + " of " + fmt.Sprint(len(args)) + " could not be read; see above")
		return errWrong
	}
	return nil
}

// tellObserved tells what was understood, and keeps it where that is asked for.
func (a *app) tellObserved(o *observation, list []view.Observation, all []*observed.Device) error {
	if err := a.print(list, view.Observations(list), func() {
		view.Observations(list).Text(a.out, a.width, "", a.wide)
		view.UnreadText(a.out, list, a.width)
	}); err != nil {
		return err
	}
	if o.write == "" {
		fmt.Fprintln(a.err, "nothing is kept; -w DIR keeps it")
		return nil
	}
	return a.keep(o.write, all)
}

// besideEndings are what a column map, or a form, beside its text is called by.
var besideEndings = []string{".map.yaml", ".form"}

// textReader reads a form, a column map, or a gear file, which may name a form.
func (a *app) textReader(path string, text []byte) (wire.TextReader, error) {
	g, err := wire.ReadGear(text, func(form string) ([]byte, error) { return a.readFile(filepath.Join(filepath.Dir(path), form)) })
	if err != nil {
		return nil, err
	}
	return g, nil
}

// filesOf puts the files in folders that are named in their place, and tells which these
// are.
func (a *app) filesOf(args []string) (all []string, inFolder map[string]bool, err error) {
	inFolder = map[string]bool{}
	for _, arg := range args {
		entries, err := os.ReadDir(a.at(arg))
		if err != nil { // no folder
			all = append(all, arg)
			continue
		}
		for _, e := range entries {
			if !e.IsDir() && !strings.HasPrefix(e.Name(), ".") &&
				!slices.ContainsFunc(besideEndings, func(s string) bool { return strings.HasSuffix(e.Name(), s) }) {
				all = append(all, filepath.Join(arg, e.Name()))
				inFolder[all[len(all)-1]] = true
			}
		}
	}
	if len(all) == 0 {
		return nil, nil, errors.New("there is no file in it")
	}
	return all, inFolder, nil
}

// claims sees to it that two files that both say which interfaces a device has speak
// of one device: they have to share some.
func claims(from map[string]string, by map[string]*observed.Device, d *observed.Device, file string) error {
	if !d.Knows(observed.Interfaces) || len(d.Interfaces) == 0 {
		return nil
	}
	if other := from[d.Name]; by[d.Name] != nil && other != "" && other != file {
		known := map[string]bool{}
		for _, i := range by[d.Name].Interfaces {
			known[i.Name] = true
		}
		if !slices.ContainsFunc(d.Interfaces, func(i observed.Interface) bool { return known[i.Name] }) {
			return fmt.Errorf("%s and %s both say that they are %s, and have no interface in common; name one with --device", other, file, d.Name)
		}
	}
	from[d.Name] = file
	return nil
}

// readFile reads a file named on the command line.
func (a *app) readFile(path string) ([]byte, error) {
	text, err := files.ReadWhole(a.at(path), wire.LargestObserved)
	if err != nil {
		var cause *os.PathError
		if errors.As(err, &cause) {
			err = cause.Err
		}
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return text, nil
}

// readAll reads files beside one another; each has its reading or its error.
func (a *app) readAll(o *observation, m wire.TextReader, paths []string) ([]*wire.Reading, []error) {
	readings, errs := make([]*wire.Reading, len(paths)), make([]error, len(paths))
	parallel.Each(len(paths), func(n int) { readings[n], errs[n] = a.readObserved(o, m, paths[n]) })
	return readings, errs
}

// readObserved reads one file.
func (a *app) readObserved(o *observation, m wire.TextReader, path string) (*wire.Reading, error) {
	text, err := a.readFile(path)
	if err != nil {
		return nil, errors.Unwrap(err)
	}
	device := o.device
	if device == "" {
		device, _, _ = strings.Cut(filepath.Base(path), ".")
	}
	var r *wire.Reading
	if m == nil && o.format == "" {
		for _, ending := range besideEndings {
			beside := strings.TrimSuffix(path, filepath.Ext(path)) + ending
			if text, err := a.readFile(beside); err == nil && beside != path {
				if m, err = a.textReader(beside, text); err != nil {
					return nil, fmt.Errorf("%s beside it: %w", beside, err)
				}
				break
			}
		}
	}
	if m != nil {
		r, err = m.ReadText(text, device)
	} else {
		r, err = wire.Read(text, o.format, device)
	}
	if errors.Is(err, wire.ErrEmpty) { // the file's name may say of what
		if parts := strings.Split(filepath.Base(path), "."); len(parts) > 2 {
			if empty, ok := wire.Empty(device, parts[len(parts)-2]); ok {
				r, err = empty, nil
			}
		}
		if err != nil {
			err = fmt.Errorf("%w; a file called %s.route.json says it: addr, link, route or neigh", err, device)
		}
	}
	if err != nil {
		return nil, err
	}
	taken := o.taken
	if taken == "" {
		info, err := os.Stat(a.at(path))
		if err != nil {
			return nil, fmt.Errorf("it is not known when it was taken: %w", errors.Unwrap(err))
		}
		taken = info.ModTime().UTC().Format(time.RFC3339)
	}
	for _, d := range r.Devices {
		if len(d.Sources) == 0 {
			d.Sources = []observed.Source{{File: filepath.Base(path), Format: r.Format, Taken: taken, Saved: o.saved}}
		}
	}
	return r, nil
}

// keepQuietly puts devices into a state's folder, beside what it has of them.
func (a *app) keepQuietly(dir string, all []*observed.Device) error {
	full := a.at(dir)
	if err := os.MkdirAll(full, 0o777); err != nil { // as the umask says
		return fmt.Errorf("%s: it cannot be made a folder", dir)
	}
	writer, err := files.NewWriter(full, a.tell)
	if err != nil {
		return notWritten(dir, err)
	}
	defer writer.Close()
	changes := make([]files.Change, len(all))
	for i, d := range all {
		name := d.Name + ".json"
		if d.Saved() {
			name = filepath.Join(workspace.SavedFolder, name)
			if err := os.MkdirAll(filepath.Join(full, workspace.SavedFolder), 0o777); err != nil {
				return fmt.Errorf("%s: it cannot be made a folder", filepath.Join(dir, workspace.SavedFolder))
			}
		}
		c, err := files.Replacing(filepath.Join(full, name), nil, files.StateFile)
		if err != nil {
			return notWritten(filepath.Join(dir, name), err)
		}
		if c.There && len(c.Was) > 0 {
			before, err := observed.Decode(c.Was)
			if err != nil {
				return fmt.Errorf("%s: %w", filepath.Join(dir, name), err)
			}
			if !d.Renews(before) {
				before.Merge(d)
				d = before
			}
		}
		all[i], c.Text = d, d.Encode()
		changes[i] = c
	}
	if err := writer.Commit(changes...); err != nil {
		return notWritten(dir, err)
	}
	return nil
}

// keep is keepQuietly that tells what is kept, and what comes next.
func (a *app) keep(dir string, all []*observed.Device) error {
	if err := a.keepQuietly(dir, all); err != nil {
		return err
	}
	said := a.out
	if a.format != "table" || a.only != "" {
		said = a.err // what is printed is for a program
	}
	next := "compare " + view.ShellWord(dir)
	if slices.ContainsFunc(all, func(d *observed.Device) bool { return d.Saved() }) {
		next += " --saved"
	} else if _, err := a.find(); errors.Is(err, errNoPlan) {
		next = "draft " + view.ShellWord(dir) // there is nothing to compare with yet
	}
	fmt.Fprintf(said, "kept in %s: %s; next: %s %s\n", dir, view.Count(len(all), "device"), a.self(), next)
	return nil
}
