package revise_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/ask"
	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
)

// site is a plan of some routers in a row, the first with a carrier, each with a LAN behind
// two switches, a host on it and written routes to the others. The line between the first
// two is serial, and the second lets pass what its permits say.
func site(routers int) string {
	var segments, devices, cables strings.Builder
	for i := range routers {
		fmt.Fprintf(&segments, "  lan%d: {vlan: %d, prefix: 10.1.%d.0/24}\n", i, 10+i, i)
		fmt.Fprintf(&devices, "  r%d:\n    is: router\n    loopback: 10.9.0.%d\n    interfaces:\n      lan: {segment: lan%d, address: "+
			"10.1.%d.1/24}\n", i, i, i, i)
		line := func(clock string) string {
			if i != 1 {
				return ""
			}
			return ", line: serial" + clock
		}
		if i > 0 {
			fmt.Fprintf(&segments, "  l%d: {prefix: 10.0.%d.0/30}\n", i, i)
			fmt.Fprintf(&devices, "      a: {segment: l%d, address: 10.0.%d.2/30%s}\n", i, i, line(""))
			fmt.Fprintf(&cables, "  - r%d:b to r%d:a\n", i-1, i)
		}
		if i < routers-1 {
			clock := ""
			if i == 0 {
				clock = ", line: serial, clock: here"
			}
			fmt.Fprintf(&devices, "      b: {segment: l%d, address: 10.0.%d.1/30%s}\n", i+1, i+1, clock)
		}
		if i == 0 {
			fmt.Fprint(&devices, "      wan: {segment: up, address: 198.51.100.2/30}\n    translates:\n      - inner shares wan\n")
		}
		if i == 1 {
			fmt.Fprint(&devices, "    otherwise: drop\n    permits:\n      - inner may reach anyone\n      - anyone may reach inner\n")
		}
		fmt.Fprint(&devices, "    routes:\n")
		for to := range routers {
			switch {
			case to < i:
				fmt.Fprintf(&devices, "      lan%d: r%d\n", to, i-1)
			case to > i:
				fmt.Fprintf(&devices, "      lan%d: r%d\n", to, i+1)
			}
		}
		if i == 0 {
			fmt.Fprint(&devices, "      default: isp\n")
		} else {
			fmt.Fprintf(&devices, "      default: r%d\n", i-1)
		}
		fmt.Fprintf(&devices, "  s%d:\n    is: switch\n    answers: [ping, ssh]\n    gateway: r%d\n    interfaces:\n      up: {access: "+
			"lan%d}\n      x: {tagged: [lan%d, 999]}\n      mgmt: {vlan: lan%d, address: 10.1.%d.20/24}\n", i, i, i, i, i, i)
		fmt.Fprintf(&devices, "  t%d: {is: switch, interfaces: {x: {tagged: [lan%d, 999]}, p: {access: lan%d}}}\n", i, i, i)
		fmt.Fprintf(&devices, "  h%d:\n    is: host\n    gateway: r%d\n    interfaces:\n      e: {segment: lan%d, address: 10.1.%d.10/24}\n", i,
			i, i, i)
		fmt.Fprintf(&cables, "  - r%d:lan to s%d:up\n  - s%d:x to t%d:x\n  - h%d:e to t%d:p\n", i, i, i, i, i, i)
	}
	devices.WriteString("  isp: {is: world, beyond: 192.0.2.0/24, interfaces: {e: {segment: up, address: 198.51.100.1/30}}}\n")
	cables.WriteString("  - r0:wan to isp:e\n")
	return fmt.Sprintf("ropeswing: 1\nmust: []\nblocks: {inner: 10.0.0.0/8}\nsegments:\n%s  up: {prefix: 198.51.100.0/30}\ndevices:\n"+
		"%scables:\n%s", &segments, &devices, &cables)
}

