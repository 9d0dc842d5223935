package revise_test

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/revise"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
)

// harbour is sound: two routers, a switch with a trunk to each, a firewall's permits, a carrier behind translation.
const harbour = `ropeswing: 1
plan: harbour
operator: desk
must:
  - shed reaches 192.0.2.7
  - loft reaches shed
  - shed reaches loft
blocks: {all: {prefix: 10.0.0.0/8}, carriers: {prefix: 198.51.100.0/24}}
segments:
  shed: {vlan: 10, prefix: 10.1.0.0/24}
  loft: {vlan: 20, prefix: 10.2.0.0/24}
  link: {prefix: 10.9.0.0/30}
  up: {prefix: 198.51.100.0/30}
devices:
  east:
    is: router
    loopback: 10.254.0.1
    interfaces:
      e0: {}
      e0.10: {segment: shed, address: 10.1.0.1/24}
      l: {segment: link, address: 10.9.0.1/30}
      wan: {segment: up, address: 198.51.100.2/30}
    translates:
      - all shares wan
    routes:
      10.2.0.0/24: 10.9.0.2
      10.254.0.2/32: 10.9.0.2
      default: 198.51.100.1
  west:
    is: router
    loopback: 10.254.0.2
    interfaces:
      e0: {}
      e0.20: {segment: loft, address: 10.2.0.1/24}
      l: {segment: link, address: 10.9.0.2/30}
    keeps-state: true
    otherwise: drop
    permits:
      - shed may reach anyone
      - loft may reach anyone
    routes:
      10.1.0.0/24: 10.9.0.1
      default: 10.9.0.1
  s1:
    is: switch
    gateway: 10.1.0.1
    interfaces:
      up: {tagged: [shed, 999]}
      x: {tagged: [shed, 999]}
      mgmt: {vlan: shed, address: 10.1.0.20/24}
      p1: {access: shed}
  s3:
    is: switch
    gateway: 10.1.0.1
    interfaces:
      x: {tagged: [shed, 999]}
      mgmt: {vlan: shed, address: 10.1.0.21/24}
      p1: {access: shed}
  s2:
    is: switch
    gateway: 10.2.0.1
    interfaces:
      up: {tagged: [loft, 999]}
      mgmt: {vlan: loft, address: 10.2.0.20/24}
      p1: {access: loft}
  desk: {is: host, gateway: 10.1.0.1, interfaces: {e: {segment: shed, address: 10.1.0.100/24}}}
  lamp: {is: host, gateway: 10.1.0.1, interfaces: {e: {segment: shed, address: 10.1.0.101/24}}}
  bell: {is: host, gateway: 10.2.0.1, interfaces: {e: {segment: loft, address: 10.2.0.100/24}}}
  isp: {is: world, beyond: 192.0.2.0/24, interfaces: {e: {segment: up, address: 198.51.100.1/30}}}
cables:
  - desk:e to s1:p1
  - lamp:e to s3:p1
  - bell:e to s2:p1
  - east:e0 to s1:up
  - west:e0 to s2:up
  - s1:x to s3:x
  - east:l to west:l
  - east:wan to isp:e
`

// typedIn is a text with the edits of the first remedy that check says, worst first.
func typedIn(t *testing.T, text string) (string, finding.Finding) {
	t.Helper()
	n := workspace.FromText("p", []byte(text))
	require.True(t, n.Usable(), "%v", n.Slips())
	w := n.Predict()
	all := slices.DeleteFunc(w.Check(), func(f finding.Finding) bool { return f.Severity() < finding.Warning || f.Fix == nil })
	slices.SortStableFunc(all, func(a, b finding.Finding) int { return int(b.Severity()) - int(a.Severity()) })
	require.NotEmpty(t, all)
	var edits []plan.Edit
	for _, a := range revise.FixesOf(w, all)(all[0]) {
		require.True(t, a.InPlan, a.Text)
		edits = append(edits, a.Edit)
	}
	return string(plan.Apply(w.Document.File, edits...)), all[0]
}

