package model

// Alter is a change that is said in words and done by a function.
type Alter struct {
	Device DeviceID
	Text   string // what to do, in one line
	Bears  Touched
	Do     func(*Spec) *Spec
}

// Apply implements Change.
func (c Alter) Apply(s *Spec) *Spec { return c.Do(s) }

// Describe implements Change.
func (c Alter) Describe(*Spec) string { return c.Text }

// On implements Change.
func (c Alter) On(*Spec) DeviceID { return c.Device }

// Touches implements Change.
func (c Alter) Touches() Touched { return c.Bears }

// AlterInterface is a change of one interface.
func (s *Spec) AlterInterface(id InterfaceID, text string, do func(*Interface)) Alter {
	return Alter{s.Interfaces[id].Device, text, TouchesInterfaces, func(s *Spec) *Spec { return s.withInterface(id, do) }}
}

// AlterDevice is a change of what one device lets pass, and translates.
func (s *Spec) AlterDevice(id DeviceID, text string, do func(*Device)) Alter {
	return Alter{id, text, TouchesPermits, func(s *Spec) *Spec { return s.withDevice(id, do) }}
}

// AlterRoutes is a change of the routes of one device. All others are written from then on: no
// route is derived anew.
func (s *Spec) AlterRoutes(id DeviceID, text string, do func([]Static) []Static) Alter {
	return Alter{id, text, TouchesRoutes, func(s *Spec) *Spec {
		next := *s
		first, last := s.StaticsOf(id)
		own := do(append([]Static(nil), s.Statics[first:last]...))
		next.Statics = append(append(append([]Static(nil), s.Statics[:first]...), own...), s.Statics[last:]...)
		return &next
	}}
}
