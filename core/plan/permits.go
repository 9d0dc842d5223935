package plan

import (
	"go.yaml.in/yaml/v4"

	"ropeswing/core/finding"
)

// permitKeys are the keys of a permit in its long form.
var permitKeys = []key[Permit]{
	{"permit", "a sentence", "What may, or may not, pass.", text(func(p *Permit) *Text { return &p.Sentence })},
	{"in", "an interface of the device, or a list", "It matches only what comes in by these.",
		texts(func(p *Permit) *[]Text { return &p.In })},
	{"out", "an interface of the device, or a list", "It matches only what leaves by these.",
		texts(func(p *Permit) *[]Text { return &p.Out })},
	{"pending", "true", "It is written, and not in force yet. `--with-pending` answers as if it were.",
		truth(func(p *Permit) *Switch { return &p.Pending })},
	{"note", "text", note, prose(func(p *Permit) *Text { return &p.Note })},
}

func (r *reader) permits(d *Device, n *yaml.Node, what string) { d.Permits = r.permitsOf(n, what) }

func (r *reader) ownPermits(d *Device, n *yaml.Node, what string) {
	d.OwnPermits = r.permitsOf(n, what)
}

// permitsOf reads a list of permits, each a sentence or a map.
func (r *reader) permitsOf(n *yaml.Node, what string) []Permit {
	all := []*yaml.Node{n}
	if n.Kind == yaml.SequenceNode {
		all = n.Content
	}
	var permits []Permit
	for _, v := range all {
		sentence := v
		if v.Kind == yaml.MappingNode {
			sentence = child(v, "permit")
		}
		r.madeFrom(sentence, func() {
			if p := r.permit(v, what); p.Sentence.Written() {
				permits = append(permits, p)
			}
		})
	}
	return permits
}

func (r *reader) permit(n *yaml.Node, what string) (p Permit) {
	if n.Kind != yaml.MappingNode {
		p.Sentence, _ = r.word(n, "a sentence of "+what)
		return p
	}
	before := len(r.found)
	fields(r, n, "a permit", permitKeys, &p)
	if !p.Sentence.Written() && len(r.found) == before {
		r.report(finding.New(finding.MissingKey, r.place(n), "the permit does not say what may pass").Mend("add 'permit: A may reach B'"))
	}
	return p
}
