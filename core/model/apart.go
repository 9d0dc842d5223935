package model

// Realms are the parts of a network that routing tables keep apart: segments are of one realm where some device that
// forwards is on both by interfaces of one table. A realm is kept apart where an interface of it is in a table of its
// own.
type Realms struct {
	of    []int32 // by segment
	apart []bool  // by realm
}

// Realms are worked out from who is on which segment, up or not.
func (s *Spec) Realms() *Realms {
	r := &Realms{of: make([]int32, len(s.Segments)), apart: make([]bool, len(s.Segments))}
	for i := range r.of {
		r.of[i] = int32(i)
	}
	var root func(int32) int32
	root = func(i int32) int32 {
		if r.of[i] != i {
			r.of[i] = root(r.of[i])
		}
		return r.of[i]
	}
	for d := range s.Devices {
		if !s.Devices[d].Forwards {
			continue
		}
		first := map[string]int32{}
		for _, id := range s.InterfacesOf(DeviceID(d)) {
			i := &s.Interfaces[id]
			if i.Segment == None || !i.Routed() {
				continue
			}
			if at, ok := first[i.Table]; ok {
				r.of[root(int32(i.Segment))] = root(at)
			} else {
				first[i.Table] = int32(i.Segment)
			}
		}
	}
	for i := range r.of {
		root(int32(i))
	}
	for id := range s.Interfaces {
		if i := &s.Interfaces[id]; i.Segment != None && i.Table != "" {
			r.apart[r.of[i.Segment]] = true
		}
	}
	return r
}

// Apart tells whether routing tables keep two segments apart. None is apart from nothing.
func (r *Realms) Apart(a, b SegmentID) bool {
	if a == None || b == None || r.of[a] == r.of[b] {
		return false
	}
	return r.apart[r.of[a]] || r.apart[r.of[b]]
}
