package yang_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/internal/yang"
)

const asXML = `<interfaces xmlns="urn:ietf:params:xml:ns:yang:ietf-interfaces"><interface><name>e0</name>` +
	`<type xmlns:iana-if-type="urn:ietf:params:xml:ns:yang:iana-if-type">iana-if-type:ethernetCsmacd</type><enabled>false</enabled>` +
	`<speed>1000000000</speed><ipv6 xmlns="urn:ietf:params:xml:ns:yang:ietf-ip"><mtu>1400</mtu><address><ip>2001:db8::1</ip>` +
	`<prefix-length>64</prefix-length></address><address><ip>2001:db8::2</ip><prefix-length>64</prefix-length></address></ipv6>` +
	`<switching xmlns="urn:ropeswing:device"><tagged>7</tagged><tagged>9</tagged></switching></interface></interfaces>`

// written is data on one line.
func written(all []*yang.Node) string {
	var b bytes.Buffer
	for _, n := range all {
		n.XML(&b, "")
	}
	return b.String()
}

// What is written either way is read back as it was.
func TestBothFormsSayTheSame(t *testing.T) {
	root, err := yang.ParseXML([]byte(asXML))
	require.NoError(t, err)
	assert.Equal(t, asXML, written(root.Children))
	text, err := yang.JSON(root.Children)
	require.NoError(t, err)
	for _, part := range []string{`"ietf-interfaces:interfaces"`, `"speed": "1000000000"`, `"enabled": false`, `"mtu": 1400`, `"ropeswing-device:switching"`} {
		assert.Contains(t, string(text), part)
	}
	back, err := yang.ParseJSON(text)
	require.NoError(t, err)
	assert.Empty(t, yang.Data().Fit(back))
	again, err := yang.JSON(back.Children)
	require.NoError(t, err)
	assert.Equal(t, string(text), string(again))
	var addresses []string
	ipv6 := back.Child("interfaces").Child("interface").Child("ipv6")
	ipv6.Each("address", func(a *yang.Node) { addresses = append(addresses, a.Leaf("ip")) })
	assert.Equal(t, []string{"2001:db8::1", "2001:db8::2"}, addresses)
}

// What breaks off, is nested too deep or says a document type is refused, with its line.
func TestWhatIsNoTreeIsRefused(t *testing.T) {
	for text, why := range map[string]string{
		"": "no whole XML", "<a>": "no whole XML", "<a>\n</b>": "line 2", "<!DOCTYPE a []><a/>": "document type",
		strings.Repeat("<a>", 100) + strings.Repeat("</a>", 100): "too deep",
	} {
		_, err := yang.ParseXML([]byte(text))
		assert.ErrorContains(t, err, why, text)
	}
	for text, why := range map[string]string{
		"": "breaks off", `{"a": `: "breaks off", "{\n\"a\": x}": "line 2", `"a"`: "these are an object", `{} {}`: "more behind",
		strings.Repeat(`[`, 100) + strings.Repeat("]", 100): "too deep",
	} {
		_, err := yang.ParseJSON([]byte(text))
		assert.ErrorContains(t, err, why, text)
	}
}

// What no model has is passed over; what cannot be as it is is told, and taken out.
func TestFit(t *testing.T) {
	root, err := yang.ParseXML([]byte(strings.NewReplacer("<enabled>false", "<colour>red</colour><enabled>maybe", "<tagged>9", "<tagged>5000",
		"<ip>2001:db8::2", "<ip>2001:db8::1", "<speed>", `<speed xmlns="urn:x">`).Replace(asXML)))
	require.NoError(t, err)
	var why []string
	for _, b := range yang.Data().Fit(root) {
		why = append(why, strings.Join(b.Path, "/")+": "+b.Why)
		assert.Equal(t, 1, b.Line)
	}
	assert.ElementsMatch(t, []string{
		`interfaces/interface/enabled: "maybe" is no value of enabled`, `interfaces/interface/switching/tagged: "5000" is no value of tagged`,
		"interfaces/interface/ipv6/address: address 2001:db8::1 is said twice",
	}, why)
	for _, gone := range []string{"colour", "maybe", "5000", "speed"} {
		assert.NotContains(t, written(root.Children), gone)
	}
}

// An edit says what differs alone: what goes before what comes, and what is replaced whole as a whole.
func TestDiff(t *testing.T) {
	parse := func(change ...string) []*yang.Node {
		root, err := yang.ParseXML([]byte(strings.NewReplacer(change...).Replace(asXML)))
		require.NoError(t, err)
		return root.Children
	}
	assert.Empty(t, yang.Diff(parse(), parse()))
	for name, x := range map[string]struct{ change, has, lacks []string }{
		"a leaf": {[]string{"false", "true"}, []string{"<name>e0</name>", "<enabled>true</enabled>"}, []string{"ipv6", "switching"}},
		"an address": {[]string{"2001:db8::2", "2001:db8::3"},
			[]string{`<address nc:operation="delete"><ip>2001:db8::2</ip></address><address><ip>2001:db8::3`}, []string{"2001:db8::1", "mtu"}},
		"a VLAN":        {[]string{"<tagged>9</tagged>", ""}, []string{`nc:operation="replace"><tagged>7</tagged></switching>`}, []string{"ipv6"}},
		"what is fixed": {[]string{"ethernetCsmacd", "other"}, nil, []string{"type"}},
		"an interface": {[]string{"<name>e0", "<name>e1"},
			[]string{`<interface nc:operation="delete"><name>e0</name></interface><interface><name>e1`}, nil},
		"all of a family": {[]string{`<ipv6 xmlns="urn:ietf:params:xml:ns:yang:ietf-ip">`, `<x xmlns="urn:x">`, "</ipv6>", "</x>"},
			[]string{`<mtu nc:operation="delete">1400`, `<address nc:operation="delete"><ip>2001:db8::1`}, nil},
	} {
		text := strings.ReplaceAll(written(yang.Diff(parse(), parse(x.change...))), ` xmlns:nc="urn:ietf:params:xml:ns:netconf:base:1.0"`, "")
		for _, part := range x.has {
			assert.Contains(t, text, part, name)
		}
		for _, part := range x.lacks {
			assert.NotContains(t, text, part, name)
		}
	}
}

// A refusal is read as it was written.
func TestRefusals(t *testing.T) {
	r := yang.Refused("lock-denied", "/rpc/<lock>", "session %d & others have it", 7)
	r.Session = 7
	root, err := yang.ParseXML([]byte("<rpc-reply>" + r.RPC() + "</rpc-reply>"))
	require.NoError(t, err)
	back := yang.RefusalIn(root.Children[0])
	require.NotNil(t, back)
	assert.Equal(t, r.Error(), back.Error())
	assert.Equal(t, "session 7 & others have it (lock-denied) at /rpc/<lock>", back.Error())
	assert.Contains(t, r.RPC(), "<session-id>7</session-id>")
	assert.Nil(t, yang.RefusalIn(yang.Box(yang.NETCONF, "rpc-reply", yang.Leaf(yang.NETCONF, "ok", ""))))
	warning := yang.Box(yang.NETCONF, "rpc-error", yang.Leaf(yang.NETCONF, "error-severity", "warning"))
	assert.Nil(t, yang.RefusalIn(yang.Box(yang.NETCONF, "rpc-reply", warning)))
	web, err := yang.ParseXML(r.Web("urn:ietf:params:xml:ns:yang:ietf-restconf"))
	require.NoError(t, err)
	assert.Equal(t, "lock-denied", web.Children[0].Child("error").Leaf("error-tag"))
}
