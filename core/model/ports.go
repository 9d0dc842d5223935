package model

import (
	"net/netip"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
)

// cutPorts parts 'web:443', '198.51.100.36:8000..8010' and '[2001:db8::1]:443' at the ports, or else finds none.
func cutPorts(text string) (at, ports string, ok bool) {
	if inner, rest, bracket := strings.Cut(strings.TrimPrefix(text, "["), "]:"); bracket && strings.HasPrefix(text, "[") {
		return inner, rest, true
	}
	if strings.Count(text, ":") != 1 {
		return text, "", false // an IPv6 address
	}
	at, ports, _ = strings.Cut(text, ":")
	return at, ports, at != "" && ports != "" && strings.Trim(ports, "0123456789.") == ""
}

// ported resolves 'A:PORT is B:PORT beyond INTERFACE', over TCP unless 'over udp' follows: B is an address, or the interface itself.
func (r *resolver) ported(d DeviceID, x Translation, words []plan.Text) (Translation, bool) {
	x.Kind = Porting
	bad := func(why string, args ...any) (Translation, bool) {
		r.report(finding.New(finding.BadValue, x.Place, why, args...).
			Mend("write it as 'web:443 is 198.51.100.36:8443 beyond wan0'; 'over udp' behind it, where it is not TCP"))
		return x, false
	}
	over := "tcp"
	if len(words) == 7 && words[5].Value == "over" {
		over, words = words[6].Value, words[:5]
	}
	if len(words) != 5 || words[3].Value != "beyond" || over != "tcp" && over != "udp" {
		return bad("a port that stands for another is 'A:PORT is B:PORT beyond INTERFACE', not %s", x.Text)
	}
	inside, ports, ok1 := cutPorts(words[0].Value)
	outward, asked, ok2 := cutPorts(words[2].Value)
	if !ok1 || !ok2 {
		return bad("%s says the port on one side only", x.Text)
	}
	var err1, err2 error
	x.To, err1 = ParseService(over + "/" + ports)
	if x.Asked, err2 = ParseService(over + "/" + asked); err1 != nil || err2 != nil || x.To.Last-x.To.First != x.Asked.Last-x.Asked.First {
		return bad("ports are numbers from 1 to 65535, as many on the one side as on the other: not %s and %s", ports, asked)
	}
	ids, ok := r.own(d, []plan.Text{words[4]})
	if !ok {
		return x, false
	}
	x.Beyond = ids[0]
	if outward == words[4].Value {
		x.ByInterface = true
	} else if a, err := prefix.ParseAddress(outward); err == nil {
		x.First, x.Last = a, a
	} else {
		return bad("%s is no address, and not %s, beyond which it stands", outward, words[4].Value)
	}
	word := words[0]
	word.Value = inside
	if x.Inside, ok = r.side(word); !ok {
		return x, false
	}
	if !x.Host().IsValid() {
		return bad("%s is not one address in %s, to which the ports would lead", inside, x.Family())
	}
	x.Inside.Prefixes = []netip.Prefix{single(x.Host())}
	return x, true
}

// Host is, of Porting, the address inside; invalid where it is not one.
func (t *Translation) Host() netip.Addr {
	var host netip.Addr
	for _, p := range t.Inside.Prefixes {
		if prefix.FamilyOf(p.Addr()) != t.Family() {
			continue
		}
		if host.IsValid() || !p.IsSingleIP() {
			return netip.Addr{}
		}
		host = p.Addr()
	}
	return host
}

// Ported is what a service is inside, of one that is asked for outside; false where it is none of those that are translated.
func (t *Translation) Ported(asked Service) (Service, bool) {
	if t.Kind != Porting || !t.Asked.Covers(asked) {
		return asked, false
	}
	move := func(port uint16) uint16 { return port - t.Asked.First + t.To.First }
	return Service{asked.Protocol, move(asked.First), move(asked.Last), asked.Mark}, true
}
