package command

import (
	"bytes"
	"cmp"
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/explain"
	"ropeswing/core/finding"
	"ropeswing/core/form"
	"ropeswing/core/plan"
)

var update = flag.Bool("update", false, "write docs/reference anew")

// The reference is made from the code, and this test sees to it that it is
// the code of today. 'go test ./internal/command -update' writes it.
func TestReferenceIsOfToday(t *testing.T) {
	pages := map[string]string{"commands.md": commandsReference(), "plan.md": planReference(), "findings.md": findingsReference(),
		"json.md": jsonReference(t), "words.md": wordsReference(), "forms.md": formsReference(t), "plan.schema.json": planSchema(t),
		"observed.schema.json": stateSchema(t)}
	for name, page := range filesBeside {
		pages[name+".md"] = "# " + page.Title + "\n\n" + generated + page.Markdown() + "\nIts JSON schema: [" + name + ".schema.json](" + name +
			".schema.json), or `ropeswing export schema " + name + "`.\n"
		text, err := json.MarshalIndent(page.Schema(), "", "  ")
		require.NoError(t, err)
		pages[name+".schema.json"] = string(text) + "\n"
	}
	for _, x := range topics {
		pages[x.name+".md"] = x.markdown()
	}
	for name, text := range pages {
		file := filepath.Join("..", "..", "docs", "reference", name)
		if *update {
			require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
			continue
		}
		have, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.True(t, string(have) == text, "%s is behind; run: go test ./internal/command -update", name)
	}
}

const generated = generatedNote

func commandsReference() string {
	var b strings.Builder
	b.WriteString("# Commands\n\n" + generated)
	b.WriteString("Exit codes: 0 all is well; 1 understood, and something is wrong (a finding of severity error, a ping that does not " +
		"work); 2 the command or its input cannot be used; 3 the real network could not be asked; 130 interrupted. Answers go to standard " +
		"output, all else to standard error. Colour is used on a terminal only, and never under `NO_COLOR`.\n\n")
	root := (&app{out: &b, err: &b, getenv: func(string) string { return "" }}).root("")
	b.WriteString("For every command: `-p FILE`, `--plan FILE`: the plan; else the file in `ROPESWING_PLAN`, else the only `*.plan.yaml` " +
		"in this folder or the nearest one above that has any.\n")
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		if c.Runnable() && c.HasParent() && !c.Hidden && c.Parent().Name() != "completion" {
			fmt.Fprintf(&b, "\n## `%s`\n\n%s.\n", strings.TrimPrefix(strings.TrimSuffix(c.UseLine(), " [flags]"), "ropeswing "), c.Short)
			if c.Example != "" {
				fmt.Fprintf(&b, "\n```sh\n%s\n```\n", strings.ReplaceAll(strings.TrimPrefix(c.Example, "  "), "\n  ", "\n"))
			}
			rows := ""
			c.LocalFlags().VisitAll(func(f *pflag.Flag) {
				if f.Name == "help" {
					return
				}
				name, usage := pflag.UnquoteUsage(f)
				short := ""
				if f.Shorthand != "" {
					short = "`-" + f.Shorthand + "`, "
				}
				rows += fmt.Sprintf("| %s`%s` | %s |\n", short, strings.TrimSpace("--"+f.Name+" "+name), strings.ReplaceAll(usage, "|", `\|`))
			})
			if rows != "" {
				b.WriteString("\n| option | meaning |\n| --- | --- |\n" + rows)
			}
		}
		for _, child := range c.Commands() {
			walk(child)
		}
	}
	walk(root)
	return b.String()
}

// formsReference is the language of forms, and the table of facts.
func formsReference(t *testing.T) string {
	t.Helper()
	var b strings.Builder
	b.WriteString("# Forms\n\n" + generated)
	text, err := os.ReadFile("testdata/forms.md")
	require.NoError(t, err)
	b.Write(text)
	kind := ""
	for _, f := range form.Facts {
		if k := f.Of.String(); k != kind {
			kind = k
			fmt.Fprintf(&b, "\n## Of a %s\n\n| slot | values | means |\n| --- | --- | --- |\n", strings.ReplaceAll(k, "-", " "))
		}
		values := map[form.Type]string{form.Name: "a word", form.Number: "a number", form.Text: "any words", form.Addr: "an address",
			form.Length: "a length", form.Names: "a list", form.Numbers: "a list of numbers", form.MAC: "a MAC address",
			form.Speed: "a number"}[f.Type]
		if f.Type == form.Words {
			values = "`" + strings.Join(f.Words, "`, `") + "`"
		}
		fmt.Fprintf(&b, "| `{%s}` | %s | %s |\n", f.Name, values, f.Means)
	}
	return b.String()
}

