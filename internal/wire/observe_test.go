package wire_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/observed"
	"ropeswing/internal/wire"
)

func read(t *testing.T, text, device string) *observed.Device {
	t.Helper()
	r, err := wire.Read([]byte(text), "", device)
	require.NoError(t, err)
	require.Empty(t, r.Unread)
	require.Len(t, r.Devices, 1)
	return r.Devices[0]
}

const linuxAddresses = `[{},{"ifindex":1,"ifname":"lo","flags":["LOOPBACK","UP","LOWER_UP"],"mtu":65536,"operstate":"UNKNOWN","link_type":"loopback","address":"00:00:00:00:00:00","addr_info":[{"family":"inet","local":"127.0.0.1","prefixlen":8},{"family":"inet","local":"10.0.0.9","prefixlen":32}]},
{"ifname":"eth0","flags":["BROADCAST","UP"],"mtu":1400,"operstate":"DOWN","link_type":"ether","address":"02:00:5e:10:00:01","addr_info":[{"family":"inet","local":"10.1.0.1","prefixlen":24},{"family":"inet","local":"10.1.0.9","prefixlen":24,"secondary":true},{"family":"inet6","local":"fe80::1","prefixlen":64,"protocol":"kernel_ll"}]},
{"ifname":"eth1","flags":["BROADCAST"],"operstate":"DOWN","link_type":"ether","addr_info":[]}]`

func TestLinuxListsAreRead(t *testing.T) {
	d := read(t, linuxAddresses, "r")
	assert.Equal(t, []observed.Part{observed.Interfaces, observed.Addresses4, observed.Addresses6}, d.Known)
	require.Len(t, d.Interfaces, 3)
	assert.Equal(t, "10.0.0.9/32", d.Interfaces[0].Addresses[0].String(), "127.0.0.1 is everybody's")
	eth0 := d.Interfaces[1]
	assert.Equal(t, []any{observed.Up, observed.Down, 1400, "02:00:5e:10:00:01"}, []any{eth0.Admin, eth0.Oper, eth0.MTU, eth0.MAC})
	assert.True(t, eth0.Addresses[1].Secondary)
	assert.Equal(t, "link-layer", eth0.Addresses[2].Origin)
	assert.Equal(t, observed.Down, d.Interfaces[2].Admin)

	d = read(t, `[{"dst":"default","gateway":"10.1.0.254","dev":"eth0","protocol":"static","metric":5,"flags":[]},
{"dst":"10.1.0.0/24","dev":"eth0","protocol":"kernel","scope":"link","flags":["linkdown"]},
{"type":"blackhole","dst":"10.0.0.0/8","flags":[]},{"dst":"10.9.9.9","via":{"family":"inet6","host":"fe80::2"},"dev":"eth0","protocol":"bgp","flags":[]},
{"dst":"10.7.0.0/16","flags":[],"nexthops":[{"gateway":"10.1.0.2","dev":"eth0","flags":[]},{"gateway":"10.1.0.3","dev":"eth0","flags":["dead"]}]},
{"type":"local","dst":"10.1.0.1","dev":"eth0"},{"dst":"fe80::/64","dev":"eth0","protocol":"kernel","flags":[]},{"dst":"default","gateway":"fe80::9","dev":"eth0","flags":[]}]`, "r")
	var words []string
	for _, r := range d.Routes {
		text := r.To.String() + " " + r.Source
		if r.NextHop.IsValid() {
			text += " " + r.NextHop.String()
		}
		if r.Discard {
			text += " discard"
		}
		if !*r.Active {
			text += " not in use"
		}
		words = append(words, text)
	}
	assert.Equal(t, []string{"0.0.0.0/0 static 10.1.0.254", "10.1.0.0/24 direct not in use", "10.0.0.0/8 static discard",
		"10.9.9.9/32 learned fe80::2", "10.7.0.0/16 static 10.1.0.2", "10.7.0.0/16 static 10.1.0.3 not in use", "::/0 static fe80::9"}, words)
	assert.Equal(t, []observed.Part{observed.Routes4, observed.Routes6}, d.Known)

	d = read(t, `[{"dst":"10.1.0.2","dev":"eth0","lladdr":"02:00:00:00:00:02","state":["REACHABLE"]},{"dst":"10.1.0.3","dev":"eth0","state":["FAILED"]}]`, "r")
	assert.Len(t, d.Neighbours, 1)
}

