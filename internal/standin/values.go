package standin

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/prefix"
)

// interfaceTypes are the identities of interfaces that the stand-in takes, of those that the IANA lists (RFC 7224).
var interfaceTypes = []string{
	"ethernetCsmacd", "softwareLoopback", "l2vlan", "l3ipvlan", "ieee8023adLag", "propPointToPointSerial", "bridge", "other", "tunnel", "ppp",
	"hdlc", "serial",
	"gigabitEthernet", "fastEther", "propVirtual", "ieee80211", "rs232", "frameRelay", "sonet",
}

func within(low, high uint64) func(string) bool {
	return func(v string) bool {
		n, err := strconv.ParseUint(v, 10, 64)
		return err == nil && n >= low && n <= high
	}
}

func among(all ...string) func(string) bool {
	return func(v string) bool { return slices.Contains(all, v) }
}

// identity is one of some identities, with a prefix that stands for its module or without.
func identity(all ...string) func(string) bool {
	return func(v string) bool {
		_, name, prefixed := strings.Cut(v, ":")
		if !prefixed {
			name = v
		}
		return slices.Contains(all, name)
	}
}

func isAddress(v string) bool {
	_, err := netip.ParseAddr(v)
	return err == nil
}

// values are what leaves may hold, by the namespace and the name, as the models say (RFC 8343, 8344, 8349); a leaf that is not
// among them takes any text.
var values = map[[2]string]func(string) bool{
	{interfacesSpace, "enabled"}: among("true", "false"), {interfacesSpace, "link-up-down-trap-enable"}: among("enabled",
		"disabled"), {interfacesSpace, "type"}: identity(interfaceTypes...),
	{ipSpace, "enabled"}: among("true", "false"), {ipSpace, "forwarding"}: among("true", "false"), {ipSpace, "mtu"}: within(68,
		1<<32-1), {ipSpace, "dup-addr-detect-transmits"}: within(0, 1<<32-1),
	{ipSpace, "ip"}: isAddress, {ipSpace, "prefix-length"}: within(0, 128), {ipSpace, "netmask"}: isAddress,
	{ipSpace, "link-layer-address"}: func(v string) bool { _, err := prefix.ParseMAC(v); return err == nil },
	{routingSpace, "type"}:          identity("static"), {routingSpace, "router-id"}: isAddress,
	{four, "destination-prefix"}: isPrefixOf(prefix.IPv4), {six, "destination-prefix"}: isPrefixOf(prefix.IPv6),
	{four, "next-hop-address"}: isAddress, {six, "next-hop-address"}: isAddress,
	{four, "special-next-hop"}: among("blackhole", "unreachable", "prohibit", "receive"), {six, "special-next-hop"}: among("blackhole",
		"unreachable", "prohibit", "receive"),
	{deviceSpace, "untagged"}: within(0, 4094), {deviceSpace, "tagged"}: within(1, 4094), {deviceSpace, "route-preference"}: within(0,
		1<<32-1), {deviceSpace, "metric"}: within(0, 1<<32-1),
}

func isPrefixOf(family prefix.Family) func(string) bool {
	return func(v string) bool {
		p, err := netip.ParsePrefix(v)
		return err == nil && prefix.FamilyOf(p.Addr()) == family && p == p.Masked()
	}
}

// holds refuses a value that a leaf cannot have.
func (s *schema) holds(x *element, at string) error {
	if is, typed := values[[2]string{x.space, x.name}]; typed && (s.leaf || s.leafList) && !is(strings.TrimSpace(x.text)) {
		return refused("invalid-value", at, "%q is no value of %s", x.text, x.name)
	}
	return nil
}
