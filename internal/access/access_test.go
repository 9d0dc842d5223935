package access

import (
	"reflect"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v4"
)

// Every key that is read is described, and no other.
func TestEveryKeyIsDescribed(t *testing.T) {
	for i, of := range []any{Access{}, Entry{}, Way{}, Secret{}} {
		var read, described []string
		for f := range reflect.TypeOf(of).Fields() {
			if name, _, _ := strings.Cut(f.Tag.Get("yaml"), ","); name != "" {
				read = append(read, name)
			}
		}
		for _, k := range Format.Maps[i].Keys {
			described = append(described, k.Name)
			assert.NotEmpty(t, k.Means, k.Name)
		}
		assert.ElementsMatch(t, read, described, Format.Maps[i].Name)
	}
}

func TestTheSchemaAndTheReaderAgree(t *testing.T) {
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("access", Format.Schema()))
	schema, err := c.Compile("access")
	require.NoError(t, err)
	for text, ok := range map[string]bool{
		Format.Example: true,
		"ropeswing-access: 1\naccess: [{for: pier, methods: [{by: restconf, user: a, password: {ask: true}}, {by: lists, user: a, gear: " +
			"g.yaml, at: ':22'}]}]\n": true,
		"ropeswing-access: 1\naccess: [{for: pier, methods: [{by: post, user: a}]}]\n":                                                false,
		"ropeswing-access: 1\naccess: [{for: pier, methods: [{by: snmp, version: 3, user: a, auth: {env: X}, privacy: {env: Y}}]}]\n": true,
		"ropeswing-access: 1\naccess: [{for: pier}]\n":                                                                                false,
		"ropeswing-access: 1\naccess: [{for: pier, methods: [{by: netconf, user: a, key: {fil: x}}]}]\n":                              false,
		"ropeswing-access: 1\nsecrets: {}\naccess: [{for: pier, methods: [{by: netconf, user: a}]}]\n":                                false,
		"ropeswing-access: 1\naccess: [{for: pier, methods: [{by: snmp, version: '1', community: {env: X}}]}]\n":                      false,
	} {
		_, err := Read([]byte(text), ".")
		assert.Equal(t, ok, err == nil, "%s: %v", text, err)
		var value any
		require.NoError(t, yaml.Unmarshal([]byte(text), &value))
		err = schema.Validate(value)
		assert.Equal(t, ok, err == nil, "%s: %v", text, err)
	}
}

// A secret that is written where its place should be is not repeated.
func TestASecretInTheFileIsNotRepeated(t *testing.T) {
	for _, secret := range []string{"hunter2", "[hunter2]", "{file: [hunter2]}", "{ask: hunter2}"} {
		_, err := Read([]byte("ropeswing-access: 1\naccess: [{for: pier, methods: [{by: netconf, user: a, password: "+secret+"}]}]\n"), ".")
		require.Error(t, err, secret)
		assert.NotContains(t, err.Error(), "hunter2", secret)
		assert.Contains(t, err.Error(), "line 2", secret)
	}
}
