package revise

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/assign"
	"ropeswing/core/model"
	"ropeswing/core/workspace"
)

// Aligned is an earlier plan with the names of a later one: what was renamed between them is one thing, and not one that goes and another
// that comes. A device, segment or block has been renamed where just one that is gone has all the numbers that just one that is new has.
// The renames are returned, by their old names; the plan is as it was where there are none, or where it cannot be done.
func Aligned(before *workspace.Numbers, after *model.Spec) (*workspace.Numbers, []assign.Rename) {
	var all []assign.Rename
	old, now := identities(before.Spec), identities(after)
	for _, kind := range []string{"block ", "segment ", "device "} {
		byNumbers := func(these, others map[string]string) map[string][]string {
			by := map[string][]string{}
			for name, numbers := range these {
				if _, there := others[name]; !there && strings.HasPrefix(name, kind) && numbers != "" {
					by[numbers] = append(by[numbers], strings.TrimPrefix(name, kind))
				}
			}
			return by
		}
		gone, come := byNumbers(old, now), byNumbers(now, old)
		for numbers, names := range gone {
			if len(names) == 1 && len(come[numbers]) == 1 {
				all = append(all, assign.Rename{Old: names[0], New: come[numbers][0]})
			}
		}
	}
	if len(all) == 0 {
		return before, nil
	}
	slices.SortFunc(all, func(a, b assign.Rename) int { return strings.Compare(a.Old, b.Old) })
	r, err := Rename(before, all, false)
	if err != nil {
		return before, nil
	}
	ledger := before.LedgerText()
	if r.Next != nil {
		ledger = r.Next.Text()
	}
	if again := before.Edited(ledger, r.Edits...); again.Usable() {
		return again, all
	}
	return before, nil
}

// identities are the numbers by which things are known, whatever they are called: "" where a thing has none.
func identities(spec *model.Spec) map[string]string {
	all := map[string]string{}
	prefixes := func(p []model.Prefix) string {
		var words []string
		for _, x := range p {
			words = append(words, x.Prefix.String())
		}
		slices.Sort(words)
		return strings.Join(words, " ")
	}
	for i := range spec.Blocks {
		all["block "+spec.Blocks[i].Name] = prefixes(spec.Blocks[i].Prefixes)
	}
	for i := range spec.Segments {
		all["segment "+spec.Segments[i].Name] = prefixes(spec.Segments[i].Prefixes)
	}
	for d := range spec.Devices {
		var words []string
		for _, i := range spec.InterfacesOf(model.DeviceID(d)) {
			for _, a := range spec.Interfaces[i].Addresses {
				if !a.Addr().IsLinkLocalUnicast() {
					words = append(words, netip.Prefix(a.Prefix).String())
				}
			}
		}
		slices.Sort(words)
		if len(words) > 0 {
			words = append(words, spec.Devices[d].Kind.String())
		}
		all["device "+spec.Devices[d].Name] = strings.Join(words, " ")
	}
	return all
}

// RenamedWords says of renames what there is to be done.
func RenamedWords(all []assign.Rename, spec *model.Spec) []string {
	var lines []string
	for _, x := range all {
		line := fmt.Sprintf("%s is called %s now", x.Old, x.New)
		if _, ok := spec.DeviceNamed(x.New); ok {
			line += ": set its host name"
		}
		lines = append(lines, line)
	}
	return lines
}
