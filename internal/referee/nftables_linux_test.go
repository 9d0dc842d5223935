package referee

import (
	"fmt"
	"net/netip"
	"os/exec"
	"strings"

	"github.com/stretchr/testify/require"

	"ropeswing/core/model"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
)

// policies puts the permits and translations of every device in force, and lets
// neighbours know the addresses that translators answer for.
func (l *lab) policies() {
	for d := range l.spec.Devices {
		id := model.DeviceID(d)
		if rules := l.rules(id); rules != "" {
			cmd := exec.Command("ip", "netns", "exec", l.ns(d), "nft", "-f", "-")
			cmd.Stdin = strings.NewReader(rules)
			out, err := cmd.CombinedOutput()
			require.NoError(l.t, err, "%s\n%s", out, rules)
		}
		for _, t := range l.spec.Devices[d].Translates {
			if !t.ByInterface && l.state.IsUp(t.Beyond) && within(&l.spec.Interfaces[t.Beyond], t.First) {
				l.answer(&t)
			}
		}
	}
}

func within(i *model.Interface, a netip.Addr) bool {
	for _, own := range i.Addresses {
		if own.Contains(a) {
			return true
		}
	}
	return false
}

// answer makes neighbours know who answers for the addresses of a translation.
func (l *lab) answer(t *model.Translation) {
	for _, n := range l.state.Neighbours(t.Beyond) {
		var lines []string
		for a := t.First; !t.Last.Less(a); a = a.Next() {
			lines = append(lines, fmt.Sprintf("neigh replace %s lladdr %s dev i%d nud permanent", a, macOf(t.Beyond), n))
		}
		l.batch(l.ns(int(l.spec.Interfaces[n].Device)), lines)
	}
}

// rules is the permits and translations of a device in the words of nftables.
func (l *lab) rules(d model.DeviceID) string {
	device := &l.spec.Devices[d]
	pol := policy.New(l.spec)
	if !pol.Touches(d) {
		return ""
	}
	var pre, post []string
	for i := range device.Translates {
		t := &device.Translates[i]
		iface := fmt.Sprintf("i%d", t.Beyond)
		switch t.Kind {
		case model.OneToOne:
			in, out := t.Inside.Prefixes[0].Addr(), t.First
			pre = append(pre, fmt.Sprintf("iifname %s %s daddr %s dnat %s to %s", iface, ip(out), out, ip(out), in))
			post = append(post, fmt.Sprintf("oifname %s %s saddr %s snat %s to %s", iface, ip(in), in, ip(in), out))
		case model.Sharing:
			if to := policy.Shared(l.spec, t); to.IsValid() {
				post = append(post, fmt.Sprintf("oifname %s meta nfproto ipv4 %s snat ip to %s", iface, match("saddr", &t.Inside, prefix.IPv4), to))
			}
		case model.Taking:
			for id := range l.spec.Interfaces {
				for _, a := range l.spec.Interfaces[id].Addresses {
					if to, by, ok := pol.Outward(d, t.Beyond, a.Addr()); ok && by == t {
						post = append(post, fmt.Sprintf("oifname %s %s saddr %s snat %s to %s", iface, ip(to), a.Addr(), ip(to), to))
					}
				}
			}
			post = append(post, fmt.Sprintf("oifname %s meta nfproto %s %s drop", iface, map[bool]string{true: "ipv4", false: "ipv6"}[t.First.Is4()], match("saddr", &t.Inside, prefix.FamilyOf(t.First))))
		}
	}
	var through, to, from []string
	for i := range device.Permits {
		through = append(through, permit(&device.Permits[i])...)
	}
	for i := range device.OwnPermits {
		if p := &device.OwnPermits[i]; p.To.Itself {
			to = append(to, permit(p)...)
		} else {
			from = append(from, permit(p)...)
		}
	}
	known := ""
	if device.KeepsState {
		known = "ct state established,related accept\nct state invalid drop\n"
	}
	otherwise := map[model.Ruling]string{model.Pass: "accept", model.Drop: "drop", model.Refuse: "reject with icmpx admin-prohibited"}[device.Otherwise]
	const neighbours = "iifname lo accept\noifname lo accept\nicmpv6 type { nd-neighbor-solicit, nd-neighbor-advert } accept\n"
	var b strings.Builder
	b.WriteString("table inet rs {\n")
	chain := func(name, kind, hook, rules string) {
		fmt.Fprintf(&b, "chain %s {\ntype %s hook %s;\n%s\n}\n", name, kind, hook, rules)
	}
	chain("pre", "nat", "prerouting priority -100", strings.Join(pre, "\n"))
	chain("post", "nat", "postrouting priority 100", strings.Join(post, "\n"))
	chain("through", "filter", "forward priority 0", known+strings.Join(through, "\n")+"\n"+otherwise)
	if said(device.OwnPermits, true) {
		chain("to", "filter", "input priority 0", neighbours+known+strings.Join(to, "\n")+"\n"+otherwise)
	}
	if said(device.OwnPermits, false) {
		chain("from", "filter", "output priority 0", neighbours+known+strings.Join(from, "\n")+"\n"+otherwise)
	}
	b.WriteString("}\n")
	return b.String()
}

// said tells whether a permit in force speaks of what is for the device itself, or
// of what is from it.
func said(own []model.Permit, to bool) bool {
	for _, p := range own {
		if !p.Pending && p.To.Itself == to {
			return true
		}
	}
	return false
}

func ip(a netip.Addr) string {
	if a.Is4() {
		return "ip"
	}
	return "ip6"
}

// match is the addresses of one family on a side; "" is any.
func match(what string, s *model.Side, family prefix.Family) string {
	if s.Anyone || s.Itself {
		return ""
	}
	var all []string
	word := "ip6"
	if family == prefix.IPv4 {
		word = "ip"
	}
	for _, p := range s.Prefixes {
		if prefix.FamilyOf(p.Addr()) == family {
			all = append(all, p.String())
		}
	}
	if len(all) == 0 {
		return "meta l4proto 254" // nothing
	}
	return fmt.Sprintf("%s %s { %s }", word, what, strings.Join(all, ", "))
}

// permit is one sentence, once for each family.
func permit(p *model.Permit) []string {
	if p.Pending || len(p.Over) > 0 && p.Over[0].Protocol == model.TCP {
		return nil // nothing but ICMP is sent here
	}
	var all []string
	for _, family := range prefix.Families {
		words := []string{"meta nfproto ipv6", match("saddr", &p.From, family), match("daddr", &p.To, family)}
		if family == prefix.IPv4 {
			words[0] = "meta nfproto ipv4"
		}
		for _, x := range []struct {
			word string
			all  []model.InterfaceID
		}{{"iifname", p.In}, {"oifname", p.Out}} {
			if len(x.all) > 0 {
				words = append(words, fmt.Sprintf("%s i%d", x.word, x.all[0]))
			}
		}
		switch {
		case p.Answers && family == prefix.IPv4:
			words = append(words, "icmp type echo-reply")
		case p.Answers:
			words = append(words, "icmpv6 type echo-reply")
		}
		if len(p.Over) > 0 {
			words = append(words, "meta l4proto { icmp, ipv6-icmp }")
		}
		words = append(words, map[model.Ruling]string{model.Pass: "accept", model.Drop: "drop", model.Refuse: "reject with icmpx admin-prohibited"}[p.Ruling])
		all = append(all, strings.Join(words, " "))
	}
	return all
}
