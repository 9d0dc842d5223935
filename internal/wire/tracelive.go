package wire

import (
	"bytes"
	"context"
	"errors"
	"maps"
	"net"
	"net/netip"
	"os"
	"slices"
	"sync"
	"time"

	"golang.org/x/net/ipv4"
	"golang.org/x/net/ipv6"
	"golang.org/x/sync/semaphore"

	"ropeswing/core/forward"
	"ropeswing/core/prefix"
)

// TraceOptions say how to trace.
type TraceOptions struct {
	UDP        bool          // with datagrams to ports from 33434 on; else with echo requests
	Flows      int           // probes for each TTL; with UDP each to a port of its own, so that what chooses paths by flow shows them
	MostTTL    int           // the last TTL tried
	MostSilent int           // TTLs in a row that nobody answers, after which it is enough
	Patience   time.Duration // for the answers of one TTL
	Spacing    time.Duration // between two packets, of all traces
	Together   int           // traces at a time
}

// PoliteTrace is how to trace without being a burden.
var PoliteTrace = TraceOptions{Flows: 3, MostTTL: 30, MostSilent: 4, Patience: time.Second, Spacing: 3 * time.Millisecond, Together: 8}

// basePort is the first port that UDP probes go to: where nobody listens, by long custom.
const basePort = 33434

// Traced is what came of tracing one address.
type Traced struct {
	Target  netip.Addr
	Hops    []forward.MeasuredHop // from TTL 1 on; without answers where nobody answered
	Reached bool
	Word    string // why nothing could be sent
}

// tracer traces one address.
type tracer struct {
	o       TraceOptions
	socket  probeSocket
	mutex   sync.Mutex
	result  Traced
	ended   []bool // flows that got to their end
	last    []int  // the last TTL that each flow was answered for
	present int    // the TTL tried now
	sent    map[probe]time.Time
	news    chan struct{}
}

// probe is one packet of a trace.
type probe struct{ ttl, flow int }

// probeSocket sends probes, and tells of what comes back which it is about; a TTL of 0
// where that does not show.
type probeSocket interface {
	limit(ttl int) error
	probe(to netip.Addr, p probe) error
	listen(hear func(answer))
	which(a answer) (probe, bool)
	close()
}

// TraceLive traces addresses for real, some at a time. Progress is told how many are done
// with, and which TTL is tried now. When the context ends no further target is taken,
// and what there is so far is returned.
func TraceLive(ctx context.Context, targets []netip.Addr, o TraceOptions, progress func(done, ttl int)) ([]Traced, error) {
	all := make([]Traced, len(targets))
	pace := time.NewTicker(o.Spacing)
	defer pace.Stop()
	turns := semaphore.NewWeighted(int64(o.Together))
	var group sync.WaitGroup
	var mutex sync.Mutex
	done, taken := 0, 0
	for i, to := range targets {
		if turns.Acquire(ctx, 1) != nil || ctx.Err() != nil {
			break
		}
		s, err := openProbes(prefix.FamilyOf(to), o.UDP)
		if err != nil {
			group.Wait()
			return nil, errors.Join(ErrNotPermitted, err)
		}
		taken++
		t := &tracer{o: o, socket: s, result: Traced{Target: to}, ended: make([]bool, o.Flows), last: make([]int, o.Flows),
			sent: map[probe]time.Time{}, news: make(chan struct{}, 1)}
		tell := func(finished, ttl int) {
			mutex.Lock()
			defer mutex.Unlock()
			done += finished
			progress(done, ttl)
		}
		group.Go(func() {
			all[i] = t.run(ctx, pace.C, func(ttl int) { tell(0, ttl) })
			tell(1, 0)
			turns.Release(1)
		})
	}
	group.Wait()
	return all[:taken], nil
}

// run tries one TTL after the other.
func (t *tracer) run(ctx context.Context, pace <-chan time.Time, tell func(ttl int)) Traced {
	var group sync.WaitGroup
	group.Go(func() { t.socket.listen(t.hear) })
	for ttl := 1; ttl <= t.o.MostTTL && !t.enough(); ttl++ {
		t.mutex.Lock()
		t.present = ttl
		t.result.Hops = append(t.result.Hops, forward.MeasuredHop{TTL: ttl})
		t.mutex.Unlock()
		tell(ttl)
		if !t.try(ctx, ttl, pace) {
			break
		}
	}
	t.socket.close()
	group.Wait()
	t.result.Hops = untilTheEnd(t.result.Hops, prefix.FamilyOf(t.result.Target))
	return t.result
}

