package revise

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/workspace"
)

const pier = `ropeswing: 1
plan: pier
segments: {a: {vlan: 1, prefix: [192.0.2.0/27, "2001:db8:1::/64"]}, b: {vlan: 2, prefix: 192.0.2.32/27}, c: {vlan: 3, prefix: 192.0.2.64/27}, d: {prefix: 10.0.0.0/30}}
devices:
  r:    {is: router, interfaces: {e0: {segment: a, address: first}, e1: {segment: b, address: first}}, routes: {198.51.100.0/24: [192.0.2.10, 192.0.2.11], 203.0.113.0/24: {discard: true}}}
  f:    {is: firewall, permits: [a may reach b], translates: [a shares out], interfaces: {in: {segment: c, address: first}, out: {segment: d, address: first}}}
  sw:   {is: switch, interfaces: {p1: {access: a}, p2: {access: b}, p3: {access: a}, p4: {tagged: [a, b]}, p5: {}, p6: {}, p7: {access: a}, g: {members: [p5, p6], tagged: [a]}}}
  pc:   {is: host, at: sw:p3, address: 10}
cables: [r:e0 to sw:p1, r:e1 to sw:p2]
`

func pierOf(t *testing.T) *workspace.Workspace {
	t.Helper()
	n := workspace.FromText("pier.plan.yaml", []byte(pier))
	require.True(t, n.Usable(), "%v", n.Slips())
	return n.Predict()
}

// Setting replaces, also adds, remove takes away.
func TestWhatAChangeSets(t *testing.T) {
	for change, want := range map[string]string{
		"r: route 198.51.100.0/24 via 192.0.2.12":                                "r 198.51.100.0/24 192.0.2.12 1",
		"r: also route 198.51.100.0/24 via 192.0.2.12":                           "r 198.51.100.0/24 192.0.2.10 1, 192.0.2.11 11, 192.0.2.12 1",
		"r: route 198.51.100.0/24 via 192.0.2.10 (pc:port), then via 192.0.2.12": "r 198.51.100.0/24 192.0.2.10 1, 192.0.2.12 11",
		"r: route 198.51.100.0/24 via 192.0.2.11 distance: 7":                    "r 198.51.100.0/24 192.0.2.10 1, 192.0.2.11 7",
		"r: route 198.51.100.0/24 via 192.0.2.12 instead of via 192.0.2.11":      "r 198.51.100.0/24 192.0.2.10 1, 192.0.2.12 1",
		"r: remove route 198.51.100.0/24 via 192.0.2.10":                         "r 198.51.100.0/24 192.0.2.11 11",
		"r: remove route 198.51.100.0/24":                                        "r 198.51.100.0/24",
		"r: route c via pc":                                                      "r 192.0.2.64/27 192.0.2.10 1",
		"r: 203.0.113.0/24 via pc":                                               "r 203.0.113.0/24 invalid IP 1, 192.0.2.10 1",
		"pc: gateway 192.0.2.1":                                                  "pc 0.0.0.0/0 192.0.2.1 1",
		"r: route 203.0.113.0/24 in apart via 192.0.2.10":                        "r 203.0.113.0/24 invalid IP 1, 192.0.2.10 1 apart",
		"r:e0 address 192.0.2.9/27":                                              "r:e0 192.0.2.9/27, 2001:db8:1::1/64",
		"r: also e0 address: 192.0.2.9/27":                                       "r:e0 192.0.2.1/27, 2001:db8:1::1/64, 192.0.2.9/27 secondary",
		"r: e0 secondary: 192.0.2.9/27":                                          "r:e0 192.0.2.1/27, 2001:db8:1::1/64, 192.0.2.9/27 secondary",
		"r: remove e0 address: 192.0.2.1/27":                                     "r:e0 2001:db8:1::1/64",
		"sw: p3 access b":                                                        "sw:p3 2 []",
		"sw: p4 tagged 3, 1":                                                     "sw:p4 0 [1 3]",
		"sw: also p4 tagged c":                                                   "sw:p4 0 [1 2 3]",
		"sw: remove p4 tagged 2":                                                 "sw:p4 0 [1]",
		"sw: p4 tagged 1, untagged 3":                                            "sw:p4 3 [1]",
		"sw: p4 untagged 3":                                                      "sw:p4 3 [1 2]",
		"sw: g members p5, p7":                                                   "sw:g p5 p7",
		"sw: also g members p7":                                                  "sw:g p5 p6 p7",
		"sw: remove g members p6":                                                "sw:g p5",
		"f: also permit b may reach a over tcp/22":                               "f permits a may reach b; b may reach a over tcp/22",
		"f: remove permit a may reach b":                                         "f permits",
		"f: also permit b may reach a over tcp/22, before all others":            "f permits b may reach a over tcp/22; a may reach b",
		"f: also permit b may reach a over tcp/22, behind 'a may reach b'":       "f permits a may reach b; b may reach a over tcp/22",
		"f: remove permit a may reach b, before all others":                      "f permits",
		"f: remove translate a shares out":                                       "f translates",
		"f: also translate b shares out":                                         "f translates a shares out; b shares out",
		"remove cable r:e0 to sw:p1":                                             "r:e0 plugged into nothing",
		"r: e0 down":                                                             "r:e0 down true",
	} {
		w, err := With(pierOf(t), change)
		require.NoError(t, err, change)
		assert.Equal(t, want, shown(t, w, want), change)
	}
}

