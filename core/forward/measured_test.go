package forward_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/prefix"
)

// measured reads hops like '10.0.0.1', '10.0.0.1 3/1' and ” for nobody: a hop a word
// list, answers with a comma between.
func measured(hops ...string) []forward.MeasuredHop {
	codes := map[string]forward.ICMP{"": {Type: 11}, "reply": {}, "port": {Type: 3, Code: 3}, "none": {Type: 3, Code: 1}, "route": {Type: 3},
		"refused": {Type: 3, Code: 13}, "source": {Type: 3, Code: 5}}
	var all []forward.MeasuredHop
	for i, h := range hops {
		m := forward.MeasuredHop{TTL: i + 1}
		for _, a := range strings.Split(h, ", ") {
			if a != "" {
				from, code, _ := strings.Cut(a, " ")
				m.Answers = append(m.Answers, forward.MeasuredAnswer{From: netip.MustParseAddr(from), ICMP: codes[code]})
			}
		}
		all = append(all, m)
	}
	return all
}

// What a real trace tells beside the predicted one, from west by a, b and c to east.
func TestWhatAMeasuredTraceTells(t *testing.T) {
	good := row("default: b", "left: a, right: c", "default: b")
	tests := []struct {
		about, plan, to string
		hops            []string
		differs         string
		suspects        string
		remarks         []string
	}{
		{"as predicted", good, "10.2.0.10", []string{"10.1.0.1", "10.0.0.2", "10.0.0.6", "10.2.0.10 reply"}, "", "", nil},
		{"a port that nobody listens on is there all the same", good, "10.2.0.10",
			[]string{"10.1.0.1", "10.0.0.2", "10.0.0.6", "10.2.0.10 port"}, "", "", nil},
		{"to itself", good, "10.1.0.10", []string{"10.1.0.10 reply"}, "", "", nil},
		{"somebody in between says nothing", good, "10.2.0.10", []string{"10.1.0.1", "", "10.0.0.6", "10.2.0.10 reply"}, "", "",
			[]string{"hop 2, b, says nothing, but lets the probes by"}},
		{"from another address", good, "10.2.0.10", []string{"10.1.0.1", "10.0.0.5", "10.0.0.6", "10.2.0.10 reply"}, "", "",
			[]string{"hop 2, b, answers from 10.0.0.5, another of its addresses than predicted"}},
		{"the last is not there", good, "10.2.0.10", []string{"10.1.0.1", "10.0.0.2", "10.0.0.6", "10.0.0.6 none"},
			"c says 'host unreachable', and by the plan hop 4 is east: nobody answers it on the link, so look at east, its address and the cable",
			"interfaces east", nil},
		{"one has no route", good, "10.2.0.10", []string{"10.1.0.1", "10.0.0.2 route"}, "b says 'network unreachable': it has no route there",
			"routes b", nil},
		{"one refuses", good, "10.2.0.10", []string{"10.1.0.1 refused"}, "a says 'administratively prohibited': it does not let the probe pass",
			"permits a", nil},
		{"one says something else", good, "10.2.0.10", []string{"192.0.2.7 source"},
			"192.0.2.7 (nobody of the plan) says 'unreachable', and by the plan hop 1 is a: the fault is there or beyond it", "routes", nil},
		{"a loop", good, "10.2.0.10", []string{"10.1.0.1", "10.0.0.2", "10.0.0.1", "10.0.0.2"},
			"hop 3 is a, and by the plan it is c: b and a pass it round; look at the routes of b", "routes b", nil},
		{"a stranger", good, "10.2.0.10", []string{"10.1.0.1", "192.0.2.7", "", ""},
			"hop 2 is 192.0.2.7 (nobody of the plan), and by the plan it is b: look at the routes of a", "routes a", nil},
		{"nobody any more", good, "10.2.0.10", []string{"10.1.0.1", "", ""},
			"nothing comes back from hop 2 on, which is b by the plan: look at the routes of a, at b, and at the return path from there",
			"routes a b", nil},
		{"nobody at all", good, "10.2.0.10",
			[]string{"", ""}, "nothing comes back from hop 1 on, which is a by the plan: look at the routes of west, at a, and at the return " +
				"path from there", "routes west a", nil},
		{"one hop too many", good, "10.2.0.10", []string{"10.1.0.1", "10.0.0.2", "10.0.0.6", "10.2.0.10", "10.2.0.10 reply"},
			"hop 4, east, says 'time exceeded', and by the plan it says 'reply'", "routes east", nil},
		{"a silent end that is passed", row("default: b", "left: a, right: {discard: true}", "default: b"), "10.2.0.10",
			[]string{"10.1.0.1", "10.0.0.2"},
			"hop 2, b, says 'time exceeded', and by the plan it drops the packet silently", "routes b", nil},
		{"what should be lost comes back", row("default: b", "right: c", "right: b, left: b"), "10.2.0.10",
			[]string{"10.1.0.1", "10.0.0.2", "", ""}, "the answer of hop 2, b, comes back, and by the plan it does not", "routes b", nil},
		{"what should be lost is", row("default: b", "right: c", "right: b, left: b"), "10.2.0.10", []string{"10.1.0.1", "", "", ""}, "", "",
			nil},
		{"a loop that was predicted", row("default: b", "default: a", "default: b"), "10.2.0.10",
			[]string{"10.1.0.1", "10.0.0.2", "10.0.0.1", "10.0.0.2", "10.0.0.1"}, "", "", nil},
		{"no end where one was predicted", row("default: b", "left: a", "default: b"), "10.2.0.10",
			[]string{"10.1.0.1", "10.0.0.2 route",
				"10.0.0.6"}, "hop 3 is c, and by the plan there is none: look at the routes of b", "routes b", nil},
	}
	for _, tt := range tests {
		net := coretest.Network(t, tt.plan)
		spec := net.Spec
		got := forward.Follow(net, pinged(t, net, "west", tt.to)).Tell(net, measured(tt.hops...))
		assert.Equal(t, tt.differs, got.Differs.Words(net, prefix.IPv4), tt.about)
		var remarks []string
		for _, r := range got.Remarks {
			remarks = append(remarks, r.Words(net))
		}
		assert.Equal(t, tt.remarks, remarks, tt.about)
		suspects := ""
		if tt.differs != "" {
			suspects = got.LookAt.String()
			for _, d := range got.Suspects {
				suspects += " " + spec.Devices[d].Name
			}
		}
		assert.Equal(t, tt.suspects, suspects, tt.about)
	}
}

