// Package standin is what simulated devices say of themselves and take: devices of a plan, or
// of a state, that make one network together. What is set on one takes effect on what the
// others see.
package standin

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"sync"

	"ropeswing/core/compare"
	"ropeswing/core/forward"
	"ropeswing/core/frames"
	"ropeswing/core/model"
	"ropeswing/core/observed"
)

// Yard is a network of stand-ins. Its methods may be called from several goroutines.
type Yard struct {
	plan *forward.Network

	mutex   sync.Mutex
	running map[string]*observed.Device
	saved   map[string]*observed.Device
	starts  map[string]int // how often each was restarted
	now     *forward.Network
	says    map[string]*observed.Device // worked out when it is asked
	changed func(*forward.Network)
}

// ErrUnknown is that there is no such device.
var ErrUnknown = errors.New("there is no such device")

// New makes a stand-in of every device of a plan, as planned; those that were observed are as
// found.
func New(plan *forward.Network, found []*observed.Device) *Yard {
	y := &Yard{plan: plan, running: map[string]*observed.Device{}, saved: map[string]*observed.Device{}, starts: map[string]int{}}
	for _, d := range compare.AsObserved(plan) {
		y.running[d.Name] = d
	}
	for _, d := range found {
		if was, ok := y.running[d.Name]; ok {
			was.Merge(d)
			was.Sources = nil
		}
	}
	for name, d := range y.running {
		y.running[name] = configuration(d)
		y.saved[name] = y.running[name].Clone()
	}
	y.settle()
	return y
}

// configuration is what of a device is set, and not found out by itself.
func configuration(d *observed.Device) *observed.Device {
	c := d.Clone()
	c.Neighbours, c.MACs, c.Links = nil, nil, nil
	for i := range c.Interfaces {
		c.Interfaces[i].Oper = ""
	}
	c.Routes = slices.DeleteFunc(c.Routes, func(r observed.Route) bool { return r.Source == "direct" || r.Source == "local" })
	for i := range c.Routes {
		c.Routes[i].Active = nil
	}
	return c
}

// settle works out the network that all running configurations make.
func (y *Yard) settle() {
	var all []*observed.Device
	for d := range y.plan.Spec.Devices {
		all = append(all, y.running[y.plan.Spec.Devices[d].Name])
	}
	y.now, y.says = compare.Overlay(y.plan, all), nil
	if y.changed != nil {
		y.changed(y.now)
	}
}

// OnChange has a function called with the network after each change of it; one at a time.
func (y *Yard) OnChange(f func(*forward.Network)) {
	y.mutex.Lock()
	defer y.mutex.Unlock()
	y.changed = f
}

// Names lists the stand-ins, in the plan's order.
func (y *Yard) Names() []string {
	var all []string
	for d := range y.plan.Spec.Devices {
		all = append(all, y.plan.Spec.Devices[d].Name)
	}
	return all
}

// Plan is the network that the stand-ins are of, as planned.
func (y *Yard) Plan() *forward.Network { return y.plan }

// Network is the network that all of them make now.
func (y *Yard) Network() *forward.Network {
	y.mutex.Lock()
	defer y.mutex.Unlock()
	return y.now
}

// Says is all that a device says of itself now.
func (y *Yard) Says(name string) (*observed.Device, error) {
	y.mutex.Lock()
	defer y.mutex.Unlock()
	set, ok := y.running[name]
	if !ok {
		return nil, fmt.Errorf("%w: %s", ErrUnknown, name)
	}
	if d := y.says[name]; d != nil {
		return d, nil
	}
	d := set.Clone()
	id, _ := y.now.Spec.DeviceNamed(name)
	y.state(d, id)
	y.neighbours(d, id)
	y.links(d, id)
	if y.says == nil {
		y.says = map[string]*observed.Device{}
	}
	y.says[name] = d
	return d, nil
}

