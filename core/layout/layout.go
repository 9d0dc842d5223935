// Package layout gives the boxes and lines of a drawing their places: a graph in, places out, in
// units of the drawing; it knows no pixels and no letters.
//
// Boxes lie in rows, by their distance from the roots. In a graph whose lines only join boxes of
// two kinds, as devices and what is between them, lines only join rows that follow each other.
// Rows that would be too wide are broken; a line that passes a row has a place of its own in it.
// So no line ever lies over a box.
//
// Boxes of one site stand together in a frame of their own: each site is laid out by itself, with
// a port at its edge for every line that leaves it, and then is one box among the others. Many
// boxes or sites that hang on the same hubs alone stand in rows, on rails, as the teeth of a comb.
package layout

import (
	"cmp"
	"math"
	"slices"
)

// Box is a box to be placed.
type Box struct {
	Width, Height float64 // at least
	Root          bool    // it is to be in the first row
	Order         int     // among boxes alike: the lower to the left
	Site          int     // from 1, the site it stands in; 0 for none. No line joins two sites directly.
}

// Line joins two boxes. Each end wants some room within its box for what is written at it.
type Line struct {
	Ends   [2]int
	Width  [2]float64
	Height [2]float64
}

// Options say how much room there is.
type Options struct {
	MostWidth float64 // of a row, beyond which it is broken
	Gap       float64 // between boxes of a row
	Rows      float64 // between rows, where lines lead far aside; a third of it where they do not
	Sites     []Title // the sites, the first being site 1
}

// Title is the room for what is written in the upper left corner of a site's frame.
type Title struct{ Width, Height float64 }

// Point is a place.
type Point struct{ X, Y float64 }

// Placed is a box in its place: its upper left corner, its size, and how much of that lines want
// at its top.
type Placed struct{ X, Y, Width, Height, Top float64 }

// End is where a line meets its box: at the top or the bottom of it.
type End struct {
	At    Point
	Top   bool
	Width float64
}

// Path is a line in its place.
type Path struct {
	Points []Point
	Ends   [2]End
}

// Places are the places of all.
type Places struct {
	Boxes         []Placed
	Sites         []Placed // the frames
	Titles        []Placed // of the frames
	Lines         []Path
	Width, Height float64
	Crossings     int
}

// item is a box in its row, or the place of a line that passes the row.
type item struct {
	box  int // -1 for a place of a line
	line int
	row  int
	pos  int // in its row
	x    float64
	w, h float64
	up   []int // items of the row above that lines join it with
	down []int
}

// layouter lays one graph out.
type layouter struct {
	boxes  []Box
	lines  []Line
	o      Options
	items  []item
	rows   [][]int
	of     []int        // of each box: its item
	chains [][]int      // of each line: its items, from the upper box to the lower
	upper  []int        // of each line: which end is above
	width  []float64    // of each box
	ports  [2][]float64 // what lines want at the top and at the bottom of each box
	room   float64      // how wide the drawing may be
	fixed  []bool       // of each row: its order is given
	first  int          // the item that stands first in its row whatever comes; -1 for none
	ends   map[end]float64
}

// end is one end of a line: 0 is the upper one.
type end struct{ line, side int }

// Lay places boxes and lines. The same graph has the same places.
func Lay(boxes []Box, lines []Line, o Options) Places {
	if all := combs(boxes, lines); len(all) > 0 {
		return layCombed(boxes, lines, o, all)
	}
	return lay(boxes, lines, o)
}

func lay(boxes []Box, lines []Line, o Options) Places {
	if slices.ContainsFunc(boxes, func(b Box) bool { return b.Site > 0 }) {
		return layNested(boxes, lines, o)
	}
	l := newLayouter(boxes, lines, o)
	l.rowsOf(l.layers())
	l.chain()
	l.order()
	l.place()
	return l.places()
}

func newLayouter(boxes []Box, lines []Line, o Options) *layouter {
	return &layouter{boxes: boxes, lines: lines, o: o, first: -1}
}