// wordsReference is the glossary.
func wordsReference() string {
	var b strings.Builder
	b.WriteString("# Words\n\n" + generated)
	b.WriteString("Each word once, in the sense of the trade or of its RFC, with the key of the plan that stands for it. `ropeswing why " +
		"TERM` tells the same, and finds the other words too.\n\n| word | also called | means | key of the plan | source |\n| --- | --- | " +
		"--- | --- | --- |\n")
	for _, t := range explain.Glossary() {
		key := ""
		if k, where, ok := t.KeyOf(); ok {
			key = fmt.Sprintf("`%s`, %s", k.Name, strings.ToLower(where[:1])+where[1:])
		}
		command := t.Command
		if command != "" {
			command = "`ropeswing " + command + "`"
		}
		fmt.Fprintf(&b, "| **%s** | %s | %s | %s | %s | %s |\n", t.Name, strings.Join(t.Also, ", "), t.Means, key, command, t.RFC)
	}
	return b.String()
}

func planReference() string {
	var b strings.Builder
	b.WriteString("# The plan's keys\n\n" + generated)
	b.WriteString("A plan is one YAML file. Names are words without space, colon or slash, and are no address; devices, segments, blocks " +
		"and cables share one set of names. Interface names are whatever the equipment calls them. A reference to an interface is " +
		"`DEVICE:INTERFACE`.\n\n" +
		"**Patterns.** Wherever a name is given, or a list has names or sentences, a word with a range such as `hut-(1..20)` stands for " +
		"twenty: blocks, groups, segments, devices, interfaces, routes, tables, cables, and the sentences of `must`, `wants`, `permits` and " +
		"`translates`. In what stands under it or beside it `(n)` is the number, and sums and products such as `(200+n)` and `(n*4-3)` are " +
		"worked out. `(01..20)` keeps its zeros: `ring-(n-1)` is `ring-00` to `ring-19`; a number and an IPv4 address have none, " +
		"`10.48.(n).0/24`, nor has what is worked out otherwise, such as `hut-(n*1)`. The same name written out beside a pattern overrides " +
		"it. A pattern has one range, of 4,096 at most; `(01..40, not 12, 17..19)` leaves numbers out.\n")
	for _, g := range plan.Keys() {
		fmt.Fprintf(&b, "\n## %s\n\n| key | what stands there | meaning |\n| --- | --- | --- |\n", g.Where)
		for _, k := range g.Keys {
			fmt.Fprintf(&b, "| `%s` | %s | %s |\n", k.Name, k.Form, k.Doc)
		}
	}
	b.WriteString("\n## How each key is compared\n\nWhat `ropeswing compare` tells where a key differs: between two plans, and between a " +
		"plan and a state. Where no list of a device tells of a key, that is said under the comparison.\n\n| of | key | between two plans | " +
		"with a state |\n| --- | --- | --- | --- |\n")
	words := func(all []compare.What) string {
		texts := make([]string, len(all))
		for i, w := range all {
			texts[i] = string(w)
		}
		return strings.Join(texts, ", ")
	}
	for _, g := range plan.Keys() {
		for _, k := range g.Keys {
			how := compare.HowCompared[g.Of][k.Name]
			plans, state := words(how.Whats), words(how.State)
			if how.Because != "" {
				plans = "need not be: " + how.Because
			}
			fmt.Fprintf(&b, "| %s | `%s` | %s | %s |\n", g.Of, k.Name, plans, cmp.Or(state, "–"))
		}
	}
	return b.String()
}

