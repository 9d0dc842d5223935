package main

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// ring is two routers with two links between them and a host at either end;
// what stands for A and B are their routes.
func ring(a, b string) string {
	return `ropeswing: 1
operator: west
segments:
  left:  {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}
  one:   {prefix: [10.0.0.0/31, "2001:db8:a::/127"]}
  two:   {prefix: [10.0.0.2/31, "2001:db8:b::/127"]}
  right: {prefix: [10.2.0.0/24, "2001:db8:2::/64"]}
devices:
  a: {is: router, interfaces: {l: {segment: left, address: 1}, p: {segment: one, address: first}, q: {segment: two, address: first}}, routes: {` + a + `}}
  b: {is: router, interfaces: {l: {segment: right, address: 1}, p: {segment: one, address: last}, q: {segment: two, address: last}}, routes: {` + b + `}}
  west: {is: host, interfaces: {port: {segment: left, address: 10}}}
  east: {is: host, interfaces: {port: {segment: right, address: 10}}}
cables: [cable-one: a:p to b:p, cable-two: a:q to b:q]
`
}

const (
	toRight  = "10.2.0.0/24: 10.0.0.1, '2001:db8:2::/64': '2001:db8:a::1'"
	toLeft   = "10.1.0.0/24: 10.0.0.0, '2001:db8:1::/64': '2001:db8:a::'"
	toRight4 = "10.2.0.0/24: 10.0.0.1"
)

// The verdict is the first line, whatever it is.
func TestVerdicts(t *testing.T) {
	t.Parallel()
	tests := []struct {
		about, plan, args, headline, verdict string
		code                                 int
	}{
		{"both families", ring(toRight, toLeft), "ping east", "west reaches east in IPv4 and IPv6", "works", 0},
		{"neither", ring("10.9.0.0/16: {discard: true}", toLeft), "ping east", "west does not reach east in IPv4 or IPv6", "fails", 1},
		{"one family only", ring(toRight4, toLeft), "ping east", "west reaches east in IPv4, not in IPv6", "works in one family only", 1},
		{"that family asked for", ring(toRight4, toLeft), "ping east -4", "west reaches east in IPv4", "works", 0},
		{"the other asked for", ring(toRight4, toLeft), "ping east -6", "west does not reach east in IPv6", "fails", 1},
		{"equal cost, one of two paths broken", ring("10.2.0.0/24: [{next-hop: 10.0.0.1}, {next-hop: 10.1.0.77, distance: 1}]", toLeft),
			"ping east -4", "west reaches east in IPv4 by some paths only (it depends on the flow)", "depends on the flow", 1},
		{"without the cable in use", ring(toRight, toLeft), "ping east -4 --without cable-one",
			"west does not reach east in IPv4 without cable-one", "fails", 1},
		{"a floating route takes over", ring("10.2.0.0/24: [10.0.0.1, 10.0.0.3]", "10.1.0.0/24: [10.0.0.0, 10.0.0.2]"),
			"ping east -4 --without cable-one", "west reaches east in IPv4 without cable-one", "works", 0},
		{"from an address", ring(toRight, toLeft), "ping 10.1.0.10 10.2.0.10", "10.1.0.10 reaches 10.2.0.10 in IPv4", "works", 0},
	}
	for _, tt := range tests {
		dir := t.TempDir()
		write(t, dir, "r.plan.yaml", tt.plan)
		r := run(t, dir, strings.Fields(tt.args)...)
		assert.Equal(t, tt.code, r.Code, "%s: %s", tt.about, r.Out+r.Err)
		assert.Equal(t, tt.headline+" · predicted from the plan", first(r.Out), tt.about)
		assert.Equal(t, tt.verdict+"\n", run(t, dir, append(strings.Fields(tt.args), "--only", "verdict")...).Out, tt.about)
	}
}

// A cable that hides its faults keeps the port up, and the floating route
// behind it does not float: the classic trap.
func TestAHiddenFaultKeepsTheFloatingRouteDown(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	plan := ring("10.2.0.0/24: [10.0.0.1, 10.0.0.3]", "10.1.0.0/24: [10.0.0.0, 10.0.0.2]")
	write(t, dir, "r.plan.yaml", strings.Replace(plan, "cable-one: a:p to b:p", "cable-one: {between: 'a:p to b:p', fault: hidden}", 1))
	assert.Equal(t, 0, run(t, dir, "ping", "east", "-4").Code)
	r := run(t, dir, "ping", "east", "-4", "--without", "cable-one")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, r.Out, "10.0.0.1")
	assert.Contains(t, r.Out, "nobody answers")
	states := run(t, dir, "show", "routes", "a", "-4", "--without", "cable-one", "-o", "json").Out
	var routes []struct {
		To, State string
		NextHop   string `json:"next_hop"`
	}
	require.NoError(t, json.Unmarshal([]byte(states), &routes))
	got := map[string]string{}
	for _, x := range routes {
		if x.To == "10.2.0.0/24" {
			got[x.NextHop] = x.State
		}
	}
	assert.Equal(t, map[string]string{"10.0.0.1": "in use", "10.0.0.3": "standby"}, got)
}

func TestWhenBothFamiliesFailDifferentlyBothAreTold(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "r.plan.yaml", ring("10.2.0.0/24: 10.0.0.1", "10.9.0.0/16: {discard: true}, '2001:db8:1::/64': '2001:db8:a::'"))
	out := strings.Join(strings.Fields(run(t, dir, "ping", "east").Out), " ")
	assert.Contains(t, out, "why IPv4, on the return path, b has no route to 10.1.0.10 (no-route)")
	assert.Contains(t, out, "why IPv6, on the forward path, a has no route to 2001:db8:2::a (no-route)")
	assert.Equal(t, 2, strings.Count(out, "(tried: it works)"))
}

func TestTraceInJSON(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "r.plan.yaml", ring(toRight, toLeft))
	var v struct {
		Verdict  string
		Families []struct {
			Hops []struct {
				TTL                               int
				Address, Device, In, Answer, ICMP string
			}
			Forward struct{ Nodes, Edges []json.RawMessage }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, dir, "trace", "east", "-o", "json").Out), &v))
	assert.Equal(t, "works", v.Verdict)
	require.Len(t, v.Families, 2)
	assert.Equal(t, []string{"11/0", "11/0", "0/0"},
		[]string{v.Families[0].Hops[0].ICMP, v.Families[0].Hops[1].ICMP, v.Families[0].Hops[2].ICMP}, "ICMP's types and codes")
	assert.Equal(t, []string{"3/0", "3/0", "129/0"},
		[]string{v.Families[1].Hops[0].ICMP, v.Families[1].Hops[1].ICMP, v.Families[1].Hops[2].ICMP}, "ICMPv6's")
	assert.Len(t, v.Families[0].Forward.Nodes, 4)
	assert.Len(t, v.Families[0].Forward.Edges, 3)
}

func TestExplainShowsWhatAnExpertLooksAt(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "r.plan.yaml", ring("default: 10.0.0.3, "+toRight, toLeft))
	out := run(t, dir, "ping", "east", "-4", "--explain").Out
	assert.Contains(t, out, "    10.2.0.0/24 static via 10.0.0.1: decides\n    0.0.0.0/0 static via 10.0.0.3: a longer match decides\n    "+
		"asks by ARP on p for 10.0.0.1: b:p answers\n")
}
