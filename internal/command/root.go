// Package command is the command line: one file a command, each from options
// through the core to a view.
package command

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"ropeswing/core/assign"
	"ropeswing/core/finding"
	"ropeswing/core/observed"
	"ropeswing/core/workspace"
	"ropeswing/internal/live"
	"ropeswing/internal/view"
)

// The exit codes.
const (
	ExitWell     = 0 // all is well
	ExitWrong    = 1 // understood, and something is wrong
	ExitUnusable = 2 // the command or its input cannot be used
	ExitNotAsked = 3 // it could not ask: no permission, no such device to talk to

	ExitInterrupted = 130 // by Ctrl-C, with what there was by then
)

// errWrong ends a command with exit code 1; its answer has said everything.
var errWrong = errors.New("something is wrong")

// errInterrupted ends a command with exit code 130; what there was is shown.
var errInterrupted = errors.New("interrupted")

// errSaid ends a command with exit code 2; everything has been said.
var errSaid = errors.New("the input cannot be used")

// app is one run of the program.
type app struct {
	out, err io.Writer
	raw      io.Writer // out without looks: for what is too much to look good
	in       io.Reader
	dir      string // the working folder
	live     bool   // standard error is a terminal, for progress
	width    int    // columns of the terminal, 80 where there is none
	getenv   func(string) string

	plan    string
	format  string
	only    string
	wide    bool
	match   string
	explain bool
	mark    string // the code point of what is sent, "" for the usual one
	only4   bool
	only6   bool

	reports  bool                 // the command makes reports for machines
	began    time.Time            // when the progress of a long command was first told
	observed string               // the state to answer about, "" for the plan
	with     []string             // changes to try in a copy first
	planless bool                 // there is no plan, only that state
	given    *workspace.Workspace // the network that is asked about, whatever the files say; nil where it is theirs
	asked    []*observed.Device   // what devices said live, which is the state then
	logins   *live.Logins         // which devices refused
	asks     bool                 // questions are asked though there is no terminal
	answers  *questions           // who answers; nil where nobody was asked
	ledger   *assign.Ledger       // what an export keeps beside what it writes; nil where nothing
	heard    *view.AskedAll       // who answered live, and who did not; nil where nobody was asked
}

// Main runs the program and returns its exit code.
func Main(args []string, stdout, stderr *os.File) int {
	// Of an output that was closed the runtime has made the null device, opened for reading and writing, which is also what other
	// languages' libraries give those whose output they do not want: it cannot be told apart, and nobody is refused for it.
	if _, err := stdout.Stat(); err != nil {
		fmt.Fprintln(stderr, "ropeswing: the answer cannot be written: standard output is closed")
		return ExitUnusable
	}
	width := 80
	if w, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && w >= 40 && w <= 1000 {
		width = w
	}
	if w, _, err := term.GetSize(int(stdout.Fd())); err == nil && w > 20 {
		width = w
	}
	// One write for a whole answer; what of it is there goes out before the
	// program ends, however it ends.
	out := bufio.NewWriterSize(stdout, 1<<16)
	a := &app{
		raw: out, in: os.Stdin,
		out: looking(out, stdout), err: looking(stderr, stderr),
		dir: ".", width: width, getenv: os.Getenv, live: term.IsTerminal(int(stderr.Fd())),
	}
	code := a.run(args)
	if err := out.Flush(); err != nil && (code == ExitWell || code == ExitWrong) {
		fmt.Fprintln(stderr, "ropeswing: cannot write the answer:", cleaned(err))
		return ExitUnusable
	}
	return code
}

// looking is a writer with looks where they are wanted: on a terminal that can
// show them, unless NO_COLOR says no, or where CLICOLOR_FORCE insists.
func looking(w io.Writer, file *os.File) io.Writer {
	force := os.Getenv("CLICOLOR_FORCE")
	switch {
	case os.Getenv("NO_COLOR") != "":
		return view.Plain{W: w}
	case force != "" && force != "0":
		return w
	case term.IsTerminal(int(file.Fd())) && os.Getenv("TERM") != "dumb":
		return w
	}
	return view.Plain{W: w}
}

// run runs one command line.
func (a *app) run(args []string) int {
	root := a.root(a.called(args))
	root.SetArgs(args)
	root.SetOut(a.out)
	root.SetErr(a.err)
	err := root.Execute()
	if code, ok := endedWith(err); ok {
		return code
	}
	switch {
	case err == nil && a.heard.Silent():
		return ExitNotAsked
	case err == nil:
		return ExitWell
	case errors.As(err, new(notAsked)):
		fmt.Fprintln(a.err, "ropeswing: "+cleaned(err))
		return ExitNotAsked
	case errors.Is(err, errWrong):
		return ExitWrong
	case errors.Is(err, errSaid):
		return ExitUnusable
	case errors.Is(err, errInterrupted):
		return ExitInterrupted
	}
	fmt.Fprintln(a.err, "ropeswing: "+cleaned(err))
	return ExitUnusable
}

