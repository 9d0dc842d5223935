package plan

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"regexp"
	"strings"
	"sync"
	"unicode/utf8"

	"go.yaml.in/yaml/v4"
	"go.yaml.in/yaml/v4/plugin/loaderlimits"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

// Limits against files that are no plans. The largest plan planned for, ten
// thousand segments and fifty thousand interfaces, is under 10 MB; a million routes
// written by hand take 40.
const (
	LargestFile = 64 << 20 // bytes
	deepest     = 24       // levels of nesting; a plan needs six
	mostMarks   = 3 << 20  // colons, commas and lines: each entry takes room when it is read
)

// Read reads the plan called name from fsys. Shown is what messages call it,
// the path as the user gave it. The findings are every slip in the file, all
// in one go; where the file cannot be read as YAML at all the document is nil.
func Read(fsys fs.FS, name, shown string) (*Document, []finding.Finding) {
	text, err := load(fsys, name)
	if err != nil {
		return nil, []finding.Finding{finding.New(finding.UnreadableFile, source.New(shown, nil).Whole(), "%s", err)}
	}
	return readAll(fsys, source.New(shown, text), name)
}

// load reads a file within the limits.
func load(fsys fs.FS, name string) ([]byte, error) {
	f, err := fsys.Open(name)
	if err != nil {
		var path *fs.PathError
		switch {
		case errors.Is(err, fs.ErrNotExist):
			return nil, errors.New("there is no such file")
		case errors.As(err, &path):
			return nil, path.Err
		}
		return nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	switch {
	case err != nil:
		return nil, err
	case info.IsDir():
		return nil, errors.New("this is a directory; name the plan file in it")
	case info.Size() > LargestFile:
		return nil, fmt.Errorf("the file has %d MB; a plan has %d MB at most", info.Size()>>20, LargestFile>>20)
	}
	text, err := io.ReadAll(io.LimitReader(f, LargestFile+1))
	switch {
	case err != nil:
		return nil, err
	case len(text) > LargestFile:
		return nil, fmt.Errorf("the file has more than %d MB, the most a plan may have", LargestFile>>20)
	}
	return text, nil
}

// Parse reads a plan from a text in memory. It cannot include files.
func Parse(file *source.File) (*Document, []finding.Finding) {
	return readAll(nil, file, file.Name)
}

// readAll reads a plan and the files it includes. Name is the plan's within
// fsys.
func readAll(fsys fs.FS, file *source.File, name string) (*Document, []finding.Finding) {
	root, f := tree(file)
	if root == nil {
		return nil, []finding.Finding{f}
	}
	budget := mostInAll
	r := &reader{file: file, budget: &budget}
	d := &Document{File: file}
	r.whole(d, root, topKeys())
	d.parts = []part{newPart(file, name, root, r.include)}
	found := append(r.found, includeAll(fsys, d, name, &budget)...)
	d.Blocks = exactOverPattern(d.Blocks, func(b *Block) (string, bool) { return b.Name.Value, b.Made })
	d.Groups = exactOverPattern(d.Groups, func(g *Group) (string, bool) { return g.Name.Value, g.Made })
	d.Segments = exactOverPattern(d.Segments, func(s *Segment) (string, bool) { return s.Name.Value, s.Made })
	d.Devices = exactOverPattern(d.Devices, func(x *Device) (string, bool) { return x.Name.Value, x.Made })
	return d, found
}

// whole reads all of one file of the plan.
func (r *reader) whole(d *Document, root *yaml.Node, keys []key[Document]) {
	fields(r, root, "the plan", keys, d)
	if child(root, "ropeswing") == nil {
		r.report(finding.New(finding.NotAPlan, r.place(root), "the plan does not say which version of the format it is in").
			Mend("add 'ropeswing: %d' as its first line", Version))
	}
}

// tree reads a file as YAML; the root is nil where it is no map, or holds what
// no plan may.
func tree(file *source.File) (*yaml.Node, finding.Finding) {
	if f, bad := notText(file); bad {
		return nil, f
	}
	if len(bytes.TrimSpace(file.Text)) == 0 {
		return nil, finding.New(finding.UnreadableFile, file.Whole(), "the file is empty; a plan begins with 'ropeswing: %d'", Version)
	}
	if n := bytes.Count(file.Text, []byte(":")) + bytes.Count(file.Text, []byte(",")) + bytes.Count(file.Text, []byte("\n")); n > mostMarks {
		return nil, finding.New(finding.PlanTooLarge, file.Whole(),
			"with %d colons, commas and lines the file has more entries than a plan may have", n).Mend("make a plan of a part of it")
	}
	var root yaml.Node
	if err := yaml.Load(file.Text, &root, yaml.WithPlugin(loaderlimits.New(loaderlimits.DepthValue(deepest)))); err != nil {
		return nil, syntax(file, err)
	}
	if root.Kind != yaml.DocumentNode || len(root.Content) != 1 || root.Content[0].Kind != yaml.MappingNode {
		return nil, finding.New(finding.NotAPlan, file.Whole(), "this is YAML, but no plan: a plan is a map that begins with 'ropeswing: %d'",
			Version)
	}
	if n, count := aliases(root.Content[0]); n != nil {
		r := &reader{file: file}
		return nil, aliasUsed(r.place(n), n, count)
	}
	return root.Content[0], finding.Finding{}
}

// aliases finds the first alias or merge key below a node, and how many there
// are. Nothing else is read from a file that has any: what it says is not what
// it seems to say.
func aliases(n *yaml.Node) (first *yaml.Node, count int) {
	if n.Kind == yaml.AliasNode || n.Tag == "!!merge" {
		return n, 1
	}
	for _, c := range n.Content {
		below, k := aliases(c)
		if first == nil {
			first = below
		}
		count += k
	}
	return first, count
}

func aliasUsed(place source.Place, n *yaml.Node, count int) finding.Finding {
	f := finding.New(finding.AliasUsed, place, "a plan has no aliases: write out what *%s stands for", n.Value)
	if n.Tag == "!!merge" {
		f = finding.New(finding.AliasUsed, place, "a plan has no merge keys: write the entries out")
	}
	if count > 1 {
		f.Reason += fmt.Sprintf("; there are %d such places", count)
	}
	return f
}

// notText finds the first thing in a file that no text holds, so that nothing
// strange reaches the YAML reader or the terminal.
func notText(file *source.File) (finding.Finding, bool) {
	text := file.Text
	if isBinary(text) {
		return finding.New(finding.UnreadableFile, file.Whole(), "this is a binary file, not a plan"), true
	}
	for i := 0; i < len(text); {
		c, size := rune(text[i]), 1
		if c >= utf8.RuneSelf {
			c, size = utf8.DecodeRune(text[i:])
		}
		place := source.Place{File: file, Start: i, End: i + size}
		switch {
		case c == utf8.RuneError && size == 1:
			return finding.New(finding.UnreadableFile, place, "the byte %#02x is not UTF-8 text; save the file as UTF-8", text[i]), true
		case c == '\t' || c == '\n' || c == '\r' && i+1 < len(text) && text[i+1] == '\n' || c == 0xfeff && i == 0:
		case unprintable(c):
			return finding.New(finding.UnreadableFile, place, "the control character %U has no place in a plan; remove it", c), true
		}
		i += size
	}
	return finding.Finding{}, false
}

// isBinary judges by the start of a file: a zero byte, or more than one byte in
// twenty that is no text.
func isBinary(text []byte) bool {
	head := text[:min(len(text), 1024)]
	strange := 0
	for i := 0; i < len(head); {
		c, size := utf8.DecodeRune(head[i:])
		if c == 0 {
			return true
		}
		if c == utf8.RuneError && size == 1 || c < ' ' && c != '\n' && c != '\r' && c != '\t' {
			strange++
		}
		i += size
	}
	return strange > 4 && strange*20 > len(head)
}

// syntax turns the YAML reader's error into a finding in our own words, and
// recognises the traps YAML lays for network engineers.
func syntax(file *source.File, err error) finding.Finding {
	var e *yaml.LoadError
	if !errors.As(err, &e) {
		return finding.New(finding.NotYAML, file.Whole(), "%s", err)
	}
	mark := e.Mark
	if e.ContextMsg != "" && strings.Contains(e.ContextMsg, "flow") || strings.Contains(e.ContextMsg, "quoted") {
		mark = e.ContextMark
	}
	place := file.Whole()
	if mark.Line > 0 {
		start := file.Offset(mark.Line, mark.Column)
		place = source.Place{File: file, Start: start, End: min(start+1, len(file.Text))}
	}
	if e.Mark.Line > 0 {
		for line := e.Mark.Line; line >= max(1, e.Mark.Line-1); line-- {
			if f, ok := trap(file, line); ok {
				return f
			}
		}
	}
	return finding.New(finding.NotYAML, place, "%s", inOurWords(e))
}

var (
	endsInColons = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`(?:^|[\s\[{,])([0-9A-Fa-f]{1,4}(?::[0-9A-Fa-f]{1,4})*::)(?:\s|,|\]|}|$)`)
	})
	tabIndent = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^ *\t`) })
	spaceless = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[\s-]*([a-z][a-z-]*:[^\s:/"'].*)$`) })
)

