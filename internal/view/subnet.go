package view

import (
	"fmt"
	"io"
	"math/big"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/prefix"
)

// Subnet is the facts of a subnet in JSON: strings but for the length, absent
// where there is none.
type Subnet struct {
	Address      string `json:"address,omitempty"`      // the address asked about
	Family       string `json:"family"`                 // ipv4 or ipv6
	Prefix       string `json:"prefix"`                 // the subnet
	PrefixLength int    `json:"prefix_length"`          // the only number among these
	Mask         string `json:"mask,omitempty"`         // IPv4
	InverseMask  string `json:"inverse_mask,omitempty"` // IPv4
	First        string `json:"first"`                  // the first usable address
	Last         string `json:"last"`                   // the last usable address
	Broadcast    string `json:"broadcast,omitempty"`    // IPv4, lengths up to 30
	Addresses    string `json:"addresses"`              // how many there are
	Usable       string `json:"usable"`                 // how many may be given to interfaces
	Position     string `json:"position,omitempty"`     // which usable address the one asked about is, from 1
	Previous     string `json:"previous,omitempty"`     // the subnet of this size before
	Next         string `json:"next,omitempty"`         // the subnet of this size behind
	Parent       string `json:"parent,omitempty"`       // the subnet twice the size around it
	Scope        string `json:"scope"`                  // what it is for, with the RFC
	Full         string `json:"full,omitempty"`         // IPv6: the address asked about, written out

	ReverseZones  []string `json:"reverse_zones"`            // by RFC 1035, RFC 3596 and RFC 2317
	SolicitedNode string   `json:"solicited_node,omitempty"` // IPv6: the multicast group it is looked for in
	RouterAnycast string   `json:"router_anycast,omitempty"` // IPv6: the address of all routers of the subnet
	Reserved      string   `json:"reserved,omitempty"`       // IPv6: the reserved anycast addresses, first to last
}

// NewSubnet puts facts into their JSON form.
func NewSubnet(f prefix.Facts) Subnet {
	s := Subnet{
		Family: "ipv4", Prefix: f.Subnet.String(), PrefixLength: f.Subnet.Bits(),
		First: f.First.String(), Last: f.Last.String(),
		Addresses: f.Addresses.String(), Usable: f.Usable.String(),
		Broadcast: address(f.Broadcast), Previous: subnet(f.Previous), Next: subnet(f.Next), Parent: subnet(f.Parent),
		Scope: fmt.Sprintf("%s (%s)", f.Scope.Use, f.Scope.RFC),
	}
	if f.Subnet.Addr().Is4() {
		s.Mask, s.InverseMask = f.Mask.String(), f.InverseMask.String()
	} else {
		s.Family, s.Full = "ipv6", f.Asked.Addr().StringExpanded()
	}
	s.ReverseZones = prefix.ReverseZones(f.Subnet)
	if f.Subnet.Addr().Is6() && f.Subnet.Bits() < 127 {
		s.RouterAnycast = f.Subnet.Addr().String()
		if first, last, ok := prefix.ReservedRange(f.Subnet); ok {
			s.Reserved = first.String() + " to " + last.String()
		}
	}
	if f.Address.IsValid() {
		s.Address = f.Address.String()
		if f.Address.Is6() {
			s.SolicitedNode = prefix.SolicitedNode(f.Address).String()
		}
		if f.Role == prefix.UsableAddress {
			s.Position = f.Position.String()
		}
	}
	return s
}

func address(a netip.Addr) string {
	if !a.IsValid() {
		return ""
	}
	return a.String()
}

func subnet(p netip.Prefix) string {
	if !p.IsValid() {
		return ""
	}
	return p.String()
}

