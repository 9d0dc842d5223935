package wire

import (
	"bytes"
	"crypto/rand"
	"net"
	"net/netip"
	"os"
	"time"

	"golang.org/x/net/icmp"
	"golang.org/x/net/ipv4"
	"golang.org/x/net/ipv6"

	"ropeswing/core/forward"
	"ropeswing/core/prefix"
)

// answer is what came back for a packet of ours.
type answer struct {
	from  netip.Addr
	at    time.Time
	what  forward.ICMP
	about []byte     // our packet from behind its IP header on, as far as it was sent back; of a reply, the reply
	to    netip.Addr // of an error: where our packet was sent to; invalid where that is not told
}

// ICMP types that are asked with.
const (
	echo4, echo6 = 8, 128 // RFC 792, RFC 4443 §4.1
)

// icmpSocket sends echo requests of one family and hears what comes back.
type icmpSocket struct {
	conn   *icmp.PacketConn
	family prefix.Family
	raw    bool   // it hears all that comes to this machine, not only what is for it
	data   []byte // what our requests hold, which nobody can guess: replies hold it too
}

// secret is what a run's requests hold.
func secret() []byte {
	data := make([]byte, 16)
	_, _ = rand.Read(data) // it never fails
	return append(data, " ropeswing asks whether you are there"...)
}

// random16 is a number from 0 to 65535 that nobody can guess.
func random16() int {
	var b [2]byte
	_, _ = rand.Read(b[:])
	return int(b[0])<<8 | int(b[1])
}

// openICMP opens a raw socket for root, else one for pings only, else a raw one: of
// those the system may let a user have either.
func openICMP(family prefix.Family) (*icmpSocket, error) {
	names := [][2]string{{"udp4", "0.0.0.0"}, {"ip4:icmp", "0.0.0.0"}}
	if family == prefix.IPv6 {
		names = [][2]string{{"udp6", "::"}, {"ip6:ipv6-icmp", "::"}}
	}
	if os.Geteuid() == 0 {
		names[0], names[1] = names[1], names[0]
	}
	var err error
	for _, n := range names {
		s := &icmpSocket{family: family, raw: n[0][0] == 'i', data: secret()}
		if s.conn, err = icmp.ListenPacket(n[0], n[1]); err == nil {
			if !s.raw {
				keepErrors(s.inner(), family)
			}
			return s, nil
		}
	}
	return nil, err
}

func (s *icmpSocket) close() { s.conn.Close() }

// inner is the connection itself.
func (s *icmpSocket) inner() net.PacketConn {
	if s.family == prefix.IPv4 {
		return s.conn.IPv4PacketConn().PacketConn
	}
	return s.conn.IPv6PacketConn().PacketConn
}

// limit sets the TTL or hop limit of what is sent from now on.
func (s *icmpSocket) limit(ttl int) error {
	if s.family == prefix.IPv4 {
		return s.conn.IPv4PacketConn().SetTTL(ttl)
	}
	return s.conn.IPv6PacketConn().SetHopLimit(ttl)
}

// send sends one echo request. Where the system numbers a user's pings itself, the
// identifier is its own.
func (s *icmpSocket) send(to netip.Addr, id, seq int) error {
	m := icmp.Message{Type: ipv4.ICMPTypeEcho, Body: &icmp.Echo{ID: id, Seq: seq, Data: s.data}}
	if s.family == prefix.IPv6 {
		m.Type = ipv6.ICMPTypeEchoRequest
	}
	b, err := m.Marshal(nil)
	if err != nil {
		return err
	}
	var address net.Addr = &net.UDPAddr{IP: to.AsSlice(), Zone: to.Zone()}
	if s.raw {
		address = &net.IPAddr{IP: to.AsSlice(), Zone: to.Zone()}
	}
	return writeTo(s.inner(), b, address)
}

// writeTo sends, once more where the first attempt told of an error that came back for
// an earlier packet.
func writeTo(c net.PacketConn, b []byte, to net.Addr) error {
	if _, err := c.WriteTo(b, to); err == nil {
		return nil
	}
	_, err := c.WriteTo(b, to)
	return err
}

// listen takes in replies and errors until the socket is closed.
func (s *icmpSocket) listen(hear func(answer)) {
	if s.raw || !keepsErrors {
		s.listenRaw(hear)
		return
	}
	listenQueue(s.inner(), s.family, hear, func(b []byte, from netip.Addr) {
		if len(b) >= 8 {
			hear(answer{from: from, at: time.Now(), what: forward.ICMP{Type: b[0], Code: b[1]}, about: append([]byte{}, b...)})
		}
	})
}

