package form

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/prefix"
)

// Alone is a device as a text seems to say it, by kinds of values alone: where nothing is known of the device. Names
// are what differs between
// lines that begin alike and have addresses, or up and down, with them; a line with a prefix and another address is a route. What is found
// so is a guess, however well it fits.
func Alone(name, text string) *Thing {
	top := &Thing{Kind: Device, V: map[string]string{"device": name}}
	root := nest(text, nesting{})
	for _, group := range groupsAlike(root.kids) {
		at := differing(group)
		var found []*Thing
		any := false
		for _, l := range group {
			words := strings.Fields(l.text)
			if at < 0 || at >= len(words) {
				continue
			}
			if i := top.interfaceAlone(l, strings.Trim(words[at], `"',:;{`)); i != nil {
				found, any = append(found, i), any || len(i.Kids) > 0 || i.V["oper"] != ""
			}
		}
		if any { // those that begin alike are of one kind, with an address or without
			top.Kids = append(top.Kids, found...)
		}
	}
	for _, l := range root.everything() {
		if l != root {
			top.routeAlone(l)
		}
	}
	return top
}

// groupsAlike are the lines that have something to say of one thing each: with a block, or with a word for up or down;
// those that begin with the
// same word, or end alike, together.
func groupsAlike(lines []*textLine) [][]*textLine {
	by, order := map[string][]*textLine{}, []string{}
	for _, l := range lines {
		words := strings.Fields(l.text)
		prefixes, _ := valuesIn(l.text)
		if len(l.kids) == 0 && (statusIn(words) == "" || len(prefixes) > 1) {
			continue
		}
		key := words[0]
		if s := statusIn(words); s != "" && len(words) > 1 { // 'X is up': the name comes first
			key = strings.ReplaceAll(strings.Join(words[1:], " "), s, "")
		}
		if by[key] == nil {
			order = append(order, key)
		}
		by[key] = append(by[key], l)
	}
	var all [][]*textLine
	for _, k := range order {
		if len(by[k]) > 1 {
			all = append(all, by[k])
		}
	}
	return all
}

// differing is the first word in which lines all differ; -1 where there is none.
func differing(lines []*textLine) int {
	for at := 0; ; at++ {
		seen := map[string]bool{}
		for _, l := range lines {
			words := strings.Fields(l.text)
			if at >= len(words) {
				return -1
			}
			seen[words[at]] = true
		}
		if len(seen) == len(lines) {
			return at
		}
	}
}

// interfaceAlone is what a line and its block seem to say of an interface; nil where it cannot be called so.
func (t *Thing) interfaceAlone(l *textLine, name string) *Thing {
	i := &Thing{Kind: Interface, V: map[string]string{"interface": name}, Parent: t}
	if f := factNamed(Interface, "interface"); f != nil {
		if _, err := f.read("", name); err != nil {
			return nil
		}
	}
	for _, x := range l.everything() {
		words := strings.Fields(x.text)
		if s := statusIn(words); s != "" && i.V["oper"] == "" {
			i.V["oper"] = s
		}
		prefixes, _ := valuesIn(x.text)
		for _, p := range prefixes {
			i.add(Address).set("address", p.Addr().String()).set("length", strconv.Itoa(p.Bits())).set("family",
				familyOf(p.Addr())).set("secondary", "no")
		}
		for n, w := range words {
			if m, err := prefix.ParseMAC(strings.Trim(w, ",;")); err == nil && i.V["mac"] == "" && len(addressesIn(w)) == 0 {
				i.V["mac"] = m
			}
			if v, err := strconv.Atoi(strings.Trim(w, ",.;")); err == nil && v >= 1280 && v <= 9216 && len(prefixes) == 0 && n > 0 &&
				i.V["mtu"] == "" {
				i.V["mtu"] = strconv.Itoa(v)
			}
		}
	}
	return i
}

// routeAlone adds the route that a line seems to say: a network's address with its length, and a next hop.
func (t *Thing) routeAlone(l *textLine) {
	prefixes, others := valuesIn(l.text)
	if len(prefixes) != 1 || prefixes[0] != prefixes[0].Masked() || len(others) > 1 {
		return
	}
	p := prefixes[0]
	out := ""
	for _, k := range t.Kids {
		if k.Kind == Interface && slices.Contains(strings.Fields(l.text), k.label()) {
			out = k.label()
		}
	}
	hop, source, discard := "", "static", "no"
	switch {
	case len(others) == 1:
		hop = others[0].String()
	case out != "":
		source = "direct"
	case !strings.Contains(l.text, "\t"):
		return // an address, or a discard: which it is is not known
	default:
		discard = "yes"
	}
	t.add(Route).set("destination", p.Addr().String()).set("length", strconv.Itoa(p.Bits())).set("family", familyOf(p.Addr())).
		set("next-hop", hop).set("out", out).set("source", source).set("discard", discard)
}

// statusIn is up or down where a word says so.
func statusIn(words []string) string {
	for _, w := range words {
		switch strings.ToLower(strings.Trim(w, ",.;()")) {
		case "up":
			return "up"
		case "down":
			return "down"
		}
	}
	return ""
}

// valuesIn are the prefixes of a text, by length or by mask behind the address, and its other addresses.
func valuesIn(text string) (prefixes []netip.Prefix, others []netip.Addr) {
	var last netip.Addr
	for word := range strings.FieldsFuncSeq(text, func(c rune) bool { return strings.ContainsRune(" \t,;\"'()<>{}[]=", c) }) {
		word = strings.TrimRight(word, ".")
		if p, err := netip.ParsePrefix(word); err == nil {
			prefixes = append(prefixes, p)
			continue
		}
		a, err := netip.ParseAddr(word)
		if err != nil {
			continue
		}
		if n, err := readLength("mask", word); err == nil && last.Is4() && (n != "0" || last.IsUnspecified()) {
			bits, _ := strconv.Atoi(n)
			prefixes = append(prefixes, netip.PrefixFrom(last, bits))
			others = others[:len(others)-1]
			last = netip.Addr{}
			continue
		}
		last, others = a, append(others, a)
	}
	return prefixes, others
}

// Guessed marks every line of a form as a guess: what was learnt with nothing to check it by.
func (f *Form) Guessed() {
	var walk func(all []*Line)
	walk = func(all []*Line) {
		for _, l := range all {
			l.Guess = l.slots()
			walk(l.Kids)
		}
	}
	walk(f.Lines)
}
