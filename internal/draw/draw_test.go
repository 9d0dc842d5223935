package draw_test

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"image/png"
	"io"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/workspace"
	"ropeswing/demo"
	"ropeswing/internal/draw"
)

func lights(t *testing.T) *forward.Network {
	t.Helper()
	w := workspace.Open(demo.Files(), demo.Plan, demo.Plan)
	require.True(t, w.Usable())
	return w.Predict().Network
}

// pictures are all pictures of a network.
func pictures(net *forward.Network) map[string]*draw.Sheet {
	asked := draw.Asked{Title: "A picture", About: "x"}
	all := map[string]*draw.Sheet{
		"wires": draw.Wires(net, asked, nil), "subnets": draw.Subnets(net, asked), "blocks": draw.Blocks(net.Spec, asked),
		"vlan": draw.VLAN(net, 110, asked),
	}
	for d := range net.Spec.Devices {
		if ports := net.Spec.InterfacesOf(model.DeviceID(d)); len(ports) > 4 {
			all["ports"] = draw.Ports(net, nil, model.DeviceID(d), asked)
			all["ports as found"] = draw.Ports(net, net, model.DeviceID(d), asked)
		}
	}
	var from, to model.DeviceID = 0, model.DeviceID(len(net.Spec.Devices) - 1)
	if a := net.Spec.MainAddress(to, 0); a.IsValid() {
		all["path"] = draw.Path(net, forward.Ping(net, from, netip.Addr{}, a, model.None), asked)
	}
	return all
}

// text is the room that a text takes.
func room(x draw.Text) (left, top, right, bottom float64) {
	size := 12.0
	if x.Small {
		size = 10
	}
	w := float64(len([]rune(x.Text))) * size * 0.6
	left = x.X
	if x.Middle {
		left -= w / 2
	}
	return left, x.Y - size*0.75, left + w, x.Y + size*0.2
}

// inFrames wants frames side by side, each box wholly in one or wholly outside.
func inFrames(t *testing.T, name string, s *draw.Sheet) {
	t.Helper()
	meet := func(a, b draw.Rect) bool { return a.X < b.X+b.W && b.X < a.X+a.W && a.Y < b.Y+b.H && b.Y < a.Y+a.H }
	for i, f := range s.Frames {
		for _, o := range s.Frames[:i] {
			assert.False(t, meet(f, o), "%s: the frames %s and %s overlap", name, f.Name, o.Name)
		}
		for _, r := range s.Rects {
			within := r.X >= f.X && r.Y >= f.Y && r.X+r.W <= f.X+f.W && r.Y+r.H <= f.Y+f.H
			assert.True(t, within || !meet(f, r), "%s: %s lies over the frame of %s", name, r.Name, f.Name)
		}
	}
}

// overlaps counts texts that lie over another, or over the edge of a box, or over a line.
func overlaps(t *testing.T, name string, s *draw.Sheet) {
	t.Helper()
	inFrames(t, name, s)
	for i, a := range s.Texts {
		l, top, r, b := room(a)
		assert.True(t, l >= -1 && r <= s.Width+1 && b <= s.Height+1, "%s: %q is within the sheet", name, a.Text)
		for _, o := range s.Texts[:i] {
			ol, ot, or, ob := room(o)
			if l < or && ol < r && top < ob && ot < b {
				assert.Fail(t, "texts overlap", "%s: %q and %q", name, a.Text, o.Text)
			}
		}
		for _, x := range s.Rects {
			over := l < x.X+x.W && x.X < r && top < x.Y+x.H && x.Y < b
			inside := l >= x.X-1 && r <= x.X+x.W+1 && top >= x.Y-1 && b <= x.Y+x.H+1
			if over && !inside {
				assert.Fail(t, "a text lies over an edge", "%s: %q, of %s", name, a.Text, x.Name)
			}
		}
		for _, line := range s.Lines {
			for k := 1; k < len(line.Points); k++ {
				p, q := line.Points[k-1], line.Points[k]
				if max(p.X, q.X) < l || min(p.X, q.X) > r || max(p.Y, q.Y) < top || min(p.Y, q.Y) > b {
					continue
				}
				for n := 1; n < 30; n++ {
					x, y := p.X+(q.X-p.X)*float64(n)/30, p.Y+(q.Y-p.Y)*float64(n)/30
					if x > l && x < r && y > top && y < b {
						assert.Fail(t, "a line goes through a text", "%s: %q", name, a.Text)
					}
				}
			}
		}
	}
}

