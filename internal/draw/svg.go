package draw

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"strings"

	"ropeswing/core/layout"
)

// look is how a class looks, on white and on black: the edge or letters, and the ground.
type look struct{ line, fill [2]string }

// looks are plain: ink on paper, one colour for each way of a path, one for what fails. What they
// say is said by shape or word too.
var looks = map[Class]look{
	Plain:   {[2]string{"#26323a", "#dfe6ea"}, [2]string{"#ffffff", "#1d252b"}},
	Quiet:   {[2]string{"#5b6870", "#9fb0ba"}, [2]string{"#eef2f4", "#28333a"}},
	Strong:  {[2]string{"#0d1a22", "#ffffff"}, [2]string{"#dce9f2", "#2b4152"}},
	There:   {[2]string{"#0b5c9c", "#6db8f2"}, [2]string{"#e3f0fb", "#173449"}},
	Back:    {[2]string{"#7a4a00", "#e6b25c"}, [2]string{"#fbf0dc", "#3b2c12"}},
	Bad:     {[2]string{"#b00020", "#ff8a96"}, [2]string{"#fde7ea", "#4a1c22"}},
	Good:    {[2]string{"#1d6b3a", "#7fd39d"}, [2]string{"#e2f3e8", "#1c3a28"}},
	Down:    {[2]string{"#8a949a", "#71808a"}, [2]string{"#f4f5f6", "#20262a"}},
	Paper:   {[2]string{"#ffffff", "#12181c"}, [2]string{"#ffffff", "#12181c"}},
	Kept:    {[2]string{"#6a5a8c", "#b9a8dd"}, [2]string{"#efeaf7", "#332a45"}},
	Outside: {[2]string{"#3c5a66", "#a8c8d4"}, [2]string{"#eaf3f6", "#22343b"}},
	Site:    {[2]string{"#c3ccd1", "#3d4a52"}, [2]string{"#f7f8f4", "#171f24"}},
}

// SVG is the picture as SVG: text as text, light or dark as the viewer's system has it.
func (s *Sheet) SVG() []byte { return s.svg("", "<style>\n"+Style("")+"</style>\n") }

// Inline is the picture as part of a page that has the Style; its name tells it from others there.
func (s *Sheet) Inline(name string) []byte { return s.svg(name+"-", "") }

// Style is the looks of all classes, of what is within a scope.
func Style(scope string) string {
	var b strings.Builder
	for _, r := range []string{
		"text{font:12px 'DejaVu Sans Mono','Liberation Mono','Courier New',ui-monospace,monospace;white-space:pre}", ".s{font-size:10px}",
		".b{font-weight:bold}", ".m{text-anchor:middle}",
	} {
		b.WriteString(scope + r)
	}
	b.WriteString("\n")
	for dark := range 2 {
		if dark == 1 {
			b.WriteString("@media screen and (prefers-color-scheme:dark){")
		}
		for c := Plain; c <= Site; c++ {
			l := looks[c]
			fmt.Fprintf(&b, "%s.r%d{fill:%s;stroke:%s}%s.l%d{fill:none;stroke:%s}%s.t%d{fill:%s}%s.a%d{fill:%s}", scope, c, l.fill[dark],
				l.line[dark], scope, c, l.line[dark], scope, c, l.line[dark], scope, c, l.line[dark])
		}
		if dark == 1 {
			b.WriteString("}")
		}
		b.WriteString("\n")
	}
	return b.String()
}

func (s *Sheet) svg(prefix, style string) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %s %s" width="%s" height="%s" `+
		`role="img" aria-labelledby="%stitle %sabout">`+
		"\n", num(s.Width), num(s.Height), num(s.Width), num(s.Height), prefix, prefix)
	fmt.Fprintf(&b, "<title id=\"%stitle\">%s</title>\n<desc id=\"%sabout\">%s</desc>\n%s", prefix, escaped(s.Title), prefix,
		escaped(s.About), style)
	fmt.Fprintf(&b, `<rect class="r%d" width="%s" height="%s" style="stroke:none"/>`+"\n", Paper, num(s.Width), num(s.Height))
	for _, r := range s.Frames {
		r.svg(&b)
	}
	for _, l := range s.Lines {
		var points []string
		for _, p := range l.Points {
			points = append(points, num(p.X)+","+num(p.Y))
		}
		dash := ""
		if l.Dashed {
			dash = ` stroke-dasharray="6 4"`
		}
		fmt.Fprintf(&b, `<polyline class="l%d" points="%s" stroke-width="%s" stroke-linejoin="round"%s%s/>`+"\n", l.Class,
			strings.Join(points, " "), num(l.Thick), dash, named(l.Names))
		if l.Arrow {
			tip := arrow(l.Points)
			fmt.Fprintf(&b, `<polygon class="a%d" points="%s,%s %s,%s %s,%s"/>`+"\n", l.Class, num(tip[0].X), num(tip[0].Y), num(tip[1].X),
				num(tip[1].Y), num(tip[2].X), num(tip[2].Y))
		}
	}
	for _, r := range s.Rects {
		r.svg(&b)
	}
	for _, t := range s.Texts {
		class := fmt.Sprintf("t%d", t.Class)
		if t.Small {
			class += " s"
		}
		if t.Bold {
			class += " b"
		}
		if t.Middle {
			class += " m"
		}
		fmt.Fprintf(&b, `<text class="%s" x="%s" y="%s">%s</text>`+"\n", class, num(t.X), num(t.Y), escaped(t.Text))
	}
	b.WriteString("</svg>\n")
	return b.Bytes()
}

func (r *Rect) svg(b *bytes.Buffer) {
	dash, fill := "", ""
	if r.Dashed {
		dash = ` stroke-dasharray="5 3"`
	}
	if r.Empty {
		fill = ` style="fill:none"`
	}
	fmt.Fprintf(b, `<rect class="r%d" x="%s" y="%s" width="%s" height="%s" rx="%s"%s%s%s/>`+"\n", r.Class, num(r.X), num(r.Y), num(r.W),
		num(r.H), num(r.Round), dash, fill, named(append([]string{r.Name}, r.Holds...)))
}

// named says of what a shape is; names have no spaces in them.
func named(names []string) string {
	var all []string
	for _, n := range names {
		if n != "" { // a cable may be called by its ends, with spaces between
			all = append(all, strings.ReplaceAll(n, " ", "\u00a0"))
		}
	}
	if len(all) == 0 {
		return ""
	}
	return ` data-of="` + escaped(strings.Join(all, " ")) + `"`
}

// escaped is text that is never markup; what no XML may hold is left out.
func escaped(s string) string {
	var b bytes.Buffer
	_ = xml.EscapeText(&b, []byte(strings.Map(func(c rune) rune {
		if c < ' ' || c == 0x7f || c >= 0xfffe && c <= 0xffff {
			return -1
		}
		return c
	}, s)))
	return b.String()
}

func num(x float64) string {
	return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.1f", x), "0"), ".")
}

// arrow is the head at the end of a line.
func arrow(points []layout.Point) [3]layout.Point {
	const long, broad = 9.0, 4.5
	tip := points[len(points)-1]
	from := points[max(0, len(points)-2)]
	dx, dy := tip.X-from.X, tip.Y-from.Y
	if n := hypot(dx, dy); n > 0 {
		dx, dy = dx/n, dy/n
	} else {
		dy = 1
	}
	foot := layout.Point{X: tip.X - long*dx, Y: tip.Y - long*dy}
	return [3]layout.Point{tip, {X: foot.X - broad*dy, Y: foot.Y + broad*dx}, {X: foot.X + broad*dy, Y: foot.Y - broad*dx}}
}
