package command

import (
	"bufio"
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

	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/workspace"
	"ropeswing/internal/files"
	"ropeswing/internal/view"
)

// newOptions are what a new plan is made of.
type newOptions struct {
	blocks []string
	from   string
	title  string
	ask    bool
	write  bool
}

func (a *app) new() *cobra.Command {
	var o newOptions
	cmd := &cobra.Command{
		Use:     "new NAME",
		Short:   "Start a plan, by questions or from a CSV of segments",
		GroupID: groupPlan,
		Long: "Start the plan NAME.plan.yaml. On a terminal a few questions are asked; with\n" +
			"--from the segments come from a CSV file with the columns name, and any of\n" +
			"vlan, hosts (or a length such as /31), site, prefix and note. A site gets a\n" +
			"block, and its segments theirs from that, as 'fit' shows. A file that exists\n" +
			"is never written over.",
		Example: "  ropeswing new skerry\n  ropeswing new skerry --block 10.48.0.0/20 --from segments.csv\n  ropeswing new skerry --block 10.48.0.0/20 --from segments.csv -w",
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) != 1 {
				return errors.New("name the plan: ropeswing new skerry")
			}
			return a.runNew(args[0], o)
		},
		ValidArgsFunction: cobra.NoFileCompletions,
	}
	cmd.Flags().StringSliceVar(&o.blocks, "block", nil, "address space the plan may use: a `PREFIX`; repeatable")
	cmd.Flags().StringVar(&o.from, "from", "", "take segments from a CSV `FILE`; - is standard input")
	cmd.Flags().StringVar(&o.title, "title", "", "the plan's `NAME` in full; NAME unless set")
	cmd.Flags().BoolVar(&o.ask, "ask", false, "ask questions even where there is no terminal")
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
	start := plan.Start{Name: o.title}
	if start.Name == "" {
		start.Name = strings.TrimSuffix(filepath.Base(file), strings.TrimPrefix(files.PlanPattern, "*"))
	}
	for _, b := range o.blocks {
		p, err := block(b)
		if err != nil {
			return err
		}
		start.Blocks = append(start.Blocks, p)
	}
	if o.from != "" {
		segments, err := a.segmentsFrom(o.from)
		if err != nil {
			return err
		}
		start.Segments = segments
	}
	in, isFile := a.in.(*os.File)
	asked := o.ask || o.from == "" && len(o.blocks) == 0 && isFile && term.IsTerminal(int(in.Fd()))
	if asked {
		q := &questions{in: bufio.NewReader(a.in), out: a.err}
		if !q.start(&start, file) {
			return errors.New("stopped; nothing was written")
		}
		o.write = true
	}
	if len(start.Blocks) == 0 && slices.ContainsFunc(start.Segments, func(s plan.StartSegment) bool { return s.Site != "" }) {
		return errors.New("sites get their blocks from the plan's space: name it with --block")
	}
	text := plan.Compose(start)
	// What is written is read first: it must be a plan.
	if w := workspace.FromText(file, text); !w.Usable() {
		for _, f := range w.Slips() {
			view.FindingText(a.err, f, a.self(), a.width, false)
		}
		return errSaid
	}
	if !o.write {
		view.Raw(a.out, text)
		fmt.Fprintf(a.err, "this is what 'ropeswing new' with -w writes to %s\n", view.Clean(file))
		return nil
	}
	if err := files.Create(full, text, a.tell); err != nil {
		return notWritten(file, err)
	}
	fmt.Fprintf(a.out, "written: %s, with %s\nnext: ropeswing -p %s assign\n", view.Clean(file), view.Count(len(start.Segments), "segment"), view.ShellWord(file))
	return nil
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