// On the demo and on 50 random networks nothing that is written lies over anything else.
func TestNothingLiesOverWhatIsWritten(t *testing.T) {
	t.Parallel()
	nets := map[string]*forward.Network{"lights": lights(t)}
	for seed := range uint64(25) {
		r := rand.New(rand.NewPCG(seed, 9))
		spec, net, _ := derive.Resolve(coretest.Spec(t, coretest.RandomNetwork(r, "{}")))
		nets[fmt.Sprint("random ", seed)] = net
		_ = spec
		shape := coretest.Chords(r, 4+r.IntN(40), r.IntN(40))
		_, net, _ = derive.Resolve(coretest.Spec(t, shape.Plan(1+r.IntN(2), nil, "{}")))
		nets[fmt.Sprint("mesh ", seed)] = net
	}
	for name, net := range nets {
		for picture, s := range pictures(net) {
			overlaps(t, name+", "+picture, s)
		}
	}
}

// Each form is whole: SVG is well-formed and has the texts as text, PNG is read again, PDF has its
// beginning and end; the same plan makes the same bytes.
func TestForms(t *testing.T) {
	t.Parallel()
	for name, s := range pictures(lights(t)) {
		svg := s.SVG()
		d := xml.NewDecoder(bytes.NewReader(svg))
		texts := 0
		for {
			token, err := d.Token()
			if errors.Is(err, io.EOF) {
				break
			}
			require.NoError(t, err, name)
			if e, ok := token.(xml.StartElement); ok && e.Name.Local == "text" {
				texts++
			}
		}
		assert.Equal(t, len(s.Texts), texts, name)
		text, err := s.PNG()
		require.NoError(t, err)
		img, err := png.Decode(bytes.NewReader(text))
		require.NoError(t, err)
		assert.InDelta(t, s.Width*2, float64(img.Bounds().Dx()), 1)
		pdf, err := s.PDF()
		require.NoError(t, err)
		assert.True(t, bytes.HasPrefix(pdf, []byte("%PDF-1.4")) && bytes.HasSuffix(pdf, []byte("%%EOF\n")))
	}
	a, b := pictures(lights(t)), pictures(lights(t))
	for name := range a {
		assert.Equal(t, string(a[name].SVG()), string(b[name].SVG()), name)
	}
}

// Names are text, whatever stands in them.
func TestHostileNamesAreText(t *testing.T) {
	t.Parallel()
	s := &draw.Sheet{Title: `<script>alert(1)</script>`, About: `"&'`, Texts: []draw.Text{{Text: "</text><script>\x1b[31m"}},
		Rects: []draw.Rect{{Name: `"><script>`}}}
	svg := string(s.SVG())
	assert.NotContains(t, svg, "<script>")
	assert.NotContains(t, svg, "\x1b")
	require.NoError(t, xml.Unmarshal([]byte(svg), new(struct{})))
	pdf, err := (&draw.Sheet{Title: `a) /JS (x`, Texts: []draw.Text{{Text: `)\ Tj`}}}).PDF()
	require.NoError(t, err)
	assert.Contains(t, string(pdf), `(\)\\ Tj)`)
	assert.Contains(t, string(pdf), `(a\) /JS \(x)`)
}

// What is cut looks it, in word and in shape.
func TestWhatIsDownLooksIt(t *testing.T) {
	t.Parallel()
	net := lights(t)
	c, ok := net.Spec.CableNamed("beam-a")
	require.True(t, ok)
	f := network.NoFailure
	f.Cable = c
	s := draw.Wires(net.Update(net.State.With(f)), draw.Asked{Title: "x"}, nil)
	var said bool
	for _, x := range s.Texts {
		said = said || strings.HasPrefix(x.Text, "down:")
	}
	assert.True(t, said)
	for _, l := range s.Lines {
		if slices.Contains(l.Names, "beam-a") {
			assert.True(t, l.Dashed)
		}
	}
}

// A switch full of hosts takes a few rows, and none that is down hides among them.
func TestManyHostsShareRows(t *testing.T) {
	t.Parallel()
	net := coretest.Network(t, `
segments:
  staff:  {prefix: 192.0.2.0/25, vlan: 10}
  phones: {prefix: 192.0.2.128/25, vlan: 20}
devices:
  sw: {is: switch, interfaces: {p1..p30: {access: staff}, p31..p48: {access: phones}}}
  pc-(1..30): {is: host, at: "sw:p(n)", address: "(n+9)"}
  phone-(31..48): {is: host, at: "sw:p(n)", address: "(n-21)"}
`)
	f := network.NoFailure
	f.Device = coretest.Device(t, net.Spec, "pc-12")
	s := draw.Wires(net.Update(net.State.With(f)), draw.Asked{Title: "x"}, nil)
	var rows []string
	for _, x := range s.Texts {
		if strings.HasPrefix(x.Text, "p") {
			rows = append(rows, x.Text)
		}
	}
	assert.Equal(t, []string{"p1 … p11: 11 hosts, staff", "p12: pc-12 (down)", "p13 … p30: 18 hosts, staff", "p31 … p48: 18 hosts, phones"},
		rows)
}

