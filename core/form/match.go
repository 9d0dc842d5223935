package form

import "strings"

// op is a step of matching a line: a constant, a slot, a number, anything, or a choice between going on and leaving a part out.
type op struct {
	atom *Atom
	text string
	skip int // of parts: the op behind them
	what opKind
	alts []int // of parts: where each begins
	back int   // of the end of a part: the op of its parts
}

type opKind uint8

const (
	opText opKind = iota
	opSlot
	opCount
	opAny
	opParts // parts that stand one behind another, each of which may be left out; they are read in any order
	opEnd   // of one part
)

// compile makes the steps by which a line is matched.
func compile(atoms []Atom) []op {
	var all []op
	for i := 0; i < len(atoms); i++ {
		a := &atoms[i]
		switch {
		case a.Part != nil:
			at := len(all)
			all = append(all, op{what: opParts})
			for ; i < len(atoms) && atoms[i].Part != nil && len(all[at].alts) < 30; i++ {
				all[at].alts = append(all[at].alts, len(all))
				all = append(all, compile(atoms[i].Part)...) // holds no parts
				all = append(all, op{what: opEnd, back: at})
			}
			i--
			all[at].skip = len(all)
		case a.Count:
			all = append(all, op{what: opCount})
		case a.Any:
			all = append(all, op{what: opAny})
		case a.Fact != nil:
			all = append(all, op{what: opSlot, atom: a})
		default:
			all = append(all, op{what: opText, text: a.Text})
		}
	}
	return all
}

// got is a slot and the value that was read for it; has is false where it says that there is none.
type got struct {
	fact  *Fact
	value string
	has   bool
}

// matcher matches one line: each place of the line is tried once for each step, so that no line takes long.
type matcher struct {
	program []op
	text    string
	failed  map[state]bool
	got     []got
}

// state is a step, a place of the line, and which of the parts at hand were read.
type state struct {
	pc, at int
	parts  uint32
}

// longestLine is how long a line of a text may be for its slots to be looked for, in bytes.
const longestLine = 16 << 10

// match reads a line by steps; false where it is none of theirs. Empty cells at the end of a row need not stand there.
func match(program []op, text string) ([]got, bool) {
	if cells := strings.Count(text, "\t"); cells > 0 {
		want := 0
		for i := range program {
			want += strings.Count(program[i].text, "\t")
		}
		for ; cells > want && strings.HasSuffix(text, "\t"); cells-- {
			text = text[:len(text)-1]
		}
		if cells < want {
			text += strings.Repeat("\t", want-cells)
		}
	}
	if len(program) == 0 || len(text) > longestLine || program[0].what == opText && !strings.HasPrefix(text, program[0].text) {
		return nil, false
	}
	m := matcher{program: program, text: text}
	if !m.from(0, 0, 0) {
		return nil, false
	}
	for i, a := range m.got { // a slot that stands twice says the same twice
		for _, b := range m.got[:i] {
			if a.fact == b.fact && (a.value != b.value || a.has != b.has) {
				return nil, false
			}
		}
	}
	return m.got, true
}

func (m *matcher) from(pc, at int, parts uint32) bool {
	for ; pc < len(m.program) && m.program[pc].what == opText; pc++ {
		if !strings.HasPrefix(m.text[at:], m.program[pc].text) {
			return false
		}
		at += len(m.program[pc].text)
	}
	if pc == len(m.program) {
		return at == len(m.text)
	}
	here := state{pc, at, parts}
	if m.failed[here] {
		return false
	}
	if m.failed == nil {
		m.failed = map[state]bool{}
	}
	m.failed[here] = true
	o := &m.program[pc]
	switch o.what {
	case opParts:
		for n, part := range o.alts {
			if parts&(1<<n) == 0 && m.from(part, at, parts|1<<n) {
				return true
			}
		}
		return m.from(o.skip, at, 0)
	case opEnd:
		return m.from(o.back, at, parts)
	case opCount:
		end := at
		for end < len(m.text) && m.text[end] >= '0' && m.text[end] <= '9' {
			end++
		}
		return end > at && m.from(pc+1, end, parts)
	case opAny:
		for end := len(m.text); end >= at; end-- {
			if m.from(pc+1, end, parts) {
				return true
			}
		}
		return false
	}
	return m.slot(o.atom, pc, at, parts)
}

// slot tries what may be the slot's value at a place.
func (m *matcher) slot(a *Atom, pc, at int, parts uint32) bool {
	n := len(m.got)
	try := func(end int, value string, has bool) bool {
		m.got = append(m.got[:n], got{a.Fact, value, has})
		if m.from(pc+1, end, parts) {
			return true
		}
		m.got = m.got[:n]
		return false
	}
	if a.HasNone && strings.HasPrefix(m.text[at:], a.None) && try(at+len(a.None), "", false) {
		return true
	}
	for _, w := range a.Words {
		if strings.HasPrefix(m.text[at:], w.Text) && try(at+len(w.Text), w.Value, true) {
			return true
		}
	}
	if a.Fact.Type == Words {
		return false
	}
	end := at
	last := at
	for last < len(m.text) && a.Fact.letter(m.text[last]) {
		last++
	}
	// what may have any letters ends as early as it may; else a value goes on for as long as its letters do
	if open(a.Fact) || a.Fact.Type == Names || a.Fact.Type == Numbers {
		ends := func(end int) bool {
			if end < len(m.text) && !m.follows(pc+1, end) {
				return false
			}
			v, err := a.Fact.read(a.Shape, m.text[at:end])
			return err == nil && try(end, v, true)
		}
		if a.Fact.Type == Text || a.Fact.Type == Names || a.Fact.Type == Numbers {
			for end = last; end > at; end-- {
				if ends(end) {
					return true
				}
			}
			return false
		}
		for end = at + 1; end <= last; end++ {
			if ends(end) {
				return true
			}
		}
		return false
	}
	for end = last; end > at && end > at-48; end-- {
		if end < len(m.text) && !m.follows(pc+1, end) {
			continue
		}
		if v, err := a.Fact.read(a.Shape, m.text[at:end]); err == nil && try(end, v, true) {
			return true
		}
	}
	return false
}

// follows tells quickly whether a step may go on at a place.
func (m *matcher) follows(pc, at int) bool {
	if pc >= len(m.program) {
		return false
	}
	o := &m.program[pc]
	return o.what != opText || strings.HasPrefix(m.text[at:], o.text)
}

// letter tells whether a byte may stand in a value of the fact.
func (f *Fact) letter(c byte) bool {
	digit := c >= '0' && c <= '9'
	switch f.Type {
	case Number, Speed:
		return digit
	case Length:
		return digit || c == '.'
	case Addr:
		return digit || c == '.' || c == ':' || c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F'
	case MAC:
		return digit || c == '.' || c == ':' || c == '-' || c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F'
	case Text:
		return c != '\t'
	case Numbers, Names:
		return c != '\t'
	}
	return c != ' ' && c != '\t'
}
