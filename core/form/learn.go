package form

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// Example is a device, and the text in which its gear says it.
type Example struct {
	Device *Thing
	Text   string
}

// Learnt is a form that was learnt, and what is to be said of it.
type Learnt struct {
	Form       *Form
	Lines      int // of the texts that are not empty
	Understood int // of them: those that a line of the form prints
	Questions  []Question
}

// Question is what the texts leave open.
type Question struct {
	Ask  Ask
	Line string   // of the form, or of a text
	Of   []string // what it is about: facts, values, other readings
}

// Ask is what a question asks.
type Ask uint8

// The questions.
const (
	WhichValue  Ask = iota // a value of the line may be one fact or another
	WhenWritten            // no fact tells for which things the line is written
	NoLineTells            // a fact that no line tells
	HowRun                 // no text shows how a run of a list is written
	AlwaysSo               // a value that is the same in all lines: a slot, or always so
	NotKnown               // a line names something of the plan, and is not understood
	KeepOrPass             // a line that holds nothing of the plan: kept for which devices?
	Blanked                // what looks like a secret was left out: the line is passed over
	Kept                   // a line that holds nothing of the plan, kept for every device
)

// learner learns a form.
type learner struct {
	questions []Question
	index     []map[string][]hit // by example
	odd       [][]string         // by example: texts that no cut shows
	examples  []Example
	texts     []*textLine
	all       []*draft
	lines     int
	known     int
}

// hit is what a stretch of text may be: the value of a fact of a thing, in a shape.
type hit struct {
	thing *Thing
	fact  *Fact
	shape string
}

// anyList stands for the shape of a list until it is known which shapes fit all lines.
const anyList = "*"

// mostLearnt is how many lines a text to learn from may have: what has more shows the same again.
const mostLearnt = 20_000

// row is a line of a text that a draft prints.
type row struct {
	example, instance, n int
	thing                *Thing
	line                 *textLine
}

// draft is a line of the form to be, with the lines of the texts that it prints.
type draft struct {
	Line
	rows  []row
	sure  bool
	twins []*draft // never seen: by analogy
	made  []*draft // those that it was made of
	key   string   // its atoms as a form has them

	cost      int // how much in it may be one thing or another, beyond what it was made of
	begun     bool
	beginning string // what begins is
}

func (d *draft) with(atoms []Atom, guards []Guard, rows []row) *draft {
	return &draft{Line: Line{Kind: d.Kind, Atoms: atoms, Guards: guards}, rows: rows, sure: true, key: spell(atoms, false)}
}

// Learn learns a form from texts of devices of which it is known what they say. The richest example comes first.
func Learn(name string, examples []Example) (*Learnt, error) {
	var best *Learnt
	for n, how := range waysToNest(examples) {
		l, err := learnNested(name, examples, how)
		if err != nil {
			return nil, err
		}
		if best == nil || l.Understood > best.Understood {
			best = l
		}
		if n == 0 && best.Understood == best.Lines {
			break
		}
	}
	return best, nil
}

// NothingToLearn is that a text is none to learn from.
type NothingToLearn struct{ Why string }

func (e *NothingToLearn) Error() string { return e.Why }

