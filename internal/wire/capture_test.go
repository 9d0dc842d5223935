package wire_test

import (
	"bytes"
	"encoding/binary"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/frames"
	"ropeswing/core/model"
	"ropeswing/internal/wire"
)

const captured = `
segments: {a: {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}, l: {prefix: [10.0.0.0/31, "2001:db8::/127"]}, b: {prefix: [10.2.0.0/24, "2001:db8:2::/64"]}}
devices:
  ha: {is: host, gateway: ra, interfaces: {p: {segment: a, address: 10}}}
  ra: {is: router, interfaces: {l: {segment: a, address: 1}, x: {segment: l, address: first, mtu: 1400}}, routes: {b: rb}}
  rb: {is: router, permits: [anyone is refused 10.2.0.10 over tcp], interfaces: {l: {segment: b, address: 1}, x: {segment: l, address: last, mtu: 1400}}, routes: {a: ra}}
  hb: {is: host, gateway: rb, interfaces: {p: {segment: b, address: 10}}}
`

// capturedOf writes an exchange and reads it again.
func capturedOf(t *testing.T, to string, probe forward.Probe) []wire.Captured {
	t.Helper()
	net := coretest.Network(t, captured)
	x := forward.PingBy(net, coretest.Device(t, net.Spec, "ha"), netip.Addr{}, netip.MustParseAddr(to), model.None, probe)
	var b bytes.Buffer
	require.NoError(t, wire.WriteCapture(&b, net.Spec, frames.Of(net, x)))
	all, err := wire.ReadCapture(bytes.NewReader(b.Bytes()))
	require.NoError(t, err)
	for _, c := range all {
		assert.Empty(t, c.Problem, c.What)
	}
	return all
}

// at are the packets on one interface, in words.
func at(all []wire.Captured, name string) []string {
	var words []string
	for _, c := range all {
		if c.Interface == name {
			words = append(words, c.Way+" "+c.Source+" "+c.Target+": "+c.What)
		}
	}
	return words
}

func TestCapturesAreReadAsWritten(t *testing.T) {
	assert.Equal(t, []string{
		"out 10.1.0.10 10.1.0.1: ARP: who has 10.1.0.1? tell 10.1.0.10",
		"in 10.1.0.1 10.1.0.10: ARP: 10.1.0.1 is at 02:00:9d:81:b9:3a",
		"out 10.1.0.10 10.2.0.10: echo request, identifier 0x5253, number 1",
		"in 10.2.0.10 10.1.0.10: echo reply, identifier 0x5253, number 1",
	}, withMAC(at(capturedOf(t, "10.2.0.10", forward.Probe{}), "ha:p")))
	six := at(capturedOf(t, "2001:db8:2::a", forward.Probe{}), "ha:p")
	assert.Equal(t, "out 2001:db8:1::a ff02::1:ff00:1: who has 2001:db8:1::1?", six[0], "at the multicast group of the address")
	assert.Contains(t, six[1], "in 2001:db8:1::1 2001:db8:1::a: 2001:db8:1::1 is at ")
	assert.Equal(t, "in 2001:db8:2::a 2001:db8:1::a: echo reply, identifier 0x5253, number 1", six[3])
	tcp := at(capturedOf(t, "10.2.0.10", forward.Probe{Over: model.Service{Protocol: model.TCP, First: 443, Last: 443}}), "ha:p")
	assert.Equal(t, "out 10.1.0.10 10.2.0.10: TCP SYN, port 50505 to 443", tcp[2])
	assert.Equal(t, "in 10.0.0.1 10.1.0.10: administratively prohibited, about 10.1.0.10 to 10.2.0.10", tcp[3])
	udp := at(capturedOf(t, "2001:db8:2::a", forward.Probe{Over: model.Service{Protocol: model.UDP, First: 53, Last: 53}}), "hb:p")
	assert.Equal(t, "out 2001:db8:2::a 2001:db8:1::a: UDP, port 53 to 50505", udp[3])
}

// withMAC puts the one in that the test cannot know: it is made of a name.
func withMAC(words []string) []string {
	const known = "02:00:9d:81:b9:3a"
	for i, w := range words {
		if n := len(w) - len(known); n > 0 && w[n:n+6] == "02:00:" {
			words[i] = w[:n] + known
		}
	}
	return words
}

// A packet of 1,500 bytes over a link of 1,400: 20 + 1,376 and 20 + 104 (RFC 791);
// in IPv6 its sender is told, and cuts it itself (RFC 8200): 40 + 8 + 1,352 and 100.
func TestPacketsAreCutUp(t *testing.T) {
	var sizes []int
	all := capturedOf(t, "10.2.0.10", forward.Probe{Size: 1500})
	for _, c := range all {
		if c.Interface == "rb:x" && c.Way == "in" && c.Target == "10.2.0.10" {
			sizes = append(sizes, c.Length-14)
		}
	}
	assert.Equal(t, []int{1396, 124}, sizes)
	assert.Contains(t, at(all, "rb:x")[3], "piece from byte 1376")
	sizes = nil
	for _, c := range capturedOf(t, "10.2.0.10", forward.Probe{Size: 1428, Whole: true}) {
		if c.Interface == "ha:p" && c.Way == "in" && c.Source == "10.1.0.1" && c.TTL > 0 {
			assert.Equal(t, "fragmentation needed, 1400 bytes fit, about 10.1.0.10 to 10.2.0.10", c.What)
			sizes = append(sizes, c.Length-14)
		}
	}
	assert.Equal(t, []int{576}, sizes, "an error is as large as RFC 1812 §4.3.2.3 lets it be")
}

