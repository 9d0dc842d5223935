package rehearse

import (
	"errors"
	"fmt"
	"net"
	"net/netip"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/net/icmp"
	"golang.org/x/net/ipv4"
	"golang.org/x/net/ipv6"
	"golang.org/x/sync/errgroup"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Ask sends what each device is to ask: pings, and with traces a probe for each hop. All ask at
// once.
func (l *Lab) Ask(asked map[model.DeviceID][]netip.Addr, traces bool) (map[model.DeviceID]*Answers, error) {
	return l.ask(asked, traces, patience)
}

// ask is Ask that waits for a time once all is sent.
func (l *Lab) ask(asked map[model.DeviceID][]netip.Addr, traces bool, wait time.Duration) (map[model.DeviceID]*Answers, error) {
	results := map[model.DeviceID]*Answers{}
	var mutex sync.Mutex
	var group errgroup.Group
	for d, targets := range asked {
		a := newAsker(d, targets)
		if err := l.Inside(d, a.open); err != nil {
			return nil, fmt.Errorf("asking from %s: %w", l.now.Load().Spec.Devices[d].Name, err)
		}
		group.Go(func() error {
			defer a.close()
			a.ask(targets, traces, wait)
			mutex.Lock()
			defer mutex.Unlock()
			results[d] = a.answers
			return nil
		})
	}
	return results, group.Wait()
}

// asker sends echo requests from within a namespace.
type asker struct {
	source     netip.Addr // what it asks from; invalid for what the device chooses
	mark       model.Mark // of its pings
	identifier int        // of its pings; a probe of a trace adds its TTL, so that each is a flow of its own
	four, six  *icmp.PacketConn
	mutex      sync.Mutex
	sent       map[int]Probe // by sequence number; TTL 0 is a ping
	next       int           // the sequence number of the next probe
	answers    *Answers
}

// open opens the sockets, in the namespace it is called in.
func (a *asker) open() (err error) {
	four, six := "0.0.0.0", "::"
	if a.source.Is4() {
		four = a.source.String()
	} else if a.source.IsValid() {
		six = a.source.String()
	}
	if a.four, err = icmp.ListenPacket("ip4:icmp", four); err != nil {
		return err
	}
	if a.six, err = icmp.ListenPacket("ip6:ipv6-icmp", six); err != nil {
		a.four.Close()
		return err
	}
	for _, c := range []interface{ SetReadBuffer(int) error }{a.four.IPv4PacketConn().PacketConn.(*net.IPConn),
		a.six.IPv6PacketConn().PacketConn.(*net.IPConn)} {
		_ = c.SetReadBuffer(4 << 20)
	}
	if a.mark != 0 {
		class := int(a.mark.CodePoint()) << 2
		return errors.Join(a.four.IPv4PacketConn().SetTOS(class), a.six.IPv6PacketConn().SetTrafficClass(class))
	}
	return nil
}

func (a *asker) close() {
	a.four.Close()
	a.six.Close()
}

// patience is how long is waited for answers once all is sent; little, where what is missing is
// asked again.
const (
	patience = 1500 * time.Millisecond
	little   = 400 * time.Millisecond
)

// ask pings targets and, with traces, sends a probe for each hop.
func (a *asker) ask(targets []netip.Addr, traces bool, wait time.Duration) {
	var group sync.WaitGroup
	group.Go(func() { a.listen(a.four, 1) })
	group.Go(func() { a.listen(a.six, 58) })
	// Neighbours are asked for first, so that probes do not wait in line for them.
	ttls := []int{0, 0}
	if traces {
		ttls = []int{0, 0, 1, 2, 3, 4, 5, MostTTL}
	}
	for _, ttl := range ttls {
		if !traces && a.allReplied() {
			break
		}
		for n, to := range targets {
			a.send(to, ttl)
			if n%pacing == pacing-1 {
				time.Sleep(time.Millisecond)
			}
		}
		if ttl == 0 {
			time.Sleep(60 * time.Millisecond)
		}
	}
	deadline := time.Now().Add(wait)
	for !traces && !a.allReplied() && time.Now().Before(deadline) {
		time.Sleep(5 * time.Millisecond)
	}
	if !traces {
		deadline = time.Now()
	}
	_ = a.four.SetReadDeadline(deadline)
	_ = a.six.SetReadDeadline(deadline)
	group.Wait()
}

// allReplied tells whether every target has replied.
func (a *asker) allReplied() bool {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	return len(a.answers.Replied) >= len(a.answers.Targets)
}

// once sends one request and waits a little.
func (l *Lab) once(from model.DeviceID, to netip.Addr) error {
	a := newAsker(from, nil)
	if err := l.Inside(from, a.open); err != nil {
		return err
	}
	defer a.close()
	a.send(to, 0)
	time.Sleep(little)
	return nil
}

// numbers is how many sequence numbers were taken so far: no two askers have the same ones, so
// that a reply that took its time is never one to somebody who asked later.
var numbers atomic.Uint32

// newAsker asks from a device.
func newAsker(from model.DeviceID, targets []netip.Addr) *asker {
	most := uint32(len(targets)+1) * (2 + MostTTL)
	return &asker{identifier: 0x4000 + int(from)<<4, sent: map[int]Probe{}, next: int(numbers.Add(most) - most),
		answers: &Answers{Targets: targets, Replied: map[netip.Addr]bool{}, Hops: map[Probe]Heard{}}}
}

// pacing is how many packets one device sends at once.
const pacing = 16

func (a *asker) send(to netip.Addr, ttl int) {
	a.mutex.Lock()
	seq := a.next & 0xffff
	a.next++
	a.sent[seq] = Probe{to, ttl}
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
				a.heard(body.Seq, body.ID&15, from, "reply")
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
	if id := int(inner[4])<<8 | int(inner[5]); inner[0] == request && id&^15 == a.identifier {
		a.heardAbout(int(inner[6])<<8|int(inner[7]), id&15, from, to, word)
	}
}

// heardAbout takes in an error whose inner header shows where the probe was sent:
// translators have to put that back.
func (a *asker) heardAbout(seq, ttl int, from, to netip.Addr, word string) {
	a.mutex.Lock()
	key, ok := a.sent[seq]
	a.mutex.Unlock()
	if ok && key.Target == to { // else it is about something that was never sent
		a.heard(seq, ttl, from, word)
	}
}

// heard takes in an answer to the probe of a sequence number and a TTL.
func (a *asker) heard(seq, ttl int, from netip.Addr, word string) {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	key, ok := a.sent[seq]
	switch {
	case !ok || key.TTL != ttl:
	case word == "reply" && from != key.Target: // not one that its asker would take
	case key.TTL > 0 || word != "reply":
		a.answers.Hops[key] = Heard{from, word}
	case word == "reply":
		a.answers.Replied[key.Target] = true
	}
}
