package command

import (
	"encoding/json"
	"fmt"
	"go/scanner"
	"go/token"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v4"

	"ropeswing/core/coretest"
	"ropeswing/core/plan"
	"ropeswing/core/workspace"
	"ropeswing/demo"
)

// planSchema is the schema of plans as it is published.
func planSchema(t *testing.T) string {
	text, err := json.MarshalIndent(plan.Schema(), "", "  ")
	require.NoError(t, err)
	return string(text) + "\n"
}

func compiled(t *testing.T) *jsonschema.Schema {
	t.Helper()
	doc, err := jsonschema.UnmarshalJSON(strings.NewReader(planSchema(t)))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("plan.json", doc))
	s, err := c.Compile("plan.json")
	require.NoError(t, err)
	return s
}

// asJSON is YAML as a validator of JSON takes it: keys are text.
func asJSON(x any) any {
	switch x := x.(type) {
	case map[string]any:
		for k, v := range x {
			x[k] = asJSON(v)
		}
		return x
	case map[any]any:
		m := map[string]any{}
		for k, v := range x {
			m[fmt.Sprint(k)] = asJSON(v)
		}
		return m
	case []any:
		for i := range x {
			x[i] = asJSON(x[i])
		}
		return x
	case string, bool, nil, float64, int, int64, uint64:
		return x
	}
	return fmt.Sprint(x)
}

// plansOfTests are the texts of all plans in the tests, the guide and the demo.
func plansOfTests(t *testing.T) map[string]string {
	t.Helper()
	all := map[string]string{}
	require.NoError(t, fs.WalkDir(demo.Files(), ".", func(path string, d fs.DirEntry, err error) error {
		if err == nil && strings.HasSuffix(path, ".plan.yaml") {
			text, err := fs.ReadFile(demo.Files(), path)
			require.NoError(t, err)
			all["demo "+path] = string(text)
		}
		return err
	}))
	root := filepath.Join("..", "..")
	require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil || d.IsDir():
			return err
		case strings.HasSuffix(path, "_test.go"):
			text, err := os.ReadFile(path)
			require.NoError(t, err)
			var s scanner.Scanner
			file := token.NewFileSet().AddFile(path, -1, len(text))
			s.Init(file, text, nil, 0)
			for {
				pos, tok, lit := s.Scan()
				if tok == token.EOF {
					return nil
				}
				if tok == token.STRING && strings.Contains(lit, "segments:") {
					plain, err := strconv.Unquote(lit)
					require.NoError(t, err)
					if !strings.HasPrefix(strings.TrimSpace(plain), "ropeswing:") {
						plain = "ropeswing: 1\n" + plain
					}
					all[fmt.Sprint(path, " ", pos)] = plain
				}
			}
		case strings.HasSuffix(path, ".md"):
			text, err := os.ReadFile(path)
			require.NoError(t, err)
			for i, part := range strings.Split(string(text), "```yaml\n")[1:] {
				plain, _, _ := strings.Cut(part, "```")
				all[fmt.Sprint(path, " ", i)] = plain
			}
		}
		return nil
	}))
	for seed := range uint64(10) {
		r := rand.New(rand.NewPCG(seed, 3))
		all[fmt.Sprint("random ", seed)] = "ropeswing: 1\n" + coretest.RandomNetwork(r, "{}")
		all[fmt.Sprint("ring ", seed)] = "ropeswing: 1\n" + coretest.Chords(r, 8, 30).Plan(2, []int{0}, "{}")
	}
	return all
}

// Every plan that is read without a slip is right by the schema.
func TestTheSchemaTakesEveryPlan(t *testing.T) {
	s := compiled(t)
	taken := 0
	for name, text := range plansOfTests(t) {
		w := workspace.FromText("a.plan.yaml", []byte(text))
		if !w.Usable() {
			continue
		}
		var x any
		if yaml.Unmarshal([]byte(text), &x) != nil || x == nil {
			continue
		}
		taken++
		assert.NoError(t, s.Validate(asJSON(x)), name)
	}
	assert.Greater(t, taken, 250, "there are many plans in the tests")
}

// Every key is in the schema, and one letter more is refused wherever it stands.
func TestTheSchemaKnowsEveryKey(t *testing.T) {
	s := compiled(t)
	wrap := map[string]string{
		"plan": "%s: x", "accept": "accept: [{%s: x}]", "access": "access: [{%s: x}]", "method": "access: [{methods: [{%s: x}]}]",
		"secret": "access: [{methods: [{key: {%s: x}}]}]", "settings": "settings: {%s: x}", "wants": "wants: {%s: x}",
		"block": "blocks: {b: {%s: x}}", "segment": "segments: {b: {%s: x}}",
		"lease": "segments: {b: {leases: {%s: x}}}", "device": "devices: {b: {%s: x}}", "interface": "devices: {b: {interfaces: {i: {%s: x}}}}",
		"route":  "devices: {b: {routes: {r: {%s: x}}}}",
		"permit": "devices: {b: {permits: [{%s: x}]}}", "cable": "cables: [{c: {%s: x}}]",
	}
	for _, g := range plan.Keys() {
		for _, k := range g.Keys {
			var x any
			require.NoError(t, yaml.Unmarshal(fmt.Appendf(nil, wrap[g.Of], k.Name+"q"), &x))
			assert.Error(t, s.Validate(asJSON(x)), "%s of %s", k.Name+"q", g.Of)
			def := plan.Schema()
			if g.Of != "plan" {
				def = def["$defs"].(map[string]any)[g.Of].(map[string]any)
			}
			assert.Contains(t, def["properties"], k.Name)
		}
	}
	for _, slip := range []string{"settings: {spanning-tree: triple}", "devices: {a: {is: bridge}}",
		"devices: {a: {interfaces: {x: {mtu: 12}}}}", "segments: {a: {vlan: 5000}}", "devices: [a, b]"} {
		var x any
		require.NoError(t, yaml.Unmarshal([]byte(slip), &x))
		assert.Error(t, s.Validate(asJSON(x)), slip)
	}
}
