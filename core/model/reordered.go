package model

import (
	"reflect"
	"slices"
)

// Order is a permutation of a Spec's parts: each list has every identifier of its kind once, in
// the order in which the parts are to stand. The interfaces of one device must stand together, in the devices' order.
type Order struct {
	Devices    []DeviceID
	Interfaces []InterfaceID
	Segments   []SegmentID
	Cables     []CableID
}

// Reordered returns the same network with its devices, interfaces, segments and cables in another
// order. Every identifier anywhere in it is the new one; routes follow their devices, in their own order.
func (s *Spec) Reordered(o Order) *Spec {
	r := reordering{at: map[reflect.Type][]int32{
		reflect.TypeFor[DeviceID]():    Positions(o.Devices),
		reflect.TypeFor[InterfaceID](): Positions(o.Interfaces),
		reflect.TypeFor[SegmentID]():   Positions(o.Segments),
		reflect.TypeFor[CableID]():     Positions(o.Cables),
	}, concerned: map[reflect.Type]bool{}}
	next := *s
	next.Devices, next.Interfaces = inOrder(s.Devices, o.Devices), inOrder(s.Interfaces, o.Interfaces)
	next.Segments, next.Cables = inOrder(s.Segments, o.Segments), inOrder(s.Cables, o.Cables)
	for d := range next.Devices {
		next.Devices[d].First = None // of what has no interfaces it is out of range
	}
	r.renumber(reflect.ValueOf(&next).Elem())
	first := InterfaceID(0)
	for d := range next.Devices {
		device := &next.Devices[d]
		device.Count, device.More = device.Count+len(device.More), nil
		device.First = first
		first += InterfaceID(device.Count)
	}
	slices.SortStableFunc(next.Statics, func(a, b Static) int { return int(a.Device - b.Device) })
	next.devices, next.segments, next.cables = namesOf(s.devices, r), namesOf(s.segments, r), namesOf(s.cables, r)
	return &next
}

// Positions returns by identifier its place in a list of all identifiers of its kind.
func Positions[ID ~int32](order []ID) []int32 {
	at := make([]int32, len(order))
	for i, id := range order {
		at[id] = int32(i)
	}
	return at
}

func inOrder[T any, ID ~int32](all []T, order []ID) []T {
	next := make([]T, len(order))
	for i, id := range order {
		next[i] = all[id]
	}
	return next
}

func namesOf[ID ~int32](names map[string]ID, r reordering) map[string]ID {
	at := r.at[reflect.TypeFor[ID]()]
	next := make(map[string]ID, len(names))
	for name, id := range names {
		next[name] = ID(at[id])
	}
	return next
}

// reordering is new identifiers.
type reordering struct {
	at        map[reflect.Type][]int32 // by type of identifier, then by old identifier
	concerned map[reflect.Type]bool    // which types hold identifiers, once that is known
}

// renumber puts new identifiers in the place of old ones wherever a value has any. What it points
// to, and the elements of its lists, are copied first: the old network shares them.
func (r reordering) renumber(v reflect.Value) {
	t := v.Type()
	if !r.concerns(t) || !v.CanSet() {
		return
	}
	if at, ok := r.at[t]; ok {
		if id := v.Int(); id != None {
			v.SetInt(int64(at[id]))
		}
		return
	}
	switch t.Kind() {
	case reflect.Struct:
		for i := range t.NumField() {
			r.renumber(v.Field(i))
		}
	case reflect.Array:
		for i := range v.Len() {
			r.renumber(v.Index(i))
		}
	case reflect.Slice:
		if v.IsNil() {
			return
		}
		next := reflect.MakeSlice(t, v.Len(), v.Len())
		reflect.Copy(next, v)
		v.Set(next)
		for i := range v.Len() {
			r.renumber(v.Index(i))
		}
	case reflect.Pointer:
		if v.IsNil() {
			return
		}
		next := reflect.New(t.Elem())
		next.Elem().Set(v.Elem())
		v.Set(next)
		r.renumber(next.Elem())
	}
}

// concerns reports whether values of a type may hold identifiers.
func (r reordering) concerns(t reflect.Type) bool {
	if is, known := r.concerned[t]; known {
		return is
	}
	_, is := r.at[t]
	r.concerned[t] = is
	switch t.Kind() {
	case reflect.Struct:
		for i := range t.NumField() {
			f := t.Field(i)
			is = f.IsExported() && r.concerns(f.Type) || is
		}
	case reflect.Array, reflect.Slice, reflect.Pointer:
		is = r.concerns(t.Elem())
	}
	r.concerned[t] = is
	return is
}
