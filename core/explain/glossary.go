package explain

import (
	"strings"

	"ropeswing/core/plan"
)

// Term is a word of the trade, as it is used here.
type Term struct {
	Name  string
	Also  []string // other words for the same, by which it is found too
	Means string
	Key   string // of the plan: what stands for it there, as 'kind: key'; "" where nothing does
	RFC   string // where it is from; "" for a word of the trade or of ours
}

// Glossary is every word that means something particular here, in the order of the alphabet.
func Glossary() []Term { return glossary }

var glossary = []Term{
	{"access list", []string{"ACL", "filter", "firewall rule"}, "An ordered list of permits: the first that matches a packet decides whether it passes.", "device: permits", ""},
	{"access port", nil, "A switch port in one VLAN, whose frames carry no tag.", "interface: access", ""},
	{"address", []string{"IP address"}, "A number that an interface answers to. Written with its prefix length it also says which others are on the link.", "interface: address", "RFC 4291, 791"},
	{"address translation", []string{"NAT", "static NAT", "NAPT", "PAT", "many-to-one NAT", "masquerade", "port address translation"}, "A device rewrites addresses as packets pass. One address for another (static NAT), or many behind one, told apart by ports (NAPT, also called PAT).", "device: translates", "RFC 2663, 3022"},
	{"admin status", []string{"administratively down"}, "Whether an interface should be up, as it is configured.", "interface: admin", "RFC 8343"},
	{"administrative distance", []string{"AD", "preference", "distance"}, "Which of several routes to the same prefix is used: the lowest distance wins. A static route has 1 unless it says otherwise.", "route: distance", "RFC 8349 (route-preference)"},
	{"ARP", []string{"neighbour discovery", "ND", "neighbor discovery"}, "How a sender finds who has an address on its link: ARP in IPv4, neighbour discovery in IPv6.", "", "RFC 826, 4861"},
	{"assign", []string{"allocate"}, "To choose a subnet, VLAN number or address that the plan leaves open, and remember it in the ledger.", "", ""},
	{"block", []string{"address block", "pool", "supernet"}, "Address space that the plan may use. A site's block is taken from a larger one, so that one route leads to the site.", "plan: blocks", ""},
	{"broadcast address", nil, "The last address of an IPv4 subnet: all machines of it at once. A /31 or /32 has none.", "", "RFC 919, 3021"},
	{"carrier", []string{"provider", "ISP", "upstream"}, "Whoever connects the network with the world.", "wants: carriers", ""},
	{"cost", nil, "What it costs to send by a cable; derived routes take the path of the lowest sum.", "cable: cost", ""},
	{"default gateway", []string{"gateway", "default router"}, "The router to which a host sends what is not on its own link.", "segment: gateway", ""},
	{"default route", []string{"0.0.0.0/0", "::/0"}, "The route for everything that no longer prefix matches.", "device: routes", ""},
	{"derived route", nil, "A static route that the plan does not write out: it follows from what is wanted.", "plan: wants", ""},
	{"DHCP relay", []string{"relay"}, "A router's interface that passes on hosts' requests for an address to a server elsewhere.", "interface: relay", "RFC 2131, 8415"},
	{"direct route", []string{"connected route"}, "The route to a subnet that an interface is on: there while the interface is up.", "", ""},
	{"discard route", []string{"blackhole", "reject route"}, "A route that drops what matches it, so that what nobody has does not loop.", "route: discard", "RFC 8349 (blackhole)"},
	{"distance", nil, "See administrative distance.", "route: distance", ""},
	{"duplicate address", nil, "One address on two machines of a link: who is reached is chance.", "", "RFC 5227, 4862"},
	{"equal cost", []string{"ECMP", "multipath"}, "Several next hops of one route that are used together, each for some flows.", "", "RFC 2992"},
	{"EUI-64", []string{"modified EUI-64"}, "An IPv6 interface identifier made from a hardware address.", "", "RFC 4291"},
	{"finding", nil, "One thing wrong or doubtful: with a name, a severity, a place, a reason and a remedy.", "plan: accept", ""},
	{"first hop redundancy", []string{"virtual router", "VRRP", "shared gateway", "virtual IP"}, "An address that several routers share; the one with the highest priority answers.", "interface: virtual", "RFC 9568"},
	{"floating route", []string{"floating static route", "backup route"}, "A static route with a higher distance than another to the same prefix: it is used when that one is not.", "route: distance", ""},
	{"forward path", nil, "The devices and links by which a packet gets to its destination; the reply takes the return path, which may be another.", "", ""},
	{"group", []string{"link aggregation", "LAG", "bond"}, "Several cables used as one.", "interface: members", "IEEE 802.1AX"},
	{"hop", nil, "One device on a path. A hop limit (IPv6) or TTL (IPv4) says how many a packet may pass.", "", "RFC 791, 8200"},
	{"host part", []string{"interface identifier"}, "The bits of an address behind its prefix.", "segment: identifier", ""},
	{"lease", []string{"DHCP", "pool", "scope"}, "An address that a server lends a host for a time.", "segment: leases", "RFC 2131"},
	{"ledger", nil, "The file beside the plan that remembers which numbers were assigned to what, so that they never move by themselves.", "", ""},
	{"link-local", nil, "An address that is valid on its own link only.", "interface: link-local", "RFC 4291"},
	{"longest match", []string{"longest prefix match", "LPM"}, "Of all routes that match a destination the one with the longest prefix decides; distance and metric count among routes of the same prefix only.", "", "RFC 1812, section 5.2.4.3"},
	{"loop", []string{"routing loop", "forwarding loop"}, "Devices that send a packet to each other in a circle until its TTL ends.", "", ""},
	{"loopback", nil, "An interface without a cable that is always up; its address stands for the device.", "device: loopback", ""},
	{"mask", []string{"netmask", "subnet mask", "wildcard mask", "inverse mask"}, "The prefix length of IPv4 written as an address; the inverse mask has all bits the other way.", "", "RFC 950"},
	{"metric", nil, "Which of several routes of the same prefix and distance is used: the lowest wins.", "route: metric", ""},
	{"MTU", []string{"maximum transmission unit", "path MTU"}, "The largest packet that an interface sends or takes, in bytes.", "interface: mtu", "RFC 1191, 8201"},
	{"native VLAN", []string{"untagged VLAN", "PVID"}, "The VLAN of frames without a tag on a port that also carries tagged ones.", "interface: untagged", "IEEE 802.1Q"},
	{"next hop", []string{"via"}, "The address of the router to which a route sends.", "route: next-hop", ""},
	{"observed", []string{"state"}, "What devices were found to say of themselves, kept as a folder that can be compared with the plan.", "", ""},
	{"oper status", []string{"link state"}, "Whether an interface really works.", "", "RFC 8343"},
	{"out-of-band management", []string{"management address"}, "The interface and address at which a device is configured and asked.", "device: manage", ""},
	{"pair", nil, "A source and a destination. What is reachable is counted in pairs, each direction and family by itself.", "wants: reach", ""},
	{"path", []string{"route taken", "way"}, "The devices and links that a packet passes, in order: the forward path to its destination, the return path of the reply.", "", ""},
	{"permit", []string{"access rule"}, "One sentence of an access list: `A may reach B over tcp/443`.", "device: permits", ""},
	{"plan", nil, "The file that an engineer writes: what is wanted, and what is given.", "plan: ropeswing", ""},
	{"point-to-point link", []string{"/31", "/127"}, "A link with exactly two ends; a /31 or /127 is enough for it.", "segment: point-to-point", "RFC 3021, 6164"},
	{"prefix", []string{"CIDR", "prefix length", "network"}, "The leading bits that a run of addresses shares, written ADDRESS/LENGTH.", "segment: prefix", "RFC 4632"},
	{"protection", []string{"redundancy", "resilience"}, "Which single failures derived routes outlive.", "wants: protect", ""},
	{"push", nil, "To carry out steps on devices, one at a time, each with a way to take it back.", "", ""},
	{"reachable", []string{"reach"}, "A destination to which packets get, and from which replies come back.", "plan: must", ""},
	{"recursive lookup", []string{"recursive next hop"}, "A next hop that is not on a link is found by another route.", "settings: resolve-through-default", ""},
	{"rehearsal", nil, "The plan made real on one Linux machine, out of the kernel's own forwarding.", "", ""},
	{"requirement", []string{"intent", "must"}, "A sentence of the plan that must hold: `A reaches B`, `A does not reach B`, `A reaches B without CABLE`.", "plan: must", ""},
	{"return path", nil, "The devices and links by which the reply comes back. Most \"no reply\" is a missing return route.", "", ""},
	{"router advertisement", []string{"RA", "SLAAC"}, "A router's message from which IPv6 hosts learn their prefix and default gateway.", "interface: advertises", "RFC 4861, 4862"},
	{"routing table", []string{"VRF", "routing instance", "policy routing"}, "A further table of routes in a device, for what comes in by some of its interfaces.", "device: tables", ""},
	{"secondary address", nil, "A further address of an interface, beside its primary one.", "interface: secondary", ""},
	{"segment", []string{"broadcast domain", "LAN", "network segment"}, "One broadcast domain, with its subnets, its VLAN number and its needs.", "plan: segments", ""},
	{"single point of failure", []string{"SPOF", "bridge"}, "A cable or device whose failure takes pairs that no other path could save.", "", ""},
	{"site", []string{"location", "branch"}, "A block with the devices whose own subnets lie in it.", "plan: blocks", ""},
	{"spanning tree", []string{"STP", "RSTP", "MSTP"}, "The protocol by which switches block cables that would make a loop.", "settings: spanning-tree", "IEEE 802.1D, 802.1Q"},
	{"stand-in", []string{"simulator", "mock device"}, "A small simulated device that comes with the program and speaks the open protocols.", "", ""},
	{"stateful", []string{"connection tracking", "stateful firewall"}, "A device that lets replies pass because it saw the request.", "device: keeps-state", ""},
	{"static route", nil, "A route that is configured, not learnt: a prefix and a next hop.", "device: routes", ""},
	{"steps", []string{"change plan", "method of procedure", "MOP"}, "The ordered worksheet that turns what is observed into what is planned, each step proven.", "", ""},
	{"subinterface", []string{"router on a stick", "VLAN interface of a router"}, "An interface of a router that sends and takes frames with one VLAN tag.", "interface: tag", "IEEE 802.1Q"},
	{"subnet", []string{"subnetwork"}, "The addresses of one prefix on one link.", "segment: prefix", "RFC 950"},
	{"summary route", []string{"aggregate", "summarisation", "summarization", "route aggregation"}, "One route in place of several: the shortest prefix that covers them all.", "wants: summarise", "RFC 4632"},
	{"traceroute", []string{"trace"}, "Probes with a TTL of 1, 2, 3 and so on: each router on the forward path answers in turn.", "", ""},
	{"tracked route", []string{"route tracking", "watch"}, "A route that is used only while a ping to some address is answered.", "route: watch", ""},
	{"trunk", []string{"tagged port"}, "A port that carries several VLANs, with a tag on each frame.", "interface: tagged", "IEEE 802.1Q"},
	{"TTL", []string{"hop limit", "time to live"}, "How many more routers a packet may pass; each takes one off, and the one that reaches zero drops it and says so.", "", "RFC 791, 8200"},
	{"unnumbered", []string{"unnumbered interface"}, "An interface without an address of its own that borrows another's.", "interface: borrow", "RFC 1812, section 2.2.7"},
	{"VLAN", []string{"virtual LAN"}, "One of several segments that share cables and switches, told apart by a number from 1 to 4094.", "segment: vlan", "IEEE 802.1Q"},
	{"VLAN interface", []string{"SVI", "switched virtual interface"}, "An interface of a switch in one of its VLANs, with an address.", "interface: vlan", ""},
	{"world", []string{"internet", "outside"}, "What lies beyond the plan, and the addresses that are reached there.", "device: beyond", ""},
}

// TermNamed finds a word, by any of its names, in capitals or small, with spaces or hyphens.
func TermNamed(word string) (Term, bool) {
	plain := func(s string) string { return strings.ToLower(strings.NewReplacer("-", " ", "_", " ").Replace(s)) }
	want := plain(word)
	for _, t := range glossary {
		if plain(t.Name) == want {
			return t, true
		}
	}
	for _, t := range glossary {
		for _, also := range t.Also {
			if plain(also) == want {
				return t, true
			}
		}
	}
	return Term{}, false
}

// KeyOf is what the plan's reference says of a term's key.
func (t Term) KeyOf() (plan.KeyDoc, string, bool) {
	kind, name, ok := strings.Cut(t.Key, ": ")
	if !ok {
		return plan.KeyDoc{}, "", false
	}
	return plan.KeyNamed(kind, name)
}

// KeysNamed are the keys of the plan with a name, each with where it stands.
func KeysNamed(name string) (keys []plan.KeyDoc, where []string) {
	for _, g := range plan.Keys() {
		for _, k := range g.Keys {
			if k.Name == name {
				keys, where = append(keys, k), append(where, g.Where)
			}
		}
	}
	return keys, where
}
