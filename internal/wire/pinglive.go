package wire

import (
	"context"
	"errors"
	"net/netip"
	"os"
	"sync"
	"time"

	"ropeswing/core/prefix"
)

// ErrNotPermitted is that the system lets this user send no pings.
var ErrNotPermitted = errors.New("the system does not let you send pings: run it as root, or have it permit them " +
	"(net.ipv4.ping_group_range)")

// Echo is what came of pinging one address.
type Echo struct {
	Target  netip.Addr
	Sent    bool // a request went out
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
	sockets [2]*icmpSocket // IPv4, IPv6; nil where nobody of the family is asked
	id      int
	first   int // the sequence number before the first
	mutex   sync.Mutex
	sent    map[int]sentEcho // by sequence number
	at      map[netip.Addr]int
	all     []Echo
	left    int
	done    chan struct{}
}

type sentEcho struct {
	target netip.Addr
	at     time.Time
}

func familyIndex(a netip.Addr) int {
	if a.Is4() {
		return 0
	}
	return 1
}

// PingLive pings addresses for real. Progress is told how many are done with. When the
// context ends, what there is so far is returned.
func PingLive(ctx context.Context, targets []netip.Addr, o EchoOptions, progress func(done int)) ([]Echo, error) {
	p := &pinger{id: random16(), first: random16(), sent: map[int]sentEcho{}, at: map[netip.Addr]int{}, left: len(targets),
		done: make(chan struct{})}
	for i, a := range targets {
		p.all = append(p.all, Echo{Target: a})
		p.at[a] = i
		if f := familyIndex(a); p.sockets[f] == nil {
			s, err := openICMP(prefix.FamilyOf(a))
			if err != nil {
				p.close()
				return nil, errors.Join(ErrNotPermitted, err)
			}
			p.sockets[f] = s
		}
	}
	var group sync.WaitGroup
	for _, s := range p.sockets {
		if s != nil {
			group.Go(func() {
				s.listen(func(a answer) {
					if seq, ok := s.echoOf(a, p.id); ok {
						p.heard(seq, a)
					}
				})
			})
		}
	}
	p.send(ctx, o, progress)
	p.close()
	group.Wait()
	return p.all, nil
}

func (p *pinger) close() {
	for _, s := range p.sockets {
		if s != nil {
			s.close()
		}
	}
}

// send sends each try, to those that did not answer yet.
func (p *pinger) send(ctx context.Context, o EchoOptions, progress func(int)) {
	seq := p.first
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
	err := p.sockets[familyIndex(to)].send(to, p.id, seq)
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if e := &p.all[p.at[to]]; err != nil {
		e.Word = cannotSend(err)
	} else {
		e.Sent = true
	}
}

// cannotSend is what this machine itself says of sending.
func cannotSend(err error) string {
	var sys *os.SyscallError
	if errors.As(err, &sys) {
		err = sys.Err
	}
	return "this machine cannot send it: " + err.Error()
}

// heard notes what came back for a request: a reply from whom was asked, or an error.
func (p *pinger) heard(seq int, a answer) {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	s, ok := p.sent[seq]
	if !ok || !a.isAbout(s.target) {
		return
	}
	e := &p.all[p.at[s.target]]
	switch {
	case !a.isReply():
		e.From, e.Word = a.from, a.what.Words(prefix.FamilyOf(s.target))
	case !e.Replied:
		e.Replied, e.Trip = true, a.at.Sub(s.at)
		if p.left--; p.left == 0 {
			close(p.done)
		}
	}
}