func learnNested(name string, examples []Example, how nesting) (*Learnt, error) {
	l := &learner{examples: examples}
	for _, e := range examples {
		text := nest(e.Text, how)
		n := len(text.everything()) - 1
		if n > mostLearnt {
			why := fmt.Sprintf("the text of %s has more than %d lines; take a device that has fewer", e.Device.label(), mostLearnt)
			return nil, &NothingToLearn{why}
		}
		if n == 0 {
			return nil, &NothingToLearn{fmt.Sprintf("the text of %s is empty", e.Device.label())}
		}
		l.texts, l.lines, l.index = append(l.texts, text), l.lines+n, append(l.index, indexed(e.Device))
		l.odd = append(l.odd, oddWords(l.index[len(l.index)-1]))
	}
	l.findTails()
	var instances []instance
	for n := range examples {
		instances = append(instances, instance{n, examples[n].Device, l.texts[n]})
	}
	f := &Form{Name: name}
	f.Indent = indentOf(examples)
	f.Lines = l.level(&draft{Line: Line{Kind: Device}}, instances)
	for _, a := range l.all {
		for _, b := range l.all {
			if a != b && a.Kind == b.Kind {
				sharedWords(a, b)
			}
		}
	}
	l.listsOf()
	if err := f.ready(); err != nil {
		return nil, err
	}
	f.closeGaps(examples)
	// what is kept is what can be read: the text of the form
	again, err := Parse(f.Text())
	if err != nil {
		return nil, fmt.Errorf("what was learnt is no form: %w", err)
	}
	l.ask(again)
	return &Learnt{Form: again, Lines: l.lines, Understood: l.known, Questions: l.questions}, nil
}

// closeGaps takes away the gaps between lines that make no difference to what is written.
func (f *Form) closeGaps(examples []Example) {
	write := func() string {
		text := ""
		for _, e := range examples {
			text += f.Write(e.Device) + "\x00"
		}
		return text
	}
	want := write()
	var walk func(all []*Line)
	walk = func(all []*Line) {
		for _, l := range all {
			if l.Gap {
				l.Gap = false
				if write() != want {
					l.Gap = true
				}
			}
			walk(l.Kids)
		}
	}
	walk(f.Lines)
}

// indentOf is how the blocks of the texts are indented: "" as a form is, else IndentTab or IndentNone.
func indentOf(examples []Example) string {
	how := IndentNone
	for _, e := range examples {
		for line := range strings.SplitSeq(e.Text, "\n") {
			switch {
			case strings.TrimSpace(line) == "":
			case line[0] == ' ':
				return ""
			case line[0] == '\t':
				how = IndentTab
			}
		}
	}
	return how
}

// indexed are all shapes of all values of a device.
func indexed(device *Thing) map[string][]hit {
	index := map[string][]hit{}
	for _, t := range device.everything() {
		for _, name := range slices.Sorted(maps.Keys(t.V)) {
			f := factNamed(t.Kind, name)
			if f == nil || f.Type == Words {
				continue
			}
			seen := map[string]bool{}
			add := func(text, shape string) {
				if !seen[text] && text != "" {
					seen[text] = true
					index[text] = append(index[text], hit{t, f, shape})
				}
			}
			if f.Type == Names || f.Type == Numbers {
				all := listOf(t.V[name])
				for _, s := range listShapes() {
					add(s.write(all), anyList)
				}
				continue
			}
			for _, shape := range f.shapesOf() {
				if text, ok := f.written(shape, t.V[name], t); ok {
					add(text, shape)
				}
			}
		}
	}
	return index
}

// instance is a block of a text, and what it is about.
type instance struct {
	example int
	thing   *Thing
	block   *textLine
}

// level learns the lines of blocks of one kind.
func (l *learner) level(parent *draft, instances []instance) []*Line {
	var lines []row
	for n, in := range instances {
		for _, k := range in.block.kids {
			lines = append(lines, row{in.example, n, len(lines), in.thing, k})
		}
	}
	if len(lines) == 0 {
		return nil
	}
	v := &level{learner: l, parent: parent, instances: instances, lines: lines, left: map[int]bool{}, candidates: map[string]*candidate{}}
	for n := range lines {
		v.left[n] = true
	}
	for _, in := range instances {
		for k := range kinds {
			in.thing.all(k, func(t *Thing) bool { v.scope[k] = append(v.scope[k], t); return true })
		}
	}
	v.propose()
	v.passCounters()
	v.choose()
	v.rest()
	v.merge()
	v.analogies()
	l.all = append(l.all, v.chosen...)
	v.hideSecrets()
	indent := lines[0].line.indent
	if strings.Contains(indent, "\t") {
		indent = "" // the form says that it is a tab
	}
	for _, d := range v.chosen {
		d.Indent = indent
		for _, r := range d.rows {
			if r.line.tail != nil {
				d.Tail = r.line.tail.text
			}
		}
		d.Guess = !d.sure
		for _, t := range d.twins {
			t.Indent = d.Indent
		}
		l.known += len(d.rows)
		for _, r := range d.rows {
			if r.line.tail != nil {
				l.known++
			}
		}
		if slices.ContainsFunc(d.rows, func(r row) bool { return len(r.line.kids) > 0 }) {
			var inner []instance
			for _, r := range d.rows {
				inner = append(inner, instance{r.example, r.thing, r.line})
			}
			d.Kids = l.level(d, inner)
		}
	}
	return v.arranged()
}