func findingsReference() string {
	var b strings.Builder
	b.WriteString("# Findings\n\n" + generated +
		"Everything Rope Swing can find, by when it is found. `ropeswing why NAME` prints an entry.\n")
	stage := ""
	for _, e := range finding.Catalogue() {
		if s := e.Stage.String(); s != stage {
			stage = s
			fmt.Fprintf(&b, "\n## Found when %s\n", s)
		}
		fmt.Fprintf(&b, "\n### `%s`\n\n%s. %s\n\n%s\n\n*Remedy.* %s\n\n", e.Name, strings.ToUpper(e.Severity.String()[:1])+
			e.Severity.String()[1:], e.Means, e.Why, e.Remedy)
		if e.Ping[0] != "" {
			fmt.Fprintf(&b, "Shown by `ping %s %s` in:\n\n", e.Ping[0], e.Ping[1])
		}
		fmt.Fprintf(&b, "```yaml\n%s```\n", strings.NewReplacer("\x07", "\\x07").Replace(e.Example))
		if e.Ledger != "" {
			fmt.Fprintf(&b, "\nwith the ledger\n\n```\n%s```\n", e.Ledger)
		}
	}
	return b.String()
}

// jsonReference reads the structs of the view and their comments.
func jsonReference(t *testing.T) string {
	var b strings.Builder
	b.WriteString("# JSON\n\n" + generated +
		"What `-o json` prints. Keys marked *optional* are absent where there is nothing to say. New keys may be added; those here stay.\n")
	files, err := filepath.Glob("../view/*.go")
	require.NoError(t, err)
	slices.Sort(files)
	for _, file := range files {
		if strings.HasSuffix(file, "_test.go") {
			continue
		}
		tree, err := parser.ParseFile(token.NewFileSet(), file, nil, parser.ParseComments)
		require.NoError(t, err)
		for _, d := range tree.Decls {
			g, ok := d.(*ast.GenDecl)
			if !ok || g.Tok != token.TYPE {
				continue
			}
			spec := g.Specs[0].(*ast.TypeSpec)
			if s, ok := spec.Type.(*ast.StructType); ok {
				structReference(&b, spec.Name.Name, g.Doc.Text(), s)
			}
		}
	}
	return b.String()
}

func structReference(b *strings.Builder, name, doc string, s *ast.StructType) {
	rows := ""
	for _, f := range s.Fields.List {
		if f.Tag == nil {
			continue
		}
		tag := reflect.StructTag(strings.Trim(f.Tag.Value, "`")).Get("json")
		key, options, _ := strings.Cut(tag, ",")
		if key == "" || key == "-" {
			continue
		}
		var kind bytes.Buffer
		ast.Inspect(f.Type, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.ArrayType:
				kind.WriteString("list of ")
			case *ast.Ident:
				kind.WriteString(map[string]string{"string": "text", "int": "number", "uint32": "number", "bool": "true or false"}[n.Name])
				if n.IsExported() {
					fmt.Fprintf(&kind, "[%s](#%s)", n.Name, strings.ToLower(n.Name))
				}
			}
			return true
		})
		if strings.Contains(options, "omitempty") {
			kind.WriteString(", *optional*")
		}
		rows += fmt.Sprintf("| `%s` | %s | %s |\n", key, kind.String(), strings.TrimSpace(f.Comment.Text()))
	}
	if rows != "" {
		fmt.Fprintf(b, "\n## %s\n\n%s\n\n| key | value | |\n| --- | --- | --- |\n%s", name,
			strings.ReplaceAll(strings.TrimSpace(doc), "\n", " "), rows)
	}
}

func TestEveryCommandSaysHowToUseIt(t *testing.T) {
	root := (&app{out: &bytes.Buffer{}, err: &bytes.Buffer{}, getenv: os.Getenv}).root("")
	groups := map[string]bool{}
	for _, g := range root.Groups() {
		groups[g.ID] = true
	}
	for _, c := range root.Commands() {
		if c.Hidden {
			continue
		}
		assert.True(t, groups[c.GroupID], "%s is in a group of the help", c.Name())
		assert.NotEmpty(t, c.Short, c.Name())
		assert.False(t, strings.HasSuffix(c.Short, "."), "%s", c.Short)
		assert.LessOrEqual(t, len(c.Short)+14, 80, "%s fits a line of the help", c.Name())
	}
}
