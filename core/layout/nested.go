package layout

import (
	"cmp"
	"slices"
)

// framePad is the room between a site's frame and what is in it.
const framePad = 12.0

// port is where a line leaves a site.
type port struct {
	line int // of all lines
	in   int // which of its ends is in the site
	box  int // the box within the site that stands for the port
}

// site is a part of the graph that stands in a frame.
type site struct {
	unit  int
	boxes []int // of all boxes; those of the inner graph come in the same order
	lines []int // within the site
	ports [2][]port
	inner Places
	title int // the inner box of the title
}

// nest is a graph of sites and of boxes that stand in none.
type nest struct {
	boxes []Box
	lines []Line
	o     Options
	unit  []int // of each box
	sites []site
	outer *layouter
	out   []int // of each line of the outer graph: which of all lines it is
}

// layNested lays out each site by itself, and then the sites among the others.
func layNested(boxes []Box, lines []Line, o Options) Places {
	n := &nest{boxes: boxes, lines: lines, o: o, unit: make([]int, len(boxes)), sites: make([]site, len(o.Sites))}
	l := n.contract()
	layer := l.layers()
	n.openPorts(layer)
	for s := range n.sites {
		if x := &n.sites[s]; len(x.boxes) > 0 {
			n.layInside(s, false)
			l.boxes[x.unit].Width, l.boxes[x.unit].Height = n.frame(s)
		}
	}
	l.rowsOf(layer)
	l.chain()
	l.order()
	n.sortPorts()
	for s := range n.sites {
		x := &n.sites[s]
		if len(x.boxes) == 0 {
			continue
		}
		n.layInside(s, true)
		w, h := n.frame(s)
		it := &l.items[l.of[x.unit]]
		it.w, it.h = w, h
		for side, ports := range x.ports {
			for _, p := range ports {
				at := x.inner.Boxes[p.box]
				l.ends[end{slices.Index(n.out, p.line), 1 - side}] = at.X + at.Width/2 + framePad
			}
		}
	}
	l.place()
	return n.compose(l.places())
}

// contract makes the outer graph, in which each site is one box.
func (n *nest) contract() *layouter {
	var outer []Box
	for s := range n.sites {
		n.sites[s].unit = -1
	}
	for i, b := range n.boxes {
		if b.Site == 0 {
			n.unit[i] = len(outer)
			outer = append(outer, b)
			continue
		}
		s := &n.sites[b.Site-1]
		if s.unit < 0 {
			s.unit = len(outer)
			outer = append(outer, Box{Order: b.Order})
		}
		n.unit[i] = s.unit
		outer[s.unit].Root = outer[s.unit].Root || b.Root
		s.boxes = append(s.boxes, i)
	}
	var lines []Line
	for i, x := range n.lines {
		if u, v := n.unit[x.Ends[0]], n.unit[x.Ends[1]]; u != v {
			o := Line{Ends: [2]int{u, v}, Width: x.Width, Height: x.Height}
			for e, b := range x.Ends {
				if n.boxes[b].Site > 0 {
					o.Width[e], o.Height[e] = 0, 0
				}
			}
			lines, n.out = append(lines, o), append(n.out, i)
		} else {
			s := n.boxes[x.Ends[0]].Site - 1
			n.sites[s].lines = append(n.sites[s].lines, i)
		}
	}
	n.outer = newLayouter(outer, lines, n.o)
	n.outer.ends = map[end]float64{}
	return n.outer
}

// openPorts gives each line that leaves a site a port: at the top where it leads upwards.
func (n *nest) openPorts(layer []int) {
	for _, i := range n.out {
		x := n.lines[i]
		for e, b := range x.Ends {
			if n.boxes[b].Site == 0 {
				continue
			}
			side := 1
			if layer[n.unit[x.Ends[1-e]]] < layer[n.unit[b]] {
				side = 0
			}
			s := &n.sites[n.boxes[b].Site-1]
			s.ports[side] = append(s.ports[side], port{line: i, in: e})
		}
	}
}

