package draw

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"
	"strconv"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/gofont/gomonobold"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"

	"ropeswing/core/layout"
)

func hypot(a, b float64) float64 { return math.Hypot(a, b) }

// scale is how many dots one unit of the sheet is, so that small letters are read.
const scale = 2.0

// mostDots is how many dots a picture has at most, as many as readers of pictures take without
// asking.
const mostDots = 40e6

// painter paints a sheet dot by dot.
type painter struct {
	to    *image.RGBA
	by    float64
	faces map[[2]bool]font.Face
}

// PNG is the picture as PNG, light.
func (s *Sheet) PNG() ([]byte, error) {
	by := min(scale, math.Sqrt(mostDots/(s.Width*s.Height)))
	p := &painter{to: image.NewRGBA(image.Rect(0, 0, int(s.Width*by), int(s.Height*by))), by: by, faces: map[[2]bool]font.Face{}}
	for _, bold := range []bool{false, true} {
		ttf := gomono.TTF
		if bold {
			ttf = gomonobold.TTF
		}
		parsed, err := opentype.Parse(ttf)
		if err != nil {
			return nil, err
		}
		for _, small := range []bool{false, true} {
			size := fontSize
			if small {
				size = smallSize
			}
			face, err := opentype.NewFace(parsed, &opentype.FaceOptions{Size: size * by, DPI: 72, Hinting: font.HintingNone})
			if err != nil {
				return nil, err
			}
			p.faces[[2]bool{bold, small}] = face
		}
	}
	draw.Draw(p.to, p.to.Bounds(), image.NewUniform(colour(looks[Paper].fill[0])), image.Point{}, draw.Src)
	p.rects(s.Frames)
	for _, l := range s.Lines {
		p.line(l.Points, colour(looks[l.Class].line[0]), l.Thick, l.Dashed)
		if l.Arrow {
			tip := arrow(l.Points)
			p.fill(tip[:], colour(looks[l.Class].line[0]))
		}
	}
	p.rects(s.Rects)
	for _, t := range s.Texts {
		x := t.X
		if t.Middle {
			x -= wide(t.Text, t.Small) / 2
		}
		d := font.Drawer{Dst: p.to, Src: image.NewUniform(colour(looks[t.Class].line[0])), Face: p.faces[[2]bool{t.Bold, t.Small}],
			Dot: fixed.Point26_6{X: fixed.Int26_6(x * p.by * 64), Y: fixed.Int26_6(t.Y * p.by * 64)}}
		d.DrawString(t.Text)
	}
	var b bytes.Buffer
	err := png.Encode(&b, p.to)
	return b.Bytes(), err
}

func (p *painter) rects(all []Rect) {
	for _, r := range all {
		corners := rounded(r)
		if !r.Empty {
			p.fill(corners, colour(looks[r.Class].fill[0]))
		}
		p.line(append(corners, corners[0]), colour(looks[r.Class].line[0]), 1, r.Dashed)
	}
}

func colour(hex string) color.RGBA {
	n, _ := strconv.ParseUint(hex[1:], 16, 32)
	return color.RGBA{uint8(n >> 16), uint8(n >> 8), uint8(n), 255}
}

// fill fills a shape.
func (p *painter) fill(points []layout.Point, c color.Color) {
	left, top, right, bottom := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, q := range points {
		left, right, top, bottom = min(left, q.X), max(right, q.X), min(top, q.Y), max(bottom, q.Y)
	}
	x, y := int(left*p.by)-1, int(top*p.by)-1
	w, h := int(right*p.by)+2-x, int(bottom*p.by)+2-y
	if w <= 0 || h <= 0 {
		return
	}
	r := vector.NewRasterizer(w, h)
	for i, q := range points {
		qx, qy := float32(q.X*p.by)-float32(x), float32(q.Y*p.by)-float32(y)
		if i == 0 {
			r.MoveTo(qx, qy)
		} else {
			r.LineTo(qx, qy)
		}
	}
	r.ClosePath()
	r.Draw(p.to, image.Rect(x, y, x+w, y+h), image.NewUniform(c), image.Point{})
}

