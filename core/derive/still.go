package derive

import (
	"slices"

	"ropeswing/core/model"
)

// still is how packets reach a class with nothing out of order. Under a failure only those need be
// followed that come by a device which may decide otherwise then; all others arrive as before.
type still struct {
	arrives []bool           // by device: its packets arrive with nothing out of order
	all     bool             // those of all do that routes are derived for
	next    []stepID         // by device: its step with nothing out of order; none where it has none
	first   []int32          // by device, and one more: where those that send to it begin in from
	from    []model.DeviceID // who sends to a device
	begins  []int32          // by failure, and one more: where those that may decide otherwise begin in others
	others  []model.DeviceID
	touched []uint32 // by device: in which epoch a failure touched it
	turned  []uint32 // by device: in which epoch it may decide otherwise
	epoch   uint32
	todo    []model.DeviceID
	turning []model.DeviceID // those from whom on a failure touches packets
}

// learn finds how packets reach a class now; what it knew of another is forgotten.
func (s *still) learn(a *answer, c *class, w *walker) {
	n := len(a.g.leaving)
	if s.arrives == nil {
		s.arrives, s.touched, s.turned, s.next = make([]bool, n), make([]uint32, n), make([]uint32, n), make([]stepID, n)
		s.first, s.begins = make([]int32, n+2), make([]int32, len(a.g.failures)+2)
	}
	clear(s.arrives)
	w.under(c, a.nothing)
	s.all = true
	for _, d := range a.deriving {
		s.arrives[d] = w.walk(d) == arrives
		s.all = s.all && s.arrives[d]
	}
	for d := range model.DeviceID(n) {
		s.next[d] = a.decide(c, d, a.nothing)
	}
	s.from = byKey(s.first, s.from, func(add func(int32, model.DeviceID)) {
		for d, next := range s.next {
			d := model.DeviceID(d)
			if next != none {
				add(int32(a.g.to[next]), d)
			}
		}
	})
	s.others = byKey(s.begins, s.others, func(add func(int32, model.DeviceID)) {
		for d := range model.DeviceID(n) {
			o := a.taken(c, d, a.nothing)
			if o == nil {
				continue
			}
			of := func(f failureID) bool { add(int32(f), d); return true }
			if o.watch != nil {
				a.eachFailure(o.watch.steps(), of)
			}
			a.eachFailure([]stepID{o.step}, of)
		}
	})
}

// byKey lists what is added, by its key: what key k has begins at first[k], and ends where that of
// the next begins. Each runs twice.
func byKey(first []int32, list []model.DeviceID, each func(add func(int32, model.DeviceID))) []model.DeviceID {
	clear(first)
	each(func(k int32, _ model.DeviceID) { first[k+2]++ })
	for k := 2; k < len(first); k++ {
		first[k] += first[k-1]
	}
	list = slices.Grow(list[:0], int(first[len(first)-1]))[:first[len(first)-1]]
	each(func(k int32, d model.DeviceID) {
		list[first[k+1]] = d
		first[k+1]++
	})
	return list
}

// touch finds whose packets a failure may lead elsewhere.
func (s *still) touch(c *class, f *failure) {
	s.epoch++
	s.todo = append(s.todo[:0], s.others[s.begins[f.id]:s.begins[f.id+1]]...)
	if f.fails != model.None {
		s.todo = append(s.todo, f.fails)
	}
	for _, o := range c.owners {
		if slices.Contains(f.down, o.on) {
			s.todo = append(s.todo, o.device)
		}
	}
	for _, d := range s.todo {
		s.turned[d] = s.epoch
	}
	s.turning = append(s.turning[:0], s.todo...)
	for len(s.todo) > 0 {
		d := s.todo[len(s.todo)-1]
		s.todo = s.todo[:len(s.todo)-1]
		if s.touched[d] == s.epoch {
			continue
		}
		s.touched[d] = s.epoch
		s.todo = append(s.todo, s.from[s.first[d]:s.first[d+1]]...)
	}
}

// isAsBefore tells whether a device's packets arrive as they do with nothing out of order.
func (s *still) isAsBefore(d model.DeviceID) bool { return s.arrives[d] && s.touched[d] != s.epoch }

// mayTurn tells whether a device may decide otherwise than with nothing out of order.
func (s *still) mayTurn(d model.DeviceID) bool { return s.turned[d] == s.epoch }
