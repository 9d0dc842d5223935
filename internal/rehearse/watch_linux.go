package rehearse

import (
	"cmp"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strconv"
	"sync"
	"syscall"
	"time"

	"github.com/vishvananda/netlink"
	"golang.org/x/net/icmp"
	"golang.org/x/net/ipv4"
	"golang.org/x/net/ipv6"
	"golang.org/x/sys/unix"

	"ropeswing/core/model"
	"ropeswing/core/routing"
)

// How watches are worked.
const (
	probeSpacing = 60 * time.Millisecond // of one watch, where there are few
	fewWatches   = 300
	surelyCalm   = 60 // probes without a change, where another outcome is predicted
	calmProbes   = 4  // without a change, until watches are taken to be settled
	probesMissed = 3  // in a row, before nothing is heard
	probeData    = "ropeswing watches"
	firstMark    = 7000 // of the packets of probes, and the number of their tables
)

// IsProbeTable tells whether a routing table, by its number in the kernel, is one by which
// probes leave.
func IsProbeTable(number string) bool {
	n, err := strconv.Atoi(number)
	return err == nil && n >= firstMark
}

// watch is a probe that routes hang on: echo requests that leave by its next hop, whatever
// the tables say.
type watch struct {
	device  *device
	monitor routing.Monitor
	route   model.StaticID
	mark    int
	conn    *icmp.PacketConn

	mutex    sync.Mutex
	seq      int
	answered int  // the last that was
	silent   bool // nothing is heard
	rounds   int  // probes since the last change
}

// unsettle begins to count anew: something has changed.
func (l *Lab) unsettle() {
	for _, d := range l.devices {
		for _, w := range d.watches {
			w.mutex.Lock()
			w.rounds = 0
			w.mutex.Unlock()
		}
	}
}

// watch begins to work every watch of the plan.
func (l *Lab) watch() error {
	known := map[routing.Monitor]bool{}
	for n := range l.now.Load().Spec.Statics {
		if s := &l.now.Load().Spec.Statics[n]; s.Watch.IsValid() {
			known[routing.MonitorOf(s)] = true
		}
	}
	l.spacing = probeSpacing * time.Duration(max(fewWatches, len(known))) / fewWatches
	for _, d := range l.devices {
		first, last := l.now.Load().Spec.StaticsOf(d.id)
		for n := first; n < last; n++ {
			s := &l.now.Load().Spec.Statics[n]
			if !s.Watch.IsValid() || slices.ContainsFunc(d.watches, func(w *watch) bool { return w.monitor == routing.MonitorOf(s) }) {
				continue
			}
			w := &watch{device: d, monitor: routing.MonitorOf(s), route: model.StaticID(n), mark: firstMark + len(d.watches)}
			if err := w.begin(); err != nil {
				return fmt.Errorf("watch of %s on %s: %w", s.Watch, l.now.Load().Spec.Devices[d.id].Name, err)
			}
			d.watches = append(d.watches, w)
		}
	}
	return nil
}

// begin opens the watch's socket, has its packets leave by its next hop, and starts.
func (w *watch) begin() error {
	h := w.device.space.handle
	rule := netlink.NewRule()
	rule.Priority, rule.Table, rule.Mark, rule.Family = 50, w.mark, uint32(w.mark), unix.AF_INET
	network, listen := "ip4:icmp", "0.0.0.0"
	if w.monitor.Watch.Is6() {
		rule.Family, network, listen = unix.AF_INET6, "ip6:ipv6-icmp", "::"
	}
	end := *rule
	end.Priority, end.Table, end.Type = 51, 0, unix.FR_ACT_UNREACHABLE
	if !w.device.lab.now.Load().Spec.Settings.ProbesByTable { // else the mark means nothing to the kernel
		if err := errors.Join(h.RuleAdd(rule), h.RuleAdd(&end)); err != nil {
			return err
		}
	}
	if w.monitor.From.IsValid() {
		listen = w.monitor.From.String()
	}
	err := w.device.space.inside(func() (err error) {
		if w.conn, err = icmp.ListenPacket(network, listen); err != nil {
			return err
		}
		var inner syscall.Conn
		if c := w.conn.IPv4PacketConn(); c != nil {
			inner = c.PacketConn.(syscall.Conn)
		} else {
			inner = w.conn.IPv6PacketConn().PacketConn.(syscall.Conn)
		}
		raw, err := inner.SyscallConn()
		if err != nil {
			return err
		}
		if e := raw.Control(func(fd uintptr) { err = unix.SetsockoptInt(int(fd), unix.SOL_SOCKET, unix.SO_MARK, w.mark) }); e != nil {
			return e
		}
		return err
	})
	if err != nil {
		return err
	}
	stop := make(chan struct{})
	var group sync.WaitGroup
	group.Go(func() { w.hear() })
	group.Go(func() { w.ask(stop) })
	w.device.closers = append(w.device.closers, func() {
		close(stop)
		w.conn.Close()
		group.Wait()
	})
	return nil
}