// segmentsFrom reads segments from a CSV file.
func (a *app) segmentsFrom(path string) ([]plan.StartSegment, error) {
	rows, err := a.table(path, []string{"name"}, []string{"vlan", "hosts", "site", "prefix", "note"})
	if err != nil {
		return nil, err
	}
	var all []plan.StartSegment
	bySite := sameNames(rows)
	for _, r := range rows {
		if bySite && r.Fields["site"] != "" {
			r.Fields["name"] = r.Fields["site"] + "-" + r.Fields["name"]
		}
		s, err := startSegment(r.Fields)
		if err == nil && slices.ContainsFunc(all, func(x plan.StartSegment) bool { return x.Name == s.Name }) {
			err = fmt.Errorf("the segment %s stands here twice", s.Name)
		}
		if err != nil {
			return nil, fmt.Errorf("%s%w", r.Where, err)
		}
		all = append(all, s)
	}
	return all, nil
}

// sameNames tells whether two sites have a segment of the same name; then all are called by
// their site too.
func sameNames(rows []files.Row) bool {
	seen := map[string]string{}
	for _, r := range rows {
		if site, ok := seen[r.Fields["name"]]; ok && site != r.Fields["site"] {
			return true
		}
		seen[r.Fields["name"]] = r.Fields["site"]
	}
	return false
}

// startSegment reads a segment from words.
func startSegment(words map[string]string) (plan.StartSegment, error) {
	s := plan.StartSegment{Name: words["name"], Site: words["site"], Note: words["note"]}
	if s.Name == "" {
		return s, errors.New("a segment needs a name")
	}
	if wrong, bad := plan.CheckName(s.Name); bad {
		return s, fmt.Errorf("a segment cannot be called %s: it %s", s.Name, wrong)
	}
	if wrong, bad := plan.CheckName(s.Site); bad && s.Site != "" {
		return s, fmt.Errorf("a site cannot be called %s: it %s", s.Site, wrong)
	}
	if v := words["vlan"]; v == "auto" {
		s.VLAN = v
	} else if v != "" {
		n, err := strconv.Atoi(v)
		if err != nil || n < 1 || n > 4094 {
			return s, fmt.Errorf("a VLAN number is from 1 to 4094, or auto, not %s", v)
		}
		s.VLAN = strconv.Itoa(n)
	}
	if length, ok := strings.CutPrefix(words["hosts"], "/"); ok {
		n, err := strconv.Atoi(length)
		if err != nil || n < 8 || n > 128 {
			return s, fmt.Errorf("a length is from /8 to /128, not /%s", length)
		}
		s.Length = n
	} else if h := words["hosts"]; h != "" {
		n, err := strconv.Atoi(h)
		if err != nil || n < 0 || n > 1<<31 {
			return s, fmt.Errorf("hosts is a whole number, not %s", h)
		}
		s.Hosts = n
	}
	for _, word := range strings.FieldsFunc(words["prefix"], func(c rune) bool { return c == ' ' || c == ';' || c == ',' }) {
		p, err := block(word)
		if err != nil {
			return s, err
		}
		s.Prefixes = append(s.Prefixes, p)
	}
	return s, nil
}

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
	for _, b := range []struct{ question, usual string }{{"IPv4 space it may use", "10.48.0.0/20"}, {"IPv6 space, or none", "none"}} {
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
	fmt.Fprintln(q.out, "Now the segments, one after another; an empty name ends them.")
	for !q.ended {
		words := map[string]string{}
		check := func(key string) func(string) error {
			return func(answer string) error {
				if key == "name" && answer == "" {
					return nil
				}
				words[key] = answer
				_, err := startSegment(map[string]string{"name": words["name"], key: answer})
				if err == nil && key == "name" && slices.ContainsFunc(s.Segments, func(x plan.StartSegment) bool { return x.Name == answer }) {
					err = fmt.Errorf("there is a segment %s already", answer)
				}
				return err
			}
		}
		name := q.ask("Name of the segment", "", check("name"))
		if name == "" {
			break
		}
		words["name"] = name
		words["vlan"] = strings.TrimSuffix(q.ask("  its VLAN number", "auto", check("vlan")), " ")
		words["hosts"] = q.ask("  room for how many hosts", "20", check("hosts"))
		words["note"] = q.ask("  a remark", "", func(string) error { return nil })
		if segment, err := startSegment(words); err == nil && !q.ended {
			s.Segments = append(s.Segments, segment)
		}
	}
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
