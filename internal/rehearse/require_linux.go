package rehearse

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/netip"
	"runtime"
	"slices"
	"sync"
	"syscall"
	"time"

	"golang.org/x/sync/errgroup"
	"golang.org/x/sys/unix"

	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/verify"
)

// Requirement is one of the plan, done for real.
type Requirement struct {
	Of      *model.Requirement
	Pairs   int
	Failing int
	First   verify.Pair // that does not do as required
	Without []string    // what was out of order then
	Err     error       // why it could not be asked
}

// How requirements are asked.
const (
	mostStates = 60  // in which one is asked
	mostPairs  = 400 // of one that are asked in each
)

// Require does the requirements of the plan for real: with pings, or over the service they
// name with sessions to somebody who listens there. What is to be out of order meanwhile is cut,
// and mended behind it. Progress is told how many are done.
func (l *Lab) Require(ctx context.Context, progress func(done, all int)) ([]Requirement, error) {
	net := l.Network()
	already := net.State.Failures()
	defer func() {
		if err := l.Put(already...); err == nil {
			l.Settled(MostSettling)
		}
	}()
	all := make([]Requirement, len(net.Spec.Must))
	pairs := make([][]verify.Pair, len(all))
	var states []*state // those that several are to hold in are made once
	several := severalHave(l.Network().Spec)
	for i := range all {
		r := &all[i]
		r.Of = &net.Spec.Must[i]
		in, err := verify.OutOfOrder(net, r.Of)
		pairs[i] = verify.Pairs(net, r.Of)
		if r.Err = cannot(r.Of, in, pairs[i], several, err); r.Err != nil {
			continue
		}
		for _, failures := range in {
			n := slices.IndexFunc(states, func(s *state) bool { return slices.Equal(s.failures, failures) })
			if n < 0 {
				n, states = len(states), append(states, &state{failures: failures})
			}
			states[n].of = append(states[n].of, i)
		}
	}
	slices.SortStableFunc(states, func(a, b *state) int { return len(a.failures) - len(b.failures) })
	for n, s := range states {
		if ctx.Err() != nil {
			return all, nil
		}
		progress(n, len(states))
		if len(s.failures) > 0 {
			if err := l.Put(slices.Concat(already, s.failures)...); err != nil {
				return all, err
			}
			l.Settled(MostSettling)
		}
		if err := l.requireAll(s.of, all, pairs); err != nil {
			return all, err
		}
	}
	return all, nil
}

// requireAll asks the pairs of some requirements in the present state, side by side: mostly they wait. Those for whom
// somebody listens at a port take turns, since two cannot listen at one.
func (l *Lab) requireAll(of []int, all []Requirement, pairs [][]verify.Pair) error {
	var group errgroup.Group
	group.SetLimit(4 * runtime.NumCPU()) // more, and each would wait for the others' answers
	listening := map[model.Protocol]*sync.Mutex{model.TCP: {}, model.UDP: {}}
	for _, i := range of {
		group.Go(func() error {
			if turn := listening[all[i].Of.Over.Protocol]; turn != nil {
				turn.Lock()
				defer turn.Unlock()
			}
			return l.require(&all[i], pairs[i])
		})
	}
	return group.Wait()
}

// state is what is out of order while some requirements are to hold.
type state struct {
	failures []network.Failure
	of       []int
}

// cannot is why a requirement cannot be done for real; nil where it can.
func cannot(r *model.Requirement, in [][]network.Failure, pairs []verify.Pair, several map[netip.Addr]bool, err error) error {
	switch {
	case err != nil:
		return err
	case len(r.Through) > 0 && r.Over.Protocol != model.ICMP:
		return errors.New("by whom packets go is looked at by traces, which are of ICMP")
	case len(in) > mostStates:
		return fmt.Errorf("it must hold in %d states, and up to %d are made", len(in), mostStates)
	case len(pairs) > mostPairs:
		return fmt.Errorf("it covers %d pairs, and up to %d are asked", len(pairs), mostPairs)
	case slices.ContainsFunc(pairs, func(p verify.Pair) bool { return several[p.Source] || several[p.Target] }):
		return errors.New("several have one of its addresses, and who of them answers is not told")
	case r.Over.Protocol != model.ICMP && r.Over.First == 0:
		return errors.New("over which port to ask is not said")
	}
	return nil
}

// MostSettling is for how long watches are waited for.
const MostSettling = 20 * time.Second