// One word is wrong, and the first remedy of check, typed in, gives the text as it was.
func TestTheFirstRemedyUndoesTheSlip(t *testing.T) {
	require.Empty(t, slices.DeleteFunc(workspace.FromText("p", []byte(harbour)).Predict().Check(),
		func(f finding.Finding) bool { return f.Severity() < finding.Warning }))
	for _, tt := range []struct{ about, was, slip string }{
		{"a next hop of one's own", "10.2.0.0/24: 10.9.0.2", "10.2.0.0/24: 10.9.0.1"},
		{"a next hop nobody has", "10.1.0.0/24: 10.9.0.1", "10.1.0.0/24: 10.9.0.3"},
		{"a next hop in another subnet", "10.1.0.0/24: 10.9.0.1", "10.1.0.0/24: 10.90.0.1"},
		{"a destination one off", "10.2.0.0/24: 10.9.0.2", "10.20.0.0/24: 10.9.0.2"},
		{"a mask too long", "10.2.0.0/24: 10.9.0.2", "10.2.0.0/28: 10.9.0.2"},
		{"out of another port", "10.2.0.0/24: 10.9.0.2", "10.2.0.0/24: {out: wan}"},
		{"a default that faces the other", "default: 198.51.100.1", "default: 10.9.0.2"},
		{"a link's broadcast address", "address: 10.9.0.2/30", "address: 10.9.0.3/30"},
		{"a gateway that is the switch", "desk: {is: host, gateway: 10.1.0.1", "desk: {is: host, gateway: 10.1.0.20"},
		{"the router's address", "address: 10.2.0.1/24", "address: 10.2.0.11/24"},
		{"a host's mask", "address: 10.2.0.100/24", "address: 10.2.0.100/16"},
		{"an access port in the wrong VLAN", "p1: {access: loft}", "p1: {access: 777}"},
		{"a trunk with another VLAN", "up: {tagged: [loft, 999]}", "up: {tagged: [778, 999]}"},
		{"a VLAN interface in the wrong VLAN", "mgmt: {vlan: loft", "mgmt: {vlan: shed"},
		{"translation for the wrong port", "all shares wan", "all shares l"},
		{"a jumbo frame's MTU", "address: 10.9.0.2/30}", "address: 10.9.0.2/30, mtu: 9000}"},
	} {
		t.Run(tt.about, func(t *testing.T) {
			text := strings.Replace(harbour, tt.was, tt.slip, 1)
			require.NotEqual(t, harbour, text)
			got, f := typedIn(t, text)
			want := strings.Replace(harbour,
				"10.9.0.2/30}", map[bool]string{true: "10.9.0.2/30, mtu: 1500}", false: "10.9.0.2/30}"}[strings.Contains(tt.slip, "mtu")], 1)
			assert.Equal(t, want, got, "%s (%s)", f.Remedy, f.Name)
		})
	}
}

// Whole lines come and go, and keys change their name.
func TestRemediesOfWholeLines(t *testing.T) {
	for _, tt := range []struct{ about, was, slip, want string }{
		{"a permit that drops before", "      - shed may reach anyone\n", "      - shed may not reach anyone\n      - shed may reach anyone\n",
			harbour},
		{"a permit for one service", "- loft may reach anyone\n", "- loft may reach anyone over tcp\n", harbour},
		{"a permit for one LAN left out", "      - loft may reach anyone\n", "",
			strings.Replace(harbour, "      - shed may reach anyone\n      - loft may reach anyone\n",
				"      - loft may reach anyone\n      - shed may reach anyone\n", 1)},
		{"access in place of a trunk", "up: {tagged: [loft, 999]}", "up: {access: loft}",
			strings.Replace(harbour, "up: {tagged: [loft, 999]}", "up: {tagged: [loft]}", 1)},
		{"a cable left out", "  - s1:x to s3:x\n", "", strings.Replace(harbour, "  - s1:x to s3:x\n", "", 1) + "  - s1:x to s3:x\n"},
		{"translation left out", "    translates:\n      - all shares wan\n", "", ""},
	} {
		t.Run(tt.about, func(t *testing.T) {
			text := strings.Replace(harbour, tt.was, tt.slip, 1)
			require.NotEqual(t, harbour, text)
			got, f := typedIn(t, text)
			if tt.want != "" {
				assert.Equal(t, tt.want, got, "%s (%s)", f.Remedy, f.Name)
			}
			left := slices.DeleteFunc(workspace.FromText("p", []byte(got)).Predict().Check(),
				func(f finding.Finding) bool { return f.Severity() < finding.Error })
			assert.Empty(t, left, got)
		})
	}
}

// What follows from a slip is told behind it, with no remedy of its own; what mends the most comes first.
func TestWhatFollowsIsToldBehindItsCause(t *testing.T) {
	text := strings.Replace(strings.Replace(harbour, "10.2.0.0/24: 10.9.0.2", "10.2.0.0/24: 10.9.0.1", 1),
		"lamp: {is: host, gateway: 10.1.0.1", "lamp: {is: host, gateway: 10.1.0.9", 1)
	all := workspace.FromText("p", []byte(text)).Predict().Check()
	require.Greater(t, len(all), 3)
	assert.Equal(t, finding.NextHopOneself, all[0].Name)
	assert.Greater(t, all[0].Mends, 3)
	assert.Equal(t, all[0].Place, all[1].Because)
	assert.Empty(t, all[1].Remedy)
	n := slices.IndexFunc(all, func(f finding.Finding) bool { return f.Name == finding.GatewayUnheld })
	require.Positive(t, n)
	assert.Less(t, all[n].Mends, all[0].Mends)
	assert.Equal(t, all[0].Mends+all[n].Mends, all[0].Of, "together they mend all")
	assert.Equal(t, "give lamp the gateway 10.1.0.1 (east) instead of 10.1.0.9", all[n].Remedy)
}

