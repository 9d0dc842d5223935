package wire

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/icmp"
	"golang.org/x/net/ipv4"
	"golang.org/x/net/ipv6"

	"ropeswing/core/forward"
	"ropeswing/core/prefix"
)

// quoted is a packet of ours as an error quotes it: an IPv4 header of so many bytes, and
// what is behind it.
func quoted(header int, rest ...byte) []byte {
	b := make([]byte, header)
	b[0] = 0x40 | byte(header/4)
	return append(b, rest...)
}

// raw is an error as it is heard.
func raw(t testing.TB, kind icmp.Type, code int, body icmp.MessageBody) []byte {
	b, err := (&icmp.Message{Type: kind, Code: code, Body: body}).Marshal(nil)
	require.NoError(t, err)
	return b
}

func TestWhichProbeAnErrorIsAbout(t *testing.T) {
	echo := []byte{8, 0, 0, 0, 0x12, 0x34, 0, 3<<4 | 1} // identifier 0x1234, TTL 3, flow 1
	a, ok := parseICMP(raw(t, ipv4.ICMPTypeTimeExceeded, 0, &icmp.TimeExceeded{Data: quoted(20, echo...)}), prefix.IPv4)
	require.True(t, ok)
	assert.Equal(t, forward.ICMP{Type: 11}, a.what)
	e := &echoProbes{&icmpSocket{raw: true, family: prefix.IPv4}, 0x1234, 0}
	p, ok := e.which(a)
	assert.True(t, ok)
	assert.Equal(t, probe{3, 1}, p)

	a, ok = parseICMP(raw(t, ipv4.ICMPTypeDestinationUnreachable, 13, &icmp.DstUnreach{Data: quoted(24, echo...)}), prefix.IPv4)
	require.True(t, ok, "a header with options")
	p, ok = e.which(a)
	assert.True(t, ok)
	assert.Equal(t, probe{3, 1}, p)
	_, ok = (&echoProbes{&icmpSocket{raw: true}, 0x4321, 0}).which(a)
	assert.False(t, ok, "somebody else's")
	_, ok = e.which(answer{from: netip.MustParseAddr("192.0.2.1"), what: forward.ICMP{Type: 11},
		about: []byte{17, 0, 0, 0, 0x12, 0x34, 0, 1}})
	assert.False(t, ok, "about no echo request")
	_, ok = parseICMP(raw(t, ipv4.ICMPTypeTimeExceeded, 0, &icmp.TimeExceeded{Data: quoted(20, 8, 0, 0, 0)}), prefix.IPv4)
	assert.False(t, ok, "quoted too short to tell")

	six := append(make([]byte, 40), 128, 0, 0, 0, 0x12, 0x34, 0, 2<<4)
	a, ok = parseICMP(raw(t, ipv6.ICMPTypeTimeExceeded, 0, &icmp.TimeExceeded{Data: six}), prefix.IPv6)
	require.True(t, ok)
	p, ok = e.which(a)
	assert.True(t, ok)
	assert.Equal(t, probe{2, 0}, p)
}

func TestWhichDatagramAnErrorIsAbout(t *testing.T) {
	port := []byte{0x82, 0x9b} // 33435
	from := netip.MustParseAddr("192.0.2.1")
	over := func(about ...byte) answer {
		return answer{from: from, what: forward.ICMP{Type: 11}, about: about}
	}
	heard := &datagrams{port: 0xc001, ear: &icmpSocket{}}
	p, ok := heard.which(over(0xc0, 1, port[0], port[1], 0, 8+leastDatagram+5, 0, 0))
	assert.True(t, ok)
	assert.Equal(t, probe{5, 1}, p, "the length tells the TTL where only the header is quoted")
	_, ok = heard.which(over(0xc0, 2, port[0], port[1], 0, 8+leastDatagram+5, 0, 0))
	assert.False(t, ok, "from another port")
	kept := &datagrams{}
	p, ok = kept.which(over(0, 0, port[0], port[1], 0, 0, 0, 0, 7))
	assert.True(t, ok)
	assert.Equal(t, probe{7, 1}, p, "the first byte tells it where the system keeps the error")
	p, ok = kept.which(over(0, 0, port[0], port[1], 0, 0, 0, 0))
	assert.True(t, ok)
	assert.Equal(t, probe{0, 1}, p, "where neither is quoted it is the TTL tried now")
	_, ok = kept.which(over(0, 0, 0, 53, 0, 0, 0, 0))
	assert.False(t, ok, "to a port that is none of the probes'")
	_, ok = kept.which(over(0, 0, port[0]))
	assert.False(t, ok)
}