// faults are slips of the hand, by kind: each changes the text somewhere.
var faults = map[string]func(r *rand.Rand, routers int, text string) string{
	"a router's port down": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, ".1/24}\n", ".1/24, admin: down}\n")
	},
	"a link's port down": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, ".2/30}\n", ".2/30, admin: down}\n")
	},
	"both ends of a link down": func(r *rand.Rand, n int, text string) string {
		i := 2 + r.IntN(n-2)
		text = strings.Replace(text, fmt.Sprintf("10.0.%d.2/30", i), fmt.Sprintf("10.0.%d.2/30, admin: down", i), 1)
		return strings.Replace(text, fmt.Sprintf("10.0.%d.1/30", i), fmt.Sprintf("10.0.%d.1/30, admin: down", i), 1)
	},
	"a host's port down": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, ".10/24}\n", ".10/24, admin: down}\n")
	},
	"a switch port down": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, "up: {access: lan", "up: {admin: down, access: lan")
	},
	"routers' ports start down": func(r *rand.Rand, n int, text string) string {
		i := 2 + r.IntN(n-2)
		text = strings.ReplaceAll(strings.Replace(text, "must: []", "must: []\nsettings: {ports-start: {router: down}}", 1), "/30",
			"/30, admin: up")
		text = strings.ReplaceAll(text, "up: {prefix: 198.51.100.0/30, admin: up}", "up: {prefix: 198.51.100.0/30}")
		for l := 1; l < n; l++ {
			text = strings.Replace(text, fmt.Sprintf("prefix: 10.0.%d.0/30, admin: up", l), fmt.Sprintf("prefix: 10.0.%d.0/30", l), 1)
		}
		text = strings.ReplaceAll(text, ".1/24}", ".1/24, admin: up}")
		return strings.Replace(text, fmt.Sprintf("10.0.%d.2/30, admin: up", i), fmt.Sprintf("10.0.%d.2/30", i), 1)
	},
	"a route forgotten": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("      lan%d: r%d\n", to, i+sign(to-i)), "")
	},
	"a default forgotten": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-1)
		return inDevice(text, i, fmt.Sprintf("      default: r%d\n", i-1), "")
	},
	"a next hop the wrong way": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-2)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("lan%d: r%d\n", to, i+sign(to-i)), fmt.Sprintf("lan%d: r%d\n", to, i-sign(to-i)))
	},
	"a next hop that nobody has": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-2)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("lan%d: r%d\n", to, i+sign(to-i)), fmt.Sprintf("lan%d: 10.0.%d.3\n", to, i))
	},
	"a next hop that is a switch": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-2)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("lan%d: r%d\n", to, i+sign(to-i)), fmt.Sprintf("lan%d: 10.1.%d.20\n", to, i))
	},
	"a route out of the wrong port": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-2)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("lan%d: r%d\n", to, i+sign(to-i)),
			fmt.Sprintf("lan%d: {next-hop: r%d, out: lan}\n", to, i+sign(to-i)))
	},
	"a route that discards": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("lan%d: r%d\n", to, i+sign(to-i)), fmt.Sprintf("lan%d: {discard: true}\n", to))
	},
	"a route to half of the subnet": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("      lan%d: r%d\n", to, i+sign(to-i)),
			fmt.Sprintf("      10.1.%d.128/25: r%d\n", to, i+sign(to-i)))
	},
	"a route to a subnet mistyped": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("      lan%d: r%d\n", to, i+sign(to-i)),
			fmt.Sprintf("      10.11.%d.0/24: r%d\n", to, i+sign(to-i)))
	},
	"a route with a watch that never answers": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-2)
		to := (i + 1 + r.IntN(n-1)) % n
		return inDevice(text, i, fmt.Sprintf("lan%d: r%d\n", to, i+sign(to-i)),
			fmt.Sprintf("lan%d: {next-hop: r%d, watch: 10.0.77.1}\n", to, i+sign(to-i)))
	},
	"a gateway that nobody has": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return inHost(text, i, fmt.Sprintf("gateway: r%d\n", i), fmt.Sprintf("gateway: 10.1.%d.77\n", i))
	},
	"a gateway of the subnet before renumbering": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return inHost(text, i, fmt.Sprintf("gateway: r%d\n", i), "gateway: 10.77.0.1\n")
	},
	"a gateway that does not forward": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return inHost(text, i, fmt.Sprintf("gateway: r%d\n", i), fmt.Sprintf("gateway: s%d\n", i))
	},
	"no gateway": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return inHost(text, i, fmt.Sprintf("gateway: r%d\n", i), "gateway: none\n")
	},
	"a host's port in another VLAN": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return strings.Replace(text, fmt.Sprintf("p: {access: lan%d}", i), fmt.Sprintf("p: {access: lan%d}", (i+1)%n), 1)
	},
	"a router's port in another VLAN": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return strings.Replace(text, fmt.Sprintf("up: {access: lan%d", i), fmt.Sprintf("up: {access: lan%d", (i+1)%n), 1)
	},
	"a VLAN missing on a trunk": func(r *rand.Rand, n int, text string) string {
		return strings.Replace(text, fmt.Sprintf("x: {tagged: [lan%d, 999]}", r.IntN(n)),
			[...]string{"x: {tagged: 999}", "x: {tagged: [998, 999]}"}[r.IntN(2)], 1)
	},
	"a VLAN missing towards a router": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return trunked(text, i, fmt.Sprint(10+i), "", "tagged: [998, 999]")
	},
	"a tag that is not the VLAN's": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return trunked(text, i, "26", "", fmt.Sprintf("tagged: [lan%d, 999]", i))
	},
	"a tag said wrongly": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return trunked(text, i, "1", ", tag: 26", fmt.Sprintf("tagged: [lan%d, 999]", i))
	},
	"untagged missing at one end": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		old := fmt.Sprintf("x: {tagged: [lan%d, 999]}", i)
		text = strings.Replace(text, old, fmt.Sprintf("x: {tagged: [999], untagged: lan%d}", i), 1)
		return strings.Replace(text, old, "x: {tagged: [999]}", 1)
	},
	"untagged frames in two VLANs": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		old := fmt.Sprintf("x: {tagged: [lan%d, 999]}", i)
		text = strings.Replace(text, old, fmt.Sprintf("x: {tagged: [999], untagged: lan%d}", i), 1)
		return strings.Replace(text, old, "x: {tagged: [999], untagged: 998}", 1)
	},
	"a cable forgotten": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-1)
		return strings.Replace(text, [...]string{fmt.Sprintf("  - r%d:b to r%d:a\n", i-1, i),
			fmt.Sprintf("  - h%d:e to t%d:p\n", i, i)}[r.IntN(2)], "", 1)
	},
	"nobody clocks": func(r *rand.Rand, n int, text string) string { return strings.Replace(text, ", clock: here", "", 1) },
	"both clock": func(r *rand.Rand, n int, text string) string {
		return strings.Replace(text, "line: serial}", "line: serial, clock: here}", 1)
	},
	"one end not serial": func(r *rand.Rand, n int, text string) string {
		return strings.Replace(text, ", line: serial}", "}", 1)
	},
	"the broadcast address on a link": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-1)
		return strings.Replace(text, fmt.Sprintf("10.0.%d.2/30", i), fmt.Sprintf("10.0.%d.3/30", i), 1)
	},
	"the subnet's own address on a link": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-1)
		return strings.Replace(text, fmt.Sprintf("10.0.%d.1/30", i), fmt.Sprintf("10.0.%d.0/30", i), 1)
	},
	"a link's address in another subnet": func(r *rand.Rand, n int, text string) string {
		i := 1 + r.IntN(n-1)
		return strings.Replace(text, fmt.Sprintf("10.0.%d.2/30", i), fmt.Sprintf("10.0.%d.2/30", 90+i), 1)
	},
	"a host's broadcast address": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, ".10/24}\n", ".255/24}\n")
	},
	"a host not renumbered": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return strings.Replace(text, fmt.Sprintf("10.1.%d.10/24", i), fmt.Sprintf("10.77.%d.10/24", i), 1)
	},
	"a host with the router's address": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return strings.Replace(text, fmt.Sprintf("10.1.%d.10/24", i), fmt.Sprintf("10.1.%d.1/24", i), 1)
	},
	"a host's mask too short": func(r *rand.Rand, n int, text string) string { return oneOf(r, text, ".10/24}\n", ".10/16}\n") },
	"a host's mask too long":  func(r *rand.Rand, n int, text string) string { return oneOf(r, text, ".10/24}\n", ".10/29}\n") },
	"a router's mask too long": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, ".1/24}\n", ".1/29}\n")
	},
	"translation forgotten": func(r *rand.Rand, n int, text string) string {
		return strings.Replace(text, "    translates:\n      - inner shares wan\n", "", 1)
	},
	"a permit forgotten": func(r *rand.Rand, n int, text string) string {
		return strings.Replace(text, "      - inner may reach anyone\n      - anyone may reach inner\n",
			"      - lan0 may reach anyone over tcp\n", 1)
	},
	"a permit that waits": func(r *rand.Rand, n int, text string) string {
		return strings.Replace(text, "      - inner may reach anyone\n      - anyone may reach inner\n",
			"      - {permit: anyone may reach anyone, pending: true}\n", 1)
	},
	"a permit that drops before": func(r *rand.Rand, n int, text string) string {
		return strings.Replace(text, "      - inner may reach anyone\n",
			fmt.Sprintf("      - lan%d may not reach anyone\n      - inner may reach anyone\n", r.IntN(n)), 1)
	},
	"a router that does not forward": func(r *rand.Rand, n int, text string) string {
		i := r.IntN(n)
		return inDevice(text, i, "is: router\n", "is: router\n    forwards: false\n")
	},
	"a service that is not answered": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, "answers: [ping, ssh]", "answers: [ping]")
	},
	"a permit without the service": func(r *rand.Rand, n int, text string) string {
		return strings.NewReplacer("- inner may reach anyone\n", "- 'inner may reach anyone over icmp, udp/53'\n      - anyone may answer anyone\n",
			"- anyone may reach inner\n", "- anyone may reach inner over icmp\n").Replace(text)
	},
	"own permits without the service": func(r *rand.Rand, n int, text string) string {
		return oneOf(r, text, "answers: [ping, ssh]",
			"answers: [ping, ssh]\n    own-permits: [anyone may reach itself over icmp]\n    otherwise: drop")
	},
}