func TestModelsAreReadInBothForms(t *testing.T) {
	const asJSON = `{"ietf-interfaces:interfaces":{"interface":[{"name":"p1","type":"iana-if-type:ethernetCsmacd","enabled":false,"oper-status":"lower-layer-down","speed":"1000","ietf-ip:ipv4":{"mtu":1400,"address":[{"ip":"10.1.0.1","netmask":"255.255.255.0"}],"neighbor":[{"ip":"10.1.0.2","link-layer-address":"02:00:00:00:00:02"}]}}]},
"ietf-routing:routing":{"control-plane-protocols":{"control-plane-protocol":[{"type":"ietf-routing:static","name":"s","static-routes":{"ietf-ipv4-unicast-routing:ipv4":{"route":[{"destination-prefix":"10.9.0.0/16","next-hop":{"next-hop-address":"10.1.0.2"}}]}}}]}}}`
	const asXML = `<rpc-reply xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"><data><interfaces xmlns="urn:ietf:params:xml:ns:yang:ietf-interfaces"><interface><name>p1</name><type>ianaift:ethernetCsmacd</type><enabled>false</enabled><oper-status>lower-layer-down</oper-status><speed>1000</speed><ipv4 xmlns="urn:ietf:params:xml:ns:yang:ietf-ip"><mtu>1400</mtu><address><ip>10.1.0.1</ip><netmask>255.255.255.0</netmask></address><neighbor><ip>10.1.0.2</ip><link-layer-address>02:00:00:00:00:02</link-layer-address></neighbor></ipv4></interface></interfaces>
<routing xmlns="urn:ietf:params:xml:ns:yang:ietf-routing"><control-plane-protocols><control-plane-protocol><type>static</type><name>s</name><static-routes><ipv4><route><destination-prefix>10.9.0.0/16</destination-prefix><next-hop><next-hop-address>10.1.0.2</next-hop-address></next-hop></route></ipv4></static-routes></control-plane-protocol></control-plane-protocols></routing></data></rpc-reply>`
	a, b := read(t, asJSON, "r"), read(t, asXML, "r")
	assert.Equal(t, string(a.Encode()), string(b.Encode()), "the two say the same")
	i := a.Interfaces[0]
	assert.Equal(t, []any{observed.Down, observed.Down, 1400, "10.1.0.1/24", int64(1000), "ethernetCsmacd"},
		[]any{i.Admin, i.Oper, i.MTU, i.Addresses[0].String(), i.Speed, i.Type})
	assert.Equal(t, "10.9.0.0/16 10.1.0.2 static", a.Routes[0].To.String()+" "+a.Routes[0].NextHop.String()+" "+a.Routes[0].Source)
	assert.False(t, a.Knows(observed.Routes6), "of IPv6 it says nothing, which is not that there is none")
}

