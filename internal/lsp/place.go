package lsp

import (
	"slices"
	"strings"

	"go.lsp.dev/protocol"

	"ropeswing/core/plan"
)

// place is where in a plan a position is. It is found from the text alone, since what is just
// typed is seldom a whole plan.
type place struct {
	path  []string // the keys around it, from the top
	key   string   // the key it is at, or at whose value
	onKey bool     // at a key, or where one may be typed
	typed string   // what stands there so far
}

// frame is a map or a list in one line.
type frame struct {
	key   string
	value bool // behind the colon
	list  bool
	from  int // where what is typed begins
}

// pathTo finds where a position is.
func (t *text) pathTo(p protocol.Position) place {
	line := t.before(p)
	end := len(line)
	if int(p.Line) < len(t.lines) { // the whole of the word that one points at
		whole := t.lines[p.Line]
		for end < len(whole) && !strings.ContainsRune(" :,{}[]#", rune(whole[end])) {
			end++
		}
		line = whole[:end]
	}
	indent, content := cutIndent(line)
	frames := scan(content)
	top := frames[len(frames)-1]
	x := place{path: t.above(int(p.Line), indent), key: top.key, typed: content[min(top.from, len(content)):]}
	for _, f := range frames[:len(frames)-1] {
		if !f.list {
			x.path = append(x.path, f.key)
		}
	}
	x.onKey = !top.value && !top.list
	if x.onKey {
		x.key = strings.TrimSpace(x.typed)
	}
	if top.list && len(frames) > 1 { // an item of a list is a value of the list's key
		x.key, x.path = frames[len(frames)-2].key, x.path[:max(0, len(x.path)-1)]
	}
	return x
}

// cutIndent cuts off what a line begins with; the dash of a list counts as room.
func cutIndent(line string) (int, string) {
	n := 0
	for n < len(line) && (line[n] == ' ' || line[n] == '-' && (n+1 == len(line) || line[n+1] == ' ')) {
		n++
	}
	return n, line[n:]
}

// above are the keys that a line of an indent stands under.
func (t *text) above(line, indent int) []string {
	var path []string
	for i := line - 1; i >= 0 && indent > 0; i-- {
		bare := strings.TrimRight(t.lines[i], " \r")
		if bare == "" || strings.HasPrefix(strings.TrimSpace(bare), "#") {
			continue
		}
		at, content := cutIndent(bare)
		key, _, ok := strings.Cut(content, ":")
		if at < indent && ok {
			path, indent = append(path, strings.Trim(key, `"' `)), at
		}
	}
	slices.Reverse(path)
	return path
}

// scan reads a line up to its end: the maps and lists that are open there.
func scan(content string) []frame {
	frames := []frame{{}}
	var quote byte
	for i := 0; i < len(content); i++ {
		c, top := content[i], &frames[len(frames)-1]
		switch {
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '#' && (i == 0 || content[i-1] == ' '):
			return frames
		case c == ':' && !top.value && !top.list && (i+1 == len(content) || content[i+1] == ' '):
			top.key, top.value, top.from = strings.Trim(content[top.from:i], `"' `), true, i+1
		case c == '{', c == '[':
			frames = append(frames, frame{list: c == '[', from: i + 1})
		case (c == '}' || c == ']') && len(frames) > 1:
			frames = frames[:len(frames)-1]
		case c == ',' && len(frames) > 1:
			top.from = i + 1
			if !top.list {
				top.key, top.value = "", false
			}
		}
	}
	return frames
}

// kindAt is the kind of map at a path, as the table of keys calls it; "" where names of one's own
// stand, or none is known.
func kindAt(path []string) string {
	if len(path) == 0 {
		return "plan"
	}
	switch n := len(path); path[0] {
	case "settings", "wants", "accept":
		if n == 1 {
			return path[0]
		}
	case "access":
		switch {
		case n == 1:
			return "access"
		case n == 2 && path[1] == "methods":
			return "method"
		case n == 3 && path[1] == "methods":
			return "secret"
		}
	case "blocks":
		if n == 2 {
			return "block"
		}
	case "cables":
		if n == 2 {
			return "cable"
		}
	case "segments":
		switch {
		case n == 2:
			return "segment"
		case n == 3 && path[2] == "leases":
			return "lease"
		}
	case "devices":
		switch {
		case n == 2:
			return "device"
		case n == 3 && (path[2] == "permits" || path[2] == "own-permits"):
			return "permit"
		case n == 4 && path[2] == "interfaces":
			return "interface"
		case n == 4 && path[2] == "routes", n == 5 && path[2] == "tables":
			return "route"
		}
	}
	return ""
}

// keyAt is what the reference says of a key in the map at a path.
func keyAt(path []string, name string) (plan.KeyDoc, string, bool) {
	return plan.KeyNamed(kindAt(path), name)
}
