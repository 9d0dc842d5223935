package form

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math/bits"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"sync"

	"ropeswing/core/prefix"
)

// listShape is how a list is written.
type listShape struct {
	with  string // between two elements
	runs  string // between the first and the last of a run; "" where runs are written out
	last  string // before the last element instead; "" where nothing else stands there
	short bool   // the last of a run by its number alone
}

func (s listShape) String() string {
	text := "with " + strconv.Quote(s.with)
	if s.runs != "" {
		text += " runs " + strconv.Quote(s.runs)
	}
	if s.short {
		text += " short"
	}
	if s.last != "" {
		text += " last " + strconv.Quote(s.last)
	}
	return text
}

// listShapes are those that are looked for in a text, the plainest first.
var listShapes = sync.OnceValue(func() (all []listShape) {
	for _, last := range []string{"", " and ", " & "} {
		for _, runs := range []string{"", "-", "..", " to ", ":", "~"} {
			for _, with := range []string{",", ", ", " ", ";", ":", "/", "+", " + ", "; "} {
				if runs == with || last != "" && with != ", " {
					continue
				}
				all = append(all, listShape{with: with, runs: runs, last: last})
				if runs != "" {
					all = append(all, listShape{with: with, runs: runs, last: last, short: true})
				}
			}
		}
	}
	return all
})

// stem is a name without its number at the end, and that number; -1 where it has none that runs on.
func stem(name string) (string, int) {
	s := strings.TrimRight(name, "0123456789")
	digits := name[len(s):]
	if digits == "" || len(digits) > 9 || len(digits) > 1 && digits[0] == '0' {
		return name, -1
	}
	n, _ := strconv.Atoi(digits)
	return s, n
}

// write writes a list.
func (s listShape) write(all []string) string {
	words := all
	if s.runs != "" {
		words = nil
		for i := 0; i < len(all); {
			base, n := stem(all[i])
			j := i + 1
			for ; n >= 0 && j < len(all); j++ {
				if b, m := stem(all[j]); b != base || m != n+j-i {
					break
				}
			}
			switch {
			case j-i == 1:
				words = append(words, all[i])
			case s.short:
				words = append(words, all[i]+s.runs+strconv.Itoa(n+j-i-1))
			default:
				words = append(words, all[i]+s.runs+all[j-1])
			}
			i = j
		}
	}
	if s.last != "" && len(words) > 1 {
		return strings.Join(words[:len(words)-1], s.with) + s.last + words[len(words)-1]
	}
	return strings.Join(words, s.with)
}

// mostRun is how long a run of a list may be.
const mostRun = 4096

// errShape is that a text is not of a shape.
var errShape = errors.New("not of that shape")

// read reads a list that is written so; what would not be written so again is none.
func (s listShape) read(text string, numbers bool) ([]string, error) {
	rest := text
	if s.last != "" {
		if i := strings.LastIndex(rest, s.last); i >= 0 {
			rest = rest[:i] + s.with + rest[i+len(s.last):]
		}
	}
	mark := s.runs
	if mark != "" && strings.Contains(mark, s.with) { // 'p1 to p3 p5': what parts elements stands within a run too
		rest, mark = strings.ReplaceAll(rest, mark, "\x00"), "\x00"
	}
	var all []string
	for e := range strings.SplitSeq(rest, s.with) {
		a, b, run := e, "", false
		if mark != "" {
			a, b, run = cutRun(e, mark)
		}
		if !run {
			all = append(all, e)
			continue
		}
		base, n := stem(a)
		other, m := stem(b)
		if n < 0 || m < n || m-n > mostRun || !s.short && other != base || s.short && other != "" {
			return nil, errShape
		}
		for k := n; k <= m; k++ {
			all = append(all, base+strconv.Itoa(k))
		}
		if len(all) > 4*mostRun {
			return nil, errShape
		}
	}
	for _, e := range all {
		if e == "" || strings.ContainsAny(e, " ,;\t") || numbers && !isNumber(e) {
			return nil, errShape
		}
	}
	if s.write(all) != text {
		return nil, errShape
	}
	return all, nil
}

// cutRun cuts a run where both sides have a number at their ends.
func cutRun(e, runs string) (a, b string, ok bool) {
	for from := 0; ; {
		i := strings.Index(e[from:], runs)
		if i < 0 {
			return e, "", false
		}
		i += from
		a, b = e[:i], e[i+len(runs):]
		if _, n := stem(a); n >= 0 {
			if _, m := stem(b); m >= 0 {
				return a, b, true
			}
		}
		from = i + 1
	}
}