// state adds what is up, and which routes are in use.
func (y *Yard) state(d *observed.Device, id model.DeviceID) {
	is := compare.DeviceAsObserved(y.now, id)
	for i := range d.Interfaces {
		x := &d.Interfaces[i]
		x.Oper = observed.Down
		if n := slices.IndexFunc(is.Interfaces, func(o observed.Interface) bool { return o.Name == x.Name }); n >= 0 {
			x.Oper = is.Interfaces[n].Oper
			if x.MAC == "" && x.Type != "softwareLoopback" {
				x.MAC = is.Interfaces[n].MAC
			}
		}
	}
	d.Routes = is.Routes
	for _, x := range d.Interfaces {
		for _, a := range x.Addresses {
			if x.Oper != observed.Up {
				continue
			}
			zero, yes := 0, true
			d.Routes = append(d.Routes, observed.Route{Table: y.tableOf(id, x.Name), To: a.Masked(), Interface: x.Name, Source: "direct",
				Distance: &zero, Active: &yes})
		}
	}
}

func (y *Yard) tableOf(id model.DeviceID, name string) string {
	if i, ok := y.now.Spec.InterfaceNamed(id, name); ok {
		return y.now.Spec.Interfaces[i].Table
	}
	return ""
}

// neighbours adds whom the device would know: everybody on its links that is up.
func (y *Yard) neighbours(d *observed.Device, id model.DeviceID) {
	spec := y.now.Spec
	for _, i := range spec.InterfacesOf(id) {
		if len(spec.Interfaces[i].Addresses) == 0 {
			continue
		}
		for _, n := range y.now.State.Neighbours(i) {
			for _, a := range spec.Interfaces[n].Addresses {
				if !sharesSubnet(spec, i, a.Addr()) || !y.now.State.Holds(n, a) {
					continue
				}
				mac := frames.MACOf(spec, n)
				d.Neighbours = append(d.Neighbours, observed.Neighbour{Address: a.Addr(), MAC: mac.String(), Interface: spec.Interfaces[i].Name})
			}
		}
	}
	d.Learn(observed.Neighbours)
}

func sharesSubnet(spec *model.Spec, i model.InterfaceID, a netip.Addr) bool {
	return slices.ContainsFunc(spec.Interfaces[i].Addresses, func(own model.Address) bool { return own.Contains(a) })
}

// links adds what neighbours on the same cable say of themselves (IEEE 802.1AB).
func (y *Yard) links(d *observed.Device, id model.DeviceID) {
	spec := y.now.Spec
	for _, i := range spec.InterfacesOf(id) {
		peer := y.now.State.Peer(i)
		if peer == model.None || !y.now.State.IsUp(i) || !y.now.State.IsUp(peer) ||
			spec.Devices[spec.Interfaces[peer].Device].Kind == model.Host {
			continue
		}
		d.Links = append(d.Links, observed.Link{Interface: spec.Interfaces[i].Name, Device: spec.Devices[spec.Interfaces[peer].Device].Name,
			Port: spec.Interfaces[peer].Name})
	}
	d.Learn(observed.Links)
}

// Running is what is set on a device now.
func (y *Yard) Running(name string) (*observed.Device, error) { return y.one(y.running, name) }

// Saved is what a device comes back with after a restart.
func (y *Yard) Saved(name string) (*observed.Device, error) { return y.one(y.saved, name) }

func (y *Yard) one(of map[string]*observed.Device, name string) (*observed.Device, error) {
	y.mutex.Lock()
	defer y.mutex.Unlock()
	d, ok := of[name]
	if !ok {
		return nil, fmt.Errorf("%w: %s", ErrUnknown, name)
	}
	return d.Clone(), nil
}

// Set sets a device to another configuration; it takes effect at once. One that the device
// cannot be set to is refused, and nothing changes.
func (y *Yard) Set(name string, to *observed.Device) error {
	y.mutex.Lock()
	defer y.mutex.Unlock()
	was, ok := y.running[name]
	if !ok {
		return fmt.Errorf("%w: %s", ErrUnknown, name)
	}
	if err := Possible(was, to); err != nil {
		return err
	}
	next := configuration(to)
	next.Name = name
	y.running[name] = next
	y.settle()
	return nil
}

