package source

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPositionCountsCharacters(t *testing.T) {
	f := New("a.yaml", []byte("äöü: x\r\nnext\n"))
	tests := []struct {
		start, end   int
		line, column int
		before       string
		marked       string
		after        string
	}{
		{0, 6, 1, 1, "", "äöü", ": x"},  // three letters of two bytes each
		{6, 7, 1, 4, "äöü", ":", " x"},  // the fourth character
		{11, 15, 2, 1, "", "next", ""},  // behind CR and LF
		{13, 15, 2, 3, "ne", "xt", ""},  // in the middle
		{8, 15, 1, 6, "äöü: ", "x", ""}, // over the end of a line: cut there
		{16, 16, 3, 1, "", "", ""},      // the empty last line
	}
	for _, tt := range tests {
		p := Place{f, tt.start, tt.end}
		line, column := p.Position()
		assert.Equal(t, [2]int{tt.line, tt.column}, [2]int{line, column}, "%v", tt)
		before, marked, after := p.Excerpt()
		assert.Equal(t, []string{tt.before, tt.marked, tt.after}, []string{before, marked, after})
	}
}

func TestOffsetIsPositionTurnedRound(t *testing.T) {
	f := New("a.yaml", []byte("äb\n\nxyz"))
	for _, at := range []int{0, 2, 3, 4, 5, 6, 7} {
		line, column := (Place{f, at, at + 1}).Position()
		assert.Equal(t, at, f.Offset(line, column), "offset %d is %d:%d", at, line, column)
	}
	assert.Equal(t, 0, f.Offset(0, 5), "before the text")
	assert.Equal(t, len(f.Text), f.Offset(99, 1), "behind the text")
	assert.Equal(t, 3, f.Offset(1, 99), "behind the line's end")
}

func TestLongLinesAreCountedFromTheirMarks(t *testing.T) {
	text := "first\n" + strings.Repeat("aä漢", 3000) + "\nlast"
	f := New("a.yaml", []byte(text))
	column := 1
	for at := range text {
		if at < len("first\n") || at > len(text)-len("\nlast")-1 {
			continue
		}
		line, got := (Place{f, at, at + 1}).Position()
		require.Equal(t, [2]int{2, column}, [2]int{line, got}, "offset %d", at)
		require.Equal(t, at, f.Offset(2, column))
		column++
	}
	assert.Equal(t, len(text)-len("\nlast"), f.Offset(2, 1_000_000), "behind the line's end")
}

func TestByteOrderMarkIsNoCharacter(t *testing.T) {
	f := New("a.yaml", []byte("\ufeffa: 1\n"))
	line, column := Place{f, 3, 4}.Position()
	assert.Equal(t, [2]int{1, 1}, [2]int{line, column})
	assert.Equal(t, 3, f.Offset(1, 1))
}

func TestPlaceInWords(t *testing.T) {
	f := New("dir/a.yaml", []byte("one\ntwo"))
	assert.Equal(t, "dir/a.yaml:2:2", Place{f, 5, 6}.String())
	assert.Equal(t, "dir/a.yaml", f.Whole().String())
	assert.Equal(t, "", Place{}.String())
	assert.False(t, Place{}.Known())
	assert.Equal(t, "wo", Place{f, 5, 7}.Text())
	before, marked, after := f.Whole().Excerpt()
	assert.Empty(t, before+marked+after, "a whole file has no line to show")
}

func TestPlacesAreOrdered(t *testing.T) {
	a, b := New("a", []byte("xyz")), New("b", []byte("xyz"))
	assert.True(t, Place{a, 0, 1}.Before(Place{a, 1, 2}))
	assert.False(t, Place{a, 1, 2}.Before(Place{a, 1, 2}))
	assert.True(t, Place{a, 2, 3}.Before(Place{b, 0, 1}), "by file first")
	assert.True(t, Place{}.Before(Place{a, 0, 1}), "nowhere comes first")
	assert.False(t, Place{a, 0, 1}.Before(Place{}))
}
