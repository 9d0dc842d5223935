// Package keydoc describes the keys of a YAML file, and makes of that the page of the reference
// and the JSON schema, so that neither can say what the other does not.
package keydoc

import (
	"fmt"
	"strconv"
	"strings"
)

// The kinds of values.
const (
	Word   = "a word"
	Words  = "a list of words"
	Number = "a number"
	Truth  = "true or false"
	Table  = "a map of words"
	Tables = "a map of words for each field"
)

// Key is a key of a map.
type Key struct {
	Name, Value string
	Means       string
	OneOf       []string // the words that may stand there; none where any may
	Has         string   // the map that the value is, by its name
	Many        bool     // of them a list
	Must        bool     // it is never left out
}

// Map is a kind of map.
type Map struct {
	Name  string // what it is called; the first of some is the file
	About string
	Keys  []Key
}

// Page is a file's format.
type Page struct {
	Title, About string
	Maps         []Map
	Example      string
}

// Markdown is the page of the reference, without its heading.
func (p Page) Markdown() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n\n```yaml\n%s```\n", p.About, p.Example)
	for _, m := range p.Maps {
		fmt.Fprintf(&b, "\n## %s\n\n", strings.ToUpper(m.Name[:1])+m.Name[1:])
		if m.About != "" {
			b.WriteString(m.About + "\n\n")
		}
		b.WriteString("| key | value | means |\n| --- | --- | --- |\n")
		for _, k := range m.Keys {
			means := k.Means
			if k.Must {
				means += " Never left out."
			}
			fmt.Fprintf(&b, "| `%s` | %s | %s |\n", k.Name, k.value(), means)
		}
	}
	return b.String()
}

func (k Key) value() string {
	switch {
	case k.Has != "" && k.Many:
		return "a list, each " + article(k.Has)
	case k.Has != "":
		return article(k.Has)
	case len(k.OneOf) > 0:
		words := make([]string, len(k.OneOf))
		for i, w := range k.OneOf {
			words[i] = "`" + w + "`"
		}
		if k.Value == Words {
			return "a list of " + strings.Join(words, ", ")
		}
		return strings.Join(words, ", ")
	}
	return k.Value
}

func article(name string) string {
	if strings.ContainsRune("aeio", rune(name[0])) {
		return "an " + name
	}
	return "a " + name
}

// Schema is the JSON schema (draft 2020-12) of the file.
func (p Page) Schema() map[string]any {
	defs := map[string]any{}
	for _, m := range p.Maps[1:] {
		defs[m.Name] = m.schema()
	}
	top := p.Maps[0].schema()
	top["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	top["title"] = p.Title
	if len(defs) > 0 {
		top["$defs"] = defs
	}
	return top
}

func (m Map) schema() map[string]any {
	keys, must := map[string]any{}, []any{}
	for _, k := range m.Keys {
		v := k.schema()
		v["description"] = k.Means
		keys[k.Name] = v
		if k.Must {
			must = append(must, k.Name)
		}
	}
	s := map[string]any{"type": "object", "properties": keys, "additionalProperties": false}
	if len(must) > 0 {
		s["required"] = must
	}
	return s
}

func (k Key) schema() map[string]any {
	word := map[string]any{"type": []any{"string", "number", "boolean"}}
	if len(k.OneOf) > 0 {
		var all []any
		for _, w := range k.OneOf {
			all = append(all, w)
			if n, err := strconv.Atoi(w); err == nil { // without quotes it is a number
				all = append(all, n)
			}
		}
		word = map[string]any{"enum": all}
	}
	table := func(of map[string]any) map[string]any {
		return map[string]any{"type": "object", "additionalProperties": of}
	}
	switch {
	case k.Has != "" && k.Many:
		return map[string]any{"type": "array", "items": map[string]any{"$ref": "#/$defs/" + strings.ReplaceAll(k.Has, " ", "%20")}}
	case k.Has != "":
		return map[string]any{"$ref": "#/$defs/" + strings.ReplaceAll(k.Has, " ", "%20")}
	case k.Value == Words:
		return map[string]any{"type": "array", "items": word}
	case k.Value == Number:
		return map[string]any{"type": "integer"}
	case k.Value == Truth:
		return map[string]any{"type": "boolean"}
	case k.Value == Table:
		return table(word)
	case k.Value == Tables:
		return table(table(word))
	}
	return word
}
