package assign

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

func merged(text string, keep ...string) (*Ledger, []finding.Finding) {
	return MergeLedger(source.New("a.ledger", []byte(heading+"\n"+text)), keep)
}

func TestWhatTwoBranchesGaveIsSettled(t *testing.T) {
	const both = "east subnet 10.0.0.0/26\neast vlan 3\neast-pc:e address 10.0.0.2\nwest subnet 10.0.0.0/25\nwest vlan 3\nwest-pc:e " +
		"address 10.0.0.2\n"
	for _, tt := range []struct {
		text, keep string
		left, gone string // owners with their numbers
	}{
		{both, "west west-pc", "west 10.0.0.0/25, west 3, west-pc:e 10.0.0.2", "east 10.0.0.0/26, east 3, east-pc:e 10.0.0.2"},
		{both, "east*", "east 10.0.0.0/26, east 3, east-pc:e 10.0.0.2", "west 10.0.0.0/25, west 3, west-pc:e 10.0.0.2"},
		{"a vlan 3\na vlan 4\n", "a=4", "a 4", "a 3"},
		{"a vlan 3\nb vlan 3\n", "b=3", "b 3", "a 3"},
		{"a vlan 3\na vlan 3\n", "", "a 3", ""},
		{"a vlan 3\na vlan 3 retired\n", "", "a 3", ""},
		{"a vlan 3 retired\nb vlan 3\n", "b", "b 3", "a 3"},
		{"<<<<<<< HEAD\na vlan 3\n=======\nb vlan 4\n>>>>>>> other\n", "", "a 3, b 4", ""},
		{"<<<<<<< HEAD\na vlan 3\n||||||| base\na vlan 9\n=======\na vlan 5\n>>>>>>> other\n", "a=5", "a 5", "a 3"},
	} {
		l, found := merged(tt.text, strings.Fields(tt.keep)...)
		require.Empty(t, found, tt.text)
		assert.Equal(t, tt.left, words(l.Entries), tt.text)
		assert.ElementsMatch(t, strings.Split(tt.gone, ", "), strings.Split(words(l.Dropped), ", "), tt.text)
	}
}

func words(all []Entry) string {
	var s []string
	for _, e := range all {
		s = append(s, e.Owner+" "+e.Number())
	}
	return strings.Join(s, ", ")
}

// Two branches go on from one ledger, and what they gave is merged by lines: the command that a refusal names settles all of it at once,
// and each two owners are told once.
func TestTheCommandThatIsToldSettlesAll(t *testing.T) {
	r := rand.New(rand.NewPCG(38, 3))
	told := 0
	for range 1000 {
		base := branch(r, nil)
		var lines []string
		for _, l := range [][]string{branch(r, base), branch(r, base)} {
			lines = append(lines, l...)
		}
		slices.Sort(lines)
		text := strings.Join(slices.Compact(lines), "\n") + "\n"
		l, found := merged(text)
		if len(found) == 0 {
			require.Empty(t, clashes(l.Entries))
			continue
		}
		pairs := map[string]bool{}
		for _, f := range found {
			told++
			pairs[f.Remedy+f.Reason] = true
		}
		assert.Len(t, pairs, len(found), text)
		var keep []string
		for i, word := range found[0].Next {
			if word == "--keep" {
				keep = append(keep, found[0].Next[i+1])
			}
		}
		l, found = merged(text, keep...)
		require.Empty(t, found, "%s\n%v", text, keep)
		require.NotEmpty(t, l.Dropped)
	}
	assert.Greater(t, told, 200)
}

// branch is a ledger that contradicts itself nowhere, and what was added to another.
func branch(r *rand.Rand, base []string) []string {
	all := slices.Clone(base)
	for range 1 + r.IntN(6) {
		line := [...]string{
			fmt.Sprintf("seg%d vlan %d", r.IntN(6), 2+r.IntN(6)),
			fmt.Sprintf("seg%d subnet 10.0.0.%d/28", r.IntN(6), 16*r.IntN(6)),
			fmt.Sprintf("dev%d:p%d address 10.9.0.%d", r.IntN(4), r.IntN(3), r.IntN(6)),
			fmt.Sprintf("dev%d loopback 10.8.0.%d", r.IntN(4), r.IntN(6)),
		}[r.IntN(4)]
		if _, found := merged(strings.Join(append(slices.Clone(all), line), "\n")); len(found) == 0 {
			all = append(all, line)
		}
	}
	return all
}

// Numbers that are retired carry the day; those of long ago can be released alone, and of others it is told that their age is not known.
func TestRetiredNumbersCarryTheDay(t *testing.T) {
	read := func(text string) *Ledger {
		l, found := ReadLedger(source.New("a.ledger", []byte(heading+"\n"+text)))
		require.Empty(t, found)
		return l
	}
	const text = "a vlan 3 retired 2024-02-29\nb vlan 4 retired 2026-01-01\nc vlan 5 retired\nd vlan 6\n"
	l := read(text)
	assert.Contains(t, string(l.Text()), text)
	changes, undated := l.Release("2025-12-31")
	assert.Equal(t, "a 3", words([]Entry{changes[0].Entry}))
	assert.Equal(t, 1, undated)
	changes, _ = l.Release("2026-01-01", "c", "d")
	assert.Empty(t, changes)
	changes, _ = l.Release("")
	assert.Len(t, changes, 2)
	for _, wrong := range []string{"2026-13-01", "2026-00-01", "2026-1-1", "yesterday", "2026-01-32", "2026/01/01"} {
		_, found := ReadLedger(source.New("a.ledger", []byte(heading+"\na vlan 3 retired "+wrong+"\n")))
		require.Len(t, found, 1, wrong)
		assert.Contains(t, found[0].Reason, wrong+" is no day")
	}
}
