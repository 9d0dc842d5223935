package view

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
)

func TestRunsOfNumbersAndNames(t *testing.T) {
	for want, vlans := range map[string][]model.VLAN{"": nil, "7": {7}, "7, 8": {7, 8}, "7..9": {7, 8, 9}, "1, 3..5, 9": {1, 3, 4, 5, 9}} {
		assert.Equal(t, want, runs(vlans))
	}
	for want, names := range map[string][]string{"": nil, "p1": {"p1"}, "p1, p2": {"p1", "p2"}, "p1..p3": {"p1", "p2", "p3"},
		"p9..p11, air0": {"p9", "p10", "p11", "air0"}, "p1, q2, q3": {"p1", "q2", "q3"}} {
		assert.Equal(t, want, foldNames(names))
	}
}

func TestRawTextIsMadeFitForATerminal(t *testing.T) {
	var b bytes.Buffer
	Raw(&b, []byte("a\tb\r\n\x1b[31mred\n\nlast\u202e"))
	assert.Equal(t, "a\tb\n\\u001b[31mred\n\nlast\\u202e", b.String())
}

const exportPlan = `
segments: {lan: {vlan: 110, prefix: [10.1.0.0/24, "2001:db8::/64"]}, line: {}}
devices:
  r:
    is: router
    note: at the pier
    interfaces:
      e: {}
      e.110: {segment: lan, address: 1, secondary: 5, virtual: 9, priority: 120, mtu: 1400, link-local: "fe80::1"}
      s: {segment: line, line: serial, clock: here, bandwidth: 64k, borrow: e.110, admin: down, note: old}
    routes: {default: [10.1.0.2, {out: s, distance: 200}]}
  h: {is: host, interfaces: {p: {segment: lan, address: 2, mac: 020000000001}}}
`

func TestExportedHasEveryKey(t *testing.T) {
	spec := coretest.Spec(t, exportPlan)
	all := NewExported(spec, []model.DeviceID{0, 1})
	require.Len(t, all, 2)
	r := all[0]
	assert.Equal(t, []string{"r", "router", "at the pier", "10.1.0.1", "2001:db8::1", "10.1.0.2"},
		[]string{r.Device, r.Is, r.Note, r.Main, r.MainIPv6, r.Gateway})
	e := r.Interfaces[1]
	assert.Equal(t, []any{"e.110", "subinterface", "e", 110, "lan", 1400}, []any{e.Interface, e.Kind, e.Parent, e.Tag, e.Segment, e.MTU})
	var told []string
	for _, a := range e.Addresses {
		text := a.Address + " " + a.Mask
		for word, yes := range map[string]bool{" secondary": a.Secondary, " shared": a.Shared, " link-local": a.LinkLocal} {
			if yes {
				text += word
			}
		}
		told = append(told, text)
	}
	assert.Equal(t, []string{"10.1.0.1 255.255.255.0", "2001:db8::1 ", "10.1.0.5 255.255.255.0 secondary", "2001:db8::5  secondary",
		"fe80::1  link-local", "10.1.0.9 255.255.255.0 shared", "2001:db8::9  shared"}, told)
	s := r.Interfaces[2]
	assert.Equal(t, []any{"serial", true, "e.110", "down", 64000, "old"}, []any{s.Line, s.Clocks, s.Borrows, s.Admin, s.Bandwidth, s.Note})
	assert.Equal(t, []string{"tag 110"}, []string{e.what()})
	assert.Equal(t, "serial, clocked here, as e.110", s.what())
	require.Len(t, r.Routes, 3)
	assert.Equal(t, ExportedRoute{To: "0.0.0.0", Family: "ipv4", Mask: "0.0.0.0", Out: "s", Distance: 200}, r.Routes[1])
	assert.Equal(t, "10.1.0.9", all[1].Gateway, "hosts send to the address that is shared")
	assert.Equal(t, "02:00:00:00:00:01", all[1].Interfaces[0].MAC)

	var b bytes.Buffer
	require.NoError(t, ExportedTable(all).CSV(&b))
	assert.Contains(t, b.String(), "h,host,p,port,lan,,10.1.0.2,24,255.255.255.0,10.1.0.0/24,10.1.0.9,02:00:00:00:00:01,,\n")
}

func TestTemplatesAreGivenTheJSONKeys(t *testing.T) {
	x := NewExported(coretest.Spec(t, exportPlan), []model.DeviceID{0})[0]
	for text, want := range map[string]string{
		"{{.device | upper}} {{.main_ipv6}}": "R 2001:db8::1",
		"{{range .interfaces}}{{if eq .tag 110}}{{.interface | replace \".\" \"-\"}}{{end}}{{end}}": "e-110",
		"{{range .routes}}{{.distance}} {{end}}":                                                    "1 200 200 ",
		"{{join \"; \" (index .interfaces 0).members}}|{{len .interfaces}}":                         "|3",
		"{{if (index .interfaces 2).clocks}}clock{{end}}":                                           "clock",
	} {
		tmpl, err := NewTextTemplate("t", text)
		require.NoError(t, err, text)
		out, err := tmpl.Fill(x.Device, x)
		require.NoError(t, err, text)
		assert.Equal(t, want, string(out))
	}
	tmpl, err := NewTextTemplate("t", "{{.devise}}")
	require.NoError(t, err)
	_, err = tmpl.Fill(x.Device, x)
	assert.ErrorContains(t, err, "r: t:1:2")
	_, err = NewTextTemplate("t", "{{.device")
	assert.ErrorContains(t, err, "t:1")
}

func TestTwoFamiliesShareARow(t *testing.T) {
	v := Assignment{Changes: []NumberChange{
		{"new", "a", "subnet", "10.0.0.0/24", "", "x"}, {"new", "b", "subnet", "10.0.1.0/24", "", "x"}, {"new", "a", "subnet", "2001:db8::/64",
			"", "y"},
		{"moved", "c", "address", "10.0.0.9", "10.0.1.9", "z"}, {"moved", "c", "address", "2001:db8::9", "2001:db8::8", "z"}, {"new", "a",
			"vlan", "7", "", ""},
	}}
	var rows []string
	for _, r := range v.byOwner().Rows {
		rows = append(rows, strings.Join(r[:5], " "))
	}
	assert.Equal(t, []string{"new subnet a 10.0.0.0/24 2001:db8::/64 ", "new subnet b 10.0.1.0/24 ", "moved address c 10.0.0.9 10.0.1.9",
		"moved address c 2001:db8::9 2001:db8::8", "new vlan a 7 "}, rows)
	assert.Equal(t, "4 new, 2 moved", v.counts())
}
