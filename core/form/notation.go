package form

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"ropeswing/core/finding"
)

// BadForm is what is wrong in the text of a form, and where.
type BadForm struct {
	Line, Column int // from 1
	Why          string
}

func (e *BadForm) Error() string {
	return fmt.Sprintf("line %d, column %d: %s", e.Line, e.Column, e.Why)
}

// Version is the version of the language of forms.
const Version = 1

// LargestForm is how large the text of a form may be, in bytes.
const LargestForm = 1 << 20

// mostLine is how long a line of a form may be, in bytes.
const mostLine = 4096

// Parse reads a form. Its errors are of the type *BadForm.
func Parse(text string) (*Form, error) {
	if len(text) > LargestForm || !utf8.ValidString(text) {
		return nil, &BadForm{1, 1, "it is no form: a form is UTF-8 text of at most 1 MB"}
	}
	lines := strings.Split(strings.TrimPrefix(text, "\ufeff"), "\n")
	name, ok := strings.CutPrefix(strings.TrimRight(lines[0], "\r "), "#")
	name, version, versioned := strings.Cut(name, ", form ")
	if !ok || !versioned || strings.TrimSpace(name) == "" {
		return nil, &BadForm{1, 1, "a form begins with a line that names the gear: '# harbour lamp bus, form 1'"}
	}
	if version != strconv.Itoa(Version) {
		return nil, &BadForm{1, 1, "it is of version " + version + " of the format, and this program reads 1"}
	}
	p := &parser{form: &Form{Name: strings.TrimSpace(name)}}
	for n, line := range lines[1:] {
		if err := p.line(n+2, strings.TrimRight(line, "\r \t")); err != nil {
			return nil, err
		}
	}
	return p.form, p.finish()
}

// parser reads the lines of a form.
type parser struct {
	form *Form
	open []*Line // the blocks that the next line may stand in
	gap  bool
	last *Line
}

func (p *parser) line(n int, line string) error {
	text := strings.TrimLeft(line, " ")
	indent := line[:len(line)-len(text)]
	fail := func(column int, why string, args ...any) error {
		return &BadForm{n, utf8.RuneCountInString(line[:min(column, len(line))]) + 1, fmt.Sprintf(why, args...)}
	}
	switch {
	case text == "":
		p.gap = true
		return nil
	case len(line) > mostLine:
		return fail(0, "the line is longer than %d bytes", mostLine)
	case text[0] == '#':
		return nil
	case strings.HasPrefix(text, "\t"):
		return fail(len(indent), "blocks are indented by blanks, not tabs")
	case strings.ContainsFunc(text, func(c rune) bool { return c < ' ' && c != '\t' || c == 0x7f }):
		return fail(len(indent), "there is a control character in the line")
	}
	if directive(text) {
		return p.directive(text, fail)
	}
	atoms, marks, err := parseAtoms(text, func(at int, why string, args ...any) error { return fail(len(indent)+at, why, args...) })
	if err != nil {
		return err
	}
	l := &Line{Atoms: atoms, Indent: indent, Gap: p.gap && p.last != nil, Number: n}
	ended := slices.ContainsFunc(marks, func(m mark) bool { return m.text == "end" })
	for len(p.open) > 0 && len(p.open[len(p.open)-1].Indent) > len(indent) {
		p.open = p.open[:len(p.open)-1]
	}
	if k := len(p.open) - 1; k >= 0 && len(p.open[k].Indent) == len(indent) {
		before := p.open[k]
		if before.Tail == "" && len(atoms) == 1 && atoms[0].constant() && (ended || endsBlock(atoms[0].Text)) &&
			(len(before.Kids) > 0 || ended) {
			before.Tail, p.gap = atoms[0].Text, false
			p.open = p.open[:k+1]
			return nil
		}
		p.open = p.open[:k]
	}
	if ended {
		return fail(len(indent), "{end} marks the line that ends the block above it, indented as the block's first line is")
	}
	into := &p.form.Lines
	if len(p.open) > 0 {
		into = &p.open[len(p.open)-1].Kids
	}
	if k := len(*into) - 1; k >= 0 && (*into)[k].Indent != indent {
		return fail(0, "it is indented otherwise than the line %d that it goes with", (*into)[k].Number)
	}
	*into = append(*into, l)
	p.open, p.gap, p.last = append(p.open, l), false, l
	return p.mark(l, marks, fail)
}

