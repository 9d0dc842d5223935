package workspace_test

import (
	"fmt"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/observed"
	"ropeswing/core/prefix"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
)

// BenchmarkCompare reads what 1,000 routers were observed to say, 100,000 interfaces
// and 1,000,000 routes, and compares it with their plan, in which all of it is written
// by hand; 150 things differ.
func BenchmarkCompare(b *testing.B) {
	const routers, lans, routes = 1000, 98, 1000
	dir := b.TempDir()
	writeLarge(b, dir, routers, lans, routes)
	state := filepath.Join(dir, "state")
	w := workspace.Open(os.DirFS(dir), "large.plan.yaml", "large.plan.yaml").Predict()
	require.NotNil(b, w.Network)
	b.Run("plan", func(b *testing.B) {
		for b.Loop() {
			workspace.Open(os.DirFS(dir), "large.plan.yaml", "large.plan.yaml").Predict()
		}
	})
	b.Run("state", func(b *testing.B) {
		for b.Loop() {
			_, err := workspace.ReadState(os.DirFS(state))
			require.NoError(b, err)
		}
	})
	b.Run("mend", func(b *testing.B) { benchmarkMend(b, w.Network) })
	devices, err := workspace.ReadState(os.DirFS(state))
	require.NoError(b, err)
	b.Run("compare", func(b *testing.B) {
		for b.Loop() {
			r := w.Compare(devices)
			require.Len(b, r.Differences, 150)
		}
	})
}

// benchmarkMend looks for what mends a ping that fails for a route which one of the
// million written ones lacks, as the remedy of it is looked for.
func benchmarkMend(b *testing.B, net *forward.Network) {
	from, to := coretest.Device(b, net.Spec, "h3"), net.Spec.MainAddress(coretest.Device(b, net.Spec, "h500"), prefix.IPv4)
	root := coretest.Device(b, net.Spec, "r0")
	spec := *net.Spec
	spec.Statics = slices.DeleteFunc(slices.Clone(spec.Statics), func(s model.Static) bool { return s.Device == root && s.To.Contains(to) })
	require.Len(b, spec.Statics, len(net.Spec.Statics)-1)
	broken := forward.Resolve(network.Build(&spec).State())
	x := forward.Ping(broken, from, netip.Addr{}, to, model.None)
	require.Equal(b, forward.Fails, x.Verdict())
	b.ReportAllocs()
	for b.Loop() {
		r, ok := verify.Mend(broken, x, netip.Addr{}, model.None)
		require.True(b, ok)
		require.Len(b, r.Changes, 1)
	}
}

// writeLarge writes the plan of routers in a tree, each with LANs, with a host in the
// first, and routes to others' LANs; and a state of it, as planned but for three
// differences in every twentieth router.
func writeLarge(tb testing.TB, dir string, routers, lans, routes int) {
	require.NoError(tb, os.Mkdir(filepath.Join(dir, "state"), 0o755))
	lan := func(i, j int) netip.Prefix {
		n := i*128 + j
		return netip.PrefixFrom(netip.AddrFrom4([4]byte{10, byte(n >> 10), byte(n >> 2), byte(n & 3 << 6)}), 26)
	}
	link := func(i, host int) netip.Addr { // between i and the router above it
		return netip.AddrFrom4([4]byte{172, byte(16 + i>>14), byte(i >> 6), byte(i&63<<2 + host)})
	}
	hop := func(i, to int) netip.Addr {
		for to > i {
			if (to-1)/2 == i {
				return link(to, 2)
			}
			to = (to - 1) / 2
		}
		return link(i, 1)
	}
	var segments, devices strings.Builder
	for i := range routers {
		o := &observed.Device{Name: fmt.Sprintf("r%d", i),
			Sources: []observed.Source{{File: "made", Format: "linux", Taken: "2026-11-23T10:00:00Z"}}}
		o.Learn(observed.Interfaces, observed.Addresses4, observed.Routes4)
		fmt.Fprintf(&devices, "  h%d: {is: host, interfaces: {e: {segment: s%dx0, address: 10}}}\n  r%d:\n    is: router\n    interfaces:\n", i,
			i, i)
		port := func(name, segment, which string, p netip.Prefix) {
			fmt.Fprintf(&devices, "      %s: {segment: %s, address: %s}\n", name, segment, which)
			o.Interfaces = append(o.Interfaces,
				observed.Interface{Name: name, Admin: observed.Up, Oper: observed.Up, Addresses: []observed.Address{{Prefix: p}}})
		}
		for j := range lans {
			fmt.Fprintf(&segments, "  s%dx%d: {prefix: %s}\n", i, j, lan(i, j))
			port(fmt.Sprintf("p%d", j), fmt.Sprintf("s%dx%d", i, j), "first", netip.PrefixFrom(lan(i, j).Addr().Next(), 26))
		}
		if i > 0 {
			fmt.Fprintf(&segments, "  l%d: {prefix: %s/30}\n", i, link(i, 0))
			port("up", fmt.Sprintf("l%d", i), "2", netip.PrefixFrom(link(i, 2), 30))
		}
		for n, below := range []int{2*i + 1, 2*i + 2} {
			if below < routers {
				port(fmt.Sprintf("d%d", n), fmt.Sprintf("l%d", below), "first", netip.PrefixFrom(link(below, 1), 30))
			}
		}
		devices.WriteString("    routes:\n")
		for n := range routes { // a LAN of each other router: the first, where the host is, then another of each
			to := (i + 1 + n%(routers-1)) % routers
			p, via := lan(to, n/(routers-1)), hop(i, to)
			fmt.Fprintf(&devices, "      %s: %s\n", p, via)
			o.Routes = append(o.Routes, observed.Route{To: p, NextHop: via, Source: "static"})
		}
		if i%20 == 7 {
			o.Interfaces[1].Admin = observed.Down
			o.Interfaces[2].Addresses[0].Prefix = netip.PrefixFrom(o.Interfaces[2].Addresses[0].Addr(), 24)
			o.Routes[3].NextHop = link(i, 1).Next().Next()
		}
		require.NoError(tb, os.WriteFile(filepath.Join(dir, "state", o.Name+".json"), o.Encode(), 0o600))
	}
	plan := "ropeswing: 1\nplan: large\nsegments:\n" + segments.String() + "devices:\n" + devices.String()
	require.NoError(tb, os.WriteFile(filepath.Join(dir, "large.plan.yaml"), []byte(plan), 0o600))
}