// line draws a line of some thickness, piece by piece.
func (p *painter) line(points []layout.Point, c color.Color, thick float64, dashed bool) {
	const on, off = 6.0, 4.0
	at := 0.0
	for i := 1; i < len(points); i++ {
		a, b := points[i-1], points[i]
		long := hypot(b.X-a.X, b.Y-a.Y)
		if long == 0 {
			continue
		}
		dx, dy := (b.X-a.X)/long, (b.Y-a.Y)/long
		piece := func(from, to float64) {
			n := layout.Point{X: -dy * thick / 2, Y: dx * thick / 2}
			q := layout.Point{X: a.X + dx*from, Y: a.Y + dy*from}
			r := layout.Point{X: a.X + dx*to, Y: a.Y + dy*to}
			p.fill([]layout.Point{{X: q.X + n.X, Y: q.Y + n.Y}, {X: r.X + n.X, Y: r.Y + n.Y}, {X: r.X - n.X, Y: r.Y - n.Y},
				{X: q.X - n.X, Y: q.Y - n.Y}}, c)
		}
		if !dashed {
			piece(0, min(long+thick/4, long+0.5))
			continue
		}
		for from := 0.0; from < long; {
			phase := math.Mod(at+from, on+off)
			step := on + off - phase
			if phase < on {
				step = on - phase
				piece(from, min(long, from+step))
			}
			from += step
		}
		at += long
	}
}

// rounded is the outline of a box.
func rounded(r Rect) []layout.Point {
	if r.Round <= 0 {
		return []layout.Point{{X: r.X, Y: r.Y}, {X: r.X + r.W, Y: r.Y}, {X: r.X + r.W, Y: r.Y + r.H}, {X: r.X, Y: r.Y + r.H}}
	}
	var all []layout.Point
	k := min(r.Round, r.W/2, r.H/2)
	for corner, at := range []layout.Point{{X: r.X + r.W - k, Y: r.Y + k}, {X: r.X + r.W - k, Y: r.Y + r.H - k},
		{X: r.X + k, Y: r.Y + r.H - k}, {X: r.X + k, Y: r.Y + k}} {
		for i := range 7 {
			angle := math.Pi/2*float64(corner-1) + math.Pi/2*float64(i)/6
			all = append(all, layout.Point{X: at.X + k*math.Cos(angle), Y: at.Y + k*math.Sin(angle)})
		}
	}
	return all
}

// PDF is the picture as PDF, on one page of its size: a PNG would not print as sharp.
func (s *Sheet) PDF() ([]byte, error) {
	var c bytes.Buffer
	y := func(v float64) string { return num(s.Height - v) }
	rgb := func(hex, op string) string {
		q := colour(hex)
		return fmt.Sprintf("%.3f %.3f %.3f %s\n", float64(q.R)/255, float64(q.G)/255, float64(q.B)/255, op)
	}
	rects := func(all []Rect) {
		for _, r := range all {
			c.WriteString(rgb(looks[r.Class].line[0], "RG") + rgb(looks[r.Class].fill[0], "rg") + "1 w\n")
			dash(&c, r.Dashed)
			for i, p := range rounded(r) {
				op := "l"
				if i == 0 {
					op = "m"
				}
				fmt.Fprintf(&c, "%s %s %s\n", num(p.X), y(p.Y), op)
			}
			if r.Empty {
				c.WriteString("h S\n")
			} else {
				c.WriteString("h B\n")
			}
		}
	}
	rects(s.Frames)
	for _, l := range s.Lines {
		c.WriteString(rgb(looks[l.Class].line[0], "RG") + num(l.Thick) + " w\n")
		dash(&c, l.Dashed)
		for i, p := range l.Points {
			op := "l"
			if i == 0 {
				op = "m"
			}
			fmt.Fprintf(&c, "%s %s %s\n", num(p.X), y(p.Y), op)
		}
		c.WriteString("S\n")
		if l.Arrow {
			c.WriteString(rgb(looks[l.Class].line[0], "rg"))
			tip := arrow(l.Points)
			fmt.Fprintf(&c, "%s %s m %s %s l %s %s l h f\n", num(tip[0].X), y(tip[0].Y), num(tip[1].X), y(tip[1].Y), num(tip[2].X), y(tip[2].Y))
		}
	}
	rects(s.Rects)
	for _, t := range s.Texts {
		size, name, x := fontSize, "F1", t.X
		if t.Small {
			size = smallSize
		}
		if t.Bold {
			name = "F2"
		}
		if t.Middle {
			x -= wide(t.Text, t.Small) / 2
		}
		fmt.Fprintf(&c, "%sBT /%s %s Tf %s %s Td (%s) Tj ET\n", rgb(looks[t.Class].line[0], "rg"), name, num(size), num(x), y(t.Y),
			latin(t.Text))
	}
	return pdfOf(s, c.Bytes()), nil
}

