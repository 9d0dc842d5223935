package form

import (
	"maps"
	"slices"
	"strconv"
	"strings"
)

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
