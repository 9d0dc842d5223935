package compare

import (
	"slices"

	"ropeswing/core/model"
)

// entry is one permit of a list that two plans have in their own order: what is in either, each where
// it would stand if nothing were taken away.
type entry struct {
	text           string // with what it stands for, and the interfaces it is about
	bare           string // as one would type it
	permit         model.Permit
	planned, found bool
}

// mostEntries is up to how many permits of a list are set one by one; more are set as a whole.
const mostEntries = 12

// merged puts two lists into one: what both have in the same order stands there once, what is planned
// only before what was found only.
func merged(planned, found []entry) []entry {
	// By place in both: how many from there on are in both, in the same order.
	same := make([][]int, len(planned)+1)
	for i := range same {
		same[i] = make([]int, len(found)+1)
	}
	for i := len(planned) - 1; i >= 0; i-- {
		for k := len(found) - 1; k >= 0; k-- {
			same[i][k] = max(same[i+1][k], same[i][k+1])
			if planned[i].text == found[k].text {
				same[i][k] = same[i+1][k+1] + 1
			}
		}
	}
	var all []entry
	i, k := 0, 0
	for i < len(planned) || k < len(found) {
		switch {
		case i < len(planned) && k < len(found) && planned[i].text == found[k].text:
			e := planned[i]
			e.planned, e.found = true, true
			all = append(all, e)
			i, k = i+1, k+1
		case i < len(planned) && (k == len(found) || same[i+1][k] >= same[i][k+1]):
			e := planned[i]
			e.planned = true
			all = append(all, e)
			i++
		default:
			e := found[k]
			e.found = true
			all = append(all, e)
			k++
		}
	}
	return all
}

// entries adds the permits of a list that only one of two plans has, those that stand together in one
// go. It is false where that is better set as a whole: where they are many, or one stands in it twice on
// the way, as where the order changes, so that none could be named.
func (f *fromPlan) entries(id model.DeviceID, subject string, planned, found []entry, list func(*model.Device) *[]model.Permit) bool {
	all := merged(planned, found)
	differing := 0
	for i := range all {
		if all[i].planned != all[i].found {
			differing++
		}
		if slices.ContainsFunc(all[:i], func(o entry) bool { return o.permit.Text == all[i].permit.Text }) {
			return false
		}
	}
	if differing > mostEntries {
		return false
	}
	for first := 0; first < len(all); {
		last := first + 1
		if all[first].planned == all[first].found {
			first = last
			continue
		}
		for last < len(all) && all[last].planned == all[first].planned && all[last].found == all[first].found {
			last++
		}
		change := &deviceChange{id, asFoundIn(all, first, last, list)}
		for i := first; i < last; i++ {
			f.added = append(f.added, f.entry(id, subject, all, i, change))
		}
		first = last
	}
	return true
}

// entry is the difference of one permit in a list.
func (f *fromPlan) entry(id model.DeviceID, subject string, all []entry, i int, change *deviceChange) Difference {
	e := &all[i]
	d := Difference{What: OfPermit, Device: f.one.Devices[id].Name, Subject: subject, Entry: "before all others", device: change}
	for before := i - 1; before >= 0; before-- {
		if all[before].planned && (all[before].found || !e.found) {
			d.Entry = "behind '" + all[before].permit.Text + "'"
			break
		}
	}
	if d.Kind, d.Planned, d.Place = Missing, e.bare, e.permit.Place; e.found {
		d.Kind, d.Planned, d.Found, d.Place = Extra, "", e.bare, f.one.Devices[id].Place
	}
	return d
}

// asFoundIn makes some entries of a merged list as they were found: takes away what is planned only, and
// puts what was found only behind the nearest before it that is there.
func asFoundIn(all []entry, first, last int, list func(*model.Device) *[]model.Permit) func(*model.Device) {
	is := func(e *entry) func(model.Permit) bool {
		return func(p model.Permit) bool { return p.Place == e.permit.Place && p.Text == e.permit.Text }
	}
	return func(x *model.Device) {
		at := list(x)
		*at = slices.Clone(*at)
		for i := first; i < last; i++ {
			*at = slices.DeleteFunc(*at, is(&all[i]))
			if !all[i].found {
				continue
			}
			to := 0
			for before := i - 1; before >= 0 && to == 0; before-- {
				to = slices.IndexFunc(*at, is(&all[before])) + 1
			}
			*at = slices.Insert(*at, to, all[i].permit)
		}
	}
}
