package plan

import (
	"bytes"
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/source"
)

// Edit replaces the bytes at a place by a text; where the place is empty it
// inserts. All that is not edited stays as it is, to the byte.
type Edit struct {
	Place source.Place
	Text  string
}

// Apply returns the file's text with those of the edits made that are in it.
// Edits must not overlap.
func Apply(file *source.File, edits ...Edit) []byte {
	edits = slices.DeleteFunc(slices.Clone(edits), func(e Edit) bool { return e.Place.File != file })
	slices.SortStableFunc(edits, func(a, b Edit) int { return a.Place.Start - b.Place.Start })
	var out bytes.Buffer
	at := 0
	for _, e := range edits {
		out.Write(file.Text[at:e.Place.Start])
		out.WriteString(e.Text)
		at = e.Place.End
	}
	out.Write(file.Text[at:])
	return out.Bytes()
}

// Put is the edit that gives the key at the end of path the value, both as
// they are to stand in the file. A value that is there is replaced; a key that
// is not is added behind the last of its map, in the layout of that map. It is
// false where the path leads through something that is no map.
//
// In a plan of several files it is made in the one that has the first two
// names of the path, else in the plan's own.
func (d *Document) Put(path []string, value string) (Edit, bool) {
	home, at := d.parts[0], (*yaml.Node)(nil)
	for _, p := range d.parts {
		root := p.tree(path)
		if c := child(root, path[0]); c != nil && len(path) > 1 && child(c, path[1]) != nil {
			home, at = p, root
			break
		}
	}
	if at == nil {
		at = home.tree(nil)
	}
	r := &reader{file: home.file}
	for i, name := range path {
		if at.Kind != yaml.MappingNode {
			return Edit{}, false
		}
		next := child(at, name)
		if next == nil {
			return r.add(at, path[i:], value)
		}
		at = next
	}
	start := home.file.Offset(at.Line, at.Column)
	return Edit{source.Place{File: home.file, Start: start, End: r.end(at)}, value}, true
}

// Rekey is the edit that gives the key at the end of path another name and value, both as they are to stand in the file. It is
// false where the key is not there.
func (d *Document) Rekey(path []string, key, value string) (Edit, bool) {
	for _, p := range d.parts {
		at, last := p.tree(path), (*yaml.Node)(nil)
		for _, name := range path {
			if at == nil || at.Kind != yaml.MappingNode {
				last = nil
				break
			}
			last = nil
			for i := 0; i+1 < len(at.Content); i += 2 {
				if at.Content[i].Value == name {
					last = at.Content[i]
				}
			}
			at = child(at, name)
		}
		if last == nil || at == nil {
			continue
		}
		r := &reader{file: p.file}
		start := p.file.Offset(last.Line, last.Column)
		return Edit{source.Place{File: p.file, Start: start, End: r.end(at)}, key + ": " + value}, true
	}
	return Edit{}, false
}

// WholeLine is the edit that takes an item of a list away that stands on a line of its own; false where it does not.
func WholeLine(p source.Place) (Edit, bool) {
	before, marked, after := p.Excerpt()
	if strings.TrimSpace(before) != "-" || strings.TrimSpace(after) != "" || marked != p.Text() {
		return Edit{}, false
	}
	start := p.Start - len(before)
	end := p.End + len(after)
	if end < len(p.File.Text) {
		end++ // its end of line
	}
	return Edit{source.Place{File: p.File, Start: start, End: end}, ""}, true
}

// Insert is the edit that puts an item into the list at the end of path, before
// the one that has the given place in it, in the layout of that list. A list that
// is not there is made; one word that stands for a list becomes one. It is false
// where there is something else.
func (d *Document) Insert(path []string, before int, item string) (Edit, bool) {
	for _, p := range d.parts {
		at := p.tree(path)
		for _, name := range path {
			if at != nil && at.Kind == yaml.MappingNode {
				at = child(at, name)
			} else {
				at = nil
			}
		}
		if at == nil {
			continue
		}
		r := &reader{file: p.file}
		switch {
		case at.Kind == yaml.ScalarNode:
			place := r.place(at)
			if before > 0 {
				return Edit{place, "[" + place.Text() + ", " + item + "]"}, true
			}
			return Edit{place, "[" + item + ", " + place.Text() + "]"}, true
		case at.Kind != yaml.SequenceNode || len(at.Content) == 0:
			return Edit{}, false
		}
		return r.insert(at, before, item), true
	}
	return d.Put(path, "["+item+"]")
}

