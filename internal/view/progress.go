package view

import (
	"fmt"
	"io"
	"strings"

	"ropeswing/core/compare"
)

// Progress is how far the devices of a plan are from what is planned, in JSON.
type Progress struct {
	Basis   string           `json:"basis"` // what the answer stands on
	Next    string           `json:"next"`  // the device to do next; "" where nothing is to do
	Devices []DeviceProgress `json:"devices"`

	next compare.Progress
}

// DeviceProgress is how far one device is, in JSON.
type DeviceProgress struct {
	Device  string   `json:"device"`
	Seen    bool     `json:"seen"`     // something was observed of it
	InPlace int      `json:"in_place"` // things as planned
	ToDo    int      `json:"to_do"`    // things that are not; of a device not seen all that is planned
	Unknown []string `json:"unknown"`  // what was not observed, so that more may be to do
	Unsaved int      `json:"unsaved"`  // things that run and are not saved so; -1 where what is saved was not observed
	State   string   `json:"state"`    // in a few words
}

// NewProgress puts progress into its JSON form.
func NewProgress(all []compare.Progress, basis string) Progress {
	v := Progress{Basis: basis, Devices: []DeviceProgress{}}
	if next, found := compare.Next(all); found {
		v.Next, v.next = next.Device, next
	}
	for _, p := range all {
		v.Devices = append(v.Devices, DeviceProgress{p.Device, p.Seen, p.InPlace, p.ToDo, append([]string{}, p.Unknown...), p.Unsaved,
			progressWords(p)})
	}
	return v
}

func progressWords(p compare.Progress) string {
	var words []string
	switch {
	case !p.Seen:
		words = append(words, "not seen: "+Count(p.ToDo, "thing")+" to do")
	case p.InPlace == 0 && p.ToDo > 0:
		words = append(words, "not begun: "+Count(p.ToDo, "thing"))
	case p.ToDo > 0:
		words = append(words, fmt.Sprintf("%d to do", p.ToDo))
	case len(p.Unknown) > 0:
		words = append(words, "done as far as seen")
	default:
		words = append(words, "done")
	}
	if len(p.Unknown) > 0 {
		words = append(words, "not seen: "+strings.Join(p.Unknown, ", "))
	}
	if p.Unsaved > 0 {
		words = append(words, Count(p.Unsaved, "thing")+" running and not saved")
	}
	return strings.Join(words, "; ")
}

// Table is a row a device.
func (v Progress) Table() Table {
	t := Table{Columns: []Column{{Key: "device", Title: "device"}, {Key: "in_place", Title: "in place", Right: true},
		{Key: "to_do", Title: "to do", Right: true}, {Key: "state", Title: "how far"}}}
	for _, d := range v.Devices {
		t.Rows = append(t.Rows, []string{d.Device, fmt.Sprint(d.InPlace), fmt.Sprint(d.ToDo), d.State})
	}
	return t
}

// Left is how many devices have something to do, or may have.
func (v Progress) Left() int {
	n := 0
	for _, d := range v.Devices {
		if d.ToDo > 0 {
			n++
		}
	}
	return n
}

// Text writes how many devices are done and which is next, then a row for each.
func (v Progress) Text(w io.Writer, width int, wide bool) {
	seen := 0
	for _, d := range v.Devices {
		if d.ToDo == 0 && len(d.Unknown) > 0 {
			seen++
		}
	}
	text, style := fmt.Sprintf("%d of %s done", len(v.Devices)-v.Left(), Count(len(v.Devices), "device")), good
	if seen > 0 {
		text += fmt.Sprintf(", %d of them as far as seen", seen)
	}
	if v.Next != "" {
		style = bad
		text += "; next: " + v.Next
	}
	fmt.Fprintln(w, style.Render(Clean(text))+faint.Render(" · "+Clean(v.Basis)))
	v.Table().Text(w, width, "", wide)
	if v.next.Away > 0 {
		paragraph(w, width, faint.Render("next is the device nearest to the operator, as others are reached through it"), "  ")
	}
}

// DoneThing is a thing that is as planned, in JSON.
type DoneThing struct {
	Device  string `json:"device"`
	What    string `json:"what"`
	Subject string `json:"subject"` // the interface, or the destination
	Value   string `json:"value"`   // as planned, and as found
}

// NewDone puts what is done into its JSON form.
func NewDone(all []compare.Done) []DoneThing {
	list := []DoneThing{}
	for _, d := range all {
		list = append(list, DoneThing{d.Device, string(d.What), d.Subject, d.Value})
	}
	return list
}

// DoneTable is the table of what is as planned.
func DoneTable(all []DoneThing) Table {
	t := Table{Columns: []Column{{Key: "device", Title: "device"}, {Key: "what", Title: "what"}, {Key: "subject", Title: "of"},
		{Key: "value", Title: "it is"}}, Empty: "nothing is as planned"}
	for _, d := range all {
		t.Rows = append(t.Rows, []string{d.Device, d.What, d.Subject, d.Value})
	}
	return t
}