// Possible tells why a device cannot be set to a configuration: its ports are what they are,
// and an address is on one interface.
func Possible(was, to *observed.Device) error {
	for _, i := range was.Interfaces {
		if physical(&i) && !slices.ContainsFunc(to.Interfaces, func(x observed.Interface) bool { return x.Name == i.Name }) {
			return fmt.Errorf("port %s cannot be taken away", i.Name)
		}
	}
	on := map[netip.Addr]string{}
	for _, i := range to.Interfaces {
		switch isNew := !slices.ContainsFunc(was.Interfaces, func(x observed.Interface) bool { return x.Name == i.Name }); {
		case isNew && physical(&i):
			return fmt.Errorf("there is no port %s", i.Name)
		case isNew && i.Type == "":
			return fmt.Errorf("interface %s has no type, and is not there yet", i.Name)
		}
		for _, a := range i.Addresses {
			if other, ok := on[a.Addr()]; ok && other != i.Name && !a.Addr().IsLinkLocalUnicast() {
				return fmt.Errorf("%s is on %s and on %s", a.Addr(), other, i.Name)
			}
			on[a.Addr()] = i.Name
		}
	}
	for _, r := range to.Routes {
		if !r.NextHop.IsValid() && r.Interface == "" && !r.Discard {
			return fmt.Errorf("the route to %s leads nowhere", r.To)
		}
		if r.Interface != "" && !slices.ContainsFunc(to.Interfaces, func(x observed.Interface) bool { return x.Name == r.Interface }) {
			return fmt.Errorf("the route to %s leads out of %s, which is not there", r.To, r.Interface)
		}
		if r.NextHop.IsValid() && r.NextHop.Is4() != r.To.Addr().Is4() {
			return fmt.Errorf("the route to %s has a next hop of the other family", r.To)
		}
	}
	return nil
}

// physical tells whether an interface is a port of the device, which no configuration makes.
func physical(i *observed.Interface) bool {
	return i.Type == "ethernetCsmacd" || i.Type == "propPointToPointSerial"
}

// Save keeps what runs, for the next restart.
func (y *Yard) Save(name string) error {
	y.mutex.Lock()
	defer y.mutex.Unlock()
	d, ok := y.running[name]
	if !ok {
		return fmt.Errorf("%w: %s", ErrUnknown, name)
	}
	y.saved[name] = d.Clone()
	return nil
}

// SetSaved keeps another configuration for the next restart.
func (y *Yard) SetSaved(name string, d *observed.Device) error {
	y.mutex.Lock()
	defer y.mutex.Unlock()
	if _, ok := y.saved[name]; !ok {
		return fmt.Errorf("%w: %s", ErrUnknown, name)
	}
	y.saved[name] = configuration(d)
	return nil
}

// Restart has a device come back with what it saved.
func (y *Yard) Restart(name string) error {
	y.mutex.Lock()
	defer y.mutex.Unlock()
	d, ok := y.saved[name]
	if !ok {
		return fmt.Errorf("%w: %s", ErrUnknown, name)
	}
	y.running[name] = d.Clone()
	y.starts[name]++
	y.settle()
	return nil
}

// Starts is how often a device was restarted.
func (y *Yard) Starts(name string) int {
	y.mutex.Lock()
	defer y.mutex.Unlock()
	return y.starts[name]
}

// Kind is what a device is, and whether it forwards.
func (y *Yard) Kind(name string) (kind model.Kind, forwards bool) {
	if id, ok := y.plan.Spec.DeviceNamed(name); ok {
		return y.plan.Spec.Devices[id].Kind, y.plan.Spec.Devices[id].Forwards
	}
	return model.Host, false
}