// untilTheEnd leaves out the last hops that tell no more than that somebody ended the
// way before: an error may come seconds after its probe, when others are on their path.
func untilTheEnd(hops []forward.MeasuredHop, family prefix.Family) []forward.MeasuredHop {
	ended := map[netip.Addr]bool{}
	last := 0
	for i, h := range hops {
		for _, a := range h.Answers {
			if !ended[a.From] {
				last = i + 1
			}
		}
		for _, a := range h.Answers {
			ended[a.From] = ended[a.From] || !a.ICMP.Passing(family)
		}
	}
	if len(ended) == 0 || !slices.Contains(slices.Collect(maps.Values(ended)), true) {
		return hops
	}
	return hops[:last]
}

// try sends the probes of one TTL and waits for their answers; it is false where no more
// are to be sent.
func (t *tracer) try(ctx context.Context, ttl int, pace <-chan time.Time) bool {
	if err := t.socket.limit(ttl); err != nil {
		t.cannot(err)
		return false
	}
	for flow := range t.o.Flows {
		if t.over(flow) {
			continue
		}
		select {
		case <-ctx.Done():
			return false
		case <-pace:
		}
		p := probe{ttl, flow}
		t.mutex.Lock()
		t.sent[p] = time.Now()
		t.mutex.Unlock()
		if err := t.socket.probe(t.result.Target, p); err != nil {
			t.cannot(err)
			return false
		}
	}
	patience := time.After(t.o.Patience)
	for !t.answered(ttl) {
		select {
		case <-ctx.Done():
			return false
		case <-patience:
			return true
		case <-t.news:
		}
	}
	return true
}

// over tells whether a flow got to its end.
func (t *tracer) over(flow int) bool {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	return t.ended[flow]
}

func (t *tracer) cannot(err error) {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	t.result.Word = cannotSend(err)
}

// answered tells whether every probe of a TTL was answered.
func (t *tracer) answered(ttl int) bool {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	for p := range t.sent {
		if p.ttl == ttl {
			return false
		}
	}
	return true
}

// enough tells whether more TTLs would tell nothing more: the end was met, or nobody
// answers any more, or somebody answers for the third time.
func (t *tracer) enough() bool {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	silent, times := 0, map[netip.Addr]int{}
	for _, h := range t.result.Hops {
		if silent++; len(h.Answers) > 0 {
			silent = 0
		}
		for _, a := range h.Answers {
			if times[a.From]++; times[a.From] >= 3 {
				return true
			}
		}
	}
	if silent >= t.o.MostSilent {
		return true
	}
	further := false // some flow got on while another met its end: their paths differ
	for flow, ended := range t.ended {
		further = further || !ended && t.last[flow] == t.present
	}
	return slices.Contains(t.ended, true) && !further
}

// hear takes in what came back.
func (t *tracer) hear(a answer) {
	p, ok := t.socket.which(a)
	t.mutex.Lock()
	defer t.mutex.Unlock()
	if p.ttl == 0 {
		p.ttl = t.present
	}
	at, waiting := t.sent[p]
	family := prefix.FamilyOf(t.result.Target)
	if !ok || !waiting || !a.isAbout(t.result.Target) {
		return // not about a probe of ours, or told already
	}
	delete(t.sent, p)
	t.last[p.flow] = max(t.last[p.flow], p.ttl)
	h := &t.result.Hops[p.ttl-1]
	millis := float64(a.at.Sub(at)) / float64(time.Millisecond)
	i := slices.IndexFunc(h.Answers, func(b forward.MeasuredAnswer) bool { return b.From == a.from && b.ICMP == a.what })
	if i < 0 {
		i, h.Answers = len(h.Answers), append(h.Answers, forward.MeasuredAnswer{From: a.from, ICMP: a.what, Millis: millis})
	}
	h.Answers[i].Millis = min(h.Answers[i].Millis, millis)
	if !a.what.Passing(family) {
		t.ended[p.flow] = true
	}
	t.result.Reached = t.result.Reached || a.from == t.result.Target.WithZone("") && a.what.Arrived(family)
	select {
	case t.news <- struct{}{}:
	default:
	}
}

