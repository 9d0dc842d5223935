package form

// LearnOn learns from texts what a form does not read yet: its own lines stay as they are, and what is new goes behind
// those it stands with.
// It returns how many lines came to it.
func (f *Form) LearnOn(learnt *Form, examples []Example) (int, error) {
	added := extend(&f.Lines, learnt.Lines, examples)
	return added, f.ready()
}

// extend puts lines into a block that nothing in it reads yet.
func extend(into *[]*Line, more []*Line, examples []Example) int {
	added, at := 0, 0
	for _, n := range more {
		old := -1
		for i, o := range *into {
			if o.Kind == n.Kind && (spell(o.Atoms, false) == spell(n.Atoms, false) || len(n.Kids) > 0 && reads(o, n, examples)) {
				old = i
				break
			}
		}
		if old >= 0 {
			added += extend(&(*into)[old].Kids, n.Kids, examples)
			at = old + 1
			continue
		}
		if allRead(*into, n, examples) {
			continue
		}
		if len(*into) > 0 {
			indented(n, (*into)[0].Indent)
		}
		*into = append((*into)[:at:at], append([]*Line{n}, (*into)[at:]...)...)
		added, at = added+1, at+1
	}
	return added
}

// indented moves a line and its block to where the lines are that it stands with.
func indented(l *Line, to string) {
	was := len(l.Indent)
	l.Indent = to
	for _, k := range l.Kids {
		deeper := max(1, len(k.Indent)-was)
		indented(k, to+"        "[:min(8, deeper)])
	}
}

// printsOf are what a line prints for the things of the examples.
func printsOf(l *Line, examples []Example) []string {
	var all []string
	for _, e := range examples {
		e.Device.all(l.Kind, func(t *Thing) bool {
			if text, ok := render(l.Atoms, t, 0); ok && l.stands(t) {
				all = append(all, text)
			}
			return true
		})
	}
	return all
}

// reads tells whether a line reads all that another prints.
func reads(o, n *Line, examples []Example) bool {
	texts := printsOf(n, examples)
	for _, text := range texts {
		if _, ok := match(o.program, text); !ok {
			return false
		}
	}
	return len(texts) > 0
}

// allRead tells whether what a line prints is read by some lines of a block already.
func allRead(lines []*Line, n *Line, examples []Example) bool {
	texts := printsOf(n, examples)
	for _, text := range texts {
		read := false
		for _, o := range lines {
			_, ok := match(o.program, text)
			read = read || ok
		}
		if !read {
			return false
		}
	}
	return len(texts) > 0
}
