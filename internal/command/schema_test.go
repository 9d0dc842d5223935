package command

import (
	"bytes"
	"encoding/json"
	"net/netip"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/observed"
)

type object = map[string]any

// stateSchema is the JSON schema (draft 2020-12) of a state's file, made from the types
// that are written.
func stateSchema(t *testing.T) string {
	s := schemaOf(t, reflect.TypeFor[observed.Device]())
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = "What one device was observed to say: a file that 'ropeswing observe -w' keeps"
	s["properties"].(object)["ropeswing_observed"] = object{"const": observed.Version, "description": "the version of this format"}
	s["required"] = append(s["required"].([]string), "ropeswing_observed")
	text, err := json.MarshalIndent(s, "", "  ")
	require.NoError(t, err)
	return string(text) + "\n"
}

func schemaOf(t *testing.T, of reflect.Type) object {
	switch of {
	case reflect.TypeFor[netip.Addr]():
		return object{"type": "string", "description": "an IPv4 or IPv6 address (RFC 5952)"}
	case reflect.TypeFor[netip.Prefix]():
		return object{"type": "string", "description": "address and length, such as 10.48.1.10/26"}
	case reflect.TypeFor[observed.Status]():
		return object{"enum": []observed.Status{observed.Up, observed.Down}}
	case reflect.TypeFor[observed.Part]():
		return object{"enum": observed.Parts, "description": "what is not among them is not known, which is not the same as absent"}
	case reflect.TypeFor[observed.Address]():
		return object{"type": "object", "additionalProperties": false, "required": []string{"address"}, "properties": object{
			"address": schemaOf(t, reflect.TypeFor[netip.Prefix]()), "origin": object{"type": "string"}, "secondary": object{"type": "boolean"},
		}}
	}
	switch of.Kind() {
	case reflect.Pointer:
		return schemaOf(t, of.Elem())
	case reflect.Slice:
		return object{"type": "array", "items": schemaOf(t, of.Elem())}
	case reflect.String:
		return object{"type": "string"}
	case reflect.Bool:
		return object{"type": "boolean"}
	case reflect.Int, reflect.Int64:
		return object{"type": "integer", "minimum": 0}
	case reflect.Struct:
		properties, required := object{}, []string{}
		for i := range of.NumField() {
			if !of.Field(i).IsExported() || of.Field(i).Tag.Get("json") == "-" {
				continue
			}
			key, options, _ := strings.Cut(of.Field(i).Tag.Get("json"), ",")
			require.NotEmpty(t, key, "%s.%s", of.Name(), of.Field(i).Name)
			properties[key] = schemaOf(t, of.Field(i).Type)
			if options == "" {
				required = append(required, key)
			}
		}
		return object{"type": "object", "additionalProperties": false, "required": required, "properties": properties}
	}
	t.Fatalf("the schema does not know %s", of)
	return nil
}

// What is written is as the schema says, and what it does not say is refused.
func TestStatesAreAsTheirSchemaSays(t *testing.T) {
	schema, err := jsonschema.NewCompiler().Compile(filepath.Join("..", "..", "docs", "reference", "observed.schema.json"))
	require.NoError(t, err)
	vlan, yes := 110, true
	d := observed.Device{
		Name: "quay-sw1", Sources: []observed.Source{{File: "f", Format: "csv", Taken: "2026-11-23T03:10:00Z",
			Saved: true}}, Known: observed.Parts,
		Interfaces: []observed.Interface{{Name: "p1", Admin: observed.Up,
			Addresses: []observed.Address{{Prefix: netip.MustParsePrefix("10.48.1.1/26"), Origin: "static",
				Secondary: true}}, Untagged: &vlan, Tagged: []int{120}}},
		Routes: []observed.Route{{To: netip.MustParsePrefix("0.0.0.0/0"), NextHop: netip.MustParseAddr("10.48.1.2"), Active: &yes},
			{To: netip.MustParsePrefix("10.48.0.0/16"), Discard: true}},
	}
	written, err := jsonschema.UnmarshalJSON(bytes.NewReader(d.Encode()))
	require.NoError(t, err)
	require.NoError(t, schema.Validate(written))
	for about, slip := range map[string][2]string{
		"a key it does not have":  {`"device": "quay-sw1"`, `"device": "quay-sw1", "nickname": "q"`},
		"a status there is not":   {`"admin_status": "up"`, `"admin_status": "sideways"`},
		"another version":         {`"ropeswing_observed": 1`, `"ropeswing_observed": 99`},
		"a number that is a word": {`"untagged": 110`, `"untagged": "110"`},
	} {
		text := strings.Replace(string(d.Encode()), slip[0], slip[1], 1)
		require.NotEqual(t, string(d.Encode()), text, about)
		wrong, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
		require.NoError(t, err, about)
		assert.Error(t, schema.Validate(wrong), about)
	}
}