// shown is of a network what a line of the test names.
func shown(t *testing.T, w *workspace.Workspace, about string) string {
	words := strings.Fields(about)
	said := func(between string, all []string) string {
		return strings.TrimSpace(words[0] + " " + strings.Join(all, between))
	}
	var all []string
	if strings.Contains(words[0], ":") {
		id := coretest.Interface(t, w.Spec, words[0])
		i := &w.Spec.Interfaces[id]
		switch {
		case words[1] == "plugged":
			if w.Network.State.Peer(id) >= 0 {
				return "something"
			}
			return words[0] + " plugged into nothing"
		case words[1] == "down":
			return fmt.Sprintf("%s down %t", words[0], i.AdminDown)
		case i.Name == "g":
			for _, m := range i.Members {
				all = append(all, w.Spec.Interfaces[m].Name)
			}
			return said(" ", all)
		case i.Switched:
			return fmt.Sprintf("%s %d %v", words[0], i.Untagged, i.Tagged)
		}
		for _, a := range i.Addresses {
			all = append(all, strings.TrimSpace(a.String()+" "+map[bool]string{true: "secondary"}[a.Secondary]))
		}
		return said(", ", all)
	}
	id := coretest.Device(t, w.Spec, words[0])
	switch d := &w.Spec.Devices[id]; words[1] {
	case "permits":
		for _, p := range d.Permits {
			all = append(all, p.Text)
		}
		words[0] += " permits"
		return said("; ", all)
	case "translates":
		for _, p := range d.Translates {
			all = append(all, p.Text)
		}
		words[0] += " translates"
		return said("; ", all)
	}
	first, last := w.Spec.StaticsOf(id)
	for _, s := range w.Spec.Statics[first:last] {
		if s.To.String() == words[1] {
			all = append(all, strings.TrimSpace(fmt.Sprintf("%s %d %s", s.Via, s.Distance, s.Table)))
		}
	}
	words[0] += " " + words[1]
	return said(", ", all)
}