// Two slips on one way: neither helps without the other, and both are said together.
func TestTwoSlipsOnOneWay(t *testing.T) {
	text := strings.Replace(strings.Replace(harbour, "p1: {access: loft}", "p1: {access: 777}", 1), "bell: {is: host, gateway: 10.2.0.1",
		"bell: {is: host, gateway: 10.2.0.7", 1)
	got, _ := typedIn(t, text)
	for range 2 {
		if got == harbour {
			break
		}
		got, _ = typedIn(t, got)
	}
	assert.Equal(t, harbour, got)
}

// What a requirement forbids is not opened by a remedy, however many pairs it would mend.
func TestNoRemedyOpensWhatMustStayClosed(t *testing.T) {
	text := strings.Replace(harbour, "  - shed reaches loft\n", "  - shed reaches loft\n  - lamp does not reach bell\n", 1)
	text = strings.Replace(text, "      - shed may reach anyone\n", "      - shed may not reach anyone\n      - shed may reach anyone\n", 1)
	for _, f := range workspace.FromText("p", []byte(text)).Predict().Check() {
		assert.False(t, f.Mends > 0 && strings.Contains(f.Remedy, "take permit 1 of west away"), "%s: %s", f.Name, f.Remedy)
	}
}

// In a large network only some pairs are asked, and what is lost besides: a slip is found all the same, and nothing is where all is well.
func TestASlipInALargeNetwork(t *testing.T) {
	var segments, devices, routes strings.Builder
	for i := range 80 {
		fmt.Fprintf(&segments, "  lan%d: {prefix: 10.1.%d.0/24}\n  w%d: {prefix: 10.9.%d.0/30}\n", i, i, i, i)
		fmt.Fprintf(&routes, "      10.1.%d.0/24: 10.9.%d.2\n", i, i)
		fmt.Fprintf(&devices, "  r%d: {is: router, interfaces: {l: {segment: lan%d, address: 1}, w: {segment: w%d, address: 2}}, routes: "+
			"{default: 10.9.%d.1}}\n", i, i, i, i)
	}
	var ports strings.Builder
	for i := range 80 {
		fmt.Fprintf(&ports, "      w%d: {segment: w%d, address: 1}\n", i, i)
	}
	text := "ropeswing: 1\nplan: hub\nsegments:\n" + segments.String() + "devices:\n" + devices.String() +
		"  hub:\n    is: router\n    interfaces:\n" + ports.String() + "    routes:\n" + routes.String()
	wrong := func(text string) []finding.Finding {
		return slices.DeleteFunc(workspace.FromText("p", []byte(text)).Predict().Check(),
			func(f finding.Finding) bool { return f.Severity() < finding.Error })
	}
	assert.Empty(t, wrong(text))
	found := wrong(strings.Replace(text, "10.1.41.0/24: 10.9.41.2", "10.1.41.0/24: 10.9.41.3", 1))
	require.NotEmpty(t, found)
	assert.Equal(t, "on hub send 10.1.41.0/24 via 10.9.41.2 (r41) instead of 10.9.41.3", found[0].Remedy)
	assert.True(t, found[0].Some)
	assert.Equal(t, found[0].Of, found[0].Mends)
}

// What does not do as text what was said of it is told in words only.
func TestEditsThatDoNotDoAsSaidAreLeftOut(t *testing.T) {
	text := strings.Replace(harbour, "10.2.0.0/24: 10.9.0.2", "10.2.0.0/24: 10.9.0.1", 1)
	w := workspace.FromText("p", []byte(text)).Predict()
	all := w.Check()
	require.Positive(t, all[0].Mends)
	assert.True(t, revise.FixesOf(w, all)(all[0])[0].InPlan)
	fix := all[0].Fix.([]verify.Applied)
	change := fix[0].Change.(model.SetNextHop)
	change.Via = netip.MustParseAddr("198.51.100.1")
	all[0].Fix = []verify.Applied{{Change: change, Before: fix[0].Before}}
	assert.False(t, revise.FixesOf(w, all)(all[0])[0].InPlan)
}
