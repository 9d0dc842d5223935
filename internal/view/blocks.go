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
	Addresses string    `json:"addresses"` // how many it has
	Used      string    `json:"used"`      // how many are in use
	Stretches []Stretch `json:"stretches"` // what lies where, in the order of addresses

	shares  []model.Share
	percent string
}

// Stretch is a run of addresses in one use, or in none.
type Stretch struct {
	Prefix  string `json:"prefix"`
	Use     string `json:"use"`               // segment, interface, kept, retired or free
	Segment string `json:"segment,omitempty"` // whose it is
	Of      string `json:"of,omitempty"`      // DEVICE:INTERFACE, of a single address; of what is retired: whose it was
}

// strip is how many parts of a block its picture shows.
const strip = 64

// Blocks is the plan's blocks, or those of the names given.
func Blocks(spec *model.Spec, names []string) ([]Block, Table) {
	data := []Block{}
	t := Table{Columns: []Column{{Key: "block", Title: "block"}, {Key: "prefix", Title: "prefix"}, {Key: "stretch", Title: "stretch"}, {Key: "use", Title: "use"}, {Key: "of", Title: "of"}}, Empty: "the plan has no blocks"}
	for _, b := range spec.Blocks {
		if len(names) > 0 && !slices.Contains(names, b.Name) {
			continue
		}
		for _, p := range b.Prefixes {
			all := spec.Stretches(p.Prefix)
			used := model.Taken(p.Prefix, all)
			x := Block{Block: b.Name, Prefix: p.Prefix.String(), Addresses: prefix.Addresses(p.Prefix).String(), Used: used.String(), Stretches: []Stretch{}, shares: model.Shares(p.Prefix, all, strip)}
			tenths := new(big.Int).Div(new(big.Int).Mul(used, big.NewInt(1000)), prefix.Addresses(p.Prefix)).Int64()
			x.percent = fmt.Sprintf("%d.%d %%", tenths/10, tenths%10)
			for _, s := range all {
				y := Stretch{Prefix: s.Prefix.String(), Use: "free"}
				of := ""
				switch {
				case s.Segment != model.None:
					y.Use, y.Segment = "segment", spec.Segments[s.Segment].Name
					of = y.Segment
				case s.Interface != model.None:
					y.Use, y.Of = "interface", spec.Label(s.Interface)
					of = y.Of
				case s.Kept:
					y.Use = "kept"
				case s.Retired != "":
					y.Use, y.Of = "retired", s.Retired
					of = y.Of
				}
				x.Stretches = append(x.Stretches, y)
				t.Rows = append(t.Rows, []string{b.Name, x.Prefix, y.Prefix, y.Use, of})
			}
			data = append(data, x)
		}
	}
	return data, t
}

// BlocksText draws each block: how full it is, a strip of its address space,
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
		fmt.Fprintf(w, "%s %s %s\n", bold.Render(Clean(b.Block)), b.Prefix, faint.Render(b.percent+" in use"))
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
// given out, rather than in addresses.
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
