package view

import (
	"fmt"
	"io"
	"math/big"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Block is one prefix of a block in JSON.
type Block struct {
	Block     string    `json:"block"`
	Prefix    string    `json:"prefix"`
	Within    string    `json:"within,omitempty"` // the block around it
	Addresses string    `json:"addresses"`        // how many it has
	Used      string    `json:"used"`             // how many are in use, in blocks within too
	Left      string    `json:"left"`             // how many are free, and in no block within
	Largest   string    `json:"largest_left,omitempty"`
	Stretches []Stretch `json:"stretches"` // what lies where, in the order of addresses

	depth   int
	left    *big.Int
	shares  []model.Share
	percent string
}

// Stretch is a run of addresses in one use, or in none.
type Stretch struct {
	Prefix  string `json:"prefix"`
	Use     string `json:"use"`               // block, segment, interface, kept, retired or free
	Segment string `json:"segment,omitempty"` // whose it is
	Of      string `json:"of,omitempty"`      // the block; DEVICE:INTERFACE, of a single address; of what is retired: whose it was
}

// strip is how many parts of a block its picture shows.
const strip = 64

// Blocks is the plan's blocks as a tree, or, where names are given, those blocks with what
// lies where.
func Blocks(spec *model.Spec, names []string) ([]Block, Table) {
	data := []Block{}
	tree := Table{Columns: []Column{{Key: "block", Title: "block"}, {Key: "prefix", Title: "prefix"},
		{Key: "used", Title: "in use", Right: true}, {Key: "left", Title: "room left", Right: true}, {Key: "largest_left",
			Title: "largest free"}, {Key: "within", Title: "within", Wide: true}}, Empty: "the plan has no blocks"}
	t := Table{Columns: []Column{{Key: "block", Title: "block"}, {Key: "prefix", Title: "prefix"}, {Key: "stretch", Title: "stretch"},
		{Key: "use", Title: "use"}, {Key: "of", Title: "of"}}, Empty: tree.Empty}
	for _, u := range spec.BlockTree() {
		name := spec.Blocks[u.Block].Name
		if len(names) > 0 && !slices.Contains(names, name) {
			continue
		}
		p := u.Prefix.Prefix
		x := Block{Block: name, Prefix: p.String(), Addresses: prefix.Addresses(p).String(), Used: u.Used.String(), Left: u.Left.String(),
			Stretches: []Stretch{}, depth: u.Depth, left: u.Left, shares: u.Shares(strip)}
		if u.Around != model.None {
			x.Within = spec.Blocks[u.Around].Name
		}
		if u.Largest.IsValid() {
			x.Largest = u.Largest.String()
		}
		tenths := new(big.Int).Div(new(big.Int).Mul(u.Used, big.NewInt(1000)), prefix.Addresses(p)).Int64()
		x.percent = fmt.Sprintf("%d.%d %%", tenths/10, tenths%10)
		for _, s := range u.Stretches {
			y := stretchOf(spec, s)
			x.Stretches = append(x.Stretches, y)
			t.Rows = append(t.Rows, []string{name, x.Prefix, y.Prefix, y.Use, y.Segment + y.Of})
		}
		data = append(data, x)
		tree.Rows = append(tree.Rows, []string{name, x.Prefix, x.Used, x.Left, x.Largest, x.Within})
	}
	if len(names) > 0 {
		return data, t
	}
	return data, tree
}

// stretchOf is a stretch in its JSON form.
func stretchOf(spec *model.Spec, s model.Stretch) Stretch {
	y := Stretch{Prefix: s.Prefix.String(), Use: "free"}
	switch {
	case s.Block != model.None:
		y.Use, y.Of = "block", spec.Blocks[s.Block].Name
	case s.Segment != model.None:
		y.Use, y.Segment = "segment", spec.Segments[s.Segment].Name
	case s.Interface != model.None:
		y.Use, y.Of = "interface", spec.Label(s.Interface)
	case s.Kept:
		y.Use = "kept"
	case s.Retired != "":
		y.Use, y.Of = "retired", s.Retired
	}
	return y
}

// Nested tells whether any of the blocks lies within another.
func Nested(all []Block) bool {
	return slices.ContainsFunc(all, func(b Block) bool { return b.depth > 0 })
}

// BlockTree writes the blocks within one another, with the room that is left in each; or
// says that there is none. Command is what tells more when a block is named behind it.
func BlockTree(w io.Writer, all []Block, none, command string, width int, wide bool) {
	if len(all) == 0 {
		fmt.Fprintln(w, none)
		return
	}
	t := Table{Columns: []Column{{Title: "block", Tree: true}, {Title: "prefix"}, {Title: "in use", Right: true},
		{Title: "room left", Right: true}, {Title: "largest free"}}}
	for _, b := range all {
		largest := b.Largest
		if largest == "" {
			largest = "full"
		}
		t.Rows = append(t.Rows, []string{strings.Repeat("  ", b.depth) + b.Block, b.Prefix, b.percent, b.room(), largest})
	}
	t.Text(w, width, "", wide)
	if i := slices.IndexFunc(all, func(b Block) bool { return b.depth > 0 }); i >= 0 {
		fmt.Fprintln(w, faint.Render("what lies where: "+command+" "+ShellWord(all[i].Block)))
	}
}

// room is how much of the block is left, in its unit.
func (b Block) room() string {
	switch {
	case b.left.Sign() == 0:
		return "none"
	case !b.in64():
		return b.count(b.left)
	case b.left.BitLen() <= 64:
		return "less than a /64"
	}
	return b.count(b.left) + " of /64"
}

// BlocksText draws blocks: how full each is, a strip of its address space,
// and what lies where; or says that there is none.
func BlocksText(w io.Writer, all []Block, none string, width int) {
	if len(all) == 0 {
		fmt.Fprintln(w, none)
		return
	}
	for i, b := range all {
		if i > 0 {
			fmt.Fprintln(w)
		}
		within := ""
		if b.Within != "" {
			within = ", in " + Clean(b.Within)
		}
		fmt.Fprintf(w, "%s %s%s %s\n", bold.Render(Clean(b.Block)), b.Prefix, within, faint.Render(b.percent+" in use, room left: "+b.room()))
		fmt.Fprintln(w, "  "+picture(b.shares))
		t := Table{Columns: []Column{{Title: "from"}, {Title: "to"}, {Title: b.unit(), Right: true}, {Title: "use"}}}
		for i := 0; i < len(b.Stretches); {
			row, next := b.row(i)
			if row != nil {
				t.Rows = append(t.Rows, row)
			}
			i = next
		}
		t.Text(w, width, "  ", false)
	}
}

// in64 tells whether a block is counted in subnets of length 64, as IPv6 is
// assigned, rather than in addresses.
func (b Block) in64() bool {
	p := netip.MustParsePrefix(b.Prefix)
	return p.Addr().Is6() && p.Bits() <= 64
}

func (b Block) unit() string {
	if b.in64() {
		return "of /64"
	}
	return "addresses"
}

// row is stretch i as a row, free ones that follow one another as one, and
// where the next row begins. There is no row for what is free within a /64 of
// which a part is in use.
func (b Block) row(i int) ([]string, int) {
	s := b.Stretches[i]
	from := netip.MustParsePrefix(s.Prefix)
	switch s.Use {
	case "free":
	case "kept":
		return []string{s.Prefix, "", b.count(prefix.Addresses(from)), "kept for later"}, i + 1
	case "retired":
		return []string{s.Prefix, "", b.count(prefix.Addresses(from)), "retired, was " + s.Of}, i + 1
	case "block":
		return []string{s.Prefix, "", b.count(prefix.Addresses(from)), "the block " + s.Of}, i + 1
	default:
		return []string{s.Prefix, "", b.count(prefix.Addresses(from)), s.Segment + s.Of}, i + 1
	}
	var run []netip.Prefix
	for ; i < len(b.Stretches) && b.Stretches[i].Use == "free"; i++ {
		if p := netip.MustParsePrefix(b.Stretches[i].Prefix); !b.in64() || p.Bits() <= 64 {
			run = append(run, p)
		}
	}
	if len(run) == 0 {
		return nil, i
	}
	count := new(big.Int)
	for _, p := range run {
		count.Add(count, prefix.Addresses(p))
	}
	first, last := run[0].Addr(), prefix.Top(run[len(run)-1])
	row := []string{first.String(), last.String(), b.count(count), "free"}
	if b.in64() {
		row[0], row[1] = netip.PrefixFrom(first, 64).String(), netip.PrefixFrom(last, 64).Masked().String()
	}
	if row[0] == row[1] {
		row[1] = ""
	}
	return row, i
}

// count is a number of addresses in the block's unit; nothing where it is a
// part of one.
func (b Block) count(n *big.Int) string {
	if !b.in64() {
		return grouped(n)
	}
	if n = new(big.Int).Rsh(n, 64); n.Sign() == 0 {
		return ""
	}
	return grouped(n)
}

// picture draws equal parts of a block side by side: a full mark for one
// wholly in use, half a mark for one in use in part, a dot for a free one, and a
// shade for one that is kept or retired.
func picture(shares []model.Share) string {
	var b strings.Builder
	for _, s := range shares {
		b.WriteString([]string{model.NoneOfIt: "·", model.SomeOfIt: "▄", model.AllOfIt: "█", model.HeldBack: "░"}[s])
	}
	return b.String()
}