// trap looks for one of YAML's traps on a line that could not be read.
func trap(file *source.File, line int) (finding.Finding, bool) {
	start := file.LineStart(min(line, file.Lines()))
	text, _, _ := strings.Cut(string(file.Text[start:]), "\n")
	at := func(m []int, group int) source.Place {
		return source.Place{File: file, Start: start + m[2*group], End: start + m[2*group+1]}
	}
	if m := tabIndent().FindStringIndex(text); m != nil {
		return finding.New(finding.TabIndent, at(m, 0), "YAML indents with spaces; here is a tab"), true
	}
	if m := endsInColons().FindStringSubmatchIndex(text); m != nil {
		address := text[m[2]:m[3]]
		return finding.New(finding.UnquotedIPv6, at(m, 1), "YAML reads the colons at its end as a map; put it in quotes: %q", address), true
	}
	if m := spaceless().FindStringSubmatchIndex(text); m != nil {
		r := &reader{file: file}
		r.reportMissingSpace(at(m, 1), strings.TrimRight(text[m[2]:m[3]], "\r"))
		return r.found[0], true
	}
	return finding.Finding{}, false
}

// inOurWords says what a YAML error means to someone who writes a plan.
func inOurWords(e *yaml.LoadError) string {
	switch {
	case strings.Contains(e.Message, "exceeded max depth"):
		return fmt.Sprintf("this is nested more than %d deep, and no plan is", deepest)
	case strings.Contains(e.Message, "multiple"):
		return "the file holds several YAML documents; a plan is one: remove the line '---'"
	case strings.Contains(e.Message, "no documents"):
		return fmt.Sprintf("the file holds nothing but comments; a plan begins with 'ropeswing: %d'", Version)
	case strings.Contains(e.ContextMsg, "flow sequence"):
		return "the list opened here with '[' is not closed with ']', or a comma is missing in it"
	case strings.Contains(e.ContextMsg, "flow mapping"):
		return "the map opened here with '{' is not closed with '}', or a comma is missing in it"
	case strings.Contains(e.ContextMsg, "quoted scalar"):
		return "the quote opened here is not closed"
	case strings.Contains(e.Message, "mapping values are not allowed"):
		return "a second ': ' on one line, or a line indented too far"
	case strings.Contains(e.Message, "did not find expected"), strings.Contains(e.Message, "could not find expected"):
		return "the lines here do not line up: check the indentation and the ': ' of each"
	}
	return e.Message
}
