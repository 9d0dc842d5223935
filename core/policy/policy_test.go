package policy_test

import (
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/policy"
)

// gate is a LAN and a world with a device between them whose policy is given.
const gate = `
segments: {lan: {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}, up: {prefix: [198.51.100.0/28, "2001:db8:ca::/64"]}}
devices:
  pc: {is: host, gateway: fw, interfaces: {p: {segment: lan, address: 10}}}
  pc2: {is: host, gateway: fw, interfaces: {p: {segment: lan, address: 11}}}
  fw: {is: router, interfaces: {l: {segment: lan, address: first}, u: {segment: up, address: 2}}, POLICY}
  w: {is: world, beyond: [192.0.2.0/24, "2001:db8:ffff::/48"], interfaces: {u: {segment: up, address: first}}}
`

// door is the device between, with its interfaces.
type door struct {
	*policy.Policy
	spec         *model.Spec
	fw           model.DeviceID
	inner, outer model.InterfaceID
}

func open(t *testing.T, text string) *door {
	t.Helper()
	spec := coretest.Spec(t, strings.Replace(gate, "POLICY", text, 1))
	return &door{policy.New(spec), spec, coretest.Device(t, spec, "fw"), coretest.Interface(t, spec, "fw:l"),
		coretest.Interface(t, spec, "fw:u")}
}

func packet(t *testing.T, from, to, over string, kind policy.Kind) *policy.Packet {
	t.Helper()
	s, err := model.ParseService(over)
	require.NoError(t, err)
	return &policy.Packet{Source: netip.MustParseAddr(from), Destination: netip.MustParseAddr(to), Service: s, Kind: kind}
}

const pc, pc2, web = "10.1.0.10", "10.1.0.11", "192.0.2.9"

// What decides about a packet that passes through, and by which sentence.
func TestWhatDecidesAboutAPacket(t *testing.T) {
	for _, tt := range []struct {
		about, policy   string
		from, to, over  string
		kind            policy.Kind
		known, outbound bool
		ruling          model.Ruling
		by              int
	}{
		{"nothing is judged", "note: quiet", pc, web, "icmp", policy.Request, false, true, model.Pass, policy.ByNothing},
		{"the first that matches it", "permits: [pc may not reach anyone, lan may reach anyone]", pc, web, "icmp", policy.Request, false, true,
			model.Drop, 0},
		{"the next for another", "permits: [pc may not reach anyone, lan may reach anyone]", pc2, web, "icmp", policy.Request, false, true,
			model.Pass, 1},
		{"refused", "permits: [pc is refused anyone]", pc, web, "icmp", policy.Request, false, true, model.Refuse, 0},
		{"none matches it", "permits: [pc may reach anyone]\n, otherwise: drop", web, pc, "icmp", policy.Request, false, false, model.Drop,
			policy.ByOtherwise},
		{"what is not spoken of passes a router", "permits: [pc may not reach anyone over tcp/80]", pc, web, "tcp/443", policy.Request, false,
			true, model.Pass, policy.ByOtherwise},
		{"within a range of ports", "permits: [lan may not reach anyone over udp/50..60]", pc, web, "udp/60", policy.Request, false, true,
			model.Drop, 0},
		{"beyond it", "permits: [lan may not reach anyone over udp/50..60]", pc, web, "udp/61", policy.Request, false, true, model.Pass,
			policy.ByOtherwise},
		{"all of a protocol", "permits: [lan may not reach anyone over udp]", pc, web, "udp/61", policy.Request, false, true, model.Drop, 0},
		{"another protocol", "permits: [lan may not reach anyone over udp]", pc, web, "tcp/61", policy.Request, false, true, model.Pass,
			policy.ByOtherwise},
		{"by its mark", "permits: [lan may not reach anyone over udp/60 marked ef]", pc, web, "udp/60 marked ef", policy.Request, false, true,
			model.Drop, 0},
		{"another mark", "permits: [lan may not reach anyone over udp/60 marked ef]", pc, web, "udp/60", policy.Request, false, true, model.Pass,
			policy.ByOtherwise},
		{"an echo is answered as it was marked", "permits: [anyone may not reach lan over icmp marked ef]", web, pc, "icmp marked ef",
			policy.Reply, false, false, model.Drop, 0},
		{"nothing else is", "permits: [anyone may not reach lan over tcp marked ef]", web, pc, "tcp/443 marked ef", policy.Reply, false, false,
			model.Pass, policy.ByOtherwise},
		{"an error is marked for itself", "permits: [anyone may not reach lan over icmp marked cs6]", web, pc, "tcp/443", policy.Error, false,
			false, model.Drop, 0},
		{"a reply goes to the port the request came from", "permits: [anyone may not reach lan over tcp/443]", web, pc, "tcp/443", policy.Reply,
			false, false, model.Pass, policy.ByOtherwise},
		{"and is met by all ports", "permits: [anyone may not reach lan over tcp]", web, pc, "tcp/443", policy.Reply, false, false, model.Drop,
			0},
		{"a sentence of replies", "permits: [anyone may answer lan over tcp/443]\n, otherwise: drop", web, pc, "tcp/443", policy.Reply, false,
			false, model.Pass, 0},
		{"covers no request", "permits: [anyone may answer lan over tcp/443]\n, otherwise: drop", web, pc, "tcp/443", policy.Request, false,
			false, model.Drop, policy.ByOtherwise},
		{"an error is of ICMP, whatever it is about", "permits: [anyone may reach lan over icmp]\n, otherwise: drop", web, pc, "tcp/443",
			policy.Error, false, false, model.Pass, 0},
		{"pending is not in force", "permits: [{permit: pc may not reach anyone, pending: true}]", pc, web, "icmp", policy.Request, false, true,
			model.Pass, policy.ByOtherwise},
		{"state knows it", "keeps-state: true, otherwise: drop", web, pc, "tcp/443", policy.Reply, true, false, model.Pass, policy.ByState},
		{"a stray reply", "keeps-state: true", web, pc, "tcp/443", policy.Reply, false, false, model.Drop, policy.ByNoState},
		{"a stray error", "keeps-state: true", web, pc, "udp/53", policy.Error, false, false, model.Drop, policy.ByNoState},
		{"a datagram may be the first", "keeps-state: true", web, pc, "udp/53", policy.Reply, false, false, model.Pass, policy.ByOtherwise},
	} {
		d := open(t, tt.policy)
		in, out := d.outer, d.inner
		if tt.outbound {
			in, out = d.inner, d.outer
		}
		j := d.Through(d.fw, in, out, packet(t, tt.from, tt.to, tt.over, tt.kind), tt.known)
		assert.Equal(t, policy.Judgement{Ruling: tt.ruling, By: tt.by}, j, tt.about)
	}
}

