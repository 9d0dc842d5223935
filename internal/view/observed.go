package view

import (
	"fmt"
	"io"
	"strings"

	"ropeswing/core/compare"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
)

// Observation is what was understood of a file, in JSON.
type Observation struct {
	File       string    `json:"file"`
	Format     string    `json:"format"`
	Device     string    `json:"device"`
	Interfaces int       `json:"interfaces"`
	Addresses  int       `json:"addresses"`
	Routes     int       `json:"routes"`
	Neighbours int       `json:"neighbours"`
	Known      []string  `json:"known"`           // the parts that the device told of wholly
	Unread     int       `json:"unread"`          // how many lines, or entries, were not understood
	Lines      []NotRead `json:"lines,omitempty"` // these, where asked for
}

// NotRead is something in a file that was not understood.
type NotRead struct {
	Line int    `json:"line,omitempty"` // from 1
	Text string `json:"text"`
	Why  string `json:"why"`
}

// NewObservation counts what a file says of a device.
func NewObservation(file, format string, d *observed.Device) Observation {
	v := Observation{File: file, Format: format, Device: d.Name, Interfaces: len(d.Interfaces), Routes: len(d.Routes),
		Neighbours: len(d.Neighbours), Known: []string{}}
	for _, i := range d.Interfaces {
		v.Addresses += len(i.Addresses)
	}
	for _, p := range d.Known {
		v.Known = append(v.Known, string(p))
	}
	return v
}

// Observations is the table of what was understood.
func Observations(all []Observation) Table {
	t := Table{Columns: []Column{
		{Key: "file", Title: "file"}, {Key: "device", Title: "device"}, {Key: "format", Title: "format"}, {Key: "interfaces",
			Title: "interfaces", Right: true}, {Key: "addresses", Title: "addresses", Right: true},
		{Key: "routes", Title: "routes", Right: true}, {Key: "neighbours", Title: "neighbours", Right: true}, {Key: "unread", Title: "not read",
			Right: true}, {Key: "known", Title: "known", Wide: true},
	}}
	for _, o := range all {
		t.Rows = append(t.Rows, []string{o.File, o.Device, o.Format, counted(o.Interfaces), counted(o.Addresses), counted(o.Routes),
			counted(o.Neighbours), counted(o.Unread), strings.Join(o.Known, " ")})
	}
	return t
}

// UnreadText writes what was not understood.
func UnreadText(w io.Writer, all []Observation, width int) {
	for _, o := range all {
		for _, l := range o.Lines {
			where := o.File
			if l.Line > 0 {
				where += fmt.Sprint(":", l.Line)
			}
			paragraph(w, width, Clean(where)+": "+warn.Render("not read")+", "+Clean(l.Why)+": "+Clean(l.Text), "  ")
		}
	}
}

// MapCell is what a column map made of one cell, in JSON.
type MapCell struct {
	Line   int    `json:"line"`
	Device string `json:"device"`
	Row    string `json:"row"`
	Field  string `json:"field"`
	Text   string `json:"text"`
	Taken  string `json:"taken"`
}

// MapCells is the table of what a column map makes of a text, cell by cell.
func MapCells(all []MapCell) Table {
	t := Table{Columns: []Column{{Key: "device", Title: "device", Heading: true}, {Key: "line", Title: "line", Right: true},
		{Key: "row", Title: "row"}, {Key: "field", Title: "field"}, {Key: "text", Title: "in the text"}, {Key: "taken",
			Title: "taken as"}}, Empty: "no row"}
	for _, c := range all {
		t.Rows = append(t.Rows, []string{c.Device, fmt.Sprint(c.Line), c.Row, c.Field, c.Text, c.Taken})
	}
	return t
}

// Comparison is how the network as found differs from the plan, in JSON.
type Comparison struct {
	Basis       string       `json:"basis"`             // what the answer stands on
	Compared    int          `json:"compared"`          // things
	InPlace     int          `json:"in_place"`          // of them: as planned
	Differences []Difference `json:"differences"`       // the worst first
	NotObserved []string     `json:"not_observed"`      // devices of the plan nothing is known of
	Partly      []Partly     `json:"partly"`            // devices of which something is not known
	Untried     int          `json:"untried,omitempty"` // differences of which what they break was not worked out: the network is too large
	Among       int          `json:"among,omitempty"`   // hosts that stood for all where it was; absent where all were asked
	Untold      []string     `json:"not_shown"`         // what the plan says of the devices that no list tells: not compared

	Heard *AskedAll `json:"asked,omitempty"` // who answered, of a live look

	words [2]string // what the two sides are
}

