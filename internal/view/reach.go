package view

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
)

// Reach is who reaches whom, in JSON.
type Reach struct {
	Basis   string   `json:"basis"`   // what the answer stands on
	Without []string `json:"without"` // what was taken to be out of order
	Asked   int      `json:"asked"`   // how many paths between segments, each family for itself
	Work    int      `json:"work"`
	Places
	Paths []ReachPath `json:"paths"` // those listed

	NotAsked []string `json:"not_asked"`         // segments on which nobody has an address
	Between  string   `json:"between,omitempty"` // whom it was asked of, where not of all: 'from A to B'

	hosts int // ends are so many hosts, not segments
}

// Places counts between what is asked, in JSON.
type Places struct {
	LANs      int `json:"lans"`       // segments that are no links between routers
	Devices   int `json:"devices"`    // by a loopback, or another address
	Links     int `json:"links"`      // between routers
	LinksLeft int `json:"links_left"` // links that were not asked
}

// words names the places: '13 LANs, 7 loopbacks and 3 links'.
func (p Places) words() string {
	var all []string
	if p.LANs > 0 {
		all = append(all, Count(p.LANs, "LAN"))
	}
	if p.Devices > 0 {
		all = append(all, Count(p.Devices, "loopback"))
	}
	if p.Links > 0 {
		all = append(all, Count(p.Links, "link"))
	}
	if len(all) == 0 {
		return Count(0, "LAN")
	}
	return forward.And(all)
}

// left says which links were not asked.
func (p Places) left(w io.Writer, width int) {
	if p.LinksLeft > 0 {
		paragraph(w, width, faint.Render(Count(p.LinksLeft, "link")+" between routers not asked: add --links"), "")
	}
}

// ReachPath is one segment pinging another, in JSON.
type ReachPath struct {
	From    string `json:"from"` // a segment; of ping --all-pairs: a host
	To      string `json:"to"`   // the same
	Family  string `json:"family"`
	Source  string `json:"source"` // the address that stands for the one
	Target  string `json:"target"` // and for the other
	Verdict string `json:"verdict"`
	Finding string `json:"finding,omitempty"` // why it does not work, by its name in the catalogue
	Why     string `json:"why,omitempty"`
	OneWay  bool   `json:"one_way,omitempty"` // the other path it works

	brief string // why, for many alike
}

// NewReach is an answer with nothing in it yet.
func NewReach(basis string, without []string, places Places) *Reach {
	return &Reach{Basis: basis, Without: append([]string{}, without...), Paths: []ReachPath{}, NotAsked: []string{}, Places: places}
}

// NewPairs is an answer about hosts, with nothing in it yet.
func NewPairs(basis string, without []string, hosts int) *Reach {
	v := NewReach(basis, without, Places{})
	v.hosts = hosts
	return v
}

// Add counts a way, and lists it where it is to be listed.
func (v *Reach) Add(net *forward.Network, w reach.Pair, list bool) {
	spec := net.Spec
	v.Asked++
	if w.Verdict == forward.Works {
		v.Work++
	}
	if list {
		x := newReachPath(net, w)
		if v.hosts > 0 {
			x.From, x.To = spec.Devices[w.From.Device].Name, spec.Devices[w.To.Device].Name
		}
		v.Paths = append(v.Paths, x)
	}
}

func newReachPath(net *forward.Network, w reach.Pair) ReachPath {
	spec := net.Spec
	x := ReachPath{
		From: w.From.Name(spec), To: w.To.Name(spec), Family: familyOf(prefix.FamilyOf(w.To.Address)),
		Source: w.From.Address.String(), Target: w.To.Address.String(), Verdict: w.Verdict.String(),
	}
	if f := w.Failure; f != nil {
		x.Finding, x.Why, x.brief = string(f.Name), f.Words(net), f.Brief(net)
	}
	return x
}