// layers are the boxes' distances from the roots, part by part.
func (l *layouter) layers() []int {
	near := make([][]int, len(l.boxes))
	for _, x := range l.lines {
		near[x.Ends[0]] = append(near[x.Ends[0]], x.Ends[1])
		near[x.Ends[1]] = append(near[x.Ends[1]], x.Ends[0])
	}
	layer := make([]int, len(l.boxes))
	for i := range layer {
		layer[i] = -1
	}
	spread := func(from []int) {
		for len(from) > 0 {
			var next []int
			for _, b := range from {
				for _, n := range near[b] {
					if layer[n] < 0 {
						layer[n] = layer[b] + 1
						next = append(next, n)
					}
				}
			}
			from = next
		}
	}
	var roots []int
	for i, b := range l.boxes {
		if b.Root {
			layer[i] = 0
			roots = append(roots, i)
		}
	}
	spread(roots)
	for { // parts without a root: from the box with most lines
		best := -1
		for i := range l.boxes {
			if layer[i] < 0 && (best < 0 || len(near[i]) > len(near[best])) {
				best = i
			}
		}
		if best < 0 {
			break
		}
		layer[best] = 0
		spread([]int{best})
	}
	return layer
}

// rowsOf puts boxes into rows by their layers.
func (l *layouter) rowsOf(layer []int) {
	l.sizes(layer)
	deepest := 0
	for _, n := range layer {
		deepest = max(deepest, n)
	}
	l.of = make([]int, len(l.boxes))
	for n := 0; n <= deepest; n++ {
		var in []int
		for i := range l.boxes {
			if layer[i] == n {
				in = append(in, i)
			}
		}
		slices.SortStableFunc(in, func(a, b int) int { return cmp.Compare(l.boxes[a].Order, l.boxes[b].Order) })
		for _, row := range l.broken(in) {
			var items []int
			for pos, b := range row {
				l.of[b] = len(l.items)
				items = append(items, len(l.items))
				l.items = append(l.items, item{box: b, line: -1, row: len(l.rows), pos: pos, w: l.width[b], h: l.boxes[b].Height +
					l.ports[0][b] + l.ports[1][b]})
			}
			l.rows = append(l.rows, items)
		}
	}
}

// sizes are the widths of boxes: what is in them, and what is written at their ends.
func (l *layouter) sizes(layer []int) {
	l.width = make([]float64, len(l.boxes))
	above, below := make([]float64, len(l.boxes)), make([]float64, len(l.boxes))
	l.ports = [2][]float64{make([]float64, len(l.boxes)), make([]float64, len(l.boxes))}
	for _, x := range l.lines {
		for e, b := range x.Ends {
			if layer[x.Ends[1-e]] < layer[b] {
				above[b] += x.Width[e]
				l.ports[0][b] = max(l.ports[0][b], x.Height[e])
			} else {
				below[b] += x.Width[e]
				l.ports[1][b] = max(l.ports[1][b], x.Height[e])
			}
		}
	}
	for i := range l.boxes {
		l.width[i] = max(l.boxes[i].Width, above[i], below[i])
	}
}

// broken breaks a row that is too wide into some of about the same width.
func (l *layouter) broken(row []int) [][]int {
	total := 0.0
	for _, b := range row {
		total += l.width[b] + l.o.Gap
	}
	if total <= l.o.MostWidth || len(row) < 3 {
		return [][]int{row}
	}
	count := int(total/l.o.MostWidth) + 1
	all := make([][]int, 0, count)
	part, width := []int{}, 0.0
	for _, b := range row {
		if width > 0 && width+l.width[b] > total/float64(count)+l.o.Gap {
			all, part, width = append(all, part), nil, 0
		}
		part, width = append(part, b), width+l.width[b]+l.o.Gap
	}
	return append(all, part)
}