// Partly is what is not known of a device, in JSON.
type Partly struct {
	Device  string   `json:"device"`
	Unknown []string `json:"unknown"` // such as "IPv4 routes"
}

// Difference is one thing found otherwise than planned, in JSON.
type Difference struct {
	Device  string `json:"device"`
	What    string `json:"what"`    // device, interface, admin status, oper status, address, mtu, vlan, route or next hop
	Subject string `json:"subject"` // the interface, or the destination
	Kind    string `json:"kind"`    // missing, extra or different
	Planned string `json:"planned,omitempty"`
	Found   string `json:"found,omitempty"`
	Slip    string `json:"slip,omitempty"`    // what was likely done
	Lost    int    `json:"lost"`              // how many paths between hosts it takes by itself
	Such    string `json:"such_as,omitempty"` // the first of them

	Unmet     []string `json:"unmet,omitempty"`     // requirements that do not hold with it, by itself
	Unmanaged []string `json:"unmanaged,omitempty"` // devices that the operator does not reach with it, by itself

	File string `json:"file,omitempty"` // where the plan says it
	Line int    `json:"line,omitempty"`
}

// NewComparison puts a comparison into its JSON form.
func NewComparison(r *compare.Result, basis string, words [2]string) Comparison {
	v := Comparison{words: words, Basis: basis, Compared: r.Compared, InPlace: r.InPlace, Differences: []Difference{},
		NotObserved: append([]string{}, r.NotKnown...), Partly: []Partly{}, Untried: r.Untried, Among: r.Among, Untold: []string{}}
	for _, w := range r.Untold {
		v.Untold = append(v.Untold, string(w))
	}
	for _, p := range r.Partly {
		v.Partly = append(v.Partly, Partly(p))
	}
	for _, d := range r.Differences {
		x := Difference{Device: d.Device, What: string(d.What), Subject: d.Subject, Kind: d.Kind.String(), Planned: d.Planned, Found: d.Found,
			Slip: d.Slip.Words(r.Net), Lost: d.Lost, Unmet: d.Unmet, Unmanaged: d.Unmanaged}
		if d.Lost > 0 {
			x.Such = d.From + " cannot reach " + d.To
		}
		x.File, x.Line = written(d.Place)
		v.Differences = append(v.Differences, x)
	}
	return v
}

// Headline is the comparison in one line.
func (v Comparison) Headline() string {
	if v.Compared == 0 {
		return "nothing is known that could be compared"
	}
	if len(v.Differences) == 0 && v.Heard.Silent() {
		return fmt.Sprintf("%s; of those nothing differs, in %s", v.Heard.Headline(), Count(v.Compared, "thing"))
	}
	if len(v.Differences) == 0 {
		word := "as planned"
		if v.words[0] != "planned" {
			word = "alike"
		}
		text := fmt.Sprintf("%s: all %s that are known", word, Count(v.Compared, "thing"))
		if n := len(v.NotObserved); n > 0 {
			text += fmt.Sprintf("; %s not observed", Count(n, "device"))
		}
		return text + v.Heard.byPlan()
	}
	word := "in place"
	if v.words[0] != "planned" {
		word = "alike"
	}
	return fmt.Sprintf("%d of %s "+word+", %s", v.InPlace, Count(v.Compared, "thing"), Count(len(v.Differences), "difference"))
}

