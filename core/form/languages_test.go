package form_test

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/observed"
)

// language is an invented gear's own way to write what is set on it. It shares no code with forms.
type language struct {
	name, like string
	write      func(p *page)
}

// page is a device being written by a language.
type page struct {
	d     *observed.Device
	vlans []vlanOf
	out   []string
}

type vlanOf struct {
	number           int
	name             string
	untagged, tagged []string
}

func (p *page) line(format string, args ...any) { p.out = append(p.out, fmt.Sprintf(format, args...)) }

// written is a device's text in a language.
func (l language) written(d *observed.Device, names map[int]string) string {
	p := &page{d: d}
	var all []int
	for n := range names {
		all = append(all, n)
	}
	slices.Sort(all)
	for _, n := range all {
		v := vlanOf{number: n, name: names[n]}
		for i := range d.Interfaces {
			x := &d.Interfaces[i]
			if x.Untagged != nil && *x.Untagged == n {
				v.untagged = append(v.untagged, x.Name)
			}
			if slices.Contains(x.Tagged, n) {
				v.tagged = append(v.tagged, x.Name)
			}
		}
		p.vlans = append(p.vlans, v)
	}
	l.write(p)
	return strings.Join(p.out, "\n") + "\n"
}

// dotted is the mask of a length; other turns its bits round.
func dotted(length int, other bool) string {
	var parts []string
	for k := range 4 {
		octet := 0
		for b := range 8 {
			if (k*8+b < length) != other {
				octet |= 1 << (7 - b)
			}
		}
		parts = append(parts, strconv.Itoa(octet))
	}
	return strings.Join(parts, ".")
}

func four(p netip.Prefix) bool { return p.Addr().Is4() }

// stretches writes runs of names, or numbers, by their first and last.
func stretches[T any](all []T, mark string, whole bool) []string {
	var out []string
	split := func(x T) (string, int) {
		s := fmt.Sprint(x)
		k := len(s)
		for k > 0 && s[k-1] >= '0' && s[k-1] <= '9' {
			k--
		}
		n, err := strconv.Atoi(s[k:])
		if err != nil {
			n = -1
		}
		return s[:k], n
	}
	for i := 0; i < len(all); {
		word, first := split(all[i])
		j := i
		for j+1 < len(all) && first >= 0 {
			if w, n := split(all[j+1]); w != word || n != first+j+1-i {
				break
			}
			j++
		}
		switch {
		case j == i:
			out = append(out, fmt.Sprint(all[i]))
		case whole:
			out = append(out, fmt.Sprint(all[i], mark, all[j]))
		default:
			out = append(out, fmt.Sprint(all[i], mark, first+j-i))
		}
		i = j + 1
	}
	return out
}

func joinAll[T any](all []T, with string) string {
	var words []string
	for _, x := range all {
		words = append(words, fmt.Sprint(x))
	}
	return strings.Join(words, with)
}

// addresses are those of an interface that are not link-local, and whether another of the family stands before each.
func addresses(i *observed.Interface) (all []netip.Prefix, second []bool) {
	seen := map[bool]bool{}
	for _, a := range i.Addresses {
		if a.Addr().Is6() && a.Addr().IsLinkLocalUnicast() {
			continue
		}
		all, second = append(all, a.Prefix), append(second, seen[four(a.Prefix)])
		seen[four(a.Prefix)] = true
	}
	return all, second
}

func ofVLAN(i *observed.Interface) int {
	if i.Untagged == nil {
		return 0
	}
	return *i.Untagged
}

func choose(yes bool, a, b string) string {
	if yes {
		return a
	}
	return b
}

func down(i *observed.Interface) bool { return i.Admin == observed.Down }