// OneWay notes which of the paths listed work the other path. It is for who asked
// all paths.
func (v *Reach) OneWay() {
	type way struct{ from, to, family string }
	fails := map[way]bool{}
	for _, w := range v.Paths {
		fails[way{w.From, w.To, w.Family}] = w.Verdict != forward.Works.String()
	}
	for i, w := range v.Paths {
		v.Paths[i].OneWay = fails[way{w.From, w.To, w.Family}] && !fails[way{w.To, w.From, w.Family}]
	}
}

// Table is the paths listed.
func (v *Reach) Table() Table {
	t := Table{Columns: []Column{
		{Key: "from", Title: "from"}, {Key: "to", Title: "to"}, {Key: "family", Title: "family"}, {Key: "source", Title: "source",
			Wide: true}, {Key: "target", Title: "target", Wide: true},
		{Key: "verdict", Title: "verdict"}, {Key: "finding", Title: "finding", Wide: true}, {Key: "one_way", Title: "one way",
			Wide: true}, {Key: "why", Title: "why", Below: true},
	}}
	for _, w := range v.Paths {
		t.Rows = append(t.Rows, []string{w.From, w.To, w.Family, w.Source, w.Target, w.Verdict, w.Finding, fmt.Sprint(w.OneWay), w.Why})
	}
	return t
}

// grouped puts paths that fail for one reason into one row: from whom, to whom.
func (v *Reach) grouped() Table {
	type key struct{ from, why, verdict string }
	var order []key
	to := map[key][]string{}
	families := map[key]map[string]bool{}
	for _, w := range v.Paths {
		if w.Verdict == forward.Works.String() {
			continue
		}
		verdict := w.Verdict
		if w.OneWay {
			verdict += "; back works"
		}
		k := key{w.From, w.brief, verdict}
		if to[k] == nil {
			order = append(order, k)
			families[k] = map[string]bool{}
		}
		families[k][w.Family] = true
		if !slices.Contains(to[k], w.To) {
			to[k] = append(to[k], w.To)
		}
	}
	// Those from which the same are lost for the same reason share a row.
	t := Table{Columns: []Column{{Title: "from"}, {Title: "to"}, {Title: "family"}, {Title: "verdict"}, {Title: "why", Below: true}}}
	at := map[string]int{}
	for _, k := range order {
		family := "both"
		if len(families[k]) == 1 {
			for f := range families[k] {
				family = map[string]string{"ipv4": "IPv4", "ipv6": "IPv6"}[f]
			}
		}
		same := strings.Join(to[k], ", ") + "|" + family + "|" + k.verdict + "|" + k.why
		if i, ok := at[same]; ok {
			t.Rows[i][0] += ", " + k.from
			continue
		}
		at[same] = len(t.Rows)
		t.Rows = append(t.Rows, []string{k.from, strings.Join(to[k], ", "), family, k.verdict, k.why})
	}
	return t
}

// Text writes how much works, and what does not, paths alike in one row.
func (v *Reach) Text(w io.Writer, width int) {
	between := v.Between
	if between == "" {
		between = "between " + v.Places.words()
		if v.hosts > 0 {
			between = "between " + Count(v.hosts, "host")
		}
	}
	text, style := fmt.Sprintf("%d of %s %s work", v.Work, Count(v.Asked, "path"), between), bad
	switch {
	case v.Work == v.Asked && v.Asked == 1:
		style, text = good, "the one path "+between+" works"
	case v.Work == v.Asked:
		style, text = good, fmt.Sprintf("all %s %s work", Count(v.Asked, "path"), between)
	}
	if len(v.Without) > 0 {
		text += " without " + strings.Join(v.Without, ", ")
	}
	fmt.Fprintln(w, style.Render(Clean(text))+faint.Render(" · "+v.Basis))
	t := v.grouped()
	if len(t.Rows) > 0 {
		t.Text(w, width, "", false)
	}
	if len(v.NotAsked) > 0 {
		paragraph(w, width, faint.Render("not asked, since nobody on them has an address: ")+Clean(strings.Join(v.NotAsked, ", ")), "  ")
	}
	v.left(w, width)
}