func TestTablesWithAHeadingAreRead(t *testing.T) {
	r, err := wire.Read([]byte("Device,Interface,Admin,Address,Mask\nr1,p1,up,10.1.0.1,255.255.255.0\n"+
		"r1,p1,up,2001:db8::1/64,\nr2,p9,off,,\n"), "", "")
	require.NoError(t, err)
	require.Len(t, r.Devices, 2)
	assert.Equal(t, "10.1.0.1/24", r.Devices[0].Interfaces[0].Addresses[0].String())
	assert.Len(t, r.Devices[0].Interfaces[0].Addresses, 2)
	assert.Equal(t, observed.Down, r.Devices[1].Interfaces[0].Admin)
	d := read(t, "destination,next-hop,interface,distance,active\n10.9.0.0/16,10.1.0.2,p1,5,yes\ndefault,discard,,,\n", "r")
	assert.Equal(t, 5, *d.Routes[0].Distance)
	assert.True(t, d.Routes[1].Discard)
	_, err = wire.Read([]byte("device,interface,colour\n"), "csv", "")
	assert.ErrorContains(t, err, "there is no column colour")
	_, err = wire.Read([]byte("interface,admin\np1,up\n"), "", "")
	assert.ErrorContains(t, err, "name it with --device")
	_, err = wire.Read([]byte("device,interface,admin\n../x,p1,up\n"), "", "")
	assert.ErrorContains(t, err, "is no name of a device")
}

const mapText = `ropeswing-map: 1
device: '^# box (?P<name>\S+)'
skip: ['^-+$', '^  [(]']
tables:
  - heading: [Socket, Lamp, Link, Number]
    fields: {interface: Socket, admin: Lamp, oper: Link, address: Number}
    continues: indented
    ends: blank
    words: {admin: {lit: up, dark: down}, oper: {lit: up, dark: down}}
  - heading: [To, By]
    split: spaces
    fields: {destination: To, next-hop: By}
    words: {next-hop: {nowhere: discard}}
`

const mapped = `# box r1
Socket    Lamp   Link   Number
-------
p1        lit    dark   10.1.0.1/24
  (the one by the door)
p2        dark   dark
p3        odd    lit    10.3.0.1/24

To            By
10.9.0.0/16   10.1.0.2
10.8.0.0/16   nowhere
# box r2
Socket    Lamp   Link   Number
p1        lit    lit    10.2.0.1/24

stray words
`

