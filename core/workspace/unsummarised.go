package workspace

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/assign"
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
)

// scattered is a site whose subnets lie among those of others.
type scattered struct {
	device   model.DeviceID
	segments []model.SegmentID
	from     model.BlockID
	loopback bool // the device has one that was assigned
}

// unsummarised tells which sites cannot be summarised, for their numbers were given before
// there was a block for them, or there is none, and what renumbering them would save: that
// is tried, and told only where it saves anything.
func (w *Workspace) unsummarised() []finding.Finding {
	if w.Spec.Wants == nil || !w.Spec.Wants.Summarise || w.Next == nil {
		return nil
	}
	sites := w.scattered()
	outside := w.outside()
	if len(sites) == 0 && len(outside) == 0 {
		return nil
	}
	if len(w.Spec.Devices) > mostTrial {
		return w.untried(sites, outside)
	}
	doc := *w.Document
	doc.Blocks, doc.Segments, doc.Devices = slices.Clone(doc.Blocks), slices.Clone(doc.Segments), slices.Clone(doc.Devices)
	also := ""
	if len(doc.Blocks) == 1 && len(sites) > 0 { // it was understood so far
		also = fmt.Sprintf(", and 'from: %s' for what names no block", doc.Blocks[0].Name.Value)
		sayFrom(&doc, w.Spec)
	}
	renumber := slices.Clone(outside)
	taken := map[string]bool{}
	for _, name := range w.Names() {
		taken[name] = true
	}
	var names, blocks []string
	for _, s := range sites {
		device := w.Spec.Devices[s.device].Name
		block := plan.Text{Value: free(taken, device+"-site"), Place: w.Document.File.Whole()}
		home := plan.Text{Value: w.Spec.Blocks[s.from].Name, Place: w.Document.File.Whole()}
		doc.Blocks = append(doc.Blocks, plan.Block{Name: block, From: []plan.Text{home}})
		for _, id := range s.segments {
			doc.Segments[id].From = []plan.Text{block}
			renumber = append(renumber, w.Spec.Segments[id].Name)
		}
		if s.loopback {
			doc.Devices[s.device].From = []plan.Text{block}
			renumber = append(renumber, device)
		}
		names = append(names, device)
		blocks = append(blocks, block.Value)
	}
	slices.Sort(renumber)
	renumber = slices.Compact(renumber)
	trial := number(&doc, w.Next, nil, assign.Ask{Renumber: renumber})
	if !trial.Usable() || len(trial.Unmet()) > len(w.Unmet()) {
		return nil
	}
	before, after := len(w.Derived.Statics), len(trial.Predict().Derived.Statics)
	if after >= before {
		return nil
	}
	place := w.Spec.Wants.Place
	if len(sites) == 0 {
		f := finding.New(finding.SiteNotSummarised,
			place, "%s outside the block of the site, so that it cannot be summarised: renumbered, %d routes would do instead of %d (tried)",
			theyLie(outside), after, before).About(outside[0])
		return []finding.Finding{f.Then(append([]string{"assign"}, asRenumber(outside)...)...)}
	}
	f := finding.New(finding.SiteNotSummarised,
		place, "the subnets of %s lie among those of others, so that no one route leads to them: each in a block of its own, %d routes "+
			"would do instead of %d (tried)", listed(names), after, before).About(names[0])
	first := &sites[0]
	var members []string
	for _, id := range first.segments {
		members = append(members, w.Spec.Segments[id].Name)
	}
	if first.loopback {
		members = append(members, names[0])
	}
	return []finding.Finding{f.Mend("add '%s: {from: %s}' to 'blocks', say 'from: %s' for %s, do likewise for the others%s, and renumber: "+
		"assign %s", blocks[0], w.Spec.Blocks[first.from].Name, blocks[0], strings.Join(members, ", "), also, strings.Join(asRenumber(renumber),
		" "))}
}

// mostTrial is how many devices a network has at most in which it is tried what renumbering
// would save: all routes are derived once more for that, which takes longer than all other checks.
const mostTrial = 60

// untried tells of sites that cannot be summarised in a network that is too large to try
// what renumbering them would save.
func (w *Workspace) untried(sites []scattered, outside []string) []finding.Finding {
	const unknown = "; what renumbering would save is not worked out in a network of this size"
	if len(sites) == 0 {
		return []finding.Finding{finding.New(finding.SiteNotSummarised, w.Spec.Wants.Place,
			"%s outside the block of the site, so that it cannot be summarised"+unknown, theyLie(outside)).About(outside[0])}
	}
	var names []string
	for _, s := range sites {
		names = append(names, w.Spec.Devices[s.device].Name)
	}
	return []finding.Finding{finding.New(finding.SiteNotSummarised, w.Spec.Wants.Place,
		"the subnets of %s lie among those of others, so that no one route leads to them"+unknown, listed(names)).About(names[0])}
}

// sayFrom has everything that takes from the only block say so.
func sayFrom(doc *plan.Document, spec *model.Spec) {
	home := []plan.Text{{Value: doc.Blocks[0].Name.Value, Place: doc.File.Whole()}}
	for i := range doc.Segments {
		if len(spec.Segments[i].From) > 0 {
			doc.Segments[i].From = home
		}
	}
	for i := range doc.Devices {
		if len(spec.Devices[i].From) > 0 {
			doc.Devices[i].From = home
		}
	}
}