// require asks the pairs of a requirement in the present state.
func (l *Lab) require(r *Requirement, pairs []verify.Pair) error {
	failing := pairs
	for try := range mostTries { // a busy machine loses packets
		wait := little
		if try == mostTries-1 {
			wait = patience
		}
		var err error
		if failing, err = l.failing(r, failing, wait); err != nil {
			return err
		}
		if len(failing) == 0 {
			break
		}
	}
	r.Pairs += len(pairs)
	if len(failing) > 0 && r.Failing == 0 {
		r.First = failing[0]
		for _, f := range l.Network().State.Failures() {
			r.Without = append(r.Without, f.Name(l.Network().Spec))
		}
	}
	r.Failing += len(failing)
	return nil
}

// failing are the pairs that do not do as required.
func (l *Lab) failing(r *Requirement, pairs []verify.Pair, wait time.Duration) ([]verify.Pair, error) {
	var mutex sync.Mutex
	var group sync.WaitGroup
	var failing []verify.Pair
	turns := make(chan struct{}, 32)
	listening := map[netip.Addr]*listener{}
	for _, p := range pairs {
		if listening[p.Target] == nil {
			x, err := l.listen(p.Target, r.Of.Over)
			if err != nil {
				return nil, err
			}
			defer x.close()
			listening[p.Target] = x
		}
	}
	for _, p := range pairs {
		group.Go(func() {
			turns <- struct{}{}
			defer func() { <-turns }()
			does := l.replies(p, r.Of.Over, wait)
			if does && len(r.Of.Through) > 0 {
				does = l.passes(p, r.Of.Through, wait)
			}
			if does == r.Of.Not {
				mutex.Lock()
				defer mutex.Unlock()
				failing = append(failing, p)
			}
		})
	}
	group.Wait()
	if r.Of.Not { // what must not reach must not even get there
		for _, p := range pairs {
			if listening[p.Target].from(p.Source) && !slices.Contains(failing, p) {
				failing = append(failing, p)
			}
		}
	}
	slices.SortFunc(failing, func(a, b verify.Pair) int { return slices.Index(pairs, a) - slices.Index(pairs, b) })
	return failing, nil
}

// passes tells whether traces of a pair, there and back, show every one of some devices.
func (l *Lab) passes(p verify.Pair, through []model.DeviceID, wait time.Duration) bool {
	spec := l.Network().Spec
	on := func(from model.DeviceID, source, target netip.Addr) map[model.DeviceID]bool {
		a := newAsker(from, []netip.Addr{target})
		a.source = source
		_ = l.Inside(from, func() error {
			if err := a.open(); err != nil {
				return err
			}
			defer a.close()
			a.ask([]netip.Addr{target}, true, wait)
			return nil
		})
		seen := map[model.DeviceID]bool{from: true}
		for _, h := range a.answers.Hops {
			for _, i := range spec.HoldersOf(h.From) {
				seen[spec.Interfaces[i].Device] = true
			}
		}
		return seen
	}
	holders := spec.HoldersOf(p.Target)
	var there, back map[model.DeviceID]bool
	var both sync.WaitGroup
	both.Go(func() { there = on(p.From, p.Source, p.Target) })
	if len(holders) > 0 { // else it is somewhere in the world: the path back is nobody's of the plan
		both.Go(func() { back = on(spec.Interfaces[holders[0]].Device, p.Target, p.Source) })
	}
	both.Wait()
	for _, d := range through {
		if !there[d] && (len(holders) == 0 || spec.Interfaces[holders[0]].Device != d) {
			return false
		}
	}
	if len(holders) == 0 {
		return true
	}
	for _, d := range through {
		if !back[d] && d != p.From {
			return false
		}
	}
	return true
}

// replies tells whether a reply comes back to one of a pair.
func (l *Lab) replies(p verify.Pair, over model.Service, wait time.Duration) bool {
	replied := false
	_ = l.Inside(p.From, func() error { // who cannot even send gets no reply
		if over.Protocol == model.ICMP {
			a := newAsker(p.From, []netip.Addr{p.Target})
			a.source, a.mark = p.Source, over.Mark
			if err := a.open(); err != nil {
				return err
			}
			defer a.close()
			a.ask([]netip.Addr{p.Target}, false, wait)
			replied = a.answers.Replied[p.Target]
			return nil
		}
		network, local := "tcp", net.Addr(&net.TCPAddr{IP: p.Source.AsSlice()})
		if over.Protocol == model.UDP {
			network, local = "udp", &net.UDPAddr{IP: p.Source.AsSlice()}
		}
		d := net.Dialer{Timeout: wait, LocalAddr: local,
			Control: func(_, _ string, raw syscall.RawConn) error { return markAs(raw, over.Mark, p.Target) }}
		c, err := d.Dial(network, netip.AddrPortFrom(p.Target, over.First).String())
		if err != nil {
			return err
		}
		defer c.Close()
		_ = c.SetDeadline(time.Now().Add(wait))
		if _, err := c.Write([]byte("?")); err != nil {
			return err
		}
		_, err = io.ReadFull(c, make([]byte, 1))
		replied = err == nil
		return err
	})
	return replied
}

