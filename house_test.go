// Package ropeswing_test holds the rules of the house: what is true of the
// tree as a whole.
package ropeswing_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// rooms is the core in the order of an answer's way: a room may use those
// before it.
var rooms = []string{
	"core/parallel", "core/source", "core/entries", "core/finding", "core/prefix", "core/plan", "core/model",
	"core/assign", "core/network", "core/routing", "core/policy", "core/forward", "core/frames", "core/derive", "core/reach", "core/verify",
	"core/observed", "core/compare", "core/form", "core/steps", "core/standin", "core/layout", "core/ask", "core/workspace", "core/revise",
	"core/review", "core/puzzle", "core/explain",
}

// outer is what lies around the core, and what of ours it may use beside it.
var outer = map[string][]string{
	"internal/files":    {},
	"internal/view":     {},
	"internal/keydoc":   {},
	"internal/yang":     {},
	"internal/wire":     {"internal/keydoc", "internal/yang"},
	"internal/rehearse": {},
	"internal/access":   {"internal/keydoc"},
	"internal/draw":     {},
	"internal/lsp":      {"internal/files", "internal/view"},
	"internal/report":   {"internal/draw", "internal/view"},
	"internal/mib":      {},
	"internal/sheet":    {},
	"internal/live":     {"internal/access", "internal/mib", "internal/wire", "internal/yang"},
	"internal/standin":  {"internal/wire", "internal/mib", "internal/yang"},
	"internal/push":     {"internal/files", "internal/wire", "internal/live", "internal/access", "internal/yang"},
	"internal/referee":  {"internal/rehearse", "internal/wire"}, // a test only
	"internal/command": {"internal/sheet", "internal/files", "internal/view", "internal/wire", "internal/rehearse", "internal/standin",
		"internal/live", "internal/push", "internal/access", "internal/keydoc", "internal/draw", "internal/report", "internal/lsp", "demo"},
	"demo":             {},
	"cmd/ropeswing":    {"internal/command"},
	"core/coretest":    {},
	"internal/clitest": {"core/coretest", "demo", "internal/command", "internal/files"}, // for tests only
}

// beyond are rooms of the core that a part must not know: the view shows results, and
// works none out.
var beyond = map[string][]string{"internal/view": {"core/workspace"}}

// noCore are the parts that must not know the core.
var noCore = []string{"internal/files", "demo", "cmd/ropeswing"}

// forbidden to the core: printing, flags, the disk, the network, the clock.
var forbidden = []string{"os", "net", "net/http", "flag", "log", "log/slog", "time", "path/filepath", "os/exec", "github.com/spf13/cobra",
	"golang.org/x/term"}

func TestImportsRunOneWay(t *testing.T) {
	seen := map[string]bool{}
	require.NoError(t, filepath.WalkDir(".", func(file string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") {
			return err
		}
		dir := path.Dir(filepath.ToSlash(file))
		seen[dir] = true
		tree, err := parser.ParseFile(token.NewFileSet(), file, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, spec := range tree.Imports {
			target, _ := strconv.Unquote(spec.Path.Value)
			if allowed := mayImport(dir, target); !allowed {
				assert.True(t, allowed, "%s must not import %s", file, target)
			}
		}
		return nil
	}))
	for dir := range seen {
		known := slices.Contains(rooms, dir) || outer[dir] != nil
		assert.True(t, known, "%s is not in the list of rooms; say where it belongs", dir)
	}
}

// mayImport is the rule.
func mayImport(dir, target string) bool {
	room := slices.Index(rooms, dir)
	ours, isOurs := strings.CutPrefix(target, "ropeswing/")
	switch {
	case !isOurs && room >= 0:
		return !slices.Contains(forbidden, target)
	case !isOurs:
		return true
	case room >= 0:
		other := slices.Index(rooms, ours)
		return other >= 0 && other < room
	case slices.Contains(rooms, ours):
		return !slices.Contains(noCore, dir) && !slices.Contains(beyond[dir], ours)
	}
	return slices.Contains(outer[dir], ours)
}

func TestTheRuleItself(t *testing.T) {
	assert.True(t, mayImport("core/model", "ropeswing/core/plan"))
	assert.False(t, mayImport("core/plan", "ropeswing/core/model"), "back to front")
	assert.False(t, mayImport("core/plan", "ropeswing/internal/view"))
	assert.False(t, mayImport("core/plan", "os"))
	assert.False(t, mayImport("internal/view", "ropeswing/internal/command"))
	assert.False(t, mayImport("demo", "ropeswing/core/plan"))
	assert.True(t, mayImport("internal/command", "ropeswing/core/workspace"))
	assert.False(t, mayImport("internal/view", "ropeswing/core/workspace"))
	assert.True(t, mayImport("internal/view", "ropeswing/core/revise"))
	assert.False(t, mayImport("core/routing", "ropeswing/core/policy"), "routing knows of no policy")
}