// Table is the differences.
func (v Comparison) Table() Table {
	t := Table{Columns: []Column{
		{Key: "device", Title: "device"}, {Key: "what", Title: "what"}, {Key: "subject", Title: "of"}, {Key: "kind",
			Title: "it is"}, {Key: "planned", Title: v.words[0]}, {Key: "found", Title: v.words[1]},
		{Key: "slip", Title: "slip", Below: true}, {Key: "such_as", Title: "breaks", Below: true, Lead: "breaks: "}, {Key: "lost",
			Title: "paths lost", Wide: true, Right: true}, {Key: "line", Title: "plan's line", Wide: true},
	}}
	for _, d := range v.Differences {
		such := d.Such
		if d.Lost > 1 {
			such += fmt.Sprintf(", and %s more", Count(d.Lost-1, "pair"))
		}
		if len(d.Unmet) > 0 {
			such += "; the requirement '" + d.Unmet[0] + "'"
			if n := len(d.Unmet) - 1; n > 0 {
				such += fmt.Sprintf(" and %d more", n)
			}
		}
		if len(d.Unmanaged) > 0 {
			such += "; the operator does not reach " + forward.And(d.Unmanaged)
		}
		such = strings.TrimPrefix(such, "; ")
		t.Rows = append(t.Rows, []string{d.Device, d.What, d.Subject, d.Kind, d.Planned, d.Found, d.Slip, such, fmt.Sprint(d.Lost),
			counted(d.Line)})
	}
	return t
}

// untoldWords are what no list of a device tells of.
var untoldWords = map[compare.What]string{
	compare.OfPermit: "permits", compare.OfTranslation: "translations", compare.OfWatch: "watches", compare.OfPrefer: "preferred sources",
	compare.OfNames: "name servers", compare.OfTimes: "time servers", compare.OfLogs: "log servers",
	compare.OfAnswers: "services", compare.OfCable: "cables of which neither end says where they go",
}

// untoldWord is what is not told of, as it stands among others.
func untoldWord(what string) string {
	if k := model.InterfaceKeyNamed(what); k != nil {
		return k.Many
	}
	return untoldWords[compare.What(what)]
}

// Text writes how much is in place, and what is not, the worst first.
func (v Comparison) Text(w io.Writer, width int, wide bool, next string) {
	style := good
	if v.Heard.Silent() || v.Compared == 0 {
		style = warn
	}
	if len(v.Differences) > 0 {
		style = bad
	}
	fmt.Fprintln(w, style.Render(Clean(v.Headline()))+faint.Render(" · "+Clean(v.Basis)))
	if len(v.Differences) > 0 {
		v.Table().Text(w, width, "", wide)
	}
	for _, r := range v.Beside() {
		paragraph(w, width, faint.Render(r.Label+": ")+Clean(r.Text), "  ")
	}
	if next != "" {
		fmt.Fprintln(w, pad("next", 8)+Clean(next))
	}
}

// Beside says what was not compared or not worked out.
func (v Comparison) Beside() []Remark {
	var all []Remark
	if len(v.NotObserved) > 0 {
		all = append(all, Remark{"not observed", strings.Join(v.NotObserved, ", ")})
	}
	for _, line := range notKnown(v.Partly) {
		all = append(all, Remark{"not known", line})
	}
	if len(v.Untold) > 0 {
		words := make([]string, len(v.Untold))
		for i, what := range v.Untold {
			words[i] = untoldWord(what)
		}
		all = append(all, Remark{"not compared, since no list shows them", strings.Join(words, ", ")})
	}
	if v.Untried > 0 {
		all = append(all, Remark{"not worked out",
			"what " + Count(v.Untried, "difference") + " would break; in a network of this size it is for the likeliest only"})
	}
	if v.Among > 0 && len(v.Differences) > 0 {
		all = append(all, Remark{"what they break", fmt.Sprintf("among %d hosts that stand for all", v.Among)})
	}
	return all
}

// notKnown is what is not known, and of which devices: parts that are not known of the
// same devices stand together.
func notKnown(all []Partly) []string {
	var parts, sets []string
	of, together := map[string][]string{}, map[string][]string{}
	for _, p := range all {
		for _, part := range p.Unknown {
			if of[part] == nil {
				parts = append(parts, part)
			}
			of[part] = append(of[part], p.Device)
		}
	}
	for _, part := range parts {
		set := strings.Join(of[part], ", ")
		if together[set] == nil {
			sets = append(sets, set)
		}
		together[set] = append(together[set], part)
	}
	lines := make([]string, len(sets))
	for i, set := range sets {
		lines[i] = strings.Join(together[set], ", ") + " of " + set
	}
	return lines
}
