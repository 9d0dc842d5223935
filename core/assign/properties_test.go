package assign_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ropeswing/core/assign"
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// given is a plan with a ledger, assigned.
type given struct {
	spec    *model.Spec
	changes []assign.Change
	next    *assign.Ledger
	found   []finding.Finding
}

// assigned reads a plan without its first line, and assigns its numbers.
func assigned(t testing.TB, text string, ledger *assign.Ledger, grow ...string) given {
	t.Helper()
	doc, found := plan.Parse(source.New("t.plan.yaml", []byte("ropeswing: 1\n"+text)))
	require.False(t, finding.Stops(found), "%v\n%s", found, text)
	n := assign.NewNumbering(ledger, assign.Ask{Grow: grow})
	spec, more := model.Resolve(doc, n)
	require.False(t, finding.Stops(more), "%v\n%s", more, text)
	changes, next := n.Finish(spec)
	return given{spec, changes, next, n.Findings(doc.File)}
}

// again is the ledger as it would be read from the disk.
func again(t testing.TB, l *assign.Ledger) *assign.Ledger {
	t.Helper()
	read, found := assign.ReadLedger(source.New("t.ledger", l.Text()))
	require.Empty(t, found, "%s", l.Text())
	return read
}

// network is a plan that is edited at random.
type network struct {
	r        *rand.Rand
	segments []segment
	devices  []device
	fixed    int // how many segments with a fixed prefix there have been
	count    int // how many names there have been
	extra    bool
}

type segment struct {
	name, needs string
	hosts       int
	note        string
}

type device struct {
	name string
	on   []string // segments
	host bool
}

func (n *network) name(what string) string {
	n.count++
	return fmt.Sprintf("%s%d", what, n.count)
}

func (n *network) addSegment() {
	s := segment{name: n.name("s")}
	switch n.r.IntN(4) {
	case 0:
		s.needs = "point-to-point: true"
	default:
		s.hosts = 1 + n.r.IntN(60)
	}
	n.segments = slices.Insert(n.segments, n.r.IntN(len(n.segments)+1), s)
}

func (n *network) addDevice() {
	d := device{name: n.name("d"), host: n.r.IntN(2) == 0}
	for range 1 + n.r.IntN(3) {
		if s := n.segments[n.r.IntN(len(n.segments))]; s.hosts > 0 && !slices.Contains(d.on, s.name) {
			d.on = append(d.on, s.name)
		}
	}
	n.devices = slices.Insert(n.devices, n.r.IntN(len(n.devices)+1), d)
}

func (n *network) text() string {
	var b strings.Builder
	b.WriteString("blocks:\n  home: {prefix: [10.48.0.0/20, '2001:db8:5ea::/48'], keep: 10.48.4.0/22}\n")
	if n.extra {
		b.WriteString("  more: [10.49.0.0/20]\n")
	}
	b.WriteString("segments:\n")
	for i := range n.fixed {
		fmt.Fprintf(&b, "  fixed%d: {prefix: 10.50.%d.0/24}\n", i, i)
	}
	for _, s := range n.segments {
		needs := s.needs
		if s.hosts > 0 {
			needs = fmt.Sprintf("hosts: %d, grow: 20%%, vlan: auto", s.hosts)
		}
		fmt.Fprintf(&b, "  %s: {%s, from: home%s}\n", s.name, needs, s.note)
	}
	b.WriteString("devices:\n")
	for _, d := range n.devices {
		kind := "router, loopback: true, from: home"
		if d.host {
			kind = "host"
		}
		fmt.Fprintf(&b, "  %s:\n    is: %s\n    interfaces:\n", d.name, strings.Replace(kind, ", ", "\n    ", -1))
		for i, s := range d.on {
			fmt.Fprintf(&b, "      p%d: {segment: %s}\n", i, s)
		}
	}
	return b.String()
}

// edits are what people do to a plan. None of them may move a number of what
// stays.
var edits = []struct {
	name string
	make func(*network)
}{
	{"add a segment", (*network).addSegment},
	{"remove a segment", func(n *network) {
		i := n.r.IntN(len(n.segments))
		gone := n.segments[i].name
		n.segments = slices.Delete(n.segments, i, i+1)
		for d := range n.devices {
			// The interface's name goes with it: what is left keeps its own.
			for j, s := range n.devices[d].on {
				if s == gone {
					n.devices[d].on = n.devices[d].on[:j]
					break
				}
			}
		}
	}},
	{"shuffle the segments", func(n *network) {
		n.r.Shuffle(len(n.segments), func(i, j int) { n.segments[i], n.segments[j] = n.segments[j], n.segments[i] })
	}},
	{"add a device", (*network).addDevice},
	{"remove a device", func(n *network) {
		i := n.r.IntN(len(n.devices))
		n.devices = slices.Delete(n.devices, i, i+1)
	}},
	{"shuffle the devices", func(n *network) {
		n.r.Shuffle(len(n.devices), func(i, j int) { n.devices[i], n.devices[j] = n.devices[j], n.devices[i] })
	}},
	{"more or fewer hosts", func(n *network) {
		for i := range n.segments {
			if n.segments[i].hosts > 0 {
				n.segments[i].hosts = 1 + n.r.IntN(100)
				return
			}
		}
	}},
	{"a fixed segment outside", func(n *network) { n.fixed++ }},
	{"another block", func(n *network) { n.extra = true }},
	{"a remark", func(n *network) { n.segments[0].note = ", note: moved to the pier" }},
	{"nothing at all", func(*network) {}},
}

