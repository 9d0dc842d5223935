package plan

import (
	"slices"
	"strings"
)

// Words splits a sentence at its spaces, each word with its own place.
func (t Text) Words() []Text {
	var all []Text
	for rest, more := t, true; more; {
		var word Text
		word, rest, more = cutText(rest, " ")
		all = append(all, word)
	}
	return all
}

// Reference is a word of the plan that names something.
type Reference struct {
	Text
	// Defines is set where the word does not speak of the thing but makes it.
	Defines bool
	// Of is the device whose interface is named, "" where no interface is.
	Of string
}

// References lists every word that names, or may name, a device, segment,
// block, cable or interface. A word with a colon that leads to a port is listed
// in two parts.
func (d *Document) References() []Reference {
	var all []Reference
	add := func(texts ...Text) {
		for _, t := range texts {
			if t.Written() {
				all = append(all, Reference{Text: t})
			}
		}
	}
	defines := func(t Text) { all = append(all, Reference{Text: t, Defines: true}) }
	own := func(device string, texts ...Text) {
		for _, t := range texts {
			if t.Written() {
				all = append(all, Reference{Text: t, Of: device})
			}
		}
	}
	port := func(t Text) {
		if device, name, ok := t.Cut(":"); ok && t.Written() {
			add(device)
			all = append(all, Reference{Text: name, Of: device.Value})
		}
	}
	add(d.Operator, d.Settings.TreeRoot)
	add(slices.Concat(d.Wants.Carriers, d.Wants.LeaveOut, d.Wants.World)...)
	for _, sentence := range slices.Concat(d.Wants.Reach, d.Must) {
		for _, word := range sentence.Words() {
			add(word)
			port(word)
		}
	}
	for _, g := range d.Groups {
		defines(g.Name)
		add(g.Of...)
	}
	for _, b := range d.Blocks {
		defines(b.Name)
	}
	for _, s := range d.Segments {
		defines(s.Name)
		add(s.From...)
		add(s.Gateway...)
		for _, l := range s.Leases {
			add(l.By)
		}
	}
	for _, x := range d.Devices {
		defines(x.Name)
		port(x.At)
		add(x.From...)
		add(x.Gateway...)
		for _, i := range x.Interfaces {
			all = append(all, Reference{Text: i.Name, Defines: true, Of: x.Name.Value})
			add(i.Segment, i.VLAN, i.Access, i.Untagged)
			add(i.Tagged...)
			own(x.Name.Value, append([]Text{i.Parent, i.Borrow}, i.Members...)...)
		}
		own(x.Name.Value, x.Manage)
		for _, p := range slices.Concat(x.Permits, x.OwnPermits) {
			add(p.Sentence.Words()...)
			own(x.Name.Value, slices.Concat(p.In, p.Out)...)
		}
		for _, t := range x.Translates {
			words := t.Words()
			add(words[0])
			own(x.Name.Value, words[1:]...)
		}
		routes := slices.Clone(x.Routes)
		for _, t := range x.Tables {
			routes = append(routes, t.Routes...)
		}
		for _, r := range routes {
			add(r.To)
			for _, h := range r.Hops {
				add(h.NextHop)
				own(x.Name.Value, h.Out)
			}
		}
	}
	for _, c := range d.Cables {
		if c.Name.Written() {
			defines(c.Name)
		}
		port(c.Ends[0])
		port(c.Ends[1])
	}
	return all
}

// Has tells whether the plan makes something of the name: a device, segment,
// block or cable, or as DEVICE:INTERFACE an interface.
func (d *Document) Has(name string) bool {
	of, of2, isInterface := strings.Cut(name, ":")
	for _, r := range d.References() {
		if r.Defines && (!isInterface && r.Of == "" && r.Value == name || isInterface && r.Of == of && r.Value == of2) {
			return true
		}
	}
	return false
}
