package wire

import (
	"context"
	"errors"
	"net"
	"net/netip"
	"os"
	"sync"
	"time"

	"golang.org/x/net/icmp"
	"golang.org/x/net/ipv4"
	"golang.org/x/net/ipv6"

	"ropeswing/core/forward"
)

// ErrNotPermitted is that the system lets this user send no pings.
var ErrNotPermitted = errors.New("the system does not let you send pings: run it as root, or have it permit them (net.ipv4.ping_group_range)")

// Echo is what came of pinging one address.
type Echo struct {
	Target  netip.Addr
	Replied bool
	Trip    time.Duration // of the reply
	From    netip.Addr    // who said that it cannot be; invalid where nobody did
	Word    string        // what they said
}

// EchoOptions say how to ping.
type EchoOptions struct {
	Tries    int           // for each address, until it replies
	Patience time.Duration // for the replies of one try
	Spacing  time.Duration // between two packets
}

// PoliteEcho is how to ping without being a burden: 333 packets a second, each address
// twice at most.
var PoliteEcho = EchoOptions{Tries: 2, Patience: time.Second, Spacing: 3 * time.Millisecond}

// pinger sends echo requests and hears what comes back.
type pinger struct {
	four, six *icmp.PacketConn
	raw       bool
	id        int
	mutex     sync.Mutex
	sent      map[int]sentEcho // by sequence number
	at        map[netip.Addr]int
	all       []Echo
	left      int
	done      chan struct{}
}

type sentEcho struct {
	target netip.Addr
	at     time.Time
}

// open opens a socket of a family: a raw one for root, which hears errors too, else
// one for pings only.
func (p *pinger) open(is4 bool) (*icmp.PacketConn, error) {
	names := [][2]string{{"udp4", "0.0.0.0"}, {"ip4:icmp", "0.0.0.0"}}
	if !is4 {
		names = [][2]string{{"udp6", "::"}, {"ip6:ipv6-icmp", "::"}}
	}
	if os.Geteuid() == 0 {
		names[0], names[1] = names[1], names[0]
	}
	var err error
	for _, n := range names {
		var c *icmp.PacketConn
		if c, err = icmp.ListenPacket(n[0], n[1]); err == nil {
			p.raw = p.raw || n[0][0] == 'i'
			return c, nil
		}
	}
	return nil, err
}

// PingLive pings addresses for real. Progress is told how many are done with. When the
// context ends, what there is so far is returned.
func PingLive(ctx context.Context, targets []netip.Addr, o EchoOptions, progress func(done int)) ([]Echo, error) {
	p := &pinger{id: os.Getpid() & 0xffff, sent: map[int]sentEcho{}, at: map[netip.Addr]int{}, left: len(targets), done: make(chan struct{})}
	var err error
	for i, a := range targets {
		p.all = append(p.all, Echo{Target: a})
		p.at[a] = i
		switch {
		case a.Is4() && p.four == nil:
			p.four, err = p.open(true)
		case a.Is6() && p.six == nil:
			p.six, err = p.open(false)
		}
		if err != nil {
			p.close()
			return nil, errors.Join(ErrNotPermitted, err)
		}
	}
	var group sync.WaitGroup
	for _, c := range []*icmp.PacketConn{p.four, p.six} {
		if c != nil {
			group.Go(func() { p.listen(c, c == p.four) })
		}
	}
	p.send(ctx, o, progress)
	p.close()
	group.Wait()
	return p.all, nil
}

func (p *pinger) close() {
	for _, c := range []*icmp.PacketConn{p.four, p.six} {
		if c != nil {
			c.Close()
		}
	}
}

// send sends each try, to those that did not answer yet.
func (p *pinger) send(ctx context.Context, o EchoOptions, progress func(int)) {
	seq := 0
	for range o.Tries {
		for i := range p.all {
			p.mutex.Lock()
			answered := p.all[i].Replied
			seq++
			p.sent[seq&0xffff] = sentEcho{p.all[i].Target, time.Now()}
			p.mutex.Unlock()
			if answered {
				continue
			}
			p.one(p.all[i].Target, seq&0xffff)
			if progress != nil {
				progress(p.answered())
			}
			select {
			case <-ctx.Done():
				return
			case <-time.After(o.Spacing):
			}
		}
		if p.wait(ctx, o.Patience) {
			return
		}
	}
}

