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

// Listed splits a sentence like Words; a comma behind a word is none of it.
func (t Text) Listed() []Text {
	all := t.Words()
	for i, word := range all {
		all[i] = word.WithoutComma()
	}
	return all
}

// WithoutComma is a word without the comma behind it, if there is one.
func (t Text) WithoutComma() Text {
	if strings.HasSuffix(t.Value, ",") && strings.Count(t.Value, ",") == 1 {
		t, _, _ = cutText(t, ",")
	}
	return t
}

// Reference is a word of the plan that names something.
type Reference struct {
	Text
	// Defines is set where the word does not cover the thing but makes it.
	Defines bool
	// Of is the device whose interface is named, "" where no interface is.
	Of string
}

// References lists every word that names, or may name, a device, segment,
// block, cable or interface. A word with a colon that leads to a port is listed
// in two parts.
func (d *Document) References() []Reference {
	var all references
	all.name(d.Operator, d.Settings.TreeRoot)
	all.name(d.Servers.All()...)
	all.name(slices.Concat(d.Wants.Carriers, d.Wants.LeaveOut, d.Wants.World)...)
	for _, sentence := range slices.Concat(d.Wants.Reach, d.Must) {
		for _, word := range sentence.Listed() {
			all.name(word)
			all.port(word)
		}
	}
	for _, a := range d.Accepts {
		all.name(a.Of)
		all.port(a.Of)
	}
	for _, a := range d.Access {
		all.name(a.For)
	}
	for _, g := range d.Groups {
		all.define(g.Name)
		all.name(g.Of...)
	}
	for _, b := range d.Blocks {
		all.define(b.Name)
		all.name(b.From...)
		all.name(b.Servers.All()...)
	}
	for _, s := range d.Segments {
		all.segment(s)
	}
	for _, x := range d.Devices {
		all.device(x)
	}
	for _, c := range d.Cables {
		if c.Name.Written() {
			all.define(c.Name)
		}
		all.port(c.Ends[0])
		all.port(c.Ends[1])
	}
	return all
}

type references []Reference

// define adds a word that makes the thing.
func (all *references) define(t Text) { *all = append(*all, Reference{Text: t, Defines: true}) }

// name adds words that name a thing.
func (all *references) name(texts ...Text) { all.own("", texts...) }

// own adds words that name an interface of the device.
func (all *references) own(device string, texts ...Text) {
	for _, t := range texts {
		if t.Written() {
			*all = append(*all, Reference{Text: t, Of: device})
		}
	}
}

// port adds both parts of DEVICE:INTERFACE.
func (all *references) port(t Text) {
	if device, name, ok := t.Cut(":"); ok && t.Written() {
		all.name(device)
		*all = append(*all, Reference{Text: name, Of: device.Value})
	}
}

func (all *references) segment(s Segment) {
	all.define(s.Name)
	all.name(s.From...)
	all.name(s.Gateway...)
	for _, l := range s.Leases {
		all.name(l.By, l.Gateway)
	}
}

func (all *references) device(x Device) {
	self := x.Name.Value
	all.define(x.Name)
	all.port(x.At)
	all.name(x.Segment)
	all.name(x.From...)
	all.name(x.Gateway...)
	all.name(x.Servers.All()...)
	all.name(x.SharesState)
	for _, i := range x.Interfaces {
		*all = append(*all, Reference{Text: i.Name, Defines: true, Of: self})
		all.name(i.Segment, i.VLAN, i.Access, i.Untagged)
		all.name(i.Tagged...)
		all.name(i.Relay...)
		all.own(self, append([]Text{i.Parent, i.Borrow}, i.Members...)...)
		for _, t := range i.Follows {
			all.own(self, t.Words()[0])
		}
	}
	all.own(self, x.Manage)
	for _, p := range slices.Concat(x.Permits, x.OwnPermits) {
		all.name(p.Sentence.Words()...)
		all.own(self, slices.Concat(p.In, p.Out)...)
	}
	for _, t := range x.Translates {
		words := t.Words()
		for i, w := range words {
			if of, port, ok := w.Cut(":"); ok && w.Written() && strings.Trim(port.Value, "0123456789.") == "" {
				words[i] = of // of a port that is translated
			}
		}
		all.name(words[0])
		all.own(self, words[1:]...)
	}
	all.routes(self, x.Routes)
	for _, t := range x.Tables {
		all.routes(self, t.Routes)
	}
}

func (all *references) routes(device string, routes []Route) {
	for _, r := range routes {
		all.name(r.To)
		for _, h := range r.Hops {
			all.name(h.NextHop)
			all.own(device, h.Out)
		}
	}
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
