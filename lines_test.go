package ropeswing_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// longest is how many characters a line of Go may have: longer ones are not read to their
// end. A table in a literal may be wider, and so may a text between backquotes.
const longest = 140

func TestLinesAreShort(t *testing.T) {
	looked := 0
	require.NoError(t, filepath.WalkDir(".", func(file string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(file, ".go") {
			return err
		}
		text, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		var wide map[int]bool // lines that may be wide, found once one is
		for i, line := range strings.Split(string(text), "\n") {
			looked++
			if utf8.RuneCountInString(line) <= longest {
				continue
			}
			if wide == nil {
				wide = literalLines(t, file, text)
			}
			assert.True(t, wide[i+1], "%s:%d has %d characters", file, i+1, utf8.RuneCountInString(line))
		}
		return nil
	}))
	require.Greater(t, looked, 100_000)
}

// literalLines are the lines of a file that a table or a text between backquotes covers.
func literalLines(t *testing.T, file string, text []byte) map[int]bool {
	set := token.NewFileSet()
	tree, err := parser.ParseFile(set, file, text, parser.SkipObjectResolution)
	require.NoError(t, err)
	lines := map[int]bool{}
	ast.Inspect(tree, func(n ast.Node) bool {
		text, raw := n.(*ast.BasicLit)
		if _, table := n.(*ast.CompositeLit); table || raw && strings.HasPrefix(text.Value, "`") {
			for l := set.Position(n.Pos()).Line; l <= set.Position(n.End()).Line; l++ {
				lines[l] = true
			}
		}
		return true
	})
	return lines
}