// directive takes in a line that says something of the form, or what takes the line above it away.
func (p *parser) directive(text string, fail func(int, string, ...any) error) error {
	word, value, _ := strings.Cut(text, ": ")
	value = strings.TrimSpace(value)
	switch {
	case word == "leave":
		p.form.Leave = value
	case word == "indent" && value != IndentTab && value != IndentNone:
		return fail(0, "'indent: tab' and 'indent: none' say how blocks are written; else they are written as they stand")
	case word == "indent":
		p.form.Indent = value
	case p.last != nil:
		p.last.Remove = value
	case !strings.Contains(value, "{line}"):
		return fail(0, "what takes any line away has {line} in it, in the place of the line: 'remove: not {line}'")
	default:
		p.form.Remove = value
	}
	return nil
}

// mark is a slot that prints nothing: what it says, and where it stands in the line.
type mark struct {
	text string
	at   int
}

// mark takes in what a line's marks say of it. Facts are found once it is known what the line is about.
func (p *parser) mark(l *Line, marks []mark, fail func(int, string, ...any) error) error {
	context := Device
	if len(p.open) > 1 {
		context = p.open[len(p.open)-2].Kind
	}
	l.Kind = context
	for _, m := range marks {
		if word, ok := strings.CutPrefix(m.text, "each "); ok {
			k := slices.Index(kindNames[:], word)
			if k < 0 || !Kind(k).under(context) {
				return fail(m.at, "there is nothing called '%s' in a %s%s", word, context, near(word, kindNames[:]))
			}
			l.Kind, l.Each = Kind(k), true
		}
	}
	for _, a := range flat(l.Atoms) {
		if a.Fact == nil || a.Fact.Of != unresolved {
			continue
		}
		for k := range kinds {
			if keys[k].Name == a.Fact.Name && k.under(context) && k.under(l.Kind) {
				l.Kind = k
			}
		}
	}
	if err := resolve(l.Atoms, l, fail); err != nil {
		return err
	}
	for _, m := range marks {
		switch name, value, ok := strings.Cut(m.text, " is "); {
		case m.text == "guess":
			l.Guess = true
		case ok:
			f := l.fact(name)
			if f == nil {
				return fail(m.at, "%s", noSlot(l.Kind, name))
			}
			g := Guard{Fact: f}
			if rest, not := strings.CutPrefix(value, "not "); not {
				g.Not, value = true, rest
			}
			if value != "none" {
				g.Value = value
			}
			if f.Type == Words && g.Value != "" && !slices.Contains(f.Words, value) {
				return fail(m.at, "%s is %s, not %s", name, strings.Join(f.Words, " or "), value)
			}
			l.Guards = append(l.Guards, g)
		}
	}
	return nil
}

// unresolved is what a slot's fact is of until it is known what its line is about.
const unresolved = kinds

// fact finds a fact of what the line is about, or of what that lies in.
func (l *Line) fact(name string) *Fact {
	for k := l.Kind; ; k = parents[k] {
		if f := factNamed(k, name); f != nil {
			return f
		}
		if k == Device {
			return nil
		}
	}
}

// resolve finds the facts of slots.
func resolve(atoms []Atom, l *Line, fail func(int, string, ...any) error) error {
	for i := range atoms {
		a := &atoms[i]
		if a.Part != nil {
			if err := resolve(a.Part, l, fail); err != nil {
				return err
			}
		}
		if a.Fact == nil {
			continue
		}
		at := a.From // where it stands
		a.From = 0
		name := a.Fact.Name
		a.Fact = l.fact(name)
		if a.Fact == nil {
			return fail(at, "%s", noSlot(l.Kind, name))
		}
		if a.Fact.Type == Words && len(a.Words) == 0 {
			for _, w := range a.Fact.Words {
				a.Words = append(a.Words, Word{w, w})
			}
		}
		for _, w := range a.Words {
			if a.Fact.Type == Words && !slices.Contains(a.Fact.Words, w.Value) {
				return fail(at, "%s is %s, not %s%s", name, strings.Join(a.Fact.Words, " or "), w.Value, near(w.Value, a.Fact.Words))
			}
		}
		if err := a.checkShape(); err != "" {
			return fail(at, "%s", err)
		}
		if i > 0 && atoms[i-1].Fact != nil && open(atoms[i-1].Fact) && open(a.Fact) {
			return fail(at, "nothing stands between two slots: where one ends cannot be told")
		}
	}
	return nil
}

