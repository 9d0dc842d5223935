package assign

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"sync"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// What happens to a number.
type What uint8

const (
	New      What = iota // given for the first time
	Back                 // was retired, and its owner has it again
	Grown                // a subnet became larger where it lies
	Moved                // its owner has another one instead
	Retired              // its owner is gone, or has another number
	Released             // may be given to others from now on
	Renamed              // its owner has another name
)

func (w What) String() string {
	return [...]string{"new", "back", "grown", "moved", "retired", "released", "renamed"}[w]
}

// Change is one number that the ledger does not have as the plan wants it.
type Change struct {
	What    What
	Entry   Entry  // as it will be; of one retired or released: as it was
	Was     string // the number before, of one grown or moved; the name before, of one renamed
	Because Because
	NoRoom  bool // it could not grow where it was
}

// Numbering assigns the numbers of one plan. It is a model.Numbering.
type Numbering struct {
	ledger *Ledger
	grow   map[string]bool
	today  string

	entries map[wanted]*held   // what is given
	retired map[wanted][]*held // what was given, by whose it was
	next    []Entry            // of the ledger to come
	changes []Change
	found   []finding.Finding
	grew    map[string]bool         // of those asked to grow
	slots   map[wanted]netip.Prefix // where what is alike or numbered lies in its block
	shifts  []shift
	numbers [2]*taken // by family: what is not a block, while blocks are assigned
	home    map[homeKey]home

	renumber map[string]bool
}

// wanted is a number's owner and what it is for.
type wanted struct {
	owner  string
	kind   Kind
	family prefix.Family // IPv4 of a VLAN number
}

// held is an entry of the ledger, and whether it still holds.
type held struct {
	Entry
	kept bool
}

// Ask is what is to change of numbers that were given.
type Ask struct {
	Grow     []string // segments and blocks to be larger where they are too small
	Renumber []string // segments, blocks, and devices for their loopbacks, to have another number
	Today    string   // the day, YYYY-MM-DD, to be noted of what is retired now; "" notes none
	Merge    bool     // the ledger may hold two versions, as a merge of lines leaves them
	Keep     []string // whose numbers stand then where the two contradict; see MergeLedger
}

// NewNumbering assigns numbers in agreement with the ledger, which may be
// nil, but for what is asked to change.
func NewNumbering(ledger *Ledger, ask Ask) *Numbering {
	n := &Numbering{
		ledger: ledger, today: ask.Today, grow: map[string]bool{}, grew: map[string]bool{}, renumber: map[string]bool{},
		retired: map[wanted][]*held{}, home: map[homeKey]home{},
	}
	if n.ledger == nil {
		n.ledger = &Ledger{}
	}
	for _, name := range ask.Grow {
		n.grow[name] = true
	}
	for _, name := range ask.Renumber {
		n.renumber[name] = true
	}
	n.entries = make(map[wanted]*held, len(n.ledger.Entries))
	n.next = make([]Entry, 0, len(n.ledger.Entries))
	for _, e := range n.ledger.Entries {
		k := wanted{e.Owner, e.Kind, e.family()}
		if e.Retired {
			n.retired[k] = append(n.retired[k], &held{Entry: e})
		} else {
			n.entries[k] = &held{Entry: e}
		}
	}
	return n
}

func (n *Numbering) report(f finding.Finding) { n.found = append(n.found, f) }

// keep says that a number goes on as it is.
func (n *Numbering) keep(h *held) {
	h.kept = true
	n.next = append(n.next, h.Entry)
}

// restore gives a retired number back to its owner.
func (n *Numbering) restore(h *held) {
	h.kept = true
	e := h.Entry
	e.Retired = false
	n.next = append(n.next, e)
	n.changes = append(n.changes, Change{What: Back, Entry: e, Because: Because{Code: WasItsOwn}})
}

