package view

import (
	"fmt"
	"path"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
	"ropeswing/core/verify"
)

// Permit is a permit in JSON.
type Permit struct {
	Device       string   `json:"device"`
	Of           string   `json:"of"`     // what it judges: what passes through, or what is for or from the device itself
	Number       int      `json:"number"` // from 1, in the order in which they are asked
	Sentence     string   `json:"sentence"`
	Effect       string   `json:"effect"`          // pass, drop or refuse
	In           []string `json:"in,omitempty"`    // it matches only what comes in by these
	Out          []string `json:"out,omitempty"`   // it matches only what leaves by these
	State        string   `json:"state"`           // in force or pending
	Requirements []string `json:"requirements"`    // those whose packets it decides about
	Decides      int      `json:"decides"`         // of how many pairs of addresses it decides about some packet; of a pending one: it would
	Pairs        int      `json:"pairs"`           // of addresses it covers
	More         bool     `json:"more,omitempty"`  // pairs, which were not tried
	Never        string   `json:"never,omitempty"` // why it never decides
	Note         string   `json:"note,omitempty"`  // as in the plan
	File         string   `json:"file,omitempty"`  // where it is written
	Line         int      `json:"line,omitempty"`  // from 1
}

// Permits is what devices let pass, in the order in which it is asked.
func Permits(spec *model.Spec, uses []verify.PermitUse, devices []model.DeviceID) ([]Permit, Table) {
	data := []Permit{}
	table := Table{Columns: []Column{
		{Key: "device", Title: "device", Heading: true}, {Key: "of", Title: "of"}, {Key: "number", Title: "no.", Right: true}, {Key: "sentence",
			Title: "permit"},
		{Key: "in", Title: "in by"}, {Key: "out", Title: "out of"}, {Key: "state", Title: "state"}, {Key: "decides", Title: "decides for",
			Right: true},
		{Key: "note", Title: "note", Below: true}, {Key: "requirements", Title: "requirements", Below: true,
			Lead: "requirements: "}, {Key: "never", Title: "never", Below: true},
	}, Empty: "no device judges what it passes on: the plan has no permits"}
	for _, d := range devices {
		device := &spec.Devices[d]
		before, head := len(data), heading(device, spec.StateWith(d))
		for _, u := range uses {
			if u.Device == d {
				data = append(data, newPermit(spec, u))
			}
		}
		for _, p := range data[before:] {
			table.Rows = append(table.Rows,
				[]string{head, p.Of, fmt.Sprint(p.Number), p.Sentence, foldNames(p.In), foldNames(p.Out), p.State, p.decides(), p.Note,
					strings.Join(p.Requirements, "; "), p.Never})
		}
	}
	return data, table
}

// decides is of how many pairs it decides.
func (p Permit) decides() string {
	text := fmt.Sprintf("%d of %s", p.Decides, Count(p.Pairs, "pair"))
	if p.More {
		text += " tried"
	}
	return text
}

// heading is a device with what it does with what no permit matches, and with whom it has one table of states.
func heading(d *model.Device, with string) string {
	text := d.Name + ", a " + d.Kind.String() + ": "
	if d.KeepsState {
		text += "replies to what passed pass; "
	} else {
		text += "keeps no state; "
	}
	if with != "" {
		text += "it shares its state with " + with + "; "
	}
	return text + "the rest it " + [...]string{model.Pass: "passes", model.Drop: "drops", model.Refuse: "refuses"}[d.Otherwise]
}

// counted is a number, nothing for none.
func counted(n int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprint(n)
}

func newPermit(spec *model.Spec, u verify.PermitUse) Permit {
	p := Permit{
		Device: spec.Devices[u.Device].Name, Of: "passing", Number: u.Index + 1, Sentence: u.Permit.Text, Effect: u.Permit.Ruling.String(),
		Decides: u.Tally.Decides, Pairs: u.Tally.Pairs, More: u.Tally.Cut, State: "in force", Requirements: []string{}, Note: u.Permit.Note,
	}
	if u.Own {
		p.Of = "itself"
	}
	if u.Permit.Pending {
		p.State = "pending"
	}
	for _, id := range u.Permit.In {
		p.In = append(p.In, spec.Interfaces[id].Name)
	}
	for _, id := range u.Permit.Out {
		p.Out = append(p.Out, spec.Interfaces[id].Name)
	}
	for _, i := range u.Must {
		p.Requirements = append(p.Requirements, spec.Must[i].Text)
	}
	switch {
	case u.HiddenBy >= 0:
		p.Never = fmt.Sprintf("never decides: %d matches all that it does", u.HiddenBy+1)
	case u.Unused:
		p.Never = "never decides: nothing that anyone in the plan sends is like this"
	}
	p.File, p.Line = written(u.Permit.Place)
	return p
}

// written is where something stands in the plan; nothing where it does not.
func written(p source.Place) (file string, line int) {
	if !p.Known() {
		return "", 0
	}
	line, _ = p.Position()
	return p.File.Name, line
}

// translationKinds are the words for how addresses are translated.
var translationKinds = [...]string{model.OneToOne: "one to one", model.Sharing: "shared", model.Taking: "taken", model.Porting: "port"}