// Sweep is what each failure takes away, in JSON.
type Sweep struct {
	Places
	Basis    string      `json:"basis"`
	Together int         `json:"together"`          // how many fail at a time
	Failures int         `json:"failures"`          // how many were tried
	Whole    int         `json:"whole"`             // how many take nothing away
	Survived int         `json:"survived"`          // the same
	CutsOff  int         `json:"cuts_off"`          // how many part somebody from others to whom no other path is left
	Routes   int         `json:"routes"`            // how many take what routes could save
	Losses   []SweepLoss `json:"losses"`            // the worst first
	Stopped  bool        `json:"stopped"`           // before all were tried
	Between  string      `json:"between,omitempty"` // whom it was asked of, where not of all: 'from A to B'
}

// SweepLoss is what one failure, or several together, take away, in JSON.
type SweepLoss struct {
	Without  []string    `json:"without"`  // cables, segments that are wires themselves, or devices
	Lost     int         `json:"lost"`     // paths that worked
	Cannot   int         `json:"cannot"`   // of them: no wire leads there any more
	DoesNot  int         `json:"does_not"` // of them: a wire does, and no route
	Loops    int         `json:"loops"`    // of them: that loop
	CutOff   []string    `json:"cut_off"`  // who is parted from most others, the worst first
	Rerouted int         `json:"rerouted"` // paths that still work, another other path
	Takes    []Takeover  `json:"takes"`    // routes that come into use
	Paths    []ReachPath `json:"paths"`    // those lost; the first thousand
}

// Takeover is a route that comes into use when something fails, in JSON.
type Takeover struct {
	Device string `json:"device"`
	To     string `json:"to"` // a prefix
	Out    string `json:"out"`
}

// Add counts one failure.
func (v *Sweep) Add(net *forward.Network, l reach.Loss) {
	spec := net.Spec
	v.Failures++
	if l.Lost == 0 {
		v.Whole++
	}
	v.Survived = v.Whole
	if l.Cannot > 0 {
		v.CutsOff++
	}
	if l.Lost > l.Cannot {
		v.Routes++
	}
	x := SweepLoss{Lost: l.Lost, Cannot: l.Cannot, DoesNot: l.Lost - l.Cannot, Loops: l.Loops, Rerouted: l.Rerouted, Paths: []ReachPath{},
		Takes: []Takeover{}}
	for _, f := range l.Failures {
		x.Without = append(x.Without, f.Name(spec))
	}
	x.CutOff = namesCutOff(spec, &l)
	for _, w := range l.Pairs {
		x.Paths = append(x.Paths, newReachPath(l.After, w))
	}
	for _, k := range l.Takes {
		x.Takes = append(x.Takes, Takeover{spec.Devices[k.Device].Name, spec.Statics[k.Static].To.String(), ifaceName(spec, k.Out)})
	}
	if x.Lost > 0 || x.Rerouted > 0 {
		v.Losses = append(v.Losses, x)
	}
}