func TestColumnMapsReadTextTables(t *testing.T) {
	m, err := wire.ReadMap([]byte(mapText))
	require.NoError(t, err)
	r, err := wire.ReadMapped([]byte(mapped), m, "")
	require.NoError(t, err)
	require.Len(t, r.Devices, 2)
	d := r.Devices[0]
	require.Len(t, d.Interfaces, 2)
	assert.Equal(t, []any{"p1", observed.Up, observed.Down, "10.1.0.1/24"},
		[]any{d.Interfaces[0].Name, d.Interfaces[0].Admin, d.Interfaces[0].Oper, d.Interfaces[0].Addresses[0].String()})
	assert.Equal(t, observed.Down, d.Interfaces[1].Admin)
	assert.True(t, d.Routes[1].Discard)
	assert.Equal(t, []wire.Unread{{7, "p3  odd  lit  10.3.0.1/24", "'odd' is neither up nor down"},
		{16, "stray words", "it belongs to no table"}}, r.Unread, "nothing is guessed")
	var cells []string
	for _, c := range r.Cells[:4] {
		cells = append(cells, c.Field+" "+c.Text+": "+c.MadeInto)
	}
	assert.Equal(t, []string{"interface p1: p1", "admin lit: up", "oper dark: down", "address 10.1.0.1/24: 10.1.0.1/24"}, cells)
	for text, want := range map[string]string{
		"tables: []": "begins with 'ropeswing-map: 1'", "ropeswing-map: 1": "it has no tables, and names no form",
		"ropeswing-map: 1\ntabels: []": "line 2, column 1: a column map has no key tabels; did you mean tables?", "": "it is empty",
		"[": "it is no column map", "- a": "a column map is a map of keys",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: {colour: A}}]":                                                         "line 2, column 34: there is no field colour; the fields are device, interface,",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: {adress: A}}]":                                                         "line 2, column 34: there is no field adress; did you mean address?",
		"ropeswing-map: 1\ntables:\n- {heading: [A], fields: {interface: A}}\n- heading: [Socket]\n  fields: {interface: Sokcet}": "line 5, column 12: interface is taken from Sokcet, which is no heading; did you mean Socket?",
		"ropeswing-map: 1\nskip: [a, '(']\ntables: [{heading: [A], fields: {interface: A}}]":                                      "line 2, column 11: skip:",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: {interface: A}, ends: '('}]":                                           "line 2, column 49: ends:",
		"ropeswing-map: 1\ntables: [{fields: {interface: A}}]":                                                                    "line 2, column 10: the table has no heading",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: {interface: B}}]":                                                      "which is no heading",
		"ropeswing-map: 1\ntables: [{heading: [A], feilds: {interface: A}}]":                                                      "line 2, column 25: a table has no key feilds; did you mean fields?",
		"ropeswing-map: 1\ntables: [{heading: A, fields: {interface: A}}]":                                                        "heading is a list of words",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: [interface]}]":                                                         "fields is a map of words",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: {interface: A}, words: {interface: x}}]":                               "words is a map of words for each field",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: {interface: A}, words: {oper: {a: up}}}]":                              "words of oper, which is none of the table's fields",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: {interface: A}, known: [everything]}]":                                 "known is one of interfaces,",
		"ropeswing-map: 1\nname: a\nname: b\ntables: [{heading: [A], fields: {interface: A}}]":                                    "line 3, column 1: name stands here twice; the first is on line 2",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: {interface: A, interface: A}}]":                                        "each key once",
		"ropeswing-map: 1\ntables: {heading: [A]}":                                                                                "tables is a list of maps",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: {admin: A}}]":                                                          "neither which heading is the interface",
		"ropeswing-map: 1\ndevice: '('\ntables: [{heading: [A], fields: {interface: A}}]":                                         "device:",
		"ropeswing-map: 1\ndevice: 'x'\ntables: [{heading: [A], fields: {interface: A}}]":                                         "has no group",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: {interface: A}, continues: sometimes}]":                                "continues is indented or empty",
		"ropeswing-map: 1\ntables: [{heading: [A], fields: {interface: A}, repeats: address, ends: x}]":                           "repeats is one of the fields",
	} {
		_, err := wire.ReadMap([]byte(text))
		assert.ErrorContains(t, err, want, text)
		if strings.Contains(text, "heading: [") {
			assert.Regexp(t, `line \d+, column \d+: `, err.Error(), "every slip has its place")
		}
	}
	_, err = wire.ReadMapped([]byte("nothing here\n"), m, "r")
	assert.ErrorContains(t, err, "none of its headings stands there")
}

func TestHostileFilesAreRefused(t *testing.T) {
	for text, want := range map[string]string{
		"": "it is empty", "\x00\x01\x02": "binary", "[1,2": "no whole JSON", "<a><b></a>": "no whole XML", "<a/>": "neither interfaces",
		"[]":                       "the list is empty",
		strings.Repeat("<a>", 100): "nested too deep", `{"a":` + strings.Repeat(`{"a":`, 100) + "1" +
			strings.Repeat("}", 101): "nested too deep",
		`{"ropeswing_observed": 9, "device": "x", "sources": [], "known": []}`:                                            "version 9",
		`{"ropeswing_observed": 1, "device": "../x", "sources": [], "known": []}`:                                         "does not name its device",
		`{"ropeswing_observed": 1, "device": "x", "sources": [], "known": [], "interfaces": [{"name":"a"},{"name":"a"}]}`: "stands there twice",
		"hello": "none of the formats",
	} {
		_, err := wire.Read([]byte(text), "", "r")
		assert.ErrorContains(t, err, want, text[:min(len(text), 40)])
	}
	_, err := wire.Read([]byte("[{\"ifname\":\"\xff\"}]"), "", "r")
	assert.ErrorContains(t, err, "not UTF-8")
}

