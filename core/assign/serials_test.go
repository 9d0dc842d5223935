package assign_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/assign"
	"ropeswing/core/source"
)

func TestSerialsOfZonesCount(t *testing.T) {
	l := assign.WithSerials(nil)
	one, two := []byte("one"), []byte("two")
	assert.EqualValues(t, 2026120101, l.Numbered("a.example", one, "2026-12-01"), "the day's first")
	assert.EqualValues(t, 2026120101, l.Numbered("a.example", one, "2026-12-24"), "nothing has changed")
	assert.EqualValues(t, 2026120102, l.Numbered("a.example", two, "2026-12-01"))
	assert.EqualValues(t, 2026120103, l.Numbered("a.example", one, "2026-12-01"), "what it was before is a change too")
	assert.EqualValues(t, 2026122401, l.Numbered("a.example", two, "2026-12-24"))
	assert.EqualValues(t, 2026122402, l.Numbered("a.example", one, "2026-12-23"), "a clock that goes back")
	assert.EqualValues(t, 2026122401, l.Numbered("b.example", one, "2026-12-24"), "each zone counts for itself")

	read, found := assign.ReadLedger(source.New("x.ledger", l.Text()))
	require.Empty(t, found)
	assert.Equal(t, string(l.Text()), string(read.Text()))
	assert.EqualValues(t, 2026122402, assign.WithSerials(read).Numbered("a.example", one, "2026-12-24"))
}

// Two branches that each counted: the higher number stands, and where both have one number for different zones, the next is another.
func TestSerialsOfTwoBranches(t *testing.T) {
	read := func(lines string) *assign.Ledger {
		l, found := assign.ReadLedger(source.New("x.ledger", []byte("ropeswing-ledger 1\n"+lines)))
		require.Empty(t, found)
		return assign.WithSerials(l)
	}
	l := read("a.example serial 2026120102 of abc\na.example serial 2026120101 of def\n")
	assert.Contains(t, string(l.Text()), "a.example serial 2026120102 of abc\n")
	assert.NotContains(t, string(l.Text()), "def")
	l = read("a.example serial 2026120101 of abc\na.example serial 2026120101 of def\n")
	assert.EqualValues(t, 2026120102, l.Numbered("a.example", []byte("one"), "2026-12-01"))
	l = read("a.example serial 4294967295 of abc\n")
	assert.EqualValues(t, 1, l.Numbered("a.example", []byte("one"), "2026-12-01"), "it goes round")
	for _, bad := range []string{"a.example serial 0 of abc\n", "a.example serial x of abc\n", "a.example serial 7\n"} {
		_, found := assign.ReadLedger(source.New("x.ledger", []byte("ropeswing-ledger 1\n"+bad)))
		require.Len(t, found, 1, bad)
		assert.Contains(t, found[0].Reason, "ZONE serial NUMBER of DIGEST")
	}
}