// The groups of the help, in the order of an engineer's work.
const (
	groupArithmetic = "arithmetic"
	groupPlan       = "plan"
	groupLook       = "look"
	groupProve      = "prove"
	groupReal       = "real"
	groupOther      = "other"
)

// command is how one command is made.
type command struct {
	name string
	make func() *cobra.Command
}

// commands is every command, in the order of an engineer's work.
func (a *app) commands() []command {
	return []command{
		{"subnet", a.subnet}, {"split", a.split}, {"merge", a.merge}, {"fit", a.fit}, {"beside", a.beside},
		{"new", a.new}, {"draft", a.draft}, {"assign", a.assign}, {"rename", a.rename}, {"pin", a.pin}, {"export", a.export},
		{"show", a.show}, {"draw", a.draw}, {"report", a.reportPage}, {"why", a.why},
		{"check", a.check}, {"ping", a.ping}, {"trace", a.trace}, {"reach", a.reach},
		{"observe", a.observe}, {"learn", a.learn}, {"compare", a.compare}, {"steps", a.steps}, {"push", a.push}, {"rehearse",
			a.rehearse}, {"stand-in", a.standIn}, {"here", a.here},
		{"demo", a.demo}, {"lsp", a.lsp}, {"man", a.man}, {"version", a.version},
	}
}

// called is the command that a command line begins with, "" where it begins
// with something else: then all of them are needed. Making all takes as long as
// many an answer.
func (a *app) called(args []string) string {
	for _, c := range a.commands() {
		if len(args) > 0 && c.name == args[0] {
			return c.name
		}
	}
	return ""
}

// root is the tree of commands: of all, or only of the one named.
func (a *app) root(only string) *cobra.Command {
	cobra.EnableCommandSorting = false // they are listed in the order of the work
	root := &cobra.Command{
		Use:   "ropeswing COMMAND",
		Short: "Plan subnets and static routes, and know what every ping will do, and why",
		Long: "Rope Swing reads the plan of a routed network and answers questions about it:\n" +
			"what every interface, route, ping and trace does, what is wrong, and what would\n" +
			"mend it. Beside a plan, 'ropeswing' alone shows its health.",
		Args:              cobra.ArbitraryArgs,
		SilenceErrors:     true,
		SilenceUsage:      true,
		CompletionOptions: cobra.CompletionOptions{DisableDescriptions: false},
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				return unknownCommand(cmd, args[0])
			}
			return a.health(cmd)
		},
	}
	root.PersistentFlags().StringVarP(&a.plan, "plan", "p", "",
		"the plan `FILE`; else $ROPESWING_PLAN, else the only *.plan.yaml here or in a folder above")
	a.must(root.RegisterFlagCompletionFunc("plan", cobra.FixedCompletions([]string{"yaml"}, cobra.ShellCompDirectiveFilterFileExt)))
	root.AddGroup(
		&cobra.Group{ID: groupArithmetic, Title: "Arithmetic, no plan needed:"},
		&cobra.Group{ID: groupPlan, Title: "The plan:"},
		&cobra.Group{ID: groupLook, Title: "Look:"},
		&cobra.Group{ID: groupProve, Title: "Prove:"},
		&cobra.Group{ID: groupReal, Title: "The real network:"},
		&cobra.Group{ID: groupOther, Title: "And:"},
	)
	for _, c := range a.commands() {
		if only == "" || c.name == only {
			root.AddCommand(c.make())
		}
	}
	root.SetHelpCommand(&cobra.Command{Use: "help", Hidden: true, RunE: func(cmd *cobra.Command, args []string) error {
		c, rest, err := root.Find(args)
		if err != nil || len(rest) > 0 {
			return unknownCommand(c, rest[0])
		}
		return c.Help()
	}})
	root.CompletionOptions.DisableDefaultCmd = only != ""
	root.InitDefaultCompletionCmd()
	for _, c := range root.Commands() {
		if c.Name() == "completion" {
			c.GroupID, c.Short = groupOther, "Print the completion script of your shell"
		}
	}
	cobra.AddTemplateFunc("options", options)
	root.SetUsageTemplate(usage)
	disableFlagsInUse(root)
	root.SetFlagErrorFunc(func(cmd *cobra.Command, err error) error { return optionError(cmd, err) })
	return root
}

// disableFlagsInUse keeps cobra from adding its own word for options to the
// line that shows how to call a command.
func disableFlagsInUse(cmd *cobra.Command) {
	cmd.DisableFlagsInUseLine = true
	for _, c := range cmd.Commands() {
		disableFlagsInUse(c)
	}
}

// must is for errors that only a slip in this program could cause.
func (a *app) must(err error) {
	if err != nil {
		panic(err)
	}
}

