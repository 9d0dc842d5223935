package explain

import (
	_ "embed"
	"fmt"
	"strings"
	"sync"

	"ropeswing/core/entries"
	"ropeswing/core/plan"
)

// Term is a word of the trade, as it is used here.
type Term struct {
	Name  string
	Also  []string // other words for the same, by which it is found too
	Means string
	Key   string // of the plan: what stands for it there, as 'kind: key'; "" where nothing does
	// Command is what to run to see more of it, without the program's name, by names of the demo; "" where nothing is told.
	Command string
	RFC     string // where it is from; "" for a word of the trade or of ours
}

//go:embed glossary.txt
var glossaryText string

var glossary = sync.OnceValue(func() []Term {
	all, err := readGlossary(glossaryText)
	if err != nil {
		panic("glossary.txt: " + err.Error())
	}
	return all
})

// readGlossary reads the text of a glossary. An unknown key in it is an error.
func readGlossary(text string) ([]Term, error) {
	read, err := entries.Read(text)
	if err != nil {
		return nil, err
	}
	all := make([]Term, len(read))
	for i, x := range read {
		all[i].Name = x.Name
		for key, value := range x.Says {
			switch key {
			case "also":
				all[i].Also = strings.Split(value, "; ")
			case "means":
				all[i].Means = value
			case "key":
				all[i].Key = value
			case "command":
				all[i].Command = value
			case "rfc":
				all[i].RFC = value
			default:
				return nil, fmt.Errorf("%s: there is no key %s", x.Name, key)
			}
		}
	}
	return all, nil
}

// Glossary is every word that means something particular here, in the order of the alphabet: what glossary.txt holds. It belongs to the
// package.
func Glossary() []Term { return glossary() }

// Words lists every name of every term.
func Words() []string {
	var all []string
	for _, t := range glossary() {
		all = append(append(all, t.Name), t.Also...)
	}
	return all
}

// TermNamed finds a word, by any of its names, in capitals or small, with spaces or hyphens.
func TermNamed(word string) (Term, bool) {
	plain := func(s string) string { return strings.ToLower(strings.NewReplacer("-", " ", "_", " ").Replace(s)) }
	want := plain(word)
	for _, t := range glossary() {
		if plain(t.Name) == want {
			return t, true
		}
	}
	for _, t := range glossary() {
		for _, also := range t.Also {
			if plain(also) == want {
				return t, true
			}
		}
	}
	return Term{}, false
}

// KeyOf is what the plan's reference says of a term's key.
func (t Term) KeyOf() (plan.KeyDoc, string, bool) {
	kind, name, ok := strings.Cut(t.Key, ": ")
	if !ok {
		return plan.KeyDoc{}, "", false
	}
	return plan.KeyNamed(kind, name)
}

// KeysNamed are the keys of the plan with a name, each with where it stands.
func KeysNamed(name string) (keys []plan.KeyDoc, where []string) {
	for _, g := range plan.Keys() {
		for _, k := range g.Keys {
			if k.Name == name {
				keys, where = append(keys, k), append(where, g.Where)
			}
		}
	}
	return keys, where
}
