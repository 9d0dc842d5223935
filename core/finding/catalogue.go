package finding

// The names of all findings. What each means stands in the catalogue below.
const (
	UnreadableFile    Name = "unreadable-file"
	NotYAML           Name = "not-yaml"
	NotAPlan          Name = "not-a-plan"
	TabIndent         Name = "tab-indent"
	MissingSpace      Name = "missing-space"
	UnquotedIPv6      Name = "unquoted-ipv6"
	LeadingZero       Name = "leading-zero"
	AliasUsed         Name = "alias-used"
	UnknownKey        Name = "unknown-key"
	DuplicateKey      Name = "duplicate-key"
	MissingKey        Name = "missing-key"
	KeyOutOfPlace     Name = "key-out-of-place"
	WrongType         Name = "wrong-type"
	BadValue          Name = "bad-value"
	PlanTooLarge      Name = "plan-too-large"
	BadName           Name = "bad-name"
	NameTaken         Name = "name-taken"
	BadAddress        Name = "bad-address"
	TooManyOctets     Name = "too-many-octets"
	MissingDot        Name = "missing-dot"
	MaskNotContiguous Name = "mask-not-contiguous"
	InverseMask       Name = "inverse-mask"
	NoPrefixLength    Name = "no-prefix-length"
	UnknownName       Name = "unknown-name"
	Ambiguous         Name = "ambiguous"
	PortCabledTwice   Name = "port-cabled-twice"
	NoVLANNumber      Name = "no-vlan-number"
	NoSubnet          Name = "no-subnet"
	NoSuchPlace       Name = "no-such-place"
	NoSharedSegment   Name = "no-shared-segment"
	IncludeRefused    Name = "include-refused"
	LedgerBroken      Name = "ledger-broken"

	DuplicateAddress       Name = "duplicate-address"
	SubnetOrBroadcast      Name = "subnet-or-broadcast-address"
	HostBitsSet            Name = "host-bits-set"
	AddressOutsideSegment  Name = "address-outside-segment"
	LengthDiffers          Name = "length-differs"
	OverlappingSubnets     Name = "overlapping-subnets"
	GatewayOutsideSubnet   Name = "gateway-outside-subnet"
	GatewayUnheld          Name = "gateway-unheld"
	NextHopUnresolvable    Name = "next-hop-unresolvable"
	NextHopOneself         Name = "next-hop-oneself"
	NextHopUnheld          Name = "next-hop-unheld"
	StaticHidden           Name = "static-hidden-by-direct"
	NoWayOut               Name = "no-route-out"
	AddressedInterfaceDown Name = "addressed-interface-down"
	PrefixOutsideBlocks    Name = "prefix-outside-blocks"
	PublicSpace            Name = "public-space"
	SpecialSpace           Name = "special-space"
	LANNot64               Name = "lan-not-64"
	ReservedAnycastGiven   Name = "reserved-anycast-address"
	NetworksOverlap        Name = "networks-overlap"
	NeedUnfit              Name = "need-does-not-fit"
	NoNumberFree           Name = "no-number-free"
	SegmentOutgrown        Name = "segment-outgrown"
	HeadRoomGone           Name = "head-room-gone"
	BlockOutgrown          Name = "block-outgrown"
	BlockBelowHeadRoom     Name = "block-below-head-room"
	BlockUnsized           Name = "block-unsized"
	BlockNotAlike          Name = "block-not-alike"
	SubnetNumberDiffers    Name = "subnet-number-differs"
	OutsideItsBlock        Name = "outside-its-block"
	SiteNotSummarised      Name = "site-not-summarised"
	LedgerBehind           Name = "ledger-behind"
	LeaseOverFixed         Name = "lease-over-fixed-address"
	LeaseOutOfReach        Name = "lease-out-of-reach"
	RelayForNothing        Name = "relay-for-nothing"
	NotAdvertised          Name = "not-advertised"
	SeveralPrimaries       Name = "several-primaries"
	CableMissing           Name = "cable-missing"
	PortInNothing          Name = "port-in-nothing"
	AccessDiffer           Name = "access-vlans-differ"
	UntaggedDiffer         Name = "untagged-vlans-differ"
	VLANMissing            Name = "vlan-missing"
	VLANShared             Name = "vlan-number-shared"
	TagDiffers             Name = "tag-differs"
	GroupEndsDiffer        Name = "group-ends-differ"
	VLANInterfaceDead      Name = "vlan-interface-dead"
	SegmentSplit           Name = "segment-split"
	SegmentsLeak           Name = "segments-leak"
	Layer2Loop             Name = "layer-2-loop"
	Layer2Storm            Name = "layer-2-storm"
	VLANBlocked            Name = "vlan-blocked"
	MTUDiffers             Name = "mtu-differs"
	SerialClock            Name = "serial-clock"
	VirtualMaster          Name = "virtual-master"
	DuplicateStatic        Name = "duplicate-static"
	RedundantStatic        Name = "redundant-static"
	FloatsSameWay          Name = "floats-the-same-path"
	NeverFloats            Name = "never-floats"
	ProbePassesTable       Name = "probe-passes-table"
	SentBack               Name = "next-hop-sends-back"
	NoDiscard              Name = "no-discard-route"
	BlackHole              Name = "black-hole"
	FloatNotBehind         Name = "floating-route-preferred"
	DefaultsCompete        Name = "defaults-compete"
	LeaksToStandby         Name = "leaks-to-standby-carrier"
	OutOnShared            Name = "out-onto-shared-segment"
	WatchesChase           Name = "watches-chase"
	WantedMissing          Name = "wanted-path-missing"
	NoDefault              Name = "no-default-to-world"
	CarrierDrops           Name = "carrier-without-return-path"
	PathsDiffer            Name = "paths-differ"
	HalfSeen               Name = "firewall-sees-half"
	Unprotected            Name = "path-unprotected"
	DerivedFlawed          Name = "derived-routes-fail"
	StaticUnsuited         Name = "static-routes-unsuited"
	AcceptUnused           Name = "accepted-not-found"
	PairsUnsaid            Name = "pairs-unsaid"
	PairsApart             Name = "pairs-apart"
	RequirementUnmet       Name = "requirement-unmet"
	BadFailure             Name = "unknown-part"
	PermitHidden           Name = "permit-hidden"
	PermitUnused           Name = "permit-decides-nothing"
	FilteredOneWay         Name = "filtered-one-way"
	PendingNeeded          Name = "pending-permit-needed"
	TranslatedHeld         Name = "translated-address-held"
	TranslatedTwice        Name = "translated-address-twice"
	TranslatedForeign      Name = "translated-address-foreign"
	TranslatedUnrouted     Name = "translated-address-unrouted"
	TranslationShort       Name = "translation-shortage"
	MTUHole                Name = "mtu-black-hole"
	LikelySlip             Name = "likely-slip"
	PortShared             Name = "port-shared"
	DestinationDoubtful    Name = "destination-doubtful"
	NoManagement           Name = "no-management-address"
	Unmanageable           Name = "unmanageable"
	ManagedByItself        Name = "managed-by-itself"

	NoSourceAddress Name = "no-source-address"
	NoGateway       Name = "no-gateway"
	NoRouteFound    Name = "no-route"
	InterfaceIsDown Name = "interface-down"
	NextHopSilent   Name = "next-hop-silent"
	AddressSilent   Name = "address-silent"
	ForwardingLoop  Name = "forwarding-loop"
	TTLRanOut       Name = "ttl-ran-out"
	Discarded       Name = "discarded"
	NotForwarded    Name = "not-forwarded"
	PacketTooBig    Name = "packet-too-big"
	DroppedOversize Name = "dropped-oversize"

	ServiceUnanswered  Name = "service-not-answered"
	FilteredOut        Name = "filtered-out"
	RefusedByPermit    Name = "refused-by-permit"
	StateUnknown       Name = "request-never-seen"
	NoAddressLeft      Name = "no-address-left"
	ReplyFromElsewhere Name = "reply-from-elsewhere"
	AnotherAnswers     Name = "another-answers"
)

