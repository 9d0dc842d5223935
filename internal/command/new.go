package command

import (
	"bufio"
	"cmp"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"ropeswing/core/ask"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// newOptions are what a new plan is made of.
type newOptions struct {
	blocks  []string
	from    string
	devices string
	cables  string
	title   string
	ask     bool
	bare    bool
	here    bool
	write   bool
}

func (a *app) new() *cobra.Command {
	var o newOptions
	cmd := &cobra.Command{
		Use:     "new NAME",
		Short:   "Start a plan that pings: by questions, a CSV, or this machine",
		GroupID: groupPlan,
		Long: "Start the plan NAME.plan.yaml: two routers with a LAN each and a host in it, which\n" +
			"ping each other already. On a terminal five questions are asked. With --from the\n" +
			"segments come from a sheet, with commas, semicolons or tabs and headings of its own:\n" +
			"name, and any of vlan, hosts (or a length such as /31), site, prefix, mask, gateway\n" +
			"and note. A blank site is as the row above has it, where each is written once. What\n" +
			"is made of the sheet is told, and what is wrong in it all at once. A site gets a\n" +
			"router, a link to the first, and a block where it has no subnets yet; or, with\n" +
			"--devices, the devices of an inventory (name, and any of address, kind, site, serial,\n" +
			"note), joined by --cables (two ports, each device and port). What no table tells is\n" +
			"guessed, with a remark beside it in the plan. With --here it\n" +
			"is this machine with its addresses, and its gateways. A file that exists is never\n" +
			"written over.",
		Example: "  ropeswing new skerry\n  ropeswing new skerry --block 10.48.0.0/20 --from segments.csv\n  ropeswing new skerry --block " +
			"10.48.0.0/20 --from segments.csv -w\n  ropeswing new desk --here -w\n  " +
			"ropeswing new farm --from nets.csv --devices inventory.csv --cables cables.csv -w",
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) != 1 {
				return errors.New("name the plan: ropeswing new skerry")
			}
			return a.runNew(args[0], o)
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	cmd.Flags().StringSliceVar(&o.blocks, "block", nil, "address space the plan may use: a `PREFIX`; repeatable")
	cmd.Flags().StringVar(&o.from, "from", "", "take segments from a sheet in `FILE`; - is standard input")
	cmd.Flags().StringVar(&o.devices, "devices", "", "with --from: take devices from an inventory in `FILE`")
	cmd.Flags().StringVar(&o.cables, "cables", "", "with --devices: take cables from a table of ports in `FILE`")
	cmd.Flags().StringVar(&o.title, "title", "", "the plan's `NAME` in full; NAME unless set")
	cmd.Flags().BoolVar(&o.ask, "ask", false, "ask questions even where there is no terminal; with --from, what columns are")
	cmd.Flags().BoolVar(&o.bare, "bare", false, "the segments only, with no devices: numbers as 'fit' gives them")
	cmd.Flags().BoolVar(&o.here, "here", false, "this machine with its addresses, and the gateways it uses")
	cmd.Flags().BoolVarP(&o.write, "write", "w", false, "write the file; without, print it")
	return cmd
}

func (a *app) runNew(name string, o newOptions) error {
	file := name
	if !strings.HasSuffix(name, ".yaml") {
		file += strings.TrimPrefix(files.PlanPattern, "*")
	}
	full := file
	if !filepath.IsAbs(file) {
		full = filepath.Join(a.dir, file)
	}
	if _, err := os.Lstat(full); err == nil {
		return fmt.Errorf("%s exists already and is left alone", file)
	}
	text, asked, err := a.startText(file, &o)
	if err != nil {
		return err
	}
	o.write = o.write || asked
	// What is written is read first: it must be a plan.
	w := workspace.FromText(file, text)
	if !w.Usable() {
		for _, f := range w.Slips() {
			view.FindingText(a.err, f, a.self(), a.width, false)
		}
		return errSaid
	}
	ping, host := a.firstPing(w)
	if !o.write {
		view.Raw(a.out, text)
		fmt.Fprintf(a.err, "this is what 'ropeswing new' with -w writes to %s%s\n", view.Clean(file), prefixed("; in it ", ping))
		return nil
	}
	if err := files.Create(full, text, a.tell); err != nil {
		return notWritten(file, err)
	}
	spec := w.Spec
	fmt.Fprintf(a.out, "written: %s, with %s and %s%s\n", view.Clean(file), view.Count(len(spec.Devices), "device"),
		view.Count(len(spec.Segments), "segment"), prefixed("; ", ping))
	next := "assign"
	if host != "" {
		next = "ping " + view.ShellWord(host)
	}
	fmt.Fprintf(a.out, "next: ropeswing -p %s %s\n", view.ShellWord(file), next)
	return nil
}

func prefixed(before, text string) string {
	if text == "" {
		return ""
	}
	return before + text
}

// startText is the text of a new plan, and whether its writing was asked for in a dialogue.
func (a *app) startText(file string, o *newOptions) (text []byte, asked bool, err error) {
	base := strings.TrimSuffix(filepath.Base(file), strings.TrimPrefix(files.PlanPattern, "*"))
	start := plan.Start{Name: cmp.Or(o.title, base), Routers: !o.bare}
	for _, b := range o.blocks {
		p, err := block(b)
		if err != nil {
			return nil, false, err
		}
		start.Blocks = append(start.Blocks, p)
	}
	if o.here {
		if o.from != "" || len(o.blocks) > 0 || o.ask || o.bare {
			return nil, false, errors.New("--here goes with --title and -w only")
		}
		text, err := startHere(start.Name)
		return text, false, err
	}
	a.asks = o.ask
	if o.from != "" {
		if start.Segments, err = a.segmentsFrom(o.from); err != nil {
			return nil, false, err
		}
	}
	if o.devices == "" && o.cables != "" {
		return nil, false, errors.New("--cables joins devices of an inventory: name it with --devices")
	}
	if o.devices != "" {
		if o.from == "" {
			return nil, false, errors.New("--devices says where devices are by the segments of a sheet: name it with --from")
		}
		start.Routers = false
		r, err := a.devicesFrom(o.devices, &start)
		if err != nil {
			return nil, false, err
		}
		if o.cables != "" {
			if err := a.cablesFrom(o.cables, r); err != nil {
				return nil, false, err
			}
		}
	}
	in, isFile := a.in.(*os.File)
	asked = o.from == "" && (o.ask || len(o.blocks) == 0 && isFile && term.IsTerminal(int(in.Fd())))
	switch {
	case asked:
		if !a.whoAnswers().start(&start, file) {
			return nil, false, errors.New("stopped; nothing was written")
		}
	case o.from == "" && !o.bare:
		if len(start.Blocks) == 0 {
			start.Blocks = []netip.Prefix{netip.MustParsePrefix(usualSpace)}
		}
		start.Segments = twoSites([]string{"north", "south"}, 20)
	}
	if len(start.Blocks) == 0 && slices.ContainsFunc(start.Segments,
		func(s plan.StartSegment) bool { return s.Site != "" && len(s.Prefixes) == 0 }) {
		return nil, false, errors.New("sites get their blocks from the plan's space: name it with --block")
	}
	if len(start.Blocks) == 0 && !o.bare && o.from != "" {
		if p, ok := spare(start.Segments); ok {
			start.Blocks = []netip.Prefix{p}
			for _, s := range start.Segments {
				start.Blocks = append(start.Blocks, s.Prefixes...)
			}
			start.Blocks = prefix.Merge(start.Blocks)
			fmt.Fprintf(a.err, "links and loopbacks take their numbers from %s: --block says another\n", p)
		}
	}
	return plan.Compose(start), asked, nil
}

// usualSpace is what a plan may use if nobody says otherwise.
const usualSpace = "10.48.0.0/20"

// twoSites is a LAN for each site.
func twoSites(sites []string, hosts int) []plan.StartSegment {
	var all []plan.StartSegment
	for _, s := range sites {
		all = append(all, plan.StartSegment{Name: s + "-lan", Hosts: hosts, Site: s})
	}
	return all
}

// firstPing is what becomes of the ping from the operator to the host furthest down in a plan.
func (a *app) firstPing(n *workspace.Numbers) (outcome, host string) {
	w := n.Predict()
	if w.Spec.Operator == model.None {
		return "", ""
	}
	from, err := w.Operator()
	if err != nil {
		return "", ""
	}
	target := model.DeviceID(model.None)
	for d := range w.Spec.Devices {
		if id := model.DeviceID(d); id != w.Spec.Operator {
			target = id
		}
	}
	if target == model.None {
		return "", ""
	}
	host = w.Spec.Devices[target].Name
	to, err := w.Endpoint(host)
	if err != nil {
		return "", ""
	}
	trials, _, err := ask.Pings(w.Network, from, to, prefix.Both, forward.Probe{})
	if err != nil || len(trials) == 0 {
		return "", ""
	}
	for _, t := range trials {
		if t.Verdict() != forward.Works {
			return fmt.Sprintf("%s does not reach %s yet", from.Text, host), host
		}
	}
	return fmt.Sprintf("%s reaches %s", from.Text, host), host
}

// block reads address space for a plan.
func block(text string) (netip.Prefix, error) {
	p, whole, err := prefix.Parse(text)
	switch {
	case err != nil:
		return p, err
	case whole:
		return p, fmt.Errorf("%s has no prefix length; address space is written as %s/20", text, text)
	case p != p.Masked():
		return p, fmt.Errorf("%s is an address in a subnet; did you mean %s?", text, p.Masked())
	}
	return p, nil
}

// mostSites is how many sites a dialogue takes.
const mostSites = 40

// questions asks for what a plan begins with, a line each.
type questions struct {
	in    *bufio.Reader
	out   io.Writer
	ended bool // the input is at its end
}

// ask puts one question until check has nothing against the answer. An empty
// answer is the usual one.
func (q *questions) ask(question, usual string, check func(string) error) string {
	for !q.ended {
		if usual != "" {
			fmt.Fprintf(q.out, "%s [%s]: ", question, usual)
		} else {
			fmt.Fprintf(q.out, "%s: ", question)
		}
		line, err := q.in.ReadString('\n')
		q.ended = err != nil
		answer := strings.TrimSpace(line)
		if answer == "" {
			if answer = usual; q.ended {
				break
			}
		}
		if err := check(answer); err != nil {
			fmt.Fprintln(q.out, "  "+cleaned(err))
			continue
		}
		return answer
	}
	return ""
}

// start asks everything; false where it was broken off or not wanted.
func (q *questions) start(s *plan.Start, file string) bool {
	fmt.Fprintln(q.out, "An empty answer takes what stands in brackets; Ctrl-C stops, and nothing is written.")
	s.Name = q.ask("What is the network called", s.Name, func(string) error { return nil })
	for _, b := range []struct{ question, usual string }{{"IPv4 space it may use", usualSpace}, {"IPv6 space, or none", "none"}} {
		answer := q.ask(b.question, b.usual, func(text string) error {
			if text == "none" {
				return nil
			}
			_, err := block(text)
			return err
		})
		if p, err := block(answer); err == nil {
			s.Blocks = append(s.Blocks, p)
		}
	}
	sites := q.ask("Sites, each with a router and a LAN", "north south", func(text string) error {
		names := strings.Fields(text)
		for i, n := range names {
			if wrong, bad := plan.CheckName(n); bad {
				return fmt.Errorf("a site cannot be called %s: it %s", n, wrong)
			}
			if slices.Contains(names[:i], n) {
				return fmt.Errorf("%s stands there twice", n)
			}
		}
		if len(names) == 0 || len(names) > mostSites {
			return fmt.Errorf("name 1 to %d sites, with a space between", mostSites)
		}
		return nil
	})
	hosts := q.ask("Room for how many hosts in each LAN", "20", func(text string) error {
		if n, err := strconv.Atoi(text); err != nil || n < 1 || n > 1<<20 {
			return fmt.Errorf("hosts is a whole number, not %s", text)
		}
		return nil
	})
	if q.ended && hosts == "" {
		return false
	}
	n, _ := strconv.Atoi(hosts)
	s.Segments = twoSites(strings.Fields(sites), n)
	fmt.Fprintln(q.out)
	view.Raw(q.out, plan.Compose(*s))
	answer := q.ask("\nWrite this to "+view.Clean(file)+"? yes or no", "yes", func(text string) error {
		if text != "yes" && text != "no" {
			return errors.New("yes or no")
		}
		return nil
	})
	return answer == "yes"
}