// usage is how help shows a command: how to call it, examples, what there is.
const usage = `{{if .HasParent}}Use:
  {{.UseLine}}{{if .HasExample}}

Examples:
{{.Example}}{{end}}{{end}}{{if .HasAvailableSubCommands}}{{$cmds := .Commands}}{{if .Groups}}{{range $i, $group := .Groups}}{{if $i}}

{{end}}{{.Title}}{{range $cmds}}{{if (and (eq .GroupID $group.ID) .IsAvailableCommand)}}
  {{rpad .Name $.NamePadding}} {{.Short}}{{end}}{{end}}{{end}}{{else}}

There are:{{range $cmds}}{{if .IsAvailableCommand}}
  {{rpad .Name 14}}{{.Short}}{{end}}{{end}}{{end}}{{end}}{{if .HasAvailableLocalFlags}}

Options:
{{options .LocalFlags}}{{end}}{{if .HasAvailableInheritedFlags}}

For every command:
{{options .InheritedFlags}}{{end}}
`

// said are words of the trade for what stands under another here.
var said = map[string]string{
	"port": "show ports", "ports": "show ports", "arp": "show neighbours", "ndp": "show neighbours", "ip": "show addresses",
	"address": "show addresses",
	"free":    "show blocks", "failure": "reach --failures 1", "failures": "reach --failures 1", "findings": "check", "errors": "check",
	"lint": "check", "validate": "check",
	"traceroute": "trace", "diff": "compare", "apply": "push", "init": "new", "allocate": "assign", "plan": "check",
	"nat": "show translations", "acl": "show permits", "acls": "show permits",
	"topology": "draw wires", "diagram": "draw subnets", "picture": "draw subnets", "simulate": "rehearse", "lab": "rehearse",
	"schema": "export schema", "manual": "man", "dns": "export zones",
	"release": "assign --release", "retire": "assign --release", "hosts": "export hosts", "zones": "export zones", "undo": "push --take-back",
}

// elsewhere is the command that does what a word asks for: the list of that name, or what the
// trade calls it otherwise; "" where there is none.
func elsewhere(cmd *cobra.Command, word string) string {
	root := cmd.Root()
	to := said[word]
	if to == "" && cmd == root {
		for _, c := range root.Commands() {
			if c.Name() != "show" {
				continue
			}
			for _, list := range c.Commands() {
				if list.Name() == word || slices.Contains(list.Aliases, word) {
					to = "show " + list.Name()
				}
			}
		}
	}
	if to == "" {
		return ""
	}
	return root.CommandPath() + " " + to
}

// unknownCommand guesses at the command that was meant.
func unknownCommand(cmd *cobra.Command, word string) error {
	var names []string
	for _, c := range cmd.Commands() {
		if c.IsAvailableCommand() {
			names = append(names, c.Name())
			names = append(names, c.Aliases...)
		}
	}
	path := cmd.CommandPath()
	if there := elsewhere(cmd, word); there != "" {
		return fmt.Errorf("there is no '%s %s'; that is '%s'", path, word, there)
	}
	if near, ok := finding.Nearest(word, names); ok {
		return fmt.Errorf("there is no '%s %s'; did you mean '%s %s'?", path, word, path, near)
	}
	return fmt.Errorf("there is no '%s %s'; '%s --help' lists what there is", path, word, path)
}

// progress tells on a terminal how far a long command is, and clears itself at
// the end.
func (a *app) progress(done, all int) {
	text := fmt.Sprintf("%d of %d", done, all)
	if done == all {
		text = ""
	}
	a.progressText(text)
}

// busy tells on a terminal what is worked out, and for how long by now, until the function
// that comes back is called. What is over within a second tells nothing.
func (a *app) busy(what string) (done func()) {
	if !a.live {
		return func() {}
	}
	stop, stopped := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(stopped)
		start, told := time.Now(), false
		for tick := time.NewTicker(time.Second); ; {
			select {
			case <-tick.C:
				told = true
				fmt.Fprintf(a.err, "\r%s: %d s", what, int(time.Since(start).Seconds()))
			case <-stop:
				tick.Stop()
				if told {
					fmt.Fprintf(a.err, "\r%*s\r", len(what)+10, "")
				}
				return
			}
		}
	}()
	return func() {
		close(stop)
		<-stopped
	}
}

// progressText tells something on a terminal until the next is told; "" clears it. What
// is over at once tells nothing.
func (a *app) progressText(text string) {
	if a.began.IsZero() {
		a.began = time.Now()
	}
	if a.live && time.Since(a.began) > 300*time.Millisecond {
		fmt.Fprintf(a.err, "\r%-20s\r%s", "", text)
	}
}

// noArgs refuses arguments to a command that takes none.
func noArgs(cmd *cobra.Command, args []string) error {
	if len(args) > 0 {
		return fmt.Errorf("%s takes nothing behind it, and %q is", cmd.CommandPath(), args[0])
	}
	return nil
}