func asRenumber(names []string) []string {
	var words []string
	for _, n := range names {
		words = append(words, "--renumber", n)
	}
	return words
}

// theyLie is 'a lies', or 'a and b lie'.
func theyLie(names []string) string {
	if len(names) == 1 {
		return names[0] + " lies"
	}
	return listed(names) + " lie"
}

// listed is names with an 'and' between, the first three of many.
func listed(names []string) string {
	switch n := len(names); {
	case n == 1:
		return names[0]
	case n > 4:
		return fmt.Sprintf("%s and %d others", strings.Join(names[:3], ", "), n-3)
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}

// free is a name that is not taken.
func free(taken map[string]bool, name string) string {
	for taken[name] {
		name += "-1"
	}
	return name
}

// outside lists whose numbers were given before the block they are taken from.
func (w *Workspace) outside() []string {
	var names []string
	for b, takers := range w.Spec.Takers() {
		for _, t := range takers {
			for _, family := range prefix.Families {
				for _, p := range w.Spec.TakenBy(t, family) {
					inside := slices.ContainsFunc(w.Spec.TakerFrom(t), func(f model.BlockID) bool {
						return slices.ContainsFunc(w.Spec.Blocks[f].Prefixes, func(q model.Prefix) bool { return prefix.Covers(q.Prefix, p.Prefix) })
					})
					if name := w.Spec.TakerName(t); p.Giver != model.Fixed && !inside && len(w.Spec.Blocks[b].From) > 0 &&
						!slices.Contains(names, name) {
						names = append(names, name)
					}
				}
			}
		}
	}
	return names
}

// scattered lists the sites that are one device with several subnets that were assigned
// of a block that others take from, among theirs.
func (w *Workspace) scattered() []scattered {
	owner, shared := w.owners()
	links := w.Spec.Links()
	type taken struct {
		prefix netip.Prefix
		by     model.DeviceID
	}
	var all []taken
	own := map[model.DeviceID]*scattered{}
	for id := range w.Spec.Segments {
		s := &w.Spec.Segments[id]
		if links[id] {
			continue
		}
		for _, p := range s.Prefixes {
			all = append(all, taken{p.Prefix, owner[id]})
		}
		given := len(s.Prefixes) > 0 && !slices.ContainsFunc(s.Prefixes, func(p model.Prefix) bool { return p.Giver == model.Fixed })
		if owner[id] == model.None || !given || len(s.From) != 1 || !shared[s.From[0]] || w.writtenOut(model.SegmentID(id)) {
			continue
		}
		x := own[owner[id]]
		if x == nil {
			d := &w.Spec.Devices[owner[id]]
			x = &scattered{device: owner[id], from: s.From[0], loopback: len(d.From) == 1 && d.From[0] == s.From[0]}
			own[owner[id]] = x
		}
		if x.from == s.From[0] {
			x.segments = append(x.segments, model.SegmentID(id))
		}
	}
	var sites []scattered
	for d := range w.Spec.Devices {
		x := own[model.DeviceID(d)]
		if x == nil || len(x.segments) < 2 {
			continue
		}
		among := false
		for _, family := range prefix.Families {
			var mine []netip.Prefix
			for _, id := range x.segments {
				for _, p := range w.Spec.Segments[id].Prefixes {
					if prefix.FamilyOf(p.Addr()) == family {
						mine = append(mine, p.Prefix)
					}
				}
			}
			if len(mine) < 2 {
				continue
			}
			around := prefix.Around(mine)
			among = among || slices.ContainsFunc(all, func(t taken) bool { return t.by != x.device && t.prefix.Overlaps(around) })
		}
		if among {
			sites = append(sites, *x)
		}
	}
	return sites
}

// owners is by segment the one device that forwards from it, None where there are several;
// and by block whether several take from it.
func (w *Workspace) owners() ([]model.DeviceID, []bool) {
	owner := make([]model.DeviceID, len(w.Spec.Segments))
	for id := range owner {
		owner[id] = model.None
	}
	several := make([]bool, len(owner))
	for id := range w.Spec.Interfaces {
		i := &w.Spec.Interfaces[id]
		if i.Segment == model.None || len(i.Addresses) == 0 || !w.Spec.Devices[i.Device].Forwards {
			continue
		}
		if owner[i.Segment] != model.None && owner[i.Segment] != i.Device {
			several[i.Segment] = true
		}
		owner[i.Segment] = i.Device
	}
	first := make([]model.DeviceID, len(w.Spec.Blocks))
	shared := make([]bool, len(first))
	for b := range first {
		first[b] = model.None
	}
	for id := range owner {
		if several[id] {
			owner[id] = model.None
		}
		for _, b := range w.Spec.Segments[id].From {
			if owner[id] != model.None && first[b] != model.None && first[b] != owner[id] {
				shared[b] = true
			}
			if owner[id] != model.None {
				first[b] = owner[id]
			}
		}
	}
	return owner, shared
}

// writtenOut tells whether an address on a segment is written out, and would not follow if
// the segment had another subnet.
func (w *Workspace) writtenOut(id model.SegmentID) bool {
	return slices.ContainsFunc(w.Spec.Claimed, func(p netip.Prefix) bool {
		return slices.ContainsFunc(w.Spec.Segments[id].Prefixes, func(q model.Prefix) bool { return q.Overlaps(p) })
	})
}