// level is the lines of blocks of one kind, being learnt.
type level struct {
	*learner
	parent     *draft
	instances  []instance
	lines      []row
	left       map[int]bool
	scope      [kinds][]*Thing
	candidates map[string]*candidate
	order      []*candidate
	chosen     []*draft
	questioned []*draft // of which it is not known when they are written
}

// candidate is a way to read some lines.
type candidate struct {
	draft
	support map[int][]*Thing // by line: what it may be about
	given   map[int]*Thing   // dealt out
	guarded bool             // a guard tells the things that have a line
	judged  bool
	rate    float64
	slots   int
	single  bool // a list of it has one element in all lines
	head    bool
	dead    bool
}

// propose collects every way to read each line.
func (v *level) propose() {
	for n, r := range v.lines {
		v.readings(r, func(t *Thing, atoms []Atom) {
			key := t.Kind.String() + " " + spell(atoms, false)
			c := v.candidates[key]
			if c == nil {
				c = &candidate{draft: draft{Line: Line{Kind: t.Kind, Atoms: atoms}, key: spell(atoms, false)}, support: map[int][]*Thing{}}
				v.candidates[key] = c
				v.order = append(v.order, c)
			}
			c.support[n] = append(c.support[n], t)
		})
	}
}

// deal gives each line of a candidate a thing of its own: two of one name, such as floating routes, in their order.
func (c *candidate) deal() {
	used := map[*Thing]bool{}
	c.given = map[int]*Thing{}
	for _, n := range slices.Sorted(maps.Keys(c.support)) {
		for _, t := range c.support[n] {
			if !used[t] {
				used[t], c.given[n] = true, t
				break
			}
		}
	}
}

// judge tells how well a candidate explains lines that are left: how many, and how exactly it prints them.
func (v *level) judge(c *candidate) (score float64, rows []row) {
	if c.given == nil {
		c.deal()
	}
	for n, t := range c.given {
		if v.left[n] {
			r := v.lines[n]
			r.thing = t
			rows = append(rows, r)
		}
	}
	if len(rows) == 0 {
		return 0, nil
	}
	if !c.judged {
		v.weigh(c)
	}
	rate := c.rate
	if c.single && !v.likeChosen(c) {
		rate *= .85 // a name is likelier than a list of one
	} else if c.rate < alikeRate && v.likeChosen(c) {
		rate = alikeRate
	} else if v.likeChosen(c) {
		rate += .05
	}
	return float64(len(rows)) * rate, rows
}

// alikeRate is how good a reading is at least that begins as one that was taken does: a row of the same table, a record of the same keys.
const alikeRate = .9

// likeChosen tells whether a line that was taken begins alike, up to the name of what it is about.
func (v *level) likeChosen(c *candidate) bool {
	head := c.begins()
	return head != "" && slices.ContainsFunc(v.chosen, func(d *draft) bool { return d.begins() == head })
}

// begins is the words before the name of what a line is about, and in a table the number of its columns; "" where it does not begin so.
func (d *draft) begins() string {
	if !d.begun {
		d.begun = true
		tabs := strings.Count(d.text(), "\t")
		for n, a := range d.Atoms {
			if a.Fact == keys[d.Kind] && n < 2 {
				d.beginning = d.Kind.String() + " " + strconv.Itoa(tabs)
				if n == 1 {
					d.beginning += " " + d.Atoms[0].Text
				} else if tabs == 0 {
					d.beginning = ""
				}
				break
			}
		}
	}
	return d.beginning
}