// give assigns a number.
func (n *Numbering) give(e Entry, because Because) {
	n.next = append(n.next, e)
	n.changes = append(n.changes, Change{What: New, Entry: e, Because: because})
}

// VLANs implements model.Numbering.
func (n *Numbering) VLANs(spec *model.Spec) {
	taken, fixed := map[int]bool{}, map[int]bool{}
	for _, s := range spec.Segments {
		taken[int(s.VLAN)], fixed[int(s.VLAN)] = true, true
	}
	for _, e := range n.ledger.Entries {
		taken[e.VLAN] = true
	}
	at := 0 // of all the ranges' numbers: those before it are taken
	for i := range spec.Segments {
		s := &spec.Segments[i]
		if s.VLANGiver != model.Proposed {
			continue
		}
		k := wanted{s.Name, VLAN, prefix.IPv4}
		if h := n.entries[k]; h != nil {
			n.keep(h)
			s.VLAN, s.VLANGiver, s.VLANPlace = model.VLAN(h.VLAN), model.Remembered, h.Place
			continue
		}
		if i := slices.IndexFunc(n.retired[k], func(h *held) bool { return !fixed[h.VLAN] }); i >= 0 {
			h := n.retired[k][i]
			n.restore(h)
			s.VLAN = model.VLAN(h.VLAN)
			continue
		}
		number, ok := 0, false
		if number, at, ok = nextVLAN(spec.VLANs, taken, at); !ok {
			n.report(finding.New(finding.NoNumberFree, s.VLANPlace, "no VLAN number is free for %s", s.Name).About(s.Name).
				Mend("widen 'vlans' of the plan, or release numbers that are retired"))
			continue
		}
		taken[number] = true
		s.VLAN = model.VLAN(number)
		n.give(Entry{Owner: s.Name, Kind: VLAN, VLAN: number, Place: s.VLANPlace}, Because{Code: VLANFree})
	}
}

// nextVLAN is the first number of the ranges, from the one at position at on,
// that is not taken, and its position.
func nextVLAN(ranges []model.VLANRange, taken map[int]bool, at int) (number, position int, ok bool) {
	before := 0
	for _, r := range ranges {
		count := int(r.Last-r.First) + 1
		for ; at < before+count; at++ {
			if v := int(r.First) + at - before; !taken[v] {
				return v, at, true
			}
		}
		before += count
	}
	return 0, at, false
}

// need is one subnet, loopback or block that has to be assigned.
type need struct {
	wanted
	length  int
	from    []model.BlockID
	place   source.Place
	because Because
	moved   *held // what the owner has so far, where it is to have another
	give    func(netip.Prefix, model.Giver, source.Place)

	wants   bool           // there is something to want, and a block that has some of it
	segment *model.Segment // of a subnet
	fixed   model.Prefix   // of a subnet that the plan says
}

// Subnets implements model.Numbering.
func (n *Numbering) Subnets(spec *model.Spec) {
	asked := append(n.segments(spec), n.loopbacks(spec)...)
	n.blocks(spec, asked)
	var open, growing []need
	for _, x := range asked {
		h := n.entries[x.wanted]
		switch {
		case x.fixed.IsValid():
			if h != nil && h.Prefix == x.fixed.Prefix {
				n.keep(h)
			}
			n.judge(x.segment, x.fixed)
		case !x.wants:
		case h != nil && n.goesWithBlock(x, h):
		case h != nil && n.renumber[x.owner]:
			n.grew[x.owner] = true
			x.moved = h
			open = append(open, x)
		case h != nil && x.segment != nil && n.grow[x.owner] && h.Prefix.Bits() > x.length:
			x.moved = h
			growing = append(growing, x)
		case h != nil:
			n.keep(h)
			x.give(h.Prefix, model.Remembered, h.Place)
			if x.segment != nil {
				n.judge(x.segment, x.segment.Prefixes[len(x.segment.Prefixes)-1])
			}
		case hasSpace(spec, x.from, x.family): // else what is wrong with the block was said
			open = append(open, x)
		}
	}
	n.growInPlace(spec, &growing)
	open = n.restoreRetired(spec, append(open, growing...))
	n.place(spec, open)
	for i := range spec.Segments {
		s := &spec.Segments[i]
		slices.SortStableFunc(s.Prefixes, func(a, b model.Prefix) int { // IPv4 first, as ever
			return cmp.Compare(a.Addr().BitLen(), b.Addr().BitLen())
		})
	}
}