func dash(c *bytes.Buffer, dashed bool) {
	if dashed {
		c.WriteString("[6 4] 0 d\n")
	} else {
		c.WriteString("[] 0 d\n")
	}
}

// latin is text in the letters of the standard fonts (ISO 32000-1, annex D), the others as
// question marks.
func latin(text string) string {
	var b bytes.Buffer
	others := map[rune]byte{'…': 0x85, '–': 0x96, '·': 0xb7, '→': '>', '←': '<'}
	for _, r := range text {
		switch {
		case r == '(' || r == ')' || r == '\\':
			b.WriteByte('\\')
			b.WriteByte(byte(r))
		case r >= ' ' && r < 0x7f, r >= 0xa0 && r <= 0xff:
			b.WriteByte(byte(r))
		case others[r] != 0:
			b.WriteByte(others[r])
		default:
			b.WriteByte('?')
		}
	}
	return b.String()
}

// pdfOf is a file of one page (ISO 32000-1) with a content and the standard fonts, which every
// reader has.
func pdfOf(s *Sheet, content []byte) []byte {
	var b bytes.Buffer
	var at []int
	object := func(body string) {
		at = append(at, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", len(at), body)
	}
	b.WriteString("%PDF-1.4\n%\xe2\xe3\xcf\xd3\n")
	object("<< /Type /Catalog /Pages 2 0 R /ViewerPreferences << /DisplayDocTitle true >> >>")
	object("<< /Type /Pages /Kids [3 0 R] /Count 1 >>")
	object(fmt.Sprintf("<< /Type /Page /Parent 2 0 R /MediaBox [0 0 %s %s] /Contents 4 0 R /Resources << /Font << /F1 5 0 R /F2 6 0 R >> "+
		">> >>", num(s.Width), num(s.Height)))
	at = append(at, b.Len())
	fmt.Fprintf(&b, "4 0 obj\n<< /Length %d >>\nstream\n", len(content))
	b.Write(content)
	b.WriteString("\nendstream\nendobj\n")
	for _, name := range []string{"Courier", "Courier-Bold"} {
		object("<< /Type /Font /Subtype /Type1 /BaseFont /" + name + " /Encoding /WinAnsiEncoding >>")
	}
	object("<< /Title (" + latin(s.Title) + ") /Subject (" + latin(s.About) + ") >>")
	start := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(at)+1)
	for _, o := range at {
		fmt.Fprintf(&b, "%010d 00000 n \n", o)
	}
	fmt.Fprintf(&b, "trailer\n<< /Size %d /Root 1 0 R /Info %d 0 R >>\nstartxref\n%d\n%%%%EOF\n", len(at)+1, len(at), start)
	return b.Bytes()
}
