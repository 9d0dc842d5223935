package referee

import (
	"net"
	"net/netip"
	"sync"
	"time"

	"golang.org/x/net/icmp"
	"golang.org/x/net/ipv4"
	"golang.org/x/net/ipv6"

	"ropeswing/core/forward"
	"ropeswing/core/prefix"
)

const mostTTL = 6

// probeKey is one probe of a trace.
type probeKey struct {
	target netip.Addr
	ttl    int
}

// answers is what came back to one device.
type answers struct {
	targets []netip.Addr
	replied map[netip.Addr]bool
	hops    map[probeKey]heard
}

// heard is who answered, and what.
type heard struct {
	from netip.Addr
	word string
}

// asker sends echo requests from within a namespace.
type asker struct {
	identifier int // of its pings; a probe of a trace adds its TTL, so that each is a flow of its own
	four, six  *icmp.PacketConn
	mutex      sync.Mutex
	sent       map[int]probeKey // by sequence number; TTL 0 is a ping
	answers    *answers
}

// newAsker opens the sockets of a namespace.
func newAsker(ns string, identifier int) (*asker, error) {
	a := &asker{identifier: identifier, sent: map[int]probeKey{}, answers: &answers{replied: map[netip.Addr]bool{}, hops: map[probeKey]heard{}}}
	err := inside(ns, func() (err error) {
		if a.four, err = icmp.ListenPacket("ip4:icmp", "0.0.0.0"); err != nil {
			return err
		}
		a.six, err = icmp.ListenPacket("ip6:ipv6-icmp", "::")
		return err
	})
	return a, err
}

func (a *asker) close() {
	a.four.Close()
	a.six.Close()
}

// patience is how long is waited for answers once all is sent.
const patience = 1500 * time.Millisecond

// ask pings targets and traces them, all at once.
func (a *asker) ask(targets []netip.Addr) *answers {
	a.answers.targets = targets
	var group sync.WaitGroup
	group.Go(func() { a.listen(a.four, 1) })
	group.Go(func() { a.listen(a.six, 58) })
	seq := 0
	// Neighbours are asked for first, so that probes do not wait in line for them.
	for _, ttl := range []int{0, 0, 1, 2, 3, 4, 5, mostTTL} {
		for _, to := range targets {
			seq++
			a.send(to, ttl, seq)
		}
		time.Sleep(60 * time.Millisecond)
	}
	deadline := time.Now().Add(patience)
	_ = a.four.SetReadDeadline(deadline)
	_ = a.six.SetReadDeadline(deadline)
	group.Wait()
	return a.answers
}

func (a *asker) send(to netip.Addr, ttl, seq int) {
	a.mutex.Lock()
	a.sent[seq] = probeKey{to, ttl}
	a.mutex.Unlock()
	hops := ttl
	if ttl == 0 {
		hops = forward.DefaultTTL
	}
	m := icmp.Message{Type: ipv4.ICMPTypeEcho, Body: &icmp.Echo{ID: a.identifier | ttl, Seq: seq, Data: []byte("ropeswing")}}
	conn := a.four
	if to.Is6() {
		m.Type, conn = ipv6.ICMPTypeEchoRequest, a.six
		_ = conn.IPv6PacketConn().SetHopLimit(hops)
	} else {
		_ = conn.IPv4PacketConn().SetTTL(hops)
	}
	b, err := m.Marshal(nil)
	if err != nil {
		return
	}
	_, _ = conn.WriteTo(b, &net.IPAddr{IP: to.AsSlice()}) // no route is an answer too
}

// listen takes in echo replies and errors until its time is up.
func (a *asker) listen(conn *icmp.PacketConn, protocol int) {
	buffer := make([]byte, 1500)
	for {
		n, peer, err := conn.ReadFrom(buffer)
		if err != nil {
			return
		}
		m, err := icmp.ParseMessage(protocol, buffer[:n])
		if err != nil {
			continue
		}
		from, _ := netip.AddrFromSlice(peer.(*net.IPAddr).IP)
		from = from.Unmap()
		switch body := m.Body.(type) {
		case *icmp.Echo:
			if (m.Type == ipv4.ICMPTypeEchoReply || m.Type == ipv6.ICMPTypeEchoReply) && body.ID&^15 == a.identifier {
				a.heard(body.Seq, from, "reply")
			}
		case *icmp.TimeExceeded:
			a.about(body.Data, protocol, from, "time exceeded")
		case *icmp.DstUnreach:
			word := forward.ICMP{Type: 3, Code: uint8(m.Code)}.Words(prefix.IPv4)
			if protocol == 58 {
				word = forward.ICMP{Type: 1, Code: uint8(m.Code)}.Words(prefix.IPv6)
			}
			a.about(body.Data, protocol, from, word)
		}
	}
}

// about takes in an error about one of the asker's own requests: errors may also
// be about a reply to somebody else's.
func (a *asker) about(inner []byte, protocol int, from netip.Addr, word string) {
	header, request := 20, byte(8)
	if protocol == 58 {
		header, request = 40, 128
	}
	if len(inner) < header+8 {
		return
	}
	to, _ := netip.AddrFromSlice(inner[header-len(from.AsSlice()) : header])
	inner = inner[header:]
	if inner[0] == request && (int(inner[4])<<8|int(inner[5]))&^15 == a.identifier {
		a.heardAbout(int(inner[6])<<8|int(inner[7]), from, to, word)
	}
}

// heardAbout takes in an error whose inner header shows where the probe was sent:
// translators have to put that back.
func (a *asker) heardAbout(seq int, from, to netip.Addr, word string) {
	a.mutex.Lock()
	key, ok := a.sent[seq]
	a.mutex.Unlock()
	if ok && key.target == to { // else it is about something that was never sent
		a.heard(seq, from, word)
	}
}

func (a *asker) heard(seq int, from netip.Addr, word string) {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	key, ok := a.sent[seq]
	switch {
	case !ok:
	case word == "reply" && from != key.target: // not one that its asker would take
	case key.ttl > 0:
		a.answers.hops[key] = heard{from, word}
	case word == "reply":
		a.answers.replied[key.target] = true
	}
}