// SubnetText writes the facts a line each, the answer to the usual questions
// first.
func SubnetText(w io.Writer, f prefix.Facts, width int, explain bool) {
	s := NewSubnet(f)
	usable := grouped(f.Usable) + " of " + grouped(f.Addresses) + " addresses"
	rows := [][2]string{
		{"subnet", s.Prefix},
		{"address", s.Address},
		{"mask", s.Mask},
		{"inverse mask", s.InverseMask},
		{"first usable", s.First},
		{"last usable", s.Last},
		{"broadcast", s.Broadcast},
		{"usable", usable},
		{"previous", s.Previous},
		{"next", s.Next},
		{"parent", s.Parent},
		{"scope", s.Scope},
		{"in full", s.Full},
		{"anycast", strings.TrimSpace(s.RouterAnycast + " (all routers)")},
		{"reserved", s.Reserved},
		{"solicited", s.SolicitedNode},
		{"reverse zone", zones(s.ReverseZones)},
	}
	if s.RouterAnycast == "" {
		rows[13][1] = ""
	}
	rows[1][1] += standing(f)
	for i, r := range rows {
		switch {
		case r[1] == "":
		case i == 0:
			fmt.Fprintln(w, pad(r[0], 12)+gap+bold.Render(r[1]))
		default:
			labelled(w, width, pad(r[0], 12)+gap, r[1], strings.Repeat(" ", 14))
		}
	}
	if explain {
		working(w, f, width)
	}
}

// zones lists reverse zones, the first and last of many.
func zones(all []string) string {
	if len(all) > 4 {
		return fmt.Sprintf("%d zones, %s to %s", len(all), all[0], all[len(all)-1])
	}
	return strings.Join(all, ", ")
}

// standing says where the address stands in its subnet.
func standing(f prefix.Facts) string {
	switch f.Role {
	case prefix.UsableAddress:
		n := f.Position.Int()
		return fmt.Sprintf(", %s%s usable of %s", grouped(n), prefix.Ending(n), grouped(f.Usable))
	case prefix.BroadcastRole:
		return ", the broadcast address"
	case prefix.ReservedAnycast:
		return ", reserved for anycast (RFC 2526)"
	}
	return ""
}

// grouped writes a number with its digits in threes.
func grouped(n *big.Int) string {
	digits := n.String()
	var b strings.Builder
	for i, d := range digits {
		if i > 0 && (len(digits)-i)%3 == 0 {
			b.WriteByte(' ')
		}
		b.WriteRune(d)
	}
	return b.String()
}

// working shows the bits: the subnet is what the mask leaves of the address.
func working(w io.Writer, f prefix.Facts, width int) {
	length := f.Subnet.Bits()
	fmt.Fprintf(w, "\nThe first %s of the address are the subnet's, the other %d are the host's.\n", Count(length, "bit"),
		f.Subnet.Addr().BitLen()-length)
	if f.Subnet.Addr().Is4() {
		line := func(name string, a netip.Addr) {
			fmt.Fprintln(w, pad(name, 12)+gap+bits4(a, length)+gap+a.String())
		}
		line("address", f.Asked.Addr())
		line("mask", f.Mask)
		line("subnet", f.Subnet.Addr())
		if f.Broadcast.IsValid() {
			line("broadcast", f.Broadcast)
		}
		places4(w, f, length)
	} else {
		fmt.Fprintln(w, pad("address", 12)+gap+digits6(f.Asked.Addr(), length))
		fmt.Fprintln(w, pad("mask", 12)+gap+digits6(mask6(length), length))
		fmt.Fprintln(w, pad("subnet", 12)+gap+digits6(f.Subnet.Addr(), length))
		nibble(w, f, length, width)
	}
	fmt.Fprintf(w, "Subnets of this size begin every 2^%d = %s addresses", f.Subnet.Addr().BitLen()-length, grouped(f.Addresses))
	if run := runOf(f); len(run) > 1 {
		fmt.Fprintln(w, ":")
		paragraph(w, width, "  "+strings.Join(run, ", "), "  ")
	} else {
		fmt.Fprintln(w, ".")
	}
	if border, ok := classBorder(f.Subnet); ok {
		paragraph(w, width, fmt.Sprintf("Beyond %s, %s are borrowed for subnets: %s of %s.", border, Count(length-border.Bits(), "bit"),
			Count(1<<(length-border.Bits()), "subnet"), border), "")
	}
	switch {
	case f.Subnet.Addr().Is4() && length < 31:
		paragraph(w, width, "All host bits 0 is the subnet's own address, all 1 its broadcast address; the rest are usable.", "")
	case f.Subnet.Addr().Is4() && length == 31:
		fmt.Fprintln(w, "On a point-to-point link of length 31 both addresses are usable (RFC 3021).")
	case f.Subnet.Addr().Is6() && length == 127:
		fmt.Fprintln(w, "On a point-to-point link of length 127 both addresses are usable (RFC 6164).")
	case f.Subnet.Addr().Is6() && length < 127:
		text := "All host bits 0 is the address of all its routers (RFC 4291)"
		if length <= 120 {
			text += ", and 128 at the end of the identifiers are kept for anycast (RFC 2526)"
		}
		paragraph(w, width, text+"; the rest are usable.", "")
	}
}