// point has the probe's packets leave by its next hop, as far as that is on a link now.
func (w *watch) point() {
	s := &w.device.lab.now.Load().Spec.Statics[w.route]
	hop, ok := w.device.near(s)
	r := &netlink.Route{Dst: ipNet(netip.PrefixFrom(w.monitor.Watch, w.monitor.Watch.BitLen())), Table: w.mark, Protocol: unix.RTPROT_STATIC}
	if !ok {
		_ = w.device.space.handle.RouteDel(r) // it may not be there
		return
	}
	r.LinkIndex, r.Gw, r.Scope = w.device.links[hop.Out], gateway(hop.Via), scope(hop.Via)
	if r.Gw != nil {
		r.Flags = int(netlink.FLAG_ONLINK)
	}
	_ = w.device.space.handle.RouteReplace(r) // where it cannot leave, nothing is heard
}

// ask sends a request now and then, and tells what has become of the last ones.
func (w *watch) ask(stop <-chan struct{}) {
	tick := time.NewTicker(w.device.lab.spacing)
	defer tick.Stop()
	for {
		w.device.mutex.Lock()
		w.point()
		w.device.mutex.Unlock()
		w.mutex.Lock()
		w.seq++
		seq := w.seq
		w.mutex.Unlock()
		w.send(seq)
		select {
		case <-stop:
			return
		case <-tick.C:
		}
		w.mutex.Lock()
		silent := w.seq-w.answered >= probesMissed
		if w.answered == w.seq {
			silent = false
		} else if !silent && w.silent {
			silent = w.answered == 0
		}
		changed := silent != w.silent
		w.silent = silent
		if w.rounds++; changed {
			w.rounds = 0
		}
		w.mutex.Unlock()
		if changed {
			w.device.heard(w, !silent)
		}
	}
}

func (w *watch) send(seq int) {
	m := icmp.Message{Type: ipv4.ICMPTypeEcho, Body: &icmp.Echo{ID: w.mark, Seq: seq & 0xffff, Data: []byte(probeData)}}
	if w.monitor.Watch.Is6() {
		m.Type = ipv6.ICMPTypeEchoRequest
	}
	if b, err := m.Marshal(nil); err == nil {
		_, _ = w.conn.WriteTo(b, &net.IPAddr{IP: w.monitor.Watch.AsSlice()}) // what cannot be sent is not answered
	}
}

// hear takes in replies until the socket is closed.
func (w *watch) hear() {
	buffer := make([]byte, 1500)
	protocol := unix.IPPROTO_ICMP
	if w.monitor.Watch.Is6() {
		protocol = unix.IPPROTO_ICMPV6
	}
	for {
		n, peer, err := w.conn.ReadFrom(buffer)
		if err != nil {
			return
		}
		from, _ := netip.AddrFromSlice(peer.(*net.IPAddr).IP)
		m, err := icmp.ParseMessage(protocol, buffer[:n])
		if err != nil || from.Unmap() != w.monitor.Watch {
			continue
		}
		if e, ok := m.Body.(*icmp.Echo); ok && e.ID == w.mark && (m.Type == ipv4.ICMPTypeEchoReply || m.Type == ipv6.ICMPTypeEchoReply) {
			w.mutex.Lock()
			if near := w.seq &^ 0xffff; e.Seq|near <= w.seq {
				w.answered = cmp.Or(max(w.answered, e.Seq|near), w.answered)
			}
			w.mutex.Unlock()
		}
	}
}

// heard sets the routes of a device anew: a watch hears its answers again, or no longer.
func (d *device) heard(w *watch, heard bool) {
	d.mutex.Lock()
	delete(d.silent, w.monitor)
	if !heard {
		d.silent[w.monitor] = true
	}
	err := d.setRoutes(false)
	d.mutex.Unlock()
	if err == nil && d.lab.news != nil {
		d.lab.news(Event{d.id, w.route, heard})
	}
}

// Settled waits until no watch has changed for some time, for longer where what they find is not
// what is predicted, or for as long as is said; it tells whether all are settled.
func (l *Lab) Settled(within time.Duration) bool {
	l.unsettle()
	predicted := l.now.Load().Silent()
	for end := time.Now().Add(within); ; time.Sleep(l.spacing / 2) {
		least, calm := surelyCalm, calmProbes+probesMissed
		for _, d := range l.devices {
			for _, w := range d.watches {
				w.mutex.Lock()
				least = min(least, w.rounds)
				if w.silent != (predicted[w.monitor] || l.deaf(w)) {
					calm = surelyCalm
				}
				w.mutex.Unlock()
			}
		}
		if least >= calm || time.Now().After(end) {
			return least >= calm
		}
	}
}

// deaf tells whether a watch hears nothing since its own link is down: its route is not usable for that alone, and nothing is
// predicted of the watch.
func (l *Lab) deaf(w *watch) bool {
	net := l.now.Load()
	for _, id := range net.Spec.InterfacesOf(w.device.id) {
		towards := w.monitor.Out == id || w.monitor.Out == model.None && slices.ContainsFunc(net.Spec.Interfaces[id].Addresses,
			func(a model.Address) bool { return a.Contains(w.monitor.Via) })
		if towards && !net.State.IsUp(id) {
			return true
		}
	}
	return false
}

// Watches is how many probes are at work.
func (l *Lab) Watches() int {
	n := 0
	for _, d := range l.devices {
		n += len(d.watches)
	}
	return n
}

// Silent lists the watches that hear nothing now.
func (l *Lab) Silent() []routing.Monitor {
	var all []routing.Monitor
	for _, d := range l.devices {
		for _, w := range d.watches {
			w.mutex.Lock()
			if w.silent {
				all = append(all, w.monitor)
			}
			w.mutex.Unlock()
		}
	}
	return all
}
