package layout

import (
	"cmp"
	"fmt"
	"math"
	"slices"
)

// From so many arms on they are drawn as a comb: in rows, each on a rail of its hub.
const fromArms = 9

// Rooms of a comb, in units of the drawing.
const (
	railGap = 9.0  // between rails
	toothed = 12.0 // between the last rail and an arm
)

// arm is a part that hangs on its hubs alone: a box or a site, and what is between it and each hub.
type arm struct {
	hubs    []int // boxes
	between []int // boxes, in the order of the hubs
	boxes   []int // all of its boxes, those between too
	lines   []int // within it
	rails   []int // the lines to the hubs, in their order
	places  Places
	inner   map[int]int // of each box: which of its places
}

// comb is the arms of the same hubs.
type comb struct {
	hubs   []int
	arms   []arm
	box    int       // that stands for it in the graph around it
	lines  []int     // to its hubs, in the graph around it
	at     []Point   // of each arm
	rail   []float64 // of each arm: where its row's first rail is
	width  float64
	height float64
}

// combs finds the arms that are to be drawn in rows.
func combs(boxes []Box, lines []Line) []comb {
	near := make([][]int, len(boxes)) // of each box: its lines
	out := map[int][]int{}            // of each site: the lines that leave it
	in := map[int][]int{}             // of each site: its boxes
	for n, x := range lines {
		for e, b := range x.Ends {
			near[b] = append(near[b], n)
			if s := boxes[b].Site; s > 0 && s != boxes[x.Ends[1-e]].Site {
				out[s] = append(out[s], n)
			}
		}
	}
	for i, b := range boxes {
		if b.Site > 0 {
			in[b.Site] = append(in[b.Site], i)
		}
	}
	of := map[string]*comb{}
	var order []string
	done := map[int]bool{}
	for i, b := range boxes {
		part, leaves := []int{i}, near[i]
		if b.Site > 0 {
			if done[b.Site] {
				continue
			}
			done[b.Site] = true
			part, leaves = in[b.Site], out[b.Site]
		}
		a, ok := armOf(boxes, lines, near, part, leaves)
		if !ok {
			continue
		}
		key := fmt.Sprint(a.hubs)
		if of[key] == nil {
			of[key] = &comb{hubs: a.hubs}
			order = append(order, key)
		}
		of[key].arms = append(of[key].arms, a)
	}
	var all []comb
	taken := map[int]bool{} // a hub that is itself in an arm cannot hold one
	for _, key := range order {
		c := of[key]
		if len(c.arms) < fromArms || slices.ContainsFunc(c.hubs, func(h int) bool { return taken[h] }) {
			continue
		}
		free := true
		for _, a := range c.arms {
			for _, b := range a.boxes {
				free = free && !taken[b] && !slices.Contains(c.hubs, b)
			}
		}
		if !free {
			continue
		}
		for _, a := range c.arms {
			for _, b := range a.boxes {
				taken[b] = true
			}
		}
		for _, h := range c.hubs {
			taken[h] = true
		}
		all = append(all, *c)
	}
	return all
}

// armOf tells whether a part hangs on up to three hubs, by a line each that nothing else uses.
func armOf(boxes []Box, lines []Line, near [][]int, part, leaves []int) (arm, bool) {
	a := arm{boxes: slices.Clone(part)}
	if len(leaves) == 0 || len(leaves) > 3 {
		return a, false
	}
	for _, i := range part {
		if boxes[i].Root {
			return a, false
		}
	}
	type hang struct{ hub, between, leaf, rail int }
	var hangs []hang
	for _, n := range leaves {
		x := lines[n]
		between := x.Ends[0]
		if slices.Contains(part, between) {
			between = x.Ends[1]
		}
		if len(near[between]) != 2 || boxes[between].Site > 0 || boxes[between].Root {
			return a, false
		}
		rail := near[between][0]
		if rail == n {
			rail = near[between][1]
		}
		hub := lines[rail].Ends[0]
		if hub == between {
			hub = lines[rail].Ends[1]
		}
		if slices.Contains(part, hub) {
			return a, false
		}
		hangs = append(hangs, hang{hub, between, n, rail})
	}
	slices.SortFunc(hangs, func(x, y hang) int { return cmp.Compare(x.hub, y.hub) })
	for i, h := range hangs {
		if i > 0 && h.hub == hangs[i-1].hub {
			return a, false
		}
		a.hubs, a.between, a.rails = append(a.hubs, h.hub), append(a.between, h.between), append(a.rails, h.rail)
		a.boxes, a.lines = append(a.boxes, h.between), append(a.lines, h.leaf)
	}
	for n, x := range lines {
		if slices.Contains(part, x.Ends[0]) && slices.Contains(part, x.Ends[1]) {
			a.lines = append(a.lines, n)
		}
	}
	return a, true
}

