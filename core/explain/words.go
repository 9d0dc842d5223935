package explain

import (
	"fmt"
	"net/netip"
	"strings"

	"ropeswing/core/assign"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// sentence is how one thing that is told reads: what it is about, and its words, in
// which each % stands for one of what it is told with.
type sentence struct{ about, text string }

var sentences = [...]sentence{
	Subnets:      {"", "%a"},
	SubnetsVLAN:  {"", "%a, VLAN %v"},
	NoSubnet:     {"", "no subnet"},
	NoSubnetVLAN: {"", "no subnet, VLAN %v"},
	NoPrefix:     {"", "no prefix"},
	Addresses:    {"", "%a"},
	NoAddress:    {"", "no address"},
	IsPort:       {"", "no address: it is a switch port"},
	HolderIs:     {"", "of %a"},
	OwnedBy:      {"", "of %v"},
	Nobodys:      {"", "nobody's"},
	NobodysIn:    {"", "not assigned, in %v"},
	ForLeases:    {"", "for hosts to lease, in %v"},
	RetiredOf:    {"", "retired, was of %v"},
	NoSegments:   {"", "no segment's"},
	IsFree:       {"", "free"},
	NoRoute:      {"", "no route"},
	Delivered:    {"", "delivered here"},
	DiscardedBy:  {"", "discarded, by %v"},
	GoesOn:       {"", "on to %v"},
	GoesOnOr:     {"", "on to %v, or %v other equal-cost paths"},

	Number:    {"", "%v"},
	NumberOf:  {"", "%v %v"},
	VLAN:      {"", "VLAN %v"},
	Matching:  {"", "routes that match, longest first"},
	Deriving:  {"", "why it is derived"},
	ToNextHop: {"", "to the next hop"},

	Written:          {"fixed", "written in the plan"},
	GivenBefore:      {"ledger", "given before, and so it stays"},
	GivenNow:         {"ledger", "given just now; 'assign -w' keeps it"},
	Release:          {"ledger", "'assign --release %v -w' lets it be given to others"},
	HasLength:        {"need", "length %v: %v"},
	NeedsHosts:       {"need", "%v hosts"},
	NeedsMoreHosts:   {"need", "%v hosts, since there are more than the %v it says"},
	Growth:           {"growth", "%v %% more: %v"},
	ItsOwn:           {"its own", "%v of routers and switches: %v addresses"},
	Rounding:         {"rounding", "the smallest subnet with so many usable addresses has length %v, and %v"},
	InNoBlock:        {"block", "in none of the plan's"},
	InBlock:          {"block", "%v, %v"},
	Beside:           {"beside", "%v"},
	SubnetOf:         {"subnet", "%v of %v"},
	OfSegment:        {"segment", "%v, %v"},
	Overlapping:      {"overlaps", "%v of %v"},
	WasOf:            {"retired", "%v, which %v had"},
	InUse:            {"in use", "%v of %v addresses"},
	InUse64:          {"in use", "%v of %v subnets of length 64"},
	RoomLeft:         {"room left", "%v addresses, the largest stretch %v"},
	RoomLeft64:       {"room left", "%v subnets of length 64, the largest stretch %v"},
	NoRoomLeft:       {"room left", "none"},
	KeptOfBlock:      {"kept", "%v"},
	TakesFrom:        {"for", "%v"},
	LengthAsked:      {"need", "length %v, as it asks"},
	TakersTogether:   {"need", "%v addresses in all, which length %v holds"},
	TakersTogether64: {"need", "%v subnets of length 64 in all, which length %v holds"},
	BlockGrowth:      {"growth", "%v %% more: length %v"},
	OnNibble:         {"rounding", "in IPv6 on a border of four bits: length %v"},
	NumberNeeds:      {"numbers", "the subnet whose number is that of VLAN %v wants length %v"},
	AsLargeAs:        {"alike", "as large as the largest of its like needs: 'alike: %v'"},
	WasLarger:        {"need", "it has length %v, for when it was given more took from it, or what it held lay apart"},
	IsTooSmall:       {"need", "it has length %v, which is too small by now"},
	Rule:             {"rule", "%v"},
	StandsAt:         {"place", "%v"},
	OfScope:          {"scope", "%v (%v)"},

	Status:       {"state", "%v"},
	CabledTo:     {"cabled to", "%v, which is %v"},
	CabledHidden: {"cabled to", "%v, which is %v; the cable hides faults, so it stays up whatever the far end does"},
	PartOf:       {"part of", "%v, which is %v"},
	Hears:        {"hears", "%a"},
	HearsNobody:  {"hears", "nobody"},

	Decides:       {"decides", "%v"},
	Unusable:      {"unusable", "%v"},
	Shorter:       {"shorter", "%v"},
	Standby:       {"standby", "%v"},
	NoneMatches:   {"none", "no route of the device matches %v"},
	NextHop:       {"next hop", "%v, for which %v decides"},
	Discards:      {"then", "discarded"},
	LeavesBy:      {"out of", "%v"},
	NobodyAnswers: {"then", "nobody on the link answers for %v"},
	Answers:       {"answers", "%v"},
	LeadsTo:       {"for", "%v"},
	EndsHere:      {"here", "what nobody has of it, or what has no path left, ends here instead of looping"},
	Cheapest:      {"path", "the cheapest, by %a: it costs %v"},
	Longer:        {"path", "by %a: it costs %v, and the cheapest %v; a longer one saves routes (wants: stretch)"},
	TakesOver:     {"behind it", "%v"},
}

// About is what it is about, in a word or two.
func (t Told) About() string { return sentences[t.Code].about }

// Words puts something that is told into words.
func (y Why) Words(t Told) string {
	var b strings.Builder
	text, rest := sentences[t.Code].text, t.With
	for {
		before, after, found := strings.Cut(text, "%")
		b.WriteString(before)
		if !found {
			return b.String()
		}
		switch after[0] {
		case '%':
			b.WriteByte('%')
		case 'a': // all that is not for the words behind it
			n := len(rest) - strings.Count(after, "%v")
			b.WriteString(y.list(t.Code, rest[:n]))
			rest = rest[n:]
		default:
			b.WriteString(y.word(rest[0]))
			rest = rest[1:]
		}
		text = after[1:]
	}
}

// list joins things: those that are one together by 'and'.
func (y Why) list(c Code, all []any) string {
	texts := make([]string, len(all))
	for i, x := range all {
		texts[i] = y.word(x)
	}
	switch {
	case c == Cheapest || c == Longer:
		return forward.And(texts)
	case c == Addresses || c == Hears:
		return strings.Join(texts, ", ")
	}
	return strings.Join(texts, " and ")
}

// word names a thing that something is told with.
func (y Why) word(x any) string {
	switch x := x.(type) {
	case model.InterfaceID:
		return y.net.Spec.Label(x)
	case model.DeviceID:
		return y.net.Spec.Devices[x].Name
	case model.SegmentID:
		return y.net.Spec.Segments[x].Name
	case assign.Because:
		return x.Words()
	case phrase:
		return x.words(y.net)
	}
	return fmt.Sprint(x)
}

// phrase is a thing that takes several words.
type phrase interface{ words(*forward.Network) string }

// addressRule is what a place such as 10 or first stands for.
type addressRule struct {
	model.Address
	mac string // it may be made from
}

func (r addressRule) words(*forward.Network) string {
	text := ""
	switch n, ok := prefix.Position(r.Prefix, r.Addr()); {
	case r.Rule == "":
		text = "written in the plan"
	case r.Rule == "next":
		text = "the next free address"
	case r.Rule == "given":
		text = "a loopback, assigned from the block"
	case r.Rule == "eui-64":
		text = "made from the MAC " + r.mac + " (RFC 4291, appendix A)"
	case ok && len(n.String()) < 10:
		text = fmt.Sprintf("'%s': the %s usable%s", r.Rule, prefix.Ordinal(n.Int()), ofHowMany(r.Prefix))
	default:
		text = fmt.Sprintf("'%s' in %s", r.Rule, r.Masked())
	}
	if r.Secondary {
		text += "; secondary"
	}
	return text
}

// standing is where an address stands in its subnet.
type standing struct {
	subnet  netip.Prefix
	address netip.Addr
}

func (s standing) words(*forward.Network) string {
	if n, ok := prefix.Position(s.subnet, s.address); ok {
		return fmt.Sprintf("the %s usable%s", prefix.Ordinal(n.Int()), ofHowMany(s.subnet))
	}
	return map[prefix.Role]string{
		prefix.SubnetAddress: "the subnet itself, and no machine's", prefix.BroadcastRole: "its broadcast address",
		prefix.RouterAnycast: "the address of all its routers (RFC 4291 §2.6.1)", prefix.ReservedAnycast: "reserved for anycast (RFC 2526)",
	}[prefix.RoleOf(s.subnet, s.address)]
}

// ofHowMany is ' of 62', where that is no number of twenty digits.
func ofHowMany(p netip.Prefix) string {
	if p.Addr().Is6() && p.Bits() < 100 {
		return ""
	}
	return " of " + prefix.Usable(p).String()
}

// list is names with commas between.
type list []string

func (l list) words(*forward.Network) string { return strings.Join(l, ", ") }

// neighbourhood is what a stretch of a block lies between.
type neighbourhood struct {
	all []model.Stretch
	at  int
}

func (n neighbourhood) words(net *forward.Network) string {
	before, after := "at the start of the block", "at its end"
	if n.at > 0 {
		before = "behind " + n.label(net.Spec, n.at-1, -1)
	}
	if n.at+1 < len(n.all) {
		after = "before " + n.label(net.Spec, n.at+1, +1)
	}
	return before + ", " + after
}

// label says what a stretch is; free ones in a row as one.
func (n neighbourhood) label(spec *model.Spec, at, step int) string {
	s := n.all[at]
	switch {
	case s.Block != model.None:
		return fmt.Sprintf("%s (%s)", spec.Blocks[s.Block].Name, s.Prefix)
	case s.Segment != model.None:
		return fmt.Sprintf("%s (%s)", spec.Segments[s.Segment].Name, s.Prefix)
	case s.Interface != model.None:
		return fmt.Sprintf("%s (%s)", spec.Label(s.Interface), s.Prefix.Addr())
	case s.Kept:
		return fmt.Sprintf("%s, which is kept", s.Prefix)
	case s.Retired != "":
		return fmt.Sprintf("%s, which %s had", s.Prefix, s.Retired)
	}
	end := at
	for end+step >= 0 && end+step < len(n.all) && n.all[end+step].Free {
		end += step
	}
	first, last := n.all[min(at, end)].Prefix.Addr(), prefix.Top(n.all[max(at, end)].Prefix)
	low, high := netip.PrefixFrom(first, 64), netip.PrefixFrom(last, 64)
	if first.Is6() && low == low.Masked() && prefix.Top(high) == last {
		return fmt.Sprintf("free space (%s to %s)", low, high.Masked())
	}
	return fmt.Sprintf("free space (%s to %s)", first, last)
}

// status is the state of an interface, and why.
type status struct{ model.InterfaceID }

func (s status) words(net *forward.Network) string {
	text := net.State.Status(s.InterfaceID).Oper.String()
	if why := net.State.Why(s.InterfaceID); why != "" {
		text += ": " + why
	}
	return text
}

// route is one route of a table, and why it cannot be used.
type route struct {
	routing.View
	routing.Entry
}

func (r route) words(net *forward.Network) string {
	text := fmt.Sprintf("%s %s", r.Prefix, r.Source)
	if r.Static() != model.None {
		s := &net.Spec.Statics[r.Static()]
		switch {
		case s.Discard:
			text += ", discard"
		case s.Via.IsValid():
			text += " via " + s.Via.String()
		}
		text += fmt.Sprintf(", distance %d", r.Distance)
		if s.Watch.IsValid() {
			text += ", watches " + s.Watched()
		}
	}
	if out := r.Out(); out != model.None {
		text += ", out of " + net.Spec.Interfaces[out].Name
	}
	if r.Usable != routing.IsUsable {
		text += ": " + net.Why(r.View, r.Entry)
	}
	return text
}

// hop is where a packet goes on to.
type hop struct {
	routing.Hop
	to netip.Addr
}

func (h hop) words(net *forward.Network) string {
	at := h.to
	if h.Via.IsValid() {
		at = h.Via
	}
	text := at.String()
	if holders := forward.Receivers(net, h.Out, at); len(holders) > 0 {
		text = fmt.Sprintf("%s (%s)", net.Spec.Devices[net.Spec.Interfaces[holders[0]].Device].Name, at)
	}
	return text + ", out of " + net.Spec.Interfaces[h.Out].Name
}

// port is an interface of a device that is known.
type port struct{ model.InterfaceID }

func (p port) words(net *forward.Network) string { return net.Spec.Interfaces[p.InterfaceID].Name }

// destinations is what a route leads to.
type destinations struct {
	netip.Prefix
	segments []model.SegmentID // whose subnets lie in it
}

func (d destinations) words(net *forward.Network) string {
	if d.Bits() == 0 {
		return "what no longer prefix leads to: the world"
	}
	var names []string
	for _, s := range d.segments {
		names = append(names, net.Spec.Segments[s].Name)
	}
	rest := "what else lies in " + d.Prefix.String()
	switch n := len(names); {
	case n == 0:
		return rest
	case n > 4:
		names = append(names[:3], fmt.Sprintf("%d more segments", n-3))
	}
	return forward.And(append(names, rest))
}

// takeover is when a floating route takes over from the one before it.
type takeover struct{ first, behind *model.Static }

func (t takeover) words(net *forward.Network) string {
	by := "discards"
	if !t.behind.Discard {
		by = "goes out of " + net.Spec.Interfaces[t.behind.Out].Name
	}
	if t.behind.To != t.first.To {
		by = t.behind.To.String() + " " + by
	}
	text := fmt.Sprintf("%s when %s is down", by, net.Spec.Interfaces[t.first.Out].Name)
	if t.first.Watch.IsValid() {
		text += fmt.Sprintf(", or %s does not answer by it", net.Spec.HolderLabel(t.first.Watch))
	}
	return text
}
