package plan

import (
	"bytes"
	"strings"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/source"
)

// part is one file of a plan.
type part struct {
	file     *source.File
	inside   string     // its name within the folder the plan is read from
	root     *yaml.Node // nil of a large one
	included []Text     // the files it names
}

// mostKept is how large a file may be, in bytes, for its tree to be kept for edits: a
// tree takes ten times its file's room. Of a larger one the entry that is edited is
// read again.
const mostKept = 4 << 20

func newPart(file *source.File, inside string, root *yaml.Node, included []Text) part {
	if len(file.Text) > mostKept {
		root = nil
	}
	return part{file, inside, root, included}
}

// tree is the file as YAML, or of a large file as much of it as has the entry at the
// first two names of a path.
func (p part) tree(path []string) *yaml.Node {
	if p.root != nil {
		return p.root
	}
	if len(path) > 2 {
		if root := p.entry(path[0], path[1]); root != nil {
			return root
		}
	}
	root, _ := tree(p.file)
	return root
}

// entry reads one entry of a section that is laid out in lines: a map of the section
// with this entry alone, all in their places. It is nil where that is not to be had.
func (p part) entry(section, name string) *yaml.Node {
	top, ok := p.lineOf(1, 0, section)
	if !ok {
		return nil
	}
	indent := 0
	for n := top + 1; n <= p.file.Lines() && indent == 0; n++ {
		if l := p.line(n); says(l) {
			if indent = depth(l); indent == 0 {
				return nil
			}
		}
	}
	first, ok := p.lineOf(top+1, indent, name)
	if !ok || indent == 0 {
		return nil
	}
	last := first
	for n := first + 1; n <= p.file.Lines(); n++ {
		if l := p.line(n); says(l) {
			if depth(l) <= indent {
				break
			}
			last = n
		}
	}
	text := section + ":\n" + string(p.file.Text[p.file.LineStart(first):p.file.LineStart(last)]) + string(p.line(last)) + "\n"
	root, _ := tree(source.New(p.file.Name, []byte(text)))
	if root == nil || child(root, section) == nil || child(child(root, section), name) == nil {
		return nil
	}
	shift(root, top, first)
	return root
}

// shift puts the nodes of an entry where its lines stand: the section in one line,
// the entry from another on.
func shift(n *yaml.Node, top, first int) {
	if n.Line == 1 {
		n.Line = top
	} else {
		n.Line += first - 2
	}
	for _, c := range n.Content {
		shift(c, top, first)
	}
}

// lineOf finds the line from one on that has a key at an indent, and ends where the
// indent does.
func (p part) lineOf(from, indent int, key string) (int, bool) {
	for n := from; n <= p.file.Lines(); n++ {
		l := p.line(n)
		switch {
		case !says(l):
		case depth(l) < indent:
			return 0, false
		case depth(l) == indent:
			word, _, ok := strings.Cut(string(l[indent:]), ":")
			if ok && strings.Trim(word, `"'`) == key {
				return n, true
			}
		}
	}
	return 0, false
}

// line is a line of the file without its line break.
func (p part) line(n int) []byte {
	text := p.file.Text[p.file.LineStart(n):]
	if end := bytes.IndexByte(text, '\n'); end >= 0 {
		text = text[:end]
	}
	return bytes.TrimSuffix(text, []byte("\r"))
}

// says tells whether a line is neither empty nor a comment.
func says(l []byte) bool {
	l = bytes.TrimLeft(l, " ")
	return len(l) > 0 && l[0] != '#'
}

func depth(l []byte) int { return len(l) - len(bytes.TrimLeft(l, " ")) }