func TestHopsAfterTheEndAreLeftOut(t *testing.T) {
	r, far := netip.MustParseAddr("10.0.0.1"), netip.MustParseAddr("10.0.0.2")
	over, none := forward.ICMP{Type: 11}, forward.ICMP{Type: 3, Code: 1}
	hop := func(ttl int, answers ...forward.MeasuredAnswer) forward.MeasuredHop {
		return forward.MeasuredHop{TTL: ttl, Answers: answers}
	}
	late := []forward.MeasuredHop{hop(1, forward.MeasuredAnswer{From: r, ICMP: over}), hop(2, forward.MeasuredAnswer{From: r, ICMP: none}),
		hop(3, forward.MeasuredAnswer{From: r, ICMP: none}), hop(4)}
	assert.Len(t, untilTheEnd(late, prefix.IPv4), 2)
	silent := []forward.MeasuredHop{hop(1, forward.MeasuredAnswer{From: r, ICMP: over}), hop(2), hop(3)}
	assert.Len(t, untilTheEnd(silent, prefix.IPv4), 3, "nobody ended it")
	further := []forward.MeasuredHop{hop(1, forward.MeasuredAnswer{From: r, ICMP: none}),
		hop(2, forward.MeasuredAnswer{From: far, ICMP: over})}
	assert.Len(t, untilTheEnd(further, prefix.IPv4), 2, "another flow went on")
}

// What comes from the network is anything: it is read or left, and nothing breaks.
func FuzzICMP(f *testing.F) {
	f.Add(raw(f, ipv4.ICMPTypeTimeExceeded, 0, &icmp.TimeExceeded{Data: quoted(20, 8, 0, 0, 0, 1, 2, 0, 0x31)}), true)
	f.Add(raw(f, ipv6.ICMPTypeDestinationUnreachable, 4, &icmp.DstUnreach{Data: make([]byte, 60)}), false)
	f.Add([]byte{0, 0, 0, 0, 1, 2, 3, 4}, true)
	f.Fuzz(func(t *testing.T, b []byte, is4 bool) {
		family := prefix.FamilyIf(is4)
		a, ok := parseICMP(b, family)
		if !ok {
			return
		}
		a.from = netip.IPv6Loopback()
		if family == prefix.IPv4 {
			a.from = netip.MustParseAddr("127.0.0.1")
		}
		e := &echoProbes{&icmpSocket{raw: true, family: family}, 0x102, 0x5a5a}
		if p, ok := e.which(a); ok {
			assert.True(t, p.flow < 16 && p.ttl < 1<<12)
		}
		if p, ok := (&datagrams{family: family}).which(a); ok {
			assert.True(t, p.flow >= 0 && p.flow < 16)
		}
	})
}

// What somebody makes up who has got none of our packets is not believed: not by its data,
// its identifier, its checksum, nor about whom it is.
func TestAnswersCannotBeForged(t *testing.T) {
	target, other := netip.MustParseAddr("192.0.2.7"), netip.MustParseAddr("192.0.2.8")
	e := &echoProbes{&icmpSocket{raw: true, family: prefix.IPv4, data: []byte("secret0123456789")}, 0x1234, 0x0f0f}
	seq := (3<<4 | 1) ^ 0x0f0f
	reply := func(id int, data string) []byte {
		return raw(t, ipv4.ICMPTypeEchoReply, 0, &icmp.Echo{ID: id, Seq: seq, Data: []byte(data)})
	}
	heard := func(b []byte, from netip.Addr) bool {
		a, ok := parseICMP(b, prefix.IPv4)
		if !ok {
			return false
		}
		a.from = from
		p, ok := e.which(a)
		return ok && a.isAbout(target) && p == probe{3, 1}
	}
	assert.True(t, heard(reply(0x1234, "secret0123456789"), target))
	assert.False(t, heard(reply(0x1234, "secret0123456789"), other), "from somebody else")
	assert.False(t, heard(reply(0x1234, "secret012345678"), target), "other data")
	assert.False(t, heard(reply(0x1234, "ropeswing asks"), target), "other data")
	assert.False(t, heard(reply(0x4321, "secret0123456789"), target), "another identifier")
	spoilt := reply(0x1234, "secret0123456789")
	spoilt[2] ^= 1
	assert.False(t, heard(spoilt, target), "a wrong checksum")

	request := append([]byte{8, 0, 0, 0, 0x12, 0x34, byte(seq >> 8), byte(seq)}, "secret01"...)
	about := func(to netip.Addr, packet []byte) []byte {
		b := quoted(20, packet...)
		four := to.As4()
		copy(b[16:], four[:])
		return raw(t, ipv4.ICMPTypeTimeExceeded, 0, &icmp.TimeExceeded{Data: b})
	}
	assert.True(t, heard(about(target, request), other), "a router on the path")
	assert.True(t, heard(about(target, request[:8]), other), "that quotes the least there is")
	assert.False(t, heard(about(other, request), other), "about another host")
	request[9] ^= 1
	assert.False(t, heard(about(target, request), other), "about what was not sent")

	d := &datagrams{secret: []byte("secret"), port: 7, ear: &icmpSocket{}}
	head := []byte{0, 7, 0x82, 0x9b, 0, 8 + leastDatagram + 5, 0, 0}
	_, ok := d.which(answer{from: other, what: forward.ICMP{Type: 11}, about: append(append([]byte{}, head...), d.payload(5)...)})
	assert.True(t, ok)
	_, ok = d.which(answer{from: other, what: forward.ICMP{Type: 11}, about: append(append([]byte{}, head...), "\x05other!"...)})
	assert.False(t, ok)
}
