package plan

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"sync"

	"ropeswing/core/finding"
)

// mostMade is how many things one pattern may stand for.
const mostMade = 4096

// mostInAll is how many things all patterns of a plan may stand for together.
const mostInAll = 1 << 20

// number is the one of a pattern's numbers that is being read.
type number struct {
	text string // how the pattern writes its range: (01..20)
	n    int
	pad  int // how many digits (n) has at least
}

var (
	rangeIn      = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\((\d{1,9})\.\.(\d{1,9})\)`) })
	expressionIn = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\([0-9n+* -]*n[0-9n+* -]*\)`) })
)

// hasRange tells whether a name is a pattern.
func hasRange(text string) bool { return strings.Contains(text, "..") && rangeIn().MatchString(text) }

// made calls read once for a plain name; for a pattern once for each name it
// stands for, while all that is read has the pattern's number put in.
func (r *reader) made(name Text, read func(name Text, made bool)) {
	if !hasRange(name.Value) {
		read(name, false)
		return
	}
	all := rangeIn().FindAllStringSubmatch(name.Value, -1)
	m := all[0]
	low, _ := strconv.Atoi(m[1])
	high, _ := strconv.Atoi(m[2])
	if len(all) > 1 || high < low || high-low >= mostMade {
		r.report(finding.New(finding.BadValue, name.Place, "%s is no pattern; it has one range such as (1..20), the lower number first, of %d at most", name.Value, mostMade).About(name.Value))
		return
	}
	if r.budget != nil {
		if *r.budget -= high - low + 1; *r.budget < 0 {
			if *r.budget > -mostMade {
				r.report(finding.New(finding.PlanTooLarge, name.Place, "with %s the patterns of the plan stand for more than %d things", name.Value, mostInAll).About(name.Value).
					Mend("make a plan of a part of it"))
			}
			*r.budget = -mostMade // that is told once
			return
		}
	}
	outer := r.current
	for n := low; n <= high; n++ {
		r.current = &number{text: m[0], n: n, pad: len(m[1])}
		read(Text{r.filled(name.Value), name.Place}, true)
	}
	r.current = outer
}

// filled is a text with the pattern's number put in.
func (r *reader) filled(text string) string {
	if r.current == nil || !strings.Contains(text, "(") {
		return text
	}
	padded := fmt.Sprintf("%0*d", r.current.pad, r.current.n)
	text = strings.ReplaceAll(text, r.current.text, padded)
	return expressionIn().ReplaceAllStringFunc(text, func(whole string) string {
		inner := strings.ReplaceAll(whole[1:len(whole)-1], " ", "")
		if inner == "n" {
			return padded
		}
		if value, ok := sum(inner, r.current.n); ok {
			return strconv.Itoa(value)
		}
		return whole
	})
}

// sum works out numbers and n, multiplied, added and subtracted.
func sum(text string, n int) (int, bool) {
	total, sign := 0, 1
	for {
		end := strings.IndexAny(text, "+-")
		term := text
		if end >= 0 {
			term = text[:end]
		}
		value := 1
		for _, factor := range strings.Split(term, "*") {
			x := n
			if factor != "n" {
				var err error
				if x, err = strconv.Atoi(factor); err != nil || len(factor) > 9 {
					return 0, false
				}
			}
			if value *= x; value > 1<<40 {
				return 0, false
			}
		}
		total += sign * value
		if end < 0 {
			return total, true
		}
		sign = 1
		if text[end] == '-' {
			sign = -1
		}
		text = text[end+1:]
	}
}

// exactOverPattern drops what a pattern made where the same name stands
// exactly as well.
func exactOverPattern[T any](all []T, of func(*T) (name string, made bool)) []T {
	exact := map[string]bool{}
	patterns := false
	for i := range all {
		name, made := of(&all[i])
		exact[name] = exact[name] || !made
		patterns = patterns || made
	}
	if !patterns {
		return all
	}
	kept := all[:0]
	for i := range all {
		if name, made := of(&all[i]); !made || !exact[name] {
			kept = append(kept, all[i])
		}
	}
	return kept
}