// A network without permits and translations has no policy, and asking it is harmless.
func TestNoPolicyJudgesNothing(t *testing.T) {
	d := open(t, "note: quiet")
	require.Nil(t, d.Policy)
	x := packet(t, pc, web, "icmp", policy.Request)
	assert.Equal(t, policy.ByNothing, d.ToItself(d.fw, d.inner, x, false).By)
	assert.Equal(t, policy.ByNothing, d.FromItself(d.fw, d.outer, x, false).By)
	assert.False(t, d.Remembers(d.fw))
	from, by, ok := d.Outward(d.fw, d.outer, x.Source)
	assert.Equal(t, x.Source, from)
	assert.Nil(t, by)
	assert.True(t, ok)
	d.Answering(x.Destination, func(model.InterfaceID) { t.Error("nobody answers for it") })
}

// translated is what becomes of a source on its path out, 'none' where nothing is left.
func (d *door) translated(from string) string {
	a, by, ok := d.Outward(d.fw, d.outer, netip.MustParseAddr(from))
	switch {
	case !ok:
		return "none"
	case by == nil:
		return ""
	}
	return a.String()
}

func TestWhatASourceBecomes(t *testing.T) {
	for _, tt := range []struct{ about, policy, from, want string }{
		{"of another interface's translation", "translates: [lan shares l]", pc, ""},
		{"shares the interface's address", "translates: [lan shares u]", pc, "198.51.100.2"},
		{"shares an address", "translates: [lan shares 198.51.100.9 beyond u]", pc, "198.51.100.9"},
		{"one to one", "translates: [pc is 198.51.100.5 beyond u]", pc, "198.51.100.5"},
		{"and nobody else", "translates: [pc is 198.51.100.5 beyond u]", pc2, ""},
		{"a subnet by its place", "translates: [10.1.0.8/29 is 198.51.100.8/29 beyond u]", pc2, "198.51.100.11"},
		{"the first that holds it", "translates: [pc is 198.51.100.5 beyond u, lan shares u]", pc2, "198.51.100.2"},
		{"each takes one", "translates: [lan takes 198.51.100.4..198.51.100.5 beyond u]", pc, "198.51.100.4"},
		{"the next takes the next", "translates: [lan takes 198.51.100.4..198.51.100.5 beyond u]", pc2, "198.51.100.5"},
		{"until none is left", "translates: [lan takes 198.51.100.4 beyond u]", pc2, "none"},
		{"of the other family", "translates: [lan shares u]", "2001:db8:1::a", ""},
	} {
		assert.Equal(t, tt.want, open(t, tt.policy).translated(tt.from), tt.about)
	}
}

