package prefix

import "net/netip"

// Scope is what an address is for, by the special-purpose address registries
// (RFC 6890) and the RFCs that define address types.
type Scope struct {
	Prefix netip.Prefix
	Use    string // such as "private use"
	RFC    string // such as "RFC 1918"
}

// scopeTable lists the special purposes, the narrower before the wider.
var scopeTable = []struct{ prefix, use, rfc string }{
	{"0.0.0.0/32", "this host on this network", "RFC 1122"},
	{"0.0.0.0/8", "this network", "RFC 791"},
	{"10.0.0.0/8", "private use", "RFC 1918"},
	{"100.64.0.0/10", "shared between carrier and customer", "RFC 6598"},
	{"127.0.0.0/8", "loopback", "RFC 1122"},
	{"169.254.0.0/16", "link-local", "RFC 3927"},
	{"172.16.0.0/12", "private use", "RFC 1918"},
	{"192.0.0.0/24", "protocol assignments", "RFC 6890"},
	{"192.0.2.0/24", "documentation", "RFC 5737"},
	{"192.88.99.0/24", "6to4 relay anycast, deprecated", "RFC 7526"},
	{"192.168.0.0/16", "private use", "RFC 1918"},
	{"198.18.0.0/15", "benchmarking", "RFC 2544"},
	{"198.51.100.0/24", "documentation", "RFC 5737"},
	{"203.0.113.0/24", "documentation", "RFC 5737"},
	{"224.0.0.0/4", "multicast", "RFC 5771"},
	{"255.255.255.255/32", "limited broadcast", "RFC 919"},
	{"240.0.0.0/4", "reserved", "RFC 1112"},
	{"0.0.0.0/0", "global unicast", "RFC 791"},
	{"::/128", "unspecified", "RFC 4291"},
	{"::1/128", "loopback", "RFC 4291"},
	{"::ffff:0:0/96", "IPv4-mapped", "RFC 4291"},
	{"64:ff9b::/96", "IPv4-IPv6 translation", "RFC 6052"},
	{"64:ff9b:1::/48", "local IPv4-IPv6 translation", "RFC 8215"},
	{"100::/64", "discard only", "RFC 6666"},
	{"2001:db8::/32", "documentation", "RFC 3849"},
	{"2001:2::/48", "benchmarking", "RFC 5180"},
	{"2001::/23", "protocol assignments", "RFC 2928"},
	{"2002::/16", "6to4", "RFC 3056"},
	{"3fff::/20", "documentation", "RFC 9637"},
	{"fc00::/7", "unique local", "RFC 4193"},
	{"fe80::/10", "link-local unicast", "RFC 4291"},
	{"ff00::/8", "multicast", "RFC 4291"},
	{"2000::/3", "global unicast", "RFC 4291"},
	{"::/0", "not assigned", "RFC 4291"},
}

// ScopeOf is the narrowest special purpose the address falls under; every
// address falls under one.
func ScopeOf(a netip.Addr) Scope {
	for _, s := range scopeTable {
		// Parsed on use: a table parsed at start-up would be paid for by every command.
		if p := netip.MustParsePrefix(s.prefix); p.Contains(a) {
			return Scope{p, s.use, s.rfc}
		}
	}
	return Scope{}
}