var catalogue = [...]Entry{
	{
		Name: UnreadableFile, Severity: Error, Stage: Reading,
		Means:   "The file cannot be read as text at all.",
		Why:     "It is missing, a directory, empty, too large, binary, or not in UTF-8; or it holds a control character, which could play tricks on a terminal.",
		Remedy:  "Name the right file, or save it as plain UTF-8 text.",
		Example: "ropeswing: 1\nplan: Bell\x07\n",
	},
	{
		Name: NotYAML, Severity: Error, Stage: Reading,
		Means:   "The text is not well-formed YAML.",
		Why:     "A bracket or quote is not closed, or lines that belong together do not line up.",
		Remedy:  "Mend the line named; what follows it was not read.",
		Example: "ropeswing: 1\nblocks: {home: [10.48.0.0/20}\n",
	},
	{
		Name: NotAPlan, Severity: Error, Stage: Reading,
		Means:   "The file is YAML but no plan, or does not say which version of the format it is in.",
		Why:     "Without the version a later Rope Swing could misread it.",
		Remedy:  "Begin the file with 'ropeswing: 1'.",
		Example: "plan: Skerry Lights\n",
	},
	{
		Name: TabIndent, Severity: Error, Stage: Reading,
		Means:   "A line is indented with a tab.",
		Why:     "YAML allows spaces only, since editors disagree on how wide a tab is.",
		Remedy:  "Replace the tab with spaces.",
		Example: "ropeswing: 1\nsegments:\n\tquay-staff: {vlan: 110}\n",
	},
	{
		Name: MissingSpace, Severity: Error, Stage: Reading,
		Means:   "There is no space behind a key's colon.",
		Why:     "YAML reads 'vlan:110' as one word.",
		Remedy:  "Write 'vlan: 110'.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan:110}\n",
	},
	{
		Name: UnquotedIPv6, Severity: Error, Stage: Reading,
		Means:   "An IPv6 address that ends in a colon stands without quotes.",
		Why:     "YAML takes the last colon for the one behind a key.",
		Remedy:  "Put the address in quotes.",
		Example: "ropeswing: 1\nblocks:\n  home: [2001:db8::]\n",
	},
	{
		Name: LeadingZero, Severity: Error, Stage: Reading,
		Means:   "A number begins with a zero.",
		Why:     "Some readers of YAML take 0110 for the octal number 72.",
		Remedy:  "Leave out the zero.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 0110}\n",
	},
	{
		Name: AliasUsed, Severity: Error, Stage: Reading,
		Means:   "The plan uses a YAML alias or merge key.",
		Why:     "An edit at one place would change others unseen, and a small file could stand for an enormous one.",
		Remedy:  "Write out what the alias stands for; ports alike can be written as a range.",
		Example: "ropeswing: 1\nblocks:\n  home: &home [10.48.0.0/20]\n  again: *home\n",
	},
	{
		Name: UnknownKey, Severity: Error, Stage: Reading,
		Means:   "A map has a key that means nothing there.",
		Why:     "A key mistyped would otherwise be passed over in silence.",
		Remedy:  "Use the key named, or see the reference for those there are.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlna: 110}\n",
	},
	{
		Name: DuplicateKey, Severity: Error, Stage: Reading,
		Means:   "A key stands twice in one map.",
		Why:     "YAML would quietly drop one of the two.",
		Remedy:  "Remove one, or join the two.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110}\n  quay-staff: {vlan: 120}\n",
	},
	{
		Name: MissingKey, Severity: Error, Stage: Reading,
		Means:   "Something needed is not said.",
		Why:     "It cannot be worked out from the rest.",
		Remedy:  "Add the key named.",
		Example: "ropeswing: 1\ndevices:\n  quay-edge: {note: what is it?}\n",
	},
	{
		Name: KeyOutOfPlace, Severity: Error, Stage: Reading,
		Means:   "A key says something that cannot be of this kind of thing.",
		Why:     "A switch port has no address, a router no gateway, and an interface is one kind at a time.",
		Remedy:  "Remove the key, or say what is meant by the one named.",
		Example: "ropeswing: 1\ndevices:\n  quay-edge: {is: router, gateway: 192.0.2.1}\n",
	},
	{
		Name: WrongType, Severity: Error, Stage: Reading,
		Means:   "A list, map or word stands where another of them is wanted.",
		Why:     "Most often something is indented too far or not far enough.",
		Remedy:  "See the reference for what the key wants.",
		Example: "ropeswing: 1\nsegments: [quay-staff]\n",
	},
	{
		Name: BadValue, Severity: Error, Stage: Reading,
		Means:   "A value is not one of those there can be.",
		Why:     "It is out of range, or no word the key knows.",
		Remedy:  "Use one of those named.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 4095}\n",
	},
	{
		Name: PlanTooLarge, Severity: Error, Stage: Reading,
		Means:   "The plan stands for more than one plan may.",
		Why:     "A few words with ranges and patterns in them can stand for millions of ports. There is a bound, so that a slip of a digit does not take all memory.",
		Remedy:  "Look at the range, or make a plan of a part of the network.",
		Example: "ropeswing: 1\ndevices:\n  quay-sw(1..300): {is: switch, interfaces: {p1..p4000: {}}}\n",
	},
	{
		Name: BadName, Severity: Error, Stage: Reading,
		Means:   "Something has a name that would be read as something else.",
		Why:     "Names stand in commands and sentences beside addresses, so they hold no space, colon or slash, are no address and none of Rope Swing's own words, and show as they are written.",
		Remedy:  "Choose another name.",
		Example: "ropeswing: 1\ndevices:\n  \"quay edge\": {is: router}\n",
	},
	{
		Name: NameTaken, Severity: Error, Stage: Reading,
		Means:   "One name is given to two things.",
		Why:     "Devices, segments, blocks and cables are all named in the same places, so one name must mean one thing.",
		Remedy:  "Rename one of the two.",
		Example: "ropeswing: 1\nsegments:\n  quay: {vlan: 110}\ndevices:\n  quay: {is: router}\n",
	},
	{
		Name: BadAddress, Severity: Error, Stage: Reading,
		Means:   "Something that should be an address or a subnet is none.",
		Why:     "A number is too large or missing, the length is missing, or the address is of the other family.",
		Remedy:  "Mend the address as the message says.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.256/26}\n",
	},
	{
		Name: TooManyOctets, Severity: Error, Stage: Reading,
		Means:   "An IPv4 address has more than four numbers.",
		Why:     "One was typed or pasted twice, or two addresses ran together.",
		Remedy:  "Leave out the one too many; where one stands twice, the message says what was likely meant.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.48.1.0/26}\n",
	},
	{
		Name: MissingDot, Severity: Error, Stage: Reading,
		Means:   "An IPv4 address has three numbers, one of which is likely two.",
		Why:     "A dot was left out in typing.",
		Remedy:  "Put the dot in; the message says where it may have been.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.481.0/26}\n",
	},
	{
		Name: MaskNotContiguous, Severity: Error, Stage: Reading,
		Means:   "A mask has ones behind a zero.",
		Why:     "A digit is off: no prefix length has this mask, and equipment refuses it or does what nobody expects.",
		Remedy:  "Use the mask suggested, or better a prefix length.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0 255.255.225.0}\n",
	},
	{
		Name: InverseMask, Severity: Error, Stage: Reading,
		Means:   "An inverse mask stands where a mask is wanted.",
		Why:     "Some equipment wants inverse masks in its permits, and the two are easily mixed up.",
		Remedy:  "Use the mask suggested, or better a prefix length.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0 0.0.0.63}\n",
	},
	{
		Name: NoPrefixLength, Severity: Error, Stage: Reading,
		Means:   "An address stands alone where its subnet matters.",
		Why:     "Without a length or mask it cannot be determined which addresses are on the link.",
		Remedy:  "Write the length behind it.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0}\n",
	},
	{
		Name: UnknownName, Severity: Error, Stage: Reading,
		Means:   "The plan names something it does not have.",
		Why:     "A name is mistyped, or the thing was renamed or removed.",
		Remedy:  "Use the name suggested, or add the thing.",
		Example: "ropeswing: 1\noperator: ops-latpop\ndevices:\n  ops-laptop: {is: host}\n",
	},
	{
		Name: Ambiguous, Severity: Error, Stage: Reading,
		Means:   "A next hop is named by its device, and the two devices share more than one segment.",
		Why:     "Either address could be meant.",
		Remedy:  "Write the address.",
		Example: "ropeswing: 1\nsegments:\n  beam-a: {prefix: 10.48.0.0/31}\n  beam-b: {prefix: 10.48.0.2/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces:\n      a: {segment: beam-a, address: first}\n      b: {segment: beam-b, address: first}\n    routes: {default: mole-rtr}\n  mole-rtr:\n    is: router\n    interfaces:\n      a: {segment: beam-a, address: last}\n      b: {segment: beam-b, address: last}\n",
	},
	{
		Name: PortCabledTwice, Severity: Error, Stage: Reading,
		Means:   "Two cables lead into one port.",
		Why:     "A port takes one plug.",
		Remedy:  "Give one of the cables another port.",
		Example: "ropeswing: 1\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1: {}}}\n  desk-1: {is: host, interfaces: {port: {}}}\n  desk-2: {is: host, interfaces: {port: {}}}\ncables: [desk-1:port to quay-sw1:p1, desk-2:port to quay-sw1:p1]\n",
	},
	{
		Name: NoVLANNumber, Severity: Error, Stage: Reading,
		Means:   "A switch port or VLAN interface is in a segment that has no VLAN number.",
		Why:     "A switch keeps segments apart by their numbers.",
		Remedy:  "Add 'vlan:' to the segment.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1: {access: quay-staff}}}\n",
	},
	{
		Name: NoSubnet, Severity: Error, Stage: Reading,
		Means:   "An address is given as a place, such as 'first', and there is no subnet for it to be a place in.",
		Why:     "The interface is on no segment, or its segment has no prefix.",
		Remedy:  "Add the segment or its prefix, or write the address with its length.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: first}}}\n",
	},
	{
		Name: NoSuchPlace, Severity: Error, Stage: Reading,
		Means:   "An address is given as a place the subnet does not have.",
		Why:     "The subnet has fewer usable addresses than that.",
		Remedy:  "Use a lower number, or make the subnet larger.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/29}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: 7}}}\n",
	},
	{
		Name: NoSharedSegment, Severity: Error, Stage: Reading,
		Means:   "A device is named as next hop or gateway, and has no address where it would be needed.",
		Why:     "A next hop must be on a segment of the device that uses it, with an address of the same family.",
		Remedy:  "Name a neighbour, or write an address that another route leads to.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\n  mole-staff: {prefix: 10.48.2.0/26}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {lan0: {segment: quay-staff, address: first}}\n    routes: {default: mole-rtr}\n  mole-rtr:\n    is: router\n    interfaces: {lan0: {segment: mole-staff, address: first}}\n    routes: {10.48.1.0/26: {discard: true}}\n",
	},
	{
		Name: IncludeRefused, Severity: Error, Stage: Reading,
		Means:   "A file that the plan includes cannot be taken in.",
		Why:     "It is missing, taken in already, or outside the plan's folder: a plan never reads what is not below it.",
		Remedy:  "Name a file in the plan's folder or below it, by its path from the file that includes it.",
		Example: "ropeswing: 1\ninclude: ../mole.yaml\n",
	},
	{
		Name: LedgerBroken, Severity: Error, Stage: Reading,
		Means:   "The ledger beside the plan cannot be read, or contradicts itself.",
		Why:     "It was edited or merged by hand: a number has two owners, an owner two numbers, or subnets overlap. Which is right cannot be known, and a guess could renumber a network.",
		Remedy:  "Remove the line that is wrong; a version control system has the ledger as it was.",
		Example: "ropeswing: 1\nblocks: {home: [10.48.0.0/20]}\nsegments:\n  quay-staff: {hosts: 42}\n",
		Ledger:  "ropeswing-ledger 1\nquay-staff subnet 10.48.0.0/26\nquay-staff subnet 10.48.1.0/26\n",
	},

	{
		Name: DuplicateAddress, Severity: Error, Stage: Checking,
		Means:   "Two interfaces have the same address.",
		Why:     "On one segment either may answer, and connections break at random; on two, one of them cannot be reached. A link-local address may be used again on another segment.",
		Remedy:  "Give one of them another address.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  desk-8: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n",
	},
	{
		Name: SubnetOrBroadcast, Severity: Error, Stage: Checking,
		Means:   "An interface has the subnet's own address or its broadcast address.",
		Why:     "Neither is for one machine: most equipment refuses it, and the rest behaves oddly. In IPv6 the address with no host bits belongs to all routers of the subnet (RFC 4291 §2.6.1).",
		Remedy:  "Use a usable address.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.64/26}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: 10.48.1.64/26}}}\n",
	},
	{
		Name: HostBitsSet, Severity: Error, Stage: Checking,
		Means:   "A subnet is meant, and what is written is an address in one.",
		Why:     "Either the address or the length is a slip. Rope Swing goes on with the host bits cleared.",
		Remedy:  "Write the subnet with its host bits cleared.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.70/26}\n",
	},
	{
		Name: AddressOutsideSegment, Severity: Error, Stage: Checking,
		Means:   "An interface's address is in none of its segment's subnets.",
		Why:     "Its neighbours take it to be elsewhere and send to their gateway instead. Often a digit is off, or the cable is in another segment's port.",
		Remedy:  "Give it an address of the segment, or put it on the segment of the address.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: 10.48.11.1/26}}}\n",
	},
	{
		Name: LengthDiffers, Severity: Error, Stage: Checking,
		Means:   "An interface has an address of its segment with another prefix length.",
		Why:     "It takes a wrong set of addresses to be on the link: with too short a length it looks on the link for what is behind the gateway, with too long a one it sends to the gateway what is beside it.",
		Remedy:  "Use the segment's length.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: 10.48.1.1/24}}}\n",
	},
	{
		Name: OverlappingSubnets, Severity: Error, Stage: Checking,
		Means:   "Two subnets have addresses in common.",
		Why:     "A packet to such an address goes to the longer match, and the other segment is cut off from it.",
		Remedy:  "Move or shrink one of the two.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\n  quay-guest: {prefix: 10.48.1.32/27}\n",
	},
	{
		Name: GatewayOutsideSubnet, Severity: Error, Stage: Checking,
		Means:   "A host's gateway is not in any of its own subnets.",
		Why:     "A host can only hand a packet to someone on its own link. Often the address or the length of one of the two is mistyped.",
		Remedy:  "Use the router's address in the host's subnet.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  desk-7:\n    is: host\n    interfaces: {port: {segment: quay-staff, address: 10}}\n    gateway: 10.48.11.1\n",
	},
	{
		Name: GatewayUnheld, Severity: Error, Stage: Checking,
		Means:   "Nobody on the segment has the address a host uses as its gateway.",
		Why:     "Everything the host sends to other subnets is lost.",
		Remedy:  "Use the router's address, or give the router this one.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  desk-7:\n    is: host\n    interfaces: {port: {segment: quay-staff, address: 10}}\n    gateway: 10.48.1.1\n",
	},
	{
		Name: NextHopUnresolvable, Severity: Error, Stage: Checking,
		Means:   "No route of the device leads to a static route's next hop.",
		Why:     "The route never comes into use. A next hop that only the default route matches does not count, and nor does one that leads back to the route itself.",
		Remedy:  "Name a neighbour's address, or add a route to the next hop.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: first}}\n    routes: {10.48.2.0/26: 10.48.9.1}\n",
	},
	{
		Name: NextHopOneself, Severity: Error, Stage: Checking,
		Means:   "A static route's next hop is the device's own address.",
		Why:     "The device cannot hand packets on to itself; the route never comes into use. Most often the two ends of a link are mixed up.",
		Remedy:  "Use the address of the far end.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: first}}\n    routes: {10.48.2.0/26: 10.48.0.0}\n",
	},
	{
		Name: NextHopUnheld, Severity: Error, Stage: Checking,
		Means:   "A static route's next hop is on one of the device's links, and nobody there has the address.",
		Why:     "The route is in use all the same, and what it sends is lost.",
		Remedy:  "Use the address of the router that is there.",
		Example: "ropeswing: 1\nsegments:\n  quay-core: {prefix: 10.48.0.0/29}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {lan0: {segment: quay-core, address: first}}\n    routes: {10.48.2.0/26: 10.48.0.4}\n",
	},
	{
		Name: StaticHidden, Severity: Warning, Stage: Checking,
		Means:   "A static route leads to a subnet the device is on itself.",
		Why:     "The direct route has the lower distance and always wins while the interface is up. If the static one is meant as the other path when the interface fails, it works only for those who are not on the segment.",
		Remedy:  "Remove it, unless it is meant for when the interface is down.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\n  beam-mole: {prefix: 10.48.0.0/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces:\n      lan0: {segment: quay-staff, address: first}\n      beam0: {segment: beam-mole, address: first}\n    routes: {quay-staff: mole-rtr}\n  mole-rtr:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: last}}\n    routes: {quay-staff: quay-edge}\n",
	},
	{
		Name: NoWayOut, Severity: Error, Stage: Checking,
		Means:   "A device has addresses of a family and no route to any other subnet of it.",
		Why:     "It can talk to its neighbours only, and cannot answer anybody else: a ping to it fails on the return path.",
		Remedy:  "Give it a gateway, or a default route.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\n  mole-staff: {prefix: 10.48.2.0/26}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n",
	},
	{
		Name: AddressedInterfaceDown, Severity: Warning, Stage: Checking,
		Means:   "An interface has an address and is administratively down.",
		Why:     "On much equipment ports are down until they are switched on, and it is the easiest thing to forget.",
		Remedy:  "Switch it on, or remove its address if it is out of use.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: first, admin: down}}}\n",
	},
	{
		Name: PrefixOutsideBlocks, Severity: Warning, Stage: Checking,
		Means:   "A segment's subnet is in none of the plan's blocks.",
		Why:     "The plan says which address space it may use, and this is not of it. Either a digit is off, or a block is missing.",
		Remedy:  "Use a subnet of a block, or add a block for it.",
		Example: "ropeswing: 1\nblocks: {home: 10.48.0.0/20}\nsegments:\n  quay-staff: {prefix: 10.84.1.0/26}\n",
	},
	{
		Name: PublicSpace, Severity: Warning, Stage: Checking,
		Means:   "A segment uses public address space that no block says is ours.",
		Why:     "It belongs to somebody. Whoever really has it cannot be reached from here, and nobody beyond will route it to us.",
		Remedy:  "Use private or unique local addresses, or add a block if the space is yours.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 11.48.1.0/26}\n",
	},
	{
		Name: SpecialSpace, Severity: Error, Stage: Checking,
		Means:   "A segment uses address space that is kept for something else.",
		Why:     "Loopback, link-local, multicast and reserved addresses are treated specially by every machine, and a segment with them does not work.",
		Remedy:  "Use private or unique local addresses.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 127.48.1.0/26}\n",
	},
	{
		Name: LANNot64, Severity: Warning, Stage: Checking,
		Means:   "An IPv6 segment has a length other than 64, and is no point-to-point link.",
		Why:     "Hosts that make their own addresses need 64 bits for them (RFC 4291 §2.5.4, RFC 4862); with another length they get none.",
		Remedy:  "Use a length of 64, or 127 on a link between two routers.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: \"2001:db8:5ea:110::/72\"}\n",
	},
	{
		Name: ReservedAnycastGiven, Severity: Error, Stage: Checking,
		Means:   "An interface has one of the reserved IPv6 anycast addresses.",
		Why:     "RFC 2526 keeps 128 identifiers of every subnet for services that several machines offer together; such an address is not one machine's.",
		Remedy:  "Use another address of the subnet.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: \"2001:db8:5ea:110::/64\"}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: \"2001:db8:5ea:110:fdff:ffff:ffff:fffe/64\"}}}\n",
	},
	{
		Name: NetworksOverlap, Severity: Error, Stage: Checking,
		Means:   "Two addresses of one device are in subnets that overlap without being the same.",
		Why:     "The device takes an address in both to be on one of the two links only, and much equipment refuses the second.",
		Remedy:  "Give both the same length, or move one to another subnet.",
		Example: "ropeswing: 1\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {lan0: {address: [10.48.1.1/24, 10.48.1.129/25]}}\n",
	},

	{
		Name: NeedUnfit, Severity: Error, Stage: Checking,
		Means:   "A segment's need has no place in its block.",
		Why:     "The block is too small, or what is free of it lies in pieces that are. What was given stays where it is, so nothing is moved to make room.",
		Remedy:  "Want less, widen the block, take from another one, or release numbers that are retired.",
		Example: "ropeswing: 1\nblocks: {home: [10.48.0.0/26]}\nsegments:\n  quay-staff: {hosts: 100}\n",
	},
	{
		Name: NoNumberFree, Severity: Error, Stage: Checking,
		Means:   "No VLAN number or address is left to give.",
		Why:     "All of the range or subnet are in use, kept for leases, or retired.",
		Remedy:  "Widen the range, let the segment grow, or release what is retired.",
		Example: "ropeswing: 1\nvlans: 110\nsegments:\n  quay-staff: {vlan: 110}\n  quay-guest: {vlan: auto}\n",
	},
	{
		Name: SegmentOutgrown, Severity: Error, Stage: Checking,
		Means:   "A segment needs more addresses than its subnet has.",
		Why:     "Its hosts have become more since the subnet was given, and a subnet that was given stays as it is until it is asked to grow.",
		Remedy:  "'assign --grow SEGMENT' makes it larger where it lies, if what is beside it is free, and else shows what moving it would renumber.",
		Example: "ropeswing: 1\nblocks: {home: [10.48.0.0/20]}\nsegments:\n  quay-staff: {hosts: 100}\n",
		Ledger:  "ropeswing-ledger 1\nquay-staff subnet 10.48.0.0/26\n",
	},
	{
		Name: HeadRoomGone, Severity: Warning, Stage: Checking,
		Means:   "A segment's subnet still holds its hosts, and no longer the growth the plan wants room for.",
		Why:     "The next few machines will find no address.",
		Remedy:  "Let it grow now, while it is no emergency: 'assign --grow SEGMENT'.",
		Example: "ropeswing: 1\nblocks: {home: [10.48.0.0/20]}\nsegments:\n  quay-staff: {hosts: 60, grow: 50%}\n",
		Ledger:  "ropeswing-ledger 1\nquay-staff subnet 10.48.0.0/26\n",
	},
	{
		Name: BlockOutgrown, Severity: Error, Stage: Checking,
		Means:   "What takes from a block needs more room than the block has, and what lies beside it is not free.",
		Why:     "A block that is too small grows by itself where it lies, which renumbers nothing. Where its neighbour is in use it cannot.",
		Remedy:  "'assign --grow BLOCK' shows what it would renumber to move the block, with everything in it, to where there is room.",
		Example: "ropeswing: 1\nblocks:\n  home: [10.48.0.0/20]\n  quay: {from: home, length: 26}\n  mole: {from: home, length: 27}\n",
		Ledger:  "ropeswing-ledger 1\nmole block 10.48.0.32/27\nquay block 10.48.0.0/27\n",
	},
	{
		Name: BlockBelowHeadRoom, Severity: Warning, Stage: Checking,
		Means:   "A block still holds what takes from it, and no longer the growth the plan wants room for.",
		Why:     "The next segments of the site will find no place in its block, and need routes of their own.",
		Remedy:  "Let it grow now: 'assign --grow BLOCK'. Where its neighbour is free nothing is renumbered.",
		Example: "ropeswing: 1\nblocks:\n  home: [10.48.0.0/20]\n  quay: {from: home, grow: 100%}\nsegments:\n  quay-staff: {hosts: 20, from: quay}\n",
		Ledger:  "ropeswing-ledger 1\nquay block 10.48.0.0/27\nquay-staff subnet 10.48.0.0/27\n",
	},
	{
		Name: BlockUnsized, Severity: Warning, Stage: Checking,
		Means:   "A block is taken from another, and nothing says how large it is.",
		Why:     "A block is as large as what takes from it, and nothing does.",
		Remedy:  "Say 'from' with its name where something takes from it, or give it a 'length'.",
		Example: "ropeswing: 1\nblocks:\n  home: [10.48.0.0/20]\n  quay: {from: home}\n",
	},
	{
		Name: BlockNotAlike, Severity: Warning, Stage: Checking,
		Means:   "Something does not lie where its like do in blocks that should be alike.",
		Why:     "It was given before, is written in the plan, or needs more room than there is at that place. What was given is not moved.",
		Remedy:  "Live with it, or give it another number: 'assign --renumber NAME'.",
		Example: "ropeswing: 1\nblocks:\n  home: [10.48.0.0/20]\n  quay: {from: home, length: 25, alike: site}\n  mole: {from: home, length: 25, alike: site}\n  pier: {from: home, length: 25, alike: site}\nsegments:\n  quay-cam: {hosts: 20, from: quay}\n  mole-cam: {hosts: 20, from: mole}\n  pier-cam: {hosts: 20, from: pier}\n",
		Ledger:  "ropeswing-ledger 1\nmole block 10.48.0.128/25\nmole-cam subnet 10.48.0.128/27\npier block 10.48.1.0/25\npier-cam subnet 10.48.1.32/27\nquay block 10.48.0.0/25\nquay-cam subnet 10.48.0.0/27\n",
	},
	{
		Name: SubnetNumberDiffers, Severity: Warning, Stage: Checking,
		Means:   "An IPv6 subnet does not have its VLAN's number, as its block asks.",
		Why:     "It was given before, is written in the plan, or another one has that number.",
		Remedy:  "Live with it, or give it another number: 'assign --renumber NAME'.",
		Example: "ropeswing: 1\nblocks:\n  home: [2001:db8:5ea::/48]\n  quay: {from: home, length: 52, subnet-number: vlan}\nsegments:\n  quay-staff: {hosts: 20, vlan: 110, from: quay}\n",
		Ledger:  "ropeswing-ledger 1\nquay block 2001:db8:5ea::/52\nquay-staff subnet 2001:db8:5ea::/64\n",
	},
	{
		Name: OutsideItsBlock, Severity: Warning, Stage: Checking,
		Means:   "A number does not lie in the block it is taken from.",
		Why:     "It was given before the plan said so, and what was given is not moved. The route to the block does not lead to it.",
		Remedy:  "Live with it, or give it another number: 'assign --renumber NAME'.",
		Example: "ropeswing: 1\nblocks:\n  home: [10.48.0.0/20]\n  quay: {from: home, length: 24}\nsegments:\n  quay-staff: {hosts: 20, from: quay}\n",
		Ledger:  "ropeswing-ledger 1\nquay block 10.48.1.0/24\nquay-staff subnet 10.48.0.0/27\n",
	},
	{
		Name: SiteNotSummarised, Severity: Advice, Stage: Checking,
		Means:   "The subnets of a site do not lie together, so that it needs several routes in the tables of others.",
		Why:     "They were given one by one out of space that others take from too, or before the site had a block.",
		Remedy:  "Give the site a block, and renumber what lies outside it. What that saves is shown: it was tried.",
		Example: "ropeswing: 1\nwants: {}\nblocks: {home: [10.48.0.0/20]}\nsegments:\n  a1: {hosts: 20}\n  b1: {hosts: 20}\n  a2: {hosts: 20}\n  b2: {hosts: 20}\n  a3: {hosts: 20}\n  b3: {hosts: 20}\n  a4: {hosts: 20}\n  b4: {hosts: 20}\n  beam: {point-to-point: true, prefix: 10.48.9.0/31}\ndevices:\n  a: {is: router, interfaces: {p: {segment: beam, address: 1}, l1: {segment: a1, address: first}, l2: {segment: a2, address: first}, l3: {segment: a3, address: first}, l4: {segment: a4, address: first}}}\n  b: {is: router, interfaces: {p: {segment: beam, address: 2}, l1: {segment: b1, address: first}, l2: {segment: b2, address: first}, l3: {segment: b3, address: first}, l4: {segment: b4, address: first}}}\n",
		Ledger:  "ropeswing-ledger 1\na1 subnet 10.48.0.0/27\na2 subnet 10.48.0.64/27\na3 subnet 10.48.0.128/27\na4 subnet 10.48.0.192/27\nb1 subnet 10.48.0.32/27\nb2 subnet 10.48.0.96/27\nb3 subnet 10.48.0.160/27\nb4 subnet 10.48.0.224/27\n",
	},
	{
		Name: LedgerBehind, Severity: Warning, Stage: Checking,
		Means:   "The plan uses numbers that the ledger does not remember yet, or the ledger remembers some that nothing asks for.",
		Why:     "What is not remembered may come out differently once the plan changes.",
		Remedy:  "Look at them with 'assign', and keep them with 'assign -w'.",
		Example: "ropeswing: 1\nblocks: {home: [10.48.0.0/20]}\nsegments:\n  quay-staff: {hosts: 42}\n",
	},
	{
		Name: LeaseOverFixed, Severity: Error, Stage: Checking,
		Means:   "An interface has an address that hosts may lease.",
		Why:     "Sooner or later some host is given it too, and one of the two falls silent.",
		Remedy:  "Give the interface another address, or shorten the range.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26, leases: 10..29}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 12}}}\n",
	},
	{
		Name: LeaseOutOfReach, Severity: Error, Stage: Checking,
		Means:   "What hosts ask to lease an address does not get to who gives it, or the answer not back.",
		Why:     "A host asks by broadcast, which no router passes on. A server on another subnet hears it only where a router relays it (RFC 1542), and answers to the address of the router's interface.",
		Remedy:  "Give the router's interface on the segment 'relay', and see that the packets pass there and back.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26, leases: {range: 10..29, by: log-server}}\n  quay-servers: {prefix: 10.48.1.64/28}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: 1}, lan1: {segment: quay-servers, address: 1}}}\n  log-server: {is: host, interfaces: {port: {segment: quay-servers, address: 10}}}\n",
	},
	{
		Name: RelayForNothing, Severity: Warning, Stage: Checking,
		Means:   "An interface relays what hosts ask to somebody who gives no leases on its segment.",
		Why:     "Either the leases of the segment name another server, or the relay leads to the wrong one, and hosts get no address.",
		Remedy:  "Relay to who gives the leases, or say 'leases' of the segment with 'by'.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\n  quay-servers: {prefix: 10.48.1.64/28}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: 1, relay: log-server}, lan1: {segment: quay-servers, address: 1}}}\n  log-server: {is: host, interfaces: {port: {segment: quay-servers, address: 10}}}\n",
	},
	{
		Name: NotAdvertised, Severity: Error, Stage: Checking,
		Means:   "Hosts take their IPv6 gateway, and some their address, from what a router advertises, and get none.",
		Why:     "Without advertisements a host has no gateway in IPv6 (RFC 4861), and unless it leases one, no address but its link-local one (RFC 4862). A lease brings no gateway (RFC 8415). The subnet has to be of length 64.",
		Remedy:  "Give the router's interface 'advertises: true'.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: \"2001:db8:5ea:110::/64\"}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: 1}}}\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: advertised}}}\ncables:\n  - desk-7:port to quay-edge:lan0\n",
	},
	{
		Name: SeveralPrimaries, Severity: Warning, Stage: Checking,
		Means:   "An interface has several IPv4 addresses of one subnet, and none is said to be secondary.",
		Why:     "What the device sends comes from one of them, and makes differ in which: permits and monitoring that expect the other see a stranger.",
		Remedy:  "Leave the one to send from under 'address', and put the others under 'secondary'.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: [1, 2]}}}\n",
	},

	{
		Name: CableMissing, Severity: Error, Stage: Checking,
		Means:   "A port is on a segment whose other members are cabled, and is itself plugged into nothing.",
		Why:     "A segment is a wire of its own only where none of its members is cabled. Here a cable was forgotten, and nobody hears the port.",
		Remedy:  "Add the cable; or take the segment from the port.",
		Example: "ropeswing: 1\nsegments: {quay-staff: {vlan: 110, prefix: 10.48.1.0/26}}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1..p3: {access: quay-staff}}}\n  desk-7: {is: host, gateway: 10.48.1.10, interfaces: {port: {segment: quay-staff, address: 9}}}\n  desk-8: {is: host, gateway: 10.48.1.9, interfaces: {port: {segment: quay-staff, address: 10}}}\ncables: [\"desk-7:port to quay-sw1:p1\"]\n",
	},
	{
		Name: PortInNothing, Severity: Warning, Stage: Checking,
		Means:   "A cable leads to a port that is on no segment and in no VLAN.",
		Why:     "Nothing that comes by the cable gets any further. On some equipment such a port is in VLAN 1: say so with the setting default-vlan.",
		Remedy:  "Say what the port carries, or remove the cable.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1: {access: quay-staff}}}\n  quay-sw2: {is: switch, interfaces: {p1: {}}}\ncables: [quay-sw1:p1 to quay-sw2:p1]\n",
	},
	{
		Name: AccessDiffer, Severity: Error, Stage: Checking,
		Means:   "The two ends of a cable are access ports in different VLANs.",
		Why:     "The frames of the one VLAN become those of the other: two segments are on one wire, and hosts of the one sit in the subnet of the other.",
		Remedy:  "Put both in one VLAN, or carry them tagged.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110}\n  quay-guest: {vlan: 120}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1: {access: quay-staff}}}\n  quay-sw2: {is: switch, interfaces: {p1: {access: quay-guest}}}\ncables: [quay-sw1:p1 to quay-sw2:p1]\n",
	},
	{
		Name: UntaggedDiffer, Severity: Error, Stage: Checking,
		Means:   "The untagged frames of a trunk are in different VLANs at its two ends.",
		Why:     "The one VLAN leaks into the other, silently.",
		Remedy:  "Use the same untagged VLAN at both ends, or none.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110}\n  quay-guest: {vlan: 120}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1: {tagged: [7], untagged: quay-staff}}}\n  quay-sw2: {is: switch, interfaces: {p1: {tagged: [7], untagged: quay-guest}}}\ncables: [quay-sw1:p1 to quay-sw2:p1]\n",
	},
	{
		Name: VLANMissing, Severity: Warning, Stage: Checking,
		Means:   "A VLAN is carried at one end of a cable and not at the other.",
		Why:     "Its frames are dropped where they arrive. It is the slip most often made on trunks, and shows only as a ping without a reply.",
		Remedy:  "Add it where it is missing, or take it away at the other end.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110}\n  quay-guest: {vlan: 120}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1: {tagged: [quay-staff, quay-guest]}}}\n  quay-sw2: {is: switch, interfaces: {p1: {tagged: [quay-staff]}}}\ncables: [quay-sw1:p1 to quay-sw2:p1]\n",
	},
	{
		Name: VLANShared, Severity: Error, Stage: Checking,
		Means:   "Two segments have one VLAN number, and switches carry both as one.",
		Why:     "Switches know numbers, not names: the two are one wire.",
		Remedy:  "Give one of them another number.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110}\n  mole-staff: {vlan: 110}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1: {access: quay-staff}, p24: {tagged: [110]}}}\n  mole-sw: {is: switch, interfaces: {p1: {access: mole-staff}, p24: {tagged: [110]}}}\n  desk-1: {is: host, at: \"quay-sw1:p1\", address: none}\n  desk-2: {is: host, at: \"mole-sw:p1\", address: none}\ncables: [quay-sw1:p24 to mole-sw:p24]\n",
	},
	{
		Name: TagDiffers, Severity: Advice, Stage: Checking,
		Means:   "The number of a subinterface is not its tag.",
		Why:     "It works. Whoever reads the name expects the tag, and that is how the wrong one is changed.",
		Remedy:  "Let the name end in the tag.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110, prefix: 10.48.1.0/26}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {}, lan0.11: {segment: quay-staff, tag: 110, address: first}}}\n",
	},
	{
		Name: GroupEndsDiffer, Severity: Warning, Stage: Checking,
		Means:   "The members of a group do not all lead to the members of one group at the far end, or one end negotiates and the other does not.",
		Why:     "A group that does not negotiate spreads what it sends over all its members, so that some of it is lost. One that negotiates leaves out those that lead elsewhere, and what was counted on as two cables is one (IEEE 802.1AX).",
		Remedy:  "Plug all members into one device, and put the ports at both ends into a group; say 'negotiates: true' at both ends or at none.",
		Example: "ropeswing: 1\nsegments: {staff: {vlan: 10, prefix: 10.48.0.0/24}}\ndevices:\n  sw-a: {is: switch, interfaces: {p1: {}, p2: {}, g: {members: [p1, p2], tagged: [staff]}}}\n  sw-b: {is: switch, interfaces: {p1: {tagged: [staff]}, p2: {tagged: [staff]}}}\ncables: [sw-a:p1 to sw-b:p1, sw-a:p2 to sw-b:p2]\n",
	},
	{
		Name: VLANInterfaceDead, Severity: Warning, Stage: Checking,
		Means:   "A VLAN interface is down, since no port that carries its VLAN is up.",
		Why:     "The switch cannot be reached there, and its segment has lost its gateway.",
		Remedy:  "Bring up a port that carries the VLAN; or say vlan-interface-needs-port: false where the equipment does not mind.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110, prefix: 10.48.1.0/26}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1: {access: quay-staff, admin: down}, mgmt: {vlan: quay-staff, address: first}}}\n  desk-1: {is: host, at: \"quay-sw1:p1\", address: none}\n",
	},
	{
		Name: SegmentSplit, Severity: Error, Stage: Checking,
		Means:   "The members of a segment do not all hear one another.",
		Why:     "They have addresses of one subnet and look for one another on the link, in vain. A cable is missing, or a VLAN on a trunk.",
		Remedy:  "Join the pieces, or make two segments of them.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110, prefix: 10.48.1.0/26}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1..p2: {access: quay-staff}}}\n  mole-sw: {is: switch, interfaces: {p1..p2: {access: quay-staff}}}\n  desk-1: {is: host, at: \"quay-sw1:p1\", address: 1}\n  desk-2: {is: host, at: \"mole-sw:p1\", address: 2}\n",
	},
	{
		Name: SegmentsLeak, Severity: Error, Stage: Checking,
		Means:   "Two segments are on one wire.",
		Why:     "Broadcasts of the one reach the other, and a host that asks for an address may be given one of the wrong segment.",
		Remedy:  "Follow the two interfaces named to where they meet.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {}\n  quay-guest: {}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff}}}\n  desk-1: {is: host, interfaces: {port: {segment: quay-guest}}}\ncables: [quay-edge:lan0 to desk-1:port]\n",
	},
	{
		Name: Layer2Loop, Severity: Advice, Stage: Checking,
		Means:   "A cable closes a loop of switches, and the spanning tree blocks it.",
		Why:     "That is how it should be where the loop is meant for redundancy. The cable carries nothing until another fails.",
		Remedy:  "None is needed. Which cable is blocked depends on the root: say tree-root where it is not the first switch.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1..p2: {tagged: [quay-staff]}}}\n  quay-sw2: {is: switch, interfaces: {p1..p2: {tagged: [quay-staff]}}}\ncables:\n  - quay-sw1:p1 to quay-sw2:p1\n  - quay-sw1:p2 to quay-sw2:p2\n",
	},
	{
		Name: Layer2Storm, Severity: Error, Stage: Checking,
		Means:   "A cable closes a loop of switches, and nothing blocks it.",
		Why:     "The first broadcast loops for ever, and with it all others until nothing else gets through.",
		Remedy:  "Remove the cable, group the two, or use a spanning tree.",
		Example: "ropeswing: 1\nsettings: {spanning-tree: none}\nsegments:\n  quay-staff: {vlan: 110}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1..p2: {tagged: [quay-staff]}}}\n  quay-sw2: {is: switch, interfaces: {p1..p2: {tagged: [quay-staff]}}}\ncables:\n  - quay-sw1:p1 to quay-sw2:p1\n  - quay-sw1:p2 to quay-sw2:p2\n",
	},
	{
		Name: VLANBlocked, Severity: Error, Stage: Checking,
		Means:   "The only cable that carries a VLAN is blocked by the spanning tree.",
		Why:     "One tree for all VLANs knows nothing of which cable carries which: the VLAN is in pieces though a cable is there.",
		Remedy:  "Carry it on the other cables of the loop too, or use a tree for each VLAN.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110}\n  quay-guest: {vlan: 120}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p1: {tagged: [quay-staff]}, p2: {tagged: [quay-guest]}}}\n  quay-sw2: {is: switch, interfaces: {p1: {tagged: [quay-staff]}, p2: {tagged: [quay-guest]}}}\ncables:\n  - quay-sw1:p1 to quay-sw2:p1\n  - quay-sw1:p2 to quay-sw2:p2\n",
	},
	{
		Name: MTUDiffers, Severity: Warning, Stage: Checking,
		Means:   "Two interfaces of one wire have different MTUs.",
		Why:     "What the one sends the other may drop, silently: small pings work, large transfers hang.",
		Remedy:  "Use one MTU on the whole wire.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\ndevices:\n  quay-edge: {is: router, interfaces: {beam0: {segment: beam-mole, address: first, mtu: 9000}}}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last, mtu: 1500}}}\n",
	},
	{
		Name: SerialClock, Severity: Error, Stage: Checking,
		Means:   "A serial line is not clocked by exactly one of its ends.",
		Why:     "Without a clock no bit moves; with two none is where the other looks for it. The line stays down.",
		Remedy:  "Say clock: here at the one end that gives the clock.",
		Example: "ropeswing: 1\nsegments:\n  line: {prefix: 10.48.0.0/31}\ndevices:\n  quay-edge: {is: router, interfaces: {ser0: {segment: line, address: first, line: serial}}}\n  far-skerry: {is: router, interfaces: {ser0: {segment: line, address: last, line: serial}}}\ncables: [quay-edge:ser0 to far-skerry:ser0]\n",
	},
	{
		Name: VirtualMaster, Severity: Error, Stage: Checking,
		Means:   "A gateway address that routers share has no master, or several.",
		Why:     "Without a master nobody forwards for the segment. With two, which have lost sight of each other, each answers on its side.",
		Remedy:  "Bring up one of the interfaces, or what joins them.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {vlan: 110, prefix: 10.48.1.0/26}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {admin: down}, lan0.110: {segment: quay-staff, address: none, virtual: first}}}\n  quay-sw1: {is: switch, interfaces: {p1: {access: quay-staff}, p2: {tagged: quay-staff}}}\n  desk-1: {is: host, at: \"quay-sw1:p1\", address: none}\ncables: [quay-edge:lan0 to quay-sw1:p2]\n",
	},
	{
		Name: DuplicateStatic, Severity: Warning, Stage: Checking,
		Means:   "A device has one static route twice.",
		Why:     "The second does nothing, and whoever changes the one is surprised by the other.",
		Remedy:  "Remove one of them.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: first}}\n    routes: {10.48.2.0/24: [mole-rtr, 10.48.0.1]}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}}, routes: {10.48.2.0/24: {discard: true}}}\n",
	},
	{
		Name: RedundantStatic, Severity: Advice, Stage: Checking,
		Means:   "A static route sends its prefix the way that a shorter one sends it already.",
		Why:     "It is one more line to keep right. It matters only if it is meant to stay when the shorter one goes.",
		Remedy:  "Remove it.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: first}}\n    routes: {10.48.2.0/24: mole-rtr, 10.48.0.0/20: mole-rtr}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}}, routes: {10.48.0.0/20: {discard: true}}}\n",
	},
	{
		Name: FloatsSameWay, Severity: Warning, Stage: Checking,
		Means:   "A floating route leaves the way the route before it does.",
		Why:     "What takes the first out of use takes the second too, so that it never helps.",
		Remedy:  "Give it a next hop on another interface.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: first}}\n    routes: {10.48.2.0/24: [mole-rtr, {out: beam0}]}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}}, routes: {10.48.2.0/24: {discard: true}}}\n",
	},
	{
		Name: NeverFloats, Severity: Warning, Stage: Checking,
		Means:   "A floating route waits behind one that stays in use when it should give way.",
		Why:     "A radio, converter or provider between the two keeps the near port up: the first route stays in use, and what it sends is lost, while another path is there. The same happens where a discard route holds the first one's next hop: with its link down, it discards.",
		Remedy:  "Let something watch the far end, or put the first choice on a port that sees faults; behind a discard route let the first choice name its interface.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\n  line: {prefix: 10.48.0.2/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: first}, line0: {segment: line, address: first}}\n    routes: {10.48.2.0/24: [10.48.0.1, 10.48.0.3]}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}, line0: {segment: line, address: last}}, routes: {10.48.2.0/24: {discard: true}}}\ncables:\n  - {between: \"quay-edge:beam0 to mole-rtr:beam0\", fault: hidden}\n  - quay-edge:line0 to mole-rtr:line0\n",
	},
	{
		Name: ProbePassesTable, Severity: Advice, Stage: Checking,
		Means:   "A watched route's probe is answered only where it leaves by the route's next hop, whatever the device's own table says of its address.",
		Why:     "Many devices send probes by their table. There this one would be discarded or go another way, and the route would come and go, or never be used.",
		Remedy:  "Give the device a route to what is watched by the same next hop; or set 'probes-by-table: true', and what follows is shown.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\n  beam-tern: {prefix: 10.48.0.2/31}\n  mole-staff: {prefix: 10.48.2.0/27}\ndevices:\n  quay-edge: {is: router, interfaces: {beam0: {segment: beam-mole, address: first}}, routes: {mole-staff: {next-hop: mole-rtr, watch: 10.48.0.2}, 10.48.0.2/31: {discard: true}}}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}, beam1: {segment: beam-tern, address: first}, lan0: {segment: mole-staff, address: first}}}\n  tern-rock: {is: router, interfaces: {beam0: {segment: beam-tern, address: last}}, routes: {default: mole-rtr}}\n",
	},
	{
		Name: SentBack, Severity: Error, Stage: Checking,
		Means:   "What a route sends on comes back: the next hop, or one behind it, sends it back.",
		Why:     "A next hop points the wrong way. Every packet loops until its TTL ends, and the links between carry it sixty times.",
		Remedy:  "Find the device whose route points the wrong way: 'why DEVICE ADDRESS' shows what each does.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\n  tern-watch: {prefix: 10.48.3.0/29}\ndevices:\n  quay-edge: {is: router, interfaces: {beam0: {segment: beam-mole, address: first}}, routes: {tern-watch: mole-rtr}}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}}, routes: {tern-watch: quay-edge}}\n",
	},
	{
		Name: NoDiscard, Severity: Warning, Stage: Checking,
		Means:   "Addresses of a routed prefix that nobody has loop in a loop.",
		Why:     "The far end has only some subnets of the prefix, and a default that leads back: every stray packet crosses the link some sixty times.",
		Remedy:  "Add a discard route for the prefix to the device that holds its subnets.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\n  mole-staff: {prefix: 10.48.2.0/27}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: first}}\n    routes: {10.48.2.0/24: mole-rtr}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}, lan0: {segment: mole-staff, address: first}}, routes: {default: quay-edge}}\n",
	},
	{
		Name: BlackHole, Severity: Error, Stage: Checking,
		Means:   "A route leads to an address somebody has by a device that loses it.",
		Why:     "The next hop, or one behind it, discards the packet or has no route for it: nothing comes back, not even an error where it discards.",
		Remedy:  "Give the device named last a route to the address, or send it by another path.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\n  beam-tern: {prefix: 10.48.0.2/31}\n  tern-watch: {prefix: 10.48.3.0/29}\ndevices:\n  quay-edge: {is: router, interfaces: {beam0: {segment: beam-mole, address: first}}, routes: {tern-watch: mole-rtr, beam-tern: mole-rtr}}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}, beam1: {segment: beam-tern, address: first}}, routes: {10.48.3.0/24: {discard: true}}}\n  tern-rock: {is: router, interfaces: {beam0: {segment: beam-tern, address: last}, lan0: {segment: tern-watch, address: first}}, routes: {default: mole-rtr}}\n",
	},
	{
		Name: FloatNotBehind, Severity: Warning, Stage: Checking,
		Means:   "A next hop stands behind another in a route, and has the lower distance.",
		Why:     "The order says which path is preferred; a distance written out says otherwise, and it is the distance that counts.",
		Remedy:  "Write the preferred path first, or give the one behind it the higher distance.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\n  line: {prefix: 10.48.0.2/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: first}, line0: {segment: line, address: first}}\n    routes: {10.48.2.0/24: [{next-hop: 10.48.0.1, distance: 20}, {next-hop: 10.48.0.3, distance: 5}]}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}, line0: {segment: line, address: last}}, routes: {10.48.2.0/24: {discard: true}}}\n",
	},
	{
		Name: DefaultsCompete, Severity: Warning, Stage: Checking,
		Means:   "A device has two default routes of the same distance.",
		Why:     "A flow takes the one or the other, so that half of all connections leave by a path that was perhaps meant to stand by, and come back by another firewall or are dropped for their source.",
		Remedy:  "Give the standby route a higher distance.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\n  line: {prefix: 10.48.0.2/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: first}, line0: {segment: line, address: first}}\n    routes: {default: [{next-hop: 10.48.0.1, distance: 1}, {next-hop: 10.48.0.3, distance: 1}]}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}, line0: {segment: line, address: last}}}\n",
	},
	{
		Name: LeaksToStandby, Severity: Warning, Stage: Checking,
		Means:   "A route sends part of the world by a carrier that otherwise stands by.",
		Why:     "The longest prefix wins, whatever the distance of the default: that part leaves by the slow or dear way always, not only when the other fails.",
		Remedy:  "Remove the route, unless the standby carrier is meant to carry this.",
		Example: "ropeswing: 1\nsegments:\n  fibre: {prefix: 198.51.100.32/30}\n  satellite: {prefix: 198.51.100.64/30}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {wan0: {segment: fibre, address: 2}, wan1: {segment: satellite, address: 2}}\n    routes: {default: [fibre-carrier, sat-carrier], 203.0.113.0/24: sat-carrier}\n  fibre-carrier: {is: world, beyond: [192.0.2.0/24, 203.0.113.0/24], interfaces: {to: {segment: fibre, address: 1}}, routes: {198.51.100.64/30: quay-edge}}\n  sat-carrier: {is: world, beyond: [192.0.2.0/24, 203.0.113.0/24], interfaces: {to: {segment: satellite, address: 1}}, routes: {198.51.100.32/30: quay-edge}}\n",
	},
	{
		Name: OutOnShared, Severity: Warning, Stage: Checking,
		Means:   "A route names an interface only, on a segment that may hold several.",
		Why:     "Without a next hop the device asks on the segment for each destination itself. Only a neighbour that answers for addresses of others (proxy ARP) makes that work, at the price of an entry for every address.",
		Remedy:  "Name the next hop too.",
		Example: "ropeswing: 1\nsegments:\n  quay-link: {prefix: 10.48.0.0/29}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {lan0: {segment: quay-link, address: first}}\n    routes: {10.48.1.0/24: {out: lan0}}\n  quay-core: {is: router, interfaces: {up0: {segment: quay-link, address: 2}}, routes: {10.48.1.0/24: {discard: true}}}\n",
	},
	{
		Name: WatchesChase, Severity: Warning, Stage: Checking,
		Means:   "What a route watches answers only while the route is out of use.",
		Why:     "The route comes and goes for ever: in use it takes the probe's own path away, out of use it gives it back.",
		Remedy:  "Watch an address whose path does not hang on the route.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\n  line: {prefix: 10.48.0.2/31}\ndevices:\n  quay-edge:\n    is: router\n    loopback: 10.48.0.9\n    interfaces: {beam0: {segment: beam-mole, address: first}, line0: {segment: line, address: first}}\n    routes: {10.48.0.8/32: [{next-hop: 10.48.0.1, watch: 10.48.0.8}, 10.48.0.3]}\n  mole-rtr:\n    is: router\n    loopback: 10.48.0.7\n    interfaces: {beam0: {segment: beam-mole, address: last}}\n    routes: {default: quay-edge}\n  tern-rock: {is: router, loopback: 10.48.0.8, interfaces: {line0: {segment: line, address: last}}, routes: {default: quay-edge}}\n",
	},
	{
		Name: WantedMissing, Severity: Error, Stage: Checking,
		Means:   "Two segments that are wanted to reach each other do not.",
		Why:     "Hand-written routes stand, and a device that is left out keeps to them: where they lack a forward or return path, nothing derived can give it.",
		Remedy:  "Add the route named in the remedy, or let routes be derived for that device.",
		Example: "ropeswing: 1\nwants: {leave-out: mole-rtr}\nsegments:\n  quay-link: {prefix: 10.48.0.0/31}\n  beam-mole: {prefix: 10.48.0.2/31}\n  mole-staff: {prefix: 10.48.2.0/27}\ndevices:\n  quay-core: {is: router, interfaces: {up0: {segment: quay-link, address: first}}}\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-link, address: last}, beam0: {segment: beam-mole, address: first}}}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}, lan0: {segment: mole-staff, address: first}}, routes: {10.48.9.0/24: {discard: true}}}\n",
	},
	{
		Name: NoDefault, Severity: Error, Stage: Checking,
		Means:   "A segment should reach the world, and a device on its path has no default route.",
		Why:     "The device is left out of deriving, or has hand-written routes that end the path.",
		Remedy:  "Give the device a default route, or let routes be derived for it.",
		Example: "ropeswing: 1\nwants: {leave-out: mole-rtr}\nsegments:\n  fibre: {prefix: 198.51.100.32/30}\n  beam-mole: {prefix: 10.48.0.0/31}\n  mole-staff: {prefix: 10.48.2.0/27}\ndevices:\n  fibre-carrier: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: fibre, address: 1}}, routes: {10.48.2.0/27: quay-edge, 10.48.0.0/31: quay-edge}}\n  quay-edge: {is: router, interfaces: {wan0: {segment: fibre, address: 2}, beam0: {segment: beam-mole, address: first}}}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}, lan0: {segment: mole-staff, address: first}}, routes: {198.51.100.32/30: quay-edge}}\n",
	},
	{
		Name: CarrierDrops, Severity: Warning, Stage: Checking,
		Means:   "A carrier has no return path to addresses that are sent by it.",
		Why:     "Carriers drop what comes from addresses they did not lend or route (RFC 2827): when the default floats to this one, those segments lose the world though a path is there.",
		Remedy:  "Have the carrier route the addresses to us, or translate them on the path.",
		Example: "ropeswing: 1\nwants: {}\nsegments:\n  fibre: {prefix: 198.51.100.32/30}\n  satellite: {prefix: 198.51.100.64/30}\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  fibre-carrier: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: fibre, address: 1}}, routes: {10.48.1.0/26: quay-edge, 198.51.100.64/30: quay-edge}}\n  sat-carrier: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: satellite, address: 1}}, routes: {198.51.100.32/30: quay-edge}}\n  quay-edge: {is: router, interfaces: {wan0: {segment: fibre, address: 2}, wan1: {segment: satellite, address: 2}, lan0: {segment: quay-staff, address: first}}}\n",
	},
	{
		Name: PathsDiffer, Severity: Advice, Stage: Checking,
		Means:   "What two segments send each other takes another return path than forward.",
		Why:     "It works. But a firewall on one of the paths sees half of each connection and drops it, and a trace shows half of the truth.",
		Remedy:  "Where it matters, give the paths the same cost in both directions.",
		Example: "ropeswing: 1\nwants: {links: true, leave-out: quay-edge}\nsegments:\n  beam-a: {prefix: 10.48.0.0/31}\n  beam-b: {prefix: 10.48.0.2/31}\n  beam-c: {prefix: 10.48.0.4/31}\n  quay-staff: {prefix: 10.48.1.0/26}\n  tern-watch: {prefix: 10.48.3.0/29}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-a, address: first}, beam1: {segment: beam-b, address: first}, lan0: {segment: quay-staff, address: first}}\n    routes: {tern-watch: [{next-hop: mole-rtr, watch: 10.48.0.5}, tern-rock], beam-c: [mole-rtr, tern-rock]}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-a, address: last}, beam1: {segment: beam-c, address: first}}}\n  tern-rock: {is: router, interfaces: {beam0: {segment: beam-b, address: last}, beam1: {segment: beam-c, address: last}, lan0: {segment: tern-watch, address: first}}}\n",
	},
	{
		Name: HalfSeen, Severity: Error, Stage: Checking,
		Means:   "A firewall sees only one direction of what two segments send each other.",
		Why:     "A stateful firewall lets replies pass that belong to a request it saw. Where the request takes another path, or the reply does, it drops what it sees, or never knows that a connection is over.",
		Remedy:  "Lead both directions by the firewall.",
		Example: "ropeswing: 1\nwants: {links: true, leave-out: quay-edge}\nsegments:\n  beam-a: {prefix: 10.48.0.0/31}\n  beam-b: {prefix: 10.48.0.2/31}\n  beam-c: {prefix: 10.48.0.4/31}\n  quay-staff: {prefix: 10.48.1.0/26}\n  tern-watch: {prefix: 10.48.3.0/29}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-a, address: first}, beam1: {segment: beam-b, address: first}, lan0: {segment: quay-staff, address: first}}\n    routes: {tern-watch: [{next-hop: mole-rtr, watch: 10.48.0.5}, tern-rock], beam-c: [mole-rtr, tern-rock]}\n  mole-rtr: {is: firewall, permits: [anyone may reach anyone], interfaces: {beam0: {segment: beam-a, address: last}, beam1: {segment: beam-c, address: first}}}\n  tern-rock: {is: router, interfaces: {beam0: {segment: beam-b, address: last}, beam1: {segment: beam-c, address: last}, lan0: {segment: tern-watch, address: first}}}\n",
	},
	{
		Name: Unprotected, Severity: Advice, Stage: Checking,
		Means:   "A single failure takes a path away though a wire is left.",
		Why:     "A floating route is derived only where all tables together stay free of loops. Here none was found that helps: the finding says where and why.",
		Remedy:  "Another cable, a written route, or a watch of your own may help; try with 'reach --failures 1'.",
		Example: "ropeswing: 1\nwants: {protect: none}\nsegments:\n  beam-a: {prefix: 10.48.0.0/31}\n  beam-b: {prefix: 10.48.0.2/31}\n  mole-staff: {prefix: 10.48.2.0/27}\ndevices:\n  quay-edge: {is: router, interfaces: {beam0: {segment: beam-a, address: first}, line0: {segment: beam-b, address: first}}}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-a, address: last}, line0: {segment: beam-b, address: last}, lan0: {segment: mole-staff, address: first}}}\n",
	},
	{
		Name: DerivedFlawed, Severity: Warning, Stage: Checking,
		Means:   "The derived routes were tried in every single failure, and in one of them packets go round, leave for the world or are lost though a way is left.",
		Why:     "Written routes stand before derived ones. Where one of them leads back in a failure, no derived route may be left that helps.",
		Remedy:  "Take the written route out, give it a floating one behind it, or a watch.",
		Example: "ropeswing: 1\nwants: {world: none}\nblocks: {all: 10.48.0.0/16}\nsegments:\n  mole-staff: {prefix: 10.48.0.0/24}\n  gull-staff: {prefix: 10.48.1.0/24}\n  tern-staff: {prefix: 10.48.2.0/24}\n  beam-0: {prefix: 10.48.99.0/31}\n  beam-1: {prefix: 10.48.99.2/31}\n  beam-2: {prefix: 10.48.99.4/31}\ndevices:\n  mole-rtr: {is: router, interfaces: {lan0: {segment: mole-staff, address: first}, beam0: {segment: beam-0, address: first}, beam2: {segment: beam-2, address: first}}}\n  gull-rtr: {is: router, interfaces: {lan0: {segment: gull-staff, address: first}, beam0: {segment: beam-0, address: last}, beam1: {segment: beam-1, address: first}}, routes: {mole-staff: mole-rtr}}\n  tern-rtr: {is: router, interfaces: {lan0: {segment: tern-staff, address: first}, beam1: {segment: beam-1, address: last}, beam2: {segment: beam-2, address: last}}}\n",
	},
	{
		Name: StaticUnsuited, Severity: Advice, Stage: Checking,
		Means:   "What the plan wants takes more derived routes and watches than anybody keeps up by hand.",
		Why:     "Static routes suit trees, hubs and small rings. In long rings and meshes every router needs lines for every site, and watches for most of them.",
		Remedy:  "Use a dynamic routing protocol there; or give each site a block, have fewer cross links, or want less protection: 'show routes --prices' tells what each level costs.",
		Example: "ropeswing: 1\nwants: {world: none}\nsegments:\n  lan-(1..14): {prefix: 10.48.(n).0/24}\n  beam-(1..14): {prefix: 10.49.0.(n*2)/31}\ndevices:\n  buoy-1: {is: router, interfaces: {a: {segment: beam-1, address: first}, b: {segment: beam-14, address: last}, l: {segment: lan-1, address: first}}}\n  buoy-(2..14): {is: router, interfaces: {a: {segment: beam-(n), address: first}, b: {segment: beam-(n-1), address: last}, l: {segment: lan-(n), address: first}}}\n",
	},
	{
		Name: AcceptUnused, Severity: Advice, Stage: Checking,
		Means:   "A finding is accepted, and is not found.",
		Why:     "It was mended, or the name of what it is about has changed: then the same mistake elsewhere would be accepted without anybody having looked at it.",
		Remedy:  "Remove it from 'accept', or name what it is about.",
		Example: "ropeswing: 1\nsegments: {quay-staff: {prefix: 10.48.1.0/27}}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: first}}}\naccept:\n  - {finding: no-route-out, of: quay-edge, because: nothing lies beyond it yet}\n",
	},
	{
		Name: PairsUnsaid, Severity: Warning, Stage: Checking,
		Means:   "LANs do not reach each other, or the world, nothing else is wrong, and the plan does not say that they must not.",
		Why:     "Everybody wants LANs to reach each other and be answered, whatever else must hold. That all is well would be said of what nobody asked: this tells what was found.",
		Remedy:  "Add what is missing; or say that it is meant: 'does not reach' under 'must', a permit, 'gateway: none', or 'must: []' where nothing is required.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\n  mole-staff: {prefix: 10.48.2.0/26}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: first}}, routes: {default: {discard: true}}}\n  mole-rtr: {is: router, interfaces: {lan0: {segment: mole-staff, address: first}}, routes: {default: {discard: true}}}\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  pilot-desk: {is: host, interfaces: {port: {segment: mole-staff, address: 10}}}\n",
	},
	{
		Name: PairsApart, Severity: Advice, Stage: Checking,
		Means:   "Nothing is wrong, and a tenth or more of the pairs of LANs do not reach each other, since the plan says so.",
		Why:     "A permit, 'does not reach', 'gateway: none' or 'must: []' says that it is meant. How much of the network that is, a reader should see.",
		Remedy:  "Nothing, if it is meant.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\n  quay-guest: {prefix: 10.48.2.0/26}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: first}, lan1: {segment: quay-guest, address: first}}}\n  desk-7: {is: host, gateway: none, interfaces: {port: {segment: quay-staff, address: 10}}}\n  tablet: {is: host, interfaces: {port: {segment: quay-guest, address: 10}}}\n",
	},
	{
		Name: RequirementUnmet, Severity: Error, Stage: Checking,
		Means:   "A sentence under 'must' does not hold.",
		Why:     "It is what the network is for: the finding shows one path that contradicts it, and how many of those tried do.",
		Remedy:  "Make the change the remedy names, which was tried; or say that it is no longer required.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\n  mole-staff: {prefix: 10.48.2.0/27}\n  quay-staff: {prefix: 10.48.1.0/27}\ndevices:\n  quay-edge: {is: router, interfaces: {beam0: {segment: beam-mole, address: first}, lan0: {segment: quay-staff, address: first}}, routes: {mole-staff: mole-rtr}}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last}, lan0: {segment: mole-staff, address: first}}, routes: {quay-staff: quay-edge}}\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\nmust:\n  - quay-staff does not reach mole-staff\n",
	},
	{
		Name: BadFailure, Severity: Error, Stage: Checking,
		Means:   "A sentence under 'must' puts something out of order that the plan does not have.",
		Why:     "'without' is followed by a cable, device, segment or DEVICE:INTERFACE; cables have names of their own only where they were given some.",
		Remedy:  "Write the name as the plan has it; 'show cables' lists the cables.",
		Example: "ropeswing: 1\nsegments: {quay-staff: {prefix: 10.48.1.0/27}}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: first}}}\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\nmust: [desk-7 reaches quay-edge without beam-z]\n",
	},
	{
		Name: PermitHidden, Severity: Warning, Stage: Checking,
		Means:   "A permit never decides, since an earlier one matches all that it does.",
		Why:     "The first that matches a packet decides. Whoever wrote the later one meant it to have an effect, most of all where the two say different things.",
		Remedy:  "Put it before the one that hides it, or remove it.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  quay-servers: {prefix: 10.48.1.32/27}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  log-server: {is: host, interfaces: {port: {segment: quay-servers, address: 10}}}\n  quay-edge: {is: router, permits: [quay-staff may reach quay-servers, desk-7 may not reach log-server], interfaces: {lan0: {segment: quay-staff, address: first}, lan1: {segment: quay-servers, address: first}}}\n",
	},
	{
		Name: PermitUnused, Severity: Advice, Stage: Checking,
		Means:   "A permit decides about nothing that anyone in the plan sends.",
		Why:     "What it matches never comes by this device, or not by the interfaces it names: a slip in an address, the wrong interface, or a leftover.",
		Remedy:  "See by 'ping' which way such packets take; then mend the sentence, or remove it.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  quay-servers: {prefix: 10.48.1.32/27}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  log-server: {is: host, interfaces: {port: {segment: quay-servers, address: 10}}}\n  quay-edge: {is: router, permits: [{permit: quay-staff may not reach quay-servers, in: lan1}], interfaces: {lan0: {segment: quay-staff, address: first}, lan1: {segment: quay-servers, address: first}}}\n",
	},
	{
		Name: FilteredOneWay, Severity: Error, Stage: Checking,
		Means:   "A device lets requests pass and drops their replies.",
		Why:     "Without state each packet is judged for itself: what is permitted one way only gets there, and no answer comes back.",
		Remedy:  "Permit the replies, 'A may answer B', or let the device keep state.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  quay-servers: {prefix: 10.48.1.32/27}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  log-server: {is: host, interfaces: {port: {segment: quay-servers, address: 10}}}\n  quay-edge: {is: router, otherwise: drop, permits: [quay-staff may reach quay-servers], interfaces: {lan0: {segment: quay-staff, address: first}, lan1: {segment: quay-servers, address: first}}}\n",
	},
	{
		Name: PendingNeeded, Severity: Error, Stage: Checking,
		Means:   "A requirement does not hold, and would if a pending permit were in force.",
		Why:     "The permit is written and waits to be put in force; until then what the network is for does not work.",
		Remedy:  "Put it in force: remove 'pending'. 'check' after it, or 'ping --with-pending' before, shows the effect.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  quay-servers: {prefix: 10.48.1.32/27}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  log-server: {is: host, interfaces: {port: {segment: quay-servers, address: 10}}}\n  quay-edge: {is: firewall, permits: [{permit: quay-staff may reach log-server, pending: true}], interfaces: {lan0: {segment: quay-staff, address: first}, lan1: {segment: quay-servers, address: first}}}\nmust: [desk-7 reaches log-server]\n",
	},
	{
		Name: TranslatedHeld, Severity: Error, Stage: Checking,
		Means:   "An address that stands for others is an interface's own.",
		Why:     "Two would answer for it on the link, and packets for the interface are translated to somebody else.",
		Remedy:  "Take an address that nobody has.",
		Example: "ropeswing: 1\nblocks: {home: 10.48.0.0/20, carrier: 198.51.100.32/29}\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  fibre: {prefix: 198.51.100.32/29}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  desk-8: {is: host, interfaces: {port: {segment: quay-staff, address: 11}}}\n  quay-edge: {is: router, translates: [desk-7 is 198.51.100.33 beyond wan0], interfaces: {lan0: {segment: quay-staff, address: first}, wan0: {segment: fibre, address: 2}}, routes: {default: fibre-carrier}}\n  fibre-carrier: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: fibre, address: first}}}\n",
	},
	{
		Name: TranslatedTwice, Severity: Error, Stage: Checking,
		Means:   "An address stands for others by two sentences.",
		Why:     "Only the first is used for what comes in; and two devices would both answer for it.",
		Remedy:  "Take another address for one of them.",
		Example: "ropeswing: 1\nblocks: {home: 10.48.0.0/20, carrier: 198.51.100.32/29}\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  fibre: {prefix: 198.51.100.32/29}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  desk-8: {is: host, interfaces: {port: {segment: quay-staff, address: 11}}}\n  quay-edge: {is: router, translates: [desk-7 is 198.51.100.35 beyond wan0, desk-8 is 198.51.100.35 beyond wan0], interfaces: {lan0: {segment: quay-staff, address: first}, wan0: {segment: fibre, address: 2}}, routes: {default: fibre-carrier}}\n  fibre-carrier: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: fibre, address: first}}}\n",
	},
	{
		Name: TranslatedForeign, Severity: Error, Stage: Checking,
		Means:   "An address that stands for others is in no block and no segment of the plan.",
		Why:     "It is somebody else's: replies go to them.",
		Remedy:  "Take an address of a block; or add the block, if it is yours.",
		Example: "ropeswing: 1\nblocks: {home: 10.48.0.0/20, carrier: 198.51.100.32/29}\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  fibre: {prefix: 198.51.100.32/29}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  desk-8: {is: host, interfaces: {port: {segment: quay-staff, address: 11}}}\n  quay-edge: {is: router, translates: [desk-7 is 203.0.113.7 beyond wan0], interfaces: {lan0: {segment: quay-staff, address: first}, wan0: {segment: fibre, address: 2}}, routes: {default: fibre-carrier}}\n  fibre-carrier: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: fibre, address: first}}, routes: {203.0.113.7/32: quay-edge}}\n",
	},
	{
		Name: TranslatedUnrouted, Severity: Error, Stage: Checking,
		Means:   "Nobody beyond a translator has a route to an address that stands for others there.",
		Why:     "In a subnet that the translator is on it answers for the address (ARP, neighbour discovery). Any other has to be routed to it, or replies never come.",
		Remedy:  "Have the neighbour send the address to the translator.",
		Example: "ropeswing: 1\nblocks: {home: 10.48.0.0/20, carrier: 198.51.100.32/29}\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  fibre: {prefix: 198.51.100.32/29}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  desk-8: {is: host, interfaces: {port: {segment: quay-staff, address: 11}}}\n  quay-edge: {is: router, translates: [desk-7 is 10.48.9.7 beyond wan0], interfaces: {lan0: {segment: quay-staff, address: first}, wan0: {segment: fibre, address: 2}}, routes: {default: fibre-carrier}}\n  fibre-carrier: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: fibre, address: first}}}\n",
	},
	{
		Name: TranslationShort, Severity: Error, Stage: Checking,
		Means:   "There are more hosts than addresses for them to take.",
		Why:     "Each has an address to itself while there are any; who comes last has none, and is dropped.",
		Remedy:  "Give the translation more addresses, or let all share one: 'A shares B beyond INTERFACE'.",
		Example: "ropeswing: 1\nblocks: {home: 10.48.0.0/20, carrier: 198.51.100.32/29}\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  fibre: {prefix: 198.51.100.32/29}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  desk-8: {is: host, interfaces: {port: {segment: quay-staff, address: 11}}}\n  quay-edge: {is: router, translates: [quay-staff takes 198.51.100.36..198.51.100.36 beyond wan0], interfaces: {lan0: {segment: quay-staff, address: first}, wan0: {segment: fibre, address: 2}}, routes: {default: fibre-carrier}}\n  fibre-carrier: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: fibre, address: first}}}\n",
	},
	{
		Name: DestinationDoubtful, Severity: Warning, Stage: Checking,
		Means:   "The destination of a written route is nobody's, the device's own, or a part of a subnet, and a subnet that the device has no route to is written much like it.",
		Why:     "One digit is wrong, or the mask. As long as a wider route leads the same way, nothing fails.",
		Remedy:  "Write the subnet that was meant; or accept the finding.",
		Example: "ropeswing: 1\nsegments: {a: {prefix: 10.48.1.0/24}, w: {prefix: 10.48.0.0/30}, v: {prefix: 10.48.0.4/30}, b: {prefix: 10.48.2.0/24}}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {a: {segment: a, address: 1}, w: {segment: w, address: 1}, v: {segment: v, address: 1}}\n    routes: {default: 10.48.0.2, 10.48.3.0/24: 10.48.0.6}\n  mole-rtr:\n    is: router\n    interfaces: {b: {segment: b, address: 1}, w: {segment: w, address: 2}, v: {segment: v, address: 2}}\n    routes: {a: 10.48.0.1, 10.48.3.0/24: {discard: true}}\n",
	},
	{
		Name: PortShared, Severity: Advice, Stage: Checking,
		Means:   "Several hosts say that they are plugged into one port.",
		Why:     "That is so behind a wireless link or a hub. Else one of them names the wrong port.",
		Remedy:  "Name another port, or leave it as it is.",
		Example: "ropeswing: 1\nsegments: {quay-staff: {vlan: 110, prefix: 10.48.1.0/26}}\ndevices:\n  quay-sw1: {is: switch, interfaces: {p7: {access: quay-staff}}}\n  desk-7: {is: host, at: \"quay-sw1:p7\", address: 10}\n  desk-8: {is: host, at: \"quay-sw1:p7\", address: 11}\n",
	},
	{
		Name: LikelySlip, Severity: Error, Stage: Checking,
		Means:   "Pairs fail, and one change at this place mends more of them than any other that was tried.",
		Why:     "What is wrong is most often one word, and what fails because of it is seen in many places.",
		Remedy:  "Look at the line; the change was tried.",
		Example: "ropeswing: 1\nsegments: {a: {prefix: 10.48.1.0/24}, w: {prefix: 10.48.0.0/30}, b: {prefix: 10.48.2.0/24}}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {a: {segment: a, address: 1}, w: {segment: w, address: 1}}\n    routes: {b: mole-rtr, 10.48.2.9/32: {discard: true}}\n  mole-rtr:\n    is: router\n    interfaces: {b: {segment: b, address: 1}, w: {segment: w, address: 2}}\n    routes: {a: quay-edge}\n  desk-7: {is: host, interfaces: {port: {segment: a, address: 9}}}\n  printer: {is: host, interfaces: {port: {segment: b, address: 8}}}\n  log-server: {is: host, interfaces: {port: {segment: b, address: 9}}}\n",
	},
	{
		Name: MTUHole, Severity: Error, Stage: Checking,
		Means:   "Large packets vanish on a path on which small ones pass.",
		Why:     "A link on the path takes less than the sender's own, and the sender is not told: the error gets lost, or the far end of the link drops the packet silently. Sessions open and then hang.",
		Remedy:  "Give all interfaces of the link the same MTU; let the error pass that says what fits (ICMP type 3 code 4, ICMPv6 type 2).",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  quay-link: {prefix: 10.48.0.0/31}\n  beam-mole: {prefix: 10.48.0.2/31}\n  mole-staff: {prefix: 10.48.2.0/27}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  quay-core: {is: router, keeps-state: false, permits: [{permit: 10.48.0.0/31 may not reach quay-staff over icmp, in: up0}], interfaces: {lan0: {segment: quay-staff, address: first}, up0: {segment: quay-link, address: first}}, routes: {mole-staff: quay-edge, beam-mole: quay-edge}}\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-link, address: last}, beam0: {segment: beam-mole, address: first, mtu: 1400}}, routes: {quay-staff: quay-core, mole-staff: mole-rtr}}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last, mtu: 1400}, lan0: {segment: mole-staff, address: first}}, routes: {quay-staff: quay-edge, quay-link: quay-edge}}\n",
	},
	{
		Name: NoManagement, Severity: Warning, Stage: Checking,
		Means:   "A router, switch or firewall has no address to be managed by.",
		Why:     "Whoever wants to change it has to stand before it with a cable.",
		Remedy:  "Give it a loopback, or a VLAN interface in the management VLAN.",
		Example: "ropeswing: 1\noperator: ops-laptop\ndevices:\n  quay-sw1: {is: switch}\n  ops-laptop: {is: host}\n",
	},
	{
		Name: Unmanageable, Severity: Error, Stage: Checking,
		Means:   "The operator does not reach a device's management address, or nothing answers there that one could log in by.",
		Why:     "It is found out when the device has to be changed, which is when it matters.",
		Remedy:  "Follow the reason given; 'answers' lists the services.",
		Example: "ropeswing: 1\noperator: ops-laptop\nsegments:\n  quay-manage: {prefix: 10.48.1.96/28}\ndevices:\n  quay-edge: {is: router, answers: [ping, snmp], interfaces: {lan0: {segment: quay-manage, address: first}}}\n  ops-laptop: {is: host, interfaces: {port: {segment: quay-manage, address: 10}}}\n",
	},
	{
		Name: ManagedByItself, Severity: Advice, Stage: Checking,
		Means:   "A router is managed at the address of the interface by which the operator comes in.",
		Why:     "To change that interface is to cut off one's own session; and the device is lost with the interface, though another path may lead to it.",
		Remedy:  "Give it a loopback, and manage it there.",
		Example: "ropeswing: 1\noperator: ops-laptop\nsegments:\n  quay-manage: {prefix: 10.48.1.96/28}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-manage, address: first}}}\n  ops-laptop: {is: host, interfaces: {port: {segment: quay-manage, address: 10}}}\n",
	},

	{
		Name: NoSourceAddress, Severity: Error, Stage: Walking,
		Means:   "The sender has no address of the family on an interface that is up.",
		Why:     "Without an address of its own it cannot send, and nobody could reply.",
		Remedy:  "Give it an address of the family, or ping in the other one.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: [10.48.1.0/26]}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n",
		Ping:    [2]string{"desk-7", "2001:db8::1"},
	},
	{
		Name: NoGateway, Severity: Error, Stage: Walking,
		Means:   "The device does not forward and has no gateway for the destination.",
		Why:     "It can reach its own subnets only.",
		Remedy:  "Give it a gateway.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n",
		Ping:    [2]string{"desk-7", "192.0.2.1"},
	},
	{
		Name: NoRouteFound, Severity: Error, Stage: Walking,
		Means:   "A device on the path has no usable route to the destination.",
		Why:     "It drops the packet and tells the sender, if the sender can be reached from there. On the return path it is the classic forgotten return route.",
		Remedy:  "Add a route on that device.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: first}}}\n",
		Ping:    [2]string{"quay-edge", "192.0.2.1"},
	},
	{
		Name: InterfaceIsDown, Severity: Error, Stage: Walking,
		Means:   "The path leads through an interface that is down.",
		Why:     "Routes through it are not usable, and its addresses do not answer.",
		Remedy:  "Bring it up, or see to the cable and the far end.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  desk-8: {is: host, interfaces: {port: {segment: quay-staff, address: 11, admin: down}}}\n",
		Ping:    [2]string{"desk-7", "10.48.1.11"},
	},
	{
		Name: NextHopSilent, Severity: Error, Stage: Walking,
		Means:   "Nobody on the link answers for the next hop.",
		Why:     "The address is not assigned, or its holder is on another wire or VLAN.",
		Remedy:  "Correct the next hop, or the address or VLAN of its holder.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  desk-7:\n    is: host\n    interfaces: {port: {segment: quay-staff, address: 10}}\n    gateway: 10.48.1.1\n",
		Ping:    [2]string{"desk-7", "192.0.2.1"},
	},
	{
		Name: AddressSilent, Severity: Error, Stage: Walking,
		Means:   "The packet gets to the destination's subnet, and nobody there has the address.",
		Why:     "The address is not assigned, or its holder is on another wire or VLAN.",
		Remedy:  "Check the address; the nearest ones in use are named.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n",
		Ping:    [2]string{"desk-7", "10.48.1.11"},
	},
	{
		Name: ForwardingLoop, Severity: Error, Stage: Walking,
		Means:   "Devices pass the packet round in a circle until its TTL runs out.",
		Why:     "The route of one of them points the wrong way, or a more specific route is missing and the default takes the packet back.",
		Remedy:  "Correct the next hop, or add the missing route.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: first}}\n    routes: {default: mole-rtr}\n  mole-rtr:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: last}}\n    routes: {default: quay-edge}\n",
		Ping:    [2]string{"quay-edge", "192.0.2.1"},
	},
	{
		Name: TTLRanOut, Severity: Error, Stage: Walking,
		Means:   "The path is longer than the packet's TTL allows.",
		Why:     "Each device that forwards lowers it by one, and at zero the packet is dropped.",
		Remedy:  "Send with a higher TTL.",
		Example: "ropeswing: 1\nsegments:\n  beam-a: {prefix: 10.48.0.0/31}\n  beam-b: {prefix: 10.48.0.2/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-a, address: first}}\n    routes: {beam-b: mole-rtr}\n  mole-rtr:\n    is: router\n    interfaces:\n      beam0: {segment: beam-a, address: last}\n      beam1: {segment: beam-b, address: first}\n    routes: {default: tern-rock}\n  tern-rock:\n    is: router\n    interfaces: {beam1: {segment: beam-b, address: last}}\n    routes: {beam-a: mole-rtr}\n",
		Ping:    [2]string{"quay-edge", "10.48.0.3"},
		TTL:     1,
	},
	{
		Name: Discarded, Severity: Error, Stage: Walking,
		Means:   "A discard route drops the packet silently.",
		Why:     "That is what a discard route is for; here it catches something that should arrive.",
		Remedy:  "Add a more specific route beside it.",
		Example: "ropeswing: 1\nsegments:\n  beam-mole: {prefix: 10.48.0.0/31}\ndevices:\n  quay-edge:\n    is: router\n    interfaces: {beam0: {segment: beam-mole, address: first}}\n    routes: {10.48.0.0/20: {discard: true}}\n",
		Ping:    [2]string{"quay-edge", "10.48.2.1"},
	},
	{
		Name: NotForwarded, Severity: Error, Stage: Walking,
		Means:   "A packet for another is sent to a device that does not forward.",
		Why:     "A next hop or gateway is the address of a host or a layer-2 switch.",
		Remedy:  "Correct the next hop to that of a router.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/26}\ndevices:\n  desk-7:\n    is: host\n    interfaces: {port: {segment: quay-staff, address: 10}}\n    gateway: desk-8\n  desk-8:\n    is: host\n    interfaces: {port: {segment: quay-staff, address: 11}}\n",
		Ping:    [2]string{"desk-7", "192.0.2.1"},
	},
	{
		Name: PacketTooBig, Severity: Error, Stage: Walking,
		Means:   "A packet is larger than the interface it has to leave by takes, and may not be fragmented.",
		Why:     "The device drops it and says so: 'fragmentation needed' in IPv4, 'packet too big' in IPv6. If that error is filtered or gets lost, the sender never learns, and only large packets vanish: an MTU black hole.",
		Remedy:  "Raise the MTU of that link, or lower the one the sender uses; and let these errors pass.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  beam-mole: {prefix: 10.48.0.0/31}\ndevices:\n  desk-7: {is: host, gateway: quay-edge, interfaces: {port: {segment: quay-staff, address: 10}}}\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: first}, beam0: {segment: beam-mole, address: first, mtu: 1400}}}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last, mtu: 1400}}, routes: {quay-staff: quay-edge}}\n",
		Ping:    [2]string{"desk-7", "mole-rtr"}, Size: 1472, Whole: true,
	},
	{
		Name: DroppedOversize, Severity: Error, Stage: Walking,
		Means:   "A packet is larger than who takes it from the link accepts.",
		Why:     "The two ends of a link, or a switch between them, have different MTUs. The near end sees nothing wrong, the far end drops the frame silently: small packets pass, large ones vanish.",
		Remedy:  "Give all interfaces of the link the same MTU.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  beam-mole: {prefix: 10.48.0.0/31}\ndevices:\n  desk-7: {is: host, gateway: quay-edge, interfaces: {port: {segment: quay-staff, address: 10}}}\n  quay-edge: {is: router, interfaces: {lan0: {segment: quay-staff, address: first}, beam0: {segment: beam-mole, address: first, mtu: 1500}}}\n  mole-rtr: {is: router, interfaces: {beam0: {segment: beam-mole, address: last, mtu: 1400}}, routes: {quay-staff: quay-edge}}\n",
		Ping:    [2]string{"desk-7", "mole-rtr"}, Size: 1472, Whole: true,
	},
	{
		Name: ServiceUnanswered, Severity: Error, Stage: Walking,
		Means:   "The packet gets to the device it is for, and that does not answer this service.",
		Why:     "A router, switch or firewall answers what its 'answers' says, ping and ssh unless set; a host answers all unless it says. No permit is to blame, and no route.",
		Remedy:  "Ask for a service that it answers; or add the service to its 'answers'.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  quay-edge: {is: router, answers: ssh, interfaces: {lan0: {segment: quay-staff, address: first}}}\n",
		Ping:    [2]string{"desk-7", "quay-edge"},
	},
	{
		Name: FilteredOut, Severity: Error, Stage: Walking,
		Means:   "A permit, or that none matches it, makes a device drop the packet silently.",
		Why:     "A firewall passes on only what is permitted; other devices may have permits too. The first that matches a packet decides, by its addresses, its service and the interfaces it comes in and leaves by. Nothing tells the sender.",
		Remedy:  "If it should pass, permit it before what drops it; the finding names the sentence that decided.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  quay-servers: {prefix: 10.48.1.32/27}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  log-server: {is: host, interfaces: {port: {segment: quay-servers, address: 10}}}\n  quay-edge: {is: firewall, permits: [quay-staff may reach log-server over tcp/514], interfaces: {lan0: {segment: quay-staff, address: first}, lan1: {segment: quay-servers, address: first}}}\n",
		Ping:    [2]string{"desk-7", "log-server"},
	},
	{
		Name: RefusedByPermit, Severity: Error, Stage: Walking,
		Means:   "A permit makes a device drop the packet and tell its sender so.",
		Why:     "As when it is dropped silently, but the sender knows at once: 'administratively prohibited' (ICMP type 3 code 13; ICMPv6 type 1 code 1).",
		Remedy:  "If it should pass, permit it before what refuses it.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  quay-servers: {prefix: 10.48.1.32/27}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  log-server: {is: host, interfaces: {port: {segment: quay-servers, address: 10}}}\n  quay-edge: {is: router, permits: [quay-staff is refused quay-servers], interfaces: {lan0: {segment: quay-staff, address: first}, lan1: {segment: quay-servers, address: first}}}\n",
		Ping:    [2]string{"desk-7", "log-server"},
	},
	{
		Name: StateUnknown, Severity: Error, Stage: Walking,
		Means:   "A device that keeps state drops a reply to a request that it never saw.",
		Why:     "The request took another path, so that this device takes the reply for a stray. Routes differ there and back, or one of two firewalls was passed there and the other back.",
		Remedy:  "Lead both directions by the same device; 'ping' shows both ways.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  quay-servers: {prefix: 10.48.1.32/27}\ndevices:\n  desk-7: {is: host, gateway: quay-core, interfaces: {port: {segment: quay-staff, address: 10}}}\n  log-server: {is: host, gateway: quay-edge, interfaces: {port: {segment: quay-servers, address: 10}}}\n  quay-edge: {is: firewall, permits: [anyone may reach anyone], interfaces: {lan0: {segment: quay-staff, address: first}, lan1: {segment: quay-servers, address: first}}}\n  quay-core: {is: router, interfaces: {lan0: {segment: quay-staff, address: 2}, lan1: {segment: quay-servers, address: 2}}}\n",
		Ping:    [2]string{"desk-7", "log-server"},
	},
	{
		Name: NoAddressLeft, Severity: Error, Stage: Walking,
		Means:   "The sender was to get an address of its own by translation, and all of the range are taken.",
		Why:     "With 'takes', each host has an address to itself while there are any. Who comes last has none, and is dropped.",
		Remedy:  "Give the translation more addresses, or let all share one: 'A shares B beyond INTERFACE'.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  fibre: {prefix: 198.51.100.32/29}\ndevices:\n  desk-7: {is: host, interfaces: {port: {segment: quay-staff, address: 10}}}\n  desk-8: {is: host, interfaces: {port: {segment: quay-staff, address: 11}}}\n  quay-edge: {is: router, translates: [quay-staff takes 198.51.100.36..198.51.100.36 beyond wan0], interfaces: {lan0: {segment: quay-staff, address: first}, wan0: {segment: fibre, address: 2}}, routes: {default: fibre-carrier}}\n  fibre-carrier: {is: world, beyond: 192.0.2.0/24, interfaces: {to: {segment: fibre, address: first}}}\n",
		Ping:    [2]string{"desk-8", "192.0.2.9"},
	},
	{
		Name: AnotherAnswers, Severity: Error, Stage: Walking,
		Means:   "Another device has the same address, and it is there that packets arrive.",
		Why:     "Routes lead to the other of the two. That somebody answers does not make it the one that was asked.",
		Remedy:  "Give one of them another address.",
		Example: "ropeswing: 1\nsegments:\n  quay-staff: {prefix: 10.48.1.0/27}\n  beam: {prefix: 10.48.2.0/29}\ndevices:\n  desk: {is: host, gateway: quay-core, interfaces: {port: {segment: quay-staff, address: 10}}}\n  quay-core: {is: router, routes: {10.48.9.5/32: tern-rock}, interfaces: {lan0: {segment: quay-staff, address: first}, beam0: {segment: beam, address: 1}}}\n  gull-rock: {is: router, loopback: 10.48.9.5, routes: {default: quay-core}, interfaces: {beam0: {segment: beam, address: 2}}}\n  tern-rock: {is: router, loopback: 10.48.9.5, routes: {default: quay-core}, interfaces: {beam0: {segment: beam, address: 3}}}\n",
		Ping:    [2]string{"desk", "gull-rock"},
	},
	{
		Name: ReplyFromElsewhere, Severity: Error, Stage: Walking,
		Means:   "A reply comes from another address than the one that was asked.",
		Why:     "The request was translated, and its reply goes by another path, past the device that would undo that. Whoever asked does not know the address, and drops it.",
		Remedy:  "Lead the reply back by the device that translated the request.",
		Example: "ropeswing: 1\nsegments:\n  quay-servers: {prefix: 10.48.1.32/27}\n  fibre: {prefix: 198.51.100.32/29}\ndevices:\n  log-server: {is: host, gateway: quay-core, interfaces: {port: {segment: quay-servers, address: 10}}}\n  quay-edge: {is: router, translates: [log-server is 198.51.100.35 beyond wan0], interfaces: {lan0: {segment: quay-servers, address: first}, wan0: {segment: fibre, address: 2}}}\n  quay-core: {is: router, interfaces: {lan0: {segment: quay-servers, address: 2}, wan0: {segment: fibre, address: 4}}}\n  fibre-carrier: {is: world, interfaces: {to: {segment: fibre, address: first}}}\n",
		Ping:    [2]string{"fibre-carrier", "198.51.100.35"},
	},
}
