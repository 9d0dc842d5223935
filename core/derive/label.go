package derive

import "slices"

// label is one thing a device may do with a packet: lines, the preferred first. Equal
// labels have equal identifiers within one device, and a label knows the one that is
// left of it without its first line.
type label int32

const (
	drop    label = 0  // packets go no further
	foreign label = -1 // something that no label is
)

// line is a step, and what it watches: the step whose far end is asked, or none.
type line struct{ step, watch stepID }

// labels are those of one device.
type labels struct {
	first []line  // by label
	rest  []label // by label
	known map[labelKey]label
	full  []int32 // by label: how many lines it has, none twice for nothing
	fails []fails // by label
}

// fails is whether a label may come to nothing, once that is known.
type fails uint8

const (
	unknown fails = iota
	mayFail
	neverFails
)

type labelKey struct {
	line
	rest label
}

func newLabels() labels {
	return labels{first: []line{{none, none}}, rest: []label{drop}, full: []int32{0}, known: map[labelKey]label{}, fails: []fails{unknown}}
}

// make is the label of some lines.
func (t *labels) make(lines []line) label {
	l := drop
	for i := len(lines) - 1; i >= 0; i-- {
		k := labelKey{lines[i], l}
		next, ok := t.known[k]
		if !ok {
			next = label(len(t.first))
			t.known[k] = next
			t.first, t.rest = append(t.first, lines[i]), append(t.rest, l)
			all, _ := t.until(next, drop)
			t.fails = append(t.fails, unknown)
			t.full = append(t.full, int32(len(withoutRepeats(all))))
		}
		l = next
	}
	return l
}

// behind is a label with another behind it.
func (t *labels) behind(l, tail label) label {
	lines, _ := t.until(l, drop)
	more, _ := t.until(tail, drop)
	return t.make(append(lines, more...))
}

// until is the lines of a label up to where another follows, and whether that does.
func (t *labels) until(l, end label) ([]line, bool) {
	var lines []line
	for l != end && l != drop {
		lines = append(lines, t.first[l])
		l = t.rest[l]
	}
	if l == drop {
		lines = withoutRepeats(lines)
	}
	return lines, l == end
}

// withoutRepeats is lines without those by a step that was to be taken before, whatever is
// heard.
func withoutRepeats(lines []line) []line {
	kept := lines[:0]
	for _, l := range lines {
		if !slices.Contains(kept, line{l.step, none}) {
			kept = append(kept, l)
		}
	}
	return kept
}
