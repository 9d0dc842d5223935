package form_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/observed"
)

var notes = []string{"Harbour desks", "Wireless for visitors", "lan0", "Old line, keep", "to the mole", "pilot's room", "110", "up",
	"spare", "Cameras (north)", "do not touch"}

// randomPlan is a plan of five routing switches.
func randomPlan(seed uint64) string {
	r := rand.New(rand.NewPCG(seed, 37))
	pick := func(all ...string) string { return all[r.IntN(len(all))] }
	var segments, devices, cables strings.Builder
	type port struct{ name, keys string }
	const n = 5
	ports := make([][]port, n)
	for k := range n {
		a, b := k, (k+1)%n
		fmt.Fprintf(&segments, "  w%d: {point-to-point: true}\n", k)
		ports[a] = append(ports[a], port{fmt.Sprint("up", 2*k%3), fmt.Sprintf("segment: w%d", k)})
		ports[b] = append(ports[b], port{fmt.Sprint("dn", k%4), fmt.Sprintf("segment: w%d", k)})
		fmt.Fprintf(&cables, "  - sw-%d:up%d to sw-%d:dn%d\n", a, 2*k%3, b, k%4)
	}
	for i := range n {
		var names []string
		numbers := r.Perm(398)[:2+r.IntN(4)]
		slices.Sort(numbers)
		for k, v := range numbers {
			v += 2
			if slices.ContainsFunc(numbers[:k], func(o int) bool { return (o+2)%250 == v%250 }) {
				continue // its subnet would be another's
			}
			name := fmt.Sprintf("%s-%d%d", pick("staff", "guest", "voice", "door", "lamp", "watch", "manage"), i, k)
			names = append(names, name)
			prefix := fmt.Sprintf("10.%d.%d.0/%d", i, v%250, []int{24, 25, 26, 28}[r.IntN(4)])
			if r.IntN(10) < 6 {
				prefix = fmt.Sprintf(`[%s, "2001:db8:%d:%x::/64"]`, prefix, i, v)
			}
			fmt.Fprintf(&segments, "  %s: {vlan: %d, prefix: %s}\n", name, v, prefix)
			second := ""
			if r.IntN(10) < 4 {
				second = ", secondary: 9"
			}
			ports[i] = append(ports[i], port{fmt.Sprint("vl", v), fmt.Sprintf("vlan: %s, address: first%s", name, second)})
		}
		for p := 1; p <= 6+r.IntN(7); p++ {
			keys := ""
			switch x := r.IntN(100); {
			case x < 12:
			case x < 75:
				keys = "access: " + names[r.IntN(len(names))]
			default:
				some := slices.Clone(names)
				r.Shuffle(len(some), func(a, b int) { some[a], some[b] = some[b], some[a] })
				some = some[:1+r.IntN(len(some))]
				keys = "tagged: [" + strings.Join(some, ", ") + "]"
			}
			ports[i] = append(ports[i], port{fmt.Sprint("p", p), keys})
		}
		fmt.Fprintf(&devices, "  sw-%d:\n    is: switch\n    forwards: true\n    loopback: true\n    interfaces:\n", i)
		for _, p := range ports[i] {
			keys := []string{p.keys}
			if p.keys == "" {
				keys = nil
			}
			if r.IntN(100) < 35 {
				keys = append(keys, fmt.Sprintf("note: %q", notes[r.IntN(len(notes))]))
			}
			if r.IntN(100) < 18 && !strings.HasPrefix(p.name, "up") && !strings.HasPrefix(p.name, "dn") {
				keys = append(keys, "admin: down")
			}
			if r.IntN(10) < 4 {
				keys = append(keys, "mtu: "+pick("1500", "1500", "9000"))
			}
			fmt.Fprintf(&devices, "      %s: {%s}\n", p.name, strings.Join(keys, ", "))
		}
		next, before := fmt.Sprintf("sw-%d", (i+1)%n), fmt.Sprintf("sw-%d", (i+n-1)%n)
		devices.WriteString("    routes:\n")
		if r.IntN(10) < 6 {
			fmt.Fprintf(&devices, "      default: [%s, %s]\n", next, before)
		} else {
			fmt.Fprintf(&devices, "      default: %s\n", next)
		}
		for q := range 1 + r.IntN(4) {
			fmt.Fprintf(&devices, "      10.%d.%d.0/%s: %s\n", 50+r.IntN(150), q, pick("24", "26"),
				pick(next, before, fmt.Sprintf("{next-hop: %s, distance: %d}", next, []int{10, 20, numbers[0]%250 + 2}[r.IntN(3)]),
					"{discard: true}"))
		}
		if r.IntN(10) < 6 {
			fmt.Fprintf(&devices, "      10.%d.0.0/16: {discard: true}\n", i)
		}
		if r.IntN(10) < 7 {
			fmt.Fprintf(&devices, "      \"2001:db8:%d::/48\": %s\n", 60+i, pick(next, before, "{discard: true}"))
		}
	}
	return "plan: try\nblocks:\n  home: [10.250.0.0/16, \"2001:db8:ff::/48\"]\nsegments:\n" + segments.String() + "devices:\n" +
		devices.String() + "cables:\n" + cables.String()
}

// example is a device of a plan, and the names of its VLANs.
type example struct {
	d     *observed.Device
	names map[int]string
}

// examples are the devices of a plan.
func examples(t testing.TB, plan string) []example {
	t.Helper()
	net := coretest.Network(t, plan)
	var all []example
	for id := range net.Spec.Devices {
		all = append(all, example{compare.DeviceAsObserved(net, model.DeviceID(id)), compare.VLANNames(net.Spec, model.DeviceID(id))})
	}
	return all
}
