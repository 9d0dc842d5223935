package steps_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/steps"
	"ropeswing/core/workspace"
)

// shed is a router on a stick, and a switch that is managed in a VLAN of its own.
const shed = `ropeswing: 1
operator: op
segments: {ops: {vlan: 10, prefix: 10.1.0.0/24}, mgmt: {vlan: 77, prefix: 10.77.7.0/24}}
devices:
  r:
    is: router
    interfaces:
      lan: {}
      lan.10: {segment: ops, parent: lan, tag: 10, address: 1}
      lan.77: {segment: mgmt, parent: lan, tag: 77, address: 1}
  sw:
    is: switch
    gateway: 10.77.7.1
    interfaces:
      up: {tagged: [ops, mgmt]}
      p1: {access: ops}
      p2..p9: {access: ops}
      vlan77: {vlan: mgmt, address: 5}
  op: {is: host, interfaces: {e: {segment: ops, address: 10}}, gateway: 10.1.0.1}
cables: ["r:lan to sw:up", "op:e to sw:p1"]
`

// from is a worksheet from one plan to another.
func from(t *testing.T, a, b string, sessions map[string]string) *steps.Worksheet {
	one, other := workspace.FromText("b.plan.yaml", []byte(b)), workspace.FromText("a.plan.yaml", []byte(a))
	require.True(t, one.Usable() && other.Usable(), "%v %v", one.Slips(), other.Slips())
	w := one.Predict()
	r, _ := w.StepsFrom(other.Predict())
	at := map[model.DeviceID]netip.Addr{}
	for device, address := range sessions {
		at[coretest.Device(t, w.Spec, device)] = netip.MustParseAddr(address)
	}
	return steps.Plan(r, at)
}

// What the plan no longer has is there at the start, and made and taken away by steps of its own, each in the order in which
// devices allow it.
func TestWhatIsThereAtTheStart(t *testing.T) {
	moved := strings.NewReplacer("mgmt: {vlan: 77, prefix: 10.77.7.0/24}", "mgmt: {vlan: 78, prefix: 10.78.8.0/24}",
		"lan.77: {segment: mgmt, parent: lan, tag: 77", "lan.78: {segment: mgmt, parent: lan, tag: 78", "vlan77:", "vlan78:", "10.77.7.1",
		"10.78.8.1").Replace(shed)
	w := from(t, shed, moved, map[string]string{"sw": "10.77.7.5"})
	_, _, not := w.NotThere()
	assert.False(t, not, "the session at the old address is one")
	assert.True(t, w.Safe(), told(w))
	assert.Equal(t, `r | interface lan.78, a subinterface of lan, tag 78 | stays
r | lan.78 address: 10.78.8.1/24 | stays
sw | interface vlan78, a VLAN interface, tag 78 | stays
sw | vlan78 address: 10.78.8.5/24 | stays
sw | also up tagged 78 | stays
sw | route 0.0.0.0/0 via 10.78.8.1 (r:lan.78) | stays
r | remove lan.77 address: 10.77.7.1/24 | stays
r | remove interface lan.77, a subinterface of lan, tag 77 | stays
sw | remove vlan77 address: 10.77.7.5/24 | stays
sw | remove interface vlan77, a VLAN interface, tag 77 | stays
sw | remove up tagged 77, and keep tagged 10, 78 | stays
`, told(w))

	// A router on a stick is given a port for each of its two subnets.
	split := strings.NewReplacer("lan.77: {segment: mgmt, parent: lan, tag: 77,", "adm: {segment: mgmt,", "tagged: [ops, mgmt]}",
		"tagged: [ops]}\n      a9: {access: mgmt}", `"r:lan to sw:up"`, `"r:lan to sw:up", "r:adm to sw:a9"`).Replace(shed)
	assert.Equal(t, `sw | a9 untagged 77 | stays
r | adm address: 10.77.7.1/24 instead of 10.77.7.1/24 on lan.77 | stays
r | remove interface lan.77, a subinterface of lan, tag 77 | stays
sw | up tagged 10 | stays
`, told(from(t, shed, split, nil)))

	// Ports of a range that nothing is plugged into are set as well.
	other := strings.NewReplacer("p2..p9: {access: ops}",
		"p2..p4: {access: ops}\n      p5: {access: mgmt}\n      p6..p9: {access: ops}").Replace(shed)
	assert.Equal(t, "sw | p5 untagged 77 | stays\n", told(from(t, shed, other, nil)))
}

// A port joins a group with its VLANs, and leaves it again.
func TestAPortBecomesAGroup(t *testing.T) {
	loose := strings.NewReplacer("vlan77: {", "t1: {tagged: [ops, mgmt]}\n      t2: {}\n      vlan77: {", "  op:",
		"  sb: {is: switch, gateway: 10.77.7.1, interfaces: {t1: {tagged: [ops, mgmt]}, t2: {}, m: {vlan: mgmt, address: 6}}}\n  op:",
		"cables: [", `cables: ["sw:t1 to sb:t1", "sw:t2 to sb:t2", `).Replace(shed)
	grouped := strings.NewReplacer("t1: {tagged: [ops, mgmt]}\n      t2: {}",
		"t1: {}\n      t2: {}\n      g: {members: [t1, t2], tagged: [ops, mgmt]}", "t1: {tagged: [ops, mgmt]}, t2: {}",
		"t1: {}, t2: {}, g: {members: [t1, t2], tagged: [ops, mgmt]}").Replace(loose)
	w := from(t, loose, grouped, nil)
	assert.Contains(t, told(w), "sb | g tagged 10, 77 | stays", "which VLANs the group carries is set")
	assert.Contains(t, told(w), "sb | t1 no VLAN + t1 in g |")
	back := from(t, grouped, loose, nil)
	assert.Contains(t, told(back), "sb | t1 in no group + t1 tagged 10, 77 |")
	assert.Less(t, strings.Index(told(back), "sb | t2 in no group"), strings.Index(told(back), "sb | remove interface g, a group"),
		"the members leave before it goes")
}

// A port that is switched off brings its subinterfaces up again with it.
func TestSubinterfacesComeUpWithTheirPort(t *testing.T) {
	w := from(t, strings.Replace(shed, "lan: {}", "lan: {admin: down}", 1), shed, nil)
	assert.Equal(t, "r | lan admin: up | console\n", told(w))
	assert.Empty(t, w.Otherwise)
	assert.Len(t, w.Steps, 1)
	assert.Positive(t, len(w.Network(1).Spec.Interfaces))
	net := w.Network(1)
	assert.True(t, net.State.IsUp(coretest.Interface(t, net.Spec, "r:lan.77")))
}

// The only port of a host is the same, whatever two plans call it.
func TestTheOnlyPortOfAHost(t *testing.T) {
	renamed := strings.NewReplacer("interfaces: {e: {segment: ops", "interfaces: {port: {segment: ops", "op:e", "op:port").Replace(shed)
	assert.Empty(t, from(t, shed, renamed, nil).Steps)
}