func TestWhatIsNoCaptureIsRefused(t *testing.T) {
	for text, message := range map[string]string{"": "it is empty", "\x0a\x0d": "too short", "hello, world, this is text": "it is no capture",
		"\x0a\x0d\x0d\x0a rest of nothing": "it is no whole capture"} {
		_, err := wire.ReadCapture(bytes.NewReader([]byte(text)))
		assert.ErrorContains(t, err, message, "%q", text)
	}
	net := coretest.Network(t, captured)
	x := forward.Ping(net, coretest.Device(t, net.Spec, "ha"), netip.Addr{}, netip.MustParseAddr("10.2.0.10"), model.None)
	var b bytes.Buffer
	require.NoError(t, wire.WriteCapture(&b, net.Spec, frames.Of(net, x)))
	all, err := wire.ReadCapture(bytes.NewReader(b.Bytes()[:b.Len()-20]))
	assert.ErrorContains(t, err, "it breaks off behind packet")
	assert.NotEmpty(t, all, "what was whole is shown")
	assert.Error(t, wire.WriteCapture(&b, net.Spec, nil))
}

// The older format is read too.
func TestOlderCapturesAreRead(t *testing.T) {
	le := binary.LittleEndian
	b := le.AppendUint32(nil, 0xa1b2c3d4)
	b = le.AppendUint16(le.AppendUint16(b, 2), 4)
	for _, n := range []uint32{0, 0, 65535, 101, 1, 2, 20, 20} { // raw IP; one packet at 1.000002 s
		b = le.AppendUint32(b, n)
	}
	b = append(b, 0x45, 0, 0, 20, 0, 0, 0, 0, 9, 59, 0, 0, 10, 1, 0, 1, 10, 1, 0, 2)
	all, err := wire.ReadCapture(bytes.NewReader(b))
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, 9, all[0].TTL)
	assert.Equal(t, "10.1.0.1 10.1.0.2", all[0].Source+" "+all[0].Target)
}

// What is no error is told as what it is: nothing is about it.
func TestMessagesThatAreNoErrorsAreRead(t *testing.T) {
	le := binary.LittleEndian
	group := netip.MustParseAddr("ff02::1:ff00:10").AsSlice()
	six := func(body ...byte) []byte {
		b := append([]byte{0x60, 0, 0, 0, 0, byte(len(body)), 58, 1}, netip.MustParseAddr("fe80::1").AsSlice()...)
		return append(append(b, netip.MustParseAddr("ff02::16").AsSlice()...), body...)
	}
	four := func(body ...byte) []byte {
		return append([]byte{0x45, 0, 0, byte(20 + len(body)), 0, 0, 0, 0, 9, 1, 0, 0, 10, 1, 0, 1, 10, 1, 0, 2}, body...)
	}
	for want, packet := range map[string][]byte{
		"listens: ff02::1:ff00:10":         six(append([]byte{143, 0, 0, 0, 0, 0, 0, 1, 4, 0, 0, 0}, group...)...),
		"who listens?":                     six(append([]byte{130, 0, 0, 0, 0, 10, 0, 0}, make([]byte, 16)...)...),
		"listens no more: ff02::1:ff00:10": six(append([]byte{132, 0, 0, 0, 0, 0, 0, 0}, group...)...),
		"router solicitation":              six(133, 0, 0, 0, 0, 0, 0, 0),
		"ICMPv6 type 200 code 7":           six(200, 7, 0, 0, 0, 0, 0, 0),
		"timestamp request":                four(13, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0),
		"ICMP type 42 code 0":              four(42, 0, 0, 0, 0, 0, 0, 0),
	} {
		b := le.AppendUint32(nil, 0xa1b2c3d4)
		b = le.AppendUint16(le.AppendUint16(b, 2), 4)
		for _, n := range []uint32{0, 0, 65535, 101, 1, 2, uint32(len(packet)), uint32(len(packet))} {
			b = le.AppendUint32(b, n)
		}
		all, err := wire.ReadCapture(bytes.NewReader(append(b, packet...)))
		require.NoError(t, err, want)
		require.Len(t, all, 1)
		assert.Equal(t, want, all[0].What)
	}
}

func FuzzReadCapture(f *testing.F) {
	net := coretest.Network(f, captured)
	for _, to := range []string{"10.2.0.10", "2001:db8:2::a"} {
		x := forward.PingBy(net, coretest.Device(f, net.Spec, "ha"), netip.Addr{}, netip.MustParseAddr(to), model.None,
			forward.Probe{Size: 1500})
		var b bytes.Buffer
		require.NoError(f, wire.WriteCapture(&b, net.Spec, frames.Of(net, x)))
		f.Add(b.Bytes())
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		all, err := wire.ReadCapture(bytes.NewReader(b))
		if err == nil && len(all) == 0 && len(b) < 24 {
			t.Fatal("nothing was read, and nothing was wrong")
		}
	})
}
