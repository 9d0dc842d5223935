package plan

import (
	"slices"
	"strconv"
	"strings"
	"sync"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

// KeyDoc documents one key for the reference.
type KeyDoc struct{ Name, Form, Doc string }

// KeyGroup is the keys of one kind of map in the plan.
type KeyGroup struct {
	Of    string // the kind of map, in a word
	Where string // where in the plan such a map stands
	Keys  []KeyDoc
}

// Keys is every key a plan may hold, for the reference.
func Keys() []KeyGroup {
	return []KeyGroup{
		{"plan", "At the top of the plan", docs(topKeys())},
		{"accept", "Of each finding that is accepted, under `accept`", docs(acceptKeys)},
		{"access", "Of each entry under `access`", docs(accessKeys)},
		{"method", "Of each method under an entry's `methods`", docs(methodKeys)},
		{"secret", "Of a method's `community`, `auth`, `privacy`, `password` and `key`: one of the three", docs(secretKeys)},
		{"settings", "Under `settings`", docs(settingKeys)},
		{"wants", "Under `wants`", docs(wantKeys)},
		{"block", "Of a block in its long form, under `blocks`", docs(blockKeys())},
		{"segment", "Of each segment, under `segments`", docs(segmentKeys)},
		{"lease", "Of a lease range in its long form, under a segment's `leases`", docs(leaseKeys)},
		{"device", "Of each device, under `devices`", docs(deviceKeys)},
		{"interface", "Of each interface, under a device's `interfaces`", docs(interfaceKeys)},
		{"route", "Of a route in its long form, under a device's `routes`", docs(hopKeys)},
		{"permit", "Of a permit in its long form, under a device's `permits` or `own-permits`", docs(permitKeys)},
		{"cable", "Of a cable in its long form, under `cables`", docs(cableKeys)},
	}
}

func docs[T any](keys []key[T]) []KeyDoc {
	all := make([]KeyDoc, len(keys))
	for i, k := range keys {
		all[i] = KeyDoc{k.name, k.form, k.doc}
	}
	return all
}

// The readers below are what the tables of keys are made of: each takes the
// field it fills and returns what reads it.

func text[T any](field func(*T) *Text) func(*reader, *T, *yaml.Node, string) {
	return func(r *reader, into *T, n *yaml.Node, what string) { *field(into), _ = r.word(n, what) }
}

func prose[T any](field func(*T) *Text) func(*reader, *T, *yaml.Node, string) {
	return func(r *reader, into *T, n *yaml.Node, what string) { *field(into), _ = r.prose(n, what) }
}

func texts[T any](field func(*T) *[]Text) func(*reader, *T, *yaml.Node, string) {
	return func(r *reader, into *T, n *yaml.Node, what string) { *field(into) = r.words(n, what) }
}

func whole[T any](low, high int, field func(*T) *Number) func(*reader, *T, *yaml.Node, string) {
	return func(r *reader, into *T, n *yaml.Node, what string) { *field(into) = r.number(n, what, low, high) }
}

func choices[T any](field func(*T) *[]Text, among ...string) func(*reader, *T, *yaml.Node, string) {
	return func(r *reader, into *T, n *yaml.Node, what string) {
		all := []*yaml.Node{n}
		if n.Kind == yaml.SequenceNode {
			all = n.Content
		}
		for _, v := range all {
			if t := r.choice(v, what, among...); t.Written() {
				*field(into) = append(*field(into), t)
			}
		}
	}
}

func numbers[T any](low, high int, field func(*T) *[]Number) func(*reader, *T, *yaml.Node, string) {
	return func(r *reader, into *T, n *yaml.Node, what string) {
		all := []*yaml.Node{n}
		if n.Kind == yaml.SequenceNode {
			all = n.Content
		}
		for _, v := range all {
			if number := r.number(v, what, low, high); number.Written() {
				*field(into) = append(*field(into), number)
			}
		}
	}
}

func truth[T any](field func(*T) *Switch) func(*reader, *T, *yaml.Node, string) {
	return func(r *reader, into *T, n *yaml.Node, what string) { *field(into) = r.truth(n, what) }
}

func choice[T any](field func(*T) *Text, choices ...string) func(*reader, *T, *yaml.Node, string) {
	return func(r *reader, into *T, n *yaml.Node, what string) { *field(into) = r.choice(n, what, choices...) }
}

// serverKeys are the keys for the servers that devices are told to ask, of the plan, of a block and of a device.
func serverKeys[T any](whose string, of func(*T) *Servers) []key[T] {
	row := func(name, does string, field func(*Servers) *[]Text) key[T] {
		return key[T]{name, "a device or an address, or a list", does + " " + whose,
			texts(func(x *T) *[]Text { return field(of(x)) })}
	}
	return []key[T]{
		row("name-servers", "Where names are asked for (RFC 7317 §3.4),", func(s *Servers) *[]Text { return &s.Names }),
		row("time-servers", "Where the time is asked for (RFC 7317 §3.3),", func(s *Servers) *[]Text { return &s.Times }),
		row("log-servers", "Where logs are sent to (RFC 5424),", func(s *Servers) *[]Text { return &s.Logs }),
	}
}

const note = "A remark for the reader; nothing depends on it."

// topKeys is a function because reading a device leads back to a map's keys.
func topKeys() []key[Document] {
	return append([]key[Document]{
		{"ropeswing", "`1`", "The version of the plan format. Required.", func(r *reader, d *Document, n *yaml.Node, what string) {
			r.number(n, what, Version, Version)
		}},
		{"plan", "text", "The plan's name.", text(func(d *Document) *Text { return &d.Name })},
		{"include", "a file, or a list", "Files that hold more of the plan: `blocks`, `segments`, `devices`, `cables`, and further `include`; `sites/*.yaml` stands for all of a folder. They need no head of their own. A path is relative to the file it stands in, and stays within the plan's folder.", (*reader).includes},
		{"operator", "a device", "The host the engineer sits at: where `ping` and `trace` start when no other start is named.", text(func(d *Document) *Text { return &d.Operator })},
		{"settings", "a map", "Behaviours in which makes of equipment differ.", func(r *reader, d *Document, n *yaml.Node, what string) {
			fields(r, n, "settings", settingKeys, &d.Settings)
		}},
		{"wants", "a map; `{}` for all it stands for", "Static routes are derived: Rope Swing works out those that are not written.", func(r *reader, d *Document, n *yaml.Node, what string) {
			d.Wants.Place = r.place(n)
			fields(r, n, "wants", wantKeys, &d.Wants)
		}},
		{"groups", "name: segments, devices, addresses, blocks or groups", "Names for several things together, for `must`, `permits` and `translates`. Blocks are of use in `permits` and `translates` only.", func(r *reader, d *Document, n *yaml.Node, what string) {
			r.mapping(n, "groups", func(name Text, v *yaml.Node) {
				r.made(name, func(name Text, made bool) {
					r.checkName(name, "a group")
					d.Groups = append(d.Groups, Group{Name: name, Of: r.words(v, "group "+name.Value), Made: made})
				})
			})
		}},
		{"must", "a list of sentences", "What must hold, proven by `check`: `A reaches B` or `A does not reach B`, of several `A, B and C reach D`, and behind it, as often as wanted, `over SERVICE` (`icmp` unless said), `without NAME` (with that out of order), `without any one cable` or `without any one device` (with each of them out of order in turn, but those whose only job is a host, and the two themselves; a segment on which nobody is cabled counts as a cable) and `through DEVICE` (there and back). A and B are a segment (all of its hosts; its routers where it has none), a device (where it is managed), DEVICE:INTERFACE, an address, a group, or `everyone`: every segment, but links between routers where routes are derived and `wants` does not want links. `must: []` says that nothing is required.", func(r *reader, d *Document, n *yaml.Node, what string) {
			d.Must, d.MustSaid = r.words(n, what), Switch{true, r.place(n)}
		}},
		{"accept", "a list of maps", "Findings that the team lives with: `check` counts them apart, and they fail nothing.", (*reader).accepts},
		{"access", "a list of maps", "How devices are asked and told for real, with no secret in it. A file `NAME.access.yaml` beside the plan counts in its place, as does the one that `--access` or `ROPESWING_ACCESS` names.", (*reader).accesses},
		{"known-hosts", "a file", "The file with the host keys that are known, of SSH servers and of the certificates of RESTCONF servers, in the form of OpenSSH. `~/.ssh/known_hosts` unless set.", text(func(d *Document) *Text { return &d.KnownHosts })},
		{"vlans", "ranges such as `100..199`; `2..4094` unless set", "The numbers that `vlan: auto` takes from.", texts(func(d *Document) *[]Text { return &d.VLANs })},
		{"blocks", "name: prefixes, or a map", "Address space the plan may use. A block's name may stand for its prefixes as the destination of a route. A block that lies within another is kept for who takes from it by name.", (*reader).blocks},
		{"segments", "name: a map", "The broadcast domains. A name may be a pattern such as `hut-(1..20)`.", (*reader).segments},
		{"devices", "name: a map", "Routers, switches, firewalls, hosts, and the world beyond.", (*reader).devices},
		{"cables", "a list", "A cable, or with a pattern such as `hut-(1..20):up to mole-rtr:p(n)` several: `DEVICE:PORT to DEVICE:PORT`, or `NAME: DEVICE:PORT to DEVICE:PORT`, or `NAME: {between: …, fault: …}`.", (*reader).cables},
	}, serverKeys("by routers, switches and firewalls that say no others themselves, nor by the block they take their loopback from.",
		func(d *Document) *Servers { return &d.Servers })...)
}

var settingKeys = []key[Settings]{
	{"resolve-through-default", "true or false; false unless set", "Whether a static route's next hop may be found through the default route.", truth(func(s *Settings) *Switch { return &s.ResolveThroughDefault })},
	{"vlan-interface-needs-port", "true or false; true unless set", "Whether a VLAN interface is up only while some port that carries its VLAN is up.", truth(func(s *Settings) *Switch { return &s.VLANInterfaceNeedsPort })},
	{"answers-without-link", "true or false; false unless set", "Whether a device answers for the addresses of an interface that is switched on and has no link: Linux does. The interface's subnets are gone from its routes all the same.", truth(func(s *Settings) *Switch { return &s.AnswersWithoutLink })},
	{"probes-by-table", "true or false; false unless set", "Whether the probe of a watched route goes where the device's own table leads it, as many devices send it. Else it leaves by the route's next hop, whatever the table says.", truth(func(s *Settings) *Switch { return &s.ProbesByTable })},
	{"first-source", "true or false; false unless set", "Whether, of a device's IPv6 addresses that are equally good to send from (RFC 6724 §5 leaves the choice open), the one written first is taken. Else a ping that works from one of them only depends on the choice. `prefer` on an interface decides among its own.", truth(func(s *Settings) *Switch { return &s.FirstSource })},
	{"error-source", "`incoming` or `towards-sender`, or by family such as `{ipv4: incoming, ipv6: incoming}`; `incoming` in IPv4 and `towards-sender` in IPv6 unless set", "Which address an ICMP error comes from: that of the interface the packet came in by, or the one the device would use to reach the sender (as RFC 4443 §2.2 has it).", (*reader).errorSource},
	{"spanning-tree", "`single`, `per-vlan` or `none`; `single` unless set", "How loops of switches are blocked: by one tree for all VLANs, by a tree for each, or not at all.", choice(func(s *Settings) *Text { return &s.SpanningTree }, "single", "per-vlan", "none")},
	{"tree-root", "a switch; the first of the plan unless set", "The root of the spanning tree.", text(func(s *Settings) *Text { return &s.TreeRoot })},
	{"ports-start", "`up` or `down`, or by kind of device such as `{router: down, switch: up}`; `up` unless set", "Whether an interface that says nothing of it is administratively up. Much equipment has its router ports down until they are switched on. Those of hosts are always up.", (*reader).portsStart},
	{"default-vlan", "1 to 4094; none unless set", "The VLAN of a switch port that says nothing of VLANs, and of the untagged frames of a tagged port. Much equipment has 1 here.", whole(1, 4094, func(s *Settings) *Number { return &s.DefaultVLAN })},
}

var wantKeys = []key[Wants]{
	{"reach", "`all`, or a list of `A to B`; `all` unless set", "Between which segments or devices routes are wanted, there and back. `all`: between all.", texts(func(w *Wants) *[]Text { return &w.Reach })},
	{"world", "`all`, `none`, or segments; `all` unless set", "Which segments see the world: on their path a default route leads to the carriers.", texts(func(w *Wants) *[]Text { return &w.World })},
	{"carriers", "a device of the world, or a list; the plan's order unless set", "The carriers, the preferred first.", texts(func(w *Wants) *[]Text { return &w.Carriers })},
	{"protect", "`none`, `own`, `links` or `devices`; `links` unless set", "What single failures floating routes outlast, as far as a wire is left: `own`, what a device itself sees fail, so that nothing need be watched; `links`, any one cable or segment; `devices`, any one device too.", text(func(w *Wants) *Text { return &w.Protect })},
	{"stretch", "a whole number from 1 to 100; 2 unless set", "How many times the cost of the cheapest path one may cost, where that saves routes. With 1, short paths come before few routes.", text(func(w *Wants) *Text { return &w.Stretch })},
	{"links", "true or false; false unless set", "Whether the addresses of links between routers must be reached too. Without it only those are that `must`, `reach`, a watch or `manage` names.", truth(func(w *Wants) *Switch { return &w.Links })},
	{"summarise", "true or false; true unless set", "Whether one route may lead to several subnets.", truth(func(w *Wants) *Switch { return &w.Summarise })},
	{"leave-out", "a device, or a list", "Devices that keep to the routes written for them.", texts(func(w *Wants) *[]Text { return &w.LeaveOut })},
}

// blockKeys are made when they are first asked for.
var blockKeys = sync.OnceValue(func() []key[Block] {
	return append([]key[Block]{
		{"prefix", "a prefix, or a list", "The block's prefixes, where they are fixed.", texts(func(b *Block) *[]Text { return &b.Prefixes })},
		{"from", "a block, or a list", "The block that this one is taken from, in each family it has no `prefix` of. It is assigned, kept in the ledger and never moves by itself. It is as large as what takes from it needs: segments, loopbacks and blocks that say `from` with its name.", texts(func(b *Block) *[]Text { return &b.From })},
		{"length", "8 to 128, or a list", "How large it is, where that is not left to what takes from it: up to 32 that of IPv4, above that of IPv6.", numbers(8, 128, func(b *Block) *[]Number { return &b.Lengths })},
		{"grow", "a percentage such as `50%`", "How much more room is wanted than what takes from it needs, before that is rounded up.", percentage(func(b *Block) *Number { return &b.Grow })},
		{"alike", "a word of yours", "Blocks with the same word are laid out alike: what has the same name but for the block's own part of it, such as `cam-01` in `site-01` and `cam-02` in `site-02`, lies at the same distance from the start of each, with room for the largest. What only one of them has lies behind that.", text(func(b *Block) *Text { return &b.Alike })},
		{"subnet-number", "`vlan` or `vlan-value`", "In IPv6, which /64 of the block a segment gets. `vlan`: the one whose number reads as its VLAN number, `:110::` for 110; `vlan-value`: the one of that value, `:6e::`. Unless set: the first that is free.", choice(func(b *Block) *Text { return &b.SubnetNumber }, "vlan", "vlan-value")},
		{"keep", "a prefix or a range such as `10.48.9.0..10.48.9.63`; or a list", "What of the block is kept for later: nothing of it is assigned.", texts(func(b *Block) *[]Text { return &b.Keep })},
		{"note", "text", note, prose(func(b *Block) *Text { return &b.Note })},
	}, serverKeys("by devices that take their loopback from the block and say no others.", func(x *Block) *Servers { return &x.Servers })...)
})

var segmentKeys = []key[Segment]{
	{"vlan", "1 to 4094, or `auto`", "The VLAN number. Needed where a switch carries the segment. `auto`: one is assigned from the plan's `vlans`.", (*reader).vlan},
	{"prefix", "a prefix, or a list", "The segment's IPv4 and IPv6 subnets, where they are fixed. A family with no prefix here gets a subnet if the segment says what it needs.", texts(func(s *Segment) *[]Text { return &s.Prefixes })},
	{"hosts", "a number", "How many hosts the segment needs room for; the addresses of its routers and switches come on top. In IPv6 the subnet has length 64.", whole(0, 1<<32-1, func(s *Segment) *Number { return &s.Hosts })},
	{"grow", "a percentage such as `50%`", "How much more room for hosts is wanted, before the need is rounded up to a subnet.", percentage(func(s *Segment) *Number { return &s.Grow })},
	{"point-to-point", "true", "A link between two devices: length 31 (RFC 3021) and 127 (RFC 6164).", truth(func(s *Segment) *Switch { return &s.PointToPoint })},
	{"length", "8 to 128, or a list", "The length of the subnet wanted: up to 32 it is that of the IPv4 subnet, above that of the IPv6 one.", numbers(8, 128, func(s *Segment) *[]Number { return &s.Lengths })},
	{"from", "a block, or a list", "The block to take subnets from. Unless set: the only block there is.", texts(func(s *Segment) *[]Text { return &s.From })},
	{"identifier", "`place`, `matched`, `digits` or `vlan`; `place` unless set", "Which IPv6 address goes with a place such as 10. `place`: the same place, `::a`. `matched`: the host number of the interface's IPv4 address. `digits`: the digits of its last octet as they are read, `::10`, or of the last two where the subnet is larger than a /24. `vlan`: the place behind the digits of the VLAN number, `::110:0:0:a`.", choice(func(s *Segment) *Text { return &s.Identifier }, "place", "matched", "digits", "vlan")},
	{"leases", "a range such as `100..149`, or a map; or a list", "Addresses hosts lease: by places in the subnet, or `10.48.1.30..10.48.1.39`. None of them is assigned.", (*reader).leases},
	{"gateway", "a device, an address or a place such as `first`; or a list", "What the segment's hosts use as their gateway. Unless set: the one forwarding device on the segment, or among several the one that holds the first usable address.", texts(func(s *Segment) *[]Text { return &s.Gateway })},
	{"note", "text", note, prose(func(s *Segment) *Text { return &s.Note })},
}

var leaseKeys = []key[Lease]{
	{"range", "a range such as `100..149`", "The addresses.", text(func(l *Lease) *Text { return &l.Range })},
	{"by", "a device", "The device that gives the leases. Where it is not on the segment, some router there needs `relay`.", text(func(l *Lease) *Text { return &l.By })},
	{"gateway", "a device, an address or a place; or `none`", "The gateway that a lease gives. Unless set: what the segment's hosts use.", text(func(l *Lease) *Text { return &l.Gateway })},
}

// Kinds are the words for what a device is.
var Kinds = []string{"router", "switch", "firewall", "host", "world"}

var deviceKeys = append([]key[Device]{
	{"is", "`router`, `switch`, `firewall`, `host` or `world`", "What the device is. Required. A router, a firewall and the world forward; a switch does once it has `routes`.", choice(func(d *Device) *Text { return &d.Is }, Kinds...)},
	{"at", "DEVICE:PORT", "A cable from the device's only port, which is then called `port`.", text(func(d *Device) *Text { return &d.At })},
	{"segment", "a segment; that of the port it is plugged into, unless set", "The segment that a device with `at` is meant for: where its port's switch has it in another VLAN, `check` says so.", text(func(d *Device) *Text { return &d.Segment })},
	{"address", "as for an interface", "The address of the only port of a device that has `at`.", texts(func(d *Device) *[]Text { return &d.Addresses })},
	{"gateway", "a device, an address or a place; or a list; or `none`", "The gateway of a device that does not forward. Unless set: its segment's. `none`: it has none; `no-ipv4` or `no-ipv6` in the list: none in that family.", texts(func(d *Device) *[]Text { return &d.Gateway })},
	{"loopback", "`true`, an address, or a list", "Addresses of an interface called `loopback`, always /32 and /128. `true`: they are assigned from the block.", (*reader).loopback},
	{"from", "a block, or a list", "The block to take the loopback from. Unless set: the only block there is.", texts(func(d *Device) *[]Text { return &d.From })},
	{"manage", "an interface of the device", "Where the device is managed. Unless set: its loopback, else its VLAN interface, else its first interface with an address, on a link between routers only where it has no other.", text(func(d *Device) *Text { return &d.Manage })},
	{"answers", "`ping`, `ssh`, `https`, `snmp`, `netconf`; a list; `[ping, ssh]` unless set", "The services the device answers at its management address.", choices(func(d *Device) *[]Text { return &d.Answers }, Services...)},
	{"expect", "`silent`, or `silent until` a date such as `2027-03-31`", "The device does not answer, and that is known: it is not built yet, or switched off for the winter. A live look counts it apart, not among those that should have answered, up to and with that day.", (*reader).expect},
	{"tables", "name: routes", "Static routes of further routing tables, by the table's name: those that interfaces with `table` are in.", (*reader).tables},
	{"forwards", "true or false", "Whether the device forwards packets that are not for itself.", truth(func(d *Device) *Switch { return &d.Forwards })},
	{"beyond", "a prefix, or a list", "For the world: every address it answers for.", texts(func(d *Device) *[]Text { return &d.Beyond })},
	{"interfaces", "name: a map", "The interfaces. `p1..p12` stands for twelve ports that are alike, `p(1..12)` for twelve with a number each; an exact `p7` beside it overrides. `lan0.110` is a subinterface of `lan0` where there is a `lan0` or a cable to it.", (*reader).interfaces},
	{"routes", "destination: next hop, or a list", "Static routes. A destination is a prefix, `default`, or the name of a segment or block. A default that is written, as `default`, `0.0.0.0/0` or `::/0`, takes the place of a host's gateway, and so does `{}`, which is none. Next hops stand in order of preference: the first has distance 1, each further one 10 more. A next hop is an address, or a device: its address on the segment the two share.", (*reader).routes},
	{"permits", "a list of sentences, or maps", "What the device lets pass, in order; the first that matches a packet decides. `A may reach B`, `A may not reach B` (dropped silently), `A is refused B` (dropped, and its sender told), `A may answer B` (replies only), each with `over SERVICE` behind it, and behind that `marked ef` where the mark (DSCP) matters: `icmp`, `tcp`, `udp/53`, `tcp/8000..8099`, or several with commas between. A and B are a segment, a block, a device, a group, an address, a prefix, `everyone` (all segments), or `anyone` (any address).", (*reader).permits},
	{"own-permits", "as `permits`", "The same for what is for the device itself, or from it: on one side stands `itself`. Where no sentence covers the one direction, all of it passes.", (*reader).ownPermits},
	{"otherwise", "`drop`, `refuse` or `pass`; `drop` for a firewall and `pass` for others unless set", "What becomes of what no permit matches.", choice(func(d *Device) *Text { return &d.Otherwise }, "drop", "refuse", "pass")},
	{"keeps-state", "true or false; true for a firewall and false for others unless set", "Whether replies to what passed, and errors about it, pass too; and replies to what it never saw do not. Without state, each packet is judged for itself.", truth(func(d *Device) *Switch { return &d.KeepsState })},
	{"shares-state", "a device", "The other of a pair that has one table of states with this one: what passed either, and what either translated, is known to both, so that replies may come back by the other. Written on one of the two.", text(func(d *Device) *Text { return &d.SharesState })},
	{"translates", "a list of sentences", "Addresses that are others beyond an interface. `A is B beyond INTERFACE`: one address for another, both ways, or a prefix for another of its length. `A:443 is B:8443 beyond INTERFACE`: a port of one, or as many in a range, for those of another, for what comes in from beyond; of TCP, or with `over udp` behind it of UDP; B is an address, or the interface for its own. `A shares INTERFACE`, or `A shares B beyond INTERFACE`: all of A are behind one address, that of the interface (in IPv4) or B, or behind a range such as `198.51.100.36..198.51.100.38`. `A takes B beyond INTERFACE`: each host of A has one address of the range B to itself, while there are any.", texts(func(d *Device) *[]Text { return &d.Translates })},
	{"note", "text", note, prose(func(d *Device) *Text { return &d.Note })},
}, serverKeys("by this device.", func(x *Device) *Servers { return &x.Servers })...)

// Services are what a device may answer at its management address.
var Services = []string{"ping", "ssh", "https", "snmp", "netconf"}

var interfaceKeys = []key[Interface]{
	{"segment", "a segment", "Makes it a routed interface on the segment.", text(func(i *Interface) *Text { return &i.Segment })},
	{"vlan", "a segment", "Makes it the switch's VLAN interface in the segment's VLAN.", text(func(i *Interface) *Text { return &i.VLAN })},
	{"access", "a segment or VLAN number", "Makes it a switch port with one VLAN, untagged.", text(func(i *Interface) *Text { return &i.Access })},
	{"tagged", "segments, VLAN numbers, or ranges such as `100..199`", "Makes it a switch port that carries these VLANs tagged.", texts(func(i *Interface) *[]Text { return &i.Tagged })},
	{"untagged", "a segment or VLAN number", "The VLAN of a tagged port's untagged frames.", text(func(i *Interface) *Text { return &i.Untagged })},
	{"address", "`next`, `first`, `last`, 10, -2, `\"::a\"`, `eui-64`, `leased`, `advertised`, an address with its length, or `none`; or a list", "10 is the tenth usable address of each subnet of the segment, -2 the last but one. `next` is the next free one, of which a device that forwards gets the first usable, if it is free; it is what an interface has that does not say. `::a` is an interface identifier in the IPv6 subnets, `eui-64` the one made from `mac`. `leased`: it asks for one of the segment's `leases`, and takes its gateway with it. `advertised`: it takes IPv6 address and gateway from a router that `advertises` (RFC 4862).", texts(func(i *Interface) *[]Text { return &i.Addresses })},
	{"secondary", "as `address`", "Further addresses, which are not what the device sends from.", texts(func(i *Interface) *[]Text { return &i.Secondary })},
	{"link-local", "an address such as `\"fe80::1\"`, or `eui-64`", "The IPv6 link-local address.", text(func(i *Interface) *Text { return &i.LinkLocal })},
	{"mac", "such as `02:00:5e:10:00:01`", "The MAC address.", text(func(i *Interface) *Text { return &i.MAC })},
	{"borrow", "an interface of the device", "Has no address of its own, and sends from that interface's.", text(func(i *Interface) *Text { return &i.Borrow })},
	{"prefer", "one of its addresses", "The address the device sends from by this interface.", text(func(i *Interface) *Text { return &i.Prefer })},
	{"virtual", "a place or an address; or a list", "A gateway address shared with other routers of the segment (VRRP, RFC 9568). The master holds it: the one with the highest priority that is up. Two ports of one device of which one takes over from the other have `address: none` and the same `virtual`.", texts(func(i *Interface) *[]Text { return &i.Virtual })},
	{"priority", "1 to 255; 100 unless set", "The priority for becoming master of `virtual`.", whole(1, 255, func(i *Interface) *Number { return &i.Priority })},
	{"follows", "interfaces of the device, or addresses that a route of it watches, each alone or such as `wan0 by 30`; or a list", "What it should not be master of `virtual` without: while the interface is down, or the address is not heard, its priority is lower by that number, and without a number the lowest there is, 1.", texts(func(i *Interface) *[]Text { return &i.Follows })},
	{"table", "a word", "The routing table the interface is in, where it is not the main one: for a management interface apart, or customers kept apart.", text(func(i *Interface) *Text { return &i.Table })},
	{"members", "ports of the device", "Groups these ports: they work as one. What the group carries is said of the group.", texts(func(i *Interface) *[]Text { return &i.Members })},
	{"negotiates", "true or false; false unless set", "Whether a group agrees with the far end on its members (IEEE 802.1AX): one that leads elsewhere is left out then. Both ends must.", truth(func(i *Interface) *Switch { return &i.Negotiates })},
	{"mtu", "68 to 65535", "The largest packet in bytes, the Ethernet header and tag not counted.", whole(68, 65535, func(i *Interface) *Number { return &i.MTU })},
	{"bandwidth", "such as `100M`, `10G` or `64k`", "How many bits a second.", text(func(i *Interface) *Text { return &i.Bandwidth })},
	{"duplex", "`full` or `half`", "Whether both ends may send at once. Both ends of a cable say the same, or none does.", choice(func(i *Interface) *Text { return &i.Duplex }, "full", "half")},
	{"line", "`ethernet` or `serial`; `ethernet` unless set", "What kind of line it is. A serial one is up only where exactly one end clocks it.", choice(func(i *Interface) *Text { return &i.Line }, "ethernet", "serial")},
	{"clock", "`here`", "This end of a serial line clocks it.", choice(func(i *Interface) *Text { return &i.Clock }, "here")},
	{"parent", "an interface", "The port this is a subinterface of, where the name does not tell.", text(func(i *Interface) *Text { return &i.Parent })},
	{"tag", "1 to 4094", "A subinterface's tag. Unless set: the number at the end of its name, else its segment's VLAN number.", whole(1, 4094, func(i *Interface) *Number { return &i.Tag })},
	{"relay", "a device or an IPv4 address; or a list", "Where it passes on what hosts ask for a lease (RFC 1542): to a server on another subnet.", texts(func(i *Interface) *[]Text { return &i.Relay })},
	{"advertises", "true or false; false unless set", "Whether the router advertises the segment's IPv6 subnets and itself as gateway there (RFC 4861 §6.2.1), for hosts with `address: advertised`.", truth(func(i *Interface) *Switch { return &i.Advertises })},
	{"admin", "`up` or `down`; `up` unless set", "Whether it is switched on.", choice(func(i *Interface) *Text { return &i.Admin }, "up", "down")},
	{"note", "text", note, prose(func(i *Interface) *Text { return &i.Note })},
}

var hopKeys = []key[Hop]{
	{"next-hop", "an address or a device", "Where the packet goes next.", text(func(h *Hop) *Text { return &h.NextHop })},
	{"out", "an interface of the device", "The interface it leaves by. Needed with a link-local next hop.", text(func(h *Hop) *Text { return &h.Out })},
	{"distance", "1 to 254", "Lower wins among routes to one prefix.", whole(1, 254, func(h *Hop) *Number { return &h.Distance })},
	{"metric", "0 to 4294967295", "Lower wins among routes of one distance.", whole(0, 1<<32-1, func(h *Hop) *Number { return &h.Metric })},
	{"watch", "an address", "The route is usable only while this address answers a ping that leaves by this next hop: the next hop itself, or something beyond it.", text(func(h *Hop) *Text { return &h.Watch })},
	{"watch-from", "an interface of the device, such as `loopback`, or one of its addresses", "Where the ping of `watch` is sent from. Unless set: the address that faces the next hop. The answer has to find its way back to it.", text(func(h *Hop) *Text { return &h.WatchFrom })},
	{"discard", "true", "Drops what matches, silently to the sender.", truth(func(h *Hop) *Switch { return &h.Discard })},
}

// cableBody is a cable in its long form, before its ends are told apart.
type cableBody struct {
	between, fault Text
	cost           Number
}

var cableKeys = []key[cableBody]{
	{"between", "DEVICE:PORT to DEVICE:PORT", "The two ends.", text(func(c *cableBody) *Text { return &c.between })},
	{"fault", "`hidden` or `seen`; `seen` unless set", "`hidden`: something between the ends keeps the near port up when the far end fails.", choice(func(c *cableBody) *Text { return &c.fault }, "hidden", "seen")},
	{"cost", "1 to 65535; 10 unless set", "What it costs to send by this cable, for routes that are derived: the cheapest path is taken.", whole(1, 65535, func(c *cableBody) *Number { return &c.cost })},
}

// portsStart reads how ports start, of all devices or by their kind.
func (r *reader) portsStart(s *Settings, n *yaml.Node, what string) {
	if n.Kind != yaml.MappingNode {
		s.PortsStart = r.choice(n, what, "up", "down")
		return
	}
	s.PortsStartOf = map[string]Text{}
	r.mapping(n, what, func(kind Text, v *yaml.Node) {
		if kinds := []string{"router", "switch", "firewall"}; !slices.Contains(kinds, kind.Value) {
			r.report(finding.New(finding.BadValue, kind.Place, "ports start %s of a %s, not of a %s", oneOf([]string{"up", "down"}), oneOf(kinds), kind.Value))
			return
		}
		s.PortsStartOf[kind.Value] = r.choice(v, what+" of a "+kind.Value, "up", "down")
	})
}

// errorSource reads where errors come from, in both families or by family.
func (r *reader) errorSource(s *Settings, n *yaml.Node, what string) {
	words := []string{"incoming", "towards-sender"}
	if n.Kind != yaml.MappingNode {
		s.ErrorSource = r.choice(n, what, words...)
		return
	}
	s.ErrorSourceOf = map[string]Text{}
	r.mapping(n, what, func(family Text, v *yaml.Node) {
		if families := []string{"ipv4", "ipv6"}; !slices.Contains(families, family.Value) {
			r.report(finding.New(finding.BadValue, family.Place, "%s is said of %s, not of %s", what, oneOf(families), family.Value))
			return
		}
		s.ErrorSourceOf[family.Value] = r.choice(v, what+" of "+family.Value, words...)
	})
}

func (r *reader) blocks(d *Document, n *yaml.Node, what string) {
	r.mapping(n, "blocks", func(name Text, v *yaml.Node) {
		r.made(name, func(name Text, made bool) {
			r.checkName(name, "a block")
			b := Block{Name: name, Made: made}
			if _, broken := brokenIPv6(v); v.Kind == yaml.MappingNode && !broken {
				fields(r, v, "block "+name.Value, blockKeys(), &b)
			} else {
				b.Prefixes = r.words(v, "a prefix of block "+name.Value)
			}
			d.Blocks = append(d.Blocks, b)
		})
	})
}

func (r *reader) segments(d *Document, n *yaml.Node, what string) {
	d.Segments = slices.Grow(d.Segments, len(n.Content)/2)
	r.mapping(n, "segments", func(key Text, v *yaml.Node) {
		r.made(key, func(name Text, made bool) {
			r.checkName(name, "a segment")
			d.Segments = append(d.Segments, Segment{Name: name, Made: made})
			fields(r, v, "segment "+name.Value, segmentKeys, &d.Segments[len(d.Segments)-1])
		})
	})
}

func (r *reader) vlan(s *Segment, n *yaml.Node, what string) {
	if n.Kind == yaml.ScalarNode && n.Value == "auto" {
		s.VLANAuto = Switch{true, r.place(n)}
		return
	}
	s.VLAN = r.number(n, what, 1, 4094)
}

func percentage[T any](field func(*T) *Number) func(*reader, *T, *yaml.Node, string) {
	return func(r *reader, into *T, n *yaml.Node, what string) {
		t, ok := r.word(n, what)
		if !ok {
			return
		}
		percent, cut := strings.CutSuffix(t.Value, "%")
		value, err := strconv.Atoi(strings.TrimSpace(percent))
		if !cut || err != nil || value < 0 || value > mostGrowth {
			r.report(finding.New(finding.BadValue, t.Place, "grow is a percentage from 0%% to %d%%, not %s", mostGrowth, t.Value))
			return
		}
		*field(into) = Number{value, t.Place}
	}
}

// mostGrowth is the largest growth, in percent, that is no slip.
const mostGrowth = 1000

func (r *reader) leases(s *Segment, n *yaml.Node, what string) {
	all := []*yaml.Node{n}
	if n.Kind == yaml.SequenceNode {
		all = n.Content
	}
	for _, v := range all {
		l := Lease{}
		if v.Kind == yaml.MappingNode {
			fields(r, v, "a lease range", leaseKeys, &l)
			if !l.Range.Written() {
				r.report(finding.New(finding.MissingKey, r.place(v), "the lease range does not say which addresses").Mend("add 'range: 100..149'"))
				continue
			}
		} else if l.Range, _ = r.word(v, what); !l.Range.Written() {
			continue
		}
		s.Leases = append(s.Leases, l)
	}
}

func (r *reader) loopback(d *Device, n *yaml.Node, what string) {
	if n.Kind == yaml.ScalarNode && (n.Value == "true" || n.Value == "false") {
		d.LoopbackOn = r.truth(n, what)
		return
	}
	d.Loopback = r.words(n, what)
}

func (r *reader) devices(d *Document, n *yaml.Node, what string) {
	d.Devices = slices.Grow(d.Devices, len(n.Content)/2)
	r.mapping(n, "devices", func(key Text, v *yaml.Node) {
		r.made(key, func(name Text, made bool) {
			r.checkName(name, "a device")
			d.Devices = append(d.Devices, Device{Name: name, Made: made})
			device := &d.Devices[len(d.Devices)-1]
			before := len(r.found)
			fields(r, v, "device "+name.Value, deviceKeys, device)
			if !device.Is.Written() && len(r.found) == before {
				r.report(finding.New(finding.MissingKey, name.Place, "device %s does not say what it is", name.Value).
					Mend("add 'is:' with one of %s", oneOf(Kinds)))
			}
		})
	})
}

func (r *reader) interfaces(d *Device, n *yaml.Node, what string) {
	d.Interfaces = make([]Interface, 0, len(n.Content)/2)
	r.mapping(n, "interfaces", func(name Text, v *yaml.Node) {
		r.made(name, func(name Text, made bool) {
			r.checkInterfaceName(name)
			d.Interfaces = append(d.Interfaces, Interface{Name: name, Made: made})
			fields(r, v, "interface "+name.Value, interfaceKeys, &d.Interfaces[len(d.Interfaces)-1])
		})
	})
	d.Interfaces = exactOverPattern(d.Interfaces, func(i *Interface) (string, bool) { return i.Name.Value, i.Made })
}

func (r *reader) routes(d *Device, n *yaml.Node, what string) {
	d.Routes, d.RoutesSaid = r.routesOf(n), Switch{true, r.place(n)}
}

func (r *reader) tables(d *Device, n *yaml.Node, what string) {
	r.mapping(n, "tables", func(name Text, v *yaml.Node) {
		r.made(name, func(name Text, _ bool) { d.Tables = append(d.Tables, RouteTable{name, r.routesOf(v)}) })
	})
}

func (r *reader) routesOf(n *yaml.Node) []Route {
	all := make([]Route, 0, len(n.Content)/2)
	r.mapping(n, "routes", func(to Text, v *yaml.Node) {
		r.made(to, func(to Text, made bool) {
			route := Route{To: to, Made: made}
			hops := []*yaml.Node{v}
			if v.Kind == yaml.SequenceNode {
				hops = v.Content
			}
			for _, h := range hops {
				if hop, ok := r.hop(h, to.Value); ok {
					route.Hops = append(route.Hops, hop)
				}
			}
			all = append(all, route)
		})
	})
	return exactOverPattern(all, func(x *Route) (string, bool) { return x.To.Value, x.Made })
}

func (r *reader) hop(n *yaml.Node, to string) (Hop, bool) {
	what := "a next hop to " + to
	if _, broken := brokenIPv6(n); n.Kind != yaml.MappingNode || broken {
		t, ok := r.word(n, what)
		return Hop{Place: t.Place, NextHop: t}, ok
	}
	before := len(r.found)
	h := Hop{Place: r.place(n)}
	if n.Style&yaml.FlowStyle != 0 {
		h.Whole = source.Place{File: r.file, Start: h.Place.Start, End: r.end(n)}
	}
	fields(r, n, what, hopKeys, &h)
	if !h.NextHop.Written() && !h.Out.Written() && !h.Discard.Value && len(r.found) == before {
		r.report(finding.New(finding.MissingKey, h.Place, "the route to %s leads nowhere", to).
			Mend("add 'next-hop:', 'out:' or 'discard: true'"))
	}
	return h, len(r.found) == before
}

func (r *reader) cables(d *Document, n *yaml.Node, what string) {
	if n.Kind == yaml.ScalarNode && n.Value == "" {
		return
	}
	if !r.plain(n) {
		return
	}
	if n.Kind != yaml.SequenceNode {
		r.report(finding.New(finding.WrongType, r.place(n), "cables is a list with a '-' before each, not %s", kindOf(n)))
		return
	}
	for _, c := range n.Content {
		r.cable(d, c)
	}
}

// cable reads one entry of the list: one cable, or those of a pattern.
func (r *reader) cable(d *Document, n *yaml.Node) {
	r.madeFrom(rangeBelow(n), func() { r.oneCable(d, n) })
}

// rangeBelow is the first word of a cable's entry that is a pattern, nil where
// none is.
func rangeBelow(n *yaml.Node) *yaml.Node {
	if n.Kind == yaml.ScalarNode && hasRange(n.Value) {
		return n
	}
	for _, c := range n.Content {
		if found := rangeBelow(c); found != nil {
			return found
		}
	}
	return nil
}

func (r *reader) oneCable(d *Document, n *yaml.Node) {
	c := Cable{Place: r.place(n)}
	body := cableBody{}
	switch {
	case n.Kind != yaml.MappingNode:
		body.between, _ = r.word(n, "a cable")
	case len(n.Content) == 2 && n.Content[0].Value != "between":
		r.mapping(n, "a cable", func(name Text, v *yaml.Node) {
			r.checkName(name, "a cable")
			c.Name = name
			if v.Kind == yaml.MappingNode {
				fields(r, v, "cable "+name.Value, cableKeys, &body)
			} else {
				body.between, _ = r.word(v, "cable "+name.Value)
			}
		})
	default:
		fields(r, n, "a cable", cableKeys, &body)
	}
	if !body.between.Written() {
		return
	}
	c.Fault, c.Cost = body.fault, body.cost
	if a, b, ok := cutText(body.between, " to "); ok {
		c.Ends = [2]Text{a, b}
		d.Cables = append(d.Cables, c)
		return
	}
	r.report(finding.New(finding.BadValue, body.between.Place, "a cable is 'DEVICE:PORT to DEVICE:PORT', not %s", body.between.Value))
}

// cutText splits a word around the separator and gives each half its own
// place.
func cutText(t Text, separator string) (before, after Text, found bool) {
	for i := 0; i+len(separator) <= len(t.Value); i++ {
		if t.Value[i:i+len(separator)] == separator {
			j := i + len(separator)
			if before, after, ok := t.cutWritten(separator); ok {
				return Text{t.Value[:i], before}, Text{t.Value[j:], after}, true
			}
			return Text{t.Value[:i], t.part(0, i)}, Text{t.Value[j:], t.part(j, len(t.Value))}, true
		}
	}
	return t, Text{}, false
}

// cutWritten is where the two halves stand of a word that comes of a pattern,
// and so is not written as it reads: cut at the same separator, where what is
// written has as many of them.
func (t Text) cutWritten(separator string) (before, after source.Place, ok bool) {
	place := t.Place
	written := place.Text()
	if !strings.Contains(written, "(") || strings.Contains(written, `\`) {
		return before, after, false
	}
	if n := len(written); n > 1 && (written[0] == '"' || written[0] == '\'') && written[n-1] == written[0] {
		place.Start, place.End = place.Start+1, place.End-1
		written = written[1 : n-1]
	}
	if written == t.Value || strings.Count(written, separator) != strings.Count(t.Value, separator) {
		return before, after, false
	}
	before, after = place, place
	before.End = place.Start + strings.Index(written, separator)
	after.Start = before.End + len(separator)
	return before, after, true
}

// part is the place of bytes i to j of the word. A word that is not written
// plainly, with escapes in it, is pointed at as a whole.
func (t Text) part(i, j int) source.Place {
	written := t.Place.Text()
	skip := 0
	if len(written) == len(t.Value)+2 {
		skip = 1 // its quotes
	}
	if len(written) != len(t.Value)+2*skip || written[skip:len(written)-skip] != t.Value {
		return t.Place
	}
	return source.Place{File: t.Place.File, Start: t.Place.Start + skip + i, End: t.Place.Start + skip + j}
}

// Cut splits the word at the first occurrence of the separator, as
// strings.Cut does, each half with its own place.
func (t Text) Cut(separator string) (before, after Text, found bool) { return cutText(t, separator) }
