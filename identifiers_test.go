package ropeswing_test

import (
	"go/ast"
	"go/types"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/go/packages"
)

// An identifier's zero is the first thing there is, not none. So whoever makes a value
// that holds identifiers, and says anything of it, says all of them.
func TestEveryIdentifierIsSaid(t *testing.T) {
	all, err := packages.Load(&packages.Config{Mode: packages.NeedName | packages.NeedFiles | packages.NeedSyntax | packages.NeedTypes | packages.NeedTypesInfo | packages.NeedImports}, "./core/...", "./internal/...", "./cmd/...")
	require.NoError(t, err)
	told := map[string]bool{}
	for _, p := range all {
		for _, file := range p.Syntax {
			ast.Inspect(file, func(n ast.Node) bool {
				literal, ok := n.(*ast.CompositeLit)
				if !ok || len(literal.Elts) == 0 {
					return true
				}
				if _, keyed := literal.Elts[0].(*ast.KeyValueExpr); !keyed {
					return true
				}
				for _, name := range unsaid(literal, p.TypesInfo.TypeOf(literal)) {
					told[p.Fset.Position(literal.Pos()).String()+" leaves out "+name] = true
				}
				return true
			})
		}
	}
	for text := range told {
		assert.Fail(t, text)
	}
}

// unsaid lists the identifiers of a structure that a literal of it leaves out.
func unsaid(literal *ast.CompositeLit, of types.Type) (names []string) {
	if p, ok := of.Underlying().(*types.Pointer); ok {
		of = p.Elem()
	}
	structure, ok := of.Underlying().(*types.Struct)
	if !ok {
		return nil
	}
	said := map[string]bool{}
	for _, e := range literal.Elts {
		if kv, ok := e.(*ast.KeyValueExpr); ok {
			said[kv.Key.(*ast.Ident).Name] = true
		}
	}
	for f := range structure.Fields() {
		named, ok := f.Type().(*types.Named)
		if ok && !said[f.Name()] && named.Obj().Pkg() != nil && strings.HasSuffix(named.Obj().Pkg().Path(), "core/model") &&
			strings.HasSuffix(named.Obj().Name(), "ID") {
			names = append(names, f.Name())
		}
	}
	return names
}
