package view

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/network"
)

// Port is a port of a switch, a router or a firewall in JSON.
type Port struct {
	Device   string `json:"device"`
	Port     string `json:"port"`
	State    string `json:"state"`              // up, down, off where it is administratively down, or free where nothing is plugged in
	Untagged int    `json:"untagged,omitempty"` // the VLAN of untagged frames
	Tagged   []int  `json:"tagged"`
	Carries  string `json:"carries"`        // in words: the segment, 'tagged' with how many VLANs, or what else it is for
	To       string `json:"to"`             // what is plugged in
	Why      string `json:"why,omitempty"`  // it is down
	Note     string `json:"note,omitempty"` // as the plan has it
}

// Ports lists the ports of devices that have more than one, in the plan's order.
func Ports(state *network.State, devices []model.DeviceID) ([]Port, Table) {
	spec := state.Spec
	data := []Port{}
	for _, d := range devices {
		if spec.Devices[d].Kind == model.World {
			continue
		}
		for _, id := range spec.InterfacesOf(d) {
			if i := &spec.Interfaces[id]; i.Kind == model.Port && (spec.Devices[d].Kind != model.Host || len(devices) < len(spec.Devices)) {
				data = append(data, portOf(state, id))
			}
		}
	}
	table := Table{Columns: []Column{
		{Key: "device", Title: "device", Heading: true}, {Key: "port", Title: "port"}, {Key: "state", Title: "state"},
		{Key: "untagged", Title: "untagged"}, {Key: "tagged", Title: "tagged"},
		{Key: "carries", Title: "carries"}, {Key: "to", Title: "plugged in"}, {Key: "note", Title: "note"},
	}, Empty: "no device has ports"}
	for _, x := range data {
		untagged, tagged := "", []string{}
		if x.Untagged > 0 {
			untagged = fmt.Sprint(x.Untagged)
		}
		for _, v := range x.Tagged {
			tagged = append(tagged, fmt.Sprint(v))
		}
		table.Rows = append(table.Rows, []string{x.Device, x.Port, x.State, untagged, strings.Join(tagged, " "), x.Carries, x.To, x.Note})
	}
	return data, table
}

func portOf(state *network.State, id model.InterfaceID) Port {
	spec, i := state.Spec, &state.Spec.Interfaces[id]
	x := Port{Device: spec.Devices[i.Device].Name, Port: i.Name, State: "up", Tagged: []int{}, Note: i.Note}
	far := state.Peer(id)
	switch {
	case i.AdminDown:
		x.State = "off"
	case far == model.None:
		x.State = "free"
	case !state.IsUp(id):
		x.State, x.Why = "down", state.Why(id)
	}
	if far != model.None {
		x.To = spec.Label(far)
		if d := &spec.Devices[spec.Interfaces[far].Device]; d.Count == 1 {
			x.To = d.Name
		}
	}
	carrier := i
	if i.Group != model.None {
		carrier = &spec.Interfaces[i.Group]
	}
	x.Untagged = int(carrier.Untagged)
	for _, v := range carrier.Tagged {
		x.Tagged = append(x.Tagged, int(v))
	}
	switch {
	case i.Group != model.None:
		x.Carries = "in " + carrier.Name
	case len(i.Tagged) == 1:
		x.Carries = "tagged " + spec.VLANName(i.Tagged[0])
	case len(i.Tagged) > 1:
		x.Carries = "tagged " + vlanNumbers(i.Tagged)
	case i.Untagged != 0:
		x.Carries = spec.VLANName(i.Untagged)
	case i.Segment != model.None:
		x.Carries = spec.Segments[i.Segment].Name
	case slices.ContainsFunc(spec.InterfacesOf(i.Device), func(s model.InterfaceID) bool { return spec.Interfaces[s].Parent == id }):
		x.Carries = "subinterfaces"
	}
	return x
}

// vlanNumbers are some VLANs by their numbers, the first few.
func vlanNumbers(all []model.VLAN) string {
	const most = 4
	var words []string
	for _, v := range all[:min(len(all), most)] {
		words = append(words, fmt.Sprint(v))
	}
	text := strings.Join(words, ",")
	if n := len(all) - most; n > 0 {
		text += fmt.Sprintf(" and %d more", n)
	}
	return text
}

// portSigns are the signs for the states of a port.
var portSigns = []struct {
	state, sign string
	style       look
	words       string
}{
	{"up", "+", good, "up"}, {"down", "!", bad, "down"},
	{"off", "x", warn, "administratively down"}, {"free", ".", faint, "nothing plugged in"},
}

// PortsText writes the ports of each device side by side, down and then across: as many as fit a line.
func PortsText(w io.Writer, all []Port, width int) {
	for n := 0; n < len(all); {
		end := n
		for end < len(all) && all[end].Device == all[n].Device {
			end++
		}
		if n > 0 {
			fmt.Fprintln(w)
		}
		portsOf(w, all[n:end], width)
		n = end
	}
	if len(all) == 0 {
		fmt.Fprintln(w, "no device has ports")
	}
}

func portsOf(w io.Writer, all []Port, width int) {
	counts := map[string]int{}
	wide := [3]int{}
	for _, p := range all {
		counts[p.State]++
		for c, cell := range []string{p.Port, p.Carries, p.To} {
			wide[c] = max(wide[c], len([]rune(cell)))
		}
	}
	var words, legend []string
	for _, s := range portSigns {
		if n := counts[s.state]; n > 0 {
			words = append(words, fmt.Sprintf("%d %s", n, s.words))
			legend = append(legend, s.style.Render(s.sign)+faint.Render(" "+s.words))
		}
	}
	fmt.Fprintln(w, bold.Render(Clean(all[0].Device))+faint.Render(": "+Count(len(all), "port")+", "+strings.Join(words, ", ")))
	cell := 2 + wide[0] + 1 + wide[1] + 1 + wide[2]
	for c := 2; c > 0 && cell > width; c-- { // a narrow window: what is plugged in is cut first
		cut := min(cell-width, max(0, wide[c]-6))
		wide[c], cell = wide[c]-cut, cell-cut
	}
	columns := max(1, min(len(all), (width+2)/(cell+2)))
	rows := (len(all) + columns - 1) / columns
	for r := range rows {
		var line strings.Builder
		for c := range columns {
			if n := c*rows + r; n < len(all) {
				p := all[n]
				s := portSigns[slices.IndexFunc(portSigns, func(s struct {
					state, sign string
					style       look
					words       string
				}) bool {
					return s.state == p.State
				})]
				text := " " + pad(cutText(Clean(p.Port), wide[0]), wide[0]+1) + pad(cutText(Clean(p.Carries), wide[1]), wide[1]+1)
				to := cutText(Clean(p.To), wide[2])
				if c < columns-1 && (c+1)*rows+r < len(all) {
					to = pad(to, wide[2]+2)
				}
				line.WriteString(s.style.Render(s.sign) + text + to)
			}
		}
		fmt.Fprintln(w, strings.TrimRight(line.String(), " "))
	}
	for _, p := range all {
		if p.State == "down" {
			paragraph(w, width, "  "+Clean(p.Port+" is down: "+p.Why), "    ")
		}
	}
	fmt.Fprintln(w, strings.Join(legend, "   "))
}