// Shapes that people build: nothing overlaps, and hardly anything crosses.
func TestShapesAreDrawnWell(t *testing.T) {
	t.Parallel()
	for name, x := range map[string]struct {
		shape coretest.Shape
		most  int // lines that cross
	}{
		"ring": {coretest.Ring(12), 0}, "hub": {coretest.Hub(30), 0}, "two hubs": {coretest.DualHub(20), 25},
		"grid": {coretest.Grid(4, 4), 2}, "rings, folded": {coretest.RingOfRings(8, 9), 6},
	} {
		net := coretest.Network(t, x.shape.Plan(2, []int{0}, "{}"))
		for kind, s := range map[string]*draw.Sheet{"wires": draw.Wires(net, draw.Asked{Title: name}, nil),
			"subnets": draw.Subnets(net, draw.Asked{Title: name})} {
			assert.LessOrEqual(t, s.Crossings, x.most, "%s of %s", kind, name)
			overlaps(t, name+", "+kind, s)
		}
	}
}

// Letters draw each device once with its name, and each cable once.
func TestPicturesOfLetters(t *testing.T) {
	t.Parallel()
	net := lights(t)
	lines, err := draw.WiresText(net, draw.Asked{})
	require.NoError(t, err)
	text := strings.Join(lines, "\n")
	for d := range net.Spec.Devices {
		assert.Contains(t, text, net.Spec.Devices[d].Name)
	}
	for c := range net.Spec.Cables {
		if name := net.Spec.Cables[c].Name; !strings.Contains(name, " to ") {
			assert.Equal(t, 1, strings.Count(text, "── "+name), name)
		}
	}
	big := coretest.Network(t, coretest.Hub(50).Plan(1, nil, "{}"))
	_, err = draw.WiresText(big, draw.Asked{})
	assert.ErrorIs(t, err, draw.ErrTooManyForText)
	lines, err = draw.WiresText(big, draw.Asked{Devices: []model.DeviceID{3}})
	require.NoError(t, err)
	assert.Len(t, lines, 2, "one leaf and its hub")
}

// A path among many shows itself: who is next to it is told in its boxes, and the rest is counted. What mends a path that fails stands in
// the picture; two paths of one question show the same devices.
func TestAPathAmongManyShowsItself(t *testing.T) {
	net := coretest.Network(t, `
segments:
  core: {prefix: 10.80.0.0/24}
  shop-(01..20): {prefix: 10.80.(n).0/24}
  west-(01..20): {prefix: 10.81.(n).0/30}
devices:
  hub: {is: router, interfaces: {lan: {segment: core, address: 1}, s(01..20): {segment: west-(n), address: 1}}, routes: {10.80.7.0/24: 10.81.7.2}}
  rtr-(01..20): {is: router, interfaces: {w: {segment: west-(n), address: 2}, lan: {segment: shop-(n), address: 1}}, routes: {default: hub}}
  till-07: {is: host, interfaces: {e: {segment: shop-07, address: 10}}, gateway: rtr-07}
  ops: {is: host, interfaces: {e: {segment: core, address: 10}}, gateway: hub}
`)
	from, _ := net.Spec.DeviceNamed("till-07")
	to, _ := net.Spec.DeviceNamed("ops")
	x := forward.Ping(net, from, netip.Addr{}, net.Spec.MainAddress(to, 0), model.None)
	hub, _ := net.Spec.DeviceNamed("hub")
	other, _ := net.Spec.DeviceNamed("rtr-12")
	texts := func(asked draw.Asked) string {
		all := ""
		s := draw.Path(net, x, asked)
		overlaps(t, "path", s)
		for _, x := range s.Texts {
			all += x.Text + "\n"
		}
		return all
	}
	said := texts(draw.Asked{Title: "x", About: "y"})
	assert.Contains(t, said, "19 devices beside the path folded")
	assert.Contains(t, said, "beside: rtr-01, rtr-02, rtr-03 and 16 more")
	assert.NotContains(t, said, "west-12")
	assert.Contains(t, said, "west-07")
	whole := texts(draw.Asked{Title: "x", About: "y", Whole: true})
	assert.Contains(t, whole, "west-12")
	kept := texts(draw.Asked{Title: "x", About: "y", Keep: []model.DeviceID{hub, other}})
	assert.Contains(t, kept, "west-12", "what joins it with the path is there too")
	assert.Contains(t, kept, "18 devices beside the path folded")
	x = forward.Ping(net, from, netip.Addr{}, netip.MustParseAddr("10.80.0.77"), model.None)
	assert.Contains(t, texts(draw.Asked{Title: "x", About: "y", Remedies: []string{"give somebody 10.80.0.77"}}), "remedy: give somebody 10.80.0.77")
}