// trunked makes a router's LAN a subinterface, with a tag and further words, and its switch
// port a trunk.
func trunked(text string, router int, tag, more, port string) string {
	lan := fmt.Sprintf("      lan: {segment: lan%d, address: 10.1.%d.1/24}\n", router, router)
	text = strings.Replace(text, lan, fmt.Sprintf("      lan: {}\n      lan.%s: {segment: lan%d, address: 10.1.%d.1/24%s}\n", tag, router,
		router, more), 1)
	return strings.Replace(text, fmt.Sprintf("up: {access: lan%d}", router), "up: {"+port+"}", 1)
}

// inHost changes a text in what stands of one host.
func inHost(text string, host int, old, with string) string {
	i := strings.Index(text, fmt.Sprintf("  h%d:\n    is: host", host))
	return text[:i] + strings.Replace(text[i:], old, with, 1)
}

func sign(n int) int {
	if n < 0 {
		return -1
	}
	return 1
}

// oneOf changes one of the places where a text stands.
func oneOf(r *rand.Rand, text, old, with string) string {
	at := r.IntN(strings.Count(text, old))
	parts := strings.SplitN(text, old, at+2)
	return strings.Join(parts[:at+1], old) + with + parts[at+1]
}

// inDevice changes a text in what stands of one router.
func inDevice(text string, router int, old, with string) string {
	i := strings.Index(text, fmt.Sprintf("  r%d:\n    is: router", router))
	return text[:i] + strings.Replace(text[i:], old, with, 1)
}

