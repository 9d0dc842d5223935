package explain

import "ropeswing/core/source"

// Told is one thing that is told: what, and of what.
type Told struct {
	Code Code
	With []any // what the words of the code are filled with, in their order
}

func told(c Code, with ...any) Told { return Told{c, with} }

// Reason is one of those for a number or an answer, and where it stands.
type Reason struct {
	Told
	Place source.Place // not known where nothing in a file says so
}

func step(place source.Place, c Code, with ...any) Reason { return Reason{told(c, with...), place} }

// reason is a step that stands nowhere in a file.
func reason(c Code, with ...any) Reason { return Reason{Told: told(c, with...)} }

// Code is what is told; words.go has its words.
type Code uint8

// The codes.
const (
	// What the answer is.
	Subnets Code = iota
	SubnetsVLAN
	NoSubnet
	NoSubnetVLAN
	NoPrefix
	Addresses
	NoAddress
	IsPort
	HolderIs
	OwnedBy
	Nobodys
	NobodysIn
	ForLeases
	RetiredOf
	NoSegments
	IsFree
	NoRoute
	Delivered
	DiscardedBy
	GoesOn
	GoesOnOr
	// What the numbers are of, or what a row of steps is about.
	Number
	NumberOf
	VLAN
	Matching
	Deriving
	ToNextHop
	// Where a number comes from.
	Written
	GivenBefore
	GivenNow
	Release
	HasLength
	NeedsHosts
	NeedsMoreHosts
	Growth
	ItsOwn
	Rounding
	InNoBlock
	InBlock
	Beside
	SubnetOf
	OfSegment
	Overlapping
	WasOf
	InUse
	InUse64
	RoomLeft
	RoomLeft64
	NoRoomLeft
	KeptOfBlock
	TakesFrom
	LengthAsked
	TakersTogether
	TakersTogether64
	BlockGrowth
	OnNibble
	NumberNeeds
	AsLargeAs
	WasLarger
	IsTooSmall
	Rule
	StandsAt
	OfScope
	// The state of an interface.
	Status
	CabledTo
	CabledHidden
	PartOf
	Hears
	HearsNobody
	// What is done with a packet.
	Decides
	Unusable
	Shorter
	Standby
	NoneMatches
	NextHop
	Discards
	LeavesBy
	NobodyAnswers
	Answers
	LeadsTo
	EndsHere
	Cheapest
	Longer
	TakesOver
)
