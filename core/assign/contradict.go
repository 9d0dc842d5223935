package assign

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

// clash is two entries that cannot both be true, by their places in a ledger: the later one contradicts the earlier.
type clash struct {
	late, early int
	reason      string // ends where the place of the earlier one follows
}

// clashes lists the entries that cannot all be true: two numbers of one kind for one owner, or one number for two owners.
func clashes(all []Entry) []clash {
	var found []clash
	against := func(late, early int, reason string, args ...any) {
		found = append(found, clash{late, early, fmt.Sprintf(reason, args...)})
	}
	active := make(map[wanted]int, len(all))
	vlans := map[int]int{}
	var ranges []int
	for i, e := range all {
		if !e.Retired {
			k := wanted{e.Owner, e.Kind, e.family()}
			if other, twice := active[k]; twice {
				against(i, other, "%s has the %s %s already,", e.Owner, e.Kind, all[other].Number())
				continue
			}
			active[k] = i
		}
		switch e.Kind {
		case VLAN:
			if other, twice := vlans[e.VLAN]; twice {
				against(i, other, "VLAN %d was given to %s,", e.VLAN, all[other].Owner)
				continue
			}
			vlans[e.VLAN] = i
		case Subnet, Loopback:
			ranges = append(ranges, i)
		}
	}
	slices.SortStableFunc(ranges, func(i, j int) int {
		a, b := all[i].Prefix, all[j].Prefix
		return cmp.Or(a.Addr().Compare(b.Addr()), cmp.Compare(a.Bits(), b.Bits()))
	})
	for n := 1; n < len(ranges); n++ {
		if a, b := ranges[n-1], ranges[n]; all[a].Prefix.Overlaps(all[b].Prefix) {
			if a > b {
				a, b = b, a
			}
			against(b, a, "%s overlaps %s, which %s was given", all[b].Number(), all[a].Number(), all[a].Owner)
			ranges[n] = ranges[n-1] // the wider one may overlap more
		}
	}
	addresses := make(map[netip.Addr]int, len(all))
	for i, e := range all {
		if e.Kind != Address {
			continue
		}
		if other, twice := addresses[e.Prefix.Addr()]; twice {
			against(i, other, "%s was given to %s,", e.Number(), all[other].Owner)
			continue
		}
		addresses[e.Prefix.Addr()] = i
	}
	return found
}

// contradictions refuses entries that cannot all be true. What two branches gave to two owners is told as one thing,
// whatever numbers it is,
// with a command that settles all.
func (r *ledgerReader) contradictions() {
	all := r.ledger.Entries
	found := clashes(all)
	if len(found) == 0 {
		return
	}
	next := []string{"assign"}
	for _, word := range settling(all, found) {
		next = append(next, "--keep", word)
	}
	next = append(next, "-w")
	type owners struct{ early, late string }
	at := map[owners]int{}
	for _, c := range found {
		early, late := all[c.early], all[c.late]
		k := owners{early.Owner, late.Owner}
		if i, told := at[k]; told && early.Owner != late.Owner {
			f := &r.found[i]
			f.Reason += fmt.Sprintf("; likewise %s %s", late.Kind, late.Number())
			f.Also = append(f.Also, late.Place)
			continue
		}
		at[k] = len(r.found)
		f := r.refuse(late.Place.Start, late.Place.End, "%s %s", c.reason, early.Place.From(late.Place))
		f.Also, f.Next = []source.Place{early.Place}, next
		f.Remedy = fmt.Sprintf("keep the numbers of %s and give %s others, or keep those of %[2]s", early.Owner, late.Owner)
		if early.Owner == late.Owner {
			f.Remedy = fmt.Sprintf("say which of the two %s keeps", early.Owner)
		}
	}
}

// settling is what to keep so that nothing contradicts any more: of what does, the first, and all that agrees with it. It is told by
// owners, and by their numbers where an owner keeps one and not another.
func settling(all []Entry, found []clash) (keep []string) {
	against := map[int][]int{}
	for _, c := range found {
		against[c.early], against[c.late] = append(against[c.early], c.late), append(against[c.late], c.early)
	}
	kept, parted := map[int]bool{}, map[string]bool{}
	for i, e := range all {
		if len(against[i]) == 0 {
			continue
		}
		if kept[i] = !slices.ContainsFunc(against[i], func(other int) bool { return kept[other] }); !kept[i] {
			parted[e.Owner] = true
		}
	}
	for i, e := range all {
		word := e.Owner
		if parted[e.Owner] {
			word += "=" + e.Number()
		}
		if kept[i] && !slices.Contains(keep, word) {
			keep = append(keep, word)
		}
	}
	return keep
}