// weigh is what does not change of how good a candidate is.
func (v *level) weigh(c *candidate) {
	c.judged = true
	for _, a := range c.Atoms {
		if a.Fact != nil {
			c.slots++
		}
	}
	for n := range c.given {
		c.head = c.head || len(v.lines[n].line.kids) > 0
	}
	if c.slots == 0 {
		for n := range c.given {
			if c.head || v.namesSomething(v.lines[n]) {
				c.dead = true
				return
			}
		}
	}
	defer func() {
		if v.keepsName(c.Atoms) {
			c.rate *= .4 // one device's name in all others' texts
		}
		if c.foreign() > 0 {
			c.rate *= .8 // what is said of an interface is not said in a line about one of its addresses
		}
		c.single = c.singles()
	}()
	has := map[*Thing]bool{}
	for _, t := range c.given {
		has[t] = true
	}
	could := map[*Thing]bool{}
	for _, t := range v.scope[c.Kind] {
		if _, ok := render(c.Atoms, t, 0); ok {
			could[t] = true
		}
	}
	c.Guards, c.guarded = guard(c.Kind, has, could)
	switch {
	case c.guarded && len(c.Guards) == 0:
		c.rate = 1
	case c.guarded:
		c.rate = .97
	default:
		both := 0
		for t := range has {
			if could[t] {
				both++
			}
		}
		c.rate = .5 * float64(both) / float64(max(1, len(could)))
		if c.slots == 0 {
			c.rate *= .3
		}
	}
}

// singles tells whether a list of names stands in the candidate's lines which has one element in all of them.
func (c *candidate) singles() bool {
	for _, a := range c.Atoms {
		if a.Fact == nil || a.Fact.Type != Names {
			continue
		}
		several := false
		for _, t := range c.given {
			several = several || strings.Contains(t.up(a.Fact.Of).V[a.Fact.Name], separator)
		}
		if !several {
			return true
		}
	}
	return false
}

// keepsName tells whether a name of something of an example stands among the constants.
func (l *learner) keepsName(atoms []Atom) bool {
	for _, a := range atoms {
		if !a.constant() {
			continue
		}
		places := cuts(a.Text)
		for n, i := range places {
			for _, j := range places[n+1:] {
				for _, index := range l.index {
					if slices.ContainsFunc(index[a.Text[i:j]], func(h hit) bool { return h.fact.Key && h.fact.Type != Number }) {
						return true
					}
				}
			}
		}
	}
	return false
}

// rank says which of two candidates that explain as much is to be taken: that with more slots, about what lies further out, with the
// address before its mask.
func (c *candidate) rank() (slots int, depth int) {
	deep := 0
	for k := c.Kind; k != Device; k = parents[k] {
		deep += 2
	}
	if c.turned() {
		deep++
	}
	return c.slots, -deep - c.foreign()
}

// turned tells whether a mask stands before its address: of 0.0.0.0 over 0.0.0.0 the address comes first.
func (c *candidate) turned() bool {
	at := map[Type]int{}
	for n, a := range c.Atoms {
		if a.Fact != nil {
			if _, seen := at[a.Fact.Type]; !seen {
				at[a.Fact.Type] = n
			}
		}
	}
	a, address := at[Addr]
	m, mask := at[Length]
	return address && mask && m < a
}

// foreign is how many slots say something of what the thing lies in, and not its name.
func (c *candidate) foreign() int {
	n := 0
	for _, a := range c.Atoms {
		if a.Fact != nil && a.Fact.Of != c.Kind && !a.Fact.Key {
			n++
		}
	}
	return n
}

