package draw

import (
	"fmt"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// Sizes of a front of ports.
const (
	portWide      = 98.0
	portHigh      = 80.0
	halfHigh      = 52.0 // as found, below
	portGap       = 6.0
	lettersInPort = 13 // of small text in one line
	portsInRow    = 12 // side by side; two rows, odd above even, are one strip
)

// jack is what a port says of itself in one network.
type jack struct {
	class          Class
	state          string // up, down, off, free
	carries, to, n string
}

// Ports is the front of a device: its ports in rows, odd ones above even ones, each with what it carries, its state, and what is plugged
// in. Where the network was found, too, each port has two halves: as planned above, as found below; found is nil where it was not.
func Ports(planned, found *forward.Network, d model.DeviceID, asked Asked) *Sheet {
	s := &Sheet{Title: asked.Title, About: asked.About}
	spec := planned.Spec
	var ports []model.InterfaceID
	for _, i := range spec.InterfacesOf(d) {
		if spec.Interfaces[i].Kind == model.Port {
			ports = append(ports, i)
		}
	}
	high := portHigh
	if found != nil {
		high = portHigh + halfHigh
	}
	count := map[string]int{}
	differ := 0
	for n, i := range ports {
		is := jackOf(planned.State, i)
		var was *jack
		if found != nil {
			if dev, ok := found.Spec.DeviceNamed(spec.Devices[d].Name); ok {
				if f, ok := found.Spec.InterfaceNamed(dev, spec.Interfaces[i].Name); ok {
					j := jackOf(found.State, f)
					was = &j
					if j.state != is.state || j.carries != is.carries {
						differ++
					}
				}
			}
		}
		count[is.state]++
		strip, at := n/(2*portsInRow), n%(2*portsInRow)
		if len(ports) <= portsInRow {
			strip, at = 0, 2*n
		}
		x := float64(at/2) * (portWide + portGap)
		y := float64(strip)*(2*(high+portGap)+18) + float64(at%2)*(high+portGap)
		s.port(x, y, spec.Interfaces[i].Name, &is, was)
	}
	var states []string
	for _, state := range []string{"up", "down", "off", "free"} {
		if n := count[state]; n > 0 {
			states = append(states, fmt.Sprintf("%d %s", n, state))
		}
	}
	s.Title += ": " + strings.Join(states, ", ")
	if found != nil {
		s.Title += fmt.Sprintf("; %d found otherwise", differ)
		s.About += " · above: as planned; below: as found"
	}
	width, bottom := 0.0, 0.0
	for _, r := range s.Rects {
		width, bottom = max(width, r.X+r.W), max(bottom, r.Y+r.H)
	}
	s.fit(width, bottom)
	return s
}

// jackOf is what a port says of itself.
func jackOf(state *network.State, i model.InterfaceID) jack {
	spec, x := state.Spec, &state.Spec.Interfaces[i]
	j := jack{state: "up", class: Good, n: x.Note}
	far := state.Peer(i)
	switch {
	case x.AdminDown:
		j.state, j.class = "off", Down
	case far == model.None:
		j.state, j.class = "free", Quiet
	case !state.IsUp(i):
		j.state, j.class = "down", Bad
	}
	if far != model.None {
		j.to = spec.Label(far)
		if dev := &spec.Devices[spec.Interfaces[far].Device]; dev.Count == 1 {
			j.to = dev.Name
		}
	}
	carrier := x
	if x.Group != model.None {
		carrier = &spec.Interfaces[x.Group]
	}
	var words []string
	if carrier.Untagged != 0 {
		words = append(words, spec.VLANName(carrier.Untagged))
	}
	if len(carrier.Tagged) > 0 {
		words = append(words, "tagged "+strings.ReplaceAll(list(carrier.Tagged), ",", ", "))
	}
	if len(words) == 0 && x.Segment != model.None {
		words = append(words, spec.Segments[x.Segment].Name)
	}
	if x.Group != model.None {
		words = append([]string{carrier.Name}, words...)
	}
	j.carries = strings.Join(words, " ")
	return j
}

// port draws one port.
func (s *Sheet) port(x, y float64, name string, is, was *jack) {
	high := portHigh
	if was != nil {
		high = portHigh + halfHigh
	}
	holds := []string{is.carries, is.to, is.n}
	s.Rects = append(s.Rects, Rect{X: x, Y: y, W: portWide, H: high, Class: is.class, Round: 4, Name: name, Holds: holds,
		Dashed: is.state == "free"})
	room := func(text string, small bool) string {
		for wide(text, small) > portWide-2*pad && text != "" {
			letters := []rune(strings.TrimSuffix(text, "…"))
			text = string(letters[:len(letters)-1]) + "…"
		}
		return text
	}
	head := room(name+"  "+is.state, false)
	s.Texts = append(s.Texts, Text{X: x + pad, Y: y + 16, Text: head, Class: is.class, Bold: true})
	put := func(at float64, most int, class Class, texts ...string) {
		n := 0
		for k, text := range texts {
			lines := broken(text, lettersInPort)
			if k > 0 {
				lines = lines[:min(1, len(lines))]
			}
			for i, l := range lines {
				if n == most {
					return
				}
				if i == 1 && len(lines) > 2 {
					l += "…"
				}
				if l != "" && i < 2 {
					s.Texts = append(s.Texts, Text{X: x + pad, Y: at + float64(n)*13, Text: room(l, true), Class: class, Small: true})
					n++
				}
			}
		}
	}
	put(y+30, 4, is.class, is.carries, is.to, is.n)
	if was == nil {
		return
	}
	class := was.class
	if was.state != is.state || was.carries != is.carries {
		class = Bad
	}
	half := y + portHigh
	s.Rects = append(s.Rects, Rect{X: x, Y: half, W: portWide, H: halfHigh, Class: class, Round: 4, Name: name + ", found",
		Holds: []string{was.carries}})
	s.Texts = append(s.Texts, Text{X: x + pad, Y: half + 15, Text: room("found "+was.state, true), Class: class, Small: true, Bold: true})
	put(half+29, 2, class, was.carries)
}
