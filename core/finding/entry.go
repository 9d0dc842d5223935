package finding

import (
	_ "embed"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"

	"ropeswing/core/entries"
)

// Stage is when a finding comes up.
type Stage uint8

const (
	Reading  Stage = iota // the plan cannot be used until it is mended
	Checking              // the plan is understood, and something in it is wrong or doubtful
	Walking               // a ping or trace does not get where it should, for this reason
)

// stages are the words for the stages in the catalogue; while are those for readers.
var (
	stages = []string{"reading", "checking", "walking"}
	while  = [...]string{"reading the plan", "checking the plan", "following a packet"}
)

func (s Stage) String() string { return while[s] }

// Entry is what the catalogue says of one kind of finding.
type Entry struct {
	Name     Name
	Severity Severity
	Stage    Stage
	Means    string // what it is, in one sentence
	Why      string // why it matters, and how it comes about
	Remedy   string // what to do
	// Example is the smallest plan that shows this finding and no other.
	Example string
	Ledger  string // beside it, where the finding is about one
	// Ping is, for the Walking stage, the two ends of the ping that shows it.
	Ping  [2]string
	TTL   int // of that ping, where it is not the usual one
	Size  int // its payload in bytes, where that matters; Whole: not to be fragmented
	Whole bool
}

//go:embed catalogue.txt
var catalogueText string

// catalogue is made when it is first asked for: most commands need none of it.
var catalogue = sync.OnceValue(func() []Entry {
	all, err := readCatalogue(catalogueText)
	if err != nil {
		panic("catalogue.txt: " + err.Error())
	}
	return all
})

// byName finds an entry by its name.
var byName = sync.OnceValue(func() map[Name]*Entry {
	all := catalogue()
	of := make(map[Name]*Entry, len(all))
	for i := range all {
		of[all[i].Name] = &all[i]
	}
	return of
})

// readCatalogue reads the text of a catalogue. An unknown key, word or number in it is an error.
func readCatalogue(text string) ([]Entry, error) {
	read, err := entries.Read(text)
	if err != nil {
		return nil, err
	}
	all := make([]Entry, len(read))
	for i, x := range read {
		e := &all[i]
		e.Name = Name(x.Name)
		for key, value := range x.Says {
			if err := e.take(key, value); err != nil {
				return nil, fmt.Errorf("%s: %s: %w", x.Name, key, err)
			}
		}
	}
	return all, nil
}

// take sets what one key of an entry says.
func (e *Entry) take(key, value string) (err error) {
	among := func(words []string) int {
		i := slices.Index(words, value)
		if i < 0 {
			err = fmt.Errorf("it is one of %s, not %s", strings.Join(words, ", "), value)
		}
		return max(i, 0)
	}
	switch key {
	case "severity":
		e.Severity = Severity(among(Severities[:]))
	case "stage":
		e.Stage = Stage(among(stages))
	case "means":
		e.Means = value
	case "why":
		e.Why = value
	case "remedy":
		e.Remedy = value
	case "example":
		e.Example = value
	case "ledger":
		e.Ledger = value
	case "ping":
		e.Ping[0], e.Ping[1], _ = strings.Cut(value, " ")
	case "ttl":
		e.TTL, err = strconv.Atoi(value)
	case "size":
		e.Size, err = strconv.Atoi(value)
	case "whole":
		e.Whole, err = strconv.ParseBool(value)
	default:
		err = fmt.Errorf("there is no such key")
	}
	return err
}

// Catalogue is every kind of finding, by stage and then in the order in which they are likely to be met: what catalogue.txt holds.
// It belongs to the package.
func Catalogue() []Entry { return catalogue() }

// Lookup is the entry of a name. A name that is in no entry gets one of severity error, so that nothing is hidden by a slip in this
// program.
func Lookup(n Name) Entry {
	if e := byName()[n]; e != nil {
		return *e
	}
	return Entry{Name: n, Severity: Error}
}

// Names lists every name in the catalogue.
func Names() []string {
	all := catalogue()
	names := make([]string, len(all))
	for i := range all {
		names[i] = string(all[i].Name)
	}
	return names
}

// Judged tells whether a packet ends for a permit or a translation, not for want of a path.
func (n Name) Judged() bool {
	switch n {
	case FilteredOut, RefusedByPermit, StateUnknown, NoAddressLeft, ReplyFromElsewhere:
		return true
	}
	return false
}