var languages = []language{
	{"lamp", "indented blocks, masks, one of two words, runs of VLANs", func(p *page) {
		p.line("keeper %s", p.d.Name)
		p.line("print style long")
		for _, v := range p.vlans {
			p.line("stream %d", v.number)
			p.line("  label %s", v.name)
		}
		for n := range p.d.Interfaces {
			i := &p.d.Interfaces[n]
			p.line("socket %s", i.Name)
			if i.Description != "" {
				p.line(`  tell "%s"`, i.Description)
			}
			p.line("  lamp %s", choose(down(i), "dark", "lit"))
			if i.MTU > 0 {
				p.line("  load %d", i.MTU)
			}
			if v := ofVLAN(i); v > 0 {
				p.line("  drinks %d", v)
			}
			if len(i.Tagged) > 0 {
				p.line("  carries %s", strings.Join(stretches(i.Tagged, "-", true), ","))
			}
			all, second := addresses(i)
			for k, a := range all {
				word := choose(second[k], "also number", "number")
				if four(a) {
					p.line("  %s %s over %s", word, a.Addr(), dotted(a.Bits(), false))
				} else {
					p.line("  %s %s", word, a)
				}
			}
		}
		for _, r := range p.d.Routes {
			to := r.To.String()
			if four(r.To) {
				to = fmt.Sprintf("%s over %s", r.To.Addr(), dotted(r.To.Bits(), false))
			}
			if r.Discard {
				p.line("road %s nowhere", to)
			} else {
				p.line("road %s by %s order %d", to, r.NextHop, *r.Distance)
			}
		}
		p.line("rest")
	}},
	{"reef", "braces, a word that is there or not, lists in brackets, a distance left unsaid", func(p *page) {
		p.line(`reef "%s" {`, p.d.Name)
		p.line("    tide {")
		for _, v := range p.vlans {
			p.line("        %s = %d;", v.name, v.number)
		}
		p.line("    }")
		for n := range p.d.Interfaces {
			i := &p.d.Interfaces[n]
			p.line("    berth %s {", i.Name)
			if i.Description != "" {
				p.line(`        legend "%s";`, i.Description)
			}
			if down(i) {
				p.line("        asleep;")
			}
			if i.MTU > 0 {
				p.line("        girth %d;", i.MTU)
			}
			if v := ofVLAN(i); v > 0 {
				p.line("        bare %d;", v)
			}
			if len(i.Tagged) > 0 {
				p.line("        ringed [ %s ];", joinAll(i.Tagged, " "))
			}
			all, second := addresses(i)
			for _, family := range []bool{true, false} {
				opened := false
				for k, a := range all {
					if four(a) == family {
						if !opened {
							p.line("        %s {", choose(family, "four", "six"))
						}
						opened = true
						p.line("            at %s%s;", a, choose(second[k], " spare", ""))
					}
				}
				if opened {
					p.line("        }")
				}
			}
			p.line("    }")
		}
		p.line("    charts {")
		for _, r := range p.d.Routes {
			switch {
			case r.Discard:
				p.line("        %s sink;", r.To)
			case *r.Distance == 1:
				p.line("        %s via %s;", r.To, r.NextHop)
			default:
				p.line("        %s via %s weight %d;", r.To, r.NextHop, *r.Distance)
			}
		}
		p.line("    }")
		p.line("}")
	}},
	{"kelp", "flat lines that each spell the whole path, a line for each VLAN of a list, inverse masks", func(p *page) {
		p.line("put %s/serial = 88-%d", p.d.Name, len(p.d.Name))
		at := "put " + p.d.Name + "/"
		for _, v := range p.vlans {
			p.line("%slanes/%d/word = %s", at, v.number, v.name)
		}
		for n := range p.d.Interfaces {
			i := &p.d.Interfaces[n]
			hole := at + "holes/" + i.Name + "/"
			p.line("%spower = %s", hole, choose(down(i), "0", "1"))
			if i.Description != "" {
				p.line("%sremark = '%s'", hole, i.Description)
			}
			if i.MTU > 0 {
				p.line("%sfill = %d", hole, i.MTU)
			}
			if v := ofVLAN(i); v > 0 {
				p.line("%slane = %d", hole, v)
			}
			for _, v := range i.Tagged {
				p.line("%slanes += %d", hole, v)
			}
			all, second := addresses(i)
			for k, a := range all {
				p.line("%s%s/%s = %d", hole, choose(second[k], "extra", "main"), a.Addr(), a.Bits())
			}
		}
		for _, r := range p.d.Routes {
			to := fmt.Sprintf("%s~%d", r.To.Addr(), r.To.Bits())
			if four(r.To) {
				to = fmt.Sprintf("%s~%s", r.To.Addr(), dotted(r.To.Bits(), true))
			}
			if r.Discard {
				p.line("%sways/%s = pit", at, to)
			} else {
				p.line("%sways/%s = %s@%d", at, to, r.NextHop, *r.Distance)
			}
		}
	}},
	{"buoy", "entries with numbers of their own, begin and end words, the name inside", func(p *page) {
		p.line("begin lanes")
		for k, v := range p.vlans {
			p.line(" item %d", k+1)
			p.line("  value %d", v.number)
			p.line("  called %s", v.name)
			p.line(" finish")
		}
		p.line("finish")
		p.line("begin sockets")
		for n := range p.d.Interfaces {
			i := &p.d.Interfaces[n]
			p.line(" item %d", n+1)
			p.line("  called %s", i.Name)
			if i.Description != "" {
				p.line("  about <%s>", i.Description)
			}
			if down(i) {
				p.line("  idle yes")
			}
			if i.MTU > 0 {
				p.line("  bulk %d", i.MTU)
			}
			if v := ofVLAN(i); v > 0 {
				p.line("  lane single %d", v)
			}
			if len(i.Tagged) > 0 {
				p.line("  lane many %s", strings.Join(stretches(i.Tagged, "..", true), ", "))
			}
			all, second := addresses(i)
			for k, a := range all {
				p.line("  %s %s %s", choose(second[k], "second", "first"), a.Addr(),
					choose(four(a), dotted(min(32, a.Bits()), false), strconv.Itoa(a.Bits())))
			}
			p.line(" finish")
		}
		p.line("finish")
		p.line("begin lines")
		for k, r := range p.d.Routes {
			p.line(" item %d", 10*(k+1))
			p.line("  goal %s %s", r.To.Addr(), choose(four(r.To), dotted(min(32, r.To.Bits()), false), strconv.Itoa(r.To.Bits())))
			if r.Discard {
				p.line("  lost yes")
			} else {
				p.line("  hand %s", r.NextHop)
				p.line("  rank %d", *r.Distance)
			}
			p.line(" finish")
		}
		p.line("finish")
	}},
	{"tern", "records of key=value on one line, keys left out", func(p *page) {
		p.line("box id=%s", p.d.Name)
		for _, v := range p.vlans {
			p.line("vl id=%d nm=%s", v.number, v.name)
		}
		for n := range p.d.Interfaces {
			i := &p.d.Interfaces[n]
			x := fmt.Sprintf("pt id=%s pw=%s", i.Name, choose(down(i), "n", "y"))
			if i.Description != "" {
				x += fmt.Sprintf(` tx="%s"`, i.Description)
			}
			if i.MTU > 0 {
				x += fmt.Sprintf(" sz=%d", i.MTU)
			}
			if v := ofVLAN(i); v > 0 {
				x += fmt.Sprintf(" u=%d", v)
			}
			if len(i.Tagged) > 0 {
				x += " t=" + joinAll(i.Tagged, ":")
			}
			p.line("%s", x)
			all, second := addresses(i)
			for k, a := range all {
				p.line("ad pt=%s ip=%s ln=%d%s", i.Name, a.Addr(), a.Bits(), choose(second[k], " x=1", ""))
			}
		}
		for _, r := range p.d.Routes {
			x := fmt.Sprintf("rt to=%s ln=%d", r.To.Addr(), r.To.Bits())
			if r.Discard {
				x += " drop=1"
			} else {
				x += fmt.Sprintf(" via=%s", r.NextHop)
				if *r.Distance != 1 {
					x += fmt.Sprintf(" pr=%d", *r.Distance)
				}
			}
			p.line("%s", x)
		}
	}},
	{"gull", "tags with attributes, members told by the VLAN, one tag a port", func(p *page) {
		p.line(`<rig n="%s">`, p.d.Name)
		for _, v := range p.vlans {
			p.line(`  <deck no="%d" n="%s">`, v.number, v.name)
			for _, x := range v.untagged {
				p.line(`    <plain on="%s"/>`, x)
			}
			for _, x := range v.tagged {
				p.line(`    <marked on="%s"/>`, x)
			}
			p.line("  </deck>")
		}
		for n := range p.d.Interfaces {
			i := &p.d.Interfaces[n]
			p.line(`  <hatch n="%s">`, i.Name)
			p.line("    %s", choose(down(i), "<shut/>", "<open/>"))
			if i.Description != "" {
				p.line("    <sign>%s</sign>", i.Description)
			}
			if i.MTU > 0 {
				p.line(`    <beam max="%d"/>`, i.MTU)
			}
			all, second := addresses(i)
			for k, a := range all {
				length := fmt.Sprintf(`len="%d"`, a.Bits())
				if four(a) {
					length = fmt.Sprintf(`mask="%s"`, dotted(a.Bits(), false))
				}
				p.line(`    <%s at="%s" %s role="%s"/>`, choose(four(a), "num", "num6"), a.Addr(), length, choose(second[k], "spare", "main"))
			}
			p.line("  </hatch>")
		}
		p.line("  <lanes>")
		for _, r := range p.d.Routes {
			p.line(`    <lane to="%s">`, r.To)
			if r.Discard {
				p.line("      <swallow/>")
			} else {
				p.line(`      <hop at="%s" pref="%d"/>`, r.NextHop, *r.Distance)
			}
			p.line("    </lane>")
		}
		p.line("  </lanes>")
		p.line("</rig>")
	}},
	{"skua", "tables with padded columns, a dash where there is nothing", func(p *page) {
		dash := func(text string) string { return choose(text == "" || text == "0", "-", text) }
		p.line("Station %s", p.d.Name)
		p.line("")
		rows := [][]string{{"LANE", "TITLE"}}
		for _, v := range p.vlans {
			rows = append(rows, []string{strconv.Itoa(v.number), v.name})
		}
		p.table(rows)
		rows = [][]string{{"HOLE", "LIGHT", "SIZE", "LANE", "LANES", "NOTE"}}
		for n := range p.d.Interfaces {
			i := &p.d.Interfaces[n]
			rows = append(rows, []string{i.Name, choose(down(i), "off", "on"), dash(strconv.Itoa(i.MTU)), dash(strconv.Itoa(ofVLAN(i))),
				dash(joinAll(i.Tagged, ",")), dash(i.Description)})
		}
		p.table(rows)
		rows = [][]string{{"NUMBER", "BITS", "HOLE", "ROLE"}}
		for n := range p.d.Interfaces {
			all, second := addresses(&p.d.Interfaces[n])
			for k, a := range all {
				rows = append(rows, []string{a.Addr().String(), strconv.Itoa(a.Bits()), p.d.Interfaces[n].Name, choose(second[k], "spare", "main")})
			}
		}
		p.table(rows)
		rows = [][]string{{"GOAL", "BITS", "NEXT", "RANK"}}
		for _, r := range p.d.Routes {
			next := "-"
			if !r.Discard {
				next = r.NextHop.String()
			}
			rows = append(rows, []string{r.To.Addr().String(), strconv.Itoa(r.To.Bits()), next, strconv.Itoa(*r.Distance)})
		}
		p.table(rows)
	}},
	{"orca", "running text, port lists with runs and a last word, inverse masks", func(p *page) {
		words := func(all []string) string {
			if len(all) < 2 {
				return strings.Join(all, "")
			}
			return strings.Join(all[:len(all)-1], ", ") + " and " + all[len(all)-1]
		}
		p.line("This is %s.", p.d.Name)
		for _, v := range p.vlans {
			p.line("Water %d goes by %s.", v.number, v.name)
			if len(v.untagged) > 0 {
				p.line("  It runs bare at %s.", words(stretches(v.untagged, " to ", true)))
			}
			if len(v.tagged) > 0 {
				p.line("  It runs tinted at %s.", words(stretches(v.tagged, " to ", true)))
			}
		}
		for n := range p.d.Interfaces {
			i := &p.d.Interfaces[n]
			p.line("Mouth %s is %s%s.", i.Name, choose(down(i), "closed", "open"),
				choose(i.Description != "", ", and known as "+i.Description, ""))
			if i.MTU > 0 {
				p.line("  It swallows %d at once.", i.MTU)
			}
			all, second := addresses(i)
			for k, a := range all {
				also := choose(second[k], "also ", "")
				if four(a) {
					p.line("  It %sanswers to %s within %s.", also, a.Addr(), dotted(a.Bits(), false))
				} else {
					p.line("  It %sanswers to %s of %d.", also, a.Addr(), a.Bits())
				}
			}
		}
		for _, r := range p.d.Routes {
			to := fmt.Sprintf("%s of %d", r.To.Addr(), r.To.Bits())
			if four(r.To) {
				to = fmt.Sprintf("%s, bar %s,", r.To.Addr(), dotted(r.To.Bits(), true))
			}
			if r.Discard {
				p.line("What is for %s drowns.", to)
			} else {
				p.line("What is for %s swims to %s as choice %d.", to, r.NextHop, *r.Distance)
			}
		}
	}},
	{"plover", "blocks without indentation that a word ends, names in quotes", func(p *page) {
		p.line("flock %q", p.d.Name)
		for _, v := range p.vlans {
			p.line("open track %d", v.number)
			p.line("name %q", v.name)
			p.line("shut")
		}
		for n := range p.d.Interfaces {
			i := &p.d.Interfaces[n]
			p.line("open perch %q", i.Name)
			p.line("awake %s", choose(down(i), "false", "true"))
			if i.Description != "" {
				p.line("song %q", i.Description)
			}
			if i.MTU > 0 {
				p.line("span %d bytes", i.MTU)
			}
			if v := ofVLAN(i); v > 0 {
				p.line("track own %d", v)
			}
			if len(i.Tagged) > 0 {
				p.line("track guests %s", joinAll(i.Tagged, ", "))
			}
			all, second := addresses(i)
			for k, a := range all {
				p.line("ring %s %s", choose(second[k], "more", "chief"), a)
			}
			p.line("shut")
		}
		for _, r := range p.d.Routes {
			p.line("open flight %s", r.To)
			if r.Discard {
				p.line("falls")
			} else {
				p.line("over %s", r.NextHop)
				p.line("choice %d", *r.Distance)
			}
			p.line("shut")
		}
	}},
	{"fulmar", "tables with empty cells, and cells that go on in the next row", func(p *page) {
		p.line("Board of %s", p.d.Name)
		p.line("")
		rows := [][]string{{"Gate", "State", "Takes", "Alone", "Beside others", "Remark"}}
		for n := range p.d.Interfaces {
			i := &p.d.Interfaces[n]
			size := choose(i.MTU > 0, strconv.Itoa(i.MTU), "")
			own := choose(ofVLAN(i) > 0, strconv.Itoa(ofVLAN(i)), "")
			rest := i.Tagged
			first := rest[:min(3, len(rest))]
			rows = append(rows, []string{i.Name, choose(down(i), "rests", "works"), size, own, joinAll(first, ",") +
				choose(len(rest) > 3, ",", ""), i.Description})
			for rest = rest[len(first):]; len(rest) > 0; rest = rest[min(3, len(rest)):] {
				rows = append(rows, []string{"", "", "", "", joinAll(rest[:min(3, len(rest))], ",") + choose(len(rest) > 3, ",", ""), ""})
			}
		}
		p.table(rows)
		rows = [][]string{{"Lane", "Called"}}
		for _, v := range p.vlans {
			rows = append(rows, []string{strconv.Itoa(v.number), v.name})
		}
		p.table(rows)
		rows = [][]string{{"Gate", "Number", "Turn"}}
		for n := range p.d.Interfaces {
			all, second := addresses(&p.d.Interfaces[n])
			for k, a := range all {
				rows = append(rows, []string{p.d.Interfaces[n].Name, a.String(), choose(second[k], "later", "first")})
			}
		}
		p.table(rows)
		rows = [][]string{{"Toward", "Step", "Weight"}}
		for _, r := range p.d.Routes {
			row := []string{r.To.String(), "drop", ""}
			if !r.Discard {
				row = []string{r.To.String(), r.NextHop.String(), strconv.Itoa(*r.Distance)}
			}
			rows = append(rows, row)
		}
		p.table(rows)
	}},
	{"eider", "a menu's printout: records of a name, a colon and a value, lined up", func(p *page) {
		p.line("Nest        : %s", p.d.Name)
		for _, v := range p.vlans {
			p.line("Pond        : %d", v.number)
			p.line("  Title     : %s", v.name)
		}
		for n := range p.d.Interfaces {
			i := &p.d.Interfaces[n]
			p.line("Egg         : %s", i.Name)
			p.line("  Warm      : %s", choose(down(i), "no", "yes"))
			if i.Description != "" {
				p.line("  Written   : %s", i.Description)
			}
			if i.MTU > 0 {
				p.line("  Holds     : %d", i.MTU)
			}
			if v := ofVLAN(i); v > 0 {
				p.line("  Pond      : %d", v)
			}
			if len(i.Tagged) > 0 {
				p.line("  Ponds     : %s", strings.Join(stretches(i.Tagged, "-", true), " "))
			}
			all, second := addresses(i)
			for k, a := range all {
				p.line("  %s: %s / %d", choose(second[k], "And       ", "Number    "), a.Addr(), a.Bits())
			}
		}
		for _, r := range p.d.Routes {
			p.line("Trail       : %s / %d", r.To.Addr(), r.To.Bits())
			if r.Discard {
				p.line("  Leads     : nowhere")
			} else {
				p.line("  Leads     : %s", r.NextHop)
				p.line("  Rank      : %d", *r.Distance)
			}
		}
	}},
	{"petrel", "flat lines by what they tell, not by port; runs of ports, names in quotes", func(p *page) {
		p.line(`call "%s"`, p.d.Name)
		for _, v := range p.vlans {
			p.line(`shoal %d title "%s"`, v.number, v.name)
		}
		for n := range p.d.Interfaces {
			p.line(`fin "%s" %s`, p.d.Interfaces[n].Name, choose(down(&p.d.Interfaces[n]), "folded", "spread"))
		}
		for n := range p.d.Interfaces {
			if i := &p.d.Interfaces[n]; i.Description != "" {
				p.line(`fin "%s" says "%s"`, i.Name, i.Description)
			}
		}
		for n := range p.d.Interfaces {
			if i := &p.d.Interfaces[n]; i.MTU > 0 {
				p.line(`fin "%s" limit %d`, i.Name, i.MTU)
			}
		}
		for _, v := range p.vlans {
			if len(v.untagged) > 0 {
				p.line("shoal %d alone %s", v.number, strings.Join(stretches(v.untagged, "-", false), ","))
			}
			if len(v.tagged) > 0 {
				p.line("shoal %d among %s", v.number, strings.Join(stretches(v.tagged, "-", false), ","))
			}
		}
		for n := range p.d.Interfaces {
			all, second := addresses(&p.d.Interfaces[n])
			for k, a := range all {
				p.line(`mark %s on "%s"%s`, a, p.d.Interfaces[n].Name, choose(second[k], " besides", ""))
			}
		}
		for _, r := range p.d.Routes {
			if r.Discard {
				p.line("course %s lost", r.To)
			} else {
				p.line("course %s through %s grade %d", r.To, r.NextHop, *r.Distance)
			}
		}
	}},
}

// table lines up rows, with two blanks between columns, and an empty line behind.
func (p *page) table(rows [][]string) {
	widths := make([]int, len(rows[0]))
	for _, r := range rows {
		for i, c := range r {
			widths[i] = max(widths[i], len(c))
		}
	}
	for _, r := range rows {
		line := ""
		for i, c := range r {
			line += c + strings.Repeat(" ", widths[i]-len(c)+2)
		}
		p.out = append(p.out, strings.TrimRight(line, " "))
	}
	p.line("")
}