// A remedy that is offered works as it is typed, whatever was planted; and for most slips
// there is one.
func TestRemediesWorkAsTheyAreTyped(t *testing.T) {
	planted, offered := map[string]int{}, map[string]int{}
	kinds := slices.Sorted(maps.Keys(faults))
	require.GreaterOrEqual(t, len(kinds), 40)
	for seed := range coretest.Cases(3, 7) * len(kinds) {
		r := rand.New(rand.NewPCG(uint64(seed), 41))
		routers := 3 + r.IntN(3)
		kind := kinds[seed%len(kinds)]
		text := faults[kind](r, routers, site(routers))
		require.NotEqual(t, site(routers), text, kind)
		n := workspace.FromText("p", []byte(text))
		require.True(t, n.Usable(), "seed %d, %s: %v\n%s", seed, kind, n.Slips(), text)
		w := n.Predict()
		for _, q := range questions(routers) {
			trials := q.ask(t, w)
			if len(trials) > 0 && trials[0].Verdict() == forward.Works {
				continue
			}
			planted[kind]++
			if len(trials) == 0 {
				continue // it has no address to ask from
			}
			advice, ok := revise.Mend(w, trials[0])
			if !ok {
				continue
			}
			offered[kind]++
			var sentences []string
			for _, a := range advice {
				sentences = append(sentences, a.Text)
			}
			tried, err := revise.With(w, sentences...)
			require.NoError(t, err, "seed %d, %s: a remedy's sentence is a change to try", seed, kind)
			require.Equal(t, forward.Works, q.ask(t, tried)[0].Verdict(), "seed %d, %s: tried as said: %s", seed, kind, sentences)
			var edits []plan.Edit
			for _, a := range advice {
				if a.InPlan {
					edits = append(edits, a.Edit)
				}
			}
			if len(edits) < len(advice) {
				continue // told in words
			}
			mended := plan.Apply(w.Document.File, edits...)
			again := workspace.FromText("p", mended)
			require.True(t, again.Usable(), "%s\n%s", kind, mended)
			require.Equal(t, forward.Works, q.ask(t, again.Predict())[0].Verdict(), "seed %d, %s: %s\n%s", seed, kind, advice[0].Text, mended)
		}
	}
	all, have := 0, 0
	for _, kind := range kinds {
		assert.Positive(t, planted[kind], kind)
		t.Logf("%-45s %d of %d have a remedy", kind, offered[kind], planted[kind])
		all, have = all+planted[kind], have+offered[kind]
		assert.GreaterOrEqual(t, 2*offered[kind], planted[kind], "%s: one in two has one", kind)
	}
	assert.GreaterOrEqual(t, 10*have, 9*all, "nine in ten have one")
}