func isNumber(s string) bool {
	if s == "" || len(s) > 12 {
		return false
	}
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return true
}

// macShapes are how a MAC is written: digits a group, what parts the groups, in capitals or not.
var macShapes = []string{
	`by 2 with ":"`, `by 2 with "-"`, `by 4 with "."`, `by 4 with "-"`, `by 4 with ":"`, `by 6 with "-"`, `by 12 with ""`,
}

// writeMAC writes a MAC of the usual form in a shape.
func writeMAC(mac, shape string) string {
	digits := strings.ReplaceAll(mac, ":", "")
	if rest, ok := strings.CutSuffix(shape, " capital"); ok {
		shape, digits = rest, strings.ToUpper(digits)
	}
	group, with := 2, ":"
	if shape != "" {
		if _, err := fmt.Sscanf(shape, "by %d with %q", &group, &with); err != nil || group < 1 {
			return mac
		}
	}
	var parts []string
	for len(digits) > group {
		parts, digits = append(parts, digits[:group]), digits[group:]
	}
	return strings.Join(append(parts, digits), with)
}

// speedUnits are what a speed is counted in.
var speedUnits = map[string]int64{"": 1, "in k": 1_000, "in M": 1_000_000, "in G": 1_000_000_000}

// shapesOf are the shapes in which the value of a fact may be written, of a list the shapes that can be told apart by it.
func (f *Fact) shapesOf() []string {
	switch f.Type {
	case Length:
		return []string{"", "mask", "inverse"}
	case Addr:
		return []string{"", "long", "capital", "long capital"}
	case MAC:
		all := []string{""}
		for _, s := range macShapes {
			all = append(all, s, s+" capital")
		}
		return all
	case Speed:
		return []string{"", "in k", "in M", "in G"}
	}
	return []string{""}
}

// written writes a value of the fact in a shape; false where it cannot be said so.
func (f *Fact) written(shape, value string, of *Thing) (string, bool) {
	switch f.Type {
	case Length:
		n, _ := strconv.Atoi(value)
		switch {
		case shape == "":
			return value, true
		case of.V["family"] != "ipv4" || n > 32:
			return "", false
		case shape == "mask":
			return prefix.Mask(netip.PrefixFrom(netip.IPv4Unspecified(), n)).String(), true
		}
		return prefix.InverseMask(netip.PrefixFrom(netip.IPv4Unspecified(), n)).String(), true
	case Addr:
		if shape == "" {
			return value, true
		}
		a, err := netip.ParseAddr(value)
		if err != nil || a.Is4() {
			return value, err == nil
		}
		if strings.HasPrefix(shape, "long") {
			value = a.StringExpanded()
		}
		if strings.HasSuffix(shape, "capital") {
			value = strings.ToUpper(value)
		}
		return value, true
	case MAC:
		return writeMAC(value, shape), true
	case Speed:
		n, _ := strconv.ParseInt(value, 10, 64)
		unit := speedUnits[shape]
		if unit == 0 || n%unit != 0 {
			return "", false
		}
		return strconv.FormatInt(n/unit, 10), true
	case Names, Numbers:
		all := listOf(value)
		if shape == anyList {
			return value, true // that it has one is all that counts
		}
		if shape == anyWith && len(all) > 1 {
			return "", false // it is not known what parts them
		}
		return expand(shape)[0].write(all), true
	}
	return value, true
}

// anyWith and anyRuns are shapes of which it is not known yet what parts the elements, or how a run of them is written: any may be read.
const (
	anyWith = "with any"
	anyRuns = " runs any"
)

// expand are the shapes that a slot's words stand for, that which is written first.
func expand(shape string) []listShape {
	switch {
	case shape == anyWith:
		return listShapes()
	case strings.HasSuffix(shape, anyRuns):
		s := parseListShape(strings.TrimSuffix(shape, anyRuns))
		all := []listShape{s}
		for _, x := range listShapes() {
			if x.with == s.with && x.last == s.last && x.runs != "" {
				all = append(all, x)
			}
		}
		return all
	}
	return []listShape{parseListShape(shape)}
}

