package view

import (
	"bytes"
	"net/netip"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
)

func answeredBy(ttl int, from string, what forward.ICMP) forward.MeasuredHop {
	h := forward.MeasuredHop{TTL: ttl}
	if from != "" {
		h.Answers = []forward.MeasuredAnswer{{From: netip.MustParseAddr(from), ICMP: what, Millis: 1.234}}
	}
	return h
}

var passing = forward.ICMP{Type: 11}

func lines(v *LiveTraces, width int) []string {
	var b bytes.Buffer
	v.Text(&b, width)
	plain := regexp.MustCompile("\x1b\\[[0-9;]*m").ReplaceAllString(b.String(), "")
	return strings.Split(strings.TrimRight(plain, "\n"), "\n")
}

// Without a plan there is only what was measured; TTLs that nobody answers are one row.
func TestATraceWithoutAPlan(t *testing.T) {
	v := &LiveTraces{Probes: "udp"}
	v.Add(nil, "192.0.2.9", LiveTraced{Address: "192.0.2.9", Hops: []forward.MeasuredHop{
		answeredBy(1, "10.0.0.1", passing), answeredBy(2, "", passing), answeredBy(3, "", passing), answeredBy(4, "10.0.0.9",
			passing), answeredBy(5, "", passing)}})
	got := lines(v, 80)
	assert.Equal(t, []string{
		"192.0.2.9 is not reached: the last heard is hop 4, 10.0.0.9 · measured live with UDP", "", "192.0.2.9",
		"  hop  answers from    ms  answer",
		"    1  10.0.0.1      1.23  time exceeded",
		"  2–3                      none",
		"    4  10.0.0.9      1.23  time exceeded",
		"    5                      none",
	}, got)
	assert.Len(t, v.Table().Rows, 5, "for programs each TTL is a row")

	nobody := &LiveTraces{Probes: "icmp"}
	nobody.Add(nil, "192.0.2.9", LiveTraced{Address: "192.0.2.9", Problem: "this machine cannot send it: network is unreachable"})
	assert.Equal(t, "192.0.2.9 is not reached: nobody is heard · measured live with ICMP", nobody.Headline())
	assert.Contains(t, strings.Join(lines(nobody, 80), "\n"), "cannot send it")
}

// Beside a plan each hop has its prediction, and the command to type next is about who is
// suspected.
func TestATraceBesideThePlan(t *testing.T) {
	net := coretest.Network(t, `
segments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}}
devices:
  pc: {is: host, gateway: r, interfaces: {e: {segment: a, address: 10}}}
  r: {is: router, interfaces: {p: {segment: a, address: first}, q: {segment: b, address: first}}}
  cam: {is: host, gateway: r, interfaces: {e: {segment: b, address: 10}}}
`)
	spec := net.Spec
	far := netip.MustParseAddr("10.2.0.10")
	predicted := forward.Follow(net, forward.Ping(net, coretest.Device(t, spec, "pc"), netip.Addr{}, far, model.None))
	v := &LiveTraces{From: "pc", Probes: "icmp"}
	reply := forward.ICMP{}
	v.Add(net, "cam", LiveTraced{Address: far.String(), Reached: true, Predicted: predicted,
		Hops: []forward.MeasuredHop{answeredBy(1, "10.1.0.1", passing), answeredBy(2, "10.2.0.10", reply)}})
	assert.Equal(t, "cam is reached in 2 hops, as predicted · measured live with ICMP", v.Headline())
	assert.Equal(t, []string{"cam"}, v.Traces[0].Hops[1].Predicted)
	assert.Equal(t, "works", v.Traces[0].Predicted)

	v.Add(net, "cam", LiveTraced{Address: far.String(), Predicted: predicted,
		Hops: []forward.MeasuredHop{answeredBy(1, "10.1.0.1", forward.ICMP{Type: 3, Code: 13})}})
	assert.Equal(t, "1 of 2 reached, 1 not as predicted · measured live with ICMP", v.Headline())
	assert.Equal(t, "show permits r", v.Next)
	assert.Len(t, v.Traces[1].Hops, 2, "what was predicted beyond is shown too")
	text := strings.Join(lines(v, 120), "\n")
	assert.Contains(t, text, "not as predicted: r says 'administratively prohibited': it does not let the probe pass")
	assert.Contains(t, text, "next    show permits r")

	v.Stopped = true
	assert.Contains(t, v.Headline(), "stopped before all was done")
	own := &LiveTraces{From: "pc"}
	own.Add(net, "cam", LiveTraced{Address: far.String(), Predicted: predicted,
		Problem: "this machine cannot send it: network is unreachable"})
	assert.Equal(t, "this machine cannot send it: network is unreachable", own.Traces[0].Differs)
	assert.Equal(t, "show routes pc", own.Next)
}
