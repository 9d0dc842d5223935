package command

import (
	"cmp"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"ropeswing/core/compare"
	"ropeswing/core/finding"
	"ropeswing/core/form"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// learning is the options of learning a form.
type learning struct {
	device, state, name, to string
	on                      string
	write, alone            bool
}

// learn learns a form from texts of devices.
func (a *app) learn() *cobra.Command {
	var o learning
	cmd := &cobra.Command{
		Use:     "learn TEXT…",
		Short:   "Learn your gear's language from one device's text and the plan",
		GroupID: groupReal,
		Long: "Learn a form from a device's own text, such as its running configuration, and what\n" +
			"the plan says of that device. 'observe --form' then reads such texts of all\n" +
			"devices, and 'export form' writes them. Whose a text is, is said by --device, or\n" +
			"by the file's name up to its first dot. Two or three texts settle what one leaves\n" +
			"open. The form is shown; -w writes it.",
		Example: "  ropeswing learn texts/quay-core.txt\n  ropeswing learn texts/quay-core.txt texts/quay-edge.txt --to harbour.form -w\n  " +
			"ropeswing learn running.txt --device quay-edge --name \"harbour lamp bus\" -w",
		Args: func(cmd *cobra.Command, args []string) error {
			switch {
			case len(args) == 0:
				return errors.New("learn from what? name a device's text: ropeswing learn quay-edge.txt")
			case o.device != "" && len(args) > 1:
				return errors.New("--device says whose one text is; several are called by their devices: quay-edge.txt quay-sw1.txt")
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error { return a.learnFrom(&o, args) },
	}
	f := cmd.Flags()
	f.StringVar(&o.device, "device", "", "the `DEVICE` whose text it is, where the file's name does not say it")
	f.StringVar(&o.state, "state", "", "what the devices say is known from the state `DIR`, not from the plan")
	f.StringVar(&o.on, "on", "", "learn on: the form `FILE` keeps its lines, and gets those that it does not read yet")
	f.BoolVar(&o.alone, "alone", false, "nothing is known of the device: by kinds of values alone, all of it a guess")
	f.StringVar(&o.name, "name", "", "what the gear is called: `NAME`, in the form's first line")
	f.StringVar(&o.to, "to", "", "the form's `FILE`; else the text's name with .form")
	f.BoolVarP(&o.write, "write", "w", false, "write the form")
	a.must(cmd.RegisterFlagCompletionFunc("device", a.completeDevices))
	a.formatFlags(cmd)
	return cmd
}

// known is what is known of the devices: by the plan, or by a state.
func (a *app) known(o *learning) (map[string]*form.Thing, error) {
	all := map[string]*form.Thing{}
	if o.state != "" {
		devices, _, _, err := a.state(o.state)
		if err != nil {
			return nil, err
		}
		for _, d := range devices {
			all[d.Name] = form.Of(d, nil)
		}
		return all, nil
	}
	w, err := a.usable()
	if err != nil {
		return nil, err
	}
	for id := range w.Spec.Devices {
		all[w.Spec.Devices[id].Name] = thingOf(w.Network, model.DeviceID(id))
	}
	return all, nil
}

// thingOf is what the plan says of a device, as a form has it.
func thingOf(net *forward.Network, id model.DeviceID) *form.Thing {
	return form.Of(compare.DeviceAsObserved(net, id), compare.VLANNames(net.Spec, id))
}

func (a *app) learnFrom(o *learning, args []string) error {
	if err := a.checkFormat(); err != nil {
		return err
	}
	known := map[string]*form.Thing{}
	var err error
	if !o.alone {
		if known, err = a.known(o); errors.Is(err, errNoPlan) {
			return fmt.Errorf("%w; --state DIR learns from what was observed, --alone from the text alone", err)
		}
		if err != nil {
			return err
		}
	}
	var examples []form.Example
	var names []string
	for _, arg := range args {
		text, err := a.readFile(arg)
		if err != nil {
			return err
		}
		name, _, _ := strings.Cut(filepath.Base(arg), ".")
		name = cmp.Or(o.device, name)
		if o.alone {
			if err := form.Readable(text); err != nil {
				return fmt.Errorf("%s: %w", arg, err)
			}
			known[name] = form.Alone(name, string(text))
		}
		d := known[name]
		if d == nil {
			return fmt.Errorf("%s: nothing is known of %s; name the device whose text it is with --device%s", arg, name, nearestOf(name, known))
		}
		if slices.Contains(names, name) {
			return fmt.Errorf("%s: %s stands there twice", arg, name)
		}
		if err := form.Readable(text); err != nil {
			return fmt.Errorf("%s: %w", arg, err)
		}
		examples, names = append(examples, form.Example{Device: d, Text: string(text)}), append(names, name)
	}
	learnt, err := form.Learn(cmp.Or(o.name, "gear of "+names[0]), examples)
	if err != nil {
		return err
	}
	if o.alone {
		learnt.Form.Guessed()
	}
	if o.on != "" {
		old, err := a.readForm(o.on)
		if err != nil {
			return err
		}
		added, err := old.LearnOn(learnt.Form, examples)
		if err != nil {
			return fmt.Errorf("%s: %w", o.on, err)
		}
		learnt.Form = old
		a.tell(fmt.Sprintf("%s: %s came to it", o.on, view.Count(added, "line")))
	}
	a.confirmGuesses(learnt.Form)
	var trials []form.Trial
	var seen, others []*form.Thing
	for _, e := range examples {
		trials, seen = append(trials, learnt.Form.Try(e.Device, e.Text)), append(seen, e.Device)
		if t := trials[len(trials)-1]; t.Values == len(t.NotFound) {
			return fmt.Errorf("nothing in %s is like what is known of %s: is it a text of that device?", args[len(trials)-1],
				names[len(trials)-1])
		}
	}
	v := view.NewLearning(learnt, names, trials)
	v.Alone = o.alone
	for _, name := range slices.Sorted(func(yield func(string) bool) {
		for n := range known {
			if !slices.Contains(names, n) && !yield(n) {
				return
			}
		}
	}) {
		others = append(others, known[name])
	}
	if n, shows := form.Next(others, seen); n >= 0 {
		v.Next, v.Shows = others[n].V["device"], shows[:min(6, len(shows))]
	}
	if err := a.print(v, view.LearningTable(v), func() { v.Text(a.out, a.width) }); err != nil {
		return err
	}
	to := cmp.Or(o.to, o.on, strings.TrimSuffix(args[0], filepath.Ext(args[0]))+".form")
	if !o.write {
		fmt.Fprintf(a.err, "nothing is written; -w writes it to %s\n", to)
		return nil
	}
	write := files.Create
	if to == o.on {
		write = func(path string, text []byte, tell func(string)) error {
			return files.Put(path, text, tell, files.Other)
		}
	}
	if err := write(a.at(to), []byte(v.Form), a.tell); err != nil {
		return notWritten(to, err)
	}
	said := a.out
	if a.format != formatTable || a.only != "" {
		said = a.err // what is printed is for a program
	}
	fmt.Fprintf(said, "%s is written; next: %s observe TEXT --form %s\n", to, a.self(), view.ShellWord(to))
	return nil
}

// confirmGuesses asks of each guess whether it is right, where somebody can answer.
func (a *app) confirmGuesses(f *form.Form) {
	for _, l := range f.Guesses() {
		if a.yes("never seen so: " + l.Text() + ". Is it right?") {
			l.Guess = false
		}
	}
}

// nearestOf asks whether another device was meant.
func nearestOf(name string, known map[string]*form.Thing) string {
	var all []string
	for n := range known {
		all = append(all, n)
	}
	if guess, ok := finding.Nearest(name, all); ok {
		return "; did you mean " + guess + "?"
	}
	return ""
}

// readForm reads a form.
func (a *app) readForm(path string) (*form.Form, error) {
	text, err := a.readFile(path)
	if err != nil {
		return nil, err
	}
	f, err := form.Parse(string(text))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return f, nil
}

// exportForm writes devices in the language of their gear.
func (a *app) exportForm() *cobra.Command {
	unsaid := false // something that is set on a device, and the form cannot say
	cmd := a.exported("form FILE [DEVICE…]", "In your gear's own language by a form, one file a device", "FOLDER",
		func(w *workspace.Numbers, args []string) ([]output, error) {
			if len(args) == 0 {
				return nil, errors.New("name the form: ropeswing export form FILE [DEVICE…]")
			}
			f, err := a.readForm(args[0])
			if err != nil {
				return nil, err
			}
			devices, err := devicesNamed(w.Who, args[1:])
			if err != nil {
				return nil, err
			}
			net := forward.Resolve(network.Build(w.Spec).State())
			var all []output
			for _, id := range devices {
				known := thingOf(net, id)
				text := f.Write(known)
				all = append(all, output{w.Spec.Devices[id].Name + ".txt", []byte(text)})
				if not := f.NotSaid(known); len(not) > 0 {
					a.tell(fmt.Sprintf("%s: the form has no line for %s", w.Spec.Devices[id].Name, strings.Join(not, ", ")))
					unsaid = unsaid || slices.ContainsFunc(not, func(n string) bool { return !strings.HasPrefix(n, "speed of ") })
				}
			}
			return all, nil
		})
	cmd.Long = "Write what the plan says of a device in the language of its gear, by a form that\n" +
		"'learn' made, or you wrote. What the form has no line for is told, and exit code 1\n" +
		"says that the text is not all of the device. Lines that are guesses are not written."
	put := cmd.RunE
	cmd.RunE = func(c *cobra.Command, args []string) error {
		err := put(c, args)
		if err == nil && unsaid {
			return errWrong
		}
		return err
	}
	cmd.ValidArgsFunction = func(c *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
		if len(args) == 0 {
			return nil, cobra.ShellCompDirectiveDefault
		}
		return a.completeDevices(c, args, word)
	}
	return cmd
}