func (s *icmpSocket) listenRaw(hear func(answer)) {
	buffer := make([]byte, 1<<16)
	for {
		n, peer, err := s.conn.ReadFrom(buffer)
		if err != nil {
			return
		}
		if a, ok := parseICMP(buffer[:n], s.family); ok {
			a.from, a.at = addressOfPeer(peer), time.Now()
			hear(a)
		}
	}
}

// parseICMP reads a reply to an echo request, or an error about one of this machine's
// packets.
func parseICMP(b []byte, family prefix.Family) (answer, bool) {
	protocol := 58
	if family == prefix.IPv4 {
		protocol = 1
	}
	m, err := icmp.ParseMessage(protocol, b)
	if err != nil || family == prefix.IPv4 && !sumsUp(b) {
		return answer{}, false
	}
	a := answer{what: forward.ICMP{Type: b[0], Code: b[1]}}
	var quoted []byte
	switch body := m.Body.(type) {
	case *icmp.Echo:
		a.about = append([]byte{}, b...)
		return a, m.Type == ipv4.ICMPTypeEchoReply || m.Type == ipv6.ICMPTypeEchoReply
	case *icmp.TimeExceeded:
		quoted = body.Data
	case *icmp.DstUnreach:
		quoted = body.Data
	case *icmp.PacketTooBig:
		quoted = body.Data
	default:
		return answer{}, false
	}
	a.about, a.to = behindHeader(quoted, family), quotedTarget(quoted, family)
	return a, len(a.about) >= 8 && a.to.IsValid()
}

// sumsUp tells whether the checksum of an ICMPv4 message is right (RFC 792); that of an
// ICMPv6 one the system looks at itself.
func sumsUp(b []byte) bool {
	sum := 0
	for i, x := range b {
		if i%2 == 0 {
			sum += int(x) << 8
		} else {
			sum += int(x)
		}
	}
	for sum > 0xffff {
		sum = sum>>16 + sum&0xffff
	}
	return sum == 0xffff
}

// quotedTarget is where a quoted packet was sent to.
func quotedTarget(b []byte, family prefix.Family) netip.Addr {
	from, to := 24, 40
	if family == prefix.IPv4 {
		from, to = 16, 20
	}
	if len(b) < to {
		return netip.Addr{}
	}
	a, _ := netip.AddrFromSlice(b[from:to])
	return a
}

// behindHeader is what follows a packet's IP header.
func behindHeader(b []byte, family prefix.Family) []byte {
	header := 40
	if family == prefix.IPv4 && len(b) > 0 {
		header = int(b[0]&15) * 4
	}
	if header < 20 || len(b) < header {
		return nil
	}
	return b[header:]
}

func addressOfPeer(peer net.Addr) netip.Addr {
	var ip net.IP
	switch a := peer.(type) {
	case *net.IPAddr:
		ip = a.IP
	case *net.UDPAddr:
		ip = a.IP
	}
	from, _ := netip.AddrFromSlice(ip)
	return from.Unmap()
}

// echoOf tells which of our requests an answer is about: by its sequence number.
func (s *icmpSocket) echoOf(a answer, id int) (seq int, ok bool) {
	b := a.about
	switch {
	case len(b) < 8:
		return 0, false
	case s.raw && int(b[4])<<8|int(b[5]) != id:
		return 0, false
	case b[0] != echo4 && b[0] != echo6 && !a.isReply():
		return 0, false // about something else of this machine's
	case a.isReply() && !bytes.Equal(b[8:], s.data), !bytes.HasPrefix(s.data, b[8:min(len(b), 8+len(s.data))]):
		return 0, false // of nobody who has got one of our requests
	}
	return int(b[6])<<8 | int(b[7]), true
}

// isAbout tells whether an answer may be about what was sent to a target: a reply comes from
// it, and an error quotes it.
func (a answer) isAbout(target netip.Addr) bool {
	target = target.WithZone("")
	if a.isReply() {
		return a.from == target
	}
	return !a.to.IsValid() || a.to == target
}

// isReply tells a reply from an error.
func (a answer) isReply() bool {
	return a.what == forward.ICMP{} && a.from.Is4() || a.what == forward.ICMP{Type: 129} && a.from.Is6()
}
