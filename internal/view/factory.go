package view

import (
	"fmt"
	"io"
	"strings"

	"ropeswing/core/compare"
	"ropeswing/core/model"
	"ropeswing/core/steps"
)

// NewDevice is what to do with a device as it comes from the factory, in JSON.
type NewDevice struct {
	Device  string    `json:"device"`
	Box     string    `json:"box"`              // the address it comes with
	Laptop  string    `json:"laptop"`           // to set on the laptop
	Port    string    `json:"port,omitempty"`   // to plug the laptop into
	Sets    []StepSet `json:"sets"`             // first
	Last    []StepSet `json:"last"`             // with these the login ends
	Then    string    `json:"then"`             // where to log in afterwards
	Beside  string    `json:"beside,omitempty"` // what the laptop needs for that at the same port
	PutBack string    `json:"put_back,omitempty"`
	Gateway string    `json:"put_back_gw,omitempty"`
	Reached bool      `json:"reached"`   // in its place it is reached from where one sits
	Not     []string  `json:"otherwise"` // what no step sets
}

// NewNewDevice puts it into its JSON form.
func NewNewDevice(spec *model.Spec, f *steps.Factory) NewDevice {
	v := NewDevice{Device: spec.Devices[f.Device].Name, Box: f.Box.String(), Laptop: f.Laptop.String(), Sets: stepSets(f.Sets),
		Last: stepSets(f.Last), Then: address(f.Then), Gateway: address(f.Via), Reached: f.Works, Not: []string{}}
	if f.Port != model.None {
		v.Port = spec.Interfaces[f.Port].Name
	}
	if f.Beside.IsValid() {
		v.Beside = f.Beside.String()
	}
	if f.Back.IsValid() {
		v.PutBack = f.Back.String()
	}
	for _, d := range f.Not {
		v.Not = append(v.Not, otherwise(d))
	}
	return v
}

// Table is a row for each thing that is set.
func (v NewDevice) Table() Table {
	t := Table{Columns: []Column{{Key: "device", Title: "device"}, {Key: "set", Title: "set"}, {Key: "look", Title: "look"}},
		Empty: "nothing needs to be set"}
	for _, x := range append(append([]StepSet{}, v.Sets...), v.Last...) {
		t.Rows = append(t.Rows, []string{v.Device, x.Set, x.Look})
	}
	return t
}

// folded is what is set with ports that are set alike as one.
func folded(all []StepSet) []StepSet {
	var rows []StepSet
	for _, x := range all {
		n := len(rows) - 1
		if n >= 0 && x.What == string(compare.OfVLAN) && rows[n].What == x.What && rows[n].Planned == x.Planned {
			rows[n].Subject += ", " + x.Subject
			rows[n].Set = rows[n].Subject + " " + x.Planned
			continue
		}
		rows = append(rows, x)
	}
	return rows
}

// Text writes what to do, from the laptop's address to putting it back.
func (v NewDevice) Text(w io.Writer, width int) {
	fmt.Fprintf(w, "%s\n", good.Render(fmt.Sprintf("%s, new, at %s: %s to set, then log in at %s", Clean(v.Device), v.Box,
		Count(len(v.Sets)+len(v.Last), "thing"), v.Then)))
	n := 0
	step := func(text string) {
		n++
		labelled(w, width, fmt.Sprintf("%3d. ", n), Clean(text), "     ")
	}
	list := func(all []StepSet) {
		for _, x := range folded(all) {
			labelled(w, width, "       ", Clean(x.Set), "         ")
		}
	}
	step("on the laptop set " + v.Laptop + ", without a gateway")
	plug := "plug it into the device"
	if v.Port != "" {
		plug = "plug it into " + v.Port + ", which is set last"
	}
	box, _, _ := strings.Cut(v.Box, "/")
	step(plug + ", and log in at " + box)
	step("set:")
	list(v.Sets)
	if len(v.Last) > 0 {
		step("then these together; the session ends with them:")
		list(v.Last)
	}
	step("apply, save, and restart the device")
	if v.Then == "" {
		step("it has no address to log in at in the plan")
	} else {
		at := "log in at " + v.Then
		if v.Beside != "" {
			at += ", with " + v.Beside + " on the laptop while it is still at the device"
		}
		step(at)
	}
	back := "put back on the laptop what it had"
	if v.PutBack != "" {
		if back += ": by the plan " + v.PutBack; v.Gateway != "" {
			back += ", gateway " + v.Gateway
		}
	}
	step(back)
	if v.Then != "" {
		look := "look: in its place it is reached from where you sit"
		if !v.Reached {
			look = "in its place it is not reached from where you sit, by the plan as it is: " + "ropeswing ping " + v.Then
		}
		step(look)
	}
	if len(v.Not) > 0 {
		fmt.Fprintln(w, "\nno step sets this; see to it at the device:")
		for _, o := range v.Not {
			labelled(w, width, "  ", Clean(o), "    ")
		}
	}
}