// usual is how far down the table of facts the slots of a candidate stand: what is said of most things stands further up.
func (c *candidate) usual() int {
	n := 0
	for _, a := range c.Atoms {
		for i := range Facts {
			if a.Fact == &Facts[i] {
				n += i
			}
		}
	}
	return n
}

// choose takes the candidates one by one, each time that which explains most.
func (v *level) choose() {
	for len(v.left) > 0 {
		var best *candidate
		var score float64
		var rows []row
		for _, c := range v.order {
			if c.dead {
				continue
			}
			s, r := v.judge(c)
			if c.dead || len(r) == 0 {
				c.dead = true
				continue
			}
			if best != nil && s < score {
				continue
			}
			better := best == nil || s > score
			if !better {
				a, da := c.rank()
				b, db := best.rank()
				better = a > b || a == b && (da > db || da == db && (c.usual() < best.usual() || c.usual() == best.usual() && c.key > best.key))
			}
			if better {
				best, score, rows = c, s, r
			}
		}
		if best == nil {
			return
		}
		slices.SortFunc(rows, func(a, b row) int { return a.n - b.n })
		best.dead = true
		if best.slots == 0 && !best.guarded {
			continue // kept for counters and constants
		}
		atoms, ok := settle(best.Atoms, rows)
		if !ok {
			continue
		}
		d := best.with(atoms, best.Guards, rows)
		d.sure = best.guarded
		v.rivals(best, score, rows, d)
		if !best.guarded {
			v.questioned = append(v.questioned, d)
		}
		v.chosen = append(v.chosen, d)
		for _, r := range rows {
			delete(v.left, r.n)
		}
	}
}

// rivals asks where another reading explains the same lines as well.
func (v *level) rivals(best *candidate, score float64, rows []row, d *draft) {
	inside := func(k Kind) bool { return k == TaggedVLAN || k == TaggedPort || k == UntaggedPort }
	var others []string
	for _, c := range v.order {
		if c.dead || c == best || c.turned() || c.slots != best.slots || inside(c.Kind) || inside(best.Kind) {
			continue
		}
		s, r := v.judge(c)
		slices.SortFunc(r, func(a, b row) int { return a.n - b.n })
		if s == score && len(others) < 3 && slices.EqualFunc(r, rows, func(a, b row) bool { return a.n == b.n }) {
			others = append(others, spell(c.Atoms, false))
		}
	}
	if len(others) > 0 {
		v.questions = append(v.questions, Question{WhichValue, d.key, others})
	}
}

// settle finds the shapes of lists that print every row; false where none does.
func settle(atoms []Atom, rows []row) ([]Atom, bool) {
	for _, a := range flat(atoms) {
		if a.Fact == nil || a.Fact.Type != Names && a.Fact.Type != Numbers {
			continue
		}
		var fits []listShape
		for _, s := range plainFirst() {
			trial := reshaped(atoms, a.Fact, s.String())
			if !slices.ContainsFunc(rows, func(r row) bool { text, ok := render(trial, r.thing, 0); return !ok || text != r.line.text }) {
				fits = append(fits, s)
			}
		}
		if len(fits) == 0 {
			return nil, false
		}
		atoms = reshaped(atoms, a.Fact, common(fits))
	}
	return atoms, true
}

// plainFirst are the shapes of lists, those first that are likeliest where nothing tells.
var plainFirst = sync.OnceValue(func() []listShape {
	all := slices.Clone(listShapes())
	weight := func(s listShape) int {
		w := 0
		if s.runs != "" {
			w += 4
		}
		if s.short {
			w++
		}
		if s.last != "" {
			w += 8
		}
		return w
	}
	slices.SortStableFunc(all, func(a, b listShape) int { return weight(a) - weight(b) })
	return all
})

// reshaped is atoms with another shape for a fact.
func reshaped(atoms []Atom, f *Fact, shape string) []Atom {
	all := slices.Clone(atoms)
	for i := range all {
		if all[i].Part != nil {
			all[i].Part = reshaped(all[i].Part, f, shape)
		} else if all[i].Fact == f {
			all[i].Shape = shape
		}
	}
	return all
}

