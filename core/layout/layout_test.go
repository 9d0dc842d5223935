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