func (p *pinger) answered() int {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	return len(p.all) - p.left
}

// wait waits for replies; it tells whether it is over.
func (p *pinger) wait(ctx context.Context, patience time.Duration) bool {
	select {
	case <-ctx.Done():
		return true
	case <-p.done:
		return true
	case <-time.After(patience):
		return false
	}
}

// one sends one echo request.
func (p *pinger) one(to netip.Addr, seq int) {
	m := icmp.Message{Type: ipv4.ICMPTypeEcho, Body: &icmp.Echo{ID: p.id, Seq: seq, Data: []byte("ropeswing asks whether you are there")}}
	conn := p.four
	if to.Is6() {
		m.Type, conn = ipv6.ICMPTypeEchoRequest, p.six
	}
	b, err := m.Marshal(nil)
	if err != nil {
		return
	}
	var address net.Addr = &net.UDPAddr{IP: to.AsSlice(), Zone: to.Zone()}
	if _, ok := conn.LocalAddr().(*net.IPAddr); ok {
		address = &net.IPAddr{IP: to.AsSlice(), Zone: to.Zone()}
	}
	if _, err := conn.WriteTo(b, address); err != nil {
		p.mutex.Lock()
		defer p.mutex.Unlock()
		p.all[p.at[to]].Word = "this machine cannot send it: " + rootCause(err)
	}
}

func rootCause(err error) string {
	var sys *os.SyscallError
	if errors.As(err, &sys) {
		return sys.Err.Error()
	}
	return err.Error()
}

// listen takes in replies and errors until its socket is closed.
func (p *pinger) listen(c *icmp.PacketConn, is4 bool) {
	buffer := make([]byte, 1<<16)
	protocol := 58
	if is4 {
		protocol = 1
	}
	for {
		n, peer, err := c.ReadFrom(buffer)
		if err != nil {
			return
		}
		m, err := icmp.ParseMessage(protocol, buffer[:n])
		if err != nil {
			continue
		}
		from := addressOfPeer(peer)
		switch body := m.Body.(type) {
		case *icmp.Echo:
			if (m.Type == ipv4.ICMPTypeEchoReply || m.Type == ipv6.ICMPTypeEchoReply) && (body.ID == p.id || !p.raw) {
				p.heard(body.Seq, from, "")
			}
		case *icmp.TimeExceeded:
			p.about(body.Data, is4, from, "time exceeded")
		case *icmp.DstUnreach:
			kind := uint8(1)
			if is4 {
				kind = 3
			}
			p.about(body.Data, is4, from, forward.ICMP{Type: kind, Code: uint8(m.Code)}.Words(is4))
		}
	}
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

// about takes in an error, if it is about one of these requests.
func (p *pinger) about(inner []byte, is4 bool, from netip.Addr, word string) {
	header, request := 40, byte(128)
	if is4 {
		header, request = 20, 8
	}
	if len(inner) < header+8 {
		return
	}
	if inner = inner[header:]; inner[0] == request && int(inner[4])<<8|int(inner[5]) == p.id {
		p.heard(int(inner[6])<<8|int(inner[7]), from, word)
	}
}

// heard notes what came back for a request: a reply from whom was asked, or an error.
func (p *pinger) heard(seq int, from netip.Addr, word string) {
	now := time.Now()
	p.mutex.Lock()
	defer p.mutex.Unlock()
	s, ok := p.sent[seq]
	if !ok {
		return
	}
	e := &p.all[p.at[s.target]]
	switch {
	case word != "":
		e.From, e.Word = from, word
	case !e.Replied && from == s.target.WithZone(""):
		e.Replied, e.Trip = true, now.Sub(s.at)
		if p.left--; p.left == 0 {
			close(p.done)
		}
	}
}