func TestAStateIsReadAsItWasKept(t *testing.T) {
	d := read(t, linuxAddresses, "r")
	again, err := observed.Decode(d.Encode())
	require.NoError(t, err)
	assert.Equal(t, string(d.Encode()), string(again.Encode()))
	// What another source tells wholly replaces what was known of that.
	other := read(t, `[{"ifname":"eth0","flags":["UP"],"operstate":"UP","addr_info":[{"family":"inet","local":"10.1.0.77","prefixlen":24}]}]`,
		"r")
	d.Merge(other)
	assert.Equal(t, observed.Up, d.Interface("eth0").Oper)
	assert.Equal(t, 1400, d.Interface("eth0").MTU, "which the other does not say")
	require.Len(t, d.Interface("eth0").Addresses, 1)
	assert.Equal(t, "10.1.0.77/24", d.Interface("eth0").Addresses[0].String())
}

func FuzzRead(f *testing.F) {
	m, err := wire.ReadMap([]byte(mapText))
	require.NoError(f, err)
	for _, seed := range []string{linuxAddresses, mapped, "device,interface,admin,address\nr,p,up,10.0.0.1/24\n",
		`{"ietf-interfaces:interfaces":{"interface":[{"name":"p1"}]}}`,
		`<data><interfaces><interface><name>p</name></interface></interfaces></data>`,
		`{"ropeswing_observed":1,"device":"x","sources":[],"known":[]}`, `[{"ifname":""}]`} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		check := func(r *wire.Reading, err error) {
			if err != nil {
				return
			}
			for _, d := range r.Devices {
				if _, err := observed.Decode(d.Encode()); err != nil && observed.IsName(d.Name) {
					t.Fatalf("what was read cannot be kept: %s", err)
				}
			}
		}
		check(wire.Read(text, "", "r"))
		for _, format := range wire.Formats {
			check(wire.Read(text, format, "r"))
		}
		check(wire.ReadMapped(text, m, "r"))
	})
}

// A row that is not understood withdraws that its part is known, whatever else of it was
// read; a table that is there and empty is known.
func TestWhatIsReadInPartIsNotKnown(t *testing.T) {
	all := observed.Parts
	for about, tt := range map[string]struct {
		text    string
		known   []observed.Part
		without []observed.Part
	}{
		"linux addresses":        {`[{"ifname":"e0","flags":["UP"],"addr_info":[{"local":"10.0.0.1","prefixlen":24},{"local":"10.0.0.999","prefixlen":24}]}]`, []observed.Part{observed.Interfaces}, []observed.Part{observed.Addresses4, observed.Addresses6}},
		"linux routes":           {`[{"dst":"10.0.0.0/24","dev":"e0","protocol":"kernel"},{"dst":"10.9.0.0/99","gateway":"10.0.0.2","dev":"e0"}]`, nil, []observed.Part{observed.Routes4, observed.Routes6}},
		"linux, standing by":     {`[{"dst":"10.9.0.0/24","gateway":"10.0.0.2","dev":"e0"},{"dst":"10.9.0.0/24","gateway":"10.0.0.3","dev":"e0","metric":11}]`, []observed.Part{observed.Routes4, observed.Standby}, []observed.Part{observed.Routes6}},
		"linux, nothing of ours": {`[{"dst":"10.9.0.0/24","gateway":"10.0.0.2","dev":"e0"},{"what":1}]`, nil, all},
		"csv interfaces":         {"interface,oper\ne0,up\ne1,sideways\n", nil, []observed.Part{observed.Interfaces}},
		"csv routes": {"destination,next-hop\n10.0.0.0/24,10.9.9.9\nnowhere,10.9.9.9\n", nil,
			[]observed.Part{observed.Routes4, observed.Routes6}},
		"csv, a cell too many": {"destination,next-hop\n10.0.0.0/24,10.9.9.9,1\n", nil, []observed.Part{observed.Routes4, observed.Routes6}},
		"csv, empty": {"destination,next-hop\n", []observed.Part{observed.Routes4, observed.Routes6},
			[]observed.Part{observed.Interfaces}},
		"models, a route": {`{"ietf-routing:routing":{"ribs":{"rib":[{"name":"ipv4-main","address-family":"ipv4","routes":{"route":[{"destination-prefix":"10.0.0.0/24","active":[null],"next-hop":{"next-hop-address":"10.9.9.9"}},{"destination-prefix":"10.0.0.0/24"}]}}]}}}`, nil, []observed.Part{observed.Routes4, observed.Standby}},
		"models, no routes": {`{"ietf-routing:routing":{"ribs":{"rib":[{"name":"ipv4-main","address-family":"ipv4","routes":{}}]}}}`,
			[]observed.Part{observed.Routes4}, []observed.Part{observed.Routes6}},
	} {
		r, err := wire.Read([]byte(tt.text), "", "x")
		require.NoError(t, err, about)
		for _, p := range tt.known {
			assert.True(t, r.Devices[0].Knows(p), "%s: %s is known", about, p)
		}
		for _, p := range tt.without {
			assert.False(t, r.Devices[0].Knows(p), "%s: %s is not known", about, p)
		}
		// Nor is it, put together with an earlier word that was whole.
		whole := &observed.Device{Name: "x"}
		whole.Learn(all...)
		whole.Merge(r.Devices[0])
		for _, p := range tt.without {
			assert.Equal(t, len(r.Unread) == 0 || !r.Devices[0].Tells(p), whole.Knows(p), "%s: %s, put together", about, p)
		}
	}
	_, err := wire.Read([]byte("[]"), "", "x")
	require.ErrorIs(t, err, wire.ErrEmpty)
	r, ok := wire.Empty("x", "route")
	require.True(t, ok)
	assert.True(t, r.Devices[0].Knows(observed.Routes6))
	_, ok = wire.Empty("x", "json")
	assert.False(t, ok)
}

