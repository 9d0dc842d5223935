package rehearse

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/vishvananda/netlink"
	"golang.org/x/sync/errgroup"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// Lab is a network made of namespaces: one for each device, and one for all wires.
type Lab struct {
	mutex   sync.Mutex // of what changes it
	now     atomic.Pointer[forward.Network]
	whole   *forward.Network // with nothing out of order but what was so from the start
	devices []*device
	wires   *wires
	spacing time.Duration // of the probes of one watch
	news    func(Event)
}

// Event is that a watch of a device hears its answers again, or no longer.
type Event struct {
	Device model.DeviceID
	Route  model.StaticID // one that hangs on it
	Heard  bool
}

// Make makes the network of a prediction, in its state. Progress is told how many devices
// are done; news what watches find out, from another goroutine. Where the context ends, what
// is there by then is taken away again.
func Make(ctx context.Context, net *forward.Network, progress func(done, all int), news func(Event)) (*Lab, error) {
	if n := len(net.Spec.Devices); n > MostDevices {
		return nil, fmt.Errorf("%w: the plan has %d devices, and up to %d are made", ErrNotPossible, n, MostDevices)
	}
	l := &Lab{whole: net, news: news}
	l.now.Store(net)
	if err := l.make(ctx, progress); err != nil {
		l.Close()
		if errors.Is(err, ctx.Err()) {
			return nil, err
		}
		return nil, fmt.Errorf("%w: %w", ErrNotPossible, err)
	}
	return l, nil
}