// Translation is addresses that are others beyond an interface, in JSON.
type Translation struct {
	Device   string   `json:"device"`
	Sentence string   `json:"sentence"`
	Kind     string   `json:"kind"`             // one to one, shared, taken or port
	Beyond   string   `json:"beyond"`           // the interface
	Pairs    []Both   `json:"pairs,omitempty"`  // who is what: of one to one, of what is taken, and of the hosts behind what is shared
	Free     []string `json:"free,omitempty"`   // what is left to take from
	Unused   []string `json:"unused,omitempty"` // addresses of the subnets beyond, of the translation's family, that nobody has or stands for
	Answers  string   `json:"answers"`          // how packets to the address get to the device
	File     string   `json:"file,omitempty"`
	Line     int      `json:"line,omitempty"` // from 1
}

// Both is an address on both sides of a translator.
type Both struct {
	Host    string `json:"host,omitempty"`    // who has it
	Inside  string `json:"inside"`            // its address, or prefix
	Outside string `json:"outside,omitempty"` // what it is beyond; absent where none is left
	To      string `json:"to,omitempty"`      // of ports: the service inside
	Asked   string `json:"asked,omitempty"`   // of ports: as what it is asked for outside
}

// Translations is which addresses are which beyond which interface.
func Translations(net *forward.Network, devices []model.DeviceID) ([]Translation, Table) {
	spec := net.Spec
	data := []Translation{}
	table := Table{Columns: []Column{
		{Key: "device", Title: "device", Heading: true}, {Key: "beyond", Title: "beyond"}, {Key: "host", Title: "host"}, {Key: "inside",
			Title: "inside"}, {Key: "outside", Title: "is, beyond"},
		{Key: "kind", Title: "kind"}, {Key: "answers", Title: "how it gets there", IfRoom: true}, {Key: "sentence", Title: "sentence",
			Wide: true},
		{Key: "free", Title: "free", Below: true, Lead: "free to take: "}, {Key: "unused", Title: "unused", Below: true,
			Lead: "nobody has, beyond: "},
	}, Empty: "no device translates addresses"}
	for _, d := range devices {
		for i := range spec.Devices[d].Translates {
			x := newTranslation(net, d, &spec.Devices[d].Translates[i])
			data = append(data, x)
			last := i == len(spec.Devices[d].Translates)-1 || spec.Devices[d].Translates[i+1].Beyond != spec.Devices[d].Translates[i].Beyond
			for n, p := range x.Pairs {
				free, unused := "", ""
				if n == len(x.Pairs)-1 {
					if free = few(x.Free); x.Kind == translationKinds[model.Taking] && free == "" {
						free = "none"
					}
					if last {
						unused = few(x.Unused)
					}
				}
				outside := p.Outside
				if outside == "" {
					outside = "none left"
				}
				table.Rows = append(table.Rows,
					[]string{x.Device, x.Beyond, p.Host, spaced(p.Inside, p.To), spaced(outside, p.Asked), x.Kind, x.Answers, x.Sentence, free, unused})
			}
		}
	}
	return data, table
}

func newTranslation(net *forward.Network, d model.DeviceID, x *model.Translation) Translation {
	spec := net.Spec
	v := Translation{Device: spec.Devices[d].Name, Sentence: x.Text, Beyond: spec.Interfaces[x.Beyond].Name, Kind: translationKinds[x.Kind],
		Answers: "it is the interface's own"}
	v.File, v.Line = written(x.Place)
	v.File = path.Base(v.File)
	if !x.ByInterface {
		v.Answers = "routed to it"
		for _, own := range spec.Interfaces[x.Beyond].Addresses {
			if own.Contains(x.First) {
				v.Answers = "it answers for it there"
			}
		}
	}
	for _, r := range net.Policy.Free(d, x) {
		v.Free = append(v.Free, r.String())
	}
	for _, a := range spec.Interfaces[x.Beyond].Addresses {
		if !a.Secondary && !a.Addr().IsLinkLocalUnicast() && a.Addr().Is4() == (x.ByInterface || x.First.Is4()) {
			for _, r := range spec.FreeRanges(a.Masked()) {
				v.Unused = append(v.Unused, r.String())
			}
		}
	}
	for _, p := range net.Policy.Pairs(d, x) {
		b := Both{Inside: p.Inside.String(), Outside: outside(x, p.Outside)}
		if x.Kind == model.Porting {
			b.To, b.Asked = x.To.String(), x.Asked.String()
		}
		switch {
		case p.Anyone:
			b.Inside = "anyone"
		case p.Host != model.None:
			b.Host, b.Inside = spec.Devices[p.Host].Name, p.Inside.Addr().String()
		}
		v.Pairs = append(v.Pairs, b)
	}
	return v
}

// spaced is two words, of which the second may be missing.
func spaced(a, b string) string { return strings.TrimSpace(a + " " + b) }

// mostRanges is how many ranges are listed in a line.
const mostRanges = 6

// few is a list of ranges in a line, of many the first.
func few(all []string) string {
	if len(all) > mostRanges {
		return strings.Join(all[:mostRanges], ", ") + fmt.Sprintf(" and %d more", len(all)-mostRanges)
	}
	return strings.Join(all, ", ")
}

// outside is what addresses are beyond a translator.
func outside(t *model.Translation, r prefix.Range) string {
	switch {
	case r.First == r.Last:
		return address(r.First)
	case t.Kind == model.OneToOne:
		return t.Outside[0].String()
	}
	return r.First.String() + ".." + r.Last.String()
}