// Every field of a table may have words of its own, and words for there being nothing.
func TestEveryFieldHasWords(t *testing.T) {
	values := map[string]string{
		"admin": "up", "oper": "down", "type": "loopback", "mtu": "1500", "mac": "02:00:00:00:00:01", "description": "x", "duplex": "full", "speed": "1000",
		"group": "g", "length": "24", "mask": "255.255.255.0",
		"secondary": "yes", "untagged": "7", "tagged": "8,9", "next-hop": "10.0.0.9", "source": "static", "distance": "5", "metric": "6",
		"active": "no", "table": "apart", "neighbour-mac": "02:00:00:00:00:02", "vlan": "7", "link-device": "core", "link-port": "p9",
		"interface": "p1", "address": "10.0.0.1/24", "destination": "10.9.0.0/16", "neighbour": "10.0.0.2", "learned-mac": "02:00:00:00:00:03",
		"device": "x", "name": "n",
	}
	with := map[string][]string{"next-hop": {"destination"}, "source": {"destination"}, "distance": {"destination"},
		"metric": {"destination"}, "active": {"destination"}, "table": {"destination"}, "neighbour-mac": {"neighbour"}, "vlan": {"learned-mac",
			"interface"}, "learned-mac": {"interface"}, "length": {"interface", "address"}, "mask": {"interface",
			"address"}, "secondary": {"interface",
			"address"}, "destination": {"next-hop"}, "link-device": {"interface"}, "link-port": {"interface", "link-device"}}
	for _, field := range wire.Fields {
		others := with[field]
		if others == nil {
			others = []string{"interface"}
		}
		if field == "interface" {
			others = []string{"admin"}
		}
		fields, heading, row := "", "", ""
		for _, f := range append([]string{field}, others...) {
			fields += f + ": H" + f + ", "
			heading += "H" + f + "|"
			value := values[f]
			if f == "address" && (field == "length" || field == "mask") {
				value = "10.0.0.1"
			}
			if f == field {
				value = "odd words"
			}
			row += value + "|"
		}
		text := fmt.Sprintf("ropeswing-map: 1\nnothing: [nought]\ntables: [{heading: [%s], split: '|', fields: {%s}, words: {%s: {odd "+
			"words: '%s'}}}]\n", strings.ReplaceAll(strings.Trim(heading, "|"), "|", ", "), fields, field, values[field])
		m, err := wire.ReadMap([]byte(text))
		require.NoError(t, err, text)
		r, err := wire.ReadMapped([]byte(heading+"\n"+row+"\n"), m, "x")
		require.NoError(t, err, field)
		assert.Empty(t, r.Unread, field)
		require.NotEmpty(t, r.Cells, field)
		assert.True(t, slices.ContainsFunc(r.Cells, func(c wire.Cell) bool {
			return c.Field == field && c.Text == "odd words" && c.MadeInto == values[field]
		}), "%s: %v", field, r.Cells)
	}
}

