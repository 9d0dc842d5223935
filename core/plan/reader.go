package plan

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"sync"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

// reader turns YAML nodes into the plan's words, noting all that is wrong.
type reader struct {
	file    *source.File
	found   []finding.Finding
	current *number          // the number of the pattern being read, nil outside of one
	include []Text           // the files this one names
	told    map[slip]*number // of which number it was told
	budget  *int             // how many more things patterns may stand for, in all files together
}

// slip is what is wrong, and where.
type slip struct {
	name  finding.Name
	place source.Place
}

// mostSlips is how many slips of one file are worth telling.
const mostSlips = 200

// report notes a slip. Of one that each of a pattern's numbers has at the same
// place, the first is told.
func (r *reader) report(f finding.Finding) {
	if r.current != nil {
		at := slip{f.Name, f.Place}
		if of, told := r.told[at]; told && of != r.current {
			return
		}
		if r.told == nil {
			r.told = map[slip]*number{}
		}
		r.told[at] = r.current
	}
	if len(r.found) < mostSlips {
		r.found = append(r.found, f)
	}
}

// place is where a node stands: a word whole, a list or map by its start.
func (r *reader) place(n *yaml.Node) source.Place {
	start := r.file.Offset(n.Line, n.Column)
	switch {
	case n.Kind == yaml.ScalarNode:
		return source.Place{File: r.file, Start: start, End: min(max(r.scalarEnd(n, start), start+1), len(r.file.Text))}
	case n.Kind == yaml.MappingNode && n.Style&yaml.FlowStyle == 0 && len(n.Content) > 0:
		return r.place(n.Content[0])
	case n.Kind == yaml.AliasNode:
		return source.Place{File: r.file, Start: start, End: start + len("*") + len(n.Value)}
	}
	return source.Place{File: r.file, Start: start, End: min(start+1, len(r.file.Text))}
}

// scalarEnd is the offset behind a word's last byte. A word that runs over
// several lines is cut at the end of the first.
func (r *reader) scalarEnd(n *yaml.Node, start int) int {
	text := r.file.Text
	if n.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0 {
		return quotedEnd(text, start)
	}
	if strings.HasPrefix(string(text[start:min(len(text), start+len(n.Value))]), n.Value) {
		return start + len(n.Value)
	}
	end := start
	for end < len(text) && text[end] != '\n' && text[end] != '\r' {
		end++
	}
	return end
}

// quotedEnd is the offset behind the closing quote of the quoted text that
// begins at start.
func quotedEnd(text []byte, start int) int {
	if start >= len(text) {
		return len(text)
	}
	quote := text[start]
	for i := start + 1; i < len(text); i++ {
		switch {
		case quote == '"' && text[i] == '\\':
			i++
		case text[i] == quote && quote == '\'' && i+1 < len(text) && text[i+1] == quote:
			i++
		case text[i] == quote:
			return i + 1
		}
	}
	return len(text)
}

// prose is a node's text, which may run over several lines.
func (r *reader) prose(n *yaml.Node, what string) (Text, bool) {
	return r.printable(n, what, func(c rune) bool { return c != '\n' && unprintable(c) })
}

// word is a node's text, taken as written.
func (r *reader) word(n *yaml.Node, what string) (Text, bool) {
	return r.printable(n, what, unprintable)
}

// printable is a node's text if it is one and holds nothing forbidden.
func (r *reader) printable(n *yaml.Node, what string, forbidden func(rune) bool) (Text, bool) {
	if !r.plain(n) {
		return Text{}, false
	}
	if n.Kind != yaml.ScalarNode {
		if text, ok := brokenIPv6(n); ok {
			r.report(finding.New(finding.UnquotedIPv6, r.place(n), "YAML reads %s as a map; put it in quotes: %q", text, text))
			return Text{}, false
		}
		r.report(finding.New(finding.WrongType, r.place(n), "%s is one word, not %s", what, kindOf(n)))
		return Text{}, false
	}
	if n.Tag == "!!null" && n.Value == "" || n.Value == "" {
		r.report(finding.New(finding.WrongType, r.place(n), "%s is empty", what))
		return Text{}, false
	}
	if bad := strings.IndexFunc(n.Value, forbidden); bad >= 0 {
		r.report(finding.New(finding.BadName, r.place(n), "%s holds a control character; write it with printable characters only", what))
		return Text{}, false
	}
	return Text{r.filled(n.Value), r.place(n)}, true
}

