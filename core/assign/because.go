package assign

import (
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Reason is why a number is given, or why it is no longer.
type Reason uint8

// The reasons.
const (
	NoReason Reason = iota
	WasItsOwn
	NextFree
	NobodyAsks
	WasRetired
	IsOnSegment // of a segment whose subnet is another now
	GivenLoopback
	LengthAsked
	IsLink // between two devices: RFC 3021 and RFC 6164
	LANInIPv6
	ManyHosts
	VLANFree
	TakersNeed // of a block: what takes from it
	BlockMoved // of what lies in a block that is another now
	GivenTwice // two branches gave it, and another keeps it
)

// Because is a reason with what it is about.
type Because struct {
	Code    Reason
	Segment string       // of IsOnSegment
	Subnet  netip.Prefix // of IsOnSegment
	Family  prefix.Family

	Hosts, Own, Addresses int64 // of ManyHosts: how many hosts, how many others, what they make together
	Grow                  int   // of ManyHosts and TakersNeed: how much more, in per cent

	Block                      string // of BlockMoved
	Subnets, Loopbacks, Blocks int    // of TakersNeed: how many take from the block
	Alike                      string // of TakersNeed: the word of the blocks that are as large as this one
	Nibble                     bool   // of TakersNeed: its length is rounded to a multiple of four

	Beside string // of a subnet: the router whose numbers it lies beside; "" where it is the next that is free
}

// BecauseOf is why a segment's subnet of a family has its length.
func BecauseOf(s *model.Segment, family prefix.Family) Because {
	switch {
	case family == prefix.IPv4 && s.Need.Length4 > 0, family == prefix.IPv6 && s.Need.Length6 > 0:
		return Because{Code: LengthAsked}
	case s.Need.PointToPoint:
		return Because{Code: IsLink, Family: family}
	case family == prefix.IPv6:
		return Because{Code: LANInIPv6}
	}
	_, grown := s.Wanted()
	return Because{Code: ManyHosts, Hosts: max(s.Need.Hosts, s.HostsThere), Grow: s.Need.Grow, Own: s.Own, Addresses: grown}
}
