package wire

import (
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
	about []byte // our packet from behind its IP header on, as far as it was sent back; of a reply, the reply
}

// ICMP types that are asked with.
const (
	echo4, echo6 = 8, 128 // RFC 792, RFC 4443 §4.1
)

// icmpSocket sends echo requests of one family and hears what comes back.
type icmpSocket struct {
	conn   *icmp.PacketConn
	family prefix.Family
	raw    bool // it hears all that comes to this machine, not only what is for it
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
		s := &icmpSocket{family: family, raw: n[0][0] == 'i'}
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
	m := icmp.Message{Type: ipv4.ICMPTypeEcho, Body: &icmp.Echo{ID: id, Seq: seq, Data: []byte("ropeswing asks whether you are there")}}
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
			hear(answer{from, time.Now(), forward.ICMP{Type: b[0], Code: b[1]}, b})
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
	if err != nil {
		return answer{}, false
	}
	a := answer{what: forward.ICMP{Type: b[0], Code: b[1]}}
	switch body := m.Body.(type) {
	case *icmp.Echo:
		a.about = b
		return a, m.Type == ipv4.ICMPTypeEchoReply || m.Type == ipv6.ICMPTypeEchoReply
	case *icmp.TimeExceeded:
		a.about = behindHeader(body.Data, family)
	case *icmp.DstUnreach:
		a.about = behindHeader(body.Data, family)
	case *icmp.PacketTooBig:
		a.about = behindHeader(body.Data, family)
	default:
		return answer{}, false
	}
	return a, len(a.about) >= 8
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
	}
	return int(b[6])<<8 | int(b[7]), true
}

// isReply tells a reply from an error.
func (a answer) isReply() bool {
	return a.what == forward.ICMP{} && a.from.Is4() || a.what == forward.ICMP{Type: 129} && a.from.Is6()
}