// namesCutOff names those whom a failure parts from most others, the worst first.
func namesCutOff(spec *model.Spec, l *reach.Loss) []string {
	names := []string{}
	for _, e := range l.CutOff() {
		if name := e.Name(spec); !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return names
}

// Sort puts the worst first: what need not be lost, then what is.
func (v *Sweep) Sort() {
	slices.SortStableFunc(v.Losses, func(a, b SweepLoss) int {
		return cmp.Or(b.DoesNot-a.DoesNot, b.Lost-a.Lost, b.Rerouted-a.Rerouted)
	})
}

// Table is the losses.
func (v *Sweep) Table() Table {
	t := Table{Columns: []Column{
		{Key: "without", Title: "without"}, {Key: "lost", Title: "paths lost", Right: true}, {Key: "cannot", Title: "no wire left",
			Right: true}, {Key: "does_not", Title: "no route", Right: true}, {Key: "loops", Title: "loops", Right: true}, {Key: "rerouted",
			Title: "rerouted", Right: true},
		{Key: "first", Title: "such as", Below: true},
	}}
	for _, l := range v.Losses {
		note := ""
		if len(l.Paths) > 0 {
			w := l.Paths[0]
			note = fmt.Sprintf("lost: %s to %s: %s", w.From, w.To, w.Why)
			for _, x := range l.Paths { // the first that need not be lost
				if l.DoesNot > 0 && x.Verdict != "" && !strings.Contains(x.Why, " is down: ") {
					note = fmt.Sprintf("lost: %s to %s: %s", x.From, x.To, x.Why)
					break
				}
			}
		} else if len(l.Takes) > 0 {
			k := l.Takes[0]
			note = fmt.Sprintf("takes over: %s for %s out of %s", k.Device, k.To, k.Out)
			if n := len(l.Takes) - 1; n > 0 {
				note += fmt.Sprintf(", and %s", Count(n, "further route"))
			}
		}
		t.Rows = append(t.Rows, []string{strings.Join(l.Without, " and "), fmt.Sprint(l.Lost), fmt.Sprint(l.Cannot), fmt.Sprint(l.DoesNot),
			fmt.Sprint(l.Loops), fmt.Sprint(l.Rerouted), note})
	}
	return t
}

// cutOff names those whom failures cut off, the worst first: a few of them.
func (v *Sweep) cutOff() string {
	var names []string
	for _, l := range v.Losses {
		for _, name := range l.CutOff {
			if l.DoesNot == 0 && !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	const most = 3
	switch n := len(names); {
	case n == 0:
		return "nobody"
	case n > most:
		return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), n-most)
	}
	return strings.Join(names, ", ")
}

// Headline is how many failures lose nothing, whom others cut off, and how many take what routes could save.
func (v *Sweep) Headline() string {
	what := "single failures"
	if v.Together == 2 {
		what = "pairs of failures"
	}
	if v.Failures == 1 {
		what = strings.Replace(strings.Replace(what, "pairs", "pair", 1), "failures", "failure", 1)
	}
	// One that takes both is told of for what routes could save.
	verb := func(n int, one, more string) string {
		if n == 1 {
			return fmt.Sprintf("%d %s", n, one)
		}
		return fmt.Sprintf("%d %s", n, more)
	}
	cuts := v.Failures - v.Whole - v.Routes
	text := fmt.Sprintf("%d %s: %s, %s %s, %s that routes could save", v.Failures, what, verb(v.Whole, "loses nothing", "lose nothing"),
		verb(cuts, "cuts off", "cut off"), v.cutOff(), verb(v.Routes, "loses pairs", "lose pairs"))
	if v.Failures == v.Whole {
		text = fmt.Sprintf("%d %s: all lose nothing", v.Failures, what)
	}
	if v.Between != "" {
		text += ", " + v.Between
	} else {
		text += ", between " + v.words()
	}
	if v.Stopped {
		text += "; stopped before all were tried"
	}
	return text
}

// Text writes how many failures are survived, and the others.
func (v *Sweep) Text(w io.Writer, width int, next string) {
	style := bad
	switch {
	case v.Whole == v.Failures:
		style = good
	case v.Routes == 0:
		style = warn
	}
	paragraph(w, width, style.Render(v.Headline())+faint.Render(" · "+v.Basis), "  ")
	if len(v.Losses) > 0 {
		shown := *v
		shown.Losses = v.Losses[:min(len(v.Losses), mostLosses)]
		shown.Table().Text(w, width, "", false)
		if rest := len(v.Losses) - len(shown.Losses); rest > 0 {
			fmt.Fprintf(w, "%d more; -o csv lists all\n", rest)
		}
		if next != "" {
			fmt.Fprintln(w, "next: "+next)
		}
	}
	v.left(w, width)
}

// mostLosses is how many failures are shown on a terminal, the worst.
const mostLosses = 40