// plain refuses YAML tags, for which a plan has no use.
func (r *reader) plain(n *yaml.Node) bool {
	if n.Style&yaml.TaggedStyle != 0 {
		r.report(finding.New(finding.WrongType, r.place(n), "a plan has no YAML tags: leave out %s", n.Tag))
		return false
	}
	return true
}

// unprintable are the characters no word of a plan may hold: controls of both
// sets, and marks that change the direction of what follows.
func unprintable(c rune) bool {
	return c < 0x20 || c >= 0x7f && c < 0xa0 || c == 0x2028 || c == 0x2029 ||
		c >= 0x202a && c <= 0x202e || c >= 0x2066 && c <= 0x2069 || c == 0x200e || c == 0x200f || c == 0xfeff
}

// words is one word or a list of words, with those that patterns among them stand for.
func (r *reader) words(n *yaml.Node, what string) []Text {
	if !r.plain(n) {
		return nil
	}
	each := []*yaml.Node{n}
	if n.Kind == yaml.SequenceNode {
		each = n.Content
	}
	all := make([]Text, 0, len(each))
	for _, c := range each {
		if t, ok := r.word(c, what); ok {
			r.madeOf(c, func(t Text) { all = append(all, t) }, t)
		}
	}
	return all
}

// number is a whole number from low to high.
func (r *reader) number(n *yaml.Node, what string, low, high int) Number {
	t, ok := r.word(n, what)
	if !ok {
		return Number{}
	}
	value, err := strconv.Atoi(t.Value)
	switch {
	case err == nil && len(t.Value) > 1 && t.Value[0] == '0':
		r.report(finding.New(finding.LeadingZero, t.Place, "%s has a leading zero, which some read as octal; write %d", t.Value, value))
		return Number{}
	case err != nil || value < low || value > high:
		r.report(finding.New(finding.BadValue, t.Place, "%s is a whole number from %d to %d, not %s", what, low, high, t.Value))
		return Number{}
	}
	return Number{value, t.Place}
}

// truth is true or false.
func (r *reader) truth(n *yaml.Node, what string) Switch {
	t, ok := r.word(n, what)
	if !ok {
		return Switch{}
	}
	switch strings.ToLower(t.Value) {
	case "true", "yes", "on":
		return Switch{true, t.Place}
	case "false", "no", "off":
		return Switch{false, t.Place}
	}
	r.report(finding.New(finding.BadValue, t.Place, "%s is true or false, not %s", what, t.Value))
	return Switch{}
}

// choice is one of the given words.
func (r *reader) choice(n *yaml.Node, what string, choices ...string) Text {
	t, ok := r.word(n, what)
	if !ok {
		return Text{}
	}
	for _, c := range choices {
		if t.Value == c {
			return t
		}
	}
	f := finding.New(finding.BadValue, t.Place, "%s is %s, not %s", what, oneOf(choices), t.Value)
	if near, ok := finding.Nearest(t.Value, choices); ok {
		f = f.Mend("did you mean %s?", near)
	}
	r.report(f)
	return Text{}
}

// oneOf lists words the way a sentence does: a, b or c.
func oneOf(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}