// checkShape finds a shape that values of the slot's fact cannot have.
func (a *Atom) checkShape() string {
	switch a.Fact.Type {
	case Names, Numbers:
		if a.Shape == "" {
			return fmt.Sprintf("{%s} is a list; say what parts it: {%s with \", \"}", a.Fact.Name, a.Fact.Name)
		}
		if shape := strings.TrimSuffix(a.Shape, anyRuns); shape != anyWith {
			if s := parseListShape(shape); s.with == "" || s.String() != shape {
				return fmt.Sprintf("'%s' says no way to write a list: with \", \", then runs \"-\", short, last \" and \"", a.Shape)
			}
		}
	default:
		if !slices.Contains(a.Fact.shapesOf(), a.Shape) {
			var all []string
			for _, s := range a.Fact.shapesOf() {
				if s != "" {
					all = append(all, "'"+s+"'")
				}
			}
			if len(all) == 0 {
				return fmt.Sprintf("{%s} is written in one way only, and takes no '%s'", a.Fact.Name, a.Shape)
			}
			return fmt.Sprintf("{%s} may be written as %s, not '%s'", a.Fact.Name, strings.Join(all, ", "), a.Shape)
		}
	}
	return ""
}

// noSlot says that a line about a kind has no such slot, and which is meant or where it belongs.
func noSlot(kind Kind, name string) string {
	own := []string{"mask", "inverse"}
	var names []string
	for i := range Facts {
		if f := &Facts[i]; kind.under(f.Of) || f.Of.under(kind) && f.Key {
			names = append(names, f.Name)
		}
		own = append(own, Facts[i].Name)
	}
	text := fmt.Sprintf("a line about a %s has no slot {%s}", kind, name)
	if guess, ok := finding.Nearest(name, names); ok {
		return text + "; did you mean {" + guess + "}?"
	}
	if guess, ok := finding.Nearest(name, own); ok && guess != name {
		return text + "; did you mean {" + guess + "}?"
	}
	for i := range Facts {
		if Facts[i].Name == name {
			return text + fmt.Sprintf(": that is said of a %s, which is named by {%s}", Facts[i].Of, keys[Facts[i].Of].Name)
		}
	}
	return text + "; it may have " + strings.Join(names, ", ")
}

func near(word string, all []string) string {
	if guess, ok := finding.Nearest(word, all); ok {
		return "; did you mean " + guess + "?"
	}
	return ""
}

// parseAtoms reads the text of a line: its atoms, and the marks, which print nothing.
func parseAtoms(text string, fail func(int, string, ...any) error) (atoms []Atom, marks []mark, err error) {
	var into []*[]Atom
	into = append(into, &atoms)
	var word strings.Builder
	part := -1 // where the part that is open begins
	var before []Atom
	flush := func() {
		if word.Len() > 0 {
			*into[len(into)-1] = append(*into[len(into)-1], Atom{Text: word.String()})
			word.Reset()
		}
	}
	for i := 0; i < len(text); {
		switch c := text[i]; {
		case c == '\\' && i+1 < len(text):
			_, size := utf8.DecodeRuneInString(text[i+1:])
			word.WriteString(text[i+1 : i+1+size])
			i += 1 + size
		case c == '[':
			if part >= 0 {
				return nil, nil, fail(i, `a part that may be left out holds no other; a sign is written \[`)
			}
			flush()
			part, before, atoms = i, atoms, nil
			i++
		case c == ']' && part >= 0:
			flush()
			if !slices.ContainsFunc(atoms, func(a Atom) bool { return a.Fact != nil }) {
				return nil, nil, fail(part, `nothing says when the part in brackets is left out: it has no slot; a sign is written \[`)
			}
			atoms, part = append(before, Atom{Part: atoms}), -1
			i++
		case c == '{' && i+1 < len(text) && isLetter(text[i+1]):
			end := slotEnd(text, i)
			if end < 0 {
				return nil, nil, fail(i, `the slot that begins here has no }; a brace of the gear's own is written \{`)
			}
			flush()
			a, m, why := parseSlot(text[i+1 : end])
			if why != "" {
				return nil, nil, fail(i, "%s", why)
			}
			if m != "" {
				marks = append(marks, mark{m, i})
			} else {
				if a.Fact != nil {
					a.From = i
				}
				atoms = append(atoms, a)
			}
			i = end + 1
		case c == ' ' && strings.HasPrefix(text[i:], "  ") || c == '\t':
			for i < len(text) && (text[i] == ' ' || text[i] == '\t') {
				i++
			}
			word.WriteByte('\t')
		default:
			word.WriteByte(c)
			i++
		}
	}
	if part >= 0 {
		return nil, nil, fail(part, `the part that begins here has no ]; a sign is written \[`)
	}
	flush()
	for k := len(atoms) - 1; k >= 0 && atoms[k].constant(); k-- { // blanks before marks
		if atoms[k].Text = strings.TrimRight(atoms[k].Text, " \t"); atoms[k].Text != "" {
			break
		}
		atoms = atoms[:k]
	}
	return atoms, marks, nil
}

// open tells whether the values of a fact can have any letters, so that something must say where one ends.
func open(f *Fact) bool { return f.Type == Text || f.Type == Name }