func TestWhatADestinationBecomesAndWhoAnswersForIt(t *testing.T) {
	d := open(t, "translates: [10.1.0.8/30 is 198.51.100.8/30 beyond u, pc2 is 203.0.113.7 beyond u]")
	to, _, by := d.Inward(d.fw, d.outer, netip.MustParseAddr("198.51.100.10"), model.Echo)
	assert.Equal(t, pc, to.String())
	require.NotNil(t, by)
	_, _, by = d.Inward(d.fw, d.inner, netip.MustParseAddr("198.51.100.10"), model.Echo)
	assert.Nil(t, by, "from within it is an address like any other")
	_, _, by = d.Inward(d.fw, d.outer, netip.MustParseAddr("198.51.100.12"), model.Echo)
	assert.Nil(t, by, "just beyond")
	answering := func(a string) (all []model.InterfaceID) {
		d.Answering(netip.MustParseAddr(a), func(i model.InterfaceID) { all = append(all, i) })
		return all
	}
	assert.Equal(t, []model.InterfaceID{d.outer}, answering("198.51.100.11"))
	assert.Empty(t, answering("198.51.100.12"))
	assert.Empty(t, answering("203.0.113.7"), "in no subnet of its own: it has to be routed there")
}

func TestWhatADeviceLetsToItself(t *testing.T) {
	d := open(t, "own-permits: [pc may reach itself over tcp/22, itself may not reach 192.0.2.0/24 over tcp], otherwise: drop")
	assert.Equal(t, policy.Judgement{By: 0, Own: true}, d.ToItself(d.fw, d.inner, packet(t, pc, "10.1.0.1", "tcp/22", policy.Request), false))
	assert.Equal(t, policy.Judgement{Ruling: model.Drop, By: policy.ByOtherwise, Own: true},
		d.ToItself(d.fw, d.inner, packet(t, pc2, "10.1.0.1", "tcp/22", policy.Request), false))
	assert.Equal(t, policy.Judgement{Ruling: model.Drop, By: 1, Own: true},
		d.FromItself(d.fw, d.outer, packet(t, "198.51.100.2", web, "tcp/80", policy.Request), false))
	d = open(t, "own-permits: [pc may reach itself]")
	assert.Equal(t, policy.Judgement{By: policy.ByNothing},
		d.FromItself(d.fw, d.outer, packet(t, "198.51.100.2", web, "tcp/80", policy.Request), false), "nothing is said of what it sends")
}

func TestWhichPendingPermitWouldDo(t *testing.T) {
	d := open(t, "permits: [pc may not reach anyone, {permit: pc may not reach anyone over tcp, pending: true}, {permit: pc may reach "+
		"anyone over tcp/443, pending: true}, {permit: lan may reach anyone, pending: true}]")
	all := d.spec.Devices[d.fw].Permits
	for over, want := range map[string]int{"tcp/443": 2, "tcp/80": 3} {
		i, ok := policy.Pending(all, d.inner, d.outer, packet(t, pc, web, over, policy.Request))
		assert.True(t, ok)
		assert.Equal(t, want, i, over)
	}
	_, ok := policy.Pending(all, d.outer, d.inner, packet(t, web, pc, "tcp/443", policy.Request))
	assert.False(t, ok)
}

// decided is an oracle of its own: the sentences read one by one, for a request that no
// state knows.
func decided(d *model.Device, in, out model.InterfaceID, x *policy.Packet) (model.Ruling, int) {
	for i, p := range d.Permits {
		interfaces := (len(p.In) == 0 || slices.Contains(p.In, in)) && (len(p.Out) == 0 || slices.Contains(p.Out, out))
		ends := p.From.Contains(x.Source) && p.To.Contains(x.Destination)
		service := len(p.Over) == 0
		for _, s := range p.Over {
			service = service || s.Protocol == x.Service.Protocol &&
				(s.First == 0 && s.Last == 0 || s.First <= x.Service.First && x.Service.Last <= s.Last)
		}
		if !p.Pending && !p.Answers && interfaces && ends && service {
			return p.Ruling, i
		}
	}
	return d.Otherwise, policy.ByOtherwise
}

func TestSentencesOfRandomNetworksAreReadInOrder(t *testing.T) {
	judged := 0
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 3))
		spec := coretest.WithRandomPolicies(coretest.Spec(t, coretest.RandomNetwork(r, "{}")), r)
		p := policy.New(spec)
		var addresses []netip.Addr
		for i := range spec.Interfaces {
			for _, a := range spec.Interfaces[i].Addresses {
				addresses = append(addresses, a.Addr())
			}
		}
		for id := range spec.Devices {
			d := &spec.Devices[id]
			if len(d.Permits) == 0 {
				continue
			}
			for range 40 {
				x := &policy.Packet{Source: addresses[r.IntN(len(addresses))], Destination: addresses[r.IntN(len(addresses))], Service: model.Echo}
				in, out := d.First+model.InterfaceID(r.IntN(d.Count)), d.First+model.InterfaceID(r.IntN(d.Count))
				ruling, by := decided(d, in, out, x)
				assert.Equal(t, policy.Judgement{Ruling: ruling, By: by}, p.Through(model.DeviceID(id), in, out, x, false), "%s: %s to %s", d.Name,
					x.Source, x.Destination)
				judged++
			}
		}
	}
	assert.Greater(t, judged, 1000)
}