// noun is what a need is for.
func (x *need) noun() string {
	if x.kind == Block {
		return "block"
	}
	return "subnet"
}

// segments is what the segments want, or have by the plan.
func (n *Numbering) segments(spec *model.Spec) []need {
	var all []need
	for i := range spec.Segments {
		s := &spec.Segments[i]
		for _, family := range prefix.Families {
			x, wants := n.segmentNeed(spec, s, family)
			x.wants, x.segment = wants, s
			x.fixed, _ = subnetOf(s, family)
			all = append(all, x)
		}
	}
	return all
}

// subnetOf is the segment's subnet of a family so far.
func subnetOf(s *model.Segment, family prefix.Family) (model.Prefix, bool) {
	for _, p := range s.Prefixes {
		if prefix.FamilyOf(p.Addr()) == family {
			return p, true
		}
	}
	return model.Prefix{}, false
}

// segmentNeed is what a segment wants of a family; false where it is nothing,
// or its blocks have nothing of the family.
func (n *Numbering) segmentNeed(spec *model.Spec, s *model.Segment, family prefix.Family) (need, bool) {
	x := need{wanted: wanted{s.Name, Subnet, family}, from: s.From, place: s.Need.Place}
	length, ok := s.WantedLength(family)
	if !ok {
		if _, grown := s.Wanted(); family == prefix.IPv4 && s.Need.HostsSaid && offers(spec, s.From, family) {
			n.report(finding.New(finding.NeedUnfit, s.Need.Place, "%s wants %d usable addresses, more than IPv4 has", s.Name,
				grown).About(s.Name))
		}
		return x, false
	}
	x.length, x.because = length, BecauseOf(s, family)
	x.give = func(p netip.Prefix, giver model.Giver, place source.Place) {
		s.Prefixes = append(s.Prefixes, model.Prefix{Prefix: p, Place: place, Giver: giver})
	}
	return x, offers(spec, s.From, family)
}

// offers tells whether any of the blocks has space of the family, or is to have some.
func offers(spec *model.Spec, from []model.BlockID, family prefix.Family) bool {
	return slices.ContainsFunc(from, func(b model.BlockID) bool { return spec.Offers(b, family) })
}

// hasSpace tells whether any of the blocks has a prefix of the family.
func hasSpace(spec *model.Spec, from []model.BlockID, family prefix.Family) bool {
	return slices.ContainsFunc(from, func(b model.BlockID) bool {
		return slices.ContainsFunc(spec.Blocks[b].Prefixes, func(p model.Prefix) bool { return prefix.FamilyOf(p.Addr()) == family })
	})
}

// loopbacks is the loopbacks that the plan leaves open.
func (n *Numbering) loopbacks(spec *model.Spec) []need {
	var all []need
	for d := range spec.Devices {
		device := &spec.Devices[d]
		if len(device.From) == 0 {
			continue
		}
		var loopback *model.Interface
		for _, id := range spec.InterfacesOf(model.DeviceID(d)) {
			if i := &spec.Interfaces[id]; i.Kind == model.Loopback {
				loopback = i
			}
		}
		if loopback == nil {
			continue // another interface has its name, which was said
		}
		for _, family := range prefix.Families {
			x := need{wanted: wanted{device.Name, Loopback, family}, length: 128, from: device.From, place: loopback.Place,
				because: Because{Code: GivenLoopback}, wants: offers(spec, device.From, family)}
			if family == prefix.IPv4 {
				x.length = 32
			}
			x.give = func(p netip.Prefix, giver model.Giver, place source.Place) {
				loopback.Addresses = append(loopback.Addresses, model.Address{Prefix: p, Place: place, Giver: giver, Rule: "given"})
			}
			all = append(all, x)
		}
	}
	return all
}

