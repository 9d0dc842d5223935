package view

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
)

// No spreadsheet runs a cell, unless the cells are wanted as they are; numbers stay.
func TestCSVCellsAreHarmless(t *testing.T) {
	table := Table{Columns: []Column{{Key: "a"}, {Key: "b"}},
		Rows: [][]string{{"=1+1", "-5"}, {"@x", "+1.5"}, {"-", "-x\x1b\x00"}, {"a", "2001:db8::1"}}}
	var safe, raw strings.Builder
	require.NoError(t, table.CSV(&safe))
	require.NoError(t, table.RawCSV(&raw))
	assert.Equal(t, "a,b\n'=1+1,-5\n'@x,+1.5\n-,'-x\\u001b\\u0000\na,2001:db8::1\n", safe.String())
	assert.Equal(t, "a,b\n=1+1,-5\n@x,+1.5\n-,-x\\u001b\\u0000\na,2001:db8::1\n", raw.String())
}

// JSON stands for the same, with nothing in it that a terminal obeys.
func TestJSONIsFitForATerminal(t *testing.T) {
	data := map[string]string{"a": "x\u007f\u0085\u202e\ufeff\x1b\u2028 <ä>"}
	var b strings.Builder
	require.NoError(t, JSON(&b, data))
	assert.Equal(t, "{\n  \"a\": \"x\\u007f\\u0085\\u202e\\ufeff\\u001b\\u2028 <ä>\"\n}\n", b.String())
	var again map[string]string
	require.NoError(t, json.Unmarshal([]byte(b.String()), &again))
	assert.Equal(t, data, again)
}

// A template makes no more than it may.
func TestTemplatesAreBounded(t *testing.T) {
	x := NewExported(coretest.Spec(t, "segments: {l: {prefix: 10.0.0.0/29}}\ndevices: {r: {is: router, interfaces: {p: {segment: l, "+
		"address: 1}}}}\n"), []model.DeviceID{0})[0]
	many := `{{define "d"}}{{printf "%1000000d" 1}}{{end}}` + strings.Repeat(`{{template "d"}}`, 70)
	tmpl, err := NewTextTemplate("t", many)
	require.NoError(t, err)
	_, err = tmpl.Fill(x.Device, x)
	assert.ErrorContains(t, err, "it makes more than 64 MB")
}
