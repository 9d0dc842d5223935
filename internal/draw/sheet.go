// Package draw puts networks into pictures: devices and cables, routers and subnets, a path, what
// failures take, address space. A picture is a sheet of plain shapes, which is written as SVG, PNG
// or PDF.
package draw

import (
	"math"

	"github.com/clipperhouse/displaywidth"

	"ropeswing/core/layout"
)

// Class is what a shape stands for; it decides how the shape looks.
type Class uint8

const (
	Plain   Class = iota
	Quiet         // of second rank
	Strong        // what the picture is about
	There         // the forward path
	Back          // the return path
	Bad           // what fails
	Good          // what has another path, or is in use
	Down          // switched off, or out of order
	Paper         // the ground
	Kept          // kept back, or retired
	Outside       // the world beyond
	Site          // what stands together
)

// Rect is a box.
type Rect struct {
	X, Y, W, H float64
	Class      Class
	Round      float64 // of its corners
	Dashed     bool
	Empty      bool     // only its edge
	Name       string   // what it is of: it can be found by that
	Holds      []string // what else is told in it
}

// Line is a line through points.
type Line struct {
	Points []layout.Point
	Class  Class
	Thick  float64
	Dashed bool
	Arrow  bool
	Names  []string // what it joins, and what it is
}

// Text is one line of text; X is its left end, or its middle.
type Text struct {
	X, Y   float64 // Y is its base line
	Text   string
	Class  Class
	Bold   bool
	Middle bool
	Small  bool
}

// Sheet is a picture.
type Sheet struct {
	Title, About  string
	Width, Height float64
	Frames        []Rect // of sites, behind all else
	Rects         []Rect
	Lines         []Line
	Texts         []Text
	Crossings     int
}

// Reword puts other words for all that is written in the sheet, and for the names its shapes are found by.
func (s *Sheet) Reword(words func(string) string) {
	s.Title, s.About = words(s.Title), words(s.About)
	for _, rects := range [][]Rect{s.Frames, s.Rects} {
		for i := range rects {
			rects[i].Name = words(rects[i].Name)
			for k := range rects[i].Holds {
				rects[i].Holds[k] = words(rects[i].Holds[k])
			}
		}
	}
	for i := range s.Lines {
		for k := range s.Lines[i].Names {
			s.Lines[i].Names[k] = words(s.Lines[i].Names[k])
		}
	}
	for i := range s.Texts {
		s.Texts[i].Text = words(s.Texts[i].Text)
	}
}

// Sizes of text: the font has one width for all letters, so that what is measured is so.
const (
	fontSize  = 12.0
	smallSize = 10.0
	advance   = 0.6 // of the size: the width of a letter
	lineStep  = 16.0
	pad       = 8.0
)

// wide is how wide a text is.
func wide(text string, small bool) float64 {
	size := fontSize
	if small {
		size = smallSize
	}
	return float64(displaywidth.String(text)) * size * advance
}

// shift moves all of the sheet, and gives it its size with a margin around.
func (s *Sheet) fit(width, height float64) {
	const margin = 24.0
	const head = 44.0
	for _, rects := range [][]Rect{s.Frames, s.Rects} {
		for i := range rects {
			rects[i].X += margin
			rects[i].Y += margin + head
		}
	}
	for i := range s.Lines {
		for k := range s.Lines[i].Points {
			s.Lines[i].Points[k].X += margin
			s.Lines[i].Points[k].Y += margin + head
		}
	}
	for i := range s.Texts {
		s.Texts[i].X += margin
		s.Texts[i].Y += margin + head
	}
	s.Width = math.Ceil(max(width+2*margin, wide(s.Title, false)*1.35+2*margin, wide(s.About, false)+2*margin))
	s.Height = math.Ceil(height + 2*margin + head)
	s.Texts = append(s.Texts, Text{X: margin, Y: margin + 10, Text: s.Title, Class: Strong, Bold: true},
		Text{X: margin, Y: margin + 28, Text: s.About, Class: Quiet})
}

// row is one line of text in a box.
type row struct {
	text  string
	class Class
	bold  bool
}

// box is a box with text in it, before it has a place.
type box struct {
	name   string
	holds  []string // what else is told in it, by name
	rows   []row
	class  Class
	round  float64
	dashed bool
}