// slotEnd is where the slot that begins at a place ends; -1 where it does not.
func slotEnd(text string, from int) int {
	quoted := false
	for i := from + 1; i < len(text); i++ {
		switch {
		case text[i] == '\\' && quoted:
			i++
		case text[i] == '"':
			quoted = !quoted
		case text[i] == '}' && !quoted:
			return i
		}
	}
	return -1
}

// parseSlot reads what stands in a slot: an atom, or a mark. The atom's fact has only its name yet.
func parseSlot(text string) (a Atom, m, why string) {
	text = strings.TrimSpace(text)
	head, words, has := cutWords(text)
	name, rest, _ := strings.Cut(strings.TrimSpace(head), " ")
	rest = strings.TrimSpace(rest)
	switch {
	case text == "any":
		return Atom{Any: true}, "", ""
	case text == "end", text == "guess", name == "each", strings.HasPrefix(rest, "is "):
		return a, text, ""
	case name == "count":
		a.Count = true
		if _, err := fmt.Sscanf(rest, "from %d by %d", &a.From, &a.By); err != nil || a.From < 0 || a.By == 0 {
			return a, "", "numbers of entries are written {count from 10 by 10}"
		}
		return a, "", ""
	case name == "mask", name == "inverse":
		name, rest = "length", name
	}
	a.Fact, a.Shape = &Fact{Name: name, Of: unresolved}, rest
	if !has {
		return a, "", ""
	}
	for _, w := range words {
		value, text, ok := strings.Cut(w, "=")
		value, text = strings.TrimSpace(value), strings.TrimSpace(text)
		if !ok || value == "" {
			return a, "", fmt.Sprintf("'%s' says no word for a value: {admin: up = lit | down = dark}", strings.TrimSpace(w))
		}
		if strings.HasPrefix(text, `"`) {
			q, err := strconv.Unquote(text)
			if err != nil {
				return a, "", fmt.Sprintf("%s is no word in quotes", text)
			}
			text = q
		}
		if value == "none" {
			a.HasNone, a.None = true, text
			continue
		}
		for _, x := range a.Words {
			if x.Text == text || x.Value == value {
				return a, "", fmt.Sprintf("the words of {%s} do not tell '%s' from '%s'", name, x.Value, value)
			}
		}
		a.Words = append(a.Words, Word{value, text})
	}
	return a, "", ""
}

// cutWords cuts a slot at its colon, and the words behind that at the bars, but for those in quotes.
func cutWords(text string) (head string, words []string, has bool) {
	quoted, from := false, 0
	for i := 0; i < len(text); i++ {
		switch {
		case text[i] == '\\' && quoted:
			i++
		case text[i] == '"':
			quoted = !quoted
		case quoted:
		case text[i] == ':' && !has:
			head, from, has = text[:i], i+1, true
		case text[i] == '|' && has:
			words, from = append(words, text[from:i]), i+1
		}
	}
	if !has {
		return text, nil, false
	}
	return head, append(words, text[from:]), true
}

// finish sees to what holds of a form as a whole, and makes its lines ready to read.
func (p *parser) finish() error {
	if len(p.form.Lines) == 0 {
		return &BadForm{1, 1, "it has no lines"}
	}
	return p.form.ready()
}

// ready makes the lines ready to read and to write.
func (f *Form) ready() error {
	var walk func(all []*Line, about Kind) error
	walk = func(all []*Line, about Kind) error {
		siblings(all)
		for _, l := range all {
			l.program = compile(l.Atoms)
			if l.Kind == about {
				l.beside = all
			}
			if l.Each && len(l.Kids) == 0 {
				return &BadForm{l.Number, 1, "{each …} is for a line with a block, which says what it is about"}
			}
			if err := walk(l.Kids, l.Kind); err != nil {
				return err
			}
		}
		return nil
	}
	return walk(f.Lines, Device)
}

// siblings sees to lines of one block that would say the same of the same addresses: the first stands for the first address of an
// interface, the next for the others.
func siblings(all []*Line) {
	about := func(l *Line) string {
		var names []string
		for _, a := range flat(l.Atoms) {
			if a.Fact != nil {
				names = append(names, a.Fact.Name+a.Shape)
			}
		}
		return strings.Join(names, " ")
	}
	secondary := factNamed(Address, "secondary")
	for i, l := range all {
		if l.Kind != Address || len(l.Guards) > 0 {
			continue
		}
		for _, other := range all[i+1:] {
			if other.Kind == Address && len(other.Guards) == 0 && about(l) == about(other) && !strings.Contains(about(l), "secondary") {
				l.Guards = append(l.Guards, Guard{Fact: secondary, Value: "no"})
				other.Guards = append(other.Guards, Guard{Fact: secondary, Value: "yes"})
				break
			}
		}
	}
}