// question is one ping to try.
type question struct {
	from, to string
	over     model.Service
}

// questions are those between all hosts, from each to the world, and for the login of each
// switch.
func questions(routers int) []question {
	var all []question
	for i := range routers {
		for j := range routers {
			if i != j {
				all = append(all, question{fmt.Sprintf("h%d", i), fmt.Sprintf("h%d", j), model.Echo})
			}
		}
		all = append(all, question{fmt.Sprintf("h%d", i), "192.0.2.9", model.Echo},
			question{"h0", fmt.Sprintf("s%d", i), model.ServiceOf("ssh")})
	}
	return all
}

// ask pings as the question says.
func (q question) ask(t *testing.T, w *workspace.Workspace) []ask.Trial {
	t.Helper()
	a, err := w.Endpoint(q.from)
	require.NoError(t, err)
	b, err := w.Endpoint(q.to)
	require.NoError(t, err)
	trials, _, _ := ask.Pings(w.Network, a, b, prefix.Both, forward.Probe{Over: q.over})
	return trials
}

// Of a slip that shows at one interface or cable, `check` gives the remedy that the ping
// does.
func TestCheckAndPingGiveTheSameRemedy(t *testing.T) {
	for _, kind := range []string{
		"the broadcast address on a link", "the subnet's own address on a link", "a link's address in another subnet",
		"a host's broadcast address", "a host not renumbered", "a host with the router's address",
		"a host's mask too short", "a host's mask too long", "a router's mask too long", "a gateway that nobody has",
		"a gateway of the subnet before renumbering", "a tag said wrongly", "a tag that is not the VLAN's",
		"untagged frames in two VLANs", "nobody clocks", "both clock", "one end not serial", "a cable forgotten", "a router's port down",
		"a switch port down",
	} {
		for seed := range 3 {
			r := rand.New(rand.NewPCG(uint64(seed), 43))
			routers := 3 + r.IntN(3)
			w := workspace.FromText("p", []byte(faults[kind](r, routers, site(routers)))).Predict()
			var remedies []string
			for _, f := range w.Check() {
				remedies = append(remedies, f.Remedy)
			}
			for _, q := range questions(routers) {
				trials := q.ask(t, w)
				if len(trials) == 0 || trials[0].Verdict() == forward.Works {
					continue
				}
				advice, ok := revise.Mend(w, trials[0])
				if !ok {
					continue
				}
				said := slices.ContainsFunc(remedies, func(remedy string) bool { return strings.Contains(remedy, advice[0].Text) })
				assert.True(t, said, "%s, seed %d, %v: %s\n%s", kind, seed, q, advice[0].Text, strings.Join(remedies, "\n"))
			}
		}
	}
}
