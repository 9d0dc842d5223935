package standin

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"ropeswing/internal/yang"
)

// Every leaf whose values the models say takes such, and refuses what is none of them.
func TestLeavesTakeTheirValuesOnly(t *testing.T) {
	good := map[string]string{
		"enabled": "true", "link-up-down-trap-enable": "enabled", "type": "ianaift:ethernetCsmacd", "forwarding": "false", "mtu": "1500",
		"dup-addr-detect-transmits": "1", "ip": "192.0.2.1",
		"prefix-length": "24", "netmask": "255.255.255.0", "link-layer-address": "02:00:00:00:00:01", "router-id": "192.0.2.1",
		"next-hop-address": "2001:db8::1", "special-next-hop": "blackhole",
		"untagged": "7", "tagged": "7", "route-preference": "5", "metric": "0",
	}
	yang.Data().Leaves(func(x *yang.Schema) {
		if x.Told || x.Type == yang.Text {
			return
		}
		for _, module := range x.Modules {
			value := good[x.Name]
			switch {
			case x.Name == "type" && module == yang.Routing:
				value = "ietf-routing:static"
			case x.Name == "destination-prefix" && module == yang.Unicast4:
				value = "192.0.2.0/24"
			case x.Name == "destination-prefix":
				value = "2001:db8::/32"
			}
			assert.NotEmpty(t, value, "%s is not tried", x.Name)
			assert.True(t, x.Holds(yang.Leaf(module, x.Name, value), true), "%s: %s", x.Name, value)
			for _, bad := range []string{"", "maybe", "abc", "-1", "1e3", "192.0.2.1/33", "99999999999999999999", "x:y:z"} {
				assert.False(t, x.Holds(yang.Leaf(module, x.Name, bad), true), "%s takes %q", x.Name, bad)
			}
		}
	})
	s := newRooms(t)
	c := connected(t, s)
	for _, change := range []string{"<enabled>maybe</enabled>", "<type>bogus</type>", `<ipv4 xmlns="` + string(yang.IP) + `"><mtu>abc</mtu></ipv4>`} {
		answer := c.ask(strings.Replace(editingOf(), "%s", "<interface><name>eth0</name>"+change+"</interface>", 1))
		assert.Contains(t, answer, "<error-tag>invalid-value</error-tag>", change)
	}
}

// editingOf is an edit of interfaces with a place for what changes.
func editingOf() string { return strings.Replace(editing, "%s", "", 1) }
