package model

import (
	"cmp"
	"slices"
	"strings"

	"ropeswing/core/prefix"
)

// Taker is what takes space from a block: one segment for its subnets, one device for its
// loopback, or one block; the others are None.
type Taker struct {
	Segment SegmentID
	Device  DeviceID
	Block   BlockID
}

// Takers lists by block what takes from it, segments before devices before blocks. What
// names several blocks is listed with the first.
func (s *Spec) Takers() [][]Taker {
	all := make([][]Taker, len(s.Blocks))
	add := func(from []BlockID, t Taker) {
		if len(from) > 0 {
			all[from[0]] = append(all[from[0]], t)
		}
	}
	for id := range s.Segments {
		add(s.Segments[id].From, Taker{SegmentID(id), None, None})
	}
	for id := range s.Devices {
		add(s.Devices[id].From, Taker{None, DeviceID(id), None})
	}
	for id := range s.Blocks {
		add(s.Blocks[id].From, Taker{None, None, BlockID(id)})
	}
	return all
}

// TakerName is the name of what takes.
func (s *Spec) TakerName(t Taker) string {
	switch {
	case t.Segment != None:
		return s.Segments[t.Segment].Name
	case t.Device != None:
		return s.Devices[t.Device].Name
	}
	return s.Blocks[t.Block].Name
}

// TakerFrom is the blocks that a taker names.
func (s *Spec) TakerFrom(t Taker) []BlockID {
	switch {
	case t.Segment != None:
		return s.Segments[t.Segment].From
	case t.Device != None:
		return s.Devices[t.Device].From
	}
	return s.Blocks[t.Block].From
}

// TakenBy lists what a taker has of a family: subnets, prefixes, or its loopback's addresses.
func (s *Spec) TakenBy(t Taker, family prefix.Family) []Prefix {
	var all []Prefix
	add := func(p Prefix) {
		if prefix.FamilyOf(p.Addr()) == family {
			all = append(all, p)
		}
	}
	switch {
	case t.Segment != None:
		for _, p := range s.Segments[t.Segment].Prefixes {
			add(p)
		}
	case t.Block != None:
		for _, p := range s.Blocks[t.Block].Prefixes {
			add(p)
		}
	default:
		for _, id := range s.InterfacesOf(t.Device) {
			if i := &s.Interfaces[id]; i.Kind == Loopback {
				for _, a := range i.Addresses {
					add(Prefix{a.Prefix, a.Place, a.Giver})
				}
			}
		}
	}
	return all
}

// Alike is blocks that are laid out in one way.
type Alike struct {
	Word   string
	Blocks []BlockID
	own    []string // by block: the part of its name that is its own
}

// AlikeBlocks lists the blocks that are to be laid out alike, in the order of the plan.
func (s *Spec) AlikeBlocks() []Alike {
	var all []Alike
	for id := range s.Blocks {
		b := &s.Blocks[id]
		if b.Alike == "" {
			continue
		}
		i := slices.IndexFunc(all, func(a Alike) bool { return a.Word == b.Alike })
		if i < 0 {
			i, all = len(all), append(all, Alike{Word: b.Alike})
		}
		all[i].Blocks = append(all[i].Blocks, BlockID(id))
	}
	for i := range all {
		var names []string
		for _, b := range all[i].Blocks {
			names = append(names, s.Blocks[b].Name)
		}
		all[i].own = ownParts(names)
	}
	return all
}

// Kind is what a name within block n is called in all the blocks: with a star for the part
// that is the block's own.
func (a *Alike) Kind(n int, name string) string {
	own := a.own[n]
	for at := strings.LastIndex(name, own); own != "" && at >= 0; at = strings.LastIndex(name[:at], own) {
		if boundary(name, at) && boundary(name, at+len(own)) {
			return name[:at] + "*" + name[at+len(own):]
		}
	}
	return name
}

// ownParts is what is left of names when what all begin with and what all end with is taken
// off, whole words and numbers only.
func ownParts(names []string) []string {
	if len(names) == 0 {
		return nil
	}
	first := slices.MinFunc(names, func(a, b string) int { return cmp.Compare(len(a), len(b)) })
	front, back := len(first), len(first)
	for _, name := range names {
		for !strings.HasPrefix(name, first[:front]) {
			front--
		}
		for !strings.HasSuffix(name, first[len(first)-back:]) {
			back--
		}
	}
	all := func(holds func(name string) bool) bool {
		return !slices.ContainsFunc(names, func(name string) bool { return !holds(name) })
	}
	for front > 0 && (front == len(first) || !all(func(name string) bool { return boundary(name, front) })) {
		front--
	}
	for back > 0 && (front+back >= len(first) || !all(func(name string) bool { return boundary(name, len(name)-back) })) {
		back--
	}
	own := make([]string, len(names))
	for i, name := range names {
		own[i] = name[front : len(name)-back]
	}
	return own
}

// boundary tells whether a word or a number of the name ends or begins at a place.
func boundary(name string, at int) bool {
	if at == 0 || at == len(name) {
		return true
	}
	class := func(c byte) int {
		switch {
		case c >= '0' && c <= '9':
			return 1
		case c >= 'a' && c <= 'z', c >= 'A' && c <= 'Z', c >= 0x80:
			return 2
		}
		return 0
	}
	a, b := class(name[at-1]), class(name[at])
	return a != b || a == 0
}
