package plan

import (
	"regexp"
	"strconv"
	"strings"
	"sync"
)

// object is a JSON object.
type object = map[string]any

var (
	rangeForm = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^(?:a whole number from )?(\d+) to (\d+)`) })
	wordForm  = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile("^`[a-z0-9-]+`(?:, `[a-z0-9-]+`)*(?: or `[a-z0-9-]+`)?$")
	})
	codeWord = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile("`([^`]+)`") })
)

// Schema is the JSON schema (draft 2020-12) of a plan, made from the table of its keys: for editors
// of YAML that take one. It knows every key, and every value that is one of a few words; what else
// a value may be, and what it refers to, only reading the plan tells.
func Schema() map[string]any {
	defs := object{}
	for _, g := range Keys() {
		properties := object{}
		for _, k := range g.Keys {
			s := schemaOfForm(k.Form)
			if of, ok := nested[g.Of+": "+k.Name]; ok {
				s = of()
			}
			s["description"] = strings.ReplaceAll(k.Doc, "`", "")
			properties[k.Name] = s
		}
		defs[g.Of] = object{"type": []string{"object", "null"}, "properties": properties, "additionalProperties": false}
	}
	top := defs["plan"].(object)
	delete(defs, "plan")
	top["$schema"], top["title"], top["$defs"] = "https://json-schema.org/draft/2020-12/schema", "A plan of Rope Swing", defs
	top["type"] = "object"
	return top
}

func ref(of string) object         { return object{"$ref": "#/$defs/" + of} }
func anyOf(all ...any) object      { return object{"anyOf": all} }
func typed(types ...string) object { return object{"type": types} }
func listOf(of any) object         { return object{"type": "array", "items": of} }
func named(of any) object {
	return object{"type": []string{"object", "null"}, "additionalProperties": of}
}
func oneOrList(of any) func() object { return func() object { return anyOf(of, listOf(of)) } }
func namedRoutes() object {
	return named(anyOf(typed("string", "null"), ref("route"), listOf(anyOf(typed("string"), ref("route")))))
}
func permits() object                 { return oneOrList(anyOf(typed("string"), ref("permit")))() }
func namedOf(of string) func() object { return func() object { return named(ref(of)) } }

// nested is the keys whose values are maps with keys of their own.
var nested = map[string]func() object{
	"plan: settings":      func() object { return ref("settings") },
	"plan: wants":         func() object { return ref("wants") },
	"plan: accept":        func() object { return listOf(ref("accept")) },
	"plan: access":        func() object { return listOf(ref("access")) },
	"access: methods":     func() object { return listOf(ref("method")) },
	"method: community":   func() object { return ref("secret") },
	"method: auth":        func() object { return ref("secret") },
	"method: privacy":     func() object { return ref("secret") },
	"method: password":    func() object { return ref("secret") },
	"method: key":         func() object { return ref("secret") },
	"plan: blocks":        func() object { return named(anyOf(typed("string"), listOf(typed("string")), ref("block"))) },
	"plan: groups":        func() object { return named(anyOf(typed("string"), listOf(typed("string")))) },
	"plan: segments":      namedOf("segment"),
	"plan: devices":       namedOf("device"),
	"plan: cables":        func() object { return listOf(anyOf(typed("string"), named(anyOf(typed("string"), ref("cable"))))) },
	"segment: leases":     oneOrList(anyOf(typed("string"), ref("lease"))),
	"device: interfaces":  namedOf("interface"),
	"device: routes":      namedRoutes,
	"device: tables":      func() object { return named(namedRoutes()) },
	"device: permits":     permits,
	"device: own-permits": permits,
}

// schemaOfForm is what may stand at a key, as far as its form says it in a word.
func schemaOfForm(form string) object {
	first, _, _ := strings.Cut(form, ";")
	switch {
	case strings.HasPrefix(form, "true or false"):
		return typed("boolean")
	case rangeForm().MatchString(first):
		m := rangeForm().FindStringSubmatch(first)
		low, _ := strconv.Atoi(m[1])
		high, _ := strconv.Atoi(m[2])
		// A sum such as '(200+n)' under a pattern is text, and so is a word such as 'auto'.
		one := anyOf(object{"type": "integer", "minimum": low, "maximum": high}, object{"type": "string", "pattern": `\(|^[a-z]`})
		if strings.Contains(form, "a list") {
			return anyOf(one, listOf(one))
		}
		return one
	case wordForm().MatchString(strings.TrimSpace(first)):
		var words []any
		for _, m := range codeWord().FindAllStringSubmatch(first, -1) {
			words = append(words, m[1])
			if n, err := strconv.Atoi(m[1]); err == nil {
				words = append(words, n)
			}
		}
		if strings.Contains(form, "a list") {
			return anyOf(object{"enum": words}, listOf(object{"enum": words}))
		}
		return object{"enum": words}
	}
	return object{}
}