func (l *Lab) make(ctx context.Context, progress func(done, all int)) (err error) {
	if l.wires, err = newWires(); err != nil {
		return fmt.Errorf("making a network namespace: %w", err)
	}
	l.devices = make([]*device, len(l.now.Load().Spec.Devices))
	var group errgroup.Group
	group.SetLimit(2 * runtime.NumCPU()) // the kernel lets one at a time change its networks, and waits besides
	var mutex sync.Mutex
	done := 0
	for d := range l.devices {
		group.Go(func() (err error) {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			if l.devices[d], err = l.newDevice(model.DeviceID(d)); err != nil {
				return fmt.Errorf("making %s: %w", l.now.Load().Spec.Devices[d].Name, err)
			}
			mutex.Lock()
			defer mutex.Unlock()
			done++
			progress(done, len(l.devices))
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	if err := l.settle(nil); err != nil {
		return err
	}
	for _, d := range l.devices {
		if err := d.judge(); err != nil {
			return fmt.Errorf("permits of %s: %w", l.now.Load().Spec.Devices[d.id].Name, err)
		}
	}
	return l.watch()
}

// Close takes everything away.
func (l *Lab) Close() {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	for _, d := range l.devices {
		if d != nil {
			d.stop()
		}
	}
	for _, d := range l.devices {
		if d != nil {
			d.space.close()
		}
	}
	if l.wires != nil {
		l.wires.space.close()
	}
	l.devices, l.wires = nil, nil
}

// Network is what is predicted of it as it is now.
func (l *Lab) Network() *forward.Network {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	return l.now.Load()
}

// Inside does something in a device's namespace: what is opened or started there stays there.
func (l *Lab) Inside(d model.DeviceID, f func() error) error { return l.devices[d].space.inside(f) }

// Put puts further parts out of order, or with none, all back.
func (l *Lab) Put(failures ...network.Failure) error {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	before := l.now.Load()
	state := l.whole.State.With(failures...)
	l.now.Store(l.whole.Update(state))
	return l.settle(before.State)
}

// Restart restarts a device: what was set on it since is gone.
func (l *Lab) Restart(d model.DeviceID) error {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	whole := l.now.Load()
	down := network.NoFailure
	down.Device = d
	l.now.Store(whole.Update(whole.State.With(down)))
	if err := l.settle(whole.State); err != nil {
		return err
	}
	if err := l.devices[d].wipe(); err != nil {
		return err
	}
	before := l.now.Load().State
	l.now.Store(whole)
	return errors.Join(l.settle(before), l.devices[d].judge())
}

// Become makes the network another of the same devices and interfaces: what differs in
// addresses, routes and what is switched on is set.
func (l *Lab) Become(net *forward.Network) error {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if len(l.devices) == 0 {
		return nil // it is over
	}
	failures := l.now.Load().State.Failures()
	was := l.now.Load().Spec
	if len(net.Spec.Interfaces) != len(was.Interfaces) {
		return errors.New("interfaces cannot come or go in a rehearsal")
	}
	net = net.Update(net.State.With(failures[len(net.State.Failures()):]...))
	l.now.Store(net)
	l.whole = net
	for id := range net.Spec.Interfaces {
		if net.Spec.Interfaces[id].AdminDown == was.Interfaces[id].AdminDown || !l.made(model.InterfaceID(id)) {
			continue
		}
		d := l.devices[net.Spec.Interfaces[id].Device]
		change := d.space.handle.LinkSetUp
		if net.Spec.Interfaces[id].AdminDown {
			change = d.space.handle.LinkSetDown
		}
		if err := change(&netlink.GenericLink{LinkAttrs: netlink.LinkAttrs{Index: d.links[model.InterfaceID(id)]}}); err != nil {
			return err
		}
	}
	return l.settle(nil)
}

// settle brings wires and devices to what the present state says. Where the state before
// is known, only devices on which something changed are looked at.
func (l *Lab) settle(before *network.State) error {
	state := l.now.Load().State
	changed, err := l.wires.settle(l, state)
	if err != nil {
		return fmt.Errorf("the wires: %w", err)
	}
	if err := l.noticed(changed); err != nil {
		return err
	}
	for _, d := range l.devices {
		own := l.now.Load().Spec.InterfacesOf(d.id)
		if before != nil && !slices.ContainsFunc(own, func(i model.InterfaceID) bool {
			return before.IsUp(i) != state.IsUp(i) || sharesOther(before, state, i)
		}) && !d.resolves {
			continue
		}
		if err := d.settle(); err != nil {
			return fmt.Errorf("%s: %w", l.now.Load().Spec.Devices[d.id].Name, err)
		}
	}
	if before != nil {
		l.announce(before)
	}
	return l.neighbours()
}

// announce makes who is on a link forget by whom a shared address was answered, where that
// changed: the new master tells them so (RFC 9568 §6.4.2).
func (l *Lab) announce(before *network.State) {
	state := l.now.Load().State
	for i := range state.Spec.Interfaces {
		id := model.InterfaceID(i)
		if !sharesOther(before, state, id) {
			continue
		}
		for _, a := range state.Spec.Interfaces[id].Addresses {
			for _, n := range state.Neighbours(id) {
				if d := l.devices[state.Spec.Interfaces[n].Device]; a.Virtual {
					_ = d.space.handle.NeighDel(&netlink.Neigh{LinkIndex: d.links[n], IP: a.Addr().AsSlice()}) // it may not know any
				}
			}
		}
	}
}

// mostNoticing is for how long the kernel may take to notice that a link is up or down: it
// looks about once a second.
const mostNoticing = 5 * time.Second

// noticed waits until the kernel has noticed what links went up and down.
func (l *Lab) noticed(changed []model.InterfaceID) error {
	spec, end := l.now.Load().Spec, time.Now().Add(mostNoticing)
	for _, id := range changed {
		d := l.devices[spec.Interfaces[id].Device]
		want := netlink.LinkOperState(netlink.OperDown)
		if l.wires.up[id] && !spec.Interfaces[id].AdminDown {
			want = netlink.OperUp
		}
		for {
			link, err := d.space.handle.LinkByIndex(d.links[id])
			if err != nil {
				return err
			}
			if state := link.Attrs().OperState; state == want || want == netlink.OperDown && state == netlink.OperLowerLayerDown {
				break
			}
			if time.Now().After(end) {
				return fmt.Errorf("%s is not %s in the kernel after %s", spec.Label(id), want, mostNoticing)
			}
			time.Sleep(5 * time.Millisecond)
		}
	}
	return nil
}

// sharesOther tells whether an interface has become, or is no longer, master of a shared
// address.
func sharesOther(before, after *network.State, id model.InterfaceID) bool {
	return slices.ContainsFunc(before.Spec.Interfaces[id].Addresses, func(a model.Address) bool {
		return a.Virtual && before.Holds(id, a) != after.Holds(id, a)
	})
}