// common is one shape that stands for several.
func common(all []listShape) string {
	first := all[0]
	if len(all) == 1 {
		return first.String()
	}
	for _, s := range all[1:] {
		if s.with != first.with || s.last != first.last {
			return anyWith
		}
	}
	return (listShape{with: first.with, last: first.last}).String() + anyRuns
}

// parseListShape is the list shape of a slot's words, which the reader of forms has seen to be one.
func parseListShape(text string) listShape {
	s := listShape{}
	for _, p := range []struct {
		word string
		into *string
	}{{"with ", &s.with}, {"runs ", &s.runs}, {"last ", &s.last}} {
		if i := strings.Index(text, p.word+`"`); i >= 0 {
			if q, err := strconv.QuotedPrefix(text[i+len(p.word):]); err == nil {
				*p.into, _ = strconv.Unquote(q)
			}
		}
	}
	s.short = strings.Contains(text, " short")
	return s
}

// read reads a value of the fact that is written in a shape, in the form in which the house keeps it. A list may be in any of several
// shapes, one a line.
func (f *Fact) read(shape, text string) (string, error) {
	switch f.Type {
	case Number:
		if !isNumber(text) || len(text) > 1 && text[0] == '0' {
			return "", errShape
		}
		ofVLAN := slices.Contains([]string{"vlan", "untagged", "tagged-vlan", "tag"}, f.Name)
		if ofVLAN && (len(text) > 4 || len(text) == 4 && text > "4094" || text == "0") {
			return "", errShape
		}
	case Length:
		return readLength(shape, text)
	case Addr:
		a, err := netip.ParseAddr(text)
		if err != nil || a.Zone() != "" || a.Is4In6() {
			return "", errShape
		}
		return a.String(), nil
	case MAC:
		m, err := prefix.ParseMAC(text)
		if err != nil {
			return "", errShape
		}
		return m, nil
	case Speed:
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil || n < 0 || n > 1<<50/speedUnits[shape] {
			return "", errShape
		}
		return strconv.FormatInt(n*speedUnits[shape], 10), nil
	case Names, Numbers:
		return f.readList(shape, text)
	case Name:
		ofPort := f.Of == Interface || f.Of == UntaggedPort || f.Of == TaggedPort
		if strings.ContainsAny(text, " \t") || text == "" || ofPort && strings.ContainsAny(text, ",;") {
			return "", errShape
		}
	case Text:
		if text == "" || strings.Contains(text, "\t") {
			return "", errShape
		}
	case Words:
		if !slices.Contains(f.Words, text) {
			return "", errShape
		}
	}
	return text, nil
}

func readLength(shape, text string) (string, error) {
	if shape == "" {
		n, err := strconv.Atoi(text)
		if err != nil || n < 0 || n > 128 || strconv.Itoa(n) != text {
			return "", errShape
		}
		return text, nil
	}
	a, err := netip.ParseAddr(text)
	if err != nil || !a.Is4() {
		return "", errShape
	}
	b := a.As4()
	set := binary.BigEndian.Uint32(b[:])
	if shape == "inverse" {
		set = ^set
	}
	n := bits.OnesCount32(set)
	if n < 32 && bits.LeadingZeros32(^set) != n {
		return "", errShape // its bits are not in one stretch
	}
	return strconv.Itoa(n), nil
}

// readList reads a list in the shapes that it may have. Where two of them read it as different things, it is not known; but a run is a
// run rather than one name.
func (f *Fact) readList(shapes, text string) (string, error) {
	several := expand(shapes)
	var found []string
	for _, shape := range several {
		all, err := shape.read(text, f.Type == Numbers)
		if err != nil || len(several) > 1 && (joining(all) || slices.ContainsFunc(all, isRun)) {
			continue
		}
		if v := listed(all); !slices.Contains(found, v) {
			found = append(found, v)
		}
	}
	if len(found) != 1 {
		return "", errShape
	}
	return found[0], nil
}

// isRun tells whether an element looks like a run of several.
func isRun(e string) bool {
	return slices.ContainsFunc([]string{"-", "..", "~", ":"}, func(mark string) bool { _, _, ok := cutRun(e, mark); return ok })
}

// joining tells whether some elements of a list are words without a number, and others have one: words such as 'and' are none of it.
func joining(all []string) bool {
	with, without := false, false
	for _, e := range all {
		if strings.ContainsAny(e, "0123456789") {
			with = true
		} else {
			without = true
		}
	}
	return with && without
}