// guard finds the fewest facts that tell the things that have a line from those that could; false where none do.
func guard(kind Kind, has, could map[*Thing]bool) ([]Guard, bool) {
	same := len(has) == len(could)
	for t := range has {
		same = same && could[t]
	}
	if same {
		return nil, true
	}
	var pool []Guard
	for i := range Facts {
		f := &Facts[i]
		if f.Of != kind || f.Name == "oper" || f.Name == "active" { // they follow from others
			continue
		}
		switch {
		case f.Type == Words:
			for _, w := range f.Words {
				pool = append(pool, Guard{Fact: f, Value: w})
			}
			if len(f.Words) > 2 {
				for _, w := range f.Words {
					pool = append(pool, Guard{Fact: f, Value: w, Not: true})
				}
			}
		case f.Unset != "":
			pool = append(pool, Guard{Fact: f, Value: f.Unset}, Guard{Fact: f, Value: f.Unset, Not: true})
		case !f.Key:
			pool = append(pool, Guard{Fact: f})
		}
	}
	slices.SortStableFunc(pool, func(a, b Guard) int { return guardRank(a) - guardRank(b) })
	tells := func(all ...Guard) bool {
		for t := range could {
			holds := true
			for _, g := range all {
				holds = holds && g.holds(t)
			}
			if holds != has[t] {
				return false
			}
		}
		for t := range has {
			if !could[t] {
				return false
			}
		}
		return true
	}
	for _, g := range pool {
		if tells(g) {
			return []Guard{g}, true
		}
	}
	for i, g := range pool {
		for _, h := range pool[i+1:] {
			if g.Fact != h.Fact && tells(g, h) {
				return []Guard{g, h}, true
			}
		}
	}
	return nil, false
}

// guardRank is how far a guard is to be put behind others: facts by which languages part lines come first, what is by chance last.
func guardRank(g Guard) int {
	switch {
	case g.Value == "" && !g.Not:
		return 2
	case g.Fact.Name == "kind":
		return 3
	case g.Fact.Name == "source":
		return 4
	case g.Fact.Type != Words:
		return 1
	}
	return 0
}

// passCounters leaves the headers alone that count 1 2 3, or 10 20 30, in every block: the numbers of entries are nothing of the plan.
func (v *level) passCounters() {
	type counted struct{ n, value int }
	runs := map[string]map[int][]counted{}
	for n, r := range v.lines {
		if len(r.line.kids) == 0 {
			continue
		}
		shape, number, ok := withoutNumber(r.line.text)
		if !ok {
			continue
		}
		if runs[shape] == nil {
			runs[shape] = map[int][]counted{}
		}
		runs[shape][r.instance] = append(runs[shape][r.instance], counted{n, number})
	}
	for _, by := range runs {
		step, first, named := 0, -1, true
		for _, q := range by {
			if len(q) > 2 {
				step = q[1].value - q[0].value
			}
			for _, c := range q {
				named = named && v.namesSomething(v.lines[c.n])
			}
		}
		if step == 0 || named {
			continue
		}
		even := true
		for _, q := range by {
			if first < 0 {
				first = q[0].value
			}
			for k, c := range q {
				even = even && c.value == first+k*step
			}
		}
		if !even {
			continue
		}
		for _, q := range by {
			for _, c := range q {
				for _, x := range v.order {
					delete(x.support, c.n)
				}
			}
		}
	}
}

// withoutNumber is a text with its first number taken out, and that number.
func withoutNumber(text string) (string, int, bool) {
	for i := range len(text) {
		if text[i] < '0' || text[i] > '9' {
			continue
		}
		j := i
		for j < len(text) && text[j] >= '0' && text[j] <= '9' {
			j++
		}
		n, err := strconv.Atoi(text[i:j])
		return text[:i] + "\x00" + text[j:], n, err == nil
	}
	return text, 0, false
}
