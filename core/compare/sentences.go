package compare

import (
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/source"
)

// sentence is one sentence of a plan.
type sentence struct {
	text  string
	place source.Place
}

// Sentences adds to a comparison of two plans what no device tells: permits,
// translations and requirements, sentence by sentence.
func (r *Result) Sentences(one, other *model.Spec) {
	for d := range one.Devices {
		id, ok := other.DeviceNamed(one.Devices[d].Name)
		if !ok {
			continue
		}
		a, b := &one.Devices[d], &other.Devices[id]
		r.sentences(OfPermit, a.Name, a.Place, permits(one, a, a.Permits), permits(other, b, b.Permits))
		r.sentences(OfPermit, a.Name, a.Place, permits(one, nil, a.OwnPermits), permits(other, nil, b.OwnPermits))
		r.sentences(OfTranslation, a.Name, a.Place, translations(a), translations(b))
	}
	r.sentences(OfRequirement, "", source.Place{}, requirements(one), requirements(other))
}

// permits are the sentences of a device's permits, with what else decides about packets.
func permits(spec *model.Spec, d *model.Device, all []model.Permit) []sentence {
	var list []sentence
	names := func(word string, ids []model.InterfaceID) string {
		text := ""
		for i, id := range ids {
			if text += " or "; i == 0 {
				text = ", " + word + " "
			}
			text += spec.Interfaces[id].Name
		}
		return text
	}
	for i := range all {
		text := all[i].Text + names("in by", all[i].In) + names("out of", all[i].Out)
		if all[i].Pending {
			text += ", pending"
		}
		list = append(list, sentence{text, all[i].Place})
	}
	if d != nil && d.Otherwise != model.Pass {
		list = append(list, sentence{"otherwise: " + d.Otherwise.String(), d.Place})
	}
	if d != nil && d.KeepsState {
		list = append(list, sentence{"keeps state", d.Place})
	}
	if d != nil && d.SharesState != "" {
		list = append(list, sentence{"shares its state with " + d.SharesState, d.Place})
	}
	return list
}

func translations(d *model.Device) []sentence {
	var list []sentence
	for _, t := range d.Translates {
		list = append(list, sentence{t.Text, t.Place})
	}
	return list
}

func requirements(spec *model.Spec) []sentence {
	var list []sentence
	for _, m := range spec.Must {
		list = append(list, sentence{m.Text, m.Place})
	}
	return list
}

// sentences compares two lists; where they have the same sentences their order counts,
// but that of requirements, which are all to hold.
func (r *Result) sentences(what What, device string, place source.Place, one, other []sentence) {
	rest := slices.Clone(other)
	alike := 0
	var kept []string
	for _, s := range one {
		r.Compared++
		if n := slices.IndexFunc(rest, func(o sentence) bool { return o.text == s.text }); n >= 0 {
			rest = slices.Delete(rest, n, n+1)
			alike++
			kept = append(kept, s.text)
			continue
		}
		r.Differences = append(r.Differences,
			Difference{Kind: Missing, What: what, Device: device, Subject: s.text, Planned: "written", Place: s.place})
	}
	for _, s := range rest {
		r.Compared++
		r.Differences = append(r.Differences,
			Difference{Kind: Extra, What: what, Device: device, Subject: s.text, Found: "written", Place: place})
	}
	r.InPlace += alike
	var there []string
	for _, s := range other {
		if slices.Contains(kept, s.text) {
			there = append(there, s.text)
		}
	}
	if what != OfRequirement && !slices.Equal(kept, there) {
		r.Compared++
		r.Differences = append(r.Differences,
			Difference{Kind: Different, What: what, Device: device, Subject: "order", Planned: strings.Join(kept, "; "),
				Found: strings.Join(there, "; "), Place: place})
	}
}