// mapping checks that a node is a map and walks its entries; an entry whose
// key stood before is reported and passed over.
func (r *reader) mapping(n *yaml.Node, what string, visit func(key Text, value *yaml.Node)) {
	if !r.plain(n) {
		return
	}
	if n.Kind != yaml.MappingNode {
		switch {
		case n.Kind == yaml.ScalarNode && n.Value == "":
			return // 'devices:' with nothing under it yet
		case n.Kind == yaml.ScalarNode && missingSpace().MatchString(n.Value):
			r.reportMissingSpace(r.place(n), n.Value)
		default:
			r.report(finding.New(finding.WrongType, r.place(n), "%s is a map of 'key: value', not %s", what, kindOf(n)))
		}
		return
	}
	seen := make(map[string]Text, len(n.Content)/2)
	for i := 0; i+1 < len(n.Content); i += 2 {
		k, v := n.Content[i], n.Content[i+1]
		key, ok := r.word(k, "a key of "+what)
		if !ok {
			continue
		}
		if first, twice := seen[key.Value]; twice {
			r.report(finding.New(finding.DuplicateKey, key.Place, "%s stands here twice; the first is %s", key.Value,
				first.Place.From(key.Place)).
				Mend("remove one, or join the two").With(first.Place))
			continue
		}
		seen[key.Value] = key
		visit(key, v)
	}
}

// missingSpace is 'vlan:110' where 'vlan: 110' is meant.
var missingSpace = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^([a-z][a-z-]*):([^\s:/].*)$`) })

func (r *reader) reportMissingSpace(place source.Place, text string) {
	m := missingSpace().FindStringSubmatch(text)
	r.report(finding.New(finding.MissingSpace, place, "YAML wants a space behind the colon: write '%s: %s'", m[1], m[2]))
}

// brokenIPv6 recognises what YAML makes of an unquoted [2001:db8::]: a map
// from '2001:db8:' to nothing.
func brokenIPv6(n *yaml.Node) (string, bool) {
	if n.Kind != yaml.MappingNode || len(n.Content) != 2 || n.Content[1].Value != "" {
		return "", false
	}
	text := n.Content[0].Value
	if !looksIPv6().MatchString(text) {
		return "", false
	}
	return text + ":", true
}

var looksIPv6 = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[0-9A-Fa-f]{1,4}(:[0-9A-Fa-f]{1,4})*:$`) })

// kindOf names what a node is, as a person would.
func kindOf(n *yaml.Node) string {
	switch n.Kind {
	case yaml.SequenceNode:
		return "a list"
	case yaml.MappingNode:
		return "a map"
	case yaml.ScalarNode:
		if n.Value == "" {
			return "nothing"
		}
		return fmt.Sprintf("%q", n.Value)
	}
	return "this"
}

// key is one key of a map: its name, what may stand there, what it does, and
// how it is read. The tables of keys are also the plan's reference.
type key[T any] struct {
	name, form, doc string
	read            func(r *reader, into *T, n *yaml.Node, what string)
}

// fields reads a map whose keys are all in the table.
func fields[T any](r *reader, n *yaml.Node, what string, keys []key[T], into *T) {
	r.mapping(n, what, func(name Text, value *yaml.Node) {
		for _, k := range keys {
			if k.name == name.Value {
				before := len(r.found)
				k.read(r, into, value, name.Value)
				for i := range r.found[before:] { // what is of the wrong kind is told with what may stand there
					if f := &r.found[before+i]; f.Name == finding.WrongType && f.Remedy == "" && strings.HasPrefix(f.Reason, name.Value+" is ") {
						*f = f.Mend("what may stand there: %s", strings.ReplaceAll(k.form, "`", "'"))
					}
				}
				return
			}
		}
		r.unknownKey(name, value, what, namesOf(keys))
	})
}

func namesOf[T any](keys []key[T]) []string {
	names := make([]string, len(keys))
	for i, k := range keys {
		names[i] = k.name
	}
	return names
}

func (r *reader) unknownKey(name Text, value *yaml.Node, what string, names []string) {
	if m := missingSpace().FindStringSubmatch(name.Value); m != nil && value.Value == "" {
		r.reportMissingSpace(name.Place, name.Value)
		return
	}
	f := finding.New(finding.UnknownKey, name.Place, "%s has no key %s", what, name.Value)
	if near, ok := finding.Nearest(name.Value, names); ok {
		f = f.Mend("did you mean %s?", near)
	} else {
		f = f.Mend("its keys are %s", strings.Join(names, ", "))
	}
	r.report(f)
}
