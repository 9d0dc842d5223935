package model

import (
	"fmt"
	"slices"
)

// withDevice is the network with one device changed in a copy.
func (s *Spec) withDevice(id DeviceID, change func(*Device)) *Spec {
	next := *s
	next.Devices = slices.Clone(s.Devices)
	change(&next.Devices[id])
	return &next
}

// AddPermit puts a permit into a device's list.
type AddPermit struct {
	Device DeviceID
	Before int // the place in the list of what comes behind it
	Permit Permit
	Own    bool // into the list of what is for the device itself
}

// Apply implements Change.
func (c AddPermit) Apply(s *Spec) *Spec {
	return s.withDevice(c.Device, func(d *Device) {
		if c.Own {
			d.OwnPermits = slices.Insert(slices.Clone(d.OwnPermits), c.Before, c.Permit)
		} else {
			d.Permits = slices.Insert(slices.Clone(d.Permits), c.Before, c.Permit)
		}
	})
}

// Describe implements Change.
func (c AddPermit) Describe(s *Spec) string {
	list, word := s.Devices[c.Device].Permits, "permit"
	if c.Own {
		list, word = s.Devices[c.Device].OwnPermits, "own permit"
	}
	where := ""
	if c.Before < len(list) {
		where = fmt.Sprintf(", before its %s %d", word, c.Before+1)
	}
	if c.Permit.Ruling != Pass {
		return fmt.Sprintf("add to the %ss of %s%s: %s", word, s.Devices[c.Device].Name, where, c.Permit.Text)
	}
	return fmt.Sprintf("let %s pass '%s'%s", s.Devices[c.Device].Name, c.Permit.Text, where)
}

// On implements Change.
func (c AddPermit) On(*Spec) DeviceID { return c.Device }

// Touches implements Change.
func (AddPermit) Touches() Touched { return TouchesPermits }

// PutInForce puts a pending permit in force.
type PutInForce struct {
	Device DeviceID
	Permit int // its place in the device's permits
}

// Apply implements Change.
func (c PutInForce) Apply(s *Spec) *Spec {
	return s.withDevice(c.Device, func(d *Device) {
		d.Permits = slices.Clone(d.Permits)
		d.Permits[c.Permit].Pending = false
	})
}

// Describe implements Change.
func (c PutInForce) Describe(s *Spec) string {
	return fmt.Sprintf("put the pending permit %d of %s in force: '%s'", c.Permit+1, s.Devices[c.Device].Name,
		s.Devices[c.Device].Permits[c.Permit].Text)
}

// On implements Change.
func (c PutInForce) On(*Spec) DeviceID { return c.Device }

// Touches implements Change.
func (PutInForce) Touches() Touched { return TouchesPermits }

// Pending tells whether any permit is not in force.
func (s *Spec) Pending() bool {
	for i := range s.Devices {
		for _, p := range slices.Concat(s.Devices[i].Permits, s.Devices[i].OwnPermits) {
			if p.Pending {
				return true
			}
		}
	}
	return false
}

// WithoutPolicies is the network in which everything passes, and nothing is translated.
func (s *Spec) WithoutPolicies() *Spec {
	next := *s
	next.Devices = slices.Clone(s.Devices)
	for i := range next.Devices {
		d := &next.Devices[i]
		d.Permits, d.OwnPermits, d.Otherwise, d.KeepsState, d.Translates = nil, nil, Pass, false, nil
	}
	return &next
}

// WithPending is the network with all pending permits in force.
func (s *Spec) WithPending() *Spec {
	next := *s
	next.Devices = slices.Clone(s.Devices)
	inForce := func(all []Permit) []Permit {
		all = slices.Clone(all)
		for i := range all {
			all[i].Pending = false
		}
		return all
	}
	for i := range next.Devices {
		d := &next.Devices[i]
		d.Permits, d.OwnPermits = inForce(d.Permits), inForce(d.OwnPermits)
	}
	return &next
}