// taken is all the space that nothing may be assigned of: what is written in
// the plan, kept of a block, or given before, retired or not.
func (n *Numbering) taken(spec *model.Spec, but *held) []netip.Prefix {
	all := n.fixed(spec)
	for _, b := range spec.Blocks {
		for _, p := range b.Kept {
			all = append(all, p.Prefix)
		}
	}
	for _, e := range n.ledger.Entries {
		if (e.Kind == Subnet || e.Kind == Loopback || e.Kind == Block && e.Retired) && (but == nil || e != but.Entry) {
			all = append(all, e.Prefix)
		}
	}
	for _, c := range n.changes {
		if c.Entry.Kind == Subnet || c.Entry.Kind == Loopback {
			all = append(all, c.Entry.Prefix)
		}
	}
	return all
}

// growInPlace gives those subnets that are to grow a larger one around them,
// where what that takes in is free. The others are left in growing.
func (n *Numbering) growInPlace(spec *model.Spec, growing *[]need) {
	var left []need
	for _, x := range *growing {
		n.grew[x.owner] = true
		larger := netip.PrefixFrom(x.moved.Prefix.Addr(), x.length).Masked()
		inBlock := false
		for _, home := range n.homes(spec, x.from, x.family) {
			for _, p := range home.own {
				inBlock = inBlock || prefix.Covers(p, larger)
			}
		}
		if !inBlock || prefix.NewTaken(n.taken(spec, x.moved)).Meets(larger) {
			left = append(left, x)
			continue
		}
		x.moved.kept = true
		e := Entry{Owner: x.owner, Kind: Subnet, Prefix: larger, Place: x.moved.Place}
		n.next = append(n.next, e)
		n.changes = append(n.changes, Change{What: Grown, Entry: e, Was: x.moved.Number(), Because: x.because})
		x.give(larger, model.Proposed, x.place)
	}
	*growing = left
}

// restoreRetired gives back what a need's owner had before, where it is large
// enough still and nobody else has it by now.
func (n *Numbering) restoreRetired(spec *model.Spec, open []need) []need {
	var left []need
	fixed := sync.OnceValue(func() prefix.Taken { return prefix.NewTaken(n.fixed(spec)) })
	for _, x := range open {
		restored := false
		for _, h := range n.retired[x.wanted] {
			if h.kept || h.Prefix.Bits() > x.length || x.moved != nil || fixed().Meets(h.Prefix) {
				continue
			}
			n.restore(h)
			x.give(h.Prefix, model.Proposed, x.place)
			restored = true
			break
		}
		if !restored {
			left = append(left, x)
		}
	}
	return left
}

// fixed is the space the plan itself says is in use.
func (n *Numbering) fixed(spec *model.Spec) []netip.Prefix {
	all := slices.Clone(spec.Claimed)
	for _, s := range spec.Segments {
		for _, p := range s.Prefixes {
			if p.Giver == model.Fixed {
				all = append(all, p.Prefix)
			}
		}
	}
	return all
}

// home is a block's space of a family: its own prefixes, less those of other
// blocks within them.
type home struct {
	block model.BlockID
	own   []netip.Prefix
}