// layCombed lays each arm out by itself, the arms of a comb in rows, and the comb as one box among
// the others.
func layCombed(boxes []Box, lines []Line, o Options, all []comb) Places {
	gone := make([]bool, len(boxes))
	drawn := make([]bool, len(lines))
	for k := range all {
		c := &all[k]
		for n := range c.arms {
			a := &c.arms[n]
			a.lay(boxes, lines, o)
			for _, b := range a.boxes {
				gone[b] = true
			}
			for _, l := range slices.Concat(a.lines, a.rails) {
				drawn[l] = true
			}
		}
		c.rows(o)
	}
	at := make([]int, len(boxes))
	var outer []Box
	for i, b := range boxes {
		if at[i] = len(outer); !gone[i] {
			outer = append(outer, b)
		}
	}
	var rest []Line
	which := make([]int, len(lines))
	for n, x := range lines {
		if which[n] = len(rest); !drawn[n] {
			x.Ends = [2]int{at[x.Ends[0]], at[x.Ends[1]]}
			rest = append(rest, x)
		}
	}
	for k := range all {
		c := &all[k]
		c.box = len(outer)
		outer = append(outer, Box{Width: c.width, Height: c.height, Order: len(boxes) + k})
		for _, h := range c.hubs {
			c.lines = append(c.lines, len(rest))
			rest = append(rest, Line{Ends: [2]int{at[h], c.box}, Width: [2]float64{8, 8}})
		}
	}
	around := lay(outer, rest, o)
	p := Places{Boxes: make([]Placed, len(boxes)), Lines: make([]Path, len(lines)), Sites: around.Sites, Titles: around.Titles,
		Width: around.Width, Height: around.Height, Crossings: around.Crossings}
	if p.Sites == nil {
		p.Sites, p.Titles = make([]Placed, len(o.Sites)), make([]Placed, len(o.Sites))
	}
	for i := range boxes {
		if !gone[i] {
			p.Boxes[i] = around.Boxes[at[i]]
		}
	}
	for n := range lines {
		if !drawn[n] {
			p.Lines[n] = around.Lines[which[n]]
		}
	}
	for k := range all {
		all[k].compose(boxes, lines, &p, around)
	}
	return p
}

// lay lays an arm out, with what is between it and its hubs above.
func (a *arm) lay(boxes []Box, lines []Line, o Options) {
	a.inner = map[int]int{}
	var own []Box
	for _, b := range a.boxes {
		a.inner[b] = len(own)
		own = append(own, boxes[b])
	}
	for i, b := range a.between {
		x := &own[a.inner[b]]
		rail := lines[a.rails[i]]
		x.Root = true
		x.Height += max(rail.Height[0], rail.Height[1]) // for what is written at the hub's end of it
		x.Width = max(x.Width, rail.Width[0], rail.Width[1])
	}
	var within []Line
	for _, l := range a.lines {
		x := lines[l]
		x.Ends = [2]int{a.inner[x.Ends[0]], a.inner[x.Ends[1]]}
		within = append(within, x)
	}
	a.places = lay(own, within, o)
	for i, b := range a.between {
		x := &a.places.Boxes[a.inner[b]]
		x.Top += max(lines[a.rails[i]].Height[0], lines[a.rails[i]].Height[1])
	}
}

// rows puts the arms of a comb into rows.
func (c *comb) rows(o Options) {
	slices.SortStableFunc(c.arms, func(a, b arm) int { return cmp.Compare(a.boxes[0], b.boxes[0]) })
	left := float64(len(c.hubs)) * railGap
	head := float64(len(c.hubs))*railGap + toothed
	area := 0.0
	for _, a := range c.arms {
		area += (a.places.Width + o.Gap) * (a.places.Height + head + o.Gap)
	}
	wide := max(o.MostWidth, math.Sqrt(1.6*area)) // about as a screen is
	x, y, high := left+o.Gap/2, 0.0, 0.0
	for n := range c.arms {
		a := &c.arms[n]
		if x > left+o.Gap && x+a.places.Width > wide {
			y += head + high + o.Gap
			x, high = left+o.Gap/2, 0
		}
		c.at, c.rail = append(c.at, Point{x, y + head}), append(c.rail, y)
		x += a.places.Width + o.Gap
		high = max(high, a.places.Height)
		c.width = max(c.width, x-o.Gap)
	}
	c.height = y + head + high
	if len(c.hubs) > 1 { // one of them may stand below
		c.height += head
	}
}

// compose puts the arms into their places, and their lines on the rails.
func (c *comb) compose(boxes []Box, lines []Line, p *Places, around Places) {
	frame := around.Boxes[c.box]
	for n := range c.arms {
		a := &c.arms[n]
		dx, dy := frame.X+c.at[n].X, frame.Y+c.at[n].Y
		p.Crossings += a.places.Crossings + len(c.hubs)*(len(c.hubs)-1)/2
		for _, b := range a.boxes {
			p.Boxes[b] = moved(a.places.Boxes[a.inner[b]], dx, dy)
			if s := boxes[b].Site; s > 0 {
				p.Sites[s-1], p.Titles[s-1] = moved(a.places.Sites[s-1], dx, dy), moved(a.places.Titles[s-1], dx, dy)
			}
		}
		for i, l := range a.lines {
			p.Lines[l] = movedPath(a.places.Lines[i], dx, dy)
		}
		for h, l := range a.rails {
			to := p.Boxes[a.between[h]]
			way := around.Lines[c.lines[h]]
			rail, side := frame.Y+c.rail[n]+float64(h)*railGap, frame.X+float64(len(c.hubs)-1-h)*railGap
			x := to.X + to.Width/2
			entry := way.Points[len(way.Points)-1]
			along := frame.Y + float64(h)*railGap
			if !way.Ends[1].Top {
				along = frame.Y + frame.Height - float64(h)*railGap
			}
			points := append(slices.Clone(way.Points), Point{entry.X, along}, Point{side, along}, Point{side, rail}, Point{x, rail},
				Point{x, to.Y})
			if lines[l].Ends[0] == a.between[h] {
				slices.Reverse(points)
			}
			tooth := End{At: Point{x, to.Y}, Top: true, Width: to.Width} // what belongs to the hub's end is written here
			p.Lines[l] = Path{Points: points, Ends: [2]End{tooth, tooth}}
		}
	}
}