// Words for there being nothing are none of anything, in a CSV and by a map.
func TestWordsForNothing(t *testing.T) {
	for _, nothing := range []string{"", "-", "--", "unassigned", "Unset", "not set", "none", "N/A"} {
		r, err := wire.Read([]byte("interface,admin,oper,mtu,speed,group,address,length,secondary,untagged,tagged\np,up,"+
			strings.Repeat(nothing+",", 8)+nothing+"\n"), "", "x")
		require.NoError(t, err, nothing)
		assert.Empty(t, r.Unread, nothing)
		i := r.Devices[0].Interfaces[0]
		assert.Equal(t, []any{observed.Status(""), 0, int64(0), "", 0, true, 0},
			[]any{i.Oper, i.MTU, i.Speed, *i.Group, len(i.Addresses), i.Untagged == nil, len(i.Tagged)}, nothing)
		r, err = wire.Read([]byte("destination,next-hop,interface,distance,metric,active\n10.9.0.0/16,"+nothing+",none,"+nothing+","+nothing+
			","+nothing+"\n"), "", "x")
		require.NoError(t, err, nothing)
		x := r.Devices[0].Routes[0]
		assert.Equal(t, []any{false, "none", true, true, true},
			[]any{x.NextHop.IsValid(), x.Interface, x.Distance == nil, x.Metric == nil, x.Active == nil}, nothing)
	}
	m, err := wire.ReadMap([]byte("ropeswing-map: 1\nnothing: [dark]\ntables: [{heading: [A, B], split: '|', fields: {interface: A, " +
		"address: B}}]\n"))
	require.NoError(t, err)
	r, err := wire.ReadMapped([]byte("A|B\np|dark\n"), m, "x")
	require.NoError(t, err)
	assert.Empty(t, r.Devices[0].Interfaces[0].Addresses)
	assert.Equal(t, "nothing", r.Cells[1].MadeInto)
}

// Columns are cut by characters, not bytes.
func TestColumnsAreOfCharacters(t *testing.T) {
	m, err := wire.ReadMap([]byte("ropeswing-map: 1\ntables: [{heading: [Näme, Größe], fields: {interface: Näme, mtu: Größe}}]\n"))
	require.NoError(t, err)
	r, err := wire.ReadMapped([]byte("Näme  Größe\näöü1  1500\nplain 9000\n"), m, "x")
	require.NoError(t, err)
	assert.Empty(t, r.Unread)
	assert.Equal(t, []any{"äöü1", 1500, "plain", 9000},
		[]any{r.Devices[0].Interfaces[0].Name, r.Devices[0].Interfaces[0].MTU, r.Devices[0].Interfaces[1].Name, r.Devices[0].Interfaces[1].MTU})
}

// The order of keys in JSON is of no matter.
func TestModelsAreReadInTheirOwnOrder(t *testing.T) {
	config := `"ietf-interfaces:interfaces": {"interface": [{"name": "p", "enabled": true}]}`
	state := `"ietf-interfaces:interfaces-state": {"interface": [{"name": "p", "oper-status": "down"}]}`
	one, two := read(t, "{"+config+","+state+"}", "x"), read(t, "{"+state+","+config+"}", "x")
	assert.Equal(t, string(one.Encode()), string(two.Encode()))
}