// What a change makes wrong by itself is refused, and so is what cannot be read.
func TestChangesThatAreRefused(t *testing.T) {
	for change, why := range map[string]string{
		"pc:port address 192.0.2.1/27":                                      "r:e0 has 192.0.2.1 already",
		"pc:port address 192.0.2.31/27":                                     "broadcast address",
		"pc:port address 192.0.2.0/27":                                      "the subnet 192.0.2.0/27 itself",
		"pc:port address 192.0.2.99/27":                                     "lies outside 192.0.2.0/27",
		"r: e1 address 192.0.2.9/26":                                        "overlaps 192.0.2.0/27 of r:e0",
		"pc:port address 224.0.0.5/27":                                      "no address for an interface",
		"pc:port address 192.0.2.9":                                         "no prefix length",
		"r: remove route 10.0.0.0/8":                                        "no route to 10.0.0.0/8",
		"r: remove route 198.51.100.0/24 via 192.0.2.12":                    "by that next hop",
		"r: route 198.51.100.0/24":                                          "a change is",
		"r: route 198.51.100.0/24 via 192.0.2.11 distance: 300":             "no distance",
		"r: route 198.51.100.0/24 via 192.0.2.11 then":                      "a change is",
		"r: route 198.51.100.0/24 via 192.0.2.12 instead of via 192.0.2.13": "by what goes instead",
		"r: e9 down":                        "did you mean",
		"r: remove e0 address 192.0.2.5/27": "does not have",
		"r:e0 access a":                     "no switch port",
		"sw: p3 access 5000":                "neither a VLAN",
		"sw: p3 access 1, 2":                "a change is",
		"sw: p3 members p1":                 "no group",
		"sw: g members p9":                  "no interface p9",
		"f: permit a may reach b":           "also permit",
		"f: also permit a might reach b":    "a permit is",
		"f: remove permit b may reach a":    "has no permit",
		"f: also permit b may reach a, behind 'x may reach y'":   "has no permit 'x may reach y' to put it behind",
		"f: remove permit a may reach b, behind 'a may reach b'": "has no permit 'a may reach b' there",
		"f: also translate a is out":                             "a translation is",
		"cable r:e0 to sw:p6":                                    "plugged into sw:p1 already",
		"remove cable r:e0 to sw:p6":                             "no cable",
		"nobody: e0 down":                                        "nobody",
		"r":                                                      "a change is",
		"":                                                       "a change is",
	} {
		_, err := With(pierOf(t), change)
		if assert.Error(t, err, change) {
			assert.Contains(t, err.Error(), why, change)
		}
	}
	w, err := With(pierOf(t), "remove cable r:e0 to sw:p1", "cable r:e0 to sw:p7", "sw: p7 up")
	require.NoError(t, err)
	assert.Equal(t, "sw:p7", w.Spec.Label(w.Network.State.Peer(coretest.Interface(t, w.Spec, "r:e0"))))
}

// A sentence that no remedy says is refused, whatever it names.
func TestWhatIsNoRemedyIsRefused(t *testing.T) {
	for seed := range uint64(20) {
		r := rand.New(rand.NewPCG(seed, 77))
		w := workspace.FromText("p", []byte("ropeswing: 1\n"+coretest.RandomNetwork(r, "{}"))).Predict()
		var all []string
		for d := range w.Spec.Devices {
			all = append(all, w.Spec.Devices[d].Name)
		}
		for i := range w.Spec.Interfaces {
			all = append(all, w.Spec.Label(model.InterfaceID(i)))
			for _, a := range w.Spec.Interfaces[i].Addresses {
				all = append(all, a.Prefix.String(), a.Addr().String())
			}
		}
		for _, verb := range []string{"bring up", "on", "give", "let", "add the cable", "put", "make"} {
			r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
			_, err := With(w, verb+" "+strings.Join(all[:min(12, len(all))], " the "))
			assert.Error(t, err)
		}
		_, err := With(w, "bring up "+w.Spec.Label(0)+", which is administratively down (tried: it works)")
		assert.NoError(t, err, "what stands behind a remedy is passed over")
		_, err = With(w, "bring up "+w.Spec.Label(0))
		assert.NoError(t, err, "why need not be said")
	}
}
