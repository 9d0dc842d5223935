package draw

import (
	"fmt"
	"math/big"
	"net/netip"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// mapWidth is how wide the map of a block is.
const mapWidth = 1180.0

// Blocks is address space as a map to scale: a strip for each block, with what lies where; blocks
// within it stand below, each to a scale of its own.
func Blocks(spec *model.Spec, asked Asked) *Sheet {
	s := &Sheet{Title: asked.Title, About: asked.About}
	y := 0.0
	for _, u := range spec.BlockTree() {
		p := u.Prefix.Prefix
		indent := float64(u.Depth) * 28
		width := mapWidth - indent
		used := new(big.Float).Quo(new(big.Float).SetInt(u.Used), new(big.Float).SetInt(prefix.Addresses(p)))
		part, _ := used.Float64()
		head := fmt.Sprintf("%s  %s", spec.Blocks[u.Block].Name, p)
		s.Texts = append(s.Texts, Text{X: indent, Y: y + 12, Text: head, Class: Strong, Bold: true})
		note := fmt.Sprintf("%.1f %% in use", part*100)
		if u.Largest.IsValid() {
			note += fmt.Sprintf(", the largest free: %s", u.Largest) + room(spec, u)
		}
		s.Texts = append(s.Texts, Text{X: indent + wide(head, false)*1.02 + 16, Y: y + 12, Text: note, Class: Quiet})
		y += 18
		const high = 26.0
		s.Rects = append(s.Rects, Rect{X: indent, Y: y, W: width, H: high, Class: Paper, Name: spec.Blocks[u.Block].Name},
			Rect{X: indent, Y: y, W: width, H: high, Class: Quiet, Empty: true})
		var untold []string
		for _, x := range u.Stretches {
			class, name := stretchOf(spec, x)
			if x.Free {
				continue
			}
			left, w := placeOf(p, x.Prefix, width)
			w = max(w, 1.5) // what is too small to be seen to scale is a line
			s.Rects = append(s.Rects, Rect{X: indent + left, Y: y, W: w, H: high, Class: class, Name: name, Dashed: class == Kept})
			if wide(name, true)+6 <= w {
				s.Texts = append(s.Texts, Text{X: indent + left + w/2, Y: y + high/2 + 4, Text: name, Class: class, Small: true, Middle: true})
			} else if len(untold) < 24 {
				untold = append(untold, name)
			}
		}
		y += high + 4
		for _, line := range broken(strings.Join(untold, "  "), int((mapWidth-indent)/(smallSize*advance))) {
			if line == "" {
				continue
			}
			s.Texts = append(s.Texts, Text{X: indent, Y: y + 9, Text: line, Class: Quiet, Small: true})
			y += 13
		}
		y += 14
	}
	for i, k := range []struct {
		class Class
		text  string
	}{{Good, "a subnet"}, {Strong, "a block within"}, {Kept, "kept, or retired"}, {Paper, "free"}} {
		x := float64(i) * 170
		s.Rects = append(s.Rects, Rect{X: x, Y: y, W: 22, H: 14, Class: k.class, Dashed: k.class == Kept})
		if k.class == Paper {
			s.Rects = append(s.Rects, Rect{X: x, Y: y, W: 22, H: 14, Class: Quiet, Empty: true})
		}
		s.Texts = append(s.Texts, Text{X: x + 28, Y: y + 11, Text: k.text, Class: Plain})
	}
	s.fit(mapWidth, y+20)
	return s
}

// room is what fits into the free space of a block: more of what there is most of in it, blocks before subnets; "" where there
// are not two alike.
func room(spec *model.Spec, u model.BlockUse) string {
	count := map[[2]int]int{} // by kind and length
	names := map[[2]int]string{}
	for _, x := range u.Stretches {
		kind := 0
		switch {
		case x.Block != model.None:
			kind = 1
			names[[2]int{1, x.Prefix.Bits()}] = spec.Blocks[x.Block].Name
		case x.Segment == model.None:
			continue
		}
		count[[2]int{kind, x.Prefix.Bits()}]++
	}
	best := [2]int{}
	for k, n := range count {
		if b := count[best]; n > 1 && (k[0] > best[0] || k[0] == best[0] && (n > b || n == b && k[1] < best[1])) {
			best = k
		}
	}
	if count[best] < 2 {
		return ""
	}
	fits := new(big.Int)
	for _, x := range u.Stretches {
		if bits := best[1] - x.Prefix.Bits(); x.Free && bits >= 0 {
			fits.Add(fits, new(big.Int).Lsh(big.NewInt(1), uint(bits)))
		}
	}
	how := "no room for more"
	if fits.Sign() > 0 {
		how = "room for " + fits.String() + " more"
		if fits.BitLen() > 40 {
			how = "room for very many more"
		}
	}
	if best[0] == 1 {
		return fmt.Sprintf(", %s blocks such as %s (/%d)", how, names[best], best[1])
	}
	return fmt.Sprintf(", %s subnets of /%d", how, best[1])
}

// stretchOf is how a stretch looks, and whose it is.
func stretchOf(spec *model.Spec, x model.Stretch) (Class, string) {
	switch {
	case x.Block != model.None:
		return Strong, spec.Blocks[x.Block].Name
	case x.Segment != model.None:
		return Good, spec.Segments[x.Segment].Name
	case x.Interface != model.None:
		return Good, spec.Devices[spec.Interfaces[x.Interface].Device].Name
	case x.Kept:
		return Kept, "kept"
	case x.Retired != "":
		return Kept, "retired " + x.Retired
	}
	return Paper, ""
}

// placeOf is where a prefix lies in another, to scale.
func placeOf(around, p netip.Prefix, width float64) (left, w float64) {
	from := new(big.Int).SetBytes(around.Masked().Addr().AsSlice())
	at := new(big.Int).SetBytes(p.Masked().Addr().AsSlice())
	all := new(big.Float).SetInt(prefix.Addresses(around))
	l, _ := new(big.Float).Quo(new(big.Float).SetInt(at.Sub(at, from)), all).Float64()
	n, _ := new(big.Float).Quo(new(big.Float).SetInt(prefix.Addresses(p)), all).Float64()
	return l * width, n * width
}
