package wire

import (
	"maps"
	"slices"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v4"
)

// Every key of a column map that is read is described, and no other; the schema takes what the
// reader takes.
func TestMapKeysAreDescribed(t *testing.T) {
	for i, read := range []map[string]valueForm{mapKeys, tableKeys} {
		var described []string
		for _, k := range MapFormat.Maps[i].Keys {
			described = append(described, k.Name)
		}
		assert.ElementsMatch(t, slices.Collect(maps.Keys(read)), described)
	}
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("gear", MapFormat.Schema()))
	schema, err := c.Compile("gear")
	require.NoError(t, err)
	for text, ok := range map[string]bool{
		MapFormat.Example: true,
		"ropeswing-map: 1\ntables: [{heading: [Port, Up], fields: {interface: Port, oper: Up}, split: spaces, known: [interfaces]}]\n": true,
		"ropeswing-map: 1\ntables: [{heading: [Port, Up], fields: {interface: Port}, known: [all]}]\n":                                 false,
		"ropeswing-map: 1\ntables: [{heading: [Port, Up], fields: {interface: Port}, colour: red}]\n":                                  false,
		"ropeswing-map: 1\ntables: [{heading: Port, fields: {interface: Port}}]\n":                                                     false,
	} {
		_, err := ReadMap([]byte(text))
		assert.Equal(t, ok, err == nil, "%s: %v", text, err)
		var value any
		require.NoError(t, yaml.Unmarshal([]byte(text), &value))
		err = schema.Validate(value)
		assert.Equal(t, ok, err == nil, "%s: %v", text, err)
	}
}