// listener is who answers for an address, and notes who asked.
type listener struct {
	mutex   sync.Mutex
	asked   map[netip.Addr]bool
	closers []func()
}

func (x *listener) note(a net.Addr) {
	if ap, err := netip.ParseAddrPort(a.String()); err == nil {
		x.mutex.Lock()
		defer x.mutex.Unlock()
		x.asked[ap.Addr().Unmap().WithZone("")] = true
	}
}

func (x *listener) from(a netip.Addr) bool {
	x.mutex.Lock()
	defer x.mutex.Unlock()
	return x.asked[a]
}

func (x *listener) close() {
	for _, f := range x.closers {
		f()
	}
}

// listen has whoever may get what is sent to an address answer there, over a service.
func (l *Lab) listen(to netip.Addr, over model.Service) (*listener, error) {
	x := &listener{asked: map[netip.Addr]bool{}}
	spec := l.Network().Spec
	for d, at := range l.answering(to, over) {
		switch over.Protocol {
		case model.ICMP:
			stop, err := l.sniff(d, nil, func(p packet) {
				if s, ok := sighted(p); ok && !p.out && s.What == "echo request" && s.To == at.Addr() {
					x.note(&net.UDPAddr{IP: s.From.AsSlice()})
				}
			})
			if err != nil {
				return x, err
			}
			x.closers = append(x.closers, stop)
			continue
		case model.UDP:
			var c net.PacketConn
			if err := l.Inside(d, func() (err error) {
				c, err = net.ListenPacket("udp", at.String())
				return err
			}); err != nil {
				x.close()
				return x, fmt.Errorf("listening for %s on %s: %w", over, spec.Devices[d].Name, err)
			}
			x.closers = append(x.closers, func() { c.Close() })
			go func() {
				buffer := make([]byte, 64)
				for {
					n, from, err := c.ReadFrom(buffer)
					if err != nil {
						return
					}
					x.note(from)
					_, _ = c.WriteTo(buffer[:n], from)
				}
			}()
		default:
			var c net.Listener
			if err := l.Inside(d, func() (err error) {
				c, err = net.Listen("tcp", at.String())
				return err
			}); err != nil {
				x.close()
				return x, fmt.Errorf("listening for %s on %s: %w", over, spec.Devices[d].Name, err)
			}
			x.closers = append(x.closers, func() { c.Close() })
			go func() {
				for {
					session, err := c.Accept()
					if err != nil {
						return
					}
					x.note(session.RemoteAddr())
					go func() {
						defer session.Close()
						_ = session.SetDeadline(time.Now().Add(2 * patience))
						_, _ = io.CopyN(session, session, 1)
					}()
				}
			}()
		}
	}
	return x, nil
}

// answering is who may get what is sent to an address over a service, and where of its own: who holds it, for whom a translator
// answers, and what lies beyond.
func (l *Lab) answering(to netip.Addr, over model.Service) map[model.DeviceID]netip.AddrPort {
	now := l.Network()
	spec := now.Spec
	all := map[model.DeviceID]netip.AddrPort{}
	add := func(a netip.Addr, over model.Service) {
		for _, id := range now.State.HoldersOf(a) {
			all[spec.Interfaces[id].Device] = netip.AddrPortFrom(a, over.First)
		}
	}
	for _, id := range now.State.HoldersOf(to) {
		if now.State.IsUp(id) {
			all[spec.Interfaces[id].Device] = netip.AddrPortFrom(to, over.First)
		}
	}
	for d := range spec.Devices {
		if slices.ContainsFunc(spec.Devices[d].Beyond, func(p model.Prefix) bool { return p.Contains(to) }) {
			all[model.DeviceID(d)] = netip.AddrPortFrom(to, over.First)
		}
		for _, t := range spec.Devices[d].Translates {
			switch inside, ported := t.Ported(over); {
			case ported && now.Policy.AskedAt(&t) == to:
				add(t.Host(), inside)
			case t.Kind == model.OneToOne && t.Outside[0].Contains(to):
				add(prefix.Moved(to, t.Outside[0], t.Inside.Prefixes[0]), over)
			}
		}
	}
	return all
}

// markAs has a socket mark what it sends with a code point, towards an address.
func markAs(raw syscall.RawConn, m model.Mark, to netip.Addr) error {
	if m == 0 {
		return nil
	}
	level, option := unix.IPPROTO_IP, unix.IP_TOS
	if to.Is6() {
		level, option = unix.IPPROTO_IPV6, unix.IPV6_TCLASS
	}
	var err error
	if e := raw.Control(func(fd uintptr) { err = unix.SetsockoptInt(int(fd), level, option, int(m.CodePoint())<<2) }); e != nil {
		return e
	}
	return err
}
