package view

import (
	"fmt"
	"io"
	"strings"

	"ropeswing/core/assign"
	"ropeswing/core/finding"
	"ropeswing/core/model"
)

// Assignment is what an assignment changes, in JSON.
type Assignment struct {
	Ledger   string           `json:"ledger"`  // its file
	Written  bool             `json:"written"` // whether the file has the changes now
	Changes  []NumberChange   `json:"changes"`
	Renumber []AddressChange  `json:"renumber"` // addresses that are other ones from now on
	Findings []AssignmentSlip `json:"findings"` // needs that could not be met

	kept int
}

// NumberChange is one number given, moved or taken back.
type NumberChange struct {
	Change  string `json:"change"` // new, back, grown, moved, retired, released or renamed
	Owner   string `json:"owner"`  // a segment, a device, or DEVICE:INTERFACE
	Kind    string `json:"kind"`   // subnet, vlan, loopback or address
	Number  string `json:"number"`
	Was     string `json:"was,omitempty"` // the number before, or the name before
	Because string `json:"because,omitempty"`
}

// AddressChange is an interface that has to be given another address or mask.
type AddressChange struct {
	Interface string `json:"interface"` // DEVICE:INTERFACE
	Was       string `json:"was"`       // with its length
	Becomes   string `json:"becomes"`
}

// AssignmentSlip is a need that could not be met.
type AssignmentSlip struct {
	Name   string `json:"name"` // of the finding
	Reason string `json:"reason"`
	Remedy string `json:"remedy,omitempty"`
}

// NewAssignment puts the changes of a ledger, which keeps so many numbers, into their
// JSON form. Before and after are the same plan with the ledger as it was and as it is
// to be; before is nil where nothing moves.
func NewAssignment(ledger string, kept int, changes []assign.Change, before, after *model.Spec, unmet []finding.Finding) Assignment {
	v := Assignment{Ledger: ledger, Changes: []NumberChange{}, Renumber: []AddressChange{}, Findings: []AssignmentSlip{}, kept: kept}
	v.Add(changes)
	if before != nil {
		v.Renumber = renumbered(before, after)
	}
	for _, f := range unmet {
		v.Findings = append(v.Findings, AssignmentSlip{string(f.Name), f.Reason, f.Remedy})
	}
	return v
}

// Add adds changes.
func (v *Assignment) Add(changes []assign.Change) {
	for _, c := range changes {
		v.Changes = append(v.Changes, NumberChange{c.What.String(), c.Entry.Owner, c.Entry.Kind.String(), c.Entry.Number(), c.Was, c.Words()})
	}
}

// renumbered lists the addresses that differ between two states of one plan.
func renumbered(before, after *model.Spec) []AddressChange {
	all := []AddressChange{}
	for id := range after.Interfaces {
		if id >= len(before.Interfaces) || before.Label(model.InterfaceID(id)) != after.Label(model.InterfaceID(id)) {
			break // not the same plan
		}
		old, now := before.Interfaces[id].Addresses, after.Interfaces[id].Addresses
		for n := range now {
			if n < len(old) && old[n].Prefix != now[n].Prefix {
				all = append(all, AddressChange{after.Label(model.InterfaceID(id)), old[n].Prefix.String(), now[n].Prefix.String()})
			}
		}
	}
	return all
}

// Table is the changes.
func (v Assignment) Table() Table {
	t := Table{Columns: []Column{
		{Key: "change", Title: "change"}, {Key: "kind", Title: "number"}, {Key: "owner", Title: "of"}, {Key: "number", Title: "is"},
		{Key: "was", Title: "was"}, {Key: "because", Title: "because", IfRoom: true},
	}}
	for _, c := range v.Changes {
		t.Rows = append(t.Rows, []string{c.Change, c.Kind, c.Owner, c.Number, c.Was, c.Because})
	}
	return t
}

// byOwner is the changes with one row for what an owner has of both families,
// where the same becomes of both.
func (v Assignment) byOwner() Table {
	t := v.Table()
	const change, kind, owner, number, was = 0, 1, 2, 3, 4
	var rows [][]string
	at := map[[4]string]int{}
	for _, r := range t.Rows {
		k := [4]string{r[change], r[kind], r[owner], fmt.Sprint(strings.Contains(r[number], ":"))}
		other := k
		other[3] = fmt.Sprint(!strings.Contains(r[number], ":"))
		if i, ok := at[other]; ok && r[kind] != assign.VLAN.String() && r[was] == "" && rows[i][was] == "" {
			rows[i][number] += " " + r[number]
			continue
		}
		at[k] = len(rows)
		rows = append(rows, r)
	}
	t.Rows = rows
	return t
}

// counts is how many changes there are of each kind.
func (v Assignment) counts() string {
	count := map[string]int{}
	var order []string
	for _, c := range v.Changes {
		if count[c.Change] == 0 {
			order = append(order, c.Change)
		}
		count[c.Change]++
	}
	var parts []string
	for _, w := range order {
		parts = append(parts, fmt.Sprintf("%d %s", count[w], w))
	}
	if count["moved"]+count["grown"] == 0 {
		parts = append(parts, "nothing moves")
	}
	return strings.Join(parts, ", ")
}

// Headline is how the ledger stands, in one line.
func (v Assignment) Headline() string {
	switch {
	case len(v.Changes) == 0 && len(v.Findings) > 0:
		return Count(len(v.Findings), "need") + " not met"
	case len(v.Changes) == 0 && v.kept == 0:
		return "the plan leaves no number open, and needs no ledger"
	case len(v.Changes) == 0:
		return fmt.Sprintf("the ledger is up to date: %s in %s", Count(v.kept, "number"), v.Ledger)
	case v.Written:
		return "written to " + v.Ledger + ": " + v.counts()
	}
	return v.Ledger + " is behind: " + v.counts()
}

// Text writes what changes, what has to be renumbered, and what could not be
// met. Next is the command to type next, "" where there is none.
func (v Assignment) Text(w io.Writer, width int, wide bool, next string) {
	if len(v.Findings) > 0 {
		fmt.Fprintln(w, bad.Render(Count(len(v.Findings), "need")+" not met"))
	}
	switch {
	case len(v.Changes) == 0 && len(v.Findings) > 0:
	case len(v.Changes) == 0, v.Written:
		fmt.Fprintln(w, good.Render(Clean(v.Headline())))
	default:
		fmt.Fprintln(w, warn.Render(Clean(v.Headline())))
	}
	v.byOwner().Text(w, width, "  ", wide)
	if len(v.Renumber) > 0 {
		fmt.Fprintln(w, bold.Render(fmt.Sprintf("to renumber: %d", len(v.Renumber))))
		t := Table{Columns: []Column{{Title: "interface"}, {Title: "was"}, {Title: "becomes"}}}
		for _, r := range v.Renumber {
			t.Rows = append(t.Rows, []string{r.Interface, r.Was, r.Becomes})
		}
		t.Text(w, width, "  ", wide)
	}
	for _, f := range v.Findings {
		paragraph(w, width, bad.Render("error:")+" "+Clean(f.Reason)+" "+faint.Render("("+f.Name+")"), "  ")
		if f.Remedy != "" {
			paragraph(w, width, "  remedy: "+Clean(f.Remedy), "          ")
		}
	}
	if next != "" {
		fmt.Fprintln(w, "next: "+next)
	}
}