// chain gives each line a place in every row that it passes.
func (l *layouter) chain() {
	l.chains, l.upper = make([][]int, len(l.lines)), make([]int, len(l.lines))
	for n, x := range l.lines {
		a, b := l.of[x.Ends[0]], l.of[x.Ends[1]]
		if l.items[a].row > l.items[b].row {
			a, b, l.upper[n] = b, a, 1
		}
		chain := []int{a}
		for row := l.items[a].row + 1; row < l.items[b].row; row++ {
			id := len(l.items)
			l.items = append(l.items, item{box: -1, line: n, row: row, pos: len(l.rows[row]), w: l.o.Gap / 3})
			l.rows[row] = append(l.rows[row], id)
			chain = append(chain, id)
		}
		chain = append(chain, b)
		l.chains[n] = chain
		for i := 1; i < len(chain); i++ {
			l.items[chain[i-1]].down = append(l.items[chain[i-1]].down, chain[i])
			l.items[chain[i]].up = append(l.items[chain[i]].up, chain[i-1])
		}
	}
}

// sweeps are how often rows are ordered anew, downwards and upwards.
const sweeps = 24

// order orders each row so that few lines cross: by where the neighbours are, then by changing
// two that stand beside each other.
func (l *layouter) order() {
	l.fixed = append(l.fixed, make([]bool, len(l.rows)-len(l.fixed))...)
	best, least := l.saved(), l.crossings()
	for s := range sweeps {
		down := s%2 == 0
		for n := range l.rows {
			row := n
			if !down {
				row = len(l.rows) - 1 - n
			}
			l.byNeighbours(row, down)
		}
		l.transpose()
		if c := l.crossings(); c < least {
			best, least = l.saved(), c
		}
		if least == 0 {
			break
		}
	}
	l.restore(best)
}

func (l *layouter) saved() [][]int {
	all := make([][]int, len(l.rows))
	for i := range l.rows {
		all[i] = slices.Clone(l.rows[i])
	}
	return all
}

func (l *layouter) restore(rows [][]int) {
	l.rows = rows
	for i := range rows {
		l.number(i)
	}
}

func (l *layouter) number(row int) {
	for pos, id := range l.rows[row] {
		l.items[id].pos = pos
	}
}

// byNeighbours orders a row by the middle of what each is joined with.
func (l *layouter) byNeighbours(row int, down bool) {
	if l.fixed[row] {
		return
	}
	weight := map[int]float64{}
	for pos, id := range l.rows[row] {
		near := l.items[id].up
		if !down {
			near = l.items[id].down
		}
		if len(near) == 0 {
			weight[id] = float64(pos)
			continue
		}
		sum, size := 0.0, 0.0
		for _, n := range near {
			sum += float64(l.items[n].pos) + 0.5
			size = float64(len(l.rows[l.items[n].row]))
		}
		weight[id] = sum / float64(len(near)) / size * float64(len(l.rows[row]))
	}
	if _, ok := weight[l.first]; ok {
		weight[l.first] = -1
	}
	slices.SortStableFunc(l.rows[row], func(a, b int) int { return cmp.Compare(weight[a], weight[b]) })
	l.number(row)
}

// transpose changes neighbours in a row while that makes fewer lines cross.
func (l *layouter) transpose() {
	for better, round := true, 0; better && round < 20; round++ {
		better = false
		for row := range l.rows {
			for i := 0; i+1 < len(l.rows[row]); i++ {
				a, b := l.rows[row][i], l.rows[row][i+1]
				if l.fixed[row] || a == l.first {
					continue
				}
				if l.between(b, a) < l.between(a, b) {
					l.rows[row][i], l.rows[row][i+1] = b, a
					l.items[a].pos, l.items[b].pos = i+1, i
					better = true
				}
			}
		}
	}
}

// between is how many lines of two items cross, where one stands left of the other.
func (l *layouter) between(left, right int) int {
	n := 0
	for _, sides := range [][2][]int{{l.items[left].up, l.items[right].up}, {l.items[left].down, l.items[right].down}} {
		for _, a := range sides[0] {
			for _, b := range sides[1] {
				if l.items[a].pos > l.items[b].pos {
					n++
				}
			}
		}
	}
	return n
}

