package plan

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/source"
)

func TestAccessIsReadWhole(t *testing.T) {
	text := `ropeswing: 1
known-hosts: hosts
access:
  - for: everyone
    methods:
      - {by: netconf, user: keeper, key: {file: key}, at: ":8300"}
      - {by: snmp, version: 2c, community: {env: COMMUNITY}}
      - {by: snmp, user: keeper, auth: {file: a}, privacy: {ask: true}, auth-by: sha512, privacy-by: aes256}
      - {by: restconf, user: keeper, password: {ask: true}}
      - {by: lists, user: keeper, gear: foghorn.gear.yaml}
`
	d, found := Parse(source.New("p", []byte(text)))
	require.Empty(t, found)
	require.Len(t, d.Access, 1)
	m := d.Access[0].Methods
	require.Len(t, m, 5)
	assert.Equal(t, "hosts", d.KnownHosts.Value)
	assert.Equal(t, "key", m[0].Key.File.Value)
	assert.Equal(t, ":8300", m[0].At.Value)
	assert.Equal(t, "COMMUNITY", m[1].Community.Env.Value)
	assert.True(t, m[2].Privacy.Ask.Value)
	assert.Equal(t, "sha512 aes256", m[2].AuthBy.Value+" "+m[2].PrivacyBy.Value)
	assert.Equal(t, "foghorn.gear.yaml", m[4].Gear.Value)
}

// What cannot be used is refused at its place, with what to write.
func TestAccessThatCannotBeUsed(t *testing.T) {
	for entry, want := range map[string]string{
		"{methods: [{by: netconf, user: a}]}":                                           "5:5 it is not said whom it is about",
		"{for: everyone}":                                                               "5:5 it is not said how they are reached",
		"{for: everyone, methods: [{user: a}]}":                                         "5:31 it is not said by what: 'by' is netconf, restconf, snmp or lists",
		"{for: everyone, methods: [{by: netconf}]}":                                     "5:31 netconf takes a user",
		"{for: everyone, methods: [{by: lists, user: a}]}":                              "5:31 lists take gear: the file that says which words print what",
		"{for: everyone, methods: [{by: restconf, user: a}]}":                           "5:31 restconf takes a user and a password",
		"{for: everyone, methods: [{by: snmp, version: 2c}]}":                           "5:31 snmp of version 2c takes a community",
		"{for: everyone, methods: [{by: snmp, user: a, auth: {env: A}}]}":               "5:31 snmp of version 3 takes user, auth and privacy",
		"{for: everyone, methods: [{by: netconf, user: a, password: hunter2}]}":         "5:64 password is a secret, and no secret stands in a plan",
		"{for: everyone, methods: [{by: netconf, user: a, password: [hunter2]}]}":       "5:64 password is a secret, and no secret stands in a plan",
		"{for: everyone, methods: [{by: netconf, user: a, key: {}}]}":                   "5:59 key is found in one place, not 0",
		"{for: everyone, methods: [{by: netconf, user: a, key: {file: x, env: Y}}]}":    "5:59 key is found in one place, not 2",
		"{for: everyone, methods: [{by: netconf, user: a, key: {fil: hunter2}}]}":       "5:60 key has no key fil",
		"{for: everyone, methods: [{by: post, user: a}]}":                               "by is netconf, restconf, snmp or lists, not post",
		"{for: everyone, methods: [{by: snmp, user: a, auth: {env: A}, version: '1'}]}": "version is 2c or 3, not 1",
		"{whom: everyone, methods: [{by: netconf, user: a}]}":                           "5:6 an entry of access has no key whom",
	} {
		_, found := Parse(source.New("p", []byte("ropeswing: 1\nplan: x\nsettings: {}\naccess:\n  - "+entry+"\n")))
		require.NotEmpty(t, found, entry)
		got := fmt.Sprintf("%s %s", strings.TrimPrefix(found[0].Place.String(), "p:"), found[0].Reason)
		assert.True(t, strings.HasSuffix(got, want), "%s: %s", entry, got)
		before, marked, after := found[0].Place.Excerpt()
		assert.NotContains(t, got+before+marked+after, "hunter2", "a secret is not printed")
	}
}

// What is accepted of a device, and how it is reached, follows its new name.
func TestNamesInAcceptAndAccessAreReferences(t *testing.T) {
	d, found := Parse(source.New("p", []byte(
		"ropeswing: 1\naccept: [{finding: no-route-out, of: 'hut:up', because: x}]\naccess: [{for: pier, methods: [{by: netconf, user: a}]}]\n")))
	require.Empty(t, found)
	var names []string
	for _, r := range d.References() {
		names = append(names, r.Of+" "+r.Value)
	}
	assert.Subset(t, names, []string{" hut", "hut up", " pier"})
}