func homes(spec *model.Spec, from []model.BlockID, family prefix.Family) []home {
	var all []home
	for _, b := range from {
		h := home{block: b}
		for _, p := range spec.Blocks[b].Prefixes {
			if prefix.FamilyOf(p.Addr()) != family {
				continue
			}
			var inner []netip.Prefix
			for other, block := range spec.Blocks {
				for _, q := range block.Prefixes {
					within := prefix.Covers(p.Prefix, q.Prefix) && (p.Prefix != q.Prefix || model.BlockID(other) > b)
					if model.BlockID(other) != b && within {
						inner = append(inner, q.Prefix)
					}
				}
			}
			h.own = append(h.own, prefix.Without(p.Prefix, inner)...)
		}
		h.own = prefix.Merge(h.own)
		all = append(all, h)
	}
	return all
}

// place gives each need a subnet: the largest first, each from the start of
// the smallest free stretch that holds it. As every size divides every larger
// one, that fits whatever can be fitted beside what was given before.
func (n *Numbering) place(spec *model.Spec, open []need) {
	if len(open) == 0 {
		return
	}
	all := n.taken(spec, nil)
	taken, own := prefix.NewTaken(all), newBeside(spec, all)
	spaces := map[string]*prefix.Space{}
	space := func(h home, family prefix.Family) *prefix.Space {
		key := fmt.Sprint(h.block, family == prefix.IPv4)
		if spaces[key] == nil {
			spaces[key] = prefix.NewSpace(withoutAll(h.own, taken))
			if family == prefix.IPv6 {
				spaces[key].LeaveReserved()
			}
		}
		return spaces[key]
	}
	slices.SortStableFunc(open, func(a, b need) int { return cmp.Compare(a.length, b.length) })
	open = slices.DeleteFunc(open, func(x need) bool { // those that have a place of their own
		slot, ok := n.slots[x.wanted]
		if !ok {
			return false
		}
		for _, h := range n.homes(spec, x.from, x.family) {
			if space(h, x.family).TakeThis(slot) {
				n.settle(x, slot)
				return true
			}
		}
		return false
	})
	var failed []need
	for _, x := range open {
		if slices.ContainsFunc(n.homes(spec, x.from, x.family), func(h home) bool {
			p, ok := own.place(x, h, space(h, x.family))
			if ok {
				x.because.Beside = spec.Devices[own.only[x.owner]].Name
				n.settle(x, p)
			}
			return ok
		}) {
			continue
		}
		var best *prefix.Space
		bestLength := -1
		for _, h := range n.homes(spec, x.from, x.family) {
			s := space(h, x.family)
			if l, ok := s.Best(x.length); ok && l > bestLength {
				best, bestLength = s, l
			}
		}
		var p netip.Prefix
		ok := best != nil
		if ok {
			p, ok = best.Take(x.length)
		}
		if !ok {
			failed = append(failed, x)
			continue
		}
		own.note(p, model.None)
		n.settle(x, p)
	}
	for _, x := range failed { // now that the others have theirs, what is free is told rightly
		n.unfit(spec, x, n.homes(spec, x.from, x.family), space)
	}
}

// settle gives a need its subnet or loopback.
func (n *Numbering) settle(x need, p netip.Prefix) {
	x.give(p, model.Proposed, x.place)
	if x.moved != nil {
		n.move(x.moved, p, x.because, !n.renumber[x.owner])
		return
	}
	n.give(Entry{Owner: x.owner, Kind: x.kind, Prefix: p, Place: x.place}, x.because)
}

// move gives an owner another number than it had.
func (n *Numbering) move(h *held, p netip.Prefix, because Because, noRoom bool) {
	e := Entry{Owner: h.Owner, Kind: h.Kind, Prefix: p, Place: h.Place}
	n.next = append(n.next, e)
	n.changes = append(n.changes, Change{What: Moved, Entry: e, Was: h.Number(), Because: because, NoRoom: noRoom})
}

// shift is a block that is another now; what lies in it goes with it.
type shift struct {
	block    string
	from, to netip.Prefix
}

func (s *shift) because() Because {
	return Because{Code: BlockMoved, Block: s.block, Subnet: s.to}
}

