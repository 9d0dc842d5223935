package coretest

// EveryKey is a plan in which every key says something.
const EveryKey = `
operator: desk
name-servers: desk
time-servers: 10.1.0.40
log-servers: [desk, "2001:db8:1::40"]
settings: {resolve-through-default: false, vlan-interface-needs-port: true, answers-without-link: false, probes-by-table: false, first-source: false, error-source: incoming, spanning-tree: single, tree-root: sw1, ports-start: up, default-vlan: 5}
wants: {reach: [a to b], world: [a], carriers: [isp, sat], protect: links, stretch: 2, links: true, summarise: true, leave-out: gw}
groups: {staff: [a]}
must: [staff reaches b]
vlans: 300..399
blocks: {home: {prefix: 10.64.0.0/16, keep: 10.64.9.0/24, name-servers: 10.2.0.41, time-servers: 10.2.0.42, log-servers: 10.2.0.43}, spare: {prefix: 10.66.0.0/16}, site: {from: home, length: 26, grow: 30%, alike: sites, subnet-number: vlan}}
segments:
  a: {vlan: 7, prefix: [10.1.0.0/24, "2001:db8:1::/64"], leases: [{range: 100..149, by: desk, gateway: r1}], gateway: r1}
  b: {prefix: 10.2.0.0/24}
  l: {prefix: [10.0.0.0/29, "2001:db8:7::/64"], identifier: place}
  n: {hosts: 20, grow: 20%, from: home}
  m: {length: 28, from: home}
  p: {point-to-point: true, from: home}
  up: {prefix: 198.51.100.0/29}
  x: {vlan: 8, prefix: 10.3.0.0/24}
devices:
  desk: {is: host, at: "sw1:p1", segment: a, address: 10, gateway: 10.1.0.1}
  tap: {is: host, forwards: false, interfaces: {e: {segment: x, address: 9}}}
  isp: {is: world, beyond: 192.0.2.0/24, interfaces: {e: {segment: up, address: 1}}, routes: {home: r1}}
  sat: {is: world, beyond: 192.0.2.0/24, interfaces: {e: {segment: up, address: 4}}, routes: {home: r1}}
  sw1: {is: switch, interfaces: {p1: {access: a}, p2: {tagged: [7, 8], untagged: 9}, p3..p4: {}, g: {members: [p3, p4], negotiates: true}, mgmt: {vlan: a, address: 20}}}
  r1:
    is: firewall
    loopback: 10.9.0.1
    manage: loopback
    answers: [ping, ssh]
    name-servers: hb
    time-servers: 10.2.0.50
    log-servers: 10.2.0.51
    otherwise: drop
    keeps-state: true
    shares-state: far
    interfaces:
      lan: {}
      lan.7: {parent: lan, tag: 7, segment: a, address: first, virtual: 250, priority: 90, follows: [up, n by 7]}
      l: {segment: l, address: 1, secondary: 3, link-local: "fe80::1", mac: "02:00:00:00:00:01", prefer: 10.0.0.1, mtu: 1400, note: "to the desk, upstairs", bandwidth: 100M, duplex: half, relay: desk, advertises: true, admin: up}
      up: {segment: up, address: 2}
      n: {segment: n, address: first}
      q: {segment: x, table: apart, address: 1}
    routes:
      10.2.0.0/24: [{next-hop: 10.0.0.2, out: l, distance: 5, metric: 3, watch: 10.0.0.4, watch-from: loopback}]
      10.77.0.0/16: {discard: true}
    tables: {apart: {10.88.0.0/16: 10.3.0.2}}
    permits: [staff may reach b, {permit: b may reach staff, in: l, out: lan.7, pending: true}]
    own-permits: [staff may reach itself]
    translates: [a shares up]
  gw: {is: router, loopback: true, from: home, interfaces: {l: {segment: l, address: 2}, b: {segment: b, address: first}, s: {line: serial, clock: here, borrow: b}, p: {segment: p}, m: {segment: m}}, routes: {default: 10.0.0.1, 10.3.0.0/24: [10.0.0.1, 10.2.0.10]}}
  far: {is: router, interfaces: {s: {line: serial, borrow: l}, l: {segment: l, address: 4}}}
  hb: {is: host, interfaces: {e: {segment: b, address: 10}}}
cables: [{between: "gw:s to far:s", fault: seen, cost: 10}, "sw1:p2 to r1:lan"]
`

