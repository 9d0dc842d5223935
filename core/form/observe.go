package form

import (
	"net/netip"
	"slices"
	"strings"
	"unicode"

	"ropeswing/core/observed"
)

// Observed is what a text says of a device, as a state has it. What the form has lines for is known wholly, unless a line was not read
// that may be of it.
func (r *Reading) Observed() []*observed.Device {
	var all []*observed.Device
	for _, t := range r.Devices {
		d, not := t.device()
		r.unsaid(d)
		r.Unread = append(r.Unread, not...)
		d.Learn(r.form.Tells()...)
		r.doubt(d, t)
		all = append(all, d)
	}
	return all
}

// Tells are the parts of a device that the form has lines for.
func (f *Form) Tells() []observed.Part {
	var parts []observed.Part
	learn := func(all ...observed.Part) {
		for _, p := range all {
			if !slices.Contains(parts, p) {
				parts = append(parts, p)
			}
		}
	}
	ofRoutes := false
	var walk func(all []*Line)
	walk = func(all []*Line) {
		for _, l := range all {
			for _, a := range flat(l.Atoms) {
				if a.Fact == nil {
					continue
				}
				switch name := a.Fact.Name; {
				case a.Fact.Of == Interface && slices.Contains([]string{"admin", "oper", "mtu", "note", "speed", "duplex", "mac", "group", "kind"}, name):
					learn(observed.Interfaces)
				case name == "address":
					learn(l.families(observed.Addresses4, observed.Addresses6)...)
				case name == "destination":
					ofRoutes = true
					learn(l.families(observed.Routes4, observed.Routes6)...)
				case strings.HasPrefix(name, "untagged"), strings.HasPrefix(name, "tagged"):
					learn(observed.VLANs)
				case name == "neighbour":
					learn(observed.Neighbours)
				case name == "learned-mac":
					learn(observed.MACs)
				case name == "far-device":
					learn(observed.Links)
				}
			}
			for _, g := range l.Guards {
				if g.Fact.Name == "admin" || g.Fact.Name == "oper" {
					learn(observed.Interfaces)
				}
			}
			walk(l.Kids)
		}
	}
	walk(f.Lines)
	if ofRoutes && (factSaid(f.Lines, "active") != nil || f.setting()) {
		learn(observed.Standby)
	}
	return parts
}

// setting tells whether what the form reads is what is set on a device, not what comes of it: then its routes are static ones, and all.
func (f *Form) setting() bool {
	for _, name := range []string{"oper", "source", "active", "neighbour", "learned-mac"} {
		if factSaid(f.Lines, name) != nil {
			return false
		}
	}
	return true
}

// families are the parts of the families that a line can be of.
func (l *Line) families(four, six observed.Part) []observed.Part {
	for _, g := range l.Guards {
		if g.Fact.Name == "family" && (g.Value == "ipv4") != g.Not {
			return []observed.Part{four}
		} else if g.Fact.Name == "family" {
			return []observed.Part{six}
		}
	}
	for _, a := range flat(l.Atoms) {
		if a.Fact != nil && a.Fact.Type == Length && a.Shape != "" {
			return []observed.Part{four}
		}
	}
	return []observed.Part{four, six}
}

// unsaid says of ports what a text that tells of VLANs or groups leaves unsaid: that they are in none; and of routes that they are set.
func (r *Reading) unsaid(d *observed.Device) {
	lines := r.form.Lines
	untagged := factSaid(lines, "untagged") != nil || factSaid(lines, "untagged-port") != nil || factSaid(lines, "untagged-ports") != nil
	grouped := factSaid(lines, "group") != nil || factSaid(lines, "members") != nil
	for i := range d.Interfaces {
		x := &d.Interfaces[i]
		if untagged && x.Untagged == nil {
			x.Untagged = new(int)
		}
		if grouped && x.Group == nil {
			x.Group = new(string)
		}
	}
	for i := range d.Routes {
		if r.form.setting() && d.Routes[i].Source == "" {
			d.Routes[i].Source = "static"
		}
	}
}

// doubt takes from what is known wholly that of which a line that was not read may be.
func (r *Reading) doubt(d *observed.Device, t *Thing) {
	for _, u := range r.Unread {
		if u.about != nil && u.about.up(Device) != t {
			continue
		}
		inside := u.about != nil && u.about.up(Interface) != nil
		for _, a := range addressesIn(u.Text) {
			four, six := []observed.Part{observed.Addresses4}, []observed.Part{observed.Addresses6}
			if !inside {
				four, six = append(four, observed.Routes4), append(six, observed.Routes6)
			}
			if a.Is4() {
				d.Doubt(four...)
			} else {
				d.Doubt(six...)
			}
		}
		between := func(c rune) bool { return !unicode.IsDigit(c) && !unicode.IsLetter(c) && c != '.' && c != ':' }
		for word := range strings.FieldsFuncSeq(u.Text, between) {
			if inside && isNumber(word) && len(word) < 5 {
				d.Doubt(observed.VLANs)
			}
		}
	}
}

// addressesIn are the addresses that stand in a text, whatever stands beside them.
func addressesIn(text string) []netip.Addr {
	var all []netip.Addr
	other := func(c rune) bool { return c > unicode.MaxASCII || c != '.' && c != ':' && !isHexOf(byte(c)) }
	for word := range strings.FieldsFuncSeq(text, other) {
		if strings.Count(word, ".") < 3 && strings.Count(word, ":") < 2 {
			continue
		}
		for _, w := range []string{word, strings.Trim(word, ".:"), strings.TrimRight(word, ".")} {
			if a, err := netip.ParseAddr(w); err == nil {
				all = append(all, a)
				break
			}
		}
	}
	return all
}

func isHexOf(c byte) bool { return isHex(c) || c >= 'A' && c <= 'F' }