// shifted is where a number lies now whose block has moved, and by which move; nil where
// none did.
func (n *Numbering) shifted(p netip.Prefix) (netip.Prefix, *shift) {
	for i := range n.shifts {
		if s := &n.shifts[i]; prefix.Covers(s.from, p) {
			return prefix.Shift(p, s.from, s.to), s
		}
	}
	return p, nil
}

// goesWithBlock gives a need whose block has moved its number at the same place in it.
func (n *Numbering) goesWithBlock(x need, h *held) bool {
	p, s := n.shifted(h.Prefix)
	if s == nil {
		return false
	}
	x.give(p, model.Proposed, x.place)
	n.move(h, p, s.because(), false)
	n.grew[x.owner] = true
	return true
}

// homes is the spaces of blocks, which are worked out once.
func (n *Numbering) homes(spec *model.Spec, from []model.BlockID, family prefix.Family) []home {
	var all []home
	for _, b := range from {
		k := homeKey{b, family}
		if _, ok := n.home[k]; !ok {
			n.home[k] = homes(spec, []model.BlockID{b}, family)[0]
		}
		all = append(all, n.home[k])
	}
	return all
}

type homeKey struct {
	block  model.BlockID
	family prefix.Family
}

// withoutAll is what is left of some subnets when others are taken out.
func withoutAll(own []netip.Prefix, taken prefix.Taken) []netip.Prefix {
	var free []netip.Prefix
	for _, p := range own {
		free = append(free, prefix.Without(p, taken.Within(p))...)
	}
	return free
}

// unfit reports a need that finds no place, and leaves its owner what it has.
func (n *Numbering) unfit(spec *model.Spec, x need, all []home, space func(home, prefix.Family) *prefix.Space) {
	names, largest := "", netip.Prefix{}
	for i, h := range all {
		if i > 0 {
			names += " and "
		}
		names += spec.Blocks[h.block].Name
		if p, ok := space(h, x.family).Largest(); ok && (!largest.IsValid() || p.Bits() < largest.Bits()) {
			largest = p
		}
	}
	f := finding.New(finding.NeedUnfit, x.place, "%s wants a %s of length %d (%s), and %s has none free", x.owner, x.noun(), x.length,
		x.because.Words(), names).About(x.owner)
	if len(all) == 1 && len(spec.Blocks[all[0].block].From) > 0 && x.kind != Block {
		f = f.Then("assign", "--grow", spec.Blocks[all[0].block].Name)
	} else if largest.IsValid() {
		f = f.Mend("the largest that is free is %s; want less, widen the block, or release what is retired", largest)
	} else {
		f = f.Mend("nothing of it is free; widen the block, or release what is retired")
	}
	n.report(f)
	if x.moved != nil {
		n.keep(x.moved)
		x.give(x.moved.Prefix, model.Remembered, x.moved.Place)
	}
}

// judge reports a subnet that is too small by now for what its segment needs.
func (n *Numbering) judge(s *model.Segment, p model.Prefix) {
	if !p.Addr().Is4() || !s.Need.HostsSaid || s.Need.Length4 > 0 {
		return
	}
	least, grown := s.Wanted()
	usable := prefix.Usable(p.Prefix).Int64()
	mend := func(f finding.Finding) {
		if f = f.About(s.Name).With(p.Place); p.Giver == model.Fixed {
			n.report(f.Mend("write a larger prefix for it"))
		} else {
			n.report(f.Then("assign", "--grow", s.Name))
		}
	}
	place := s.Need.Place
	switch {
	case usable < least:
		mend(finding.New(finding.SegmentOutgrown, place, "%s has outgrown %s: it needs %d addresses, and there are %d", s.Name, p.Prefix, least,
			usable))
	case usable < grown:
		mend(finding.New(finding.HeadRoomGone,
			place, "%s has less room left than it should: with %d %% more hosts it needs %d addresses, and %s has %d", s.Name, s.Need.Grow, grown,
			p.Prefix, usable))
	}
}
