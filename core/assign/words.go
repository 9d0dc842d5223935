package assign

import (
	"fmt"
	"strings"

	"ropeswing/core/prefix"
)

// Words says why a number is given, or why it is no longer.
func (b Because) Words() string {
	text := b.words()
	if b.Beside != "" {
		text += "; beside what " + b.Beside + " has, so that others' routes stay"
	}
	return text
}

func (b Because) words() string {
	switch b.Code {
	case WasItsOwn:
		return "it was its own before"
	case GivenTwice:
		return "another branch gave the same to who keeps it"
	case NextFree:
		return "the next that is free"
	case NobodyAsks:
		return "nothing in the plan asks for it"
	case WasRetired:
		return "it was retired"
	case IsOnSegment:
		return "it is on " + b.Segment + ", which is " + b.Subnet.String()
	case GivenLoopback:
		return "a loopback"
	case LengthAsked:
		return "the length it asks for"
	case IsLink:
		if b.Family == prefix.IPv4 {
			return "a link between two devices (RFC 3021)"
		}
		return "a link between two devices (RFC 6164)"
	case LANInIPv6:
		return "as every LAN in IPv6"
	case ManyHosts:
		text := fmt.Sprintf("%d hosts", b.Hosts)
		if b.Grow > 0 {
			text += fmt.Sprintf(", %d %% more", b.Grow)
		}
		if b.Own > 0 {
			text += fmt.Sprintf(", %d of its own", b.Own)
		}
		return text + fmt.Sprintf(": %d addresses", b.Addresses)
	case VLANFree:
		return "the lowest that is free"
	case BlockMoved:
		return "it is in " + b.Block + ", which is " + b.Subnet.String()
	case TakersNeed:
		var parts []string
		for _, x := range []struct {
			n    int
			word string
		}{{b.Subnets, "subnet"}, {b.Loopbacks, "loopback"}, {b.Blocks, "block"}} {
			if x.n == 1 {
				parts = append(parts, "1 "+x.word)
			} else if x.n > 1 {
				parts = append(parts, fmt.Sprintf("%d %ss", x.n, x.word))
			}
		}
		text := "room for what takes from it: " + strings.Join(parts, ", ")
		if len(parts) == 0 {
			text = "as large as others"
		}
		if b.Grow > 0 {
			text += fmt.Sprintf(", %d %% more", b.Grow)
		}
		if b.Alike != "" {
			text += ", laid out as all " + b.Alike
		}
		if b.Nibble {
			text += ", on a border of four bits"
		}
		return text
	}
	return ""
}

// Words says why the number changes.
func (c Change) Words() string {
	text := c.Because.Words()
	if c.NoRoom {
		text += "; beside " + c.Was + " nothing is free"
	}
	return text
}