// crossings counts the lines that cross: for each row, the lines down from it in the order of
// their upper ends, and how many of those before lead further to the right.
func (l *layouter) crossings() int {
	n := 0
	for row := 0; row+1 < len(l.rows); row++ {
		counts := make([]int, len(l.rows[row+1])+1) // a Fenwick tree of where lines led so far
		so := 0
		for _, id := range l.rows[row] {
			down := l.items[id].down
			for _, x := range down {
				left := 0
				for i := l.items[x].pos + 1; i > 0; i -= i & -i {
					left += counts[i]
				}
				n += so - left
			}
			for _, x := range down {
				for i := l.items[x].pos + 1; i < len(counts); i += i & -i {
					counts[i]++
				}
			}
			so += len(down)
		}
	}
	return n
}

// rounds are how often items are moved towards what they are joined with.
const rounds = 30

// place gives items their places along the rows: in their order, near what they are joined with,
// in little more room than the fullest row needs.
func (l *layouter) place() {
	for _, row := range l.rows {
		x := 0.0
		for pos, id := range row {
			l.items[id].x = x
			x += l.items[id].w + l.space(row, pos)
		}
		l.room = max(l.room, x)
	}
	l.room *= 1.1
	for r := range rounds {
		for n := range l.rows {
			row := n
			if r%2 == 1 {
				row = len(l.rows) - 1 - n
			}
			l.settle(row)
		}
	}
	left := math.Inf(1)
	for _, it := range l.items {
		left = min(left, it.x)
	}
	for i := range l.items {
		l.items[i].x -= left
	}
}

// space is the room right of an item of a row: less between lines that only pass.
func (l *layouter) space(row []int, pos int) float64 {
	switch {
	case pos+1 == len(row):
		return 0
	case l.items[row[pos]].box < 0 && l.items[row[pos+1]].box < 0:
		return l.o.Gap * 0.4
	}
	return l.o.Gap
}

// settle moves the items of a row as near to where they want to be as their order lets them: in
// groups that push each other, each group where its members want to be on average.
func (l *layouter) settle(row int) {
	type group struct {
		want  float64 // of its left edge
		w     float64 // with the room right of it
		first int
		count float64
	}
	ids := l.rows[row]
	total := 0.0
	for pos, id := range ids {
		total += l.items[id].w + l.space(ids, pos)
	}
	var groups []group
	before := 0.0
	for pos, id := range ids {
		w := l.items[id].w + l.space(ids, pos)
		want := min(max(l.wanted(id), before), l.room-(total-before))
		before += w
		g := group{want: want, w: w, first: pos, count: 1}
		for len(groups) > 0 {
			last := groups[len(groups)-1]
			if last.want+last.w <= g.want {
				break
			}
			// They would overlap: one group from here on.
			all := last.count + g.count
			g = group{want: (last.want*last.count + (g.want-last.w)*g.count) / all, w: last.w + g.w, first: last.first, count: all}
			groups = groups[:len(groups)-1]
		}
		groups = append(groups, g)
	}
	for _, g := range groups {
		x := g.want
		for pos := g.first; pos < g.first+int(g.count); pos++ {
			l.items[ids[pos]].x = x
			x += l.items[ids[pos]].w + l.space(ids, pos)
		}
	}
}

// wanted is where an item's left edge wants to be: its middle below the middle of its neighbours.
func (l *layouter) wanted(id int) float64 {
	it := &l.items[id]
	sum, n := 0.0, 0
	for _, near := range [][]int{it.up, it.down} {
		for _, o := range near {
			sum += l.items[o].x + l.items[o].w/2
			n++
		}
	}
	if n == 0 {
		return it.x
	}
	return sum/float64(n) - it.w/2
}