// change puts another text where one stands, once.
type Change [2]string

// Changes is for each key what is changed to see that it is compared.
var Changes = map[string]map[string]Change{
	"plan": {
		"name-servers": {"name-servers: desk", "name-servers: 10.1.0.11"}, "time-servers": {"10.1.0.40", "10.1.0.41"},
		"log-servers": {", \"2001:db8:1::40\"", ""}, "operator": {"operator: desk", "operator: hb"}, "settings": {"spanning-tree: single", "spanning-tree: none"}, "wants": {"world: [a]",
			"world: [b]"}, "groups": {"staff: [a]", "staff: [a, x]"},
		"must": {"must: [staff reaches b]", "must: [b reaches staff]"}, "vlans": {"vlans: 300..399",
			"vlans: 300..398"}, "blocks": {"spare: {prefix", "other: {prefix"}, "segments": {"  x: {vlan: 8,",
			"  y: {prefix: 10.4.0.0/24}\n  x: {vlan: 8,"},
		"devices": {"  hb: {", "  hc: {is: host, interfaces: {e: {segment: b, address: 11}}}\n  hb: {"}, "cables": {"cables: [",
			"cables: [{between: \"gw:b to hb:e\"}, "},
	},
	"settings": {
		"resolve-through-default": {"through-default: false", "through-default: true"}, "vlan-interface-needs-port": {"needs-port: true",
			"needs-port: false"}, "answers-without-link": {"without-link: false", "without-link: true"}, "probes-by-table": {"by-table: false",
			"by-table: true"}, "first-source": {"first-source: false", "first-source: true"}, "error-source": {"source: incoming",
			"source: towards-sender"},
		"spanning-tree": {"tree: single", "tree: per-vlan"}, "tree-root": {"tree-root: sw1, ", ""}, "ports-start": {"ports-start: up",
			"ports-start: down"}, "default-vlan": {"default-vlan: 5", "default-vlan: 6"},
	},
	"wants": {
		"reach": {"[a to b]", "[a to l]"}, "world": {"world: [a]", "world: none"}, "carriers": {"carriers: [isp, sat]",
			"carriers: [sat, isp]"}, "protect": {"protect: links", "protect: none"}, "stretch": {"stretch: 2",
			"stretch: 3"}, "links": {"links: true", "links: false"}, "summarise": {"summarise: true",
			"summarise: false"}, "leave-out": {"leave-out: gw", "leave-out: far"},
	},
	"block": {"name-servers": {"10.2.0.41", "10.2.0.44"}, "time-servers": {"10.2.0.42", "10.2.0.45"},
		"log-servers": {"10.2.0.43", "10.2.0.46"}, "prefix": {"10.66.0.0/16", "10.67.0.0/16"}, "keep": {"keep: 10.64.9.0/24", "keep: 10.64.9.0/25"},
		"from": {"site: {from: home", "site: {from: spare"}, "length": {"length: 26", "length: 25"}, "grow": {"grow: 30%",
			"grow: 31%"}, "alike": {"alike: sites", "alike: yards"}, "subnet-number": {"subnet-number: vlan", "subnet-number: vlan-value"}},
	"segment": {
		"vlan": {"a: {vlan: 7", "a: {vlan: 8"}, "prefix": {"b: {prefix: 10.2.0.0/24", "b: {prefix: 10.2.0.0/25"}, "hosts": {"hosts: 20",
			"hosts: 19"}, "grow": {"grow: 20%", "grow: 21%"}, "point-to-point": {"point-to-point: true", "length: 31"},
		"length": {"length: 28", "length: 27"}, "from": {"length: 28, from: home",
			"length: 28, from: spare"}, "identifier": {"identifier: place",
			"identifier: digits"}, "leases": {"leases: [{range: 100..149, by: desk, gateway: r1}], ", ""}, "gateway": {"gateway: r1}\n",
			"gateway: 10.1.0.9}\n"},
	},
	"lease": {"range": {"range: 100..149", "range: 100..150"}, "by": {"by: desk", "by: r1"},
		"gateway": {"desk, gateway: r1}", "desk, gateway: none}"}},
	"device": {
		"name-servers": {"name-servers: hb", "name-servers: far"}, "time-servers": {"10.2.0.50", "10.2.0.52"},
		"log-servers": {"10.2.0.51", "10.2.0.53"},
		"is":          {"far: {is: router", "far: {is: firewall"}, "at": {"sw1:p1\"", "sw1:p3\""}, "segment": {"segment: a, address: 10",
			"segment: b, address: 10"}, "address": {"address: 10, gateway", "address: 11, gateway"}, "gateway": {"gateway: 10.1.0.1}",
			"gateway: 10.1.0.9}"}, "loopback": {"10.9.0.1", "10.9.0.2"},
		"from": {"loopback: true, from: home", "loopback: true, from: spare"}, "manage": {"manage: loopback",
			"manage: l"}, "answers": {"[ping, ssh]", "[ping]"}, "tables": {"apart: {10.88.0.0/16: 10.3.0.2}", "apart: {10.88.0.0/16: 10.3.0.3}"},
		"forwards": {"forwards: false", "forwards: true"}, "beyond": {"beyond: 192.0.2.0/24",
			"beyond: 192.0.2.0/25"}, "interfaces": {"      n: {segment: n, address: first}\n", ""}, "routes": {"10.77.0.0/16: {discard: true}",
			"10.76.0.0/16: {discard: true}"},
		"permits": {"staff may reach b,", "staff may not reach b,"}, "own-permits": {"[staff may reach itself]",
			"[staff is refused itself]"}, "otherwise": {"otherwise: drop", "otherwise: refuse"}, "keeps-state": {"keeps-state: true",
			"keeps-state: false"}, "shares-state": {"shares-state: far", "shares-state: hb"}, "translates": {"[a shares up]", "[b shares up]"},
	},
	"interface": {
		"segment": {"q: {segment: x, table", "q: {segment: b, table"}, "vlan": {"mgmt: {vlan: a", "mgmt: {vlan: x"}, "access": {"access: a",
			"access: 8"}, "tagged": {"tagged: [7, 8]", "tagged: [7]"}, "untagged": {"untagged: 9", "untagged: 8"},
		"address": {"up: {segment: up, address: 2}", "up: {segment: up, address: 3}"}, "secondary": {"address: 1, secondary: 3",
			"address: 3, secondary: 1"}, "link-local": {"fe80::1", "fe80::2"}, "mac": {"00:00:01", "00:00:02"},
		"borrow": {"borrow: b}", "borrow: l}"}, "prefer": {"prefer: 10.0.0.1", "prefer: 10.0.0.3"}, "virtual": {"virtual: 250",
			"virtual: 251"}, "priority": {"priority: 90", "priority: 91"}, "follows": {"n by 7", "n by 8"}, "table": {"table: apart,", "table: alone,"},
		"members": {"members: [p3, p4], negotiates", "members: [p3], negotiates"}, "mtu": {"mtu: 1400",
			"mtu: 1401"}, "note": {"to the desk, upstairs", "to the lamp: old"}, "duplex": {"duplex: half", "duplex: full"}, "bandwidth": {"100M",
			"10M"}, "line": {"line: serial, clock: here", "line: ethernet"}, "clock": {", clock: here", ""}, "negotiates": {"negotiates: true",
			"negotiates: false"},
		"parent": {"parent: lan, ", "parent: n, "}, "tag": {"tag: 7, ", "tag: 8, "}, "admin": {"admin: up", "admin: down"},
		"relay": {"relay: desk, ", ""}, "advertises": {"advertises: true, ", ""},
	},
	"route": {
		"next-hop": {"next-hop: 10.0.0.2", "next-hop: 10.0.0.4"}, "out": {"out: l, distance", "out: up, distance"}, "distance": {"distance: 5",
			"distance: 6"}, "metric": {"metric: 3", "metric: 4"}, "watch": {"watch: 10.0.0.4",
			"watch: 10.0.0.2"}, "watch-from": {"watch-from: loopback", "watch-from: 10.0.0.1"}, "discard": {"{discard: true}", "10.0.0.2"},
	},
	"permit": {"permit": {"b may reach staff", "b may not reach staff"}, "in": {"in: l, ", ""}, "out": {"out: lan.7, ", ""},
		"pending": {", pending: true", ""}},
	"cable": {"between": {"gw:s to far:s", "far:s to gw:l"}, "fault": {"fault: seen", "fault: hidden"}, "cost": {"cost: 10", "cost: 11"}},
}