// stripHeight is the room in a box for what is written at the end of a line.
const stripHeight = 13.0

// size is how large it has to be.
func (b *box) size() (w, h float64) {
	for _, r := range b.rows {
		text := wide(r.text, false)
		if r.bold {
			text *= 1.02
		}
		w = max(w, text+2*pad)
	}
	return w, float64(len(b.rows))*lineStep + pad
}

// put puts a box into its place.
func (s *Sheet) put(b *box, at layout.Placed) {
	s.Rects = append(s.Rects, Rect{X: at.X, Y: at.Y, W: at.Width, H: at.Height, Class: b.class, Round: b.round, Dashed: b.dashed,
		Name: b.name, Holds: b.holds})
	y := at.Y + at.Top + pad/2 + 12
	for i, r := range b.rows {
		t := Text{X: at.X + pad, Y: y + float64(i)*lineStep, Text: r.text, Class: r.class, Bold: r.bold}
		if i == 0 {
			t.X, t.Middle = at.X+at.Width/2, true
		}
		s.Texts = append(s.Texts, t)
	}
}

// wire is a line with what is written at its ends.
type wire struct {
	ends   [2]int // boxes
	labels [2]string
	class  Class
	thick  float64
	dashed bool
	arrow  bool
}

// frame is what is written on the frame of a site, and which boxes stand in it.
type frame struct {
	rows  []row
	boxes []int
}

// graph is what is to be laid out.
type graph struct {
	boxes  []box
	wires  []wire
	roots  map[int]bool
	frames []frame
}

// graph draws boxes and wires, laid out.
func (s *Sheet) graph(g *graph) {
	o := layout.Options{MostWidth: 1500, Gap: 26, Rows: 46}
	site := make([]int, len(g.boxes))
	for k, f := range g.frames {
		title := layout.Title{Height: float64(len(f.rows)) * lineStep}
		for _, r := range f.rows {
			title.Width = max(title.Width, wide(r.text, false)*1.02)
		}
		o.Sites = append(o.Sites, title)
		for _, b := range f.boxes {
			site[b] = k + 1
		}
	}
	var all []layout.Box
	for i := range g.boxes {
		w, h := g.boxes[i].size()
		all = append(all, layout.Box{Width: w, Height: h, Root: g.roots[i], Order: i, Site: site[i]})
	}
	var lines []layout.Line
	for _, w := range g.wires {
		l := layout.Line{Ends: w.ends}
		for e := range w.ends {
			l.Width[e] = 8
			if w.labels[e] != "" {
				l.Width[e], l.Height[e] = wide(w.labels[e], true)+8, stripHeight
			}
		}
		lines = append(lines, l)
	}
	p := layout.Lay(all, lines, o)
	for k, f := range g.frames {
		at := p.Sites[k]
		s.Frames = append(s.Frames, Rect{X: at.X, Y: at.Y, W: at.Width, H: at.Height, Class: Site, Round: 12, Name: f.rows[0].text})
		for i, r := range f.rows {
			s.Texts = append(s.Texts, Text{X: p.Titles[k].X, Y: p.Titles[k].Y + 12 + float64(i)*lineStep, Text: r.text, Class: r.class,
				Bold: r.bold})
		}
	}
	for n, w := range g.wires {
		s.Lines = append(s.Lines, Line{Points: p.Lines[n].Points, Class: w.class, Thick: max(1.2, w.thick), Dashed: w.dashed, Arrow: w.arrow,
			Names: []string{g.boxes[w.ends[0]].name, g.boxes[w.ends[1]].name}})
	}
	for i := range g.boxes {
		s.put(&g.boxes[i], p.Boxes[i])
	}
	for n, w := range g.wires {
		for e, label := range w.labels {
			if label == "" {
				continue
			}
			end := p.Lines[n].Ends[e]
			y := end.At.Y - 4
			if end.Top {
				y = end.At.Y + 11
			}
			s.Texts = append(s.Texts, Text{X: end.At.X, Y: y, Text: label, Class: Quiet, Middle: true, Small: true})
		}
	}
	s.Crossings = p.Crossings
	s.fit(p.Width, p.Height)
}