// numbers is everything assigned, by owner and kind.
func numbers(l *assign.Ledger) map[string]string {
	all := map[string]string{}
	for _, e := range l.Entries {
		if !e.Retired {
			all[fmt.Sprint(e.Owner, " ", e.Kind, " ", e.Prefix.IsValid() && e.Prefix.Addr().Is6())] = e.Number()
		}
	}
	return all
}

func TestNoEditMovesANumber(t *testing.T) {
	for seed := range uint64(20) {
		n := &network{r: rand.New(rand.NewPCG(seed, 7))}
		for range 6 {
			n.addSegment()
		}
		for range 5 {
			n.addDevice()
		}
		var ledger *assign.Ledger
		for range 25 {
			edit := edits[n.r.IntN(len(edits))]
			if len(n.segments) < 3 || len(n.devices) < 2 {
				edit = edits[0]
				n.addDevice()
			}
			if ledger != nil {
				edit.make(n)
			}
			g := assigned(t, n.text(), ledger)
			sound(t, g, edit.name)
			if ledger != nil {
				now := numbers(g.next)
				for k, was := range numbers(ledger) {
					if is, still := now[k]; still {
						require.Equal(t, was, is, "%s moved %s (seed %d)\n%s", edit.name, k, seed, n.text())
					}
				}
			}
			ledger = again(t, g.next)
			require.Empty(t, assigned(t, n.text(), ledger).changes, "what was written is up to date")
		}
	}
}

// sound holds of every assignment: nothing overlaps, nothing leaves its block
// or meets what is kept, and every address is a usable one of its subnet.
func sound(t *testing.T, g given, edit string) {
	t.Helper()
	home := []netip.Prefix{netip.MustParsePrefix("10.48.0.0/20"), netip.MustParsePrefix("2001:db8:5ea::/48")}
	kept := netip.MustParsePrefix("10.48.4.0/22")
	var all []netip.Prefix
	vlans := map[model.VLAN]string{}
	for _, s := range g.spec.Segments {
		if s.VLAN != 0 {
			require.Empty(t, vlans[s.VLAN], "%s and %s have one VLAN number", s.Name, vlans[s.VLAN])
			vlans[s.VLAN] = s.Name
		}
		for _, p := range s.Prefixes {
			all = append(all, p.Prefix)
			if p.Giver != model.Fixed {
				require.True(t, prefix.Covers(home[0], p.Prefix) || prefix.Covers(home[1], p.Prefix), "%s after %s", p.Prefix, edit)
			}
		}
	}
	held := map[netip.Addr]string{}
	for id := range g.spec.Interfaces {
		i := &g.spec.Interfaces[id]
		label := g.spec.Label(model.InterfaceID(id))
		for _, a := range i.Addresses {
			require.Empty(t, held[a.Addr()], "%s and %s have %s after %s", label, held[a.Addr()], a, edit)
			held[a.Addr()] = label
			if i.Kind == model.Loopback {
				all = append(all, a.Prefix)
				continue
			}
			require.Equal(t, prefix.UsableAddress, prefix.RoleOf(a.Prefix, a.Addr()), label)
			require.True(t, slices.ContainsFunc(g.spec.Segments[i.Segment].Prefixes, func(p model.Prefix) bool { return p.Prefix == a.Masked() }),
				label)
		}
	}
	for _, r := range g.spec.Retired {
		if !slices.ContainsFunc(g.spec.Segments, func(s model.Segment) bool {
			return slices.ContainsFunc(s.Prefixes, func(p model.Prefix) bool { return prefix.Covers(p.Prefix, r.Prefix) })
		}) && r.Prefix.Bits() < r.Prefix.Addr().BitLen() {
			all = append(all, r.Prefix)
		}
	}
	slices.SortFunc(all, func(a, b netip.Prefix) int { return a.Addr().Compare(b.Addr()) })
	for i, p := range all {
		require.False(t, p.Overlaps(kept), "%s is kept", p)
		require.False(t, i > 0 && all[i-1].Overlaps(p), "%s overlaps %s after %s", all[max(0, i-1)], p, edit)
	}
}

// Needs are fitted whenever they can be: against a search of every way there
// is, in a small block with some of it taken.
func TestWhatCanBeFittedIsFitted(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for range 3000 {
		var taken uint32 // of a /28's sixteen addresses
		text := "blocks: {home: 10.48.0.0/28}\nsegments:\n"
		for i := range r.IntN(4) {
			at := r.IntN(16)
			taken |= 1 << at
			text += fmt.Sprintf("  t%d: {prefix: 10.48.0.%d/32}\n", i, at)
		}
		var sizes []int
		for i := range 1 + r.IntN(5) {
			length := 29 + r.IntN(4)
			sizes = append(sizes, 1<<(32-length))
			text += fmt.Sprintf("  n%d: {length: %d}\n", i, length)
		}
		g := assigned(t, text, nil)
		fitted := true
		for _, s := range g.spec.Segments {
			fitted = fitted && len(s.Prefixes) == 1
		}
		require.Equal(t, canFit(taken, sizes), fitted, text)
	}
}

// canFit tries every place for every size.
func canFit(taken uint32, sizes []int) bool {
	if len(sizes) == 0 {
		return true
	}
	size := sizes[0]
	for at := 0; at < 16; at += size {
		if mask := uint32(1<<size-1) << at; taken&mask == 0 && canFit(taken|mask, sizes[1:]) {
			return true
		}
	}
	return false
}