// layInside lays a site out. Its ports come as they may, or in the order that they have.
func (n *nest) layInside(at int, ordered bool) {
	s := &n.sites[at]
	inner := map[int]int{}
	var boxes []Box
	for _, b := range s.boxes {
		inner[b] = len(boxes)
		box := n.boxes[b]
		box.Site = 0
		boxes = append(boxes, box)
	}
	var lines []Line
	for _, i := range s.lines {
		x := n.lines[i]
		lines = append(lines, Line{Ends: [2]int{inner[x.Ends[0]], inner[x.Ends[1]]}, Width: x.Width, Height: x.Height})
	}
	for _, p := range s.ports[0] { // where one comes from is above
		boxes[inner[n.lines[p.line].Ends[p.in]]].Root = true
	}
	l := newLayouter(boxes, lines, n.o)
	layer := l.layers()
	last := 0
	for i := range layer {
		layer[i]++
		last = max(last, layer[i]+1)
	}
	s.title = len(l.boxes)
	l.boxes, layer = append(l.boxes, Box{Width: n.o.Sites[at].Width, Height: n.o.Sites[at].Height}), append(layer, 0)
	for side := range s.ports {
		for k := range s.ports[side] {
			p := &s.ports[side][k]
			p.box = len(l.boxes)
			x := n.lines[p.line]
			l.boxes, layer = append(l.boxes, Box{Width: 4}), append(layer, side*last)
			l.lines = append(l.lines, Line{Ends: [2]int{inner[x.Ends[p.in]], p.box}, Width: [2]float64{x.Width[p.in], 0},
				Height: [2]float64{x.Height[p.in], 0}})
		}
	}
	l.o.MostWidth *= 0.7
	for i := range l.boxes { // the order among ports is the order of boxes
		l.boxes[i].Order = i
	}
	for i, b := range s.boxes {
		l.boxes[i].Order = n.boxes[b].Order - len(n.boxes)
	}
	l.rowsOf(layer)
	l.first = l.of[s.title]
	l.chain()
	if ordered {
		l.fixed = make([]bool, len(l.rows))
		for _, ports := range s.ports {
			for _, p := range ports {
				l.fixed[l.items[l.of[p.box]].row] = true
			}
		}
	}
	l.order()
	l.place()
	s.inner = l.places()
	s.inner.Boxes[s.title].X = 0 // nothing of its row stands left of it
}

// frame is how large a site is with its frame. A row of ports below takes no room of its own.
func (n *nest) frame(at int) (w, h float64) {
	s := &n.sites[at]
	return s.inner.Width + 2*framePad, s.inner.Height + framePad + n.foot(s)
}

// foot is the room below what is in a site.
func (n *nest) foot(s *site) float64 {
	if len(s.ports[1]) > 0 {
		return 0
	}
	return framePad
}

// sortPorts puts the ports of each site into the order in which the lines outside want them.
func (n *nest) sortPorts() {
	l := n.outer
	for s := range n.sites {
		for side, ports := range n.sites[s].ports {
			next := func(p port) int {
				chain := l.chains[slices.Index(n.out, p.line)]
				if side == 0 {
					return l.items[chain[len(chain)-2]].pos
				}
				return l.items[chain[1]].pos
			}
			slices.SortStableFunc(ports, func(a, b port) int { return cmp.Compare(next(a), next(b)) })
		}
	}
}

// compose puts what is in the sites into their places.
func (n *nest) compose(outer Places) Places {
	p := Places{Boxes: make([]Placed, len(n.boxes)), Lines: make([]Path, len(n.lines)), Sites: make([]Placed, len(n.sites)),
		Titles: make([]Placed, len(n.sites)), Width: outer.Width, Height: outer.Height, Crossings: outer.Crossings}
	for i := range n.boxes {
		p.Boxes[i] = outer.Boxes[n.unit[i]]
	}
	for o, i := range n.out {
		p.Lines[i] = outer.Lines[o]
	}
	for k := range n.sites {
		s := &n.sites[k]
		if len(s.boxes) == 0 {
			continue
		}
		frame := outer.Boxes[s.unit]
		dx, dy := frame.X+framePad, frame.Y+framePad
		p.Sites[k] = frame
		p.Crossings += s.inner.Crossings
		p.Titles[k] = moved(s.inner.Boxes[s.title], dx, dy)
		for i, b := range s.boxes {
			p.Boxes[b] = moved(s.inner.Boxes[i], dx, dy)
		}
		for i, line := range s.lines {
			p.Lines[line] = movedPath(s.inner.Lines[i], dx, dy)
		}
		at := len(s.lines)
		for _, ports := range s.ports {
			for _, port := range ports {
				p.Lines[port.line] = joined(p.Lines[port.line], movedPath(s.inner.Lines[at], dx, dy), port.in)
				at++
			}
		}
	}
	return p
}

// joined is a line outside of a site with its further way inside, from the box to the port.
func joined(outside, inside Path, in int) Path {
	points := slices.Clone(inside.Points)
	if in == 0 {
		points = append(points, outside.Points...)
	} else {
		slices.Reverse(points)
		points = append(slices.Clone(outside.Points), points...)
	}
	outside.Points = points
	outside.Ends[in] = inside.Ends[0]
	return outside
}

func moved(b Placed, dx, dy float64) Placed {
	return Placed{b.X + dx, b.Y + dy, b.Width, b.Height, b.Top}
}

func movedPath(x Path, dx, dy float64) Path {
	points := make([]Point, len(x.Points))
	for i, p := range x.Points {
		points[i] = Point{p.X + dx, p.Y + dy}
	}
	x.Points = points
	for e := range x.Ends {
		x.Ends[e].At.X += dx
		x.Ends[e].At.Y += dy
	}
	return x
}