// places4 shows what the places of the octet are worth that the mask cuts.
func places4(w io.Writer, f prefix.Facts, length int) {
	if length%8 == 0 || length > 30 {
		return
	}
	octet, cut := length/8, length%8
	row := func(name string, of func(bit int) string, end string) {
		text := pad(name, 12) + gap
		for bit := range 8 {
			if bit == cut {
				text += "  |"
			}
			text += fmt.Sprintf("%4s", of(bit))
		}
		fmt.Fprintln(w, text+end)
	}
	digit := func(a netip.Addr) (func(int) string, string) {
		value := a.As4()[octet]
		return func(bit int) string { return string('0' + rune(value>>(7-bit)&1)) }, fmt.Sprintf("  = %d", value)
	}
	fmt.Fprintf(w, "The mask cuts the %s octet. Its places are worth:\n", [...]string{"first", "second", "third", "fourth"}[octet])
	row("worth", func(bit int) string { return fmt.Sprint(1 << (7 - bit)) }, "")
	for _, x := range []struct {
		name string
		a    netip.Addr
	}{{"address", f.Asked.Addr()}, {"mask", f.Mask}, {"subnet", f.Subnet.Addr()}} {
		of, end := digit(x.a)
		row(x.name, of, end)
	}
	fmt.Fprintf(w, "So subnets lie %d apart in it: the worth of the last place before the cut.\n", 1<<(8-cut))
}

// mask6 is a mask of a length, written as an address.
func mask6(length int) netip.Addr {
	var bytes [16]byte
	for i := range length {
		bytes[i/8] |= 1 << (7 - i%8)
	}
	return netip.AddrFrom16(bytes)
}

// nibble shows the digit in bits that the length cuts, or says that it cuts none.
func nibble(w io.Writer, f prefix.Facts, length, width int) {
	if length%4 == 0 {
		paragraph(w, width, "The cut lies between two digits: such subnets are easy to read, and each has a reverse zone of its own.", "")
		return
	}
	n := length / 4
	digits := strings.ReplaceAll(f.Subnet.Addr().StringExpanded(), ":", "")
	value := strings.IndexByte("0123456789abcdef", digits[n])
	bits := fmt.Sprintf("%04b", value)
	cut := length % 4
	paragraph(w, width, fmt.Sprintf("The cut goes through digit %d, which is %c: in bits %s|%s. So subnets lie %d apart in it.", n+1,
		digits[n],
		bits[:cut], bits[cut:], 1<<(4-cut)), "")
}

// SplitWorking explains how a subnet is cut into parts of a length.
func SplitWorking(w io.Writer, p netip.Prefix, length, width int) {
	more := length - p.Bits()
	all := p.Addr().BitLen()
	parts, each := new(big.Int).Lsh(big.NewInt(1), uint(more)), new(big.Int).Lsh(big.NewInt(1), uint(all-length))
	fmt.Fprintln(w)
	paragraph(w, width, fmt.Sprintf("From /%d to /%d %s of the host part become the subnet's: 2^%d = %s, of 2^%d = %s each.", p.Bits(),
		length,
		Count(more, "bit"), more, number(parts, "part"), all-length, number(each, "address")), "")
	shown := 0
	for part := range prefix.Split(p, length) {
		if shown == 4 {
			break
		}
		shown++
		if p.Addr().Is4() {
			fmt.Fprintln(w, "  "+bits4(part.Addr(), length)+gap+part.String())
		} else {
			fmt.Fprintln(w, "  "+digits6(part.Addr(), length)+gap+part.String())
		}
	}
	if more > 0 {
		paragraph(w, width, fmt.Sprintf(
			"The bits between %d and %d count the parts, from all 0 to all 1; each part begins %s after the one before.",
			p.Bits()+1, length, number(each, "address")), "")
	}
}

