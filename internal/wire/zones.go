package wire

import (
	"bytes"
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"github.com/miekg/dns"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// ZoneOptions are what zones say beside the addresses.
type ZoneOptions struct {
	Domain string // of the forward zone
	Server string // the name server: a device of the plan, or a name in full
	Mail   string // of the hostmaster; hostmaster of the domain unless set
	Serial uint32
	TTL    uint32 // seconds
	// SerialOf is the serial of a zone by its name and what it holds; nil where all have Serial.
	SerialOf func(zone string, text []byte) uint32
}

// Zone is one zone as a zone file has it (RFC 1035 §5).
type Zone struct {
	Name string // without the dot at its end
	Text []byte
}

// Zones makes the forward zone, and the reverse zones that the addresses are in:
// those of the widest block around each, at the next octet or nibble border, or
// by RFC 2317 where the block is smaller than a /24.
func Zones(spec *model.Spec, all []Named, o ZoneOptions) ([]Zone, error) {
	if err := CheckDomain(o.Domain); err != nil {
		return nil, err
	}
	domain := dns.CanonicalName(o.Domain)
	if o.Mail = dns.Fqdn(strings.Replace(o.Mail, "@", ".", 1)); o.Mail == "." {
		o.Mail = "hostmaster." + domain
	}
	server, err := serverName(o.Server, domain, all)
	if err != nil {
		return nil, err
	}
	o.Server = server
	forward := []dns.RR{}
	reverse := map[string][]dns.RR{}
	for _, n := range all {
		a := n.Address.Addr()
		name := n.Name + "." + domain
		if _, ok := dns.IsDomainName(name); !ok || slices.ContainsFunc(dns.SplitDomainName(name), func(l string) bool { return len(l) > 63 }) {
			return nil, fmt.Errorf("%s is too long for a name in the DNS", name)
		}
		if a.Is4() {
			forward = append(forward, &dns.A{Hdr: header(name, dns.TypeA, o), A: a.AsSlice()})
		} else {
			forward = append(forward, &dns.AAAA{Hdr: header(name, dns.TypeAAAA, o), AAAA: a.AsSlice()})
		}
		zone, owner := reverseOf(spec, n.Address)
		reverse[zone] = append(reverse[zone], &dns.PTR{Hdr: header(owner, dns.TypePTR, o), Ptr: name})
	}
	zones := []Zone{zone(domain, forward, o)}
	names := make([]string, 0, len(reverse))
	for name := range reverse {
		names = append(names, name)
	}
	slices.SortFunc(names, func(a, b string) int {
		return cmp.Or(cmp.Compare(strings.Count(a, "."), strings.Count(b, ".")), cmp.Compare(a, b))
	})
	for _, name := range names {
		zones = append(zones, zone(dns.Fqdn(name), reverse[name], o))
	}
	return zones, nil
}

// serverName is the name server's name in full. One within the zone must have an
// address there, or no name server takes the zone.
func serverName(server, domain string, all []Named) (string, error) {
	isOurs := func(name string) bool { return slices.ContainsFunc(all, func(n Named) bool { return n.Name == name }) }
	if isOurs(server) {
		return server + "." + domain, nil
	}
	full := dns.CanonicalName(server)
	if short, within := strings.CutSuffix(full, "."+domain); within && isOurs(short) {
		return full, nil
	}
	if _, ok := dns.IsDomainName(full); !ok || !strings.Contains(server, ".") || dns.IsSubDomain(domain, full) {
		return "", fmt.Errorf("%q is no name server: name a device of the plan, or a name in full that is not in %s", server,
			strings.TrimSuffix(domain, "."))
	}
	return full, nil
}

func header(name string, kind uint16, o ZoneOptions) dns.RR_Header {
	return dns.RR_Header{Name: name, Rrtype: kind, Class: dns.ClassINET, Ttl: o.TTL}
}

// reverseOf is the reverse zone of an address, and its own name in there.
func reverseOf(spec *model.Spec, a netip.Prefix) (zone, owner string) {
	around := a.Masked()
	if b, ok := spec.WidestBlock(a.Addr()); ok {
		around = b
	}
	step := 4
	if a.Addr().Is4() {
		step = 8
	}
	length := min((around.Bits()+step-1)/step*step, a.Addr().BitLen())
	if a.Addr().Is4() && around.Bits() > 24 {
		length = around.Bits() // RFC 2317
	}
	name, _ := dns.ReverseAddr(a.Addr().String()) // an address it is
	part := netip.PrefixFrom(a.Addr(), length).Masked()
	zone = prefix.ReverseZones(part)[0]
	if a.Addr().Is4() && around.Bits() > 24 {
		last, _, _ := strings.Cut(name, ".")
		name = last + "." + zone + "."
	}
	return zone, name
}

// zone writes a zone: its authority, its name server, and its records in order.
func zone(name string, records []dns.RR, o ZoneOptions) Zone {
	slices.SortStableFunc(records, func(a, b dns.RR) int { return compareNames(a.Header().Name, b.Header().Name) })
	if of := o.SerialOf; of != nil {
		o.SerialOf, o.Serial = nil, 0
		bare := zone(name, records, o)
		o.Serial = of(bare.Name, bare.Text)
	}
	var b bytes.Buffer
	fmt.Fprintf(&b, "$ORIGIN %s\n", name)
	soa := &dns.SOA{Hdr: header(name, dns.TypeSOA, o), Ns: o.Server, Mbox: o.Mail, Serial: o.Serial, Refresh: 7200, Retry: 900,
		Expire: 1209600, Minttl: 300}
	ns := &dns.NS{Hdr: header(name, dns.TypeNS, o), Ns: o.Server}
	for _, r := range append([]dns.RR{soa, ns}, records...) {
		b.WriteString(r.String() + "\n")
	}
	return Zone{strings.TrimSuffix(name, "."), b.Bytes()}
}

// compareNames orders names label by label from the right (RFC 4034 §6.1),
// numbers by their value.
func compareNames(a, b string) int {
	x, y := dns.SplitDomainName(a), dns.SplitDomainName(b)
	slices.Reverse(x)
	slices.Reverse(y)
	return slices.CompareFunc(x, y, func(a, b string) int {
		return cmp.Or(cmp.Compare(numeric(a), numeric(b)), cmp.Compare(a, b))
	})
}

// numeric is how a label that is a number sorts; other labels come behind.
func numeric(label string) int {
	n := 0
	for _, c := range label {
		if c < '0' || c > '9' || n > 1<<20 {
			return 1 << 30
		}
		n = n*10 + int(c-'0')
	}
	return n
}