// keeps tells whether what is kept names an entry: by its owner, its device, or the beginning of its name before a star, and where a
// number stands behind '=' by that too. Exactly is whether it does by the number.
func keeps(keep []string, e Entry) (named, exactly bool) {
	for _, word := range keep {
		name, number, byNumber := strings.Cut(word, "=")
		start, star := strings.CutSuffix(name, "*")
		device, _, _ := strings.Cut(e.Owner, ":")
		if e.Owner != name && device != name && !(star && strings.HasPrefix(e.Owner, start)) {
			continue
		}
		named = named || !byNumber
		exactly = exactly || byNumber && number == e.Number()
	}
	return named, exactly
}

// Has tells whether the ledger, or what a merge took out of it, has anything of what is kept by a word.
func (l *Ledger) Has(word string) bool {
	return slices.ContainsFunc(slices.Concat(l.Entries, l.Dropped), func(e Entry) bool {
		named, exactly := keeps([]string{word}, e)
		return named || exactly
	})
}

// settle takes out of a ledger that was merged what contradicts what is kept; what contradicts and is not decided stays. Equal lines are
// one, and a number that one version retired and the other did not is as that one has it: a plan without its owner retires it again.
func (l *Ledger) settle(keep []string) {
	seen := map[string]int{}
	var once []Entry
	for _, e := range l.Entries {
		same := e
		same.Retired = false
		if i, twice := seen[same.line()]; twice {
			once[i].Retired = once[i].Retired && e.Retired
			continue
		}
		seen[same.line()] = len(once)
		once = append(once, e)
	}
	l.Entries = once
	for {
		drop := map[int]bool{}
		for _, c := range clashes(l.Entries) {
			early, late := l.Entries[c.early], l.Entries[c.late]
			a, exactA := keeps(keep, early)
			b, exactB := keeps(keep, late)
			switch {
			case drop[c.early] || drop[c.late]:
			case exactA != exactB:
				drop[map[bool]int{true: c.late, false: c.early}[exactA]] = true
			case early.Owner == late.Owner || exactA:
			case a != b:
				drop[map[bool]int{true: c.late, false: c.early}[a]] = true
			}
		}
		if len(drop) == 0 {
			return
		}
		var left []Entry
		for i, e := range l.Entries {
			if drop[i] {
				l.Dropped = append(l.Dropped, e)
			} else {
				left = append(left, e)
			}
		}
		l.Entries = left
	}
}

// Remade is the changes of a ledger that was merged, with those that follow from what was dropped told as moves.
func (l *Ledger) Remade(changes []Change) []Change {
	for _, e := range l.Dropped {
		i := slices.IndexFunc(changes, func(c Change) bool {
			return c.What == New && c.Entry.Owner == e.Owner && c.Entry.Kind == e.Kind && c.Entry.family() == e.family()
		})
		if i >= 0 {
			changes[i].What, changes[i].Was, changes[i].Because = Moved, e.Number(), Because{Code: GivenTwice}
		} else {
			changes = append(changes, Change{What: Released, Entry: e, Because: Because{Code: GivenTwice}})
		}
	}
	return changes
}

// MergeLedger reads a ledger in which two versions may stand beside one another, as a merge of lines leaves them. Where they contradict,
// what is named in keep stands, each an owner, the beginning of some with a star, or OWNER=NUMBER, and the other owner is to have another
// number. What is left undecided is refused, as by ReadLedger.
func MergeLedger(file *source.File, keep []string) (*Ledger, []finding.Finding) {
	r := &ledgerReader{file: file, merges: true, ledger: &Ledger{File: file}}
	r.lines()
	if len(r.found) == 0 {
		r.ledger.settle(keep)
		r.contradictions()
	}
	if len(r.found) > 0 {
		return nil, r.found
	}
	return r.ledger, nil
}
