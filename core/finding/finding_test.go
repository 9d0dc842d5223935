package finding

import (
	"go/ast"
	"go/parser"
	"go/token"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/source"
)

func TestNearest(t *testing.T) {
	names := []string{"desk-7", "quay-edge", "quay-core", "tern-cam"}
	tests := []struct{ word, want string }{
		{"dsk-7", "desk-7"},        // a letter missing
		{"desk--7", "desk-7"},      // one too many
		{"dekc-7", "desk-7"},       // two wrong
		{"quay-egde", "quay-edge"}, // two swapped: one slip
		{"tern-cam", "tern-cam"},
		{"zebra", ""},
		{"x", ""},
		{"", ""},
	}
	for _, tt := range tests {
		got, ok := Nearest(tt.word, names)
		assert.Equal(t, tt.want, got, tt.word)
		assert.Equal(t, tt.want != "", ok, tt.word)
	}
}

func TestSwappedNeighboursAreOneSlip(t *testing.T) {
	assert.Equal(t, 1, slips("abcd", "abdc", 3))
	assert.Equal(t, 2, slips("abcd", "badc", 3))
	assert.Equal(t, 0, slips("same", "same", 3))
	assert.Equal(t, 3, slips("kitten", "sitting", 3)) // two letters wrong, one more at the end
	assert.Greater(t, slips("a", "abcdefgh", 3), 3)
}

func TestSortByPlaceThenNameAndOnce(t *testing.T) {
	f := source.New("p", []byte("0123456789"))
	at := func(n int) source.Place { return source.Place{File: f, Start: n, End: n + 1} }
	all := Sort([]Finding{
		New(UnknownKey, at(5), "b"), New(BadName, at(5), "a"), New(BadValue, at(1), "c"), New(BadValue, at(1), "c"),
	})
	var names []string
	for _, x := range all {
		names = append(names, string(x.Name))
	}
	assert.Equal(t, []string{"bad-value", "bad-name", "unknown-key"}, names)
}

func TestCountFromASeverityOn(t *testing.T) {
	all := []Finding{{Name: DuplicateAddress}, {Name: StaticHidden}, {Name: AddressedInterfaceDown}}
	assert.Equal(t, 1, Count(all, Error))
	assert.Equal(t, 3, Count(all, Warning))
	assert.Equal(t, 3, Count(all, Advice))
	assert.False(t, Stops(all))
	assert.True(t, Stops(append(all, Finding{Name: UnknownKey})))
}

func TestFindingInWords(t *testing.T) {
	f := source.New("x.plan.yaml", []byte("a: 1\n"))
	x := New(BadValue, source.Place{File: f, Start: 3, End: 4}, "%d is wrong", 1).About("a").Mend("write %d", 2).With(f.Whole())
	assert.Equal(t, "x.plan.yaml:1:4: 1 is wrong (bad-value)", x.String())
	assert.Equal(t, "write 2", x.Remedy)
	assert.Equal(t, "a", x.Subject)
	assert.Len(t, x.Also, 1)
}

// Whoever adds a finding writes its whole entry.
func TestCatalogueIsComplete(t *testing.T) {
	seen := map[Name]bool{}
	kebab := regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)
	for _, e := range Catalogue() {
		assert.Regexp(t, kebab, string(e.Name))
		assert.False(t, seen[e.Name], "%s stands twice", e.Name)
		seen[e.Name] = true
		for what, text := range map[string]string{"means": e.Means, "why": e.Why, "remedy": e.Remedy} {
			assert.True(t, strings.HasSuffix(text, "."), "%s: %s is a sentence", e.Name, what)
		}
		assert.NotEmpty(t, e.Example, e.Name)
		assert.Equal(t, e.Stage == Walking, e.Ping[1] != "", "%s: the walking ones are shown by a ping", e.Name)
		assert.NotEmpty(t, e.Stage.String())
		assert.Equal(t, e, Lookup(e.Name))
	}
	assert.Len(t, Names(), len(seen))
	assert.Equal(t, Error, Lookup("no-such-thing").Severity, "a slip in this program hides nothing")
}

// Every name has an entry, and every entry a name.
func TestNamesAreThoseOfTheCatalogue(t *testing.T) {
	tree, err := parser.ParseFile(token.NewFileSet(), "names.go", nil, 0)
	require.NoError(t, err)
	var names []string
	ast.Inspect(tree, func(n ast.Node) bool {
		if spec, ok := n.(*ast.ValueSpec); ok {
			name, err := strconv.Unquote(spec.Values[0].(*ast.BasicLit).Value)
			require.NoError(t, err)
			names = append(names, name)
		}
		return true
	})
	assert.ElementsMatch(t, names, Names())
	for _, e := range Catalogue() {
		assert.Equal(t, e, Lookup(e.Name))
	}
	assert.Equal(t, Entry{Name: "wibble", Severity: Error}, Lookup("wibble"))
}

func TestSlipsInACatalogueAreTold(t *testing.T) {
	for text, message := range map[string]string{
		"a\nseverity: dire":      "a: severity: it is one of ",
		"a\nstage: sleeping":     "a: stage: it is one of reading, checking, walking, not sleeping",
		"a\nttl: many":           "a: ttl: ",
		"a\nmoral: be careful":   "a: moral: there is no such key",
		"a\nsays nothing at all": "line 2",
	} {
		_, err := readCatalogue(text)
		assert.ErrorContains(t, err, message)
	}
}