// insert puts an item into a list that has some.
func (r *reader) insert(list *yaml.Node, before int, item string) Edit {
	flow := list.Style&yaml.FlowStyle != 0
	dash := strings.Repeat(" ", list.Column-1) + "- " + item
	if before < len(list.Content) {
		next := list.Content[before]
		if flow {
			start := r.file.Offset(next.Line, next.Column)
			return Edit{source.Place{File: r.file, Start: start, End: start}, item + ", "}
		}
		start := r.file.LineStart(next.Line)
		return Edit{source.Place{File: r.file, Start: start, End: start}, dash + "\n"}
	}
	end := r.end(list.Content[len(list.Content)-1])
	if flow {
		return Edit{source.Place{File: r.file, Start: end, End: end}, ", " + item}
	}
	for end < len(r.file.Text) && r.file.Text[end] != '\n' && r.file.Text[end] != '\r' {
		end++
	}
	return Edit{source.Place{File: r.file, Start: end, End: end}, "\n" + dash}
}

// child is the value of a map's key, nil where there is none.
func child(n *yaml.Node, name string) *yaml.Node {
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == name {
			return n.Content[i+1]
		}
	}
	return nil
}

// add makes the edit that adds a key, and those under it, to a map.
func (r *reader) add(n *yaml.Node, path []string, value string) (Edit, bool) {
	last := len(n.Content) - 1
	if n.Style&yaml.FlowStyle != 0 {
		text := Word(path[0]) + ": "
		for _, name := range path[1:] {
			text += "{" + Word(name) + ": "
		}
		text += value + strings.Repeat("}", len(path)-1)
		if last < 0 {
			end := r.end(n) - 1
			return Edit{source.Place{File: r.file, Start: end, End: end}, text}, true
		}
		end := r.end(n.Content[last])
		return Edit{source.Place{File: r.file, Start: end, End: end}, ", " + text}, true
	}
	if last < 0 {
		return Edit{}, false
	}
	newline := "\n"
	if bytes.Contains(r.file.Text, []byte("\r\n")) {
		newline = "\r\n"
	}
	indent := n.Content[0].Column - 1
	text := ""
	for i, name := range path {
		text += newline + strings.Repeat(" ", indent+2*i) + Word(name) + ":"
	}
	// Behind the last entry and whatever comment ends its line.
	end := r.end(n.Content[last])
	for end < len(r.file.Text) && r.file.Text[end] != '\n' && r.file.Text[end] != '\r' {
		end++
	}
	return Edit{source.Place{File: r.file, Start: end, End: end}, text + " " + value}, true
}

// end is the offset behind a node's last byte.
func (r *reader) end(n *yaml.Node) int {
	start := r.file.Offset(n.Line, n.Column)
	switch {
	case n.Kind == yaml.ScalarNode:
		if end := r.scalarEnd(n, start); end == start+len(n.Value) || n.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0 {
			return end
		}
		return r.indentedEnd(n.Line)
	case n.Style&yaml.FlowStyle != 0:
		return flowEnd(r.file.Text, start)
	case len(n.Content) == 0:
		return start
	}
	return r.end(n.Content[len(n.Content)-1])
}

// indentedEnd is the offset behind a text that begins on the line and goes on
// as long as lines are empty or indented deeper.
func (r *reader) indentedEnd(line int) int {
	text := r.file.Text
	lineOf := func(n int) []byte {
		first, _, _ := bytes.Cut(text[r.file.LineStart(n):], []byte("\n"))
		return bytes.TrimRight(first, "\r")
	}
	depth := func(l []byte) int { return len(l) - len(bytes.TrimLeft(l, " ")) }
	last := line
	for n := line + 1; n <= r.file.Lines(); n++ {
		l := lineOf(n)
		switch {
		case len(bytes.TrimSpace(l)) == 0:
			continue
		case depth(l) <= depth(lineOf(line)):
			return r.file.LineStart(last) + len(lineOf(last))
		}
		last = n
	}
	return r.file.LineStart(last) + len(lineOf(last))
}

// flowEnd is the offset behind the bracket that closes the one at start.
func flowEnd(text []byte, start int) int {
	depth := 0
	for i := start; i < len(text); i++ {
		switch text[i] {
		case '[', '{':
			depth++
		case ']', '}':
			if depth--; depth == 0 {
				return i + 1
			}
		case '"', '\'':
			// A quote inside a plain word, as in o'clock, opens nothing.
			if bytes.IndexByte([]byte(" \t\n\r[{,:"), text[i-1]) >= 0 {
				i = quotedEnd(text, i) - 1
			}
		case '#':
			if text[i-1] == ' ' || text[i-1] == '\t' || text[i-1] == '\n' {
				for i+1 < len(text) && text[i+1] != '\n' {
					i++
				}
			}
		}
	}
	return len(text)
}
