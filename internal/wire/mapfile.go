package wire

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/finding"
	"ropeswing/core/observed"
)

// valueForm is what the value of a key of a column map is.
type valueForm uint8

const (
	aWord valueForm = iota
	aList
	aTable     // key: word
	aTables    // field: {word: word}
	aTableList // tables
)

func (f valueForm) String() string {
	return [...]string{"a word", "a list of words", "a map of words, each key once", "a map of words for each field, each once",
		"a list of maps"}[f]
}

// mapKeys and tableKeys are the keys of a column map, and of each of its tables.
var (
	mapKeys = map[string]valueForm{"ropeswing-map": aWord, "name": aWord, "device": aWord, "skip": aList, "ask": aList, "nothing": aList,
		"form": aWord, "prompt": aWord, "enter": aList, "leave": aList, "forget": aList, "refused": aWord, "save": aList, "timer": aTable,
		"tables": aTableList}
	tableKeys = map[string]valueForm{
		"heading": aList, "split": aWord, "fields": aTable, "continues": aWord, "repeats": aWord, "ends": aWord, "words": aTables,
		"known": aList,
	}
)

// checkKeys finds a key of a column map that is none, or whose value is of another form.
func checkKeys(n *yaml.Node, keys map[string]valueForm, of string) error {
	if n.Kind != yaml.MappingNode {
		return fmt.Errorf("it is no column map: line %d, column %d: %s is a map of keys", n.Line, n.Column, of)
	}
	at := map[string]int{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, value := n.Content[i], n.Content[i+1]
		if first, twice := at[key.Value]; twice {
			return fmt.Errorf("line %d, column %d: %s stands here twice; the first is on line %d", key.Line, key.Column, key.Value, first)
		}
		at[key.Value] = key.Line
		want, known := keys[key.Value]
		if !known {
			var names []string
			for name := range keys {
				names = append(names, name)
			}
			slices.Sort(names)
			text := fmt.Sprintf("line %d, column %d: %s has no key %s; its keys are %s", key.Line, key.Column, of, key.Value,
				strings.Join(names, ", "))
			if near, ok := finding.Nearest(key.Value, names); ok {
				text = fmt.Sprintf("line %d, column %d: %s has no key %s; did you mean %s?", key.Line, key.Column, of, key.Value, near)
			}
			return fmt.Errorf("%s", text)
		}
		if !want.fits(value) {
			return fmt.Errorf("line %d, column %d: %s is %s", value.Line, value.Column, key.Value, want)
		}
		if want == aTableList {
			for _, t := range value.Content {
				if err := checkKeys(t, tableKeys, "a table"); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// fits tells whether a value is of the form.
func (f valueForm) fits(n *yaml.Node) bool {
	all := func(kind yaml.Kind) bool {
		from, step := 0, 1
		if n.Kind == yaml.MappingNode {
			from, step = 1, 2
		}
		for i := from; i < len(n.Content); i += step {
			if n.Content[i].Kind != kind {
				return false
			}
		}
		return true
	}
	keys := map[string]bool{}
	for i := 0; n.Kind == yaml.MappingNode && i < len(n.Content); i += 2 {
		if keys[n.Content[i].Value] {
			return false // one stands there twice
		}
		keys[n.Content[i].Value] = true
	}
	switch f {
	case aWord:
		return n.Kind == yaml.ScalarNode
	case aList:
		return n.Kind == yaml.SequenceNode && all(yaml.ScalarNode)
	case aTable:
		return n.Kind == yaml.MappingNode && all(yaml.ScalarNode)
	case aTables:
		for i := 1; n.Kind == yaml.MappingNode && i < len(n.Content); i += 2 {
			if !aTable.fits(n.Content[i]) {
				return false
			}
		}
		return n.Kind == yaml.MappingNode
	}
	return n.Kind == yaml.SequenceNode
}

// checkNames finds a field or part that a table names and that is none.
func (t *TableMap) checkNames() *misplaced {
	for _, field := range slices.Sorted(maps.Keys(t.Words)) {
		if _, used := t.Fields[field]; !used {
			return amiss(fmt.Errorf("words of %s, which is none of the table's fields%s", field, near(field, slices.Sorted(maps.Keys(t.Fields)))),
				"words", field)
		}
	}
	var parts []string
	for _, p := range observed.Parts {
		parts = append(parts, string(p))
	}
	for _, k := range t.Known {
		if !slices.Contains(parts, k) {
			return amiss(fmt.Errorf("known is one of %s, not %s", strings.Join(parts, ", "), k), "known", k)
		}
	}
	return nil
}

// misplaced is what is wrong in a map, and the keys, numbers and words that lead to it.
type misplaced struct {
	err  error
	path []string
}

func amiss(err error, path ...string) *misplaced { return &misplaced{err, path} }

// in is the error with its place in the file.
func (m *misplaced) in(n *yaml.Node) error {
	at := n
	for _, word := range m.path {
		switch n.Kind {
		case yaml.MappingNode:
			for i := 0; i+1 < len(n.Content); i += 2 {
				if n.Content[i].Value == word {
					at, n = n.Content[i], n.Content[i+1]
					break
				}
			}
		case yaml.SequenceNode:
			for i, x := range n.Content {
				if x.Kind == yaml.ScalarNode && x.Value == word || x.Kind != yaml.ScalarNode && word == strconv.Itoa(i) {
					at, n = x, x
					break
				}
			}
		}
	}
	return fmt.Errorf("line %d, column %d: %w", at.Line, at.Column, m.err)
}

// unknown is the error of a word that is none of some, with the nearest of them.
func unknown(what, word string, all []string) error {
	if guess := near(word, all); guess != "" {
		return fmt.Errorf("there is no %s %s%s", what, word, guess)
	}
	return fmt.Errorf("there is no %s %s; the %ss are %s", what, word, what, strings.Join(all, ", "))
}

// near asks whether another word was meant; "" where none is like it.
func near(word string, all []string) string {
	if guess, ok := finding.Nearest(word, all); ok {
		return "; did you mean " + guess + "?"
	}
	return ""
}

// nothings are words that stand in a cell for there being nothing, as dashes do.
var nothings = []string{"unassigned", "unset", "not set", "none", "n/a", "(none)"}

// named are fields whose words are names, whatever they say.
var named = []string{"device", "interface", "destination", "name", "description", "table", "link-device", "link-port"}

// word is what a cell of a field stands for: a word of ours where the map says so, ""
// where it says that there is nothing.
func word(field, text string, words map[string]string, nothing []string) string {
	if w, ok := words[text]; ok {
		return w
	}
	for _, n := range nothing {
		if strings.EqualFold(n, text) {
			return ""
		}
	}
	if text != "" && strings.Trim(text, "-") == "" || !slices.Contains(named, field) && slices.Contains(nothings, strings.ToLower(text)) {
		return ""
	}
	return text
}