// places are the outcome.
func (l *layouter) places() Places {
	p := Places{Boxes: make([]Placed, len(l.boxes)), Lines: make([]Path, len(l.lines)), Crossings: l.crossings()}
	top := make([]float64, len(l.rows))
	bottom := make([]float64, len(l.rows))
	y, gap := 0.0, 0.0
	for n, row := range l.rows {
		height := 0.0
		for _, id := range row {
			height = max(height, l.items[id].h)
		}
		top[n], bottom[n] = y, y+height
		gap = l.gap(row)
		y += height + gap
		for _, id := range row {
			it := &l.items[id]
			p.Width = max(p.Width, it.x+it.w)
			if it.box >= 0 {
				p.Boxes[it.box] = Placed{it.x, top[n] + min((height-it.h)/2, 60), it.w, it.h, l.ports[0][it.box]}
			}
		}
	}
	p.Height = max(0, y-gap)
	ends := l.meets(p.Boxes)
	for n, chain := range l.chains {
		path := &p.Lines[n]
		u := l.upper[n]
		path.Ends[u], path.Ends[1-u] = ends[n][0], ends[n][1]
		from, to := ends[n][0].At, ends[n][1].At
		path.Points = append(path.Points, from)
		if edge := bottom[l.items[chain[0]].row]; edge > from.Y {
			path.Points = append(path.Points, Point{from.X, edge})
		}
		for _, id := range chain[1 : len(chain)-1] {
			it := &l.items[id]
			x := it.x + it.w/2
			path.Points = append(path.Points, Point{x, top[it.row]}, Point{x, bottom[it.row]})
		}
		if edge := top[l.items[chain[len(chain)-1]].row]; edge < to.Y {
			path.Points = append(path.Points, Point{to.X, edge})
		}
		path.Points = append(path.Points, to)
		if u == 1 {
			slices.Reverse(path.Points)
		}
	}
	return p
}

// gap is the room below a row: more where lines lead far aside.
func (l *layouter) gap(row []int) float64 {
	far := 0.0
	for _, id := range row {
		it := &l.items[id]
		for _, d := range it.down {
			o := &l.items[d]
			far = max(far, math.Abs(it.x+it.w/2-o.x-o.w/2))
		}
	}
	return l.o.Rows * min(1, 1.0/3+far/300)
}

// meets are where each line leaves its upper box and meets its lower one: side by side along the
// edge, in the order of where they lead.
func (l *layouter) meets(boxes []Placed) [][2]End {
	all := make([][2]End, len(l.lines))
	type meeting struct {
		line int
		far  float64 // where the next item on the line is
		w    float64
	}
	for b := range l.boxes {
		var sides [2][]meeting // below the box, and above it
		for n, chain := range l.chains {
			up, low := chain[0], chain[len(chain)-1]
			if l.items[up].box == b {
				next := &l.items[chain[1]]
				sides[0] = append(sides[0], meeting{n, next.x + next.w/2, l.lines[n].Width[l.upper[n]]})
			}
			if l.items[low].box == b {
				before := &l.items[chain[len(chain)-2]]
				sides[1] = append(sides[1], meeting{n, before.x + before.w/2, l.lines[n].Width[1-l.upper[n]]})
			}
		}
		for side, meets := range sides {
			slices.SortStableFunc(meets, func(a, b meeting) int { return cmp.Compare(a.far, b.far) })
			total := 0.0
			for _, m := range meets {
				total += m.w
			}
			spare := (boxes[b].Width - total) / float64(max(1, len(meets)))
			x := boxes[b].X
			for _, m := range meets {
				w := m.w + spare
				e := End{At: Point{x + w/2, boxes[b].Y + boxes[b].Height}, Width: w}
				if side == 1 {
					e.At.Y, e.Top = boxes[b].Y, true
				}
				if given, ok := l.ends[end{m.line, side}]; ok {
					e.At.X = boxes[b].X + given
				}
				all[m.line][side] = e
				x += w
			}
		}
	}
	return all
}
