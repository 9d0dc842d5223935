package plan

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"sync"

	"go.yaml.in/yaml/v4"

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
	pad  int // how many digits it has at least in a name
}

var (
	rangeIn = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`\((\d{1,9})\.\.(\d{1,9})(?:, not ((?:\d{1,9}(?:\.\.\d{1,9})?(?:, )?)+))?\)`)
	})
	neighbourIn  = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^\(n([+-]\d+)*\)$`) })
	wordIn       = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`[^\s,]+`) })
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
		r.report(finding.New(finding.BadValue,
			name.Place, "%s is no pattern; it has one range such as (1..20), the lower number first, of %d at most", name.Value,
			mostMade).About(name.Value))
		return
	}
	without, amiss := exceptions(m[3], low, high)
	if amiss != "" {
		r.report(finding.New(finding.BadValue, name.Place, "%s leaves out %s, which is not in its range from %s to %s", name.Value, amiss, m[1],
			m[2]).About(name.Value).
			Mend("write what is left out as numbers or ranges of it, such as (01..40, not 12, 17..19)"))
		return
	}
	if r.budget != nil {
		if *r.budget -= high - low + 1; *r.budget < 0 {
			if *r.budget > -mostMade {
				r.report(finding.New(finding.PlanTooLarge, name.Place, "with %s the patterns of the plan stand for more than %d things", name.Value,
					mostInAll).About(name.Value).
					Mend("make a plan of a part of it"))
			}
			*r.budget = -mostMade // that is told once
			return
		}
	}
	outer := r.current
	pad := 1
	if m[1][0] == '0' {
		pad = len(m[1])
	}
	for n := low; n <= high; n++ {
		if without[n] {
			continue
		}
		r.current = &number{text: m[0], n: n, pad: pad}
		read(Text{r.filled(name.Value), name.Place}, true)
	}
	r.current = outer
}

// exceptions is what a pattern's range leaves out, and the first of it that is not in the range; "" where all is.
func exceptions(text string, low, high int) (without map[int]bool, amiss string) {
	if text == "" {
		return nil, ""
	}
	without = map[int]bool{}
	for _, part := range strings.Split(strings.TrimSuffix(text, ", "), ", ") {
		first, last, ranged := strings.Cut(part, "..")
		from, _ := strconv.Atoi(first)
		to := from
		if ranged {
			to, _ = strconv.Atoi(last)
		}
		if from < low || to > high || to < from {
			return nil, part
		}
		for n := from; n <= to; n++ {
			without[n] = true
		}
	}
	return without, ""
}

// Written lists the names that a word stands for, itself unless it is a pattern
// such as wire-(1..20). The error is that of a range that is none.
func Written(name string) ([]string, error) {
	var all []string
	r := &reader{}
	r.made(Text{Value: name}, func(t Text, _ bool) { all = append(all, t.Value) })
	if len(r.found) > 0 {
		return nil, errors.New(r.found[0].Reason)
	}
	return all, nil
}

// madeOf calls add for a word that was read from a node; where it is a pattern,
// for each word it stands for.
func (r *reader) madeOf(n *yaml.Node, add func(Text), read Text) {
	text, pattern := r.pattern(n.Value)
	if !pattern {
		add(read)
		return
	}
	r.made(Text{text, read.Place}, func(t Text, _ bool) { add(t) })
}

// pattern tells whether a text is a pattern where it stands: a range that the
// entry around it is made from is the entry's number already.
func (r *reader) pattern(text string) (string, bool) {
	if !strings.Contains(text, "..") {
		return text, false
	}
	if r.current != nil {
		text = strings.ReplaceAll(text, r.current.text, r.current.padded())
	}
	return text, hasRange(text)
}

// madeFrom calls read for an entry of a list; where its word is a pattern, once
// for each number. The word may be nil.
func (r *reader) madeFrom(word *yaml.Node, read func()) {
	if word != nil && word.Kind == yaml.ScalarNode {
		if text, pattern := r.pattern(word.Value); pattern {
			r.made(Text{text, r.place(word)}, func(Text, bool) { read() })
			return
		}
	}
	read()
}

// padded is the number with the zeros in front that its range has.
func (n number) padded() string { return fmt.Sprintf("%0*d", n.pad, n.n) }

// filled is a text with the pattern's number put in.
func (r *reader) filled(text string) string {
	if r.current == nil || !strings.Contains(text, "(") {
		return text
	}
	text = strings.ReplaceAll(text, r.current.text, r.current.padded())
	text = expressionIn().ReplaceAllStringFunc(text, func(whole string) string {
		together := strings.ReplaceAll(whole, " ", "")
		if _, ok := sum(together[1:len(together)-1], r.current.n); ok {
			return together
		}
		return whole
	})
	return wordIn().ReplaceAllStringFunc(text, r.filledWord)
}

// filledWord is one word with the pattern's number put in. In a name (n) and its
// neighbours have the zeros in front that the range has; in a number or an IPv4
// address, and worked out otherwise, such as (n*1), there are none.
func (r *reader) filledWord(word string) string {
	if !strings.Contains(word, "n") {
		return word
	}
	pad := r.current.pad
	if isNumeric(expressionIn().ReplaceAllString(word, "")) {
		pad = 1
	}
	return expressionIn().ReplaceAllStringFunc(word, func(whole string) string {
		if value, ok := sum(whole[1:len(whole)-1], r.current.n); ok {
			if !neighbourIn().MatchString(whole) {
				return strconv.Itoa(value)
			}
			return number{n: value, pad: pad}.padded()
		}
		return whole
	})
}

// isNumeric tells of what is left of a word without its expressions whether the
// word is a number, an IPv4 address or a range, where a zero in front is a slip.
func isNumeric(rest string) bool { return strings.Trim(rest, "0123456789./-") == "" }

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

// entryWordIn is a word in the text of an entry, without what YAML puts around it.
var entryWordIn = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`[^\s,{}\[\]"']+`) })

// Spelled is the text of an entry with a pattern for its name as it reads for one of the names the pattern stands for: the
// number put in wherever the entry has it. It is false where the pattern does not stand for the name.
func Spelled(pattern, name, text string) (string, bool) {
	r := &reader{}
	spelled, found := "", false
	r.made(Text{Value: pattern}, func(t Text, made bool) {
		if t.Value != name || !made {
			return
		}
		found = true
		spelled = strings.ReplaceAll(text, r.current.text, r.current.padded())
		spelled = entryWordIn().ReplaceAllStringFunc(spelled, r.filledWord)
	})
	return spelled, found
}
