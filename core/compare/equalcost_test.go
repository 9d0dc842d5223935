package compare_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/observed"
)

// Next hops that are found in use alike are equal cost: that is as planned with equal distances, and another thing where some of them
// were to stand by; and so the other way round. A draft of them keeps them alike.
func TestEqualCostStaysEqualCost(t *testing.T) {
	yes := true
	found := func(metrics ...int) *observed.Device {
		d := &observed.Device{Name: "box", Known: []observed.Part{observed.Routes4}}
		for n, m := range metrics {
			r := observed.Route{To: netip.MustParsePrefix("10.9.0.0/16"), NextHop: netip.MustParseAddr(fmt.Sprintf("10.1.0.%d", n+2)), Source: "static",
				Active: &yes}
			if m > 0 {
				r.Metric = &m
			}
			d.Routes = append(d.Routes, r)
		}
		return d
	}
	for _, x := range []struct {
		planned []int // distances
		metrics []int
		want    []string
	}{
		{[]int{1, 1, 1}, []int{0, 0, 0}, nil},
		{[]int{1, 1, 1}, []int{5, 5, 5}, nil},
		{[]int{1, 11, 21}, []int{0, 0, 0}, []string{"distance 11 → 1", "distance 21 → 1"}},
		{[]int{1, 1, 11}, []int{5, 5, 5}, []string{"distance 11 → 1"}},
		{[]int{1, 11, 21}, []int{5, 10, 15}, nil},
		{[]int{1, 1}, []int{5, 10}, []string{"order 10.1.0.2 and 10.1.0.3 alike → 10.1.0.2 before 10.1.0.3"}},
		{[]int{1, 1}, []int{10, 5}, []string{"order 10.1.0.2 and 10.1.0.3 alike → 10.1.0.3 before 10.1.0.2"}},
	} {
		hops := ""
		for n, d := range x.planned {
			hops += fmt.Sprintf("{next-hop: 10.1.0.%d, distance: %d}, ", n+2, d)
		}
		net := coretest.Network(t, "segments: {l: {prefix: 10.1.0.0/24}}\ndevices:\n  box: {is: router, "+
			"interfaces: {e: {segment: l, address: 1}}, routes: {10.9.0.0/16: ["+strings.TrimSuffix(hops, ", ")+"]}}\n")
		var got []string
		for _, d := range compare.Compare(net, []*observed.Device{found(x.metrics...)}).Differences {
			first, _, _ := strings.Cut(d.Planned, ", via")
			got = append(got, strings.NewReplacer("via ", "", ",", "").Replace(fmt.Sprintf("%s %s → %s", d.What, first, d.Found)))
		}
		assert.Equal(t, x.want, got, "%v against %v", x.planned, x.metrics)
	}
	drafted := compare.Draft([]*observed.Device{found(5, 5, 9)})
	assert.Contains(t, string(drafted), "10.1.0.2, distance: 1}, {next-hop: 10.1.0.3, distance: 1}, {next-hop: 10.1.0.4, distance: 11}")
	other := found(5)
	other.Routes[0].NextHop = netip.MustParseAddr("fe80::1")
	drafted = compare.Draft([]*observed.Device{other})
	assert.Contains(t, string(drafted), "# 10.9.0.0/16 goes via fe80::1, a next hop of the other family")
	assert.NotContains(t, string(drafted), "routes:")
}