// Beyond the plan it knows only whether the target answers.
func TestWhatATraceBeyondThePlanTells(t *testing.T) {
	net := coretest.Network(t, `
segments: {in: {prefix: 10.1.0.0/24}, up: {prefix: 198.51.100.0/30}}
devices:
  pc: {is: host, interfaces: {e: {segment: in, address: 10}}}
  r: {is: router, interfaces: {i: {segment: in, address: first}, u: {segment: up, address: first}}, routes: {default: sea}}
  sea: {is: world, interfaces: {u: {segment: up, address: 2}}, beyond: [203.0.113.0/24], routes: {in: r}}
`)
	tell := func(hops ...string) string {
		return forward.Follow(net, pinged(t, net, "pc", "203.0.113.9")).Tell(net, measured(hops...)).Differs.Words(net, prefix.IPv4)
	}
	assert.Empty(t, tell("10.1.0.1", "198.51.100.2", "192.0.2.1", "", "203.0.113.9 reply"))
	assert.Equal(t, "the packet leaves the plan at hop 2 as it should, and 203.0.113.9 does not answer",
		tell("10.1.0.1", "198.51.100.2", "", ""))
	assert.Contains(t, tell("10.1.0.1", "", ""), "nothing comes back from hop 2 on")
}

// Two sites with the world between them: what is beyond it is not judged hop by hop.
func TestWhatATraceThroughTheWorldTells(t *testing.T) {
	net := coretest.Network(t, `
segments: {in: {prefix: 10.1.0.0/24}, up: {prefix: 198.51.100.0/30}, down: {prefix: 198.51.100.4/30}, far: {prefix: 10.2.0.0/24}}
devices:
  pc: {is: host, gateway: r, interfaces: {e: {segment: in, address: 10}}}
  r: {is: router, interfaces: {i: {segment: in, address: first}, u: {segment: up, address: first}}, routes: {default: sea}}
  sea: {is: world, interfaces: {u: {segment: up, address: 2}, d: {segment: down, address: first}}, beyond: [203.0.113.0/24], routes: {in: r, far: s}}
  s: {is: router, interfaces: {u: {segment: down, address: 2}, i: {segment: far, address: first}}, routes: {default: sea}}
  cam: {is: host, gateway: s, interfaces: {e: {segment: far, address: 10}}}
`)
	tell := func(hops ...string) string {
		return forward.Follow(net, pinged(t, net, "pc", "10.2.0.10")).Tell(net, measured(hops...)).Differs.Words(net, prefix.IPv4)
	}
	assert.Empty(t, tell("10.1.0.1", "198.51.100.2", "192.0.2.1", "192.0.2.2", "198.51.100.6", "10.2.0.10 reply"))
	assert.Equal(t, "the packet leaves the plan at hop 2 as it should, and 10.2.0.10 does not answer",
		tell("10.1.0.1", "198.51.100.2", "192.0.2.1", "", ""))
}

func TestWhatAPingWithoutAReplyTells(t *testing.T) {
	net := coretest.Network(t, row("default: b", "left: a, right: c", "default: b"))
	x := pinged(t, net, "west", "10.2.0.10")
	tell := func(from string) string {
		a, _ := netip.ParseAddr(from)
		return x.TellUnanswered(net, a).Words(net)
	}
	assert.Contains(t, tell(""), "nothing came back")
	assert.Equal(t, "the answer came from hop 2, b: the fault is there or beyond it", tell("10.0.0.5"), "by any of its addresses")
	assert.Equal(t, "the answer came from 192.0.2.7, which is not on the path by the plan", tell("192.0.2.7"))
}