// number is a large number with its noun.
func number(n *big.Int, noun string) string {
	if n.IsInt64() && n.Int64() == 1 {
		return "1 " + noun
	}
	if strings.HasSuffix(noun, "s") {
		return grouped(n) + " " + noun + "es"
	}
	return grouped(n) + " " + noun + "s"
}

// MergeWorking explains which subnets become one, and why others do not.
func MergeWorking(w io.Writer, given, merged []netip.Prefix, width int) {
	fmt.Fprintln(w)
	for _, m := range merged {
		var in []string
		for _, g := range given {
			if g = g.Masked(); m.Overlaps(g) && !slices.Contains(in, g.String()) {
				in = append(in, g.String())
			}
		}
		switch {
		case len(in) == 1 && in[0] == m.String():
			paragraph(w, width, m.String()+" stays: "+whyAlone(m)+".", "  ")
		default:
			paragraph(w, width, fmt.Sprintf("%s is %s: they agree in the first %s, and all that may follow is there.", m,
				forward.And(in), Count(m.Bits(), "bit")), "  ")
		}
	}
}

// whyAlone is why a subnet merges with no other: the one it could merge with is not there.
func whyAlone(p netip.Prefix) string {
	if p.Bits() == 0 {
		return "it is everything"
	}
	parent := netip.PrefixFrom(p.Addr(), p.Bits()-1).Masked()
	for half := range prefix.Split(parent, p.Bits()) {
		if half != p {
			return fmt.Sprintf("with %s it would be %s, and that is not among them", half, parent)
		}
	}
	return "nothing goes with it"
}

// runOf is the neighbourhood of a subnet: two before it, itself in brackets,
// and two behind.
func runOf(f prefix.Facts) []string {
	run := []string{"[" + f.Subnet.String() + "]"}
	for p, n := f.Subnet, 0; n < 2; n++ {
		before, ok := prefix.Previous(p)
		if !ok {
			break
		}
		run, p = append([]string{before.String()}, run...), before
	}
	for p, n := f.Subnet, 0; n < 2; n++ {
		behind, ok := prefix.Next(p)
		if !ok {
			break
		}
		run, p = append(run, behind.String()), behind
	}
	return run
}

// classBorder is the subnet on the next shorter octet or nibble border, from
// which a length borrows bits.
func classBorder(p netip.Prefix) (netip.Prefix, bool) {
	step := 8
	if p.Addr().Is6() {
		step = 4
	}
	if p.Bits()%step == 0 {
		return p, false
	}
	return netip.PrefixFrom(p.Addr(), p.Bits()/step*step).Masked(), true
}

// bits4 writes an IPv4 address in bits, with a bar between subnet and host.
func bits4(a netip.Addr, length int) string {
	var b strings.Builder
	octets := a.As4()
	for i := range 32 {
		if i > 0 && i%8 == 0 {
			b.WriteByte('.')
		}
		if i == length {
			b.WriteByte('|')
		}
		b.WriteByte('0' + octets[i/8]>>(7-i%8)&1)
	}
	if length == 32 {
		b.WriteByte('|')
	}
	return b.String()
}

// digits6 writes an IPv6 address in full, with a bar behind the last digit
// that is wholly the subnet's.
func digits6(a netip.Addr, length int) string {
	full := strings.ReplaceAll(a.StringExpanded(), ":", "")
	var b strings.Builder
	for i, d := range full {
		if i > 0 && i%4 == 0 {
			b.WriteByte(':')
		}
		if i == length/4 {
			b.WriteByte('|')
		}
		b.WriteRune(d)
	}
	if length == 128 {
		b.WriteByte('|')
	}
	return b.String()
}

// SubnetTable is subnets for CSV and Markdown.
func SubnetTable(all []Subnet) Table {
	t := Table{Columns: []Column{
		{Key: "prefix", Title: "subnet"}, {Key: "address", Title: "address"}, {Key: "mask", Title: "mask"}, {Key: "first",
			Title: "first usable"},
		{Key: "last", Title: "last usable"}, {Key: "broadcast", Title: "broadcast"}, {Key: "usable", Title: "usable",
			Right: true}, {Key: "scope", Title: "scope"},
	}}
	for _, s := range all {
		t.Rows = append(t.Rows, []string{s.Prefix, s.Address, s.Mask, s.First, s.Last, s.Broadcast, s.Usable, s.Scope})
	}
	return t
}