// MayEcho tells whether the system lets this user send echo requests.
func MayEcho() bool {
	s, err := openICMP(prefix.IPv4)
	if err == nil {
		s.close()
	}
	return err == nil
}

// openProbes opens what a trace is made with.
func openProbes(family prefix.Family, udp bool) (probeSocket, error) {
	if udp {
		return openDatagrams(family)
	}
	s, err := openICMP(family)
	if err != nil {
		return nil, err
	}
	return &echoProbes{s, random16(), random16()}, nil
}

// echoProbes are echo requests: the sequence number says which it is, by a mask that
// nobody can guess.
type echoProbes struct {
	*icmpSocket
	id, mask int
}

func (e *echoProbes) probe(to netip.Addr, p probe) error {
	return e.send(to, e.id, (p.ttl<<4|p.flow)^e.mask)
}

func (e *echoProbes) which(a answer) (probe, bool) {
	seq, ok := e.echoOf(a, e.id)
	seq ^= e.mask
	return probe{seq >> 4, seq & 15}, ok
}

// datagrams are UDP probes. The port they go to says of which flow one is, its length
// and its first byte with which TTL it was sent.
type datagrams struct {
	conn   *net.UDPConn
	family prefix.Family
	port   int         // ours
	secret []byte      // what nobody can guess
	ear    *icmpSocket // hears the errors, for root; nil where the system keeps them for us
}

func openDatagrams(family prefix.Family) (*datagrams, error) {
	network := "udp6"
	if family == prefix.IPv4 {
		network = "udp4"
	}
	conn, err := net.ListenUDP(network, nil)
	if err != nil {
		return nil, err
	}
	d := &datagrams{conn: conn, family: family, port: conn.LocalAddr().(*net.UDPAddr).Port, secret: secret()[:16]}
	if ear, err := openICMP(family); err == nil && ear.raw {
		d.ear = ear
		return d, nil
	} else if err == nil {
		ear.close()
	}
	if !keepsErrors {
		conn.Close()
		return nil, os.ErrPermission
	}
	keepErrors(conn, family)
	return d, nil
}

func (d *datagrams) close() {
	d.conn.Close()
	if d.ear != nil {
		d.ear.close()
	}
}

func (d *datagrams) limit(ttl int) error {
	if d.family == prefix.IPv4 {
		return ipv4.NewPacketConn(d.conn).SetTTL(ttl)
	}
	return ipv6.NewPacketConn(d.conn).SetHopLimit(ttl)
}

const leastDatagram = 32 // bytes of payload, to which the TTL is added

func (d *datagrams) probe(to netip.Addr, p probe) error {
	return writeTo(d.conn, d.payload(p.ttl), &net.UDPAddr{IP: to.AsSlice(), Zone: to.Zone(), Port: basePort + p.flow})
}

// payload is what the datagrams of a TTL hold: the TTL, and what nobody can guess.
func (d *datagrams) payload(ttl int) []byte {
	all := make([]byte, leastDatagram+ttl)
	copy(all[1:], d.secret)
	all[0] = byte(ttl)
	return all
}

func (d *datagrams) listen(hear func(answer)) {
	if d.ear != nil {
		d.ear.listen(hear)
		return
	}
	listenQueue(d.conn, d.family, hear, func([]byte, netip.Addr) {})
}

func (d *datagrams) which(a answer) (probe, bool) {
	b := a.about
	if a.isReply() || len(b) < 8 || d.ear != nil && int(b[0])<<8|int(b[1]) != d.port {
		return probe{}, false
	}
	p := probe{flow: (int(b[2])<<8 | int(b[3])) - basePort}
	if length := int(b[4])<<8 | int(b[5]); length > 8+leastDatagram {
		p.ttl = length - 8 - leastDatagram
	} else if len(b) > 8 {
		p.ttl = int(b[8])
	}
	quoted, sent := b[8:], d.payload(p.ttl)
	if len(d.secret) > 0 && !bytes.HasPrefix(sent, quoted[:min(len(quoted), len(sent))]) {
		return probe{}, false // of nobody who has got one of our probes
	}
	return p, p.flow >= 0 && p.flow < 16
}
