package form

import (
	"strconv"
)

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
