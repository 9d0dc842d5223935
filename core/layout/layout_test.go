package layout_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/layout"
)

var room = layout.Options{MostWidth: 1600, Gap: 30, Rows: 60}

// random is a graph of devices and what is between them.
func random(r *rand.Rand) ([]layout.Box, []layout.Line) {
	devices := 3 + r.IntN(58)
	var boxes []layout.Box
	for i := range devices {
		boxes = append(boxes, layout.Box{Width: 60 + float64(r.IntN(120)), Height: 30 + float64(r.IntN(80)), Root: i == 0})
	}
	var lines []layout.Line
	join := func(a, b int) {
		between := len(boxes)
		boxes = append(boxes, layout.Box{Width: 50 + float64(r.IntN(60)), Height: 20})
		for _, e := range []int{a, b} {
			lines = append(lines, layout.Line{Ends: [2]int{e, between}, Width: [2]float64{20 + float64(r.IntN(30)), 10}})
		}
	}
	for i := 1; i < devices; i++ {
		join(r.IntN(i), i)
	}
	for range devices / 3 {
		if a, b := r.IntN(devices), r.IntN(devices); a != b {
			join(a, b)
		}
	}
	return boxes, lines
}

func overlap(a, b layout.Placed) bool {
	return a.X < b.X+b.Width && b.X < a.X+a.Width && a.Y < b.Y+b.Height && b.Y < a.Y+a.Height
}

// hits tells whether a piece of a line goes through the inside of a box.
func hits(p, q layout.Point, b layout.Placed) bool {
	const inside = 0.5
	for i := range 41 {
		t := float64(i) / 40
		x, y := p.X+(q.X-p.X)*t, p.Y+(q.Y-p.Y)*t
		if x > b.X+inside && x < b.X+b.Width-inside && y > b.Y+inside && y < b.Y+b.Height-inside {
			return true
		}
	}
	return false
}

// Of random networks, no box lies over another, and no line over a box.
func TestNothingOverlaps(t *testing.T) {
	for seed := range uint64(60) {
		boxes, lines := random(rand.New(rand.NewPCG(seed, 1)))
		p := layout.Lay(boxes, lines, room)
		for i := range p.Boxes {
			assert.GreaterOrEqual(t, p.Boxes[i].Width, boxes[i].Width)
			for j := range i {
				assert.False(t, overlap(p.Boxes[i], p.Boxes[j]), "seed %d: boxes %d and %d", seed, i, j)
			}
		}
		for n, l := range p.Lines {
			for k := 1; k < len(l.Points); k++ {
				for b := range p.Boxes {
					assert.False(t, hits(l.Points[k-1], l.Points[k], p.Boxes[b]), "seed %d: line %d and box %d", seed, n, b)
				}
			}
			for e, end := range l.Ends {
				b := p.Boxes[lines[n].Ends[e]]
				assert.True(t, end.At.X > b.X && end.At.X < b.X+b.Width, "it meets its box")
			}
		}
	}
}

// The same graph has the same places.
func TestTheSameGraphIsTheSamePicture(t *testing.T) {
	boxes, lines := random(rand.New(rand.NewPCG(5, 5)))
	assert.Equal(t, layout.Lay(boxes, lines, room), layout.Lay(boxes, lines, room))
}

// A tree and a ring have no lines that cross.
func TestTreesAndRingsDoNotCross(t *testing.T) {
	for _, closed := range []bool{false, true} {
		var boxes []layout.Box
		var lines []layout.Line
		for i := range 12 {
			boxes = append(boxes, layout.Box{Width: 80, Height: 40, Root: i == 0})
		}
		join := func(a, b int) {
			boxes = append(boxes, layout.Box{Width: 60, Height: 20})
			lines = append(lines, layout.Line{Ends: [2]int{a, len(boxes) - 1}}, layout.Line{Ends: [2]int{b, len(boxes) - 1}})
		}
		for i := 1; i < 12; i++ {
			if closed {
				join(i-1, i)
			} else {
				join((i-1)/2, i)
			}
		}
		if closed {
			join(11, 0)
		}
		assert.Zero(t, layout.Lay(boxes, lines, room).Crossings, "a ring: %v", closed)
	}
}

// hub is leaves of one or two hubs, each a site if so wanted.
func hub(hubs, leaves int, sites bool) ([]layout.Box, []layout.Line, layout.Options) {
	o := room
	var boxes []layout.Box
	var lines []layout.Line
	for h := range hubs {
		boxes = append(boxes, layout.Box{Width: 80, Height: 40, Root: h == 0})
	}
	join := func(a, b int) {
		boxes = append(boxes, layout.Box{Width: 60, Height: 20})
		lines = append(lines, layout.Line{Ends: [2]int{a, len(boxes) - 1}, Width: [2]float64{20, 0}, Height: [2]float64{12, 0}},
			layout.Line{Ends: [2]int{len(boxes) - 1, b}, Width: [2]float64{0, 20}})
	}
	for h := 1; h < hubs; h++ {
		join(h-1, h)
	}
	for l := range leaves {
		leaf := len(boxes)
		boxes = append(boxes, layout.Box{Width: 90, Height: 50 + float64(l%3)*20})
		if sites {
			o.Sites = append(o.Sites, layout.Title{Width: 50, Height: 30})
			boxes[leaf].Site = len(o.Sites)
		}
		for h := range hubs {
			join(h, leaf)
		}
	}
	return boxes, lines, o
}

// Many leaves of the same hubs stand in rows, as wide as they are high or so.
func TestLeavesOfHubsStandInRows(t *testing.T) {
	for _, hubs := range []int{1, 2, 3} {
		for _, sites := range []bool{false, true} {
			boxes, lines, o := hub(hubs, 40, sites)
			p := layout.Lay(boxes, lines, o)
			assert.LessOrEqual(t, p.Crossings, 40*hubs*(hubs-1)/2+hubs, "%d hubs, sites %v", hubs, sites)
			assert.Less(t, p.Width, 3*p.Height)
			assert.Less(t, p.Height, 3*p.Width)
			for i := range p.Boxes {
				for j := range i {
					assert.False(t, overlap(p.Boxes[i], p.Boxes[j]), "boxes %d and %d", i, j)
				}
			}
			for n, l := range p.Lines {
				assert.NotEmpty(t, l.Points)
				for k := 1; k < len(l.Points); k++ {
					for b := range p.Boxes {
						assert.False(t, hits(l.Points[k-1], l.Points[k], p.Boxes[b]), "line %d and box %d", n, b)
					}
				}
				last := l.Points[len(l.Points)-1]
				b := p.Boxes[lines[n].Ends[1]]
				assert.True(t, last.X > b.X-1 && last.X < b.X+b.Width+1 && last.Y > b.Y-1 && last.Y < b.Y+b.Height+1, "line %d ends at its box", n)
			}
		}
	}
}
